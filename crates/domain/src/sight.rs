//! What a picture shows, as far as it can be told.

use serde::{Deserialize, Serialize};

/// What models are made for, and what people print.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "kebab-case")]
pub enum Shown {
    /// Fur, hair or feathers of an animal.
    Fur,
    /// Leaves, grass, rock and sand.
    Foliage,
    /// Lettering, line work, emblems.
    Lettering,
    /// People whose faces are seen.
    People,
    /// The scan of a faded print.
    OldPrint,
    /// Stars over a dark ground.
    NightSky,
    /// Buildings, outside and in.
    Building,
    /// Dishes, fruit, vegetables.
    Food,
}

impl Shown {
    /// As it stands in a sentence: "it shows ...".
    pub const fn in_words(self) -> &'static str {
        match self {
            Shown::Fur => "fur or feathers",
            Shown::Foliage => "foliage or ground",
            Shown::Lettering => "lettering or line work",
            Shown::People => "people",
            Shown::OldPrint => "an old print",
            Shown::NightSky => "a night sky",
            Shown::Building => "buildings",
            Shown::Food => "food",
        }
    }
}

/// How sure the network must be for anything to be told.
pub const SURE: f32 = 0.6;

/// How sure it must be of a part for that to be told beside the whole.
const SURE_OF_A_PART: f32 = 0.9;

/// What a network told of a picture, or of a part of it.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Seen {
    /// What is likeliest; nothing where it cannot be told.
    pub shown: Option<Shown>,
    /// How likely that is, 0 to 1.
    pub sure: f32,
}

/// What a network told of a picture.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Sight {
    /// Of all of it and its quarters together.
    pub picture: Seen,
    /// Of its quarters: upper left, upper right, lower left, lower right.
    pub quarters: [Seen; 4],
    /// Of its middle, half as wide and half as high as it is.
    #[serde(default)]
    pub middle: Seen,
}

/// What the network tells apart, in the order of its answer; the last is anything else.
const KINDS: [Option<Shown>; 6] =
    [Some(Shown::Fur), Some(Shown::Foliage), Some(Shown::Building), Some(Shown::Food), Some(Shown::NightSky), None];

impl Seen {
    /// Of the network's probabilities.
    pub fn of(kinds: [f32; 6]) -> Self {
        let likeliest = kinds.into_iter().zip(KINDS).max_by(|a, b| a.0.total_cmp(&b.0));
        let (sure, shown) = likeliest.expect("there are six");
        Self { shown: shown.filter(|_| sure >= SURE), sure }
    }

    /// What a part shows; nothing unless that is sure.
    pub fn surely(self) -> Option<Shown> {
        self.shown.filter(|_| self.sure >= SURE_OF_A_PART)
    }
}

impl Sight {
    /// Of the network's probabilities for the whole, its quarters, and its middle: the whole counts as much as its quarters together.
    pub fn of(whole: [f32; 6], quarters: [[f32; 6]; 4], middle: [f32; 6]) -> Self {
        let mean = |kind: usize| quarters.iter().map(|q| q[kind]).sum::<f32>() / 4.0;
        let picture = std::array::from_fn(|kind| (whole[kind] + mean(kind)) / 2.0);
        Self { picture: Seen::of(picture), quarters: quarters.map(Seen::of), middle: Seen::of(middle) }
    }
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    const FUR: [f32; 6] = [0.9, 0.02, 0.02, 0.02, 0.02, 0.02];
    const GROUND: [f32; 6] = [0.1, 0.8, 0.0, 0.0, 0.0, 0.1];
    const ANYTHING: [f32; 6] = [0.0, 0.0, 0.1, 0.0, 0.0, 0.9];
    const UNSURE: [f32; 6] = [0.55, 0.45, 0.0, 0.0, 0.0, 0.0];

    #[rstest]
    #[case(FUR, Some(Shown::Fur))]
    #[case::nothing_of_these(ANYTHING, None)]
    #[case::silent_rather_than_wrong(UNSURE, None)]
    #[case::not_a_number([f32::NAN; 6], None)]
    fn what_is_likeliest_is_told_where_it_is_sure(#[case] kinds: [f32; 6], #[case] shown: Option<Shown>) {
        assert_eq!(Seen::of(kinds).shown, shown);
    }

    #[test]
    fn a_part_is_told_where_it_is_surer_than_a_whole_must_be() {
        assert_eq!([FUR, GROUND, ANYTHING].map(|kinds| Seen::of(kinds).surely()), [Some(Shown::Fur), None, None]);
    }

    #[test]
    fn the_whole_counts_as_much_as_its_quarters() {
        let sight = Sight::of(FUR, [FUR, FUR, GROUND, GROUND], ANYTHING);
        assert_eq!(sight.picture.shown, Some(Shown::Fur));
        assert_eq!(sight.quarters.map(|q| q.shown)[1..3], [Some(Shown::Fur), Some(Shown::Foliage)]);
        assert_eq!(Sight::of(FUR, [GROUND; 4], FUR).picture.shown, None, "they speak against each other");
    }
}
