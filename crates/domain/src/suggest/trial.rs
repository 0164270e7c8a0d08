//! A trial: what a picture's own parts, shrunk and enlarged again, said of the candidates; and how that decides.
//!
//! Figures decide, within bounds that keep a figure from being pleased by harm.

use serde::{Deserialize, Serialize};

use super::subject::{PRINTS, spoken_for};
use crate::hash::ContentHash;
use crate::model::{Card, Catalogue, EVERYDAY, Grade};
use crate::reading::Reading;
use crate::rehearsal::Figures;
use crate::sight::Shown;

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

impl KeptTrial {
    /// Whether it holds for a shelf of this mark and a factor.
    pub fn holds(&self, shelf: ContentHash, factor: u32) -> bool {
        self.shelf == shelf && self.factor == factor
    }
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
    /// Whether the picture holds a fine regular pattern, which shrinking turns into another: the trial says little of it.
    #[serde(default)]
    pub patterned: bool,
}

/// dB by which the fine model must come nearer than the draft for the wait.
const WORTH_WAITING_FOR: f64 = 0.08;

/// dB by which another subject's model must come nearer than the better one of Everyday's.
const WORTH_CHANGING: f64 = 0.15;

/// dB that another subject's model may lose against Everyday where it comes nearer to the eye, and by what share it must.
pub(super) const MAY_LOSE: f64 = 0.1;

const NEARER: f64 = 0.12;

/// How much further than Everyday's such a mean may lie from the truth: where type is drawn sharper its means move too.
pub(super) const MAY_DRIFT: f64 = 0.25;

/// dB that a setting may lose against the best one and still be taken, where it is the usual one.
pub const HARDLY: f64 = 0.05;

/// dB by which a subject's draft may lie behind Everyday's for its fine model to be tried.
const FAR_BEHIND: f64 = 0.5;

/// Mean CIEDE2000 of 8 px means beyond which a model is not suggested.
pub(super) const MOST_DRIFT: f64 = 0.5;

/// The most that a model may add where a picture holds a fine regular pattern: it may carry its lines on in a wrong direction.
pub const MOST_OF_A_PATTERN: f32 = 0.7;

/// Overshoot that all sharpening together may cause, as a share of an edge's height.
pub const MOST_OVERSHOOT: f32 = 0.04;

/// The factor that is tried for a print's; nothing where it needs no model.
pub fn factor_for(print: f64) -> Option<u32> {
    (print > 1.01).then_some(if print <= 2.01 { 2 } else { 4 })
}

/// The models that may suit a picture: Everyday's of both grades, and those of subjects that the reading and what it shows speak for.
pub fn entrants(
    catalogue: &Catalogue,
    reading: &Reading,
    shows: Option<Shown>,
    factor: u32,
) -> Vec<(&'static str, Grade)> {
    let subjects = [EVERYDAY].into_iter().chain(spoken_for(reading, shows));
    let subjects = subjects.filter(|subject| catalogue.commends(subject));
    let with_grades = subjects.flat_map(|subject| [Grade::Draft, Grade::Fine].map(|grade| (subject, grade)));
    let has = |subject: &str, grade| {
        let chain = catalogue.chain(subject, grade, f64::from(factor));
        chain.first().is_some_and(|m| m.subject == subject && m.grade == grade && !m.draws_screen())
    };
    with_grades.filter(|(subject, grade)| has(subject, *grade)).take(6).collect()
}

/// Whether a subject's draft lies so far behind Everyday's that its fine model need not be waited for.
pub fn is_far_behind(tried: &[Tried], subject: &str) -> bool {
    let draft = |subject: &str| {
        let own = tried.iter().find(|t| t.subject == subject && t.grade == Grade::Draft);
        own.map(|t| t.figures.psnr)
    };
    subject != EVERYDAY && draft(subject).zip(draft(EVERYDAY)).is_some_and(|(own, usual)| own < usual - FAR_BEHIND)
}

/// What a trial has to go by beside its figures.
#[derive(Clone, Copy)]
pub struct Circumstances<'a> {
    /// What was measured on the picture.
    pub reading: &'a Reading,
    /// How much clearer a figure must speak than where there are pixels enough: 1 where there are, more where there are few.
    pub doubt: f64,
    /// dB that a subject's fine model is expected to come nearer than its draft, by what was measured on other pictures.
    pub expected: &'a dyn Fn(&str) -> f64,
}

/// What a subject's fine model gained over its draft at a factor, in dB, on other pictures that were shrunk in light; 0 where that was
/// not measured.
pub fn expected_of_fine(catalogue: &Catalogue, subject: &str, factor: u32) -> f64 {
    let gain = |grade| {
        let first = catalogue.chain(subject, grade, f64::from(factor)).into_iter().find(|card| card.grade == grade);
        first.and_then(Card::light_gain)
    };
    gain(Grade::Fine).zip(gain(Grade::Draft)).map_or(0.0, |(fine, draft)| fine - draft)
}

/// The model that does best, by the bounds above.
///
/// Few pixels say little of the grade: what is expected of the fine model counts the more, the fewer there are.
pub fn best<'t>(tried: &'t [Tried], known: Circumstances<'_>) -> Option<(&'t str, Grade)> {
    let Circumstances { reading, doubt, expected } = known;
    let of = |subject: &str| {
        let grades = |grade| tried.iter().find(|t| t.subject == subject && t.grade == grade);
        match (grades(Grade::Draft), grades(Grade::Fine)) {
            (Some(draft), Some(fine)) => {
                let (measured, trusted) = (fine.figures.psnr - draft.figures.psnr, 1.0 / doubt);
                let likely = trusted * measured + (1.0 - trusted) * expected(subject);
                Some(if likely >= WORTH_WAITING_FOR { fine } else { draft })
            }
            (draft, fine) => fine.or(draft),
        }
    };
    let Some(everyday) = of(EVERYDAY) else { return tried.first().map(|t| (t.subject.as_str(), t.grade)) };
    let nearest =
        tried.iter().filter(|t| t.subject == EVERYDAY).map(|t| t.figures.psnr).fold(f64::NEG_INFINITY, f64::max);
    let worth = |other: &Tried| {
        let (plain, own) = (&everyday.figures, &other.figures);
        let gain = own.psnr - nearest;
        let nearer = own.looks_nearer_than(plain).unwrap_or_default();
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

/// The first of some settings, each with how near it comes in dB, that comes as near as the best one or hardly less so; `doubt` as in
/// [`Circumstances`].
pub fn usual_or_best<const N: usize>(tries: [(f32, f64); N], doubt: f64) -> (f32, f64) {
    let best = tries.iter().map(|(_, psnr)| *psnr).fold(f64::NEG_INFINITY, f64::max);
    tries.into_iter().find(|(_, psnr)| *psnr >= best - HARDLY * doubt).unwrap_or(tries[0])
}

impl Trial {
    /// The figures of a model, where it was tried.
    pub fn of_model(&self, subject: &str, grade: Grade) -> Option<&Figures> {
        self.tried.iter().find(|t| t.subject == subject && t.grade == grade).map(|t| &t.figures)
    }

    /// Why its model was chosen, in one sentence.
    pub fn reason(&self, catalogue: &Catalogue) -> String {
        let Chosen { subject, grade, .. } = &self.chosen;
        let name = |subject: &str, grade| {
            let chain = catalogue.chain(subject, grade, f64::from(self.factor));
            chain.first().map_or_else(|| subject.to_owned(), |m| m.title())
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
            let nearer = own.looks_nearer_than(everyday).map(|share| 100.0 * share);
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
