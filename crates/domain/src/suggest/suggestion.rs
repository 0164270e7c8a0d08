//! The suggested treatment: models and strengths for every step, each with its reason, from this picture's reading,
//! from what was tried on its own parts ([`Trial`]), and from this print alone.

use serde::{Deserialize, Serialize};

use super::areas;
use super::doubt::doubts;
use super::faces::{self, Damage};
use super::reason::{PrintFacts, Reason, Step};
use super::subject::{LETTERING, PRINTS, subject_of};
use super::trial::{MOST_OF_A_PATTERN, Trial, factor_for};
use crate::clean::{Clean, Marks, Noise};
use crate::face::{Face, Faces};
use crate::file::Facts;
use crate::finish::{Edges, Finish, PrintGrain};
use crate::frame::Frame;
use crate::kernel::Kernel;
use crate::model::{Card, Catalogue, CleaningScore, EVERYDAY, Grade, LevelKind, ModelRef};
use crate::reading::{BEYOND_HELP, CLEARLY_NOISY, MARKED_QUALITY, NOISY, Reading, SHARPENED, SOFT, SoftnessReading};
use crate::recipe::{Area, Choice, Recipe, Steps, Surround};
use crate::repair::Repair;
use crate::size::eye_ppi;

/// What is suggested for one picture and print.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Suggestion {
    /// Repair.
    #[serde(default, skip_serializing_if = "Repair::is_off")]
    pub repair: Repair,
    /// Clean.
    pub clean: Clean,
    /// The subject whose models enlarge it.
    pub subject: String,
    /// Fast or thorough.
    pub grade: Grade,
    /// The learned share.
    pub strength: f32,
    /// Faces; nothing where none is to be restored.
    #[serde(default)]
    pub faces: Option<Faces>,
    /// Finish.
    pub finish: Finish,
    /// Whether a model would gain anything that the eye could see on this print.
    pub gains: bool,
    /// Why.
    pub reasons: Vec<Reason>,
    /// What it is unsure of, each in half a sentence; nothing where it stands firm.
    #[serde(default)]
    pub doubts: Vec<String>,
    /// Parts that may be treated apart, with the models of what they show; offered, not done.
    #[serde(default)]
    pub areas: Vec<Area>,
}

/// The share of lettering from which on its own model is suggested.
const MUCH_LETTERING: f32 = 0.2;

/// ISO from which on a dark picture is a night picture.
const NIGHT_ISO: u32 = 6400;

/// Mean luminance below which a picture is dark.
const DARK: f32 = 0.3;

/// dB over the draft, by the cards, that a fine model must gain for the wait to be suggested.
const WORTH_WAITING_FOR: f64 = 0.15;

/// dB that taking out faint compression marks must gain on the picture itself.
const WORTH_CLEANING: f64 = 0.05;

/// dB under the draft that a fine cleaner may be on any kind of damage, to be suggested all the same.
const MAY_LOSE: f64 = 0.1;

/// Strength of edges that is suggested for a picture on which nothing could be tried.
const UNTRIED_EDGES: f32 = 0.1;

/// Resolution at which an edge width of one pixel is right: the width is ppi / 200 px.
const PPI_OF_ONE_PIXEL: f64 = 200.0;

impl Suggestion {
    /// The subject whose models suit a picture: what was tried decides, where something was.
    pub fn subject<'t>(reading: &Reading, trial: Option<&'t Trial>, catalogue: &Catalogue) -> &'t str {
        if let Some(trial) = trial {
            return &trial.chosen.subject;
        }
        let lettering = reading.content.lettering > MUCH_LETTERING && catalogue.commends(LETTERING);
        if lettering { LETTERING } else { EVERYDAY }
    }

    /// Looks at a reading, at what was tried on the picture (nothing where it is too small for that), the faces that were found, and a
    /// print.
    pub fn of(
        reading: &Reading,
        trial: Option<&Trial>,
        found: &[Face],
        facts: &Facts,
        catalogue: &Catalogue,
        print: PrintFacts,
    ) -> Self {
        let mut reasons = Vec::new();
        let repair = Repair::suggested(reading, catalogue);
        reasons.extend(repair.reasons().into_iter().map(|text| Reason { step: Step::Repair, text }));
        let clean = clean(reading, trial, facts, catalogue, &mut reasons);
        let mut because = |step, text: String| reasons.push(Reason { step, text });

        let gains = gains(reading, print, &mut because);
        let subject = Self::subject(reading, trial, catalogue);
        if subject == LETTERING {
            because(
                Step::Enlarge,
                format!("{:.0} % of it is lettering or line work", reading.content.lettering * 100.0),
            );
        }
        let spoken_for = reading.shows(found, facts.size).map(|shown| (shown, subject_of(shown)));
        if let (Some((shown, Some(spoken_for))), Some(trial)) = (spoken_for, trial)
            && ![LETTERING, PRINTS].contains(&spoken_for)
            && let Some(tried) = trial.tried.iter().find(|tried| tried.subject == spoken_for)
        {
            let model =
                catalogue.chain(spoken_for, tried.grade, f64::from(trial.factor)).first().map(|card| card.name.clone());
            let model = model.unwrap_or_else(|| spoken_for.to_owned());
            because(Step::Enlarge, format!("it shows {}: {model} was tried too", shown.in_words()));
        }
        if let Some(colours) = reading.content.plain_colours {
            let text =
                format!("it is drawn in {colours} plain colours: traced as shapes, it would be sharp at any size");
            because(Step::Enlarge, text);
        }
        if subject == PRINTS {
            because(Step::Enlarge, "it has the tone of an old print: grain, dust and scratches go".to_owned());
        }
        let sharpened = reading.softness.is_some_and(|s| s.overshoot > SHARPENED);
        let mut strength = if sharpened { 0.85 } else { 1.0 };
        if sharpened {
            because(
                Step::Enlarge,
                "its edges were sharpened before: a model would take their rims for detail".to_owned(),
            );
        }
        let grade = match trial {
            Some(trial) => {
                strength = trial.chosen.strength.min(strength);
                if gains {
                    because(Step::Enlarge, trial.reason(catalogue));
                    if trial.chosen.patterned {
                        let most = 100.0 * MOST_OF_A_PATTERN;
                        because(
                            Step::Enlarge,
                            format!(
                                "it holds a fine regular pattern, whose lines a model may carry on wrongly: at most {most:.0} % of it"
                            ),
                        );
                    }
                }
                trial.chosen.grade
            }
            None => grade(subject, catalogue, print.factor, &mut because),
        };

        let faces = faces::faces(found, Damage::of(reading, facts), catalogue, print, &mut because);
        let finish = finish(reading, trial, print, sharpened, gains, &mut because);
        let doubts = doubts(reading, trial, gains);
        let (subject, areas) = (subject.to_owned(), Vec::new());
        let whole = Self { repair, clean, subject, grade, strength, faces, finish, gains, reasons, doubts, areas };
        let areas = areas::offered(reading.sight, facts.size, &whole.steps(), catalogue);
        Self { areas, ..whole }
    }

    /// All of it, in a frame and surround that the person has chosen.
    pub fn recipe(&self, frame: Frame, surround: Surround) -> Recipe {
        Recipe { frame, steps: self.steps(), areas: Vec::new(), own_faces: None, surround }
    }

    /// What is done to the whole of it.
    pub fn steps(&self) -> Steps {
        let enlarge = if self.gains {
            Choice::Learned { subject: self.subject.clone(), grade: self.grade, strength: self.strength }
        } else {
            Choice::Plain { kernel: Kernel::Lanczos3 }
        };
        Steps {
            repair: self.repair.clone(),
            clean: self.clean.clone(),
            enlarge,
            faces: self.faces,
            finish: self.finish,
        }
    }
}

/// The grade whose models suit a subject at a factor: fine where they gain enough over the draft to be waited for, or where
/// there is no draft.
pub fn usual_grade(subject: &str, catalogue: &Catalogue, factor: f64) -> Grade {
    grade(subject, catalogue, factor, &mut |_, _| ())
}

fn grade(subject: &str, catalogue: &Catalogue, factor: f64, because: &mut impl FnMut(Step, String)) -> Grade {
    let first = |grade| catalogue.chain(subject, grade, factor.max(2.0)).into_iter().find(|card| card.grade == grade);
    let (draft, fine) = match (first(Grade::Draft), first(Grade::Fine)) {
        (Some(draft), Some(fine)) => (draft, fine),
        (None, Some(_)) => return Grade::Fine,
        (_, None) => return Grade::Draft,
    };
    let gain = |card: &Card| card.enlarging_gain().unwrap_or_default();
    let Some(reason) = worth_the_wait(draft, fine, gain) else { return Grade::Draft };
    because(Step::Enlarge, reason);
    Grade::Fine
}

/// Why the fine model is worth its wait, by what the cards say was gained with each; nothing where it is not.
fn worth_the_wait(draft: &Card, fine: &Card, gain: impl Fn(&Card) -> f64) -> Option<String> {
    let more = gain(fine) - gain(draft);
    (more >= WORTH_WAITING_FOR)
        .then(|| format!("where it was measured, fine gained {more:.1} dB over the draft, for a longer wait"))
}

fn clean(
    reading: &Reading,
    trial: Option<&Trial>,
    facts: &Facts,
    catalogue: &Catalogue,
    reasons: &mut Vec<Reason>,
) -> Clean {
    let mut because = |text: String| reasons.push(Reason { step: Step::Clean, text });
    let mut clean = Clean { marks: marks(reading, trial, catalogue, &mut because), ..Clean::default() };
    let noise = reading.noise;
    if noise.sigma >= NOISY && !reading.is_noisy(facts.iso) {
        because(format!(
            "noise of at most sigma {:.1} cannot be told from texture: left alone, as cleaning would take the texture",
            noise.sigma
        ));
    } else if reading.is_noisy(facts.iso)
        && let Some((card, worth)) = denoiser(is_by_night(reading, facts), catalogue)
    {
        because(format!(
            "noise of sigma {:.1}: {} is told how much there is at each brightness",
            noise.sigma, card.name
        ));
        worth.into_iter().for_each(&mut because);
        because("thin lines and points that were taken with the noise are laid back".to_owned());
        let texture = reading.content.texture;
        let keep_texture = if texture > 0.25 { 0.3 } else { Noise::USUAL_KEEP_TEXTURE };
        if texture > 0.25 {
            because(format!("{:.0} % of it is texture: a little of what is taken there is kept", texture * 100.0));
        }
        let model = ModelRef::of(card);
        clean.noise = Some(Noise { keep_texture, ..Noise::usual(model, noise.level) });
    }
    softness(reading, facts, &mut because);
    clean
}

/// Compression marks: how far they go is what gained most on the picture itself.
fn marks(
    reading: &Reading,
    trial: Option<&Trial>,
    catalogue: &Catalogue,
    because: &mut impl FnMut(String),
) -> Option<Marks> {
    let quality = reading.worst_quality()?;
    let (card, worth) = of_marks(catalogue)?;
    let gain = trial.map_or(0.0, |t| t.chosen.marks_gain);
    let strength = match trial.and_then(|t| t.chosen.marks) {
        Some(share) if share > 0.0 && (quality < MARKED_QUALITY || gain >= WORTH_CLEANING) => {
            because(format!(
                "compression of quality {quality:.0}: tried on parts of this picture, taking its marks out first gained {gain:.1} dB"
            ));
            share
        }
        Some(_) => {
            if quality < MARKED_QUALITY {
                because(format!(
                    "compression of quality {quality:.0}: tried on parts of this picture, taking its marks out gained nothing"
                ));
            }
            return None;
        }
        None if quality < MARKED_QUALITY => {
            because(format!(
                "compression of quality {quality:.0}: below {MARKED_QUALITY:.0} its marks show once enlarged"
            ));
            1.0
        }
        None => return None,
    };
    worth.into_iter().for_each(because);
    Some(Marks { model: ModelRef::of(card), quality, strength })
}

/// The cleaner that takes compression marks out, of each grade the one that gained most: the fine one where that is worth the wait, with why.
pub(super) fn of_marks(catalogue: &Catalogue) -> Option<(&Card, Option<String>)> {
    let of = |grade| most_gaining(catalogue.cleaners(LevelKind::Compression).filter(move |card| card.grade == grade));
    preferred(of(Grade::Draft), of(Grade::Fine))
}

/// The cleaner that gained most where it was measured.
pub(super) fn most_gaining<'c>(cards: impl Iterator<Item = &'c Card>) -> Option<&'c Card> {
    cards.max_by(|a, b| a.mean_gain().total_cmp(&b.mean_gain()))
}

/// Softness is left as it is, and said: what is out of focus is meant to be soft, and what brings edges back draws rims along it.
fn softness(reading: &Reading, facts: &Facts, because: &mut impl FnMut(String)) {
    let Some(SoftnessReading { sigma, overshoot, .. }) = reading.softness else { return };
    if sigma >= BEYOND_HELP {
        because(format!("edges spread over {sigma:.1} px: beyond what can be brought back, left alone"));
    } else if sigma >= SOFT && is_by_night(reading, facts) {
        because(format!("edges spread over {sigma:.1} px: left alone, as points of light would get rings"));
    } else if sigma >= SOFT && overshoot <= SHARPENED {
        because(format!(
            "edges spread over {sigma:.1} px: left as they are, for what is out of focus would get rims; where all of it should be \
             sharp, try Softness"
        ));
    }
}

/// Whether a picture is dark, and taken at high ISO or with strong noise in the shadows.
pub(super) fn is_by_night(reading: &Reading, facts: &Facts) -> bool {
    let high = facts.iso.is_some_and(|iso| iso >= NIGHT_ISO) || reading.noise.level.0[1] > 8.0;
    high && reading.content.brightness < DARK
}

/// Camera noise, the fine one where that is worth the wait, with why; for night pictures Night, where it was measured to be as good.
pub(super) fn denoiser(night: bool, catalogue: &Catalogue) -> Option<(&Card, Option<String>)> {
    let cards = || catalogue.cleaners(LevelKind::Noise);
    let of = |for_night: bool, grade| cards().find(|c| c.id.starts_with(NIGHT) == for_night && c.grade == grade);
    let best = |for_night| preferred(of(for_night, Grade::Draft), of(for_night, Grade::Fine));
    match (best(false), best(true)) {
        (Some(usual), Some(made_for_it)) if night => {
            Some(if is_as_good(made_for_it.0, usual.0) { made_for_it } else { usual })
        }
        (usual, made_for_it) => usual.or(made_for_it).or_else(|| Some((cards().next()?, None))),
    }
}

/// Of a draft and a fine cleaner for the same damage the fine one where it is worth the wait and loses nowhere, with why; the only one where there
/// is one.
fn preferred<'c>(draft: Option<&'c Card>, fine: Option<&'c Card>) -> Option<(&'c Card, Option<String>)> {
    match (draft, fine) {
        (Some(draft), Some(fine)) => match worth_the_wait(draft, fine, Card::mean_gain) {
            Some(reason) if loses_nowhere(draft, fine) => Some((fine, Some(reason))),
            _ => Some((draft, None)),
        },
        (draft, fine) => Some((fine.or(draft)?, None)),
    }
}

/// Ids of cleaners that were made for night pictures begin so.
const NIGHT: &str = "night";

/// Whether a cleaner gained as much as another on average over the kinds of damage that both were measured on.
fn is_as_good(one: &Card, other: &Card) -> bool {
    let gain = |score: &CleaningScore| score.after - score.before;
    damaged_alike(one, other).map(|(a, b)| gain(a) - gain(b)).sum::<f64>() >= -MAY_LOSE
}

/// Whether the fine cleaner was as good as the draft on each kind of damage that both were measured on.
fn loses_nowhere(draft: &Card, fine: &Card) -> bool {
    damaged_alike(fine, draft).all(|(f, d)| f.after - d.after >= -MAY_LOSE)
}

/// The scores of two cleaners on the same kinds of damage.
fn damaged_alike<'c>(one: &'c Card, other: &'c Card) -> impl Iterator<Item = (&'c CleaningScore, &'c CleaningScore)> {
    let damaged = one.cleaning().iter().filter(|score| !score.undamaged);
    damaged.filter_map(|a| Some((a, other.cleaning().iter().find(|b| b.damage == a.damage)?)))
}

/// Whether the eye could see what a model adds.
fn gains(reading: &Reading, print: PrintFacts, because: &mut impl FnMut(Step, String)) -> bool {
    if factor_for(print.factor).is_none() {
        because(Step::Enlarge, "it has all the pixels that the print needs: no model is needed".to_owned());
        return false;
    }
    let (Some(ppi), Some(distance)) = (print.ppi, print.distance_m) else { return true };
    let (detail, eye) = (reading.detail_ppi(ppi / print.factor), eye_ppi(distance));
    if detail < eye {
        return true;
    }
    because(
        Step::Enlarge,
        format!(
            "its own detail gives {detail:.0} ppi on this print, and from {distance:.1} m the eye uses {eye:.0}: \
             this picture gains nothing from a model"
        ),
    );
    false
}

fn finish(
    reading: &Reading,
    trial: Option<&Trial>,
    print: PrintFacts,
    sharpened: bool,
    gains: bool,
    because: &mut impl FnMut(Step, String),
) -> Finish {
    let grain = (!reading.noise.hidden && reading.noise.sigma >= CLEARLY_NOISY && print.factor > 1.5).then(|| {
        let size = (print.factor as f32 * 0.5).clamp(1.0, 4.0);
        because(Step::Finish, "a trace of its own grain keeps cleaned tone from looking painted".to_owned());
        PrintGrain { amount: 0.12, level: reading.noise.level.at_most(PrintGrain::STRONGEST), size }
    });
    if sharpened {
        because(Step::Finish, "sharpened already: no second time".to_owned());
        return Finish { edges: None, grain };
    }
    if !gains {
        // Enough pixels for the eye: nothing is to be made up for.
        return Finish { edges: None, grain };
    }
    let strength = trial.map_or(UNTRIED_EDGES, |t| t.chosen.edges);
    if strength <= 0.0 {
        because(Step::Finish, "edges are as sharp as this picture bears: no more".to_owned());
        return Finish { edges: None, grain };
    }
    let width = print.ppi.map_or(1.0, |ppi| (ppi / PPI_OF_ONE_PIXEL).clamp(0.4, 4.0)) as f32;
    if let Some(ppi) = print.ppi {
        because(Step::Finish, format!("at {ppi:.0} ppi an edge is {width:.1} px wide on paper"));
    }
    Finish { edges: Some(Edges::usual(strength, width)), grain }
}

#[cfg(test)]
pub(super) mod tests {
    use super::*;
    use crate::geometry::Size;
    use crate::model::Score;
    use crate::stand_in;
    use crate::suggest::subject::FOLIAGE;

    pub const LARGER: PrintFacts = PrintFacts { factor: 4.0, ppi: None, distance_m: None };

    pub fn score(undamaged: bool, gain: f64) -> CleaningScore {
        CleaningScore {
            damage: "24 px".to_owned(),
            undamaged,
            face: None,
            photos: 24,
            before: 28.0,
            after: 28.0 + gain,
            least_gain: 0.0,
            before_ssim: 0.0,
            after_ssim: 0.0,
            after_rgb: None,
            worst: String::new(),
        }
    }

    /// Everyday of a grade that gains so many dB; nothing was measured where there is no figure.
    fn everyday(grade: Grade, factor: u32, parameters: u64, gain: Option<f64>) -> Card {
        let scores = gain.map(|gain| Score { bicubic: 30.0, model: 30.0 + gain, ..stand_in::score() });
        Card { parameters, ..stand_in::card(factor, grade).with_scores(Vec::from_iter(scores)) }
    }

    #[rstest::rstest]
    #[case::clearly_better(Some(1.5), Some(1.9), Grade::Fine)]
    #[case::hardly_better(Some(1.5), Some(1.6), Grade::Draft)]
    #[case::worse(Some(1.5), Some(1.0), Grade::Draft)]
    #[case::not_measured(None, None, Grade::Draft)]
    fn fine_is_suggested_where_it_is_worth_the_wait(
        #[case] draft: Option<f64>,
        #[case] fine: Option<f64>,
        #[case] expected: Grade,
    ) {
        let models = [everyday(Grade::Draft, 4, 80_000, draft), everyday(Grade::Fine, 4, 320_000, fine)];
        let mut said = String::new();
        let grade = grade(EVERYDAY, &Catalogue::of(models), LARGER.factor, &mut |_, text| said.push_str(&text));
        assert_eq!(grade, expected);
        let reason = "fine gained 0.4 dB over the draft, for a longer wait";
        assert_eq!(said.contains(reason), expected == Grade::Fine, "{said}");
    }

    #[test]
    fn the_only_grade_is_the_one_that_is_suggested() {
        let said = &mut |_, text: String| panic!("nothing to say: {text}");
        let fine = Catalogue::of(vec![everyday(Grade::Fine, 4, 320_000, Some(1.0))]);
        assert_eq!(grade(EVERYDAY, &fine, LARGER.factor, said), Grade::Fine);
        let other_factor = [everyday(Grade::Draft, 2, 80_000, Some(1.0)), everyday(Grade::Fine, 4, 320_000, Some(2.0))];
        assert_eq!(grade(EVERYDAY, &Catalogue::of(other_factor), 2.0, said), Grade::Draft, "no fine one for twice");
    }

    /// A cleaner of a name and grade that gains so many dB.
    fn denoising(id: &str, grade: Grade, parameters: u64, gain: f64) -> Card {
        let card = stand_in::cleaner_card().with_cleaning(vec![score(false, gain)]);
        Card { id: id.to_owned(), grade, parameters, ..card }
    }

    #[rstest::rstest]
    #[case::worth_the_wait(1.0, 1.4, "marks-fine", "fine gained 0.4 dB over the draft")]
    #[case::hardly_better(1.0, 1.1, "marks", "")]
    fn marks_go_by_the_fine_model_where_it_is_worth_the_wait(
        #[case] draft: f64,
        #[case] fine: f64,
        #[case] expected: &str,
        #[case] reason: &str,
    ) {
        let of = |id: &str, grade, gain| {
            let card = Card { task: stand_in::cleaner(LevelKind::Compression), ..denoising(id, grade, 100_000, gain) };
            card.with_cleaning(vec![score(false, gain)])
        };
        let catalogue = Catalogue::of([of("marks", Grade::Draft, draft), of("marks-fine", Grade::Fine, fine)]);
        let reading = Reading { jpeg_quality: Some(50.0), ..stand_in::reading(Size::new(300, 200)) };
        let mut said = String::new();
        let marks = marks(&reading, None, &catalogue, &mut |text| said.push_str(&text)).expect("it is compressed");
        assert_eq!(marks.model.model, expected);
        assert!(said.contains(reason) && said.contains("over the draft") != reason.is_empty(), "{said}");
    }

    #[test]
    fn a_model_that_draws_a_screen_is_not_named() {
        let of = |screen| {
            let scores = vec![Score { screen: Some(3.0), ..stand_in::score() }, Score { screen, ..stand_in::score() }];
            let card = stand_in::card(4, Grade::Draft).with_scores(scores);
            let card = Card { subject: LETTERING.to_owned(), ..card };
            Catalogue::of(vec![card])
        };
        assert!(of(Some(9.9)).commends(LETTERING) && of(None).commends(LETTERING));
        assert!(!of(Some(10.1)).commends(LETTERING), "one picture is enough");
        assert!(!of(None).commends(FOLIAGE));
    }

    #[rstest::rstest]
    #[case::clearly_better(8.4, false, "camera-noise-fine", true)]
    #[case::hardly_better(8.1, false, "camera-noise-draft", false)]
    #[case::by_night_by_the_one_made_for_it(8.05, true, "night", false)]
    #[case::by_night_by_the_better_one(8.4, true, "camera-noise-fine", true)]
    fn the_fine_cleaner_is_suggested_where_it_is_worth_the_wait(
        #[case] fine: f64,
        #[case] night: bool,
        #[case] expected: &str,
        #[case] said: bool,
    ) {
        let catalogue = Catalogue::of(vec![
            denoising("camera-noise-draft", Grade::Draft, 100_000, 8.0),
            denoising("camera-noise-fine", Grade::Fine, 230_000, fine),
            denoising("night", Grade::Draft, 100_000, 8.0),
        ]);
        let (card, worth) = denoiser(night, &catalogue).expect("one of them");
        assert_eq!(card.id, expected);
        let reason = "where it was measured, fine gained 0.4 dB over the draft, for a longer wait";
        assert_eq!(worth.as_deref(), said.then_some(reason));
    }

    #[test]
    fn a_fine_cleaner_that_is_worse_at_some_damage_is_not_suggested() {
        let measured = |id: &str, grade, gains: [f64; 2]| {
            let cleaning = [("by day", gains[0]), ("by night", gains[1])]
                .map(|(damage, gain)| CleaningScore { damage: damage.to_owned(), ..score(false, gain) });
            Card { id: id.to_owned(), grade, ..stand_in::cleaner_card().with_cleaning(cleaning.into()) }
        };
        let suggested = |fine| {
            let draft = measured("camera-noise-draft", Grade::Draft, [8.0, 8.0]);
            let catalogue = Catalogue::of(vec![draft, measured("camera-noise-fine", Grade::Fine, fine)]);
            denoiser(false, &catalogue).map(|(card, _)| card.grade)
        };
        assert_eq!(suggested([9.0, 7.95]), Some(Grade::Fine));
        assert_eq!(suggested([9.0, 7.6]), Some(Grade::Draft), "though its mean is better");
    }

    #[test]
    fn by_night_without_a_model_for_it_whatever_cleans_is_suggested() {
        let catalogue = Catalogue::of(vec![denoising("camera-noise-draft", Grade::Draft, 100_000, 8.0)]);
        assert_eq!(denoiser(true, &catalogue).map(|(card, _)| card.id.as_str()), Some("camera-noise-draft"));
        assert!(denoiser(true, &Catalogue::default()).is_none());
    }
}
