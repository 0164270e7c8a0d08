//! A model's card: what it is for, what it was made from, and how to run it.

use serde::{Deserialize, Serialize};

use super::score::{CleaningScore, Evidence, MOST_SCREEN, PHOTOGRAPHS, Score, perceived_nearer};
use super::tensor::Trial;
use crate::hash::ContentHash;

/// A model's card. It is kept as the JSON file beside each ONNX file, in the flat form of [`CardFile`](super::CardFile).
#[derive(Clone, Debug, PartialEq)]
pub struct Card {
    /// Unique, also the file name: "everyday-x4-draft".
    pub id: String,
    /// For people: "Everyday x4".
    pub name: String,
    /// What it was made for: "everyday", "foliage", ...
    pub subject: String,
    /// Fast or thorough.
    pub grade: Grade,
    /// In one sentence, for whom.
    pub purpose: String,
    /// Input pixels around a pixel that its value depends on.
    pub halo: u32,
    /// Sides of its input are multiples of this, 1 or more; what lacks at the right and lower edge is filled up.
    pub multiple: u32,
    /// How many numbers were learned.
    pub parameters: u64,
    /// Of the model file.
    pub licence: String,
    /// The photographs that it learned from, with credits.
    pub training_data: Vec<String>,
    /// How it was trained.
    pub recipe: String,
    /// When it was exported, year-month-day.
    pub made_on: String,
    /// Where it is known to do badly.
    pub weaknesses: Vec<String>,
    /// Of a person's own model: how it wants its pictures, as a trial run found out.
    pub trial: Option<Trial>,
    /// SHA-256 of the ONNX file.
    pub sha256: ContentHash,
    /// What it does to a picture, and what was measured of that.
    pub task: Task,
}

/// What a model does to a picture, with what only such a model has.
#[derive(Clone, Debug, PartialEq)]
pub enum Task {
    /// Makes it larger.
    Enlarge(Enlarger),
    /// Takes damage out of it.
    Clean(Cleaner),
    /// Restores a face on its canvas.
    Face(Restorer),
    /// Finds dust, scratches and breaks.
    Find(Repairer),
    /// Fills what it is told of.
    Fill(Repairer),
}

/// What an enlarger has.
#[derive(Clone, Debug, PartialEq)]
pub struct Enlarger {
    /// Output side over input side, 2 or more.
    pub factor: u32,
    /// Whether it draws texture from noise that belongs to the place, as a second input named `grain` at the result's size.
    pub grain: bool,
    /// Whether it takes damage out while it enlarges: such a model runs once, and others go on from there.
    pub cleans: bool,
    /// What it is told besides the picture.
    pub level: Option<LevelKind>,
    /// Measured gains; empty until `evaluate` has run.
    pub scores: Vec<Score>,
}

/// What a cleaner has.
#[derive(Clone, Debug, PartialEq)]
pub struct Cleaner {
    /// What it is told besides the picture, as a second input named `level`; a person's own may need nothing.
    pub level: Option<LevelKind>,
    /// Measured gains over the damaged picture; empty until `evaluate` has run.
    pub cleaning: Vec<CleaningScore>,
}

/// What a restorer of faces has.
#[derive(Clone, Debug, PartialEq)]
pub struct Restorer {
    /// What it is told besides the canvas.
    pub level: Option<LevelKind>,
    /// The share of its answer that is suggested, 0 to 1; see [`Card::usual_strength`].
    pub strength: Option<f32>,
    /// Measured gains over Everyday; empty until `evaluate` has run.
    pub cleaning: Vec<CleaningScore>,
}

/// What a finder or a filler of wear has.
#[derive(Clone, Debug, PartialEq)]
pub struct Repairer {
    /// What it is told besides the picture.
    pub level: Option<LevelKind>,
    /// What was measured; empty until `repair` has run.
    pub cleaning: Vec<CleaningScore>,
}

impl Task {
    /// Its kind alone.
    pub fn kind(&self) -> Kind {
        match self {
            Self::Enlarge(_) => Kind::Enlarge,
            Self::Clean(_) => Kind::Clean,
            Self::Face(_) => Kind::Face,
            Self::Find(_) => Kind::Find,
            Self::Fill(_) => Kind::Fill,
        }
    }
}

impl Card {
    /// What it does to a picture.
    pub fn kind(&self) -> Kind {
        self.task.kind()
    }

    /// What it has as an enlarger, if it is one.
    pub fn enlarger(&self) -> Option<&Enlarger> {
        if let Task::Enlarge(own) = &self.task { Some(own) } else { None }
    }

    /// Output side over input side: 1 for all but enlargers.
    pub fn factor(&self) -> u32 {
        self.enlarger().map_or(1, |own| own.factor)
    }

    /// Whether it is an enlarger that takes damage out as well.
    pub fn cleans(&self) -> bool {
        self.enlarger().is_some_and(|own| own.cleans)
    }

    /// Whether it is an enlarger that draws texture.
    pub fn draws(&self) -> bool {
        self.enlarger().is_some_and(|own| own.grain)
    }

    /// What it is told besides the picture, as a second input named `level`.
    pub fn level(&self) -> Option<LevelKind> {
        match &self.task {
            Task::Enlarge(own) => own.level,
            Task::Clean(own) => own.level,
            Task::Face(own) => own.level,
            Task::Find(own) | Task::Fill(own) => own.level,
        }
    }

    /// Measured gains of an enlarger, picture by picture; empty for others, and until `evaluate` has run.
    pub fn scores(&self) -> &[Score] {
        self.enlarger().map_or(&[], |own| &own.scores)
    }

    /// Measured gains of a cleaner over the damaged picture, of a restorer over Everyday; empty for enlargers, and until it was measured.
    pub fn cleaning(&self) -> &[CleaningScore] {
        match &self.task {
            Task::Enlarge(_) => &[],
            Task::Clean(own) => &own.cleaning,
            Task::Face(own) => &own.cleaning,
            Task::Find(own) | Task::Fill(own) => &own.cleaning,
        }
    }

    /// With what was measured of an enlarger; another has no such scores.
    pub fn with_scores(mut self, measured: Vec<Score>) -> Self {
        if let Task::Enlarge(own) = &mut self.task {
            own.scores = measured;
        }
        self
    }

    /// With what was measured of a cleaner, a restorer or a repairer; an enlarger has no such scores.
    pub fn with_cleaning(mut self, measured: Vec<CleaningScore>) -> Self {
        match &mut self.task {
            Task::Enlarge(_) => {}
            Task::Clean(own) => own.cleaning = measured,
            Task::Face(own) => own.cleaning = measured,
            Task::Find(own) | Task::Fill(own) => own.cleaning = measured,
        }
        self
    }

    /// With the share of its answer that is suggested of a restorer.
    pub fn with_strength(mut self, strength: Option<f32>) -> Self {
        if let Task::Face(own) = &mut self.task {
            own.strength = strength;
        }
        self
    }

    /// The share of a restorer's answer that is suggested: the most, in tenths, at which no part of a damaged face came out worse by more
    /// than [`MOST_LOST`](super::score::MOST_LOST) than without it, when `evaluate` last ran; half before it was measured.
    pub fn usual_strength(&self) -> f32 {
        let Task::Face(own) = &self.task else { return 0.0 };
        own.strength.unwrap_or(0.5)
    }

    /// The scores on what it was made for: its subject's own set, or photographs of all kinds.
    pub fn own_scores(&self) -> Vec<&Score> {
        let of = |set: &str| self.scores().iter().filter(|s| s.set == set).collect::<Vec<_>>();
        let own = of(&self.subject);
        if own.is_empty() { of(PHOTOGRAPHS) } else { own }
    }

    /// Mean gain of an enlarger in dB over bicubic, on what it was made for; nothing before it was measured.
    pub fn enlarging_gain(&self) -> Option<f64> {
        let scores = self.own_scores();
        (!scores.is_empty()).then(|| scores.iter().map(|s| s.gain()).sum::<f64>() / scores.len() as f64)
    }

    /// Mean gain over bicubic in dB on its own subject where pictures were shrunk in light, as a sensor does; nothing before that was
    /// measured.
    pub fn light_gain(&self) -> Option<f64> {
        let gains: Vec<f64> = self.own_scores().iter().filter_map(|score| score.light_gain).collect();
        (!gains.is_empty()).then(|| gains.iter().sum::<f64>() / gains.len() as f64)
    }

    /// Mean gain in dB over the kinds of damage that a cleaner or a restorer was measured on; 0 before it was measured. What it
    /// does to pictures that need nothing does not count: it is not suggested for those.
    pub fn mean_gain(&self) -> f64 {
        let damaged = self.cleaning().iter().filter(|score| !score.undamaged);
        let (sum, count) = damaged.fold((0.0, 0_u32), |(sum, count), s| (sum + s.after - s.before, count + 1));
        sum / f64::from(count.max(1))
    }

    /// By which share a general network that has learned to see takes its results to be nearer to the truth than Everyday's, on what it
    /// was made for: 0.25 is a quarter nearer, less than 0 is further away. Nothing for Everyday itself, or before it was measured.
    pub fn perceived_nearer(&self) -> Option<f64> {
        perceived_nearer(&self.own_scores())
    }

    /// Whether it was measured to leave sound pictures alone: at least [`SPARED`] dB are left between each and what it makes of it. A mean would hide
    /// the one whose rims of glasses it takes. What takes a picture's own points and lines for damage is not suggested, only offered.
    pub fn spares_sound_pictures(&self) -> bool {
        self.cleaning().iter().any(|score| score.undamaged && score.least_gain >= SPARED)
    }

    /// What speaks for it: the mean gain of an enlarger over bicubic by set of pictures, its own set first, or the gain of a cleaner or a
    /// restorer by kind of damage; what it does to sound pictures is not its own. Empty before it was measured, and for a person's own.
    pub fn evidence(&self) -> Vec<Evidence> {
        if self.kind() != Kind::Enlarge {
            // Where pictures were not damaged at all there is nothing to gain.
            let measured = self.cleaning().iter().filter(|score| score.before > 0.0);
            let evidence = |score: &CleaningScore| Evidence {
                on: score.damage.clone(),
                own: !score.undamaged,
                pictures: score.photos,
                least: score.least_gain,
                mean: score.after - score.before,
                most: None,
            };
            return measured.map(evidence).collect();
        }
        let own = self.own_scores().first().map(|score| score.set.clone());
        let mut sets: Vec<&str> = Vec::new();
        for score in self.scores() {
            if !sets.contains(&score.set.as_str()) {
                sets.push(&score.set);
            }
        }
        sets.sort_by_key(|set| own.as_deref() != Some(set));
        let evidence = |set: &str| {
            let gains: Vec<f64> = self.scores().iter().filter(|s| s.set == set).map(Score::gain).collect();
            let least = gains.iter().copied().fold(f64::INFINITY, f64::min);
            let most = gains.iter().copied().fold(f64::NEG_INFINITY, f64::max);
            let mean = gains.iter().sum::<f64>() / gains.len() as f64;
            Evidence {
                on: set.to_owned(),
                own: own.as_deref() == Some(set),
                pictures: gains.len(),
                least,
                mean,
                most: Some(most),
            }
        };
        sets.into_iter().map(evidence).collect()
    }

    /// Whether it was seen to lay a regular pattern over any picture of what it was made for. Such a model is not suggested by name.
    pub fn draws_screen(&self) -> bool {
        self.own_scores().iter().filter_map(|s| s.screen).any(|screen| screen > MOST_SCREEN)
    }

    /// Its name without its factor: "Everyday" for "Everyday x4"; a person's own models are called what the person called them.
    pub fn family(&self) -> &str {
        match self.name.rsplit_once(" x") {
            Some((family, factor)) if self.trial.is_none() && factor.bytes().all(|b| b.is_ascii_digit()) => family,
            _ => &self.name,
        }
    }

    /// Name and grade: "Everyday x4, draft"; a person's own models have no grade.
    pub fn title(&self) -> String {
        if self.trial.is_some() {
            return self.name.clone();
        }
        match self.grade {
            Grade::Draft => format!("{}, draft", self.name),
            Grade::Fine => format!("{}, fine", self.name),
        }
    }
}

/// PSNR in dB from which on a sound picture counts as left alone: about ten marks of 50 px in ten megapixels, as clearly changed as dust.
const SPARED: f64 = 60.0;

/// What a model does to a picture.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum Kind {
    /// Makes it larger.
    Enlarge,
    /// Takes damage out of it.
    Clean,
    /// Restores a face on its canvas.
    Face,
    /// Finds dust, scratches and breaks: its answer says how likely each pixel belongs to a speck, a line, a break.
    Find,
    /// Fills what it is told of.
    Fill,
}

/// What a cleaner or a restorer is told about each pixel.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum LevelKind {
    /// The standard deviation of the noise, 1 being full scale.
    Noise,
    /// 1 - quality / 100 of a JPEG.
    Compression,
    /// The spread of an edge in pixels, over 4.
    Softness,
    /// 1 where a pixel is marked, to be filled, and 0 elsewhere.
    Wear,
    /// How much finer the canvas of a face is than the picture that it was found in: half the binary logarithm, 0 where it is not.
    Scale,
}

/// A model's size.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum Grade {
    /// Fast.
    Draft,
    /// Thorough.
    Fine,
}
