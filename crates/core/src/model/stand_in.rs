//! Networks for tests: exact answers without a runtime.

use super::grain::grain;
use super::{Card, Corner, Grade, Kind, LevelKind, ModelError, Network, PHOTOGRAPHS, Score};
use crate::hash::ContentHash;
use crate::picture::{Planes, Size};

/// Repeats each pixel, and adds a trace of the pixels around it so that a missing halo shows.
pub struct Repeat {
    /// Output side / input side.
    pub factor: u32,
}

impl Network for Repeat {
    fn factor(&self) -> u32 {
        self.factor
    }

    fn halo(&self) -> u32 {
        2
    }

    fn run_at(&self, input: &Planes, _: Option<&[f32]>, _: Corner) -> Result<Planes, ModelError> {
        let Size { width, height } = input.size();
        let size = input.size().times(self.factor);
        let mut out = Planes::black(size);
        for channel in 0..3 {
            for y in 0..size.height {
                for x in 0..size.width {
                    let (cx, cy) = (i64::from(x / self.factor), i64::from(y / self.factor));
                    // Zero outside the picture, as a convolution pads.
                    let at = |dx: i64, dy: i64| {
                        let (px, py) = (cx + dx, cy + dy);
                        let inside = px >= 0 && py >= 0 && px < i64::from(width) && py < i64::from(height);
                        if inside { input.row(channel, py as u32)[px as usize] } else { 0.0 }
                    };
                    out.row_mut(channel, y)[x as usize] =
                        0.8 * at(0, 0) + 0.1 * at(-2, 0) + 0.05 * at(2, 1) + 0.05 * at(1, -2);
                }
            }
        }
        Ok(out)
    }
}

/// An enlarger that repeats each pixel and draws grain over it, as a texture model does.
pub struct Speckle {
    /// Output side / input side.
    pub factor: u32,
}

impl Network for Speckle {
    fn factor(&self) -> u32 {
        self.factor
    }

    fn halo(&self) -> u32 {
        2
    }

    fn run_at(&self, input: &Planes, level: Option<&[f32]>, corner: Corner) -> Result<Planes, ModelError> {
        let mut out = Repeat { factor: self.factor }.run_at(input, level, corner)?;
        let drawn = grain(corner.times(self.factor), out.size());
        for plane in out.values_mut().chunks_exact_mut(drawn.len()) {
            plane.iter_mut().zip(&drawn).for_each(|(v, g)| *v += 0.05 * g);
        }
        Ok(out)
    }
}

/// A card for a texture model in a test.
pub fn texture_card(factor: u32) -> Card {
    let (subject, sha256) = ("fur".to_owned(), ContentHash::of(b"no file either"));
    Card { id: format!("fur-x{factor}-fine"), subject, sha256, grain: true, ..card(factor, Grade::Fine) }
}

/// A cleaner that draws each pixel towards its left neighbour, the more so the higher the level.
pub struct Smear;

impl Network for Smear {
    fn factor(&self) -> u32 {
        1
    }

    fn halo(&self) -> u32 {
        2
    }

    fn level(&self) -> Option<LevelKind> {
        Some(LevelKind::Noise)
    }

    fn run_at(&self, input: &Planes, level: Option<&[f32]>, _: Corner) -> Result<Planes, ModelError> {
        let level = level.expect("a cleaner is told its level");
        let Size { width, height } = input.size();
        let mut out = input.clone();
        for channel in 0..3 {
            for y in 0..height {
                let row = input.row(channel, y);
                for x in 2..width as usize {
                    let share = level[y as usize * width as usize + x].min(0.5);
                    out.row_mut(channel, y)[x] = row[x] * (1.0 - share) + row[x - 2] * share;
                }
            }
        }
        Ok(out)
    }
}

/// A restorer of faces that draws a checkered pattern of squares of `side` px, `depth` lighter and darker by turns.
pub struct Etch {
    /// Of a square.
    pub side: u32,
    /// In encoded values.
    pub depth: f32,
}

impl Network for Etch {
    fn factor(&self) -> u32 {
        1
    }

    fn halo(&self) -> u32 {
        0
    }

    fn run_at(&self, input: &Planes, _: Option<&[f32]>, _: Corner) -> Result<Planes, ModelError> {
        let mut out = input.clone();
        for channel in 0..3 {
            for y in 0..input.size().height {
                for (x, value) in out.row_mut(channel, y).iter_mut().enumerate() {
                    let lighter = (x as u32 / self.side + y / self.side).is_multiple_of(2);
                    *value += if lighter { self.depth } else { -self.depth };
                }
            }
        }
        Ok(out)
    }
}

/// What was measured on a photograph, for a test.
pub fn score() -> Score {
    Score {
        set: PHOTOGRAPHS.to_owned(),
        photo: "vases".to_owned(),
        nearest: 0.0,
        bicubic: 0.0,
        lanczos: 0.0,
        everyday: None,
        model: 0.0,
        bicubic_ssim: 0.0,
        model_ssim: 0.0,
        bicubic_sharpness: 0.0,
        model_sharpness: 0.0,
        bicubic_perceived: None,
        everyday_perceived: None,
        model_perceived: None,
        screen: None,
        weave: None,
        drift: 0.0,
        light_gain: None,
    }
}

/// A card for a restorer in a test.
pub fn restorer_card() -> Card {
    Card { id: "face".to_owned(), kind: Kind::Face, subject: "faces".to_owned(), ..card(1, Grade::Fine) }
}

/// A card for a cleaner in a test.
pub fn cleaner_card() -> Card {
    let (kind, level) = (Kind::Clean, Some(LevelKind::Noise));
    Card { id: "camera-noise-draft".to_owned(), kind, level, subject: "noise".to_owned(), ..card(1, Grade::Draft) }
}

/// A card for a test.
pub fn card(factor: u32, grade: Grade) -> Card {
    let grade_name = if grade == Grade::Draft { "draft" } else { "fine" };
    Card {
        id: format!("everyday-x{factor}-{grade_name}"),
        name: format!("Everyday x{factor}"),
        kind: Kind::Enlarge,
        subject: "everyday".to_owned(),
        grade,
        purpose: "Tests.".to_owned(),
        factor,
        halo: 2,
        multiple: 1,
        level: None,
        parameters: 0,
        licence: "CC0-1.0".to_owned(),
        training_data: Vec::new(),
        recipe: String::new(),
        made_on: "2026-01-01".to_owned(),
        weaknesses: Vec::new(),
        scores: Vec::new(),
        cleaning: Vec::new(),
        strength: None,
        grain: false,
        cleans: false,
        trial: None,
        sha256: ContentHash::of(b"no file"),
    }
}
