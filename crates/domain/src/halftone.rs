//! The screen of a halftone: a picture that was printed in dots of ink, and scanned so finely that they show.

use serde::{Deserialize, Serialize};

/// A wave that runs through all of a picture: how many of it pass on a pixel to the right and on a pixel down, each -0.5 to 0.5.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Wave {
    /// Cycles on a pixel to the right.
    pub across: f32,
    /// Cycles on a pixel down.
    pub down: f32,
}

/// How the screen of a halftone is taken out, before everything else that repairs.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Halftone {
    /// The waves that its dots are made of, the strongest first, in pixels of the original.
    pub waves: Vec<Wave>,
    /// The share that is taken out, 0 to 1.
    pub strength: f32,
}

impl Wave {
    /// Cycles a pixel in its own direction.
    pub fn frequency(self) -> f32 {
        self.across.hypot(self.down)
    }

    /// Its direction in degrees from a row, 0 up to 90: a screen of dots looks alike turned by a right angle.
    pub fn degrees(self) -> f32 {
        // Down the page is up to the eye.
        let degrees = (-self.down).atan2(self.across).to_degrees().rem_euclid(90.0);
        // Nor is a row's own direction written as "-0" or "90".
        if (0.05..89.95).contains(&degrees) { degrees } else { 0.0 }
    }

    /// Whether it can be drawn by pixels and is no slope of tone.
    fn is_usable(self) -> bool {
        let within = |v: f32| v.is_finite() && (-0.5..=0.5).contains(&v);
        within(self.across) && within(self.down) && self.frequency() >= Halftone::COARSEST
    }
}

impl Halftone {
    /// Cycles a pixel below which a wave is the picture's own tone: dots of ten pixels are seen as dots.
    pub const COARSEST: f32 = 0.09;

    /// Waves at most: four inks with their overtones.
    pub const MOST_WAVES: usize = 64;

    /// All of a screen that was found.
    pub fn found(waves: Vec<Wave>) -> Self {
        Self { waves, strength: 1.0 }
    }

    /// Pixels from one dot to the next: the period of the strongest wave.
    pub fn period(&self) -> f32 {
        self.waves.first().map_or(f32::INFINITY, |wave| 1.0 / wave.frequency())
    }

    /// "dots of 4.3 px at 45°".
    pub fn dots(&self) -> String {
        let degrees = self.waves.first().map_or(0.0, |wave| wave.degrees());
        format!("dots of {:.1} px at {degrees:.0}°", self.period())
    }

    /// Whether there are waves, and every one of them can be one.
    pub fn has_usable_waves(&self) -> bool {
        (1..=Self::MOST_WAVES).contains(&self.waves.len()) && self.waves.iter().all(|wave| wave.is_usable())
    }
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    fn wave(across: f32, down: f32) -> Wave {
        Wave { across, down }
    }

    #[rstest]
    #[case(wave(0.25, 0.0), 4.0, 0.0)]
    #[case(wave(0.0, 0.25), 4.0, 0.0)]
    #[case::up_to_the_right(wave(0.1768, -0.1768), 4.0, 45.0)]
    #[case::its_other_half(wave(-0.1768, 0.1768), 4.0, 45.0)]
    #[case::fifteen_degrees(wave(0.2415, -0.0647), 4.0, 15.0)]
    #[case::square_to_it(wave(0.0647, 0.2415), 4.0, 15.0)]
    fn dots_are_told_by_period_and_angle(#[case] wave: Wave, #[case] period: f32, #[case] degrees: f32) {
        let halftone = Halftone::found(vec![wave]);
        assert!((halftone.period() - period).abs() < 0.01, "{}", halftone.period());
        assert!((wave.degrees() - degrees).abs() < 0.2, "{}", wave.degrees());
        assert_eq!(halftone.dots(), format!("dots of {period:.1} px at {degrees:.0}°"));
    }

    #[rstest]
    #[case::one(vec![wave(0.2, 0.1)], true)]
    #[case::none(vec![], false)]
    #[case::too_many(vec![wave(0.2, 0.1); 65], false)]
    #[case::finer_than_pixels(vec![wave(0.2, 0.1), wave(0.6, 0.0)], false)]
    #[case::tone(vec![wave(0.05, 0.05)], false)]
    #[case::no_number(vec![wave(f32::NAN, 0.3)], false)]
    fn waves_that_cannot_be_are_not_usable(#[case] waves: Vec<Wave>, #[case] usable: bool) {
        assert_eq!(Halftone::found(waves).has_usable_waves(), usable);
    }
}
