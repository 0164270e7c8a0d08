//! Areas that are offered: where one half of a picture, or its middle, shows something else than the rest, and there are models for it.

use super::subject::subject_of;
use crate::geometry::{Place, Size};
use crate::mask::{Mask, Shape, Stroke};
use crate::model::Catalogue;
use crate::recipe::{Area, Choice, Steps};
use crate::sight::{Seen, Shown, Sight};

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

/// What may be treated apart in a picture of this size whose whole is enlarged by `steps`: halves, or the middle, that surely show something
/// that other models of the shelf are made for.
pub(super) fn offered(sight: Option<Sight>, size: Size, steps: &Steps, catalogue: &Catalogue) -> Vec<Area> {
    let (Some(sight), Choice::Learned { subject: whole, grade, strength }) = (sight, &steps.enlarge) else {
        return Vec::new();
    };
    let area = |shown: Shown, place: &str, shape: Shape| {
        let subject = subject_of(shown).filter(|subject| catalogue.commends(subject) && subject != whole)?;
        let enlarge = Choice::Learned { subject: subject.to_owned(), grade: *grade, strength: *strength };
        Some(Area {
            name: format!("{}, {place}", shown.in_words()),
            mask: Mask { shape, inverted: false },
            steps: Steps { enlarge, ..steps.clone() },
        })
    };
    let quarters = sight.quarters.map(Seen::surely);
    let both = |[a, b]: [usize; 2]| quarters[a].filter(|shown| quarters[b] == Some(*shown));
    let half = |Half { place, own, other, away }| {
        let shown = both(own)?;
        // The other half must show something else, not merely less of the same.
        let differs = other.into_iter().all(|quarter| quarters[quarter] != Some(shown));
        differs.then(|| area(shown, place, fading(size, away)))?
    };
    let halves: Vec<Area> = HALVES.into_iter().filter_map(half).collect();
    if !halves.is_empty() {
        return halves;
    }
    // Each quarter holds a quarter of the middle: where most show the same, so does the whole.
    let middle = sight.middle.surely().filter(|shown| quarters.iter().filter(|q| **q == Some(*shown)).count() <= 1);
    middle.and_then(|shown| area(shown, "in the middle", disc(size))).into_iter().collect()
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

/// The middle, half as wide and half as high as the picture, fading out: to be painted further by hand.
fn disc(size: Size) -> Shape {
    let (width, height) = (size.width as f32, size.height as f32);
    let radius = width.min(height) / 4.0 * (1.0 + FADES_OVER);
    let reach = ((width - height) / 4.0, (height - width) / 4.0);
    let at = |side: f32| {
        let (across, down) = (side * reach.0.max(0.0), side * reach.1.max(0.0));
        Place::new(width / 2.0 + across, height / 2.0 + down)
    };
    Shape::Painted { strokes: vec![Stroke { points: vec![at(-1.0), at(1.0)], radius, feather: 0.5, erases: false }] }
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
    #[case::ground_below([ANYTHING, ANYTHING, GROUND, GROUND], ANYTHING, &["foliage or ground, below"])]
    #[case::fur_before_ground([FUR, GROUND, FUR, GROUND], FUR, &["fur or feathers, left", "foliage or ground, right"])]
    #[case::all_of_it([FUR, FUR, FUR, FUR], FUR, &[])]
    #[case::one_quarter([FUR, ANYTHING, ANYTHING, ANYTHING], ANYTHING, &[])]
    #[case::not_surely([ANYTHING, ANYTHING, PERHAPS_GROUND, GROUND], ANYTHING, &[])]
    #[case::fur_amid_ground([GROUND; 4], FUR, &["fur or feathers, in the middle"])]
    #[case::fur_from_the_middle_to_a_corner([FUR, ANYTHING, ANYTHING, ANYTHING], FUR, &["fur or feathers, in the middle"])]
    #[case::perhaps_fur_amid_ground([GROUND; 4], PERHAPS_GROUND, &[])]
    fn parts_that_show_something_else_are_offered(
        #[case] quarters: [[f32; 6]; 4],
        #[case] middle: [f32; 6],
        #[case] names: &[&str],
    ) {
        let steps = Recipe::learned(EVERYDAY, Grade::Draft).steps;
        let size = Size::new(300, 200);
        let found = offered(Some(Sight::of(ANYTHING, quarters, middle)), size, &steps, &shelf());
        assert_eq!(found.iter().map(|area| area.name.as_str()).collect::<Vec<_>>(), names);
        for area in &found {
            area.mask.check().expect("it can be drawn");
            assert!(matches!(&area.steps.enlarge, Choice::Learned { subject, .. } if subject != EVERYDAY));
        }
    }

    #[test]
    fn nothing_is_offered_that_is_there_already_or_cannot_be_had() {
        let ground_below = Some(Sight::of(ANYTHING, [ANYTHING, ANYTHING, GROUND, GROUND], ANYTHING));
        let size = Size::new(300, 200);
        let steps = |subject: &str| Recipe::learned(subject, Grade::Draft).steps;
        assert!(offered(ground_below, size, &steps("foliage"), &shelf()).is_empty());
        let plain = Catalogue::of([stand_in::card(4, Grade::Draft)]);
        assert!(offered(ground_below, size, &steps(EVERYDAY), &plain).is_empty(), "no such model");
        assert!(offered(None, size, &steps(EVERYDAY), &shelf()).is_empty(), "nobody has looked");
    }
}
