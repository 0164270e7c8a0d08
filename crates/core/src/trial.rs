//! What is suggested is tried on the picture itself first: its own parts are shrunk, enlarged again and compared.
//!
//! One question after the other, each with what was found before: which model, how much of it, how far compression marks are to go, and how
//! far edges are sharpened. Figures decide, within bounds that keep a
//! figure from being pleased by harm.

use dettaglio_domain::clean::{Clean, Marks};
use dettaglio_domain::finish::{Edges, Finish};
use dettaglio_domain::model::Grade;
use dettaglio_domain::reading::Reading;
use dettaglio_domain::recipe::{Choice, Recipe, Steps};
use dettaglio_domain::rehearsal::{Figures, Tally};
use dettaglio_domain::sight::Shown;
use dettaglio_domain::suggest::{
    Chosen, Circumstances, HARDLY, MOST_OF_A_PATTERN, MOST_OVERSHOOT, Trial, Tried, best, entrants, expected_of_fine,
    is_far_behind, usual_or_best,
};

use crate::model::Shelf;
use crate::picture::Original;
use crate::reading;
use crate::rehearsal::{PutBack, RehearsalError, Scene, choose, overshoot, treatment};
use crate::render::{Pace, Renderer};

/// Bytes of tiles that a trial keeps while it goes on.
const TILES: usize = 64 << 20;

/// Parts that are shrunk, and their side in pixels of the original.
const PARTS: usize = 5;

const SIDE: u32 = 144;

/// Parts that are enlarged as they are, to measure overshoot, and their side.
const REAL_PARTS: usize = 2;

const REAL_SIDE: u32 = 96;

/// Pixels of a picture from which on what is found counts fully.
const ENOUGH: f64 = 256.0 * 256.0;

/// Shares of the model that are tried, the usual one first.
const STRENGTHS: [f32; 4] = [1.0, 0.85, 0.7, 0.5];

/// The same where there are too few pixels to trust what is found: a little of plain enlarging bounds what a model may do wrong, and on
/// average costs nothing.
const STRENGTHS_IN_DOUBT: [f32; 4] = [0.85, 1.0, 0.7, 0.5];

const MARKS: [f32; 3] = [1.0, 0.6, 0.0];

const EDGES: [f32; 4] = [0.15, 0.1, 0.05, 0.0];

/// A picture in a trial.
struct Stage<'a> {
    /// Of its own: what one candidate leaves serves the next, and nobody else.
    renderer: Renderer,
    scenes: Vec<Scene>,
    /// Parts as they are, for what shrinking would take away.
    real: Vec<Original>,
    factor: u32,
    pace: &'a dyn Pace,
}

/// Tries what may suit a picture that shows this, for prints of about `factor` times its size (2 or 4).
///
/// Nothing where the picture is too small to be shrunk.
///
/// # Errors
/// When a model fails, or `pace` gives it up.
pub fn run(
    original: &Original,
    reading: &Reading,
    shows: Option<Shown>,
    shelf: &Shelf,
    factor: u32,
    pace: &dyn Pace,
) -> Result<Option<Trial>, RehearsalError> {
    // What is cleaned of noise is enlarged as if there were none.
    let put_back = PutBack { noise: None, ..PutBack::of(reading) };
    let parts = choose(original, PARTS, SIDE);
    let real =
        (parts.iter().take(REAL_PARTS)).map(|part| Original::from_planes(&original.region(part.middle(REAL_SIDE))));
    let real = real.collect();
    let scenes = parts.into_iter().map(|part| Scene::new(original, part, factor, put_back));
    let scenes = match scenes.collect::<Result<Vec<_>, _>>() {
        Err(RehearsalError::TooSmall(_)) => return Ok(None),
        scenes => scenes?,
    };
    let stage = Stage { renderer: Renderer::new(shelf.clone(), TILES), scenes, real, factor, pace };
    let mut clean = Clean { marks: put_back.marks(shelf), ..Clean::default() };
    let mut tried = Vec::new();
    for (subject, grade) in entrants(shelf, reading, shows, factor) {
        if grade == Grade::Fine && is_far_behind(&tried, subject) {
            continue;
        }
        match stage.figures(&learned(subject, grade, 1.0, &clean, None)) {
            Ok(figures) => tried.push(Tried { subject: subject.to_owned(), grade, figures }),
            Err(error) if error.is_cancelled() => return Err(error),
            // A model that fails is none that could be suggested; the others go on.
            Err(_) => {}
        }
    }
    let expected = |subject: &str| expected_of_fine(shelf, subject, factor);
    let known = Circumstances { reading, doubt: stage.doubt(), expected: &expected };
    let Some((subject, grade)) = best(&tried, known) else { return Ok(None) };
    let (subject, grade) = (subject.to_owned(), grade);

    let strengths = if known.doubt > 1.0 { STRENGTHS_IN_DOUBT } else { STRENGTHS };
    let tries = stage.tries(strengths, |strength| learned(&subject, grade, strength, &clean, None))?;
    let (strength, _) = usual_or_best(tries, known.doubt);
    let patterned = reading::is_patterned(original);
    let strength = if patterned { strength.min(MOST_OF_A_PATTERN) } else { strength };
    let (mut taken, mut marks_gain) = (None, 0.0);
    if let Some(marks) = clean.marks.clone() {
        let with = |share: f32| Clean {
            marks: (share > 0.0).then(|| Marks { strength: share, ..marks.clone() }),
            ..Clean::default()
        };
        let tries = stage.tries(MARKS, |share| learned(&subject, grade, strength, &with(share), None))?;
        let ((share, psnr), [.., (_, without)]) = (usual_or_best(tries, 1.0), tries);
        (taken, marks_gain) = (Some(share), psnr - without);
        clean = with(share);
    }
    let (edges, overshoot) = stage.sharpening(|edges| learned(&subject, grade, strength, &clean, edges))?;
    let chosen = Chosen { subject, grade, strength, marks: taken, marks_gain, edges, overshoot, patterned };
    Ok(Some(Trial { factor, parts: stage.scenes.len(), tried, chosen }))
}

fn learned(subject: &str, grade: Grade, strength: f32, clean: &Clean, edges: Option<Edges>) -> Steps {
    let enlarge = Choice::Learned { subject: subject.to_owned(), grade, strength };
    Steps { clean: clean.clone(), finish: Finish { edges, grain: None }, ..Recipe::only(enlarge).steps }
}

/// Edges of a strength, as wide as on a usual print of this factor.
fn edges_of(strength: f32, factor: u32) -> Option<Edges> {
    (strength > 0.0).then(|| Edges::usual(strength, 0.375 * factor as f32))
}

impl Stage<'_> {
    /// How much clearer a figure must speak than where there are pixels enough: few of them say little.
    fn doubt(&self) -> f64 {
        let pixels: u64 = self.scenes.iter().map(|scene| scene.part.size().area()).sum();
        (ENOUGH / pixels.max(1) as f64).powf(0.75).max(1.0)
    }

    /// Over all scenes.
    fn figures(&self, steps: &Steps) -> Result<Figures, RehearsalError> {
        let mut tally = Tally::default();
        for scene in &self.scenes {
            tally.add(scene.figures(&scene.perform(&self.renderer, steps, self.pace)?, &self.renderer.shelf()));
        }
        Ok(tally.over_all().expect("a picture has at least one part"))
    }

    /// Signal-to-noise ratio over all scenes, in dB.
    fn psnr(&self, steps: &Steps) -> Result<f64, RehearsalError> {
        let errors =
            self.scenes.iter().map(|scene| Ok(scene.error(&scene.perform(&self.renderer, steps, self.pace)?)));
        let errors = errors.collect::<Result<Vec<f64>, RehearsalError>>()?;
        Ok(-10.0 * (errors.iter().sum::<f64>() / errors.len() as f64).max(1e-12).log10())
    }

    /// How near each of some settings comes, in dB.
    fn tries<const N: usize>(
        &self,
        settings: [f32; N],
        steps: impl Fn(f32) -> Steps,
    ) -> Result<[(f32, f64); N], RehearsalError> {
        let mut tries = settings.map(|setting| (setting, 0.0));
        for (setting, psnr) in &mut tries {
            *psnr = self.psnr(&steps(*setting))?;
        }
        Ok(tries)
    }

    /// How strong edges are, and how far they overshoot then.
    ///
    /// Only as far as sharpening comes nearer to the truth where that is known, and one step less: the picture itself is softer than what
    /// was shrunk. What the model adds of its own counts towards the overshoot, which is measured where the parts are enlarged as they are.
    fn sharpening(&self, steps: impl Fn(Option<Edges>) -> Steps) -> Result<(f32, Option<f32>), RehearsalError> {
        let plain = self.overshoot(&steps(None))?;
        let most = plain.map_or(MOST_OVERSHOOT, |plain| MOST_OVERSHOOT.max(plain + 0.005));
        let tries = self.tries(EDGES, |strength| steps(edges_of(strength, self.factor)))?;
        let [.., (_, without)] = tries;
        let enough = without + HARDLY * self.doubt();
        let nearest = tries.iter().position(|(_, psnr)| *psnr >= enough).unwrap_or(EDGES.len() - 1);
        for strength in EDGES.into_iter().skip(nearest + 1).filter(|strength| *strength > 0.0) {
            let with = self.overshoot(&steps(edges_of(strength, self.factor)))?;
            if with.is_some_and(|o| o <= most) {
                return Ok((strength, with));
            }
        }
        Ok((0.0, plain))
    }

    /// How far edges overshoot where the parts are enlarged as they are; nothing where there are too few.
    fn overshoot(&self, steps: &Steps) -> Result<Option<f32>, RehearsalError> {
        let mut found = Vec::new();
        for part in &self.real {
            let treatment = treatment(&self.renderer.shelf(), steps, part.size(), self.factor)?;
            let result = self.renderer.render(part, &treatment, treatment.size.whole().seen_as(), self.pace)?;
            found.extend(overshoot(&result));
        }
        Ok((!found.is_empty()).then(|| found.iter().sum::<f32>() / found.len() as f32))
    }
}

#[cfg(test)]
mod tests {
    use dettaglio_domain::model::EVERYDAY;
    use dettaglio_domain::suggest::PRINTS;
    use rstest::rstest;

    use crate::reading;

    use super::*;
    use dettaglio_domain::file::Facts;

    const FIGURES: Figures = Figures {
        psnr: 30.0,
        ssim: 0.9,
        perceived: Some(1.0),
        screen: Some(3.0),
        own_screen: Some(2.0),
        drift: 0.2,
        sharpness: 0.9,
        overshoot: None,
    };

    fn tried(subject: &str, grade: Grade, figures: Figures) -> Tried {
        Tried { subject: subject.to_owned(), grade, figures }
    }

    fn reading(faded_tone: bool) -> Reading {
        let size = dettaglio_domain::geometry::Size::new(64, 64);
        let even = Original::from_planes(&crate::picture::Planes::from_values(size, vec![0.5; 3 * 64 * 64]));
        let facts: Facts = serde_json::from_value(serde_json::json!({
            "format": "PNG", "bytes": 1, "size": size, "depth": 8, "channels": "colour", "profile": null,
            "turned": false, "had_transparency": false, "camera": null, "iso": null, "taken": null,
        }))
        .unwrap();
        let mut reading = reading::measure(&even, &facts);
        reading.content.faded_tone = faded_tone;
        reading
    }

    fn chosen(others: &[Tried], doubt: f64, faded_tone: bool) -> (String, Grade) {
        let mut all = vec![tried(EVERYDAY, Grade::Draft, FIGURES)];
        all.extend_from_slice(others);
        let reading = reading(faded_tone);
        let known = Circumstances { reading: &reading, doubt, expected: &|_| 0.3 };
        best(&all, known).map(|(subject, grade)| (subject.to_owned(), grade)).unwrap()
    }

    #[rstest]
    #[case::nearer(30.2, 1.0, Grade::Fine)]
    #[case::hardly_nearer(30.05, 1.0, Grade::Draft)]
    #[case::hardly_nearer_on_few_pixels(30.05, 4.0, Grade::Fine)]
    #[case::worse_on_few_pixels(29.0, 4.0, Grade::Draft)]
    #[case::worse(29.5, 1.0, Grade::Draft)]
    fn the_fine_model_must_be_worth_its_wait(#[case] psnr: f64, #[case] doubt: f64, #[case] expected: Grade) {
        let fine = tried(EVERYDAY, Grade::Fine, Figures { psnr, ..FIGURES });
        assert_eq!(chosen(&[fine], doubt, false), (EVERYDAY.to_owned(), expected));
    }

    #[rstest]
    #[case::nearer(Figures { psnr: 30.4, ..FIGURES }, "lettering")]
    #[case::nearer_to_the_eye_at_a_small_cost(Figures { psnr: 29.95, perceived: Some(0.8), ..FIGURES }, "lettering")]
    #[case::nearer_to_the_eye_at_a_great_cost(Figures { psnr: 29.5, perceived: Some(0.5), ..FIGURES }, EVERYDAY)]
    #[case::with_a_screen(Figures { psnr: 30.4, screen: Some(40.0), ..FIGURES }, EVERYDAY)]
    #[case::with_the_truths_own_screen(Figures { psnr: 30.4, screen: Some(40.0), own_screen: Some(35.0), ..FIGURES }, "lettering")]
    #[case::with_other_colours(Figures { psnr: 30.4, drift: 0.9, ..FIGURES }, EVERYDAY)]
    #[case::hardly_nearer(Figures { psnr: 30.12, ..FIGURES }, EVERYDAY)]
    #[case::no_nearer(FIGURES, EVERYDAY)]
    fn another_subject_must_come_nearer_without_harm(#[case] figures: Figures, #[case] expected: &str) {
        assert_eq!(chosen(&[tried("lettering", Grade::Draft, figures)], 1.0, false).0, expected);
    }

    #[test]
    fn another_subject_must_come_nearer_than_everydays_better_grade() {
        let fine = tried(EVERYDAY, Grade::Fine, Figures { psnr: 30.07, ..FIGURES });
        let lettering = |psnr| tried("lettering", Grade::Draft, Figures { psnr, ..FIGURES });
        assert_eq!(chosen(&[fine.clone(), lettering(30.2)], 1.0, false), (EVERYDAY.to_owned(), Grade::Draft));
        assert_eq!(chosen(&[fine, lettering(30.3)], 1.0, false), ("lettering".to_owned(), Grade::Draft));
    }

    #[test]
    fn an_old_print_is_given_its_model_where_that_costs_little() {
        let prints = |psnr| [tried(PRINTS, Grade::Draft, Figures { psnr, ..FIGURES })];
        assert_eq!(chosen(&prints(29.95), 1.0, true).0, PRINTS);
        assert_eq!(chosen(&prints(29.95), 1.0, false).0, EVERYDAY);
        assert_eq!(chosen(&prints(29.0), 1.0, true).0, EVERYDAY);
    }
}
