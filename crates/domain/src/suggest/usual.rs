//! The settings with which a part of a step begins when it is switched on by hand: as suggested for the picture, or else as usual.

use serde::{Deserialize, Serialize};

use super::suggestion::{Suggestion, denoiser, is_by_night, most_gaining, of_marks};
use crate::clean::{Clean, Marks, Noise, Softness};
use crate::file::Facts;
use crate::finish::{Edges, PrintGrain};
use crate::halftone::Halftone;
use crate::model::{Catalogue, LevelKind, ModelRef};
use crate::reading::{BEYOND_HELP, Reading};
use crate::repair::{Fade, Repair, Wear};

/// Quality of compression that is assumed where no trace of any was found.
const UNKNOWN_QUALITY: f32 = 75.0;

/// Spread of softness that is assumed where there are too few edges to measure it, in pixels.
const UNKNOWN_SOFTNESS: f32 = 1.0;

/// Where each part begins. Nothing where no model on the shelf serves it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Usual {
    /// The dots of a halftone; nothing where the picture has none.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub halftone: Option<Halftone>,
    /// Dust, scratches and breaks.
    pub wear: Option<Wear>,
    /// Faded tone.
    pub fade: Fade,
    /// Compression marks.
    pub marks: Option<Marks>,
    /// Noise.
    pub noise: Option<Noise>,
    /// Softness.
    pub softness: Option<Softness>,
    /// Edges.
    pub edges: Edges,
    /// Edges of a portrait.
    pub portrait: Edges,
    /// Print grain.
    pub grain: PrintGrain,
}

impl Usual {
    /// For a picture with this reading, what is suggested for it, and the models at hand.
    pub fn of(reading: &Reading, suggestion: &Suggestion, facts: &Facts, catalogue: &Catalogue) -> Self {
        let Clean { marks, noise, softness } = suggestion.clean.clone();
        let edges = suggestion.finish.edges.unwrap_or_else(Edges::by_hand);
        let Repair { wear, fade, .. } = suggestion.repair.clone();
        Self {
            halftone: reading.halftone(),
            wear: wear.or_else(|| Self::wear(catalogue)),
            fade: fade.or_else(|| Fade::suggested(reading)).unwrap_or(Fade::NONE),
            marks: marks.or_else(|| Self::marks(reading, catalogue)),
            noise: noise.or_else(|| Self::noise(reading, facts, catalogue)),
            softness: softness.or_else(|| Self::softness(reading, catalogue)),
            edges,
            portrait: edges.for_portrait(),
            grain: suggestion.finish.grain.unwrap_or_else(|| Self::grain(reading)),
        }
    }

    /// Dust, scratches and breaks, where there are models for them.
    pub fn wear(catalogue: &Catalogue) -> Option<Wear> {
        catalogue.repairers().map(Wear::by)
    }

    /// Compression marks, at the worse of the file's own quality and that of an earlier compression.
    pub fn marks(reading: &Reading, catalogue: &Catalogue) -> Option<Marks> {
        let (card, _) = of_marks(catalogue)?;
        let model = ModelRef::of(card);
        Some(Marks { model, quality: reading.worst_quality().unwrap_or(UNKNOWN_QUALITY), strength: 1.0 })
    }

    /// Noise, at the level that was measured.
    pub fn noise(reading: &Reading, facts: &Facts, catalogue: &Catalogue) -> Option<Noise> {
        let (card, _) = denoiser(is_by_night(reading, facts), catalogue)?;
        Some(Noise::usual(ModelRef::of(card), reading.noise.level))
    }

    /// Softness, at the spread that was measured.
    pub fn softness(reading: &Reading, catalogue: &Catalogue) -> Option<Softness> {
        let model = ModelRef::of(most_gaining(catalogue.cleaners(LevelKind::Softness))?);
        let sigma = reading.softness.map_or(UNKNOWN_SOFTNESS, |softness| softness.sigma).min(BEYOND_HELP);
        Some(Softness { model, sigma, strength: 0.7 })
    }

    /// Print grain of the picture's own level.
    pub fn grain(reading: &Reading) -> PrintGrain {
        PrintGrain { amount: 0.2, level: reading.noise.level.at_most(PrintGrain::STRONGEST), size: 2.0 }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::Size;
    use crate::model::{Card, CleaningScore, Grade};
    use crate::reading::FormerJpeg;
    use crate::stand_in;
    use crate::suggest::PrintFacts;

    fn cleaner(id: &str, level: LevelKind, gain: f64) -> Card {
        let score: CleaningScore = serde_json::from_value(serde_json::json!({
            "damage": "worn", "photos": 10, "before": 30.0, "after": 30.0 + gain, "least_gain": 0.0, "before_ssim": 0.0,
            "after_ssim": 0.0,
        }))
        .unwrap();
        let card = Card { task: stand_in::cleaner(level), ..stand_in::card(2, Grade::Draft) };
        Card { id: id.to_owned(), ..card.with_cleaning(vec![score]) }
    }

    fn usual(reading: &Reading, catalogue: &Catalogue) -> Usual {
        let facts = stand_in::facts(Size::new(300, 200));
        let print = PrintFacts { factor: 2.0, ppi: None, distance_m: None };
        let suggestion = Suggestion::of(reading, None, &[], &facts, catalogue, print);
        Usual::of(reading, &suggestion, &facts, catalogue)
    }

    #[test]
    fn a_part_begins_with_the_cleaner_that_gained_most_and_what_was_measured() {
        let catalogue = Catalogue::of([
            cleaner("marks-a", LevelKind::Compression, 0.4),
            cleaner("marks-b", LevelKind::Compression, 1.1),
            cleaner("noise", LevelKind::Noise, 2.0),
        ]);
        let mut reading = stand_in::reading(Size::new(300, 200));
        reading.jpeg_quality = Some(95.0);
        reading.former_jpeg = Some(FormerJpeg { quality: 90.0, x: 3, y: 0 });
        let usual = usual(&reading, &catalogue);
        let marks = usual.marks.unwrap();
        assert_eq!((marks.model.model.as_str(), marks.quality), ("marks-b", 90.0), "the worse of both compressions");
        assert_eq!(usual.noise.unwrap().level, reading.noise.level);
        assert_eq!(usual.softness, None, "nothing on the shelf serves it");
        assert!(usual.portrait.leave_skin > 0.0 && usual.portrait.strength >= usual.edges.strength);
    }

    #[test]
    fn what_is_suggested_goes_first() {
        let catalogue = Catalogue::of([cleaner("marks", LevelKind::Compression, 0.4)]);
        let mut reading = stand_in::reading(Size::new(300, 200));
        reading.jpeg_quality = Some(40.0);
        let suggested = usual(&reading, &catalogue);
        assert_eq!(suggested.marks.map(|m| (m.quality, m.strength)), Some((40.0, 1.0)));
    }
}
