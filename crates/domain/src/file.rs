//! Files: what is known of one, and how a result is written.

use std::fmt;
use std::str::FromStr;

use serde::de::Error as _;
use serde::{Deserialize, Deserializer, Serialize};

use crate::geometry::Size;

/// Bits per channel of a file.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(try_from = "u8", into = "u8")]
pub enum Depth {
    /// 256 levels.
    Eight,
    /// 65 536 levels.
    Sixteen,
}

impl Depth {
    /// 8 or 16.
    pub fn bits(self) -> u8 {
        match self {
            Depth::Eight => 8,
            Depth::Sixteen => 16,
        }
    }
}

impl From<Depth> for u8 {
    fn from(depth: Depth) -> u8 {
        depth.bits()
    }
}

impl TryFrom<u8> for Depth {
    type Error = String;

    fn try_from(bits: u8) -> Result<Self, String> {
        match bits {
            8 => Ok(Depth::Eight),
            16 => Ok(Depth::Sixteen),
            other => Err(format!("{other} bits per channel: expected 8 or 16")),
        }
    }
}

/// Whether a file has one channel or three.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum Channels {
    /// One channel: black to white.
    Grey,
    /// Red, green and blue.
    Colour,
}

impl Channels {
    /// 1 or 3.
    pub fn count(self) -> usize {
        match self {
            Channels::Grey => 1,
            Channels::Colour => 3,
        }
    }
}

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
    /// 16 bits in the camera's own colours, nothing decided: of a camera's raw file alone.
    Dng,
}

impl Format {
    /// All of them.
    pub const ALL: [Format; 5] = [Format::Tiff, Format::Png, Format::Jpeg, Format::WebP, Format::Dng];

    /// The longest side in pixels that the format's own header can state.
    pub fn longest_side(self) -> u32 {
        match self {
            Format::Jpeg => 65_535,
            Format::Png => i32::MAX as u32,
            Format::Tiff => u32::MAX,
            Format::WebP => 16_383,
            Format::Dng => 65_535,
        }
    }

    /// Pixels of a result at most, where the format has a limit of its own: a DNG lies in memory as a whole while it is compressed.
    pub fn most_pixels(self) -> Option<u64> {
        (self == Format::Dng).then_some(250_000_000)
    }

    /// Bits per channel that it can have.
    pub fn depths(self) -> &'static [Depth] {
        match self {
            Format::Png | Format::Tiff => &[Depth::Eight, Depth::Sixteen],
            Format::Jpeg | Format::WebP => &[Depth::Eight],
            Format::Dng => &[Depth::Sixteen],
        }
    }

    /// `depth` where it has that, or else what comes nearest.
    pub fn nearest_depth(self, depth: Depth) -> Depth {
        let depths = self.depths();
        if depths.contains(&depth) { depth } else { depths[0] }
    }

    /// Whether its colours are decided, so that it can be printed as it is.
    pub fn is_finished(self) -> bool {
        self != Format::Dng
    }

    /// The kinds of original ([`Facts::format`]) that it is written from; nothing where it is from all.
    pub fn written_from(self) -> Option<&'static [&'static str]> {
        (self == Format::Dng).then_some(&Facts::RAW)
    }

    /// Ending of file names, without the dot.
    pub fn extension(self) -> &'static str {
        match self {
            Format::Jpeg => "jpg",
            Format::Png => "png",
            Format::Tiff => "tif",
            Format::WebP => "webp",
            Format::Dng => "dng",
        }
    }

    /// The registered media type.
    pub fn media_type(self) -> &'static str {
        match self {
            Format::Jpeg => "image/jpeg",
            Format::Png => "image/png",
            Format::Tiff => "image/tiff",
            Format::WebP => "image/webp",
            // A DNG is a TIFF, and has no registered name of its own.
            Format::Dng => "image/tiff",
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
            Format::Dng => "DNG",
        })
    }
}

/// A file name whose ending names no format.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
#[error("\"{ending}\" is not a format that is written here: use tif, png, jpg, webp or dng")]
pub struct UnknownEnding {
    /// What was given.
    pub ending: String,
}

impl FromStr for Format {
    type Err = UnknownEnding;

    /// From a file name's ending, in any case.
    fn from_str(ending: &str) -> Result<Self, UnknownEnding> {
        match ending.to_ascii_lowercase().as_str() {
            "jpg" | "jpeg" => Ok(Format::Jpeg),
            "png" => Ok(Format::Png),
            "tif" | "tiff" => Ok(Format::Tiff),
            "webp" => Ok(Format::WebP),
            "dng" => Ok(Format::Dng),
            _ => Err(UnknownEnding { ending: ending.to_owned() }),
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
    /// A format's usual settings: 8 bits where it has them, JPEG quality 92, no resolution stated.
    pub fn new(format: Format) -> Self {
        Self {
            format,
            depth: format.nearest_depth(Depth::Eight),
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

/// What is known of a file besides its pixels.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Facts {
    /// "JPEG", "PNG", "TIFF", "WebP", "DNG" or "Camera raw".
    pub format: String,
    /// Bytes of the file.
    pub bytes: u64,
    /// Upright width and height in pixels.
    pub size: Size,
    /// Bits per channel, 8 or 16.
    #[cfg_attr(feature = "schema", schema(value_type = u8))]
    pub depth: Depth,
    /// One channel or three.
    pub channels: Channels,
    /// The embedded profile's own name; absent when there is none.
    pub profile: Option<String>,
    /// Whether the file asked to be turned or mirrored to stand upright.
    pub turned: bool,
    /// Whether there was transparency, which is laid on white.
    pub had_transparency: bool,
    /// Maker and model of the camera or scanner, where recorded.
    pub camera: Option<String>,
    /// ISO sensitivity, where recorded.
    pub iso: Option<u32>,
    /// When it was taken, as the camera wrote it.
    pub taken: Option<String>,
    /// Exposure and lens as the camera wrote them, such as "1/250 s, f/4, 85 mm".
    #[serde(default)]
    pub exposure: Option<String>,
    /// Quality of a JPEG by its quantisation table, 1 to 100.
    #[serde(default)]
    pub jpeg_quality: Option<f32>,
}

impl Facts {
    /// What [`format`](Self::format) says of a camera's raw files.
    pub const RAW: [&str; 2] = ["DNG", "Camera raw"];

    /// Whether a result of it can be written in `format`.
    pub fn can_become(&self, format: Format) -> bool {
        format.written_from().is_none_or(|kinds| kinds.contains(&self.format.as_str()))
    }
}
