//! What every network can do, whoever computes it.

use dettaglio_domain::model::{Kind, LevelKind};

use super::error::ModelError;
use crate::picture::Planes;

/// Something that computes a picture from a picture: the runtime, or anything that stands in for it.
pub trait Network: Send + Sync {
    /// Output side / input side; 1 for a cleaner.
    fn factor(&self) -> u32;
    /// Input pixels around a pixel that its value depends on.
    fn halo(&self) -> u32;
    /// What it is told besides the picture.
    fn level(&self) -> Option<LevelKind> {
        None
    }
    /// What it does to a picture.
    fn kind(&self) -> Kind {
        if self.factor() > 1 { Kind::Enlarge } else { Kind::Clean }
    }
    /// Regions start at columns and rows that are multiples of this.
    fn multiple(&self) -> u32 {
        1
    }
    /// Tiles of 128 px from left to right that it may be given at once.
    fn block_columns(&self) -> u32 {
        16
    }
    /// Computes the whole of `input`; the result has `factor` times its sides.
    ///
    /// `level` holds one value a pixel, row-major, and is there exactly when [`level`](Self::level) names one. `corner` is where
    /// the upper left pixel of `input` lies in the picture that it is a region of: a network that draws texture draws
    /// the same at the same place, whichever region it is given.
    fn run_at(&self, input: &Planes, level: Option<&[f32]>, corner: Corner) -> Result<Planes, ModelError>;

    /// [`run_at`](Self::run_at) for a whole picture.
    fn run(&self, input: &Planes, level: Option<&[f32]>) -> Result<Planes, ModelError> {
        self.run_at(input, level, Corner::default())
    }
}

/// Refuses an answer that holds values that are no numbers, or infinite: it is no picture, whatever is done with it next.
pub(super) fn finite(values: &[f32]) -> Result<(), String> {
    if values.iter().all(|value| value.is_finite()) {
        Ok(())
    } else {
        Err("it answered numbers that are not finite".to_owned())
    }
}

/// A place in a picture: column and row of a pixel.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Corner {
    /// Pixels from the left.
    pub x: u32,
    /// Pixels from above.
    pub y: u32,
}

impl Corner {
    /// The same place in a picture `factor` times as large.
    pub fn times(self, factor: u32) -> Self {
        Self { x: self.x * factor, y: self.y * factor }
    }
}
