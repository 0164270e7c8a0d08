//! The Repair step, before all others: the dots of a halftone are taken out, dust, hairs, scratches, creases and tears of a print are found
//! and filled, and faded tone is brought back.
//!
//! What is found is a function of the picture, of the finder and of a few settings, and is found anew wherever it is needed: nothing but the
//! settings and a person's own strokes is kept. Pixels that are not marked stay as they are, to the bit, unless dots are taken out or tone is
//! brought back.

use std::f64::consts::FRAC_PI_4;

use serde::{Deserialize, Serialize};

use crate::face::{Face, is_eye_or_mouth};
use crate::geometry::Place;
use crate::halftone::Halftone;
use crate::mask::Stroke;
use crate::model::{Card, Catalogue, ModelRef};
use crate::reading::Reading;

/// The settings of the Repair step; each part can be off.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(default)]
pub struct Repair {
    /// The dots of a print.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub halftone: Option<Halftone>,
    /// Dust, hairs, scratches, creases and tears.
    pub wear: Option<Wear>,
    /// Faded tone and a cast.
    pub fade: Option<Fade>,
}

/// What has happened to a print and what lay on the scanner's glass.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Wear {
    /// The model that finds it.
    pub finder: ModelRef,
    /// The model that fills it.
    pub filler: ModelRef,
    /// Whether dust and spots count.
    pub specks: bool,
    /// Whether hairs, fibres and scratches count.
    pub lines: bool,
    /// Whether creases, tears and flakes count.
    pub breaks: bool,
    /// How readily something counts as wear, 0 to 1: see [`Wear::threshold`].
    pub sensitivity: f32,
    /// What a person marked besides; an erasing stroke says that what was found there is the picture's own.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub strokes: Vec<Stroke>,
}

/// Curves that bring faded tone back, one for each of red, green and blue.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Fade {
    /// What has become of black, encoded, 0 to [`Fade::BLACKEST`].
    pub black: [f32; 3],
    /// What has become of white, encoded, [`Fade::WHITEST`] to 1.
    pub white: [f32; 3],
    /// The exponent between the two: below 1 lighter, 0.4 to 2.5.
    pub gamma: [f32; 3],
    /// The share of the correction, 0 to 1.
    pub strength: f32,
}

impl Repair {
    /// Whether it does nothing.
    pub fn is_off(&self) -> bool {
        self.halftone.is_none() && self.wear.is_none() && self.fade.is_none()
    }

    /// What is suggested: the dots of a halftone are taken out. A scan of an old print, of one faded tone, has its tone brought back, and its
    /// wear filled where the finder was measured to leave sound pictures alone. Nothing is done to anything else: a print whose colours have
    /// faded cannot be told from a warm picture of little contrast.
    pub fn suggested(reading: &Reading, catalogue: &Catalogue) -> Self {
        let halftone = reading.halftone();
        if !reading.content.faded_tone {
            return Self { halftone, ..Self::default() };
        }
        let trusted = catalogue.repairers().filter(|(finder, _)| finder.spares_sound_pictures());
        Self { halftone, wear: trusted.map(Wear::by), fade: Fade::suggested(reading) }
    }

    /// Why a suggested step is suggested, one sentence for each part of it.
    pub fn reasons(&self) -> Vec<String> {
        let halftone = self.halftone.as_ref().map(|halftone| {
            format!("it was printed in {}: enlarged, they would be seen instead of the picture", halftone.dots())
        });
        let wear = self.wear.as_ref().map(|_| {
            "it looks like a scan of an old print: dust, scratches and breaks that are found are filled".to_owned()
        });
        let fade = self.fade.map(|fade| {
            let percent = |values: [f32; 3]| values.into_iter().sum::<f32>() / 3.0 * 100.0;
            let (black, white) = (percent(fade.black), percent(fade.white));
            format!("its black has faded to {black:.0} % and its white lies at {white:.0} %: contrast is brought back")
        });
        [halftone, wear, fade].into_iter().flatten().collect()
    }

    /// In words for a record; nothing when it is off.
    pub fn describe(&self) -> Option<String> {
        let halftone = self.halftone.as_ref().map(|halftone| {
            format!("{} of a halftone taken out at {:.0} %", halftone.dots(), halftone.strength * 100.0)
        });
        let wear = self.wear.as_ref().map(|wear| {
            let named = wear.named_kinds();
            match (named.is_empty(), wear.strokes.is_empty()) {
                (true, true) => "no kind of wear filled".to_owned(),
                (true, false) => "what was marked filled".to_owned(),
                (false, no_marks) => {
                    let own = if no_marks { "" } else { ", and what was marked" };
                    format!("{} filled at sensitivity {:.1}{own}", named.join(", "), wear.sensitivity)
                }
            }
        });
        let fade = self.fade.map(|fade| format!("faded tone brought back at {:.0} %", fade.strength * 100.0));
        let parts: Vec<String> = [halftone, wear, fade].into_iter().flatten().collect();
        (!parts.is_empty()).then(|| format!("repaired: {}", parts.join("; ")))
    }
}

impl Wear {
    /// The sensitivity that is suggested: at it, what is found is right far more often than it is complete.
    pub const USUAL_SENSITIVITY: f32 = 0.5;

    /// The two models, in the order in which they run.
    pub fn models(&self) -> [&ModelRef; 2] {
        [&self.finder, &self.filler]
    }

    /// By the models of these cards, otherwise as is usual.
    pub fn by((finder, filler): (&Card, &Card)) -> Self {
        Self::usual(ModelRef::of(finder), ModelRef::of(filler))
    }

    /// All kinds, at the usual sensitivity.
    pub fn usual(finder: ModelRef, filler: ModelRef) -> Self {
        let sensitivity = Self::USUAL_SENSITIVITY;
        Self { finder, filler, specks: true, lines: true, breaks: true, sensitivity, strokes: Vec::new() }
    }

    /// How likely a pixel must be to belong to wear, 0 to 1, to be filled together with one that is sure to.
    pub const POSSIBLE: f32 = 0.25;

    /// How likely a pixel must be to belong to wear, 0 to 1, to be filled on its own account: 0.98 at sensitivity 0, 0.9 at the usual
    /// one, 0.5 at 1.
    pub fn sure(&self) -> f32 {
        1.0 - 0.02 * 25.0_f32.powf(self.sensitivity)
    }

    /// Whether what was marked by hand covers a part of a face's eyes or mouth: there, whatever is filled in is made up.
    pub fn covers_likeness(&self, face: &Face) -> bool {
        let Some(canvas) = face.to_canvas() else { return false };
        let around = |stroke: &Stroke, middle: &Place| {
            let (x, y, radius) = (f64::from(middle.x), f64::from(middle.y), f64::from(stroke.radius));
            let rim = (0..8).map(|i| f64::from(i) * FRAC_PI_4);
            let rim = rim.map(|angle| canvas.at(x + radius * angle.cos(), y + radius * angle.sin()));
            rim.chain([canvas.at(x, y)]).any(is_eye_or_mouth)
        };
        let marks = self.strokes.iter().filter(|stroke| !stroke.erases);
        marks.into_iter().any(|stroke| stroke.points.iter().any(|point| around(stroke, point)))
    }

    /// Which kinds count, in the order of the finder's planes.
    pub fn kinds(&self) -> [bool; 3] {
        [self.specks, self.lines, self.breaks]
    }

    /// The names of the kinds that count.
    pub fn named_kinds(&self) -> Vec<&'static str> {
        let all = self.kinds().into_iter().zip(["specks", "lines", "breaks"]);
        all.filter(|(counts, _)| *counts).map(|(_, name)| name).collect()
    }
}

impl Fade {
    /// The lightest that black may have become.
    pub const BLACKEST: f32 = 0.45;
    /// The darkest that white may have become.
    pub const WHITEST: f32 = 0.55;
    /// See [`Fade::gamma`].
    pub const LEAST_GAMMA: f32 = 0.4;
    /// See [`Fade::gamma`].
    pub const MOST_GAMMA: f32 = 2.5;
    /// How much of the range from black to white must be lost for anything to be suggested.
    const LEAST_LOST: f32 = 0.12;
    /// The range that must be left: less is a picture of fog, or of nothing.
    const LEAST_RANGE: f32 = 0.25;
    /// The share of what larger parts lack in black and white that is brought back: small ones are darker and lighter than they.
    const BACK: f32 = 0.85;
    /// The share of the correction that is suggested.
    pub const USUAL_STRENGTH: f32 = 0.8;
    /// How far a colour's middle is turned against the others' at most.
    const MOST_TURN: f32 = 1.3;
    /// Curves that change nothing: where nothing has faded.
    pub const NONE: Self = Self { black: [0.0; 3], white: [1.0; 3], gamma: [1.0; 3], strength: Self::USUAL_STRENGTH };
    /// Where black and white are brought, unless they lie further out already: a print has some tone left in both.
    const ENDS: (f32, f32) = (0.02, 0.98);

    /// Curves for a picture with this reading: a print of one tone keeps its tone and gets its contrast back; in colours each layer has
    /// faded by itself, and gets its own curve, so that black, middle and white are neutral again.
    ///
    /// Nothing where its tones are not known, or where black and white are where they belong.
    pub fn suggested(reading: &Reading) -> Option<Self> {
        let tones = reading.content.tones?;
        let (least, most) = (fold(tones.black, f32::min), fold(tones.white, f32::max));
        let lost = least + (1.0 - most);
        if lost < Self::LEAST_LOST || most - least < Self::LEAST_RANGE {
            return None;
        }
        let bounded = |black: [f32; 3], white: [f32; 3], gamma: [f32; 3]| Self {
            black: black.map(|v| (v * Self::BACK).clamp(0.0, Self::BLACKEST)),
            white: white.map(|v| (1.0 - (1.0 - v) * Self::BACK).clamp(Self::WHITEST, 1.0)),
            gamma,
            strength: Self::USUAL_STRENGTH,
        };
        if reading.content.faded_tone {
            return Some(bounded([least; 3], [most; 3], [1.0; 3]));
        }
        let share = |c: usize| {
            ((tones.middle[c] - tones.black[c]) / (tones.white[c] - tones.black[c]).max(0.05)).clamp(0.05, 0.95)
        };
        let mean = (0..3).map(|c| share(c).ln()).sum::<f32>() / 3.0;
        let gamma = std::array::from_fn(|c| (mean / share(c).ln()).clamp(1.0 / Self::MOST_TURN, Self::MOST_TURN));
        Some(bounded(tones.black, tones.white, gamma))
    }

    /// What becomes of a value of a channel (0 red, 1 green, 2 blue), both encoded, 0 to 1. Never falls as the value rises.
    pub fn at(&self, channel: usize, value: f32) -> f32 {
        let (black, white) = (self.black[channel], self.white[channel]);
        let share = ((value - black) / (white - black)).clamp(0.0, 1.0).powf(self.gamma[channel]);
        let (darkest, lightest) = (Self::ENDS.0.min(black), Self::ENDS.1.max(white));
        let back = darkest + (lightest - darkest) * share;
        value + (back - value) * self.strength
    }
}

fn fold(values: [f32; 3], of: fn(f32, f32) -> f32) -> f32 {
    values.into_iter().reduce(of).unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;
    use rstest::rstest;

    use super::*;
    use crate::halftone::Wave;
    use crate::hash::ContentHash;
    use crate::reading::Tones;

    fn model(name: &str) -> ModelRef {
        ModelRef { model: name.to_owned(), sha256: ContentHash::of(name.as_bytes()) }
    }

    fn wear() -> Wear {
        Wear::usual(model("finder"), model("filler"))
    }

    fn screen() -> Halftone {
        Halftone { waves: vec![Wave { across: 0.2, down: -0.2 }], strength: 0.9 }
    }

    fn fade() -> Fade {
        Fade { black: [0.2, 0.15, 0.1], white: [0.9, 0.85, 0.7], gamma: [1.0; 3], strength: 1.0 }
    }

    #[rstest]
    #[case::an_eye((200.0, 100.0), 8.0, true)]
    #[case::beside_an_eye_but_reaching_it((200.0, 60.0), 30.0, true)]
    #[case::the_mouth((150.0, 190.0), 6.0, true)]
    #[case::the_forehead((150.0, 30.0), 10.0, false)]
    #[case::far_off((600.0, 100.0), 40.0, false)]
    fn eyes_and_mouth_are_told_from_all_else(#[case] at: (f32, f32), #[case] radius: f32, #[case] covers: bool) {
        let face = Face::of_eyes(Place::new(100.0, 100.0), Place::new(200.0, 100.0));
        let stroke = |erases| Stroke { points: vec![Place::new(at.0, at.1)], radius, feather: 0.0, erases };
        let marked = |erases| Wear { strokes: vec![stroke(erases)], ..wear() };
        assert_eq!(marked(false).covers_likeness(&face), covers);
        assert!(!marked(true).covers_likeness(&face) && !wear().covers_likeness(&face));
    }

    #[test]
    fn it_is_read_as_it_was_written() {
        assert_eq!(serde_json::from_str::<Repair>("{}").unwrap(), Repair::default());
        let on = Repair { halftone: Some(screen()), wear: Some(wear()), fade: Some(fade()) };
        assert_eq!(serde_json::from_str::<Repair>(&serde_json::to_string(&on).unwrap()).unwrap(), on);
    }

    #[test]
    fn black_and_white_come_back_in_every_colour() {
        for channel in 0..3 {
            assert!((fade().at(channel, fade().black[channel]) - 0.02).abs() < 1e-6);
            assert!((fade().at(channel, fade().white[channel]) - 0.98).abs() < 1e-6);
        }
    }

    proptest! {
        #[test]
        fn a_curve_never_falls(black in 0.0_f32..0.45, white in 0.55_f32..1.0, gamma in 0.4_f32..2.5, strength in 0.0_f32..1.0) {
            let fade = Fade { black: [black; 3], white: [white; 3], gamma: [gamma; 3], strength };
            let values: Vec<f32> = (0..=255).map(|i| fade.at(0, i as f32 / 255.0)).collect();
            prop_assert!(values.windows(2).all(|pair| pair[1] >= pair[0]) && values.iter().all(|v| (0.0..=1.0).contains(v)));
        }

        #[test]
        fn at_strength_nothing_nothing_changes(value in 0.0_f32..1.0) {
            prop_assert_eq!(Fade { strength: 0.0, ..fade() }.at(1, value), value);
        }
    }

    #[test]
    fn a_more_sensitive_finder_asks_for_less_likelihood() {
        let at = |sensitivity| Wear { sensitivity, ..wear() }.sure();
        assert!(at(0.0) > at(0.5) && at(0.5) > at(1.0) && at(1.0) > Wear::POSSIBLE && at(0.0) < 1.0);
    }

    fn reading(tones: Option<Tones>, faded_tone: bool) -> Reading {
        let mut reading = crate::stand_in::reading(crate::geometry::Size::new(96, 64));
        (reading.content.tones, reading.content.faded_tone) = (tones, faded_tone);
        reading
    }

    #[test]
    fn a_print_of_one_tone_keeps_it() {
        let tones = Tones { black: [0.3, 0.25, 0.2], middle: [0.6, 0.5, 0.4], white: [0.85, 0.8, 0.7] };
        let fade = Fade::suggested(&reading(Some(tones), true)).unwrap();
        assert!(fade.black[0] == fade.black[2] && fade.white[0] == fade.white[2] && fade.gamma == [1.0; 3]);
        assert!((fade.black[0] - 0.17).abs() < 1e-6, "{fade:?}");
        assert!(fade.at(0, 0.6) > fade.at(2, 0.4), "still warm");
    }

    #[test]
    fn in_colours_a_grey_is_neutral_again() {
        let tones = Tones { black: [0.25, 0.15, 0.12], middle: [0.6, 0.45, 0.38], white: [0.95, 0.85, 0.72] };
        let fade = Fade { strength: 1.0, ..Fade::suggested(&reading(Some(tones), false)).unwrap() };
        let middle: [f32; 3] = std::array::from_fn(|c| fade.at(c, tones.middle[c]));
        let apart = fold(middle, f32::max) - fold(middle, f32::min);
        assert!(apart < 0.06, "{middle:?}: {apart} apart, {} before", 0.22);
    }

    #[rstest]
    #[case::of_one_tone(true)]
    #[case::a_warm_picture_of_little_contrast(false)]
    fn old_prints_are_repaired_by_suggestion(#[case] one_tone: bool) {
        use crate::stand_in;
        let tones = Tones { black: [0.25, 0.2, 0.15], middle: [0.5; 3], white: [0.9, 0.84, 0.7] };
        let reading = reading(Some(tones), one_tone);
        let sound = |least_gain| crate::model::CleaningScore {
            undamaged: true,
            after: 80.0,
            least_gain,
            ..stand_in::cleaning_score()
        };
        let finder = |after| stand_in::finder_card().with_cleaning(vec![sound(after)]);
        let catalogue = Catalogue::of(vec![finder(72.0), stand_in::filler_card()]);
        let hasty = Catalogue::of(vec![finder(45.0), stand_in::filler_card()]);
        assert!(Repair::suggested(&reading, &hasty).wear.is_none(), "what marks sound pictures is only offered");
        let repair = Repair::suggested(&reading, &catalogue);
        assert_eq!((repair.wear.is_some(), repair.fade.is_some()), (one_tone, one_tone));
        assert_eq!(repair.reasons().len(), if one_tone { 2 } else { 0 });
        let without = Repair::suggested(&reading, &Catalogue::default());
        assert!(without.wear.is_none() && without.fade.is_some() == one_tone, "without models tone alone");
    }

    #[rstest]
    #[case::sound(Some(Tones { black: [0.03; 3], middle: [0.5; 3], white: [0.95; 3] }))]
    #[case::fog(Some(Tones { black: [0.6; 3], middle: [0.7; 3], white: [0.75; 3] }))]
    #[case::not_measured(None)]
    fn nothing_is_suggested_for_what_has_not_faded(#[case] tones: Option<Tones>) {
        assert_eq!(Fade::suggested(&reading(tones, false)), None);
    }

    #[test]
    fn where_nothing_has_faded_nothing_changes() {
        let values = (0..=10).map(|i| i as f32 / 10.0);
        assert!(values.into_iter().all(|v| (Fade::NONE.at(1, v) - v).abs() < 1e-6));
    }

    #[test]
    fn dots_that_were_found_are_taken_out_by_suggestion() {
        let mut reading = reading(None, false);
        assert_eq!(Repair::suggested(&reading, &Catalogue::default()), Repair::default());
        reading.screen = Some(screen().waves);
        let repair = Repair::suggested(&reading, &Catalogue::default());
        assert_eq!(repair.halftone, Some(Halftone { strength: 1.0, ..screen() }));
        assert!(!repair.is_off() && repair.reasons()[0].starts_with("it was printed in dots of 3.5 px at 45°"));
        assert_eq!(repair.describe().unwrap(), "repaired: dots of 3.5 px at 45° of a halftone taken out at 100 %");
    }

    #[test]
    fn it_is_said_in_words() {
        assert_eq!(Repair::default().describe(), None);
        let repair = Repair {
            wear: Some(Wear { breaks: false, ..wear() }),
            fade: Some(Fade { strength: 0.8, ..fade() }),
            halftone: None,
        };
        let words = repair.describe().unwrap();
        assert_eq!(words, "repaired: specks, lines filled at sensitivity 0.5; faded tone brought back at 80 %");
    }
}
