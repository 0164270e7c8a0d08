//! How long a run will take and how large its file will be, from what was measured here.

use std::collections::HashMap;
use std::time::Instant;

use serde::{Deserialize, Serialize};

use crate::codec::{OutputSettings, encoded_len};
use crate::face::canvas::CANVAS;
use crate::model::{Kind, ModelError, Network, Shelf};
use crate::picture::{Original, Planes, Region, Size};
use crate::render::{Pace, RenderError, Renderer};
use crate::treatment::Treatment;

/// Pixels a second at which a result is resampled and encoded, until a run has measured it.
const WRITING_RATE: f64 = 15e6;

/// Pixels a second of the Finish step's edges and grain, as measured once (docs/speed.md).
const EDGES_RATE: f64 = 10e6;

/// See [`EDGES_RATE`].
const GRAIN_RATE: f64 = 40e6;

/// What a model is timed on.
const BLOCK: Size = Size::new(512, 256);

/// What this machine does in a second, per model.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Rates {
    /// Input pixels a second, by model id.
    pub models: HashMap<String, f64>,
    /// Result pixels a second of resampling and encoding.
    pub writing: Option<f64>,
    /// How many whole runs have corrected them.
    #[serde(default)]
    pub runs: u32,
}

/// How far a run's own time corrects the rates once others have.
const LEARNING: f64 = 0.3;

impl Rates {
    /// Times every offered model of the shelf that is not known yet on a small block: about a second each.
    ///
    /// Answers what went wrong with those that could not be timed.
    pub fn measure(&mut self, shelf: &Shelf) -> Vec<ModelError> {
        let mut troubles = Vec::new();
        for model in shelf.offered() {
            let id = &model.card().id;
            if self.models.contains_key(id) {
                continue;
            }
            let block = if model.card().kind == Kind::Face { CANVAS } else { BLOCK };
            match model.network().and_then(|network| measure(&*network, block)) {
                Ok(rate) => self.models.extend([(id.clone(), rate)]),
                Err(error) => troubles.push(error),
            }
        }
        troubles
    }

    /// Seconds for the whole result; nothing when a model's rate was never measured.
    ///
    /// `kept` is what the treatment's frame keeps of the original.
    pub fn seconds(&self, kept: Size, treatment: &Treatment) -> Option<f64> {
        let inputs = treatment.model_inputs(kept);
        let learned: Option<f64> =
            inputs.iter().map(|(model, pixels)| Some(*pixels as f64 / self.models.get(*model)?)).sum();
        let pixels = treatment.sheet().area() as f64;
        let edges = treatment.finish.edges.map_or(0.0, |_| pixels / EDGES_RATE);
        let grain = treatment.finish.grain.map_or(0.0, |_| pixels / GRAIN_RATE);
        Some(learned? + edges + grain + pixels / self.writing.unwrap_or(WRITING_RATE))
    }

    /// Corrects the rates that a whole run used by the `seconds` that it took: the first run wholly, later ones by a part.
    ///
    /// A short test on a quiet machine does not know what memory, disk and the steps between the models cost.
    pub fn learn(&mut self, kept: Size, treatment: &Treatment, seconds: f64) {
        let Some(forecast) = self.seconds(kept, treatment).filter(|f| *f > 0.0 && seconds > 0.0) else { return };
        let weight = if self.runs == 0 { 1.0 } else { LEARNING };
        let slower = (seconds / forecast).clamp(0.1, 10.0).powf(weight);
        for (model, _) in treatment.model_inputs(kept) {
            if let Some(rate) = self.models.get_mut(model) {
                *rate /= slower;
            }
        }
        self.writing = Some(self.writing.unwrap_or(WRITING_RATE) / slower);
        self.runs += 1;
    }
}

/// Seconds until several workers have done what they have in hand and what waits, each taking the next when it is free.
///
/// `running` and `waiting` are seconds, `waiting` in the order of its turn.
pub fn together(running: &[f64], waiting: &[f64], workers: usize) -> f64 {
    let mut free: Vec<f64> = running.to_vec();
    free.resize(running.len().max(workers).max(1), 0.0);
    for seconds in waiting {
        let first = free.iter_mut().min_by(|a, b| a.total_cmp(b)).expect("at least one");
        *first += seconds;
    }
    free.into_iter().fold(0.0, f64::max)
}

/// Input pixels a second of a network: the best of a few runs, so that a busy moment does not count.
fn measure(network: &dyn Network, block: Size) -> Result<f64, ModelError> {
    let input = Planes::from_values(block, (0..3 * block.area()).map(|i| (i % 251) as f32 / 251.0).collect());
    let level = network.level().map(|_| vec![0.05; block.area() as usize]);
    network.run(&input, level.as_deref())?;
    let mut best = f64::INFINITY;
    for _ in 0..3 {
        let began = Instant::now();
        network.run(&input, level.as_deref())?;
        best = best.min(began.elapsed().as_secs_f64());
    }
    Ok(block.area() as f64 / best)
}

/// Bytes of the result's file, from patches of the result itself encoded with the same settings.
///
/// Six patches are spread over the picture; with models, that costs as much as rendering them.
pub fn bytes(
    renderer: &Renderer,
    original: &Original,
    treatment: &Treatment,
    settings: OutputSettings,
    pace: &dyn Pace,
) -> Result<u64, RenderError> {
    const PATCH: u32 = 256;
    let size = treatment.sheet();
    let patches: Vec<Region> = if size.area() <= 6 * u64::from(PATCH * PATCH) {
        vec![size.whole()]
    } else {
        let place = |share: f64, side: u32| (share * f64::from(side.saturating_sub(PATCH))).round() as u32;
        [(0.1, 0.2), (0.5, 0.1), (0.9, 0.25), (0.15, 0.8), (0.55, 0.6), (0.85, 0.9)]
            .into_iter()
            .filter_map(|(x, y)| Region::new(place(x, size.width), place(y, size.height), PATCH, PATCH).within(size))
            .collect()
    };
    let blank = encoded_len(&Planes::black(Size::new(8, 8)), settings);
    let (mut pixels, mut encoded) = (0, 0);
    for patch in patches {
        let planes = renderer.render(original, treatment, patch, pace)?;
        encoded += encoded_len(&planes, settings).saturating_sub(blank);
        pixels += patch.size().area();
    }
    let channels = original.channels().count() as f64 / 3.0;
    Ok(blank + (encoded as f64 * size.area() as f64 / pixels as f64 * channels).round() as u64)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::enlarge::Kernel;
    use crate::model::stand_in::{self, Repeat};
    use crate::model::{Grade, Model};
    use std::sync::Arc;

    #[test]
    fn time_adds_up_over_the_passes() {
        let make = |factor| Model::with_network(stand_in::card(factor, Grade::Draft), Arc::new(Repeat { factor }));
        let shelf = Shelf::of(vec![make(2), make(4)]);
        let original = Size::new(1000, 1000);
        let treatment = Treatment::learned(&shelf, "everyday", Grade::Draft, original, Size::new(8000, 8000));
        let mut rates = Rates { writing: Some(64e6), ..Rates::default() };
        assert_eq!(rates.seconds(original, &treatment), None);
        rates.models.insert("everyday-x4-draft".to_owned(), 1e6);
        rates.models.insert("everyday-x2-draft".to_owned(), 4e6);
        assert_eq!(rates.seconds(original, &treatment), Some(0.25 + 4.0 + 1.0), "x2, then x4 on four times as much");
    }

    #[test]
    fn several_workers_share_what_waits() {
        assert_eq!(together(&[], &[], 0), 0.0);
        assert_eq!(together(&[5.0], &[10.0, 20.0], 1), 35.0);
        assert_eq!(together(&[5.0], &[10.0, 20.0, 1.0], 2), 25.0, "10 on the free one, 20 after the 5, 1 after the 10");
        assert_eq!(together(&[], &[3.0; 8], 4), 6.0);
    }

    #[test]
    fn runs_correct_the_forecast() {
        let model = |factor| Model::with_network(stand_in::card(factor, Grade::Draft), Arc::new(Repeat { factor }));
        let shelf = Shelf::of(vec![model(2), model(4)]);
        let original = Size::new(1000, 1000);
        let treatment = Treatment::learned(&shelf, "everyday", Grade::Draft, original, Size::new(4000, 4000));
        let mut rates = Rates::default();
        rates.learn(original, &treatment, 20.0);
        assert_eq!(rates, Rates::default(), "without any measured rate there is nothing to correct");
        rates.models.extend([("everyday-x4-draft".to_owned(), 1e6), ("everyday-x2-draft".to_owned(), 4e6)]);
        rates.learn(original, &treatment, 20.0);
        let forecast = rates.seconds(original, &treatment).unwrap();
        assert!((forecast - 20.0).abs() < 0.1, "{forecast}");
        assert_eq!(rates.models["everyday-x2-draft"], 4e6, "one that was not used is left alone");
        rates.learn(original, &treatment, 40.0);
        let forecast = rates.seconds(original, &treatment).unwrap();
        assert!((22.0..30.0).contains(&forecast), "one slow run counts in part: {forecast}");
    }

    #[test]
    fn plain_resampling_needs_no_measured_model() {
        let size = Size::new(4000, 4000);
        let seconds = Rates::default().seconds(Size::new(1000, 1000), &Treatment::plain(Kernel::Bicubic, size));
        assert!(seconds.is_some_and(|s| s > 0.0 && s < 10.0));
    }
}
