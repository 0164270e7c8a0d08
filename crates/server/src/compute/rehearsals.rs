//! Rehearsals that go on: each on its own, turn by turn between the views, until all is done or it is given up.

use std::collections::HashMap;
use std::sync::{Arc, Mutex, MutexGuard};

use chrono::{DateTime, Utc};
use dettaglio_core::picture::{Original, Planes};
use dettaglio_core::rehearsal::{PutBack, Rehearsal, Score, Turn};
use dettaglio_core::render::Pace;
use dettaglio_domain::id::OriginalId;
use dettaglio_domain::rehearsal::{Candidate, Standing};
use serde::{Deserialize, Serialize};
use tokio_util::sync::CancellationToken;
use utoipa::ToSchema;

use super::studio::{Lane, Studio};
use crate::problem::Problem;

/// A rehearsal as it is shown and kept.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
pub struct Kept {
    /// When it began; tells one from the next.
    pub began_at: DateTime<Utc>,
    /// Whether the picture's own noise and compression were put back.
    pub is_put_back: bool,
    /// What was put back: noise at eight brightnesses, in 8-bit levels.
    pub noise: Option<[f32; 8]>,
    /// What was put back: compression of this quality.
    pub quality: Option<f32>,
    /// Where it stands.
    #[serde(flatten)]
    pub standing: Standing,
}

impl Kept {
    /// What was put back.
    pub fn put_back(&self) -> PutBack {
        PutBack { noise: self.noise.map(dettaglio_domain::clean::NoiseCurve), quality: self.quality }
    }
}

/// All that go on, by picture.
#[derive(Default)]
pub struct Rehearsals(Mutex<HashMap<OriginalId, UnderWay>>);

struct UnderWay {
    kept: Arc<Mutex<Kept>>,
    stop: CancellationToken,
}

/// A rehearsal that is about to begin.
pub struct Planned {
    /// Of which picture.
    pub picture: OriginalId,
    /// Parts and candidates.
    pub rehearsal: Rehearsal,
    /// What is put back.
    pub put_back: PutBack,
}

impl Rehearsals {
    /// Where the rehearsal of a picture stands, where one goes on.
    pub fn standing(&self, picture: OriginalId) -> Option<Kept> {
        lock(&self.0).get(&picture).map(|under_way| lock(&under_way.kept).clone())
    }

    /// Gives the rehearsal of a picture up, where one goes on.
    pub fn give_up(&self, picture: OriginalId) {
        if let Some(under_way) = lock(&self.0).remove(&picture) {
            under_way.stop.cancel();
        }
    }

    /// Lets a rehearsal begin; one of the same picture that goes on is given up. `ended` is told once all is done.
    pub fn begin<F: Future<Output = ()> + Send + 'static>(
        self: &Arc<Self>,
        studio: Arc<Studio>,
        planned: Planned,
        stop: CancellationToken,
        ended: impl FnOnce(Kept) -> F + Send + 'static,
    ) -> Kept {
        let Planned { picture, rehearsal, put_back } = planned;
        let first = Kept {
            began_at: Utc::now(),
            is_put_back: put_back != PutBack::default(),
            noise: put_back.noise.map(|curve| curve.0),
            quality: put_back.quality,
            standing: rehearsal.standing(),
        };
        let kept = Arc::new(Mutex::new(first.clone()));
        if let Some(before) = lock(&self.0).insert(picture, UnderWay { kept: Arc::clone(&kept), stop: stop.clone() }) {
            before.stop.cancel();
        }
        let all = Arc::clone(self);
        tokio::spawn(async move {
            let done = tokio::select! {
                () = stop.cancelled() => None,
                done = perform(&studio, rehearsal, &kept) => done,
            };
            if let Some(standing) = done {
                let last = Kept { standing, ..lock(&kept).clone() };
                *lock(&kept) = last.clone();
                ended(last).await;
            }
            // Kept by now: only what still is this one's place is given free.
            let mut under_way = lock(&all.0);
            if under_way.get(&picture).is_some_and(|now| Arc::ptr_eq(&now.kept, &kept)) {
                under_way.remove(&picture);
            }
        });
        first
    }
}

/// All turns of a rehearsal; nothing where it was given up.
async fn perform(studio: &Arc<Studio>, rehearsal: Rehearsal, kept: &Mutex<Kept>) -> Option<Standing> {
    let rehearsal = Arc::new(rehearsal);
    let mut score = Score::of(&rehearsal);
    for turn in rehearsal.turns() {
        if score.is_out(turn.candidate) {
            continue;
        }
        let rehearsal = Arc::clone(&rehearsal);
        // Each turn takes the lane anew: a view on screen waits for one turn at most.
        let taken = studio
            .view(Lane::Aside, move |studio, pace| rehearsal.take(turn, &studio.renderer().shelf(), pace))
            .await
            .ok()?;
        if taken.as_ref().is_err_and(|error| error.is_cancelled()) {
            return None;
        }
        score.enter(turn, taken);
        lock(kept).standing = score.standing().clone();
    }
    Some(score.close())
}

/// What a candidate makes of one part; the part as it is, where no candidate is named.
pub fn crop(
    studio: &Studio,
    original: &Original,
    kept: &Kept,
    part: usize,
    candidate: Option<Candidate>,
    pace: &dyn Pace,
) -> Result<Option<Planes>, Problem> {
    let Some(region) = kept.standing.parts.get(part) else { return Ok(None) };
    let Some(candidate) = candidate else { return Ok(Some(original.region(*region))) };
    let rehearsal = Rehearsal::new(original, &[*region], kept.standing.factor, kept.put_back(), vec![candidate])?;
    Ok(Some(rehearsal.perform(Turn { part: 0, candidate: 0 }, &studio.renderer().shelf(), pace)?))
}

fn lock<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(|e| e.into_inner())
}
