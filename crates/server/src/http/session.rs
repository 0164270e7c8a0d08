//! Signing in and out.

use std::net::SocketAddr;
use std::sync::Arc;

use axum::extract::{ConnectInfo, State};
use axum::http::{HeaderMap, StatusCode};
use axum::{Extension, Json};
use serde::Deserialize;
use tower_sessions::Session;
use utoipa::ToSchema;

use super::access::{self, Who};
use super::answer::ProblemDetails;
use super::extract::Body;
use super::sign_ins::SignIns;
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

/// Signs in: the answer carries a cookie. A name may be tried five times at once from an address, then once every other second.
#[utoipa::path(post, path = "/session", tag = "access", request_body = SignIn,
    responses((status = OK, body = Who), (status = 401, body = ProblemDetails), (status = 413, body = ProblemDetails),
        (status = 429, body = ProblemDetails)))]
pub async fn sign_in(
    State(app): State<App>,
    Extension(sign_ins): Extension<Arc<SignIns>>,
    ConnectInfo(peer): ConnectInfo<SocketAddr>,
    headers: HeaderMap,
    session: Session,
    Body(SignIn { name, password }): Body<SignIn>,
) -> Result<Json<Who>, Problem> {
    let from = sign_ins.origin(peer.ip(), &headers);
    Ok(Json(access::sign_in(&app.store, &sign_ins, &session, from, &name, &password).await?))
}

/// Who is signed in.
#[utoipa::path(get, path = "/session", tag = "access", responses((status = OK, body = Who), (status = 401, body = ProblemDetails)))]
pub async fn who(who: Who) -> Json<Who> {
    Json(who)
}

/// Signs out.
#[utoipa::path(delete, path = "/session", tag = "access", responses((status = NO_CONTENT)))]
pub async fn sign_out(session: Session) -> Result<StatusCode, Problem> {
    session.flush().await.map_err(Problem::internal)?;
    Ok(StatusCode::NO_CONTENT)
}
