//! The HTTP API under /api/v1: one file per noun, and for each route who may use it and what it may be sent.

use utoipa::OpenApi;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use super::answer::ProblemDetails;
use super::terms::{Brings, LARGEST_MESSAGE, LARGEST_SIGN_IN, Needs};
use super::{
    batch, cache, computing, crop, delivery, devices, events, faces, health, house, jobs, models, orders, originals,
    plan, products, reading, rehearsal, removed, results, rules, session, shared, spots, tiles, trace,
};
use crate::app::App;

/// The document that describes the API.
#[derive(OpenApi)]
#[openapi(
    info(
        title = "Dettaglio",
        description = "Enlarges photographs for large prints. Errors are RFC 9457 problem details."
    ),
    components(schemas(
        ProblemDetails,
        jobs::JobView,
        models::Side,
        tiles::Show,
        tiles::ShowFile,
        delivery::Going,
        shared::SharedSide,
        dettaglio_domain::trace::DrawingFile
    ))
)]
struct Document;

/// All routes of the same terms.
pub struct Group {
    pub needs: Needs,
    pub brings: Brings,
    pub routes: OpenApiRouter<App>,
}

/// What the API's document says of the whole.
pub fn preface() -> utoipa::openapi::OpenApi {
    Document::openapi()
}

/// All routes by their terms.
pub fn groups() -> [Group; 4] {
    let message = Brings::Message(LARGEST_MESSAGE);
    [
        Group { needs: Needs::Nothing, brings: Brings::Message(LARGEST_SIGN_IN), routes: for_anyone() },
        Group { needs: Needs::Account, brings: message, routes: for_accounts() },
        Group { needs: Needs::Technician, brings: message, routes: for_technicians() },
        Group { needs: Needs::Technician, brings: Brings::Files, routes: for_files() },
    ]
}

/// See [`Needs::Nothing`].
fn for_anyone() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(routes!(health::health))
        .routes(routes!(rules::rules))
        .routes(routes!(session::sign_in, session::who, session::sign_out))
        .routes(routes!(shared::shared))
        .routes(routes!(shared::shared_picture))
}

/// See [`Needs::Account`].
fn for_accounts() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(routes!(models::models))
        .routes(routes!(models::example))
        .routes(routes!(orders::list_orders))
        .routes(routes!(orders::show_order))
        .routes(routes!(products::products))
        .routes(routes!(batch::preflight))
        .routes(routes!(delivery::report_html))
        .routes(routes!(delivery::report_pdf))
        .routes(routes!(delivery::delivery))
        .routes(routes!(originals::show_original))
        .routes(routes!(originals::thumbnail))
        .routes(routes!(originals::original_file))
        .routes(routes!(faces::faces))
        .routes(routes!(faces::restoration))
        .routes(routes!(crop::draw_crop))
        .routes(routes!(plan::intent))
        .routes(routes!(plan::plan))
        .routes(routes!(plan::forecast))
        .routes(routes!(reading::reading))
        .routes(routes!(reading::suggestion))
        .routes(routes!(reading::suggestions))
        .routes(routes!(rehearsal::rehearsal))
        .routes(routes!(rehearsal::rehearsed_part))
        .routes(routes!(rehearsal::rehearsals_of_order))
        .routes(routes!(spots::spots))
        .routes(routes!(spots::opening))
        .routes(routes!(spots::decisions))
        .routes(routes!(house::house_treatments))
        .routes(routes!(house::adapt))
        .routes(routes!(tiles::tile))
        .routes(routes!(tiles::crop))
        .routes(routes!(tiles::measures))
        .routes(routes!(tiles::tones))
        .routes(routes!(tiles::enlargement_tile))
        .routes(routes!(tiles::enlargement_measures))
        .routes(routes!(tiles::enlargement_crop))
        .routes(routes!(trace::trace))
        .routes(routes!(trace::trace_svg))
        .routes(routes!(trace::trace_pdf))
        .routes(routes!(jobs::show_job))
        .routes(routes!(jobs::run_sheet))
        .routes(routes!(results::result_file))
        .routes(routes!(results::result_drawing))
        .routes(routes!(results::look))
        .routes(routes!(cache::cache))
        .routes(routes!(removed::removed))
        .routes(routes!(computing::computing))
        .routes(routes!(devices::devices))
        .routes(routes!(devices::printings))
        .routes(routes!(shared::links))
        .routes(routes!(events::events))
}

/// See [`Needs::Technician`].
fn for_technicians() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(routes!(models::retire_model))
        .routes(routes!(models::restore_model))
        .routes(routes!(orders::add_order))
        .routes(routes!(orders::change_order))
        .routes(routes!(orders::shelve_order))
        .routes(routes!(products::keep_product))
        .routes(routes!(products::remove_product))
        .routes(routes!(batch::run_batch))
        .routes(routes!(batch::edit))
        .routes(routes!(originals::remove_original))
        .routes(routes!(originals::restore_original))
        .routes(routes!(faces::find_again))
        .routes(routes!(plan::set_intent, plan::forget_intent))
        .routes(routes!(rehearsal::begin_rehearsal, rehearsal::forget_rehearsal))
        .routes(routes!(spots::set_spots))
        .routes(routes!(spots::decide))
        .routes(routes!(house::keep_house_treatment))
        .routes(routes!(house::remove_house_treatment))
        .routes(routes!(house::apply))
        .routes(routes!(jobs::add_job))
        .routes(routes!(jobs::instruct))
        .routes(routes!(jobs::hold_up))
        .routes(routes!(results::judge))
        .routes(routes!(results::remove_result))
        .routes(routes!(results::restore_result))
        .routes(routes!(cache::clear_cache))
        .routes(routes!(removed::delete_removed))
        .routes(routes!(computing::want_device))
        .routes(routes!(computing::try_devices))
        .routes(routes!(devices::retry_shop))
        .routes(routes!(devices::print))
        .routes(routes!(shared::add_link))
        .routes(routes!(shared::remove_link))
}

/// Where pictures and models are sent to.
fn for_files() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(models::add_model)).routes(routes!(originals::import_originals))
}
