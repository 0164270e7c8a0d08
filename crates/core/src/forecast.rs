//! What a forecast rests on: the speed of models on this machine, and the size of a result's file from samples of it.

use std::time::Instant;

use dettaglio_domain::face::CANVAS;
use dettaglio_domain::file::OutputSettings;
use dettaglio_domain::forecast::Rates;
use dettaglio_domain::geometry::{Region, Size};
use dettaglio_domain::model::Kind;
use dettaglio_domain::treatment::Treatment;

use crate::codec::encoded_len;
use crate::model::{Model, ModelError, Shelf};
use crate::picture::{Original, Planes};
use crate::render::{Pace, RenderError, Renderer, Unhurried};

/// Runs of a network that are timed.
const RUNS: u32 = 3;

/// What a model is timed on.
const BLOCK: Size = Size::new(512, 256);

/// Times every offered model of the shelf that is not known yet on a small block: about a second each.
///
/// Answers what went wrong with those that could not be timed.
pub fn measure(rates: &mut Rates, shelf: &Shelf) -> Vec<ModelError> {
    let mut troubles = Vec::new();
    for model in shelf.offered() {
        if rates.models.contains_key(&model.card().id) {
            continue;
        }
        match rate_of(model, &Unhurried) {
            Ok(rate) => rates.models.extend(rate.map(|rate| (model.card().id.clone(), rate))),
            Err(error) => troubles.push(error),
        }
        shelf.close_unused();
    }
    troubles
}

/// Input pixels a second of a model: the best of a few runs, so that a busy moment does not count.
///
/// `pace` is asked before each run of its network; nothing when it gives the measurement up.
pub fn rate_of(model: &Model, pace: &dyn Pace) -> Result<Option<f64>, ModelError> {
    let block = if model.card().kind() == Kind::Face { CANVAS } else { BLOCK };
    let network = model.network()?;
    let input = Planes::from_values(block, (0..3 * block.area()).map(|i| (i % 251) as f32 / 251.0).collect());
    let level = network.level().map(|_| vec![0.05; block.area() as usize]);
    let mut best = f64::INFINITY;
    // The first run sets up what the others find ready.
    for run in 0..=RUNS {
        if !pace.before_block() {
            return Ok(None);
        }
        let began = Instant::now();
        network.run(&input, level.as_deref())?;
        if run > 0 {
            best = best.min(began.elapsed().as_secs_f64());
        }
    }
    Ok(Some(block.area() as f64 / best))
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
        let planes = renderer.render(original, treatment, patch.seen_as(), pace)?;
        encoded += encoded_len(&planes, settings).saturating_sub(blank);
        pixels += patch.size().area();
    }
    let channels = original.channels().count() as f64 / 3.0;
    Ok(blank + (encoded as f64 * size.area() as f64 / pixels as f64 * channels).round() as u64)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::model::Model;
    use crate::model::stand_in::{self, Repeat};
    use dettaglio_domain::forecast::{SpentOn, together};
    use dettaglio_domain::kernel::Kernel;
    use dettaglio_domain::model::Grade;
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
        let due = [
            (SpentOn::Model("everyday-x2-draft"), 0.25),
            (SpentOn::Model("everyday-x4-draft"), 4.0),
            (SpentOn::File, 1.0),
        ];
        assert_eq!(rates.spent(original, &treatment).unwrap(), due);
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
