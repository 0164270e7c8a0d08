//! Files in and out: a whole original is read, a result is written row band by row band.

mod jpeg_end;
mod read;
mod write;

use std::fmt;
use std::str::FromStr;

use serde::{Deserialize, Serialize};

pub use read::{Decoded, Facts, read, thumbnail};
pub use write::{PictureWriter, encoded_len, png_bytes};

use crate::limits::LimitError;
use crate::picture::Depth;

/// A file format that results are written in.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum Format {
    /// 8 bits, small.
    Jpeg,
    /// 8 or 16 bits, nothing lost.
    Png,
    /// 8 or 16 bits, nothing lost; BigTIFF above 4 GiB.
    Tiff,
}

impl Format {
    /// All of them.
    pub const ALL: [Format; 3] = [Format::Tiff, Format::Png, Format::Jpeg];

    /// The longest side in pixels that the format's own header can state.
    pub fn longest_side(self) -> u32 {
        match self {
            Format::Jpeg => 65_535,
            Format::Png => i32::MAX as u32,
            Format::Tiff => u32::MAX,
        }
    }

    /// Whether it has more than 8 bits a channel.
    pub fn holds_sixteen_bits(self) -> bool {
        self != Format::Jpeg
    }

    /// Ending of file names, without the dot.
    pub fn extension(self) -> &'static str {
        match self {
            Format::Jpeg => "jpg",
            Format::Png => "png",
            Format::Tiff => "tif",
        }
    }

    /// The registered media type.
    pub fn media_type(self) -> &'static str {
        match self {
            Format::Jpeg => "image/jpeg",
            Format::Png => "image/png",
            Format::Tiff => "image/tiff",
        }
    }
}

impl fmt::Display for Format {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Format::Jpeg => "JPEG",
            Format::Png => "PNG",
            Format::Tiff => "TIFF",
        })
    }
}

impl FromStr for Format {
    type Err = CodecError;

    /// From a file name's ending, in any case.
    fn from_str(ending: &str) -> Result<Self, CodecError> {
        match ending.to_ascii_lowercase().as_str() {
            "jpg" | "jpeg" => Ok(Format::Jpeg),
            "png" => Ok(Format::Png),
            "tif" | "tiff" => Ok(Format::Tiff),
            _ => Err(CodecError::UnknownEnding { ending: ending.to_owned() }),
        }
    }
}

/// How a result is written.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct OutputSettings {
    /// File format.
    pub format: Format,
    /// Bits per channel, 8 or 16.
    #[cfg_attr(feature = "schema", schema(value_type = u8))]
    pub depth: Depth,
    /// JPEG quality, 1 to 100; from 90 the colour is kept at full resolution. Other formats lose nothing and ignore it.
    #[serde(default = "OutputSettings::default_quality")]
    pub quality: u8,
    /// The resolution to be stated in the file, pixels per inch; nothing is stated when absent.
    #[serde(default)]
    pub ppi: Option<f64>,
}

impl OutputSettings {
    /// A format's usual settings: 8 bits, JPEG quality 92, no resolution stated.
    pub fn new(format: Format) -> Self {
        Self { format, depth: Depth::Eight, quality: Self::default_quality(), ppi: None }
    }

    fn default_quality() -> u8 {
        92
    }
}

/// Why a file could not be read or written.
#[derive(Debug, thiserror::Error)]
pub enum CodecError {
    /// The content is no picture in a format that is read.
    #[error("not a picture that can be read here: JPEG, PNG, TIFF and WebP are")]
    NotAPicture,
    /// The file ends before the picture does.
    #[error("the file is incomplete: it ends before the picture does; copy it again from where it came")]
    Truncated,
    /// The file's content contradicts itself.
    #[error("the file is damaged: {0}")]
    Damaged(String),
    /// The picture uses a variant that is not read.
    #[error("this kind of file is not read: {0}")]
    Unsupported(String),
    /// The picture is beyond the declared limits.
    #[error(transparent)]
    Limit(#[from] LimitError),
    /// A file name whose ending names no format.
    #[error("\"{ending}\" is not a format that is written here: use tif, png or jpg")]
    UnknownEnding {
        /// What was given.
        ending: String,
    },
    /// The disk or the file system refused.
    #[error("{0}")]
    Io(#[from] std::io::Error),
    /// The encoder refused.
    #[error("the result could not be encoded: {0}")]
    Encode(String),
}
