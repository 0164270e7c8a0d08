//! Areas that are offered: where one half of a picture shows something else than the other, and there are models for it.

use super::subject::subject_of;
use crate::geometry::{Place, Size};
use crate::mask::{Mask, Shape};
use crate::model::Catalogue;
use crate::recipe::{Area, Choice, Steps};
use crate::sight::{SURE_OF_A_QUARTER, Sight};

/// How far an offered area fades into the other half, as a share of the picture's side.
const FADES_OVER: f32 = 0.2;

/// A half of a picture.
struct Half {
    /// What it is called.
    place: &'static str,
    /// Its quarters, and those of the other half.
    own: [usize; 2],
    other: [usize; 2],
    /// Where it lies from the middle, across and down.
    away: (f32, f32),
}

const HALVES: [Half; 4] = [
    Half { place: "above", own: [0, 1], other: [2, 3], away: (0.0, -1.0) },
    Half { place: "below", own: [2, 3], other: [0, 1], away: (0.0, 1.0) },
    Half { place: "left", own: [0, 2], other: [1, 3], away: (-1.0, 0.0) },
    Half { place: "right", own: [1, 3], other: [0, 2], away: (1.0, 0.0) },
];

/// What may be treated apart in a picture of this size whose whole is enlarged by `steps`: halves that surely show something that other models of
/// the shelf are made for.
pub(super) fn offered(sight: Option<Sight>, size: Size, steps: &Steps, catalogue: &Catalogue) -> Vec<Area> {
    let (Some(sight), Choice::Learned { subject: whole, grade, strength }) = (sight, &steps.enlarge) else {
        return Vec::new();
    };
    let quarters = sight.quarters.map(|seen| seen.shown.filter(|_| seen.sure >= SURE_OF_A_QUARTER));
    let both = |[a, b]: [usize; 2]| quarters[a].filter(|shown| quarters[b] == Some(*shown));
    let half = |Half { place, own, other, away }| {
        let shown = both(own)?;
        let subject = subject_of(shown).filter(|subject| catalogue.commends(subject) && subject != whole)?;
        // The other half must show something else, not merely less of the same.
        let differs = other.into_iter().all(|quarter| quarters[quarter] != Some(shown));
        let enlarge = Choice::Learned { subject: subject.to_owned(), grade: *grade, strength: *strength };
        differs.then(|| Area {
            name: format!("{}, {place}", shown.in_words()),
            mask: Mask { shape: fading(size, away), inverted: false },
            steps: Steps { enlarge, ..steps.clone() },
        })
    };
    HALVES.into_iter().filter_map(half).collect()
}

/// All of one half, fading out around the middle.
fn fading(size: Size, (across, down): (f32, f32)) -> Shape {
    let (width, height) = (size.width as f32, size.height as f32);
    let at = |side: f32| {
        let reach = side * FADES_OVER / 2.0;
        Place::new(width / 2.0 + reach * across * width, height / 2.0 + reach * down * height)
    };
    Shape::Gradient { from: at(1.0), to: at(-1.0) }
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;
    use crate::model::{Card, EVERYDAY, Grade, Score};
    use crate::recipe::Recipe;
    use crate::stand_in;

    const FUR: [f32; 6] = [0.95, 0.0, 0.0, 0.0, 0.0, 0.05];
    const GROUND: [f32; 6] = [0.0, 0.95, 0.0, 0.0, 0.0, 0.05];
    const PERHAPS_GROUND: [f32; 6] = [0.1, 0.8, 0.0, 0.0, 0.0, 0.1];
    const ANYTHING: [f32; 6] = [0.0, 0.0, 0.0, 0.0, 0.0, 1.0];

    fn shelf() -> Catalogue {
        let of = |subject: &str| Card {
            subject: subject.to_owned(),
            ..stand_in::card(4, Grade::Draft).with_scores(vec![Score { screen: Some(1.0), ..stand_in::score() }])
        };
        Catalogue::of([of(EVERYDAY), of("fur"), of("foliage")])
    }

    #[rstest]
    #[case::ground_below([ANYTHING, ANYTHING, GROUND, GROUND], &["foliage or ground, below"])]
    #[case::fur_before_ground([FUR, GROUND, FUR, GROUND], &["fur or feathers, left", "foliage or ground, right"])]
    #[case::all_of_it([FUR, FUR, FUR, FUR], &[])]
    #[case::one_quarter([FUR, ANYTHING, ANYTHING, ANYTHING], &[])]
    #[case::not_surely([ANYTHING, ANYTHING, PERHAPS_GROUND, GROUND], &[])]
    fn halves_that_show_something_else_are_offered(#[case] quarters: [[f32; 6]; 4], #[case] names: &[&str]) {
        let steps = Recipe::learned(EVERYDAY, Grade::Draft).steps;
        let size = Size::new(300, 200);
        let found = offered(Some(Sight::of(ANYTHING, quarters)), size, &steps, &shelf());
        assert_eq!(found.iter().map(|area| area.name.as_str()).collect::<Vec<_>>(), names);
        for area in &found {
            area.mask.check().expect("it can be drawn");
            assert!(matches!(&area.steps.enlarge, Choice::Learned { subject, .. } if subject != EVERYDAY));
        }
    }

    #[test]
    fn nothing_is_offered_that_is_there_already_or_cannot_be_had() {
        let ground_below = Some(Sight::of(ANYTHING, [ANYTHING, ANYTHING, GROUND, GROUND]));
        let size = Size::new(300, 200);
        let steps = |subject: &str| Recipe::learned(subject, Grade::Draft).steps;
        assert!(offered(ground_below, size, &steps("foliage"), &shelf()).is_empty());
        let plain = Catalogue::of([stand_in::card(4, Grade::Draft)]);
        assert!(offered(ground_below, size, &steps(EVERYDAY), &plain).is_empty(), "no such model");
        assert!(offered(None, size, &steps(EVERYDAY), &shelf()).is_empty(), "nobody has looked");
    }
}
