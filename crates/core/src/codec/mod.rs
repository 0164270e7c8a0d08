//! Files in and out: a whole original is read, a result is written row band by row band.

mod container;
mod decoders;
mod history;
mod iptc;
mod jpeg_end;
mod jpeg_segments;
mod metadata;
mod raw;
mod read;
mod write;
mod xmp;

use std::fmt;
use std::str::FromStr;

use serde::de::Error as _;
use serde::{Deserialize, Deserializer, Serialize};

pub use decoders::Decoders;
pub(crate) use decoders::{DECODE_COMMAND, serve as decode};
pub use history::History;
pub(crate) use jpeg_segments::ZIGZAG;
pub use metadata::Metadata;
pub use read::{Decoded, Facts, read, thumbnail};
pub(crate) use write::interleave;
pub use write::{Carried, PictureWriter, encoded_len, png_bytes};

use crate::limits::LimitError;
use crate::picture::Depth;

/// Endings of the files that are read, in small letters; the last ones are cameras' raw files. Content counts, not the ending:
/// this is for picking files out of a folder.
pub const READ_ENDINGS: [&str; 16] =
    ["jpg", "jpeg", "png", "tif", "tiff", "webp", "dng", "arw", "cr2", "cr3", "nef", "orf", "pef", "raf", "rw2", "srw"];

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
    /// 8 bits, nothing lost, for screens.
    WebP,
}

impl Format {
    /// All of them.
    pub const ALL: [Format; 4] = [Format::Tiff, Format::Png, Format::Jpeg, Format::WebP];

    /// The longest side in pixels that the format's own header can state.
    pub fn longest_side(self) -> u32 {
        match self {
            Format::Jpeg => 65_535,
            Format::Png => i32::MAX as u32,
            Format::Tiff => u32::MAX,
            Format::WebP => 16_383,
        }
    }

    /// Whether it has more than 8 bits a channel.
    pub fn holds_sixteen_bits(self) -> bool {
        matches!(self, Format::Png | Format::Tiff)
    }

    /// Ending of file names, without the dot.
    pub fn extension(self) -> &'static str {
        match self {
            Format::Jpeg => "jpg",
            Format::Png => "png",
            Format::Tiff => "tif",
            Format::WebP => "webp",
        }
    }

    /// The registered media type.
    pub fn media_type(self) -> &'static str {
        match self {
            Format::Jpeg => "image/jpeg",
            Format::Png => "image/png",
            Format::Tiff => "image/tiff",
            Format::WebP => "image/webp",
        }
    }
}

impl fmt::Display for Format {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Format::Jpeg => "JPEG",
            Format::Png => "PNG",
            Format::Tiff => "TIFF",
            Format::WebP => "WebP",
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
            "webp" => Ok(Format::WebP),
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
    /// JPEG quality, 1 to 100. Other formats lose nothing and ignore it.
    #[serde(default = "OutputSettings::default_quality", deserialize_with = "quality")]
    pub quality: u8,
    /// How finely a JPEG holds colour.
    #[serde(default)]
    pub chroma: Chroma,
    /// How the strips of a TIFF are compressed.
    #[serde(default)]
    pub compression: Compression,
    /// In which colours.
    #[serde(default)]
    pub profile: OutputProfile,
    /// The resolution to be stated in the file, pixels per inch; nothing is stated when absent.
    #[serde(default, deserialize_with = "resolution")]
    pub ppi: Option<f64>,
}

/// The highest resolution that is stated in a file, in pixels per inch: beyond any printer's.
const HIGHEST_PPI: f64 = 100_000.0;

fn quality<'de, D: Deserializer<'de>>(from: D) -> Result<u8, D::Error> {
    match u8::deserialize(from)? {
        quality @ 1..=100 => Ok(quality),
        other => Err(D::Error::custom(format_args!("a JPEG's quality is 1 to 100, not {other}"))),
    }
}

fn resolution<'de, D: Deserializer<'de>>(from: D) -> Result<Option<f64>, D::Error> {
    match Option::<f64>::deserialize(from)? {
        Some(ppi) if !(ppi > 0.0 && ppi <= HIGHEST_PPI) => {
            Err(D::Error::custom(format_args!("a resolution is above 0 and at most {HIGHEST_PPI} ppi, not {ppi}")))
        }
        ppi => Ok(ppi),
    }
}

impl OutputSettings {
    /// A format's usual settings: 8 bits, JPEG quality 92, no resolution stated.
    pub fn new(format: Format) -> Self {
        Self {
            format,
            depth: Depth::Eight,
            quality: Self::default_quality(),
            chroma: Chroma::default(),
            compression: Compression::default(),
            profile: OutputProfile::default(),
            ppi: None,
        }
    }

    fn default_quality() -> u8 {
        92
    }
}

/// How finely a JPEG holds colour.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum Chroma {
    /// Full from quality 90 on, half below.
    #[default]
    Auto,
    /// As finely as brightness (4:4:4).
    Full,
    /// At half the resolution both ways (4:2:0): a third less to store, red edges soften.
    Half,
}

/// How a TIFF is compressed; nothing is lost either way.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum Compression {
    /// Deflate: smallest.
    #[default]
    Deflate,
    /// LZW: read by the oldest programs too.
    Lzw,
    /// Not at all.
    None,
}

/// The colours of a result.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum OutputProfile {
    /// The original's own profile, carried over byte for byte.
    #[default]
    Original,
    /// sRGB (IEC 61966-2-1).
    Srgb,
    /// Display P3.
    P3,
    /// opRGB (IEC 61966-2-5).
    OpRgb,
    /// ROMM RGB (ISO 22028-2); meant for 16 bits.
    Romm,
}

/// Why a file could not be read or written.
#[derive(Debug, thiserror::Error)]
pub enum CodecError {
    /// The content is no picture in a format that is read.
    #[error("not a picture that can be read here: JPEG, PNG, TIFF, WebP and camera raw are")]
    NotAPicture,
    /// The file ends before the picture does.
    #[error("the file is incomplete: it ends before the picture does; copy it again from where it came")]
    Truncated,
    /// The file's content contradicts itself.
    #[error("the file is damaged: {0}")]
    Damaged(String),
    /// The file brought down, or held up, the process that decoded it.
    #[error(
        "the file brings down what is to read it ({0}): it is damaged, or made to do so; export the picture anew from where it came"
    )]
    Harmful(String),
    /// The picture uses a variant that is not read.
    #[error("this kind of file is not read: {0}")]
    Unsupported(String),
    /// The picture is beyond the declared limits.
    #[error(transparent)]
    Limit(#[from] LimitError),
    /// A file name whose ending names no format.
    #[error("\"{ending}\" is not a format that is written here: use tif, png, jpg or webp")]
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
