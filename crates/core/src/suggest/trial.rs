//! What is suggested is tried on the picture itself first: its own parts are shrunk, enlarged again and compared.
//!
//! One question after the other, each with what was found before: which model, how much of it, how far compression marks are to go, and how
//! far edges are sharpened. Figures decide, within bounds that keep a
//! figure from being pleased by harm.

use serde::{Deserialize, Serialize};

use super::{FOLIAGE, LETTERING, PRINTS};
use crate::clean::{Clean, Marks};
use crate::finish::{Edges, Finish};
use crate::hash::ContentHash;
use crate::model::{EVERYDAY, Grade, Shelf};
use crate::picture::Original;
use crate::reading::Reading;
use crate::recipe::{Choice, Steps};
use crate::rehearsal::{Figures, PutBack, RehearsalError, Scene, Tally, choose, overshoot, treatment};
use crate::render::{Pace, Renderer};

/// What a picture's own parts said of the candidates, at one factor.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Trial {
    /// Result side / original side that was tried: 2 or 4.
    pub factor: u32,
    /// How many parts were looked at.
    pub parts: usize,
    /// The models that were tried, Everyday's first.
    pub tried: Vec<Tried>,
    /// What came of it.
    pub chosen: Chosen,
}

/// A model in a trial.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Tried {
    /// Its subject.
    pub subject: String,
    /// Fast or thorough.
    pub grade: Grade,
    /// Over all parts.
    pub figures: Figures,
}

/// A trial that is kept with the picture; it holds as long as the same models are on the shelf.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct KeptTrial {
    /// The mark of the shelf.
    pub shelf: ContentHash,
    /// Result side / original side that was tried.
    pub factor: u32,
    /// What came of it; nothing where the picture is too small.
    pub trial: Option<Trial>,
}

/// What a trial decided.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Chosen {
    /// The subject whose models enlarge.
    pub subject: String,
    /// Fast or thorough.
    pub grade: Grade,
    /// The learned share, 0 to 1.
    pub strength: f32,
    /// The share of compression marks that goes; nothing where there are none to be taken out.
    pub marks: Option<f32>,
    /// What taking the marks out gains, in dB.
    pub marks_gain: f64,
    /// Strength of edges; 0 for none.
    pub edges: f32,
    /// How far edges overshoot then, as a share of their height; nothing where there are too few edges to tell.
    pub overshoot: Option<f32>,
}

/// Bytes of tiles that a trial keeps while it goes on.
const TILES: usize = 64 << 20;

/// Parts that are shrunk, and their side in pixels of the original.
const PARTS: usize = 5;
const SIDE: u32 = 144;

/// Parts that are enlarged as they are, to measure overshoot, and their side.
const REAL_PARTS: usize = 2;
const REAL_SIDE: u32 = 96;

/// dB by which the fine model must come nearer than the draft for the wait.
const WORTH_WAITING_FOR: f64 = 0.08;

/// dB by which another subject's model must come nearer than Everyday's.
const WORTH_CHANGING: f64 = 0.1;

/// dB that another subject's model may lose against Everyday where it comes nearer to the eye, and by what share it must.
const MAY_LOSE: f64 = 0.15;
const NEARER: f64 = 0.08;

/// How much further than Everyday's such a mean may lie from the truth: where type is drawn sharper its means move too.
const MAY_DRIFT: f64 = 0.25;

/// dB that a setting may lose against the best one and still be taken, where it is the usual one.
const HARDLY: f64 = 0.05;

/// dB by which a subject's draft may lie behind Everyday's for its fine model to be tried.
const FAR_BEHIND: f64 = 0.5;

/// Mean CIEDE2000 of 8 px means beyond which a model is not suggested.
const MOST_DRIFT: f64 = 0.5;

/// Overshoot that all sharpening together may cause, as a share of an edge's height.
const MOST_OVERSHOOT: f32 = 0.04;

/// Pixels of a picture from which on what is found counts fully.
const ENOUGH: f64 = 256.0 * 256.0;

/// Shares and strengths that are tried.
const STRENGTHS: [f32; 4] = [1.0, 0.85, 0.7, 0.5];
const MARKS: [f32; 3] = [1.0, 0.6, 0.0];
const EDGES: [f32; 4] = [0.15, 0.1, 0.05, 0.0];

/// The factor that is tried for a print's; nothing where it needs no model.
pub fn factor_for(print: f64) -> Option<u32> {
    (print > 1.01).then_some(if print <= 2.01 { 2 } else { 4 })
}

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

impl Trial {
    /// Tries what may suit a picture, for prints of about `factor` times its size (2 or 4).
    ///
    /// Nothing where the picture is too small to be shrunk.
    ///
    /// # Errors
    /// When a model fails, or `pace` gives it up.
    pub fn of(
        original: &Original,
        reading: &Reading,
        shelf: &Shelf,
        factor: u32,
        pace: &dyn Pace,
    ) -> Result<Option<Self>, RehearsalError> {
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
        for (subject, grade) in entrants(shelf, reading, factor) {
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
        let Some((subject, grade)) = best(&tried, reading, stage.doubt()) else { return Ok(None) };
        let (subject, grade) = (subject.to_owned(), grade);

        let tries = stage.tries(STRENGTHS, |strength| learned(&subject, grade, strength, &clean, None))?;
        let (strength, _) = usual_or_best(tries);
        let (mut taken, mut marks_gain) = (None, 0.0);
        if let Some(marks) = clean.marks.clone() {
            let with = |share: f32| Clean {
                marks: (share > 0.0).then(|| Marks { strength: share, ..marks.clone() }),
                ..Clean::default()
            };
            let tries = stage.tries(MARKS, |share| learned(&subject, grade, strength, &with(share), None))?;
            let ((share, psnr), [.., (_, without)]) = (usual_or_best(tries), tries);
            (taken, marks_gain) = (Some(share), psnr - without);
            clean = with(share);
        }
        let (edges, overshoot) = stage.sharpening(|edges| learned(&subject, grade, strength, &clean, edges))?;
        let chosen = Chosen { subject, grade, strength, marks: taken, marks_gain, edges, overshoot };
        Ok(Some(Self { factor, parts: stage.scenes.len(), tried, chosen }))
    }

    /// The figures of a model, where it was tried.
    pub fn of_model(&self, subject: &str, grade: Grade) -> Option<&Figures> {
        self.tried.iter().find(|t| t.subject == subject && t.grade == grade).map(|t| &t.figures)
    }

    /// Why its model was chosen, in one sentence.
    pub(super) fn reason(&self, shelf: &Shelf) -> String {
        let Chosen { subject, grade, .. } = &self.chosen;
        let name = |subject: &str, grade| {
            let chain = shelf.chain(subject, grade, f64::from(self.factor));
            chain.first().map_or_else(|| subject.to_owned(), |m| m.card().title())
        };
        let on = match self.parts {
            1 => "tried on the picture itself, shrunk".to_owned(),
            parts => format!("tried on {parts} parts of this picture, shrunk"),
        };
        let figure = |subject: &str, grade| self.of_model(subject, grade);
        let other_grade = if *grade == Grade::Fine { Grade::Draft } else { Grade::Fine };
        let own = figure(subject, *grade);
        let chosen = name(subject, *grade);
        let everyday = figure(EVERYDAY, *grade).or_else(|| figure(EVERYDAY, other_grade));
        if subject != EVERYDAY
            && let (Some(own), Some(everyday)) = (own, everyday)
        {
            let gain = own.psnr - everyday.psnr;
            let nearer =
                own.perceived.zip(everyday.perceived).map(|(own, other)| 100.0 * (1.0 - own / other.max(1e-9)));
            return match nearer.filter(|share| *share >= 1.0) {
                Some(share) => {
                    format!("{on}: {chosen} looks {share:.0} % nearer to it than Everyday, at {gain:+.1} dB")
                }
                None => format!("{on}: {chosen} comes {gain:+.1} dB nearer to it than Everyday"),
            };
        }
        match (own, figure(subject, other_grade)) {
            (Some(own), Some(other)) if *grade == Grade::Fine => {
                format!("{on}: {chosen} comes {:.1} dB nearer to it than the draft", own.psnr - other.psnr)
            }
            (Some(own), Some(other)) if other.psnr - own.psnr >= 0.05 => {
                format!("{on}: the fine model would come only {:.1} dB nearer to it", other.psnr - own.psnr)
            }
            (Some(_), Some(_)) => format!("{on}: the fine model comes no nearer to it, for a longer wait"),
            _ => format!("{on}: {chosen} did best"),
        }
    }

    /// The figures of the chosen model.
    pub fn of_chosen(&self) -> Option<&Figures> {
        self.of_model(&self.chosen.subject, self.chosen.grade)
    }
}

fn learned(subject: &str, grade: Grade, strength: f32, clean: &Clean, edges: Option<Edges>) -> Steps {
    let enlarge = Choice::Learned { subject: subject.to_owned(), grade, strength };
    Steps { clean: clean.clone(), enlarge, faces: None, finish: Finish { edges, grain: None } }
}

/// Edges of a strength, as wide as on a usual print of this factor.
fn edges_of(strength: f32, factor: u32) -> Option<Edges> {
    (strength > 0.0).then(|| Edges::usual(strength, 0.375 * factor as f32))
}

/// The models that may suit a picture: Everyday's of both grades, and those of subjects that the reading speaks of.
fn entrants(shelf: &Shelf, reading: &Reading, factor: u32) -> Vec<(&'static str, Grade)> {
    let content = &reading.content;
    let spoken_of = [
        (EVERYDAY, true),
        // Signs and labels are in many a picture, and this model draws them without taking anything from others.
        (LETTERING, true),
        (PRINTS, content.faded_tone),
        (FOLIAGE, content.texture > 0.2),
        ("fur", content.texture > 0.2),
    ];
    let subjects = spoken_of.into_iter().filter(|(subject, yes)| *yes && shelf.commends(subject));
    let with_grades = subjects.flat_map(|(subject, _)| [Grade::Draft, Grade::Fine].map(|grade| (subject, grade)));
    let has = |subject: &str, grade| {
        let chain = shelf.chain(subject, grade, f64::from(factor));
        chain
            .first()
            .is_some_and(|m| m.card().subject == subject && m.card().grade == grade && !m.card().draws_screen())
    };
    with_grades.filter(|(subject, grade)| has(subject, *grade)).take(6).collect()
}

/// Whether a subject's draft lies so far behind Everyday's that its fine model need not be waited for.
fn is_far_behind(tried: &[Tried], subject: &str) -> bool {
    let draft = |subject: &str| {
        let own = tried.iter().find(|t| t.subject == subject && t.grade == Grade::Draft);
        own.map(|t| t.figures.psnr)
    };
    subject != EVERYDAY && draft(subject).zip(draft(EVERYDAY)).is_some_and(|(own, usual)| own < usual - FAR_BEHIND)
}

/// The model that does best, by the bounds above.
fn best<'t>(tried: &'t [Tried], reading: &Reading, doubt: f64) -> Option<(&'t str, Grade)> {
    let of = |subject: &str| {
        let grades = |grade| tried.iter().find(|t| t.subject == subject && t.grade == grade);
        match (grades(Grade::Draft), grades(Grade::Fine)) {
            (Some(draft), Some(fine)) if fine.figures.psnr - draft.figures.psnr < WORTH_WAITING_FOR * doubt => {
                Some(draft)
            }
            (draft, fine) => fine.or(draft),
        }
    };
    let Some(everyday) = of(EVERYDAY) else { return tried.first().map(|t| (t.subject.as_str(), t.grade)) };
    let worth = |other: &Tried| {
        let (plain, own) = (&everyday.figures, &other.figures);
        let gain = own.psnr - plain.psnr;
        let nearer = plain.perceived.zip(own.perceived).map_or(0.0, |(plain, own)| 1.0 - own / plain.max(1e-9));
        let harms = own.draws_screen() || own.drift > MOST_DRIFT.max(plain.drift + MAY_DRIFT);
        // A model for old prints takes away what the picture holds, dust and grain: nothing can come nearer by that.
        let is_print = other.subject == PRINTS && reading.content.faded_tone;
        let enough = gain >= WORTH_CHANGING * doubt || (gain >= -MAY_LOSE && (nearer >= NEARER || is_print));
        (enough && !harms).then_some(gain + 2.0 * nearer)
    };
    let mut subjects: Vec<&str> = tried.iter().map(|t| t.subject.as_str()).filter(|s| *s != EVERYDAY).collect();
    subjects.dedup();
    let others = subjects.into_iter().filter_map(of).filter_map(|t| Some((t, worth(t)?)));
    let chosen = others.max_by(|a, b| a.1.total_cmp(&b.1)).map_or(everyday, |(other, _)| other);
    Some((chosen.subject.as_str(), chosen.grade))
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
            tally.add(scene.figures(&scene.perform(&self.renderer, steps, self.pace)?));
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
            let result = self.renderer.render(part, &treatment, treatment.size.whole(), self.pace)?;
            found.extend(overshoot(&result));
        }
        Ok((!found.is_empty()).then(|| found.iter().sum::<f32>() / found.len() as f32))
    }
}

/// The first of some settings, each with how near it comes in dB, that comes as near as the best one or hardly less so.
fn usual_or_best<const N: usize>(tries: [(f32, f64); N]) -> (f32, f64) {
    let best = tries.iter().map(|(_, psnr)| *psnr).fold(f64::NEG_INFINITY, f64::max);
    tries.into_iter().find(|(_, psnr)| *psnr >= best - HARDLY).unwrap_or(tries[0])
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;
    use crate::codec::Facts;

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
        let size = crate::picture::Size::new(64, 64);
        let even = Original::from_planes(&crate::picture::Planes::from_values(size, vec![0.5; 3 * 64 * 64]));
        let facts: Facts = serde_json::from_value(serde_json::json!({
            "format": "PNG", "bytes": 1, "size": size, "depth": 8, "channels": "colour", "profile": null,
            "turned": false, "had_transparency": false, "camera": null, "iso": null, "taken": null,
        }))
        .unwrap();
        let mut reading = Reading::of(&even, &facts);
        reading.content.faded_tone = faded_tone;
        reading
    }

    fn chosen(others: &[Tried], doubt: f64, faded_tone: bool) -> (String, Grade) {
        let mut all = vec![tried(EVERYDAY, Grade::Draft, FIGURES)];
        all.extend_from_slice(others);
        let reading = reading(faded_tone);
        best(&all, &reading, doubt).map(|(subject, grade)| (subject.to_owned(), grade)).unwrap()
    }

    #[rstest]
    #[case::nearer(30.2, 1.0, Grade::Fine)]
    #[case::hardly_nearer(30.05, 1.0, Grade::Draft)]
    #[case::nearer_on_few_pixels(30.2, 4.0, Grade::Draft)]
    #[case::worse(29.5, 1.0, Grade::Draft)]
    fn the_fine_model_must_be_worth_its_wait(#[case] psnr: f64, #[case] doubt: f64, #[case] expected: Grade) {
        let fine = tried(EVERYDAY, Grade::Fine, Figures { psnr, ..FIGURES });
        assert_eq!(chosen(&[fine], doubt, false), (EVERYDAY.to_owned(), expected));
    }

    #[rstest]
    #[case::nearer(Figures { psnr: 30.4, ..FIGURES }, "lettering")]
    #[case::nearer_to_the_eye_at_a_small_cost(Figures { psnr: 29.9, perceived: Some(0.8), ..FIGURES }, "lettering")]
    #[case::nearer_to_the_eye_at_a_great_cost(Figures { psnr: 29.5, perceived: Some(0.5), ..FIGURES }, EVERYDAY)]
    #[case::with_a_screen(Figures { psnr: 30.4, screen: Some(40.0), ..FIGURES }, EVERYDAY)]
    #[case::with_the_truths_own_screen(Figures { psnr: 30.4, screen: Some(40.0), own_screen: Some(35.0), ..FIGURES }, "lettering")]
    #[case::with_other_colours(Figures { psnr: 30.4, drift: 0.9, ..FIGURES }, EVERYDAY)]
    #[case::no_nearer(FIGURES, EVERYDAY)]
    fn another_subject_must_come_nearer_without_harm(#[case] figures: Figures, #[case] expected: &str) {
        assert_eq!(chosen(&[tried("lettering", Grade::Draft, figures)], 1.0, false).0, expected);
    }

    #[test]
    fn an_old_print_is_given_its_model_where_that_costs_little() {
        let prints = |psnr| [tried(PRINTS, Grade::Draft, Figures { psnr, ..FIGURES })];
        assert_eq!(chosen(&prints(29.9), 1.0, true).0, PRINTS);
        assert_eq!(chosen(&prints(29.9), 1.0, false).0, EVERYDAY);
        assert_eq!(chosen(&prints(29.0), 1.0, true).0, EVERYDAY);
    }
}
