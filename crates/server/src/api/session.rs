//! Signing in and out.

use std::sync::Arc;

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use axum::response::IntoResponse;
use serde::Deserialize;
use tower_governor::GovernorLayer;
use tower_governor::governor::GovernorConfigBuilder;
use tower_sessions::Session;
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use super::Body;
use crate::access::{self, Who};
use crate::app::App;
use crate::problem::Problem;

/// Who wants in.
#[derive(Deserialize, ToSchema)]
pub struct SignIn {
    /// Name of the account.
    pub name: String,
    /// Its password.
    pub password: String,
}

/// The addresses of sessions; an address may try a password five times at once, then once every other second.
pub fn routes() -> OpenApiRouter<App> {
    let pace = GovernorConfigBuilder::default().per_second(2).burst_size(5).finish().expect("a pace above nothing");
    let tries = GovernorLayer::new(Arc::new(pace)).error_handler(|_| {
        Problem::new(StatusCode::TOO_MANY_REQUESTS, "access.pace", "too many tries: wait a moment").into_response()
    });
    let asked = OpenApiRouter::new().routes(routes!(who, sign_out));
    OpenApiRouter::new().routes(routes!(sign_in)).layer(tries).merge(asked)
}

/// Signs in: the answer carries a cookie.
#[utoipa::path(post, path = "/session", tag = "access", request_body = SignIn,
    responses((status = OK, body = Who), (status = 401, body = Problem), (status = 429, body = Problem)))]
pub async fn sign_in(
    State(app): State<App>,
    session: Session,
    Body(SignIn { name, password }): Body<SignIn>,
) -> Result<Json<Who>, Problem> {
    Ok(Json(access::sign_in(&app.store, &session, &name, &password).await?))
}

/// Who is signed in.
#[utoipa::path(get, path = "/session", tag = "access", responses((status = OK, body = Who), (status = 401, body = Problem)))]
pub async fn who(who: Who) -> Json<Who> {
    Json(who)
}

/// Signs out.
#[utoipa::path(delete, path = "/session", tag = "access", responses((status = NO_CONTENT)))]
pub async fn sign_out(session: Session) -> Result<StatusCode, Problem> {
    session.flush().await.map_err(Problem::internal)?;
    Ok(StatusCode::NO_CONTENT)
}
