//! What is likely to be looked at next is computed before anybody asks for it: the view with which a picture opens.
//!
//! The first picture of the newest order when the program starts, and the next picture of an order once one of it was opened. Whoever looks at
//! something goes first, between any two blocks of tiles; another picture that is opened takes the place of what was under way.

use std::sync::Arc;
use std::time::{Duration, Instant};

use dettaglio_core::codec;
use dettaglio_core::render::{Pace, view_size};
use dettaglio_core::spots;
use dettaglio_domain::affine::space::View;
use dettaglio_domain::geometry::{Place, Region, Size};
use dettaglio_domain::id::{OrderId, OriginalId};
use dettaglio_store::files::FileStore;
use dettaglio_store::orders::OriginalRow;
use tokio::sync::oneshot;
use tokio::time::timeout;

use super::state::App;
use super::{intents, plans};
use crate::compute::studio::{Lane, Studio, blocking};
use crate::problem::Problem;

/// Pixels of the stage in a window of 1280 x 800, which is what is computed of a picture.
const STAGE: Size = Size { width: 1280, height: 600 };

/// How long nothing must have been looked at before the next picture is thought of.
const QUIET: Duration = Duration::from_secs(1);

/// How long nobody must have been there before what takes long is computed, between whose blocks a page would have to wait.
const LONG_QUIET: Duration = Duration::from_secs(4);

/// How long a start waits for the first picture.
const FIRST_PATIENCE: Duration = Duration::from_secs(4);

/// Where a picture opens: at the first spot that was pinned; else at the eyes of a face that is known, and else where it is liveliest. No face is
/// looked for.
pub async fn opening_of(app: &App, row: &OriginalRow) -> Result<Place, Problem> {
    if let Some(spot) = app.store.spots(row.id).await?.unwrap_or_default().first() {
        return Ok(Place::new(spot.x, spot.y));
    }
    let small = app.files.get(&FileStore::thumbnail_key(row.hash)).await?;
    let (size, faces) = (row.facts.size, row.faces.clone().unwrap_or_default());
    Ok(blocking(move || codec::read_thumbnail(&small).map(|small| spots::opening(size, &faces, &small))).await??)
}

/// Begins with the picture that the bench opens when nobody says which. What is answered ends once there is something of it to be shown, be it by
/// draft models, or after a few seconds; the rest follows, whether that is waited for or not.
pub fn first(app: &App) -> impl Future<Output = ()> + use<> {
    let (begun, shown) = oneshot::channel();
    let app = app.clone();
    tokio::spawn(async move {
        if !app.ahead.is_on() {
            return;
        }
        let work = async {
            let Some(order) = app.store.orders().await?.into_iter().next() else { return Ok(()) };
            match app.store.originals(order.id).await?.into_iter().next() {
                Some(row) => view_of(&app, row, Some(begun)).await,
                None => Ok(()),
            }
        };
        tell(work.await);
    });
    async {
        // Without a picture there is nothing to wait for: the other end is gone.
        let _ = timeout(FIRST_PATIENCE, shown).await;
    }
}

/// Goes on with the picture after one that was opened, once nobody looks at anything.
pub fn after(app: &App, opened: &OriginalRow) {
    if !app.ahead.is_on() {
        return;
    }
    let (at, order, opened) = (app.clone(), opened.order_id, opened.id);
    app.ahead.follow(opened, async move { tell(next_view(&at, order, opened).await) });
}

/// Whoever opens the picture is told what keeps it from being computed.
fn tell(outcome: Result<(), Problem>) {
    if let Err(problem) = outcome {
        tracing::info!(detail = problem.detail, "nothing was computed ahead");
    }
}

/// Computes the view of the picture after one of an order; after the last comes the first.
async fn next_view(app: &App, order: OrderId, opened: OriginalId) -> Result<(), Problem> {
    app.studio.quiet(QUIET).await;
    let pictures = app.store.originals(order).await?;
    let next = pictures.iter().position(|row| row.id == opened).map(|i| (i + 1) % pictures.len());
    match next.and_then(|i| pictures.into_iter().nth(i)).filter(|row| row.id != opened) {
        Some(next) => view_of(app, next, None).await,
        None => Ok(()),
    }
}

/// Computes the view with which a picture opens: by draft models first, where that is what is shown first. `begun` is told once something can be
/// shown.
async fn view_of(app: &App, row: OriginalRow, mut begun: Option<oneshot::Sender<()>>) -> Result<(), Problem> {
    let intent = intents::of(app, &row).await?;
    let opening = opening_of(app, &row).await?;
    let original = app.studio.original(row.hash).await?;
    let plan = plans::plan(app, row, &intent).await?;
    let (x, y) = plan.place.at(opening.x.into(), opening.y.into());
    let middle = (x * plan.resolved.factor, y * plan.resolved.factor);
    for (i, hash) in plan.draft.into_iter().chain([plan.treatment]).enumerate() {
        if i > 0 {
            app.studio.quiet(LONG_QUIET).await;
        }
        let treatment = app.studio.treatment(hash).await?;
        let part = stage_around(middle, view_size(treatment.sheet(), 0));
        let original = Arc::clone(&original);
        let work = move |studio: &Studio, pace: &dyn Pace| {
            studio.renderer().clean_ahead(&original, &treatment, 0, part, pace)?;
            studio.renderer().view(&original, &treatment, 0, part, pace).map(drop)
        };
        let began = Instant::now();
        app.studio.view(Lane::Ahead, work).await??;
        app.ahead.note(hash);
        if let Some(begun) = begun.take() {
            // Nobody may wait for it any more.
            let _ = begun.send(());
        }
        tracing::debug!(treatment = %hash, part = ?part, seconds = began.elapsed().as_secs_f64(), "computed ahead");
    }
    Ok(())
}

/// The part of a view that the stage shows around a place, moved so that the stage is filled as far as the view can.
fn stage_around(middle: (f64, f64), view: Size) -> Region<View> {
    let side = |middle: f64, shown: u32, whole: u32| {
        let shown = shown.min(whole);
        let from = (middle - f64::from(shown) / 2.0).clamp(0.0, f64::from(whole - shown));
        (from as u32, shown)
    };
    let ((x, width), (y, height)) =
        (side(middle.0, STAGE.width, view.width), side(middle.1, STAGE.height, view.height));
    Region::of(x, y, width, height)
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    #[rstest]
    #[case::in_the_midst((2000.0, 1500.0), Region::of(1360, 1200, 1280, 600))]
    #[case::at_the_corner((3990.0, 10.0), Region::of(2720, 0, 1280, 600))]
    #[case::beyond((-50.0, 9000.0), Region::of(0, 2400, 1280, 600))]
    fn the_stage_is_filled_as_far_as_the_view_can(#[case] middle: (f64, f64), #[case] due: Region<View>) {
        assert_eq!(stage_around(middle, Size::new(4000, 3000)), due);
    }

    #[test]
    fn a_view_smaller_than_the_stage_is_seen_whole() {
        assert_eq!(stage_around((20.0, 20.0), Size::new(900, 200)), Region::of(0, 0, 900, 200));
    }
}
