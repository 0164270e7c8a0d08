//! A whole rehearsal: every candidate on every part, part by part, so that the first figures of all are there early.

use std::time::Instant;

use dettaglio_domain::affine::space;
use dettaglio_domain::geometry::Region;
use dettaglio_domain::rehearsal::{Candidate, Figures, Row, Standing, Tally};

use super::scene::{PutBack, RehearsalError, Scene};
use crate::model::Shelf;
use crate::picture::{Original, Planes};
use crate::render::{Pace, Renderer};

/// Bytes of tiles that a turn keeps while it goes on.
const TILES: usize = 16 << 20;

/// Parts and candidates of a rehearsal.
pub struct Rehearsal {
    scenes: Vec<Scene>,
    candidates: Vec<Candidate>,
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
        parts: &[Region<space::Original>],
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
        Ok(Done { figures: self.scenes[turn.part].figures(&result, shelf), seconds })
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
        mut report: impl FnMut(&Standing),
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
            report(score.standing());
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
