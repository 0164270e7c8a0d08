//! The speed of this machine's models, measured while nobody looks at anything.

use std::sync::Arc;
use std::time::Duration;

use dettaglio_core::forecast;
use dettaglio_core::model::Engine;
use dettaglio_core::render::Pace;
use tokio_util::sync::CancellationToken;

use super::studio::{Studio, blocking};

/// How long nothing must have been looked at before a network is run only to be timed.
const QUIET: Duration = Duration::from_secs(5);

/// How often it is looked whether it is quiet.
const LOOK: Duration = Duration::from_millis(200);

/// Measures the speed of models that is not known yet, now and whenever another device computes, until `stop`.
///
/// Whoever looks at a picture goes first: before every run of a network it waits until nothing was looked at for a while.
pub async fn calibrate(studio: Arc<Studio>, stop: CancellationToken) {
    while !stop.is_cancelled() {
        measure_what_is_unknown(&studio, &stop).await;
        tokio::select! {
            () = stop.cancelled() => {}
            () = studio.other_rates() => {}
        }
    }
}

/// One model after the other; what was measured is kept at once, for the next start and for when another device has computed.
async fn measure_what_is_unknown(studio: &Arc<Studio>, stop: &CancellationToken) {
    let shelf = studio.renderer().shelf();
    for model in shelf.offered() {
        let id = model.card().id.clone();
        // A run may have measured it meanwhile.
        if stop.is_cancelled() || studio.rates().models.contains_key(&id) {
            continue;
        }
        let (timed, quiet) = (Arc::clone(model), Quiet { studio: Arc::clone(studio), stop: stop.clone() });
        let device = Engine::device_name();
        match blocking(move || forecast::rate_of(&timed, &quiet)).await {
            // Another device may have taken over meanwhile.
            Ok(Ok(Some(rate))) if device == Engine::device_name() => {
                studio.update_rates(|kept| {
                    kept.models.entry(id).or_insert(rate);
                });
                if let Err(error) = studio.keep_rates().await {
                    tracing::warn!(%error, "what was measured of this machine's speed could not be kept");
                }
            }
            Ok(Ok(_)) => {}
            Ok(Err(error)) => tracing::warn!(%error, "a model's speed could not be measured"),
            Err(problem) => tracing::warn!(detail = problem.detail, "a model's speed could not be measured"),
        }
        shelf.close_unused();
    }
}

/// Goes on while nobody looks at anything.
struct Quiet {
    studio: Arc<Studio>,
    stop: CancellationToken,
}

impl Pace for Quiet {
    fn before_block(&self) -> bool {
        while !self.stop.is_cancelled() && !self.studio.is_quiet(QUIET) {
            std::thread::sleep(LOOK);
        }
        !self.stop.is_cancelled()
    }
}
