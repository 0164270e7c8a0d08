//! The HTTP API under /api/v1: one file per noun.

use utoipa::OpenApi;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use super::{
    batch, cache, crop, delivery, devices, events, faces, health, house, jobs, models, orders, originals, plan,
    products, reading, rehearsal, removed, results, rules, session, shared, spots, tiles, trace,
};
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
        .routes(routes!(rules::rules))
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
        .routes(routes!(crop::draw_crop))
        .routes(routes!(plan::intent, plan::set_intent, plan::forget_intent))
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
        .routes(routes!(tiles::tones))
        .routes(routes!(trace::trace))
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
