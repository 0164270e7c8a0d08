//! How long a run will take, from what a machine was measured to do.

use std::collections::HashMap;

use serde::{Deserialize, Serialize};

use crate::geometry::Size;
use crate::trace::traced_at;
use crate::treatment::{Enlarge, Treatment};

/// Pixels a second at which a result is resampled and encoded, until a run has measured it.
const WRITING_RATE: f64 = 15e6;

/// Pixels a second of the Finish step's edges and grain, as measured once (docs/speed.md).
const EDGES_RATE: f64 = 10e6;

/// See [`EDGES_RATE`].
const GRAIN_RATE: f64 = 40e6;

/// Pixels a second at which a drawing is traced, of the picture that it is traced from ([`traced_at`]), until a run has measured it: most of it goes into
/// moving outlines until they explain the picture.
const TRACING_RATE: f64 = 0.12e6;

/// What this machine does in a second, per model.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Rates {
    /// Input pixels a second, by model id.
    pub models: HashMap<String, f64>,
    /// Result pixels a second of resampling and encoding.
    pub writing: Option<f64>,
    /// Pixels a second of tracing.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub tracing: Option<f64>,
    /// How many whole runs have corrected them.
    #[serde(default)]
    pub runs: u32,
}

/// What a part of a run's time goes into.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum SpentOn<'a> {
    /// All passes of a model, by its id.
    Model(&'a str),
    /// Tracing what was drawn.
    Shapes,
    /// Edges and grain.
    Finish,
    /// Resampling and encoding.
    File,
}

/// How far a run's own time corrects the rates once others have.
const LEARNING: f64 = 0.3;

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

impl Rates {
    /// Seconds for the whole result; nothing when a model's rate was never measured.
    ///
    /// `kept` is what the treatment's frame keeps of the original.
    pub fn seconds(&self, kept: Size, treatment: &Treatment) -> Option<f64> {
        Some(self.spent(kept, treatment)?.iter().map(|(_, seconds)| seconds).sum())
    }

    /// Where the seconds of [`seconds`](Self::seconds) go, in the order of the work.
    pub fn spent<'a>(&self, kept: Size, treatment: &'a Treatment) -> Option<Vec<(SpentOn<'a>, f64)>> {
        let mut spent: Vec<(SpentOn<'a>, f64)> = Vec::new();
        for (model, pixels) in treatment.model_inputs(kept) {
            let seconds = pixels as f64 / self.models.get(model)?;
            match spent.iter_mut().find(|(on, _)| *on == SpentOn::Model(model)) {
                Some((_, known)) => *known += seconds,
                None => spent.push((SpentOn::Model(model), seconds)),
            }
        }
        if let Enlarge::Traced { .. } = treatment.enlarge {
            spent.push((SpentOn::Shapes, traced_at(kept).area() as f64 / self.tracing.unwrap_or(TRACING_RATE)));
        }
        let pixels = treatment.sheet().area() as f64;
        let edges = treatment.finish.edges.map_or(0.0, |_| pixels / EDGES_RATE);
        let grain = treatment.finish.grain.map_or(0.0, |_| pixels / GRAIN_RATE);
        if edges + grain > 0.0 {
            spent.push((SpentOn::Finish, edges + grain));
        }
        spent.push((SpentOn::File, pixels / self.writing.unwrap_or(WRITING_RATE)));
        Some(spent)
    }

    /// Corrects the rates that a whole run used by the `seconds` that it took: the first run wholly, later ones by a part.
    ///
    /// A short test on a quiet machine does not know what memory, disk and the steps between the models cost.
    pub fn learn(&mut self, kept: Size, treatment: &Treatment, seconds: f64) {
        let Some(forecast) = self.seconds(kept, treatment).filter(|f| *f > 0.0 && seconds > 0.0) else { return };
        if let Enlarge::Traced { .. } = treatment.enlarge {
            return self.learn_tracing(kept, treatment, seconds);
        }
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

    /// Corrects the rate of tracing alone: how long it takes depends on the drawing, and says nothing of models.
    fn learn_tracing(&mut self, kept: Size, treatment: &Treatment, seconds: f64) {
        let Some(spent) = self.spent(kept, treatment) else { return };
        let of = |shapes: bool| {
            spent.iter().filter(|(on, _)| (*on == SpentOn::Shapes) == shapes).map(|(_, s)| s).sum::<f64>()
        };
        let (due, others) = (of(true), of(false));
        let weight = if self.tracing.is_none() { 1.0 } else { LEARNING };
        let slower = ((seconds - others) / due).clamp(0.1, 10.0).powf(weight);
        self.tracing = Some(self.tracing.unwrap_or(TRACING_RATE) / slower);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::kernel::Kernel;
    use crate::trace::Tracing;

    #[test]
    fn a_traced_run_corrects_the_rate_of_tracing_and_nothing_else() {
        let kept = Size::new(250, 250);
        let plain = Treatment::plain(Kernel::Lanczos3, Size::new(1000, 1000));
        let enlarge = Enlarge::Traced { passes: Vec::new(), tracing: Tracing::usual() };
        let traced = Treatment { enlarge, ..plain.clone() };
        let mut rates = Rates { writing: Some(1e6), ..Rates::default() };
        // A million pixels are traced.
        assert_eq!(rates.spent(kept, &traced).unwrap(), [(SpentOn::Shapes, 1e6 / TRACING_RATE), (SpentOn::File, 1.0)]);
        rates.learn(kept, &traced, 21.0);
        assert!((rates.seconds(kept, &traced).unwrap() - 21.0).abs() < 1e-9, "{rates:?}");
        assert_eq!((rates.seconds(kept, &plain), rates.runs), (Some(1.0), 0));
        rates.learn(kept, &traced, 11.0);
        let later = rates.seconds(kept, &traced).unwrap();
        assert!(later > 16.0 && later < 20.0, "one drawing is not all drawings: {later}");
    }
}
