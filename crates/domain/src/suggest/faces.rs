//! Whether faces are to be restored: by what is wrong with the picture, how large they are, and what the restorer gained on such faces.

use super::reason::{PrintFacts, Step};
use crate::face::{Face, Faces, LeftAlone};
use crate::file::Facts;
use crate::model::{Card, Catalogue, MOST_LOST};
use crate::reading::{MARKED_QUALITY, Reading, SOFT};

/// dB over the enlarging model alone, in eyes and mouth, that a restorer must have gained on faces like those of a picture for
/// restoring to be suggested: as much as it may lose in any part of a damaged face.
const CLEARLY_BETTER: f64 = MOST_LOST;

/// What is wrong with a picture that a restorer of faces could make up for.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) struct Damage {
    pub edges: Edges,
    pub noise_or_marks: bool,
}

/// How far a picture's edges are spread: restorers are tried on each of the three, and gain more with every step.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Edges {
    Sharp,
    SlightlySoft,
    Soft,
}

impl Edges {
    /// Half way between what restorers are tried on: pictures as sharp as their pixels, and edges spread by 0.7 px.
    const SLIGHTLY: f32 = 0.35;

    /// `sigma` in pixels of the picture, as a Gaussian's standard deviation.
    fn of(sigma: f32) -> Self {
        if sigma >= SOFT {
            Self::Soft
        } else if sigma >= Self::SLIGHTLY {
            Self::SlightlySoft
        } else {
            Self::Sharp
        }
    }
}

impl Damage {
    pub(super) fn of(reading: &Reading, facts: &Facts) -> Self {
        Self {
            // Where a picture shows too few edges to tell, it is taken for one as most are.
            edges: reading.softness.map_or(Edges::SlightlySoft, |s| Edges::of(s.sigma)),
            noise_or_marks: reading.is_noisy(facts.iso) || reading.worst_quality().is_some_and(|q| q < MARKED_QUALITY),
        }
    }

    fn is_any(self) -> bool {
        self.noise_or_marks || self.edges == Edges::Soft
    }
}

/// dB that a restorer gained on faces with so many pixels between the eyes, in pictures as sharp as this: between the two nearest sizes
/// that it was tried at, by their logarithms. What it gained on all damaged faces, where nothing nearer is known.
fn restoring_gain(restorer: &Card, eyes: f32, edges: Edges) -> f64 {
    let trials = restorer.cleaning().iter().filter(|score| !score.undamaged);
    let like_it =
        trials.filter_map(|s| s.face.filter(|f| Edges::of(f.blur) == edges).map(|f| (f.eyes, s.after - s.before)));
    let mut known: Vec<(f32, f64)> = like_it.collect();
    known.sort_by(|a, b| a.0.total_cmp(&b.0));
    let smaller = known.iter().rfind(|(size, _)| *size <= eyes);
    let larger = known.iter().find(|(size, _)| *size >= eyes);
    match (smaller, larger) {
        (Some((least, low)), Some((most, high))) if most > least => {
            let share = f64::from((eyes / least).ln() / (most / least).ln());
            low + (high - low) * share
        }
        (Some((_, gain)), _) | (_, Some((_, gain))) => *gain,
        (None, None) => restorer.mean_gain(),
    }
}

/// On where a face of a size that can be restored was found in a picture that is soft, noisy or compressed, the print is larger than
/// the picture, and what the restorer gained on such faces is worth it.
pub(super) fn faces(
    found: &[Face],
    damage: Damage,
    catalogue: &Catalogue,
    print: PrintFacts,
    because: &mut impl FnMut(Step, String),
) -> Option<Faces> {
    if found.is_empty() || print.factor <= 1.01 {
        return None;
    }
    let restorer = catalogue.restorer()?;
    let left = |why| found.iter().filter(|face| face.left_for_size() == Some(why)).count();
    let (small, large) = (left(LeftAlone::TooSmall), left(LeftAlone::LargeEnough));
    let some = found.len() - small - large;
    let faces = |count: usize| if count == 1 { "1 face".to_owned() } else { format!("{count} faces") };
    if small > 0 {
        because(Step::Faces, format!("{} too small to tell a likeness from: left to the general model", faces(small)));
    }
    if large > 0 {
        because(Step::Faces, format!("{} large enough in the original: nothing to restore", faces(large)));
    }
    let eyes = || found.iter().filter(|f| f.left_for_size().is_none()).map(Face::eyes);
    let gain = eyes().map(|eyes| restoring_gain(restorer, eyes, damage.edges)).fold(f64::NEG_INFINITY, f64::max);
    if some > 0 {
        let (least, most) = eyes().fold((f32::INFINITY, 0.0_f32), |(l, m), e| (l.min(e), m.max(e)));
        let range = if most - least < 2.0 { format!("{most:.0}") } else { format!("{least:.0} to {most:.0}") };
        because(Step::Faces, format!("{} with {range} px between the eyes", faces(some)));
        if !damage.is_any() {
            because(Step::Faces, "the picture is sharp and clean: faces are left to the enlarging model".to_owned());
        } else if gain < CLEARLY_BETTER {
            because(
                Step::Faces,
                format!(
                    "restoring gained {gain:+.1} dB in eyes and mouth where it was measured on such faces: off unless you see \
                     that it helps"
                ),
            );
        }
    }
    (some > 0 && damage.is_any() && gain >= CLEARLY_BETTER).then(|| Faces { strength: restorer.usual_strength() })
}

#[cfg(test)]
mod tests {

    use super::super::suggestion::tests::{LARGER, score};
    use super::*;
    use crate::geometry::Place;
    use crate::model::{CleaningScore, FaceTrial};
    use crate::stand_in;

    fn catalogue(gain: f64) -> Catalogue {
        let card = stand_in::restorer_card().with_cleaning(vec![score(false, gain)]);
        Catalogue::of(vec![card])
    }

    fn face(eyes: f32) -> Face {
        let at = |x: f32| Place::new(x, 50.0);
        Face::of_eyes(at(100.0), at(100.0 + eyes))
    }

    const PHONE: Damage = Damage { edges: Edges::SlightlySoft, noise_or_marks: true };
    const OUT_OF_FOCUS: Damage = Damage { edges: Edges::Soft, noise_or_marks: false };

    fn suggested(found: &[Face], catalogue: &Catalogue, print: PrintFacts) -> (Option<Faces>, String) {
        suggested_where(PHONE, found, catalogue, print)
    }

    fn suggested_where(
        damage: Damage,
        found: &[Face],
        catalogue: &Catalogue,
        print: PrintFacts,
    ) -> (Option<Faces>, String) {
        let mut texts = Vec::new();
        let step = faces(found, damage, catalogue, print, &mut |step, text| {
            assert_eq!(step, Step::Faces);
            texts.push(text);
        });
        (step, texts.join("; "))
    }

    #[test]
    fn faces_are_suggested_where_some_can_be_restored_and_it_is_said_of_the_others() {
        let (step, said) = suggested(&[face(40.0), face(12.0), face(180.0)], &catalogue(1.2), LARGER);
        assert!(step.is_some());
        assert!(said.contains("40 px") && said.contains("too small") && said.contains("large enough"), "{said}");
        let (step, said) = suggested(&[face(12.0)], &catalogue(1.2), LARGER);
        assert!(step.is_none() && said.contains("too small"), "{said}");
        assert_eq!(suggested(&[], &catalogue(1.2), LARGER), (None, String::new()));
        assert_eq!(suggested(&[face(40.0)], &catalogue(1.2), PrintFacts { factor: 1.0, ..LARGER }).0, None);
        assert_eq!(suggested(&[face(40.0)], &Catalogue::default(), LARGER).0, None, "nothing restores them");
    }

    #[test]
    fn faces_of_a_sharp_and_clean_picture_are_left_alone() {
        let sound = Damage { noise_or_marks: false, ..PHONE };
        let (step, said) = suggested_where(sound, &[face(40.0)], &catalogue(1.2), LARGER);
        assert!(step.is_none() && said.contains("sharp and clean"), "{said}");
    }

    #[test]
    fn what_a_restorer_does_where_nothing_is_wrong_is_no_part_of_its_gain() {
        let cleaning = vec![score(true, -0.2), score(true, -0.4), score(false, 0.8)];
        let gain = stand_in::restorer_card().with_cleaning(cleaning).mean_gain();
        assert!((gain - 0.8).abs() < 1e-9, "{gain}");
    }

    /// Measured at 24 and 48 px, in pictures that were soft, slightly soft and, once, sharp.
    fn measured_by_size() -> Card {
        let trial = |eyes, blur, gain| CleaningScore { face: Some(FaceTrial { eyes, blur }), ..score(false, gain) };
        let sound = CleaningScore { face: Some(FaceTrial { eyes: 64.0, blur: 0.0 }), ..score(true, -2.0) };
        let cleaning = vec![
            trial(48.0, 0.7, 0.1),
            trial(24.0, 0.7, 0.5),
            trial(24.0, 1.2, 1.1),
            trial(48.0, 1.4, 0.9),
            sound,
            trial(32.0, 0.0, 0.2),
        ];
        stand_in::restorer_card().with_cleaning(cleaning)
    }

    #[rstest::rstest]
    #[case::at_a_measured_size(24.0, 0.5, 0.5)]
    #[case::half_way_by_logarithm(33.94, 0.7, 0.3)]
    #[case::smaller_than_measured(20.0, 0.94, 0.5)]
    #[case::larger_than_measured(100.0, 0.36, 0.1)]
    #[case::soft(24.0, 0.96, 1.1)]
    #[case::soft_and_large(70.0, 2.0, 0.9)]
    #[case::sharp(24.0, 0.1, 0.2)]
    fn what_restoring_gains_is_known_by_size_and_softness(#[case] eyes: f32, #[case] sigma: f32, #[case] due: f64) {
        let gain = restoring_gain(&measured_by_size(), eyes, Edges::of(sigma));
        assert!((gain - due).abs() < 0.01, "{gain}");
    }

    #[test]
    fn faces_are_restored_where_it_helped_on_such_faces() {
        let catalogue = Catalogue::of(vec![measured_by_size()]);
        let on = |damage, eyes: &[f32]| {
            let found: Vec<Face> = eyes.iter().map(|eyes| face(*eyes)).collect();
            suggested_where(damage, &found, &catalogue, LARGER)
        };
        assert!(on(PHONE, &[26.0]).0.is_some());
        assert!(on(OUT_OF_FOCUS, &[60.0]).0.is_some());
        let (step, said) = on(PHONE, &[60.0]);
        assert!(step.is_none() && said.contains("+0.1 dB"), "{said}");
        assert!(on(PHONE, &[60.0, 26.0]).0.is_some(), "one of them is worth it");
        assert!(on(Damage { edges: Edges::Sharp, ..PHONE }, &[26.0]).0.is_none(), "noisy, but nothing is soft");
    }

    #[rstest::rstest]
    #[case::as_measured(Some(0.8), 0.8)]
    #[case::half_where_it_was_not(None, 0.5)]
    fn as_much_is_suggested_as_the_card_says(#[case] strength: Option<f32>, #[case] due: f32) {
        let card = measured_by_size().with_strength(strength);
        let catalogue = Catalogue::of(vec![card]);
        assert_eq!(suggested(&[face(26.0)], &catalogue, LARGER).0, Some(Faces { strength: due }));
    }

    #[test]
    fn a_restorer_that_hardly_helps_is_not_suggested() {
        let (step, said) = suggested(&[face(40.0)], &catalogue(0.2), LARGER);
        assert!(step.is_none() && said.contains("+0.2 dB"), "{said}");
    }
}
