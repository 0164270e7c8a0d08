//! A whole rehearsal: every candidate on every part, part by part, so that the first figures of all are there early.

use std::time::Instant;

use serde::{Deserialize, Serialize};

use super::{Candidate, Figures, PutBack, RehearsalError, Scene, Tally};
use crate::enlarge::Kernel;
use crate::model::Shelf;
use crate::picture::{Original, Planes, Region};
use crate::recipe::Choice;
use crate::render::{Pace, Renderer};

/// Bytes of tiles that a turn keeps while it goes on.
const TILES: usize = 16 << 20;

/// Parts and candidates of a rehearsal.
pub struct Rehearsal {
    scenes: Vec<Scene>,
    candidates: Vec<Candidate>,
}

/// Where a rehearsal stands, or what came of it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Standing {
    /// Result side / side of what candidates start from.
    pub factor: u32,
    /// The parts in pixels of the original, in the order in which they are done.
    pub parts: Vec<Region>,
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

/// One candidate on one part.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Turn {
    /// Which part.
    pub part: usize,
    /// Which candidate.
    pub candidate: usize,
}

/// How it went.
#[derive(Clone, Debug)]
pub struct Done {
    figures: Figures,
    seconds: f64,
}

impl Rehearsal {
    /// Of these parts of a picture.
    ///
    /// # Errors
    /// When a part is too small to be shrunk.
    pub fn new(
        original: &Original,
        parts: &[Region],
        factor: u32,
        put_back: PutBack,
        candidates: Vec<Candidate>,
    ) -> Result<Self, RehearsalError> {
        let scenes = parts.iter().map(|part| Scene::new(original, *part, factor, put_back));
        Ok(Self { scenes: scenes.collect::<Result<_, _>>()?, candidates })
    }

    /// Before anyone has performed.
    pub fn standing(&self) -> Standing {
        let row = |candidate: &Candidate| Row {
            candidate: candidate.clone(),
            figures: None,
            parts: 0,
            seconds_per_megapixel: None,
            draws_screen: false,
            trouble: None,
        };
        Standing {
            factor: self.scenes.first().map_or(1, |scene| scene.factor),
            parts: self.scenes.iter().map(|scene| scene.part).collect(),
            parts_done: 0,
            rows: self.candidates.iter().map(row).collect(),
            finished: self.scenes.is_empty() || self.candidates.is_empty(),
        }
    }

    /// All turns, in order.
    pub fn turns(&self) -> impl Iterator<Item = Turn> + use<> {
        let (parts, candidates) = (self.scenes.len(), self.candidates.len());
        (0..parts).flat_map(move |part| (0..candidates).map(move |candidate| Turn { part, candidate }))
    }

    /// Takes a turn.
    ///
    /// # Panics
    /// When there is no such part or candidate.
    pub fn take(&self, turn: Turn, shelf: &Shelf, pace: &dyn Pace) -> Result<Done, RehearsalError> {
        self.scenes[turn.part].prepare(shelf, &self.candidates[turn.candidate].steps)?;
        let start = Instant::now();
        let result = self.perform(turn, shelf, pace)?;
        let seconds = start.elapsed().as_secs_f64();
        Ok(Done { figures: self.scenes[turn.part].figures(&result), seconds })
    }

    /// What a candidate makes of a part.
    ///
    /// # Panics
    /// As [`take`](Self::take).
    pub fn perform(&self, turn: Turn, shelf: &Shelf, pace: &dyn Pace) -> Result<Planes, RehearsalError> {
        // A renderer of its own, so that none is the faster for what another has computed.
        let renderer = Renderer::new(shelf.clone(), TILES);
        self.scenes[turn.part].perform(&renderer, &self.candidates[turn.candidate].steps, pace)
    }

    /// All of it, one turn after the other; `told` is told after each. A candidate that fails is left out from then on.
    ///
    /// # Errors
    /// When `pace` gives it up.
    pub fn run(
        &self,
        shelf: &Shelf,
        pace: &dyn Pace,
        mut told: impl FnMut(&Standing),
    ) -> Result<Standing, RehearsalError> {
        let mut score = Score::of(self);
        for turn in self.turns() {
            if score.is_out(turn.candidate) {
                continue;
            }
            match self.take(turn, shelf, pace) {
                Err(error) if error.is_cancelled() => return Err(error),
                taken => score.enter(turn, taken),
            }
            told(score.standing());
        }
        Ok(score.close())
    }
}

/// The figures so far, turn by turn.
pub struct Score {
    standing: Standing,
    tallies: Vec<Tally>,
    /// Seconds and pixels of what each candidate started from.
    spent: Vec<(f64, u64)>,
    pixels: Vec<u64>,
}

impl Score {
    /// Of a rehearsal that is about to begin.
    pub fn of(rehearsal: &Rehearsal) -> Self {
        let standing = rehearsal.standing();
        let count = standing.rows.len();
        let pixels = rehearsal.scenes.iter().map(Scene::input_pixels).collect();
        Self { standing, tallies: vec![Tally::default(); count], spent: vec![(0.0, 0); count], pixels }
    }

    /// Where it stands.
    pub fn standing(&self) -> &Standing {
        &self.standing
    }

    /// Whether a candidate has failed.
    pub fn is_out(&self, candidate: usize) -> bool {
        self.standing.rows[candidate].trouble.is_some()
    }

    /// Enters how a turn went.
    pub fn enter(&mut self, turn: Turn, taken: Result<Done, RehearsalError>) {
        let Turn { part, candidate } = turn;
        let row = &mut self.standing.rows[candidate];
        match taken {
            Ok(Done { figures, seconds }) => {
                self.tallies[candidate].add(figures);
                let (spent, pixels) = &mut self.spent[candidate];
                *spent += seconds;
                *pixels += self.pixels[part];
                row.seconds_per_megapixel = Some(*spent * 1e6 / (*pixels).max(1) as f64);
                // On any part: what is rare is seen all the same.
                row.draws_screen |= figures.draws_screen();
                row.figures = self.tallies[candidate].over_all();
                row.parts = self.tallies[candidate].parts();
            }
            Err(error) => row.trouble = Some(error.to_string()),
        }
        if candidate + 1 == self.standing.rows.len() {
            self.standing.parts_done = part + 1;
        }
    }

    /// All is done.
    pub fn close(mut self) -> Standing {
        self.standing.finished = true;
        self.standing.parts_done = self.standing.parts.len();
        self.standing
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
