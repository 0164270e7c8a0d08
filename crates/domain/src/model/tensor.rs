//! How a network wants its pictures, and what a trial run found of a person's own model.

use serde::{Deserialize, Serialize};

use crate::geometry::Size;

/// Which axis of the tensor holds the colours.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Layout {
    /// (1, channels, height, width).
    ChannelsFirst,
    /// (1, height, width, channels).
    ChannelsLast,
}

/// What stands for black and white.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Range {
    /// 0 to 1.
    Unit,
    /// 0 to 255.
    Byte,
    /// -1 to 1.
    Signed,
}

/// The type of the tensor's numbers.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Element {
    /// 32-bit float.
    Float,
    /// 8-bit unsigned.
    Byte,
}

/// All of it together.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct TensorFormat {
    /// Where the colours are.
    pub layout: Layout,
    /// 3 colours, or 1 for brightness alone; colour is then resampled plainly.
    pub channels: u32,
    /// What is given for black and white.
    pub input_range: Range,
    /// What it answers for black and white.
    pub output_range: Range,
    /// Blue comes first.
    pub blue_first: bool,
}

/// What a trial run found, as it stands in the card.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Trial {
    /// How it wants its pictures.
    pub format: TensorFormat,
    /// Of what its numbers are.
    pub element: Element,
    /// Output side / input side; 1 for a cleaner.
    pub factor: u32,
    /// Input pixels around a pixel that its value depends on.
    pub halo: u32,
    /// Sides of its input are multiples of this.
    pub multiple: u32,
    /// Tiles of 128 px from left to right that it is given at once, so that it stays within its memory.
    pub block_columns: u32,
    /// The largest difference between a picture done in tiles and done at once, in 8-bit levels.
    pub tile_difference: f32,
    /// PSNR of its answer to the test card against the card enlarged plainly, dB: that it is the same picture.
    pub likeness: f64,
    /// Input pixels a second, once.
    pub pixels_per_second: f64,
    /// Bytes of memory per input pixel while it runs.
    pub bytes_per_pixel: u64,
}

impl Range {
    /// All of them, the likeliest first.
    pub const ALL: [Self; 3] = [Self::Unit, Self::Byte, Self::Signed];

    /// From a value between 0 and 1.
    pub fn of_unit(self, value: f32) -> f32 {
        match self {
            Self::Unit => value,
            Self::Byte => value * 255.0,
            Self::Signed => value * 2.0 - 1.0,
        }
    }

    /// To a value between 0 and 1.
    pub fn to_unit(self, value: f32) -> f32 {
        match self {
            Self::Unit => value,
            Self::Byte => value / 255.0,
            Self::Signed => (value + 1.0) / 2.0,
        }
    }
}

impl TensorFormat {
    /// What most networks want: channels first, red first, 0 to 1.
    pub const USUAL: Self = Self {
        layout: Layout::ChannelsFirst,
        channels: 3,
        input_range: Range::Unit,
        output_range: Range::Unit,
        blue_first: false,
    };

    /// The shape of a picture's tensor.
    pub fn shape(&self, size: Size) -> [usize; 4] {
        let (channels, height, width) = (self.channels as usize, size.height as usize, size.width as usize);
        match self.layout {
            Layout::ChannelsFirst => [1, channels, height, width],
            Layout::ChannelsLast => [1, height, width, channels],
        }
    }

    /// The size of the picture in a tensor of this shape; nothing when it is no picture of this format.
    pub fn size(&self, shape: &[i64]) -> Option<Size> {
        let &[1, a, b, c] = shape else { return None };
        let (channels, height, width) = match self.layout {
            Layout::ChannelsFirst => (a, b, c),
            Layout::ChannelsLast => (c, a, b),
        };
        let side = |px: i64| u32::try_from(px).ok().filter(|px| *px > 0);
        (channels == i64::from(self.channels)).then(|| Some(Size::new(side(width)?, side(height)?)))?
    }

    /// Which of red, green and blue lies at a place of the tensor.
    pub fn colour(&self, place: usize) -> usize {
        if self.blue_first { 2 - place } else { place }
    }
}
