//! A rehearsal: who takes part in it, the figures that are compared, and where it stands.

use serde::{Deserialize, Serialize};

use crate::affine::space::Original;
use crate::clean::Clean;
use crate::geometry::Region;
use crate::kernel::Kernel;
use crate::model::{Catalogue, Kind, MOST_SCREEN};
use crate::recipe::{Choice, Recipe, Steps};

/// Figures of one candidate, on one part or over several.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Figures {
    /// Peak signal-to-noise ratio of luminance in dB, 99 at most; more is nearer to the truth.
    pub psnr: f64,
    /// Structural similarity of luminance, up to 1; more is nearer.
    pub ssim: f64,
    /// How far it lies from the truth to a general network that has learned to see; less is nearer. Nothing where there is none.
    pub perceived: Option<f64>,
    /// Most energy on the lattice of the factor over that around it: photographs have 1 to 4, a visible screen more than 10.
    pub screen: Option<f64>,
    /// The same of the truth: type, weaves and tiles have lattices of their own.
    pub own_screen: Option<f64>,
    /// Mean CIEDE2000 of 8 px averages: colour and tone that moved.
    pub drift: f64,
    /// Mean gradient over the truth's: below 1 softer, above 1 sharper or noisier.
    pub sharpness: f64,
    /// How far edges overshoot, as a share of their height; nothing where there are too few edges.
    pub overshoot: Option<f32>,
}

impl Figures {
    /// By what share it looks nearer to the truth than another, to the network that sees; below 0 where it looks further from it, nothing
    /// where one of the two was not looked at.
    pub fn looks_nearer_than(&self, other: &Self) -> Option<f64> {
        Some(1.0 - self.perceived? / other.perceived?.max(1e-9))
    }

    /// Whether it draws a pattern on the lattice of the factor that the truth has not.
    pub fn draws_screen(&self) -> bool {
        self.screen.is_some_and(|screen| screen > MOST_SCREEN.max(2.0 * self.own_screen.unwrap_or_default()))
    }
}

/// One way to enlarge.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Candidate {
    /// What it is called.
    pub name: String,
    /// What is done.
    pub steps: Steps,
}

impl Candidate {
    /// Only enlarging.
    pub fn enlarging(name: String, enlarge: Choice, clean: &Clean) -> Self {
        Self { name, steps: Steps { clean: clean.clone(), ..Recipe::only(enlarge).steps } }
    }
}

/// The plain methods, then every subject and grade of the enlargers of a catalogue whose models start a chain to this factor, by name.
///
/// All of them start from what `clean` leaves.
pub fn candidates(catalogue: &Catalogue, factor: u32, clean: &Clean) -> Vec<Candidate> {
    let plain = Kernel::ALL.map(|kernel| {
        let name = kernel.to_string();
        let name = name[..1].to_uppercase() + &name[1..];
        Candidate::enlarging(name, Choice::Plain { kernel }, &Clean::default())
    });
    let mut all = Vec::from(plain);
    for card in catalogue.cards().filter(|card| card.kind() == Kind::Enlarge) {
        let chain = catalogue.chain(&card.subject, card.grade, f64::from(factor));
        let Some(first) = chain.first().copied().filter(|first| first.grade == card.grade) else { continue };
        let enlarge = Choice::Learned { subject: card.subject.clone(), grade: card.grade, strength: 1.0 };
        if all.iter().all(|c| c.steps.enlarge != enlarge) {
            // A chain of another factor's model is called by the subject.
            let name = if chain.len() == 1 { first.title() } else { format!("{}, {} times", first.title(), factor) };
            all.push(Candidate::enlarging(name, enlarge, clean));
        }
    }
    all
}

/// Where a rehearsal stands, or what came of it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Standing {
    /// Result side / side of what candidates start from.
    pub factor: u32,
    /// The parts in pixels of the original, in the order in which they are done.
    #[cfg_attr(feature = "schema", schema(value_type = Vec<Region>))]
    pub parts: Vec<Region<Original>>,
    /// How many of them all candidates have done.
    pub parts_done: usize,
    /// The candidates, in the order in which they perform.
    pub rows: Vec<Row>,
    /// Whether all is done.
    pub finished: bool,
}

/// What came of a candidate so far.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Row {
    /// Who, and what is done.
    #[serde(flatten)]
    pub candidate: Candidate,
    /// Over all parts that it has done; nothing before the first.
    pub figures: Option<Figures>,
    /// How many it has done.
    pub parts: usize,
    /// Seconds for a megapixel of what it starts from, as far as it went.
    pub seconds_per_megapixel: Option<f64>,
    /// Whether it draws a pattern on the lattice of the factor that the picture has not.
    pub draws_screen: bool,
    /// Why it cannot perform.
    pub trouble: Option<String>,
}

/// A signal-to-noise ratio beyond which pictures count as equal, in dB: infinity has no place in a file.
pub const EQUAL: f64 = 99.0;

/// Figures over several parts.
#[derive(Clone, Debug, Default)]
pub struct Tally(Vec<Figures>);

impl Tally {
    /// Takes in one more part.
    pub fn add(&mut self, figures: Figures) {
        self.0.push(figures);
    }

    /// How many parts there are.
    pub fn parts(&self) -> usize {
        self.0.len()
    }

    /// Over all parts, each of the same weight: signal-to-noise by the mean squared error, the screen by its most, the others by their
    /// mean. Nothing of no parts.
    pub fn over_all(&self) -> Option<Figures> {
        if self.0.is_empty() {
            return None;
        }
        let mean = |of: fn(&Figures) -> f64| self.0.iter().map(of).sum::<f64>() / self.0.len() as f64;
        let known = |of: fn(&Figures) -> Option<f64>| {
            let values: Vec<f64> = self.0.iter().filter_map(of).collect();
            (!values.is_empty()).then(|| values.iter().sum::<f64>() / values.len() as f64)
        };
        let error = mean(|f| 10_f64.powf(-f.psnr / 10.0));
        Some(Figures {
            psnr: (-10.0 * error.log10()).min(EQUAL),
            ssim: mean(|f| f.ssim),
            perceived: known(|f| f.perceived),
            screen: self.0.iter().filter_map(|f| f.screen).max_by(f64::total_cmp),
            own_screen: self.0.iter().filter_map(|f| f.own_screen).max_by(f64::total_cmp),
            drift: mean(|f| f.drift),
            sharpness: mean(|f| f.sharpness),
            overshoot: known(|f| f.overshoot.map(f64::from)).map(|v| v as f32),
        })
    }
}

impl Standing {
    /// What came of it in a sentence: who came nearest without drawing a pattern, and how near plain bicubic came.
    pub fn in_words(&self) -> Option<String> {
        let psnr = |row: &Row| row.figures.map_or(f64::NEG_INFINITY, |figures| figures.psnr);
        let fair = self.rows.iter().filter(|row| row.figures.is_some() && !row.draws_screen);
        let best = fair.max_by(|a, b| psnr(a).total_cmp(&psnr(b)))?;
        let bicubic = Choice::Plain { kernel: Kernel::Bicubic };
        let plain = self.rows.iter().find(|row| row.candidate.steps.enlarge == bicubic && row.figures.is_some())?;
        let parts = if self.parts.len() == 1 { "1 part".to_owned() } else { format!("{} parts", self.parts.len()) };
        Some(format!(
            "Rehearsed {} times on {parts} of it: {} came nearest, within {:.1} dB, where bicubic gives {:.1}.",
            self.factor,
            best.candidate.name,
            psnr(best),
            psnr(plain)
        ))
    }

    /// The mean of several pictures' figures, candidate by candidate as they are called; pictures on which one failed do not count
    /// for it.
    pub fn together(all: &[Standing]) -> Vec<(String, Tally)> {
        let mut names: Vec<&str> = Vec::new();
        for row in all.iter().flat_map(|standing| &standing.rows) {
            if !names.contains(&row.candidate.name.as_str()) {
                names.push(&row.candidate.name);
            }
        }
        let tally = |name: &str| {
            let mut tally = Tally::default();
            let rows = all.iter().flat_map(|standing| &standing.rows).filter(|row| row.candidate.name == name);
            rows.filter_map(|row| row.figures).for_each(|figures| tally.add(figures));
            tally
        };
        names.into_iter().map(|name| (name.to_owned(), tally(name))).collect()
    }
}
