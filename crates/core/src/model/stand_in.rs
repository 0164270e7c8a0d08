//! Networks for tests: exact answers without a runtime.

use dettaglio_domain::geometry::Size;
use dettaglio_domain::model::LevelKind;

use super::grain::grain;
use super::{Corner, ModelError, Network};
use crate::picture::Planes;

pub use dettaglio_domain::stand_in::{card, cleaner_card, filler_card, finder_card, restorer_card, texture_card};

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

/// A finder of wear that takes nearly white pixels for specks.
pub struct Bright;

impl Network for Bright {
    fn factor(&self) -> u32 {
        1
    }

    fn halo(&self) -> u32 {
        0
    }

    fn run_at(&self, input: &Planes, _: Option<&[f32]>, _: Corner) -> Result<Planes, ModelError> {
        let mut likely = Planes::black(input.size());
        let luminance = input.luminance();
        likely.values_mut().iter_mut().zip(&luminance).for_each(|(p, v)| *p = if *v > 0.98 { 0.95 } else { 0.02 });
        Ok(likely)
    }
}

/// A filler that paints what is marked in one tone, and spoils all else a little: nobody may see that.
pub struct Paint {
    /// The tone, encoded.
    pub value: f32,
}

impl Network for Paint {
    fn factor(&self) -> u32 {
        1
    }

    fn halo(&self) -> u32 {
        4
    }

    fn level(&self) -> Option<LevelKind> {
        Some(LevelKind::Wear)
    }

    fn run_at(&self, input: &Planes, level: Option<&[f32]>, _: Corner) -> Result<Planes, ModelError> {
        let marks = level.expect("a filler is told what is marked");
        let area = marks.len();
        let paint = |(i, v): (usize, &f32)| if marks[i % area] > 0.0 { self.value } else { v * 0.99 };
        Ok(Planes::from_values(input.size(), input.values().iter().enumerate().map(paint).collect()))
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
