//! The HTTP API under /api/v1: one file per noun.

pub mod batch;
pub mod cache;
pub mod delivery;
pub mod devices;
pub mod events;
pub mod faces;
pub mod health;
pub mod house;
pub mod jobs;
pub mod models;
pub mod orders;
pub mod originals;
pub mod plan;
pub mod products;
pub mod reading;
pub mod rehearsal;
pub mod removed;
pub mod results;
pub mod session;
pub mod shared;
pub mod spots;
pub mod tiles;

use axum::Json;
use axum::extract::rejection::{JsonRejection, PathRejection, QueryRejection};
use axum::extract::{FromRequest, FromRequestParts, Path, Query, Request};
use axum::http::request::Parts;
use serde::de::DeserializeOwned;
use serde_json::{Number, Value};
use utoipa::OpenApi;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::app::App;
use crate::problem::Problem;

/// The document that describes the API.
#[derive(OpenApi)]
#[openapi(
    info(
        title = "Dettaglio",
        description = "Enlarges photographs for large prints. Errors are RFC 9457 problem details."
    ),
    components(schemas(
        Problem,
        jobs::JobView,
        models::Side,
        tiles::Show,
        tiles::ShowFile,
        delivery::Going,
        shared::SharedSide
    ))
)]
struct Document;

/// All routes, and the document that describes them.
pub fn routes() -> OpenApiRouter<App> {
    OpenApiRouter::with_openapi(Document::openapi())
        .routes(routes!(health::health))
        .routes(routes!(models::models, models::add_model))
        .routes(routes!(models::retire_model))
        .routes(routes!(models::restore_model))
        .routes(routes!(models::example))
        .routes(routes!(orders::list_orders, orders::add_order))
        .routes(routes!(orders::show_order, orders::change_order))
        .routes(routes!(orders::shelve_order))
        .routes(routes!(products::products, products::keep_product))
        .routes(routes!(products::remove_product))
        .routes(routes!(batch::preflight))
        .routes(routes!(batch::run_batch))
        .routes(routes!(batch::edit))
        .routes(routes!(delivery::report_html))
        .routes(routes!(delivery::report_pdf))
        .routes(routes!(delivery::delivery))
        .routes(routes!(originals::import_originals))
        .routes(routes!(originals::show_original, originals::remove_original))
        .routes(routes!(originals::restore_original))
        .routes(routes!(originals::thumbnail))
        .routes(routes!(originals::original_file))
        .routes(routes!(faces::faces, faces::find_again))
        .routes(routes!(faces::restoration))
        .routes(routes!(plan::wish, plan::set_wish, plan::forget_wish))
        .routes(routes!(reading::reading))
        .routes(routes!(reading::suggestion))
        .routes(routes!(rehearsal::rehearsal, rehearsal::begin_rehearsal, rehearsal::forget_rehearsal))
        .routes(routes!(rehearsal::rehearsed_part))
        .routes(routes!(rehearsal::rehearsals_of_order))
        .routes(routes!(plan::plan))
        .routes(routes!(plan::forecast))
        .routes(routes!(spots::spots, spots::set_spots))
        .routes(routes!(spots::decide, spots::decisions))
        .routes(routes!(house::house_treatments, house::keep_house_treatment))
        .routes(routes!(house::remove_house_treatment))
        .routes(routes!(house::adapt))
        .routes(routes!(house::apply))
        .routes(routes!(tiles::tile))
        .routes(routes!(tiles::crop))
        .routes(routes!(tiles::measures))
        .routes(routes!(tiles::enlargement_tile))
        .routes(routes!(tiles::enlargement_measures))
        .routes(routes!(jobs::add_job))
        .routes(routes!(jobs::show_job))
        .routes(routes!(jobs::instruct))
        .routes(routes!(jobs::run_sheet))
        .routes(routes!(jobs::hold_up))
        .routes(routes!(results::judge))
        .routes(routes!(results::remove_result))
        .routes(routes!(results::restore_result))
        .routes(routes!(results::result_file))
        .routes(routes!(results::look))
        .routes(routes!(tiles::enlargement_crop))
        .routes(routes!(cache::cache, cache::clear_cache))
        .routes(routes!(removed::removed, removed::delete_removed))
        .routes(routes!(devices::devices))
        .routes(routes!(devices::retry_shop))
        .routes(routes!(devices::print))
        .routes(routes!(devices::printings))
        .routes(routes!(shared::links, shared::add_link))
        .routes(routes!(shared::remove_link))
        .routes(routes!(shared::shared))
        .routes(routes!(shared::shared_picture))
        .routes(routes!(session::sign_in, session::who, session::sign_out))
        .routes(routes!(events::events))
}

/// A JSON body whose refusal is a [`Problem`].
///
/// A number that is beyond what single precision holds is refused wherever it stands: read, it would be infinite, and kept, it would
/// be nothing.
pub struct Body<T>(pub T);

impl<T: DeserializeOwned, S: Send + Sync> FromRequest<S> for Body<T> {
    type Rejection = Problem;

    async fn from_request(request: Request, state: &S) -> Result<Self, Problem> {
        let Json(value) = Json::<Value>::from_request(request, state).await?;
        if let Some(number) = beyond_measure(&value) {
            return Err(Problem::bad_request("request.body", format!("{number} is beyond every measure")));
        }
        match serde_path_to_error::deserialize(value) {
            Ok(value) => Ok(Self(value)),
            Err(error) => Err(Problem::bad_request("request.body", error)),
        }
    }
}

/// A number that single precision does not hold.
fn beyond_measure(value: &Value) -> Option<&Number> {
    match value {
        Value::Number(number) => Some(number).filter(|n| n.as_f64().is_none_or(|n| n.abs() > f64::from(f32::MAX))),
        Value::Array(list) => list.iter().find_map(beyond_measure),
        Value::Object(map) => map.values().find_map(beyond_measure),
        _ => None,
    }
}

impl From<JsonRejection> for Problem {
    fn from(rejection: JsonRejection) -> Self {
        Problem::bad_request("request.body", rejection.body_text())
    }
}

/// Parts of the address whose refusal is a [`Problem`].
pub struct Address<T>(pub T);

impl<T, S> FromRequestParts<S> for Address<T>
where
    Path<T>: FromRequestParts<S, Rejection = PathRejection>,
    S: Send + Sync,
{
    type Rejection = Problem;

    async fn from_request_parts(parts: &mut Parts, state: &S) -> Result<Self, Problem> {
        match Path::from_request_parts(parts, state).await {
            Ok(Path(value)) => Ok(Self(value)),
            Err(rejection) => Err(Problem::bad_request("request.address", rejection.body_text())),
        }
    }
}

/// The address's query, whose refusal is a [`Problem`].
#[derive(FromRequestParts)]
#[from_request(via(Query), rejection(Problem))]
pub struct Question<T>(pub T);

impl From<QueryRejection> for Problem {
    fn from(rejection: QueryRejection) -> Self {
        Problem::bad_request("request.query", rejection.body_text())
    }
}
