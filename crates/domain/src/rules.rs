//! The rules that a front end needs to draw its controls: limits, defaults, formats and units, in one document.

use serde::Serialize;

use crate::face::{LEAST_EYES, MOST_EYES, MOST_FACES, MOUTH_BELOW_EYES};
use crate::file::{Depth, Format, READ_ENDINGS};
use crate::frame::MOST_DEGREES;
use crate::intent::Letter;
use crate::kernel::Kernel;
use crate::mask::{MOST_AREAS, MOST_POINTS, MOST_STROKES};
use crate::naming::{DEFAULT_PATTERN, WORDS};
use crate::reading::{BEYOND_HELP, MARKED_QUALITY, NOISY, SHARPENED, SOFT};
use crate::recipe::WIDEST_BLEED_MM;
use crate::repair::Fade;
use crate::size::{EYE_PPI_AT_ONE_INCH, LARGEST_FACTOR, MM_PER_INCH, SMALLEST_FACTOR, Unit};
use crate::spot::MOST_SPOTS;
use crate::trace::{COLOUR_PATTERN, LEAST_COLOURS, LONGEST_NAME, MOST_COLOURS};

/// All of them. The same for every picture, and for as long as the program is not replaced by another version.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Rules {
    /// How far a picture is straightened at most, in degrees either way.
    pub most_degrees: f64,
    /// The letters of treatments that are compared, in the order in which they are given out.
    pub letters: Vec<Letter>,
    /// Most areas of a treatment.
    pub most_areas: usize,
    /// Most strokes of an area.
    pub most_strokes: usize,
    /// Most points of a stroke.
    pub most_points: usize,
    /// Most spots of a picture.
    pub most_spots: usize,
    /// Colours that a drawing is traced in at most.
    pub traced_colours: Span,
    /// Letters of an ink's name, at most.
    pub longest_ink_name: usize,
    /// How a colour is written, as a regular expression.
    pub colour_pattern: String,
    /// The widest bleed, in millimetres.
    pub widest_bleed_mm: f64,
    /// Factors that can be asked for.
    pub factors: Span,
    /// What black can have faded to, encoded.
    pub faded_black: Span,
    /// What white can have become, encoded.
    pub faded_white: Span,
    /// Faces.
    pub faces: FaceRules,
    /// Formats that results are written in.
    pub formats: Vec<FormatRules>,
    /// Endings of files that are read.
    pub read_endings: Vec<String>,
    /// Units of length on paper.
    pub units: Vec<UnitRules>,
    /// Millimetres in an inch.
    pub mm_per_inch: f64,
    /// Resolution that the eye uses from one inch away, in pixels per inch; from further away in proportion less.
    pub eye_ppi_at_one_inch: f64,
    /// Plain kernels, plainest first.
    pub kernels: Vec<KernelRules>,
    /// Names of results.
    pub naming: NamingRules,
    /// What counts as much in a reading.
    pub reading: ReadingRules,
}

/// A range, both ends in it.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Span {
    /// The least.
    pub least: f64,
    /// The most.
    pub most: f64,
}

/// Rules of faces.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct FaceRules {
    /// Most faces of a treatment.
    pub most: usize,
    /// Pixels of the original between the eyes at which a face can be restored.
    pub eyes: Span,
    /// How far the mouth of a frontal face lies below its eyes, in distances between the eyes.
    pub mouth_below_eyes: f64,
}

/// What a format holds.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct FormatRules {
    /// Which.
    pub format: Format,
    /// As it is written for people.
    pub name: String,
    /// The ending of its files, without the dot.
    pub extension: String,
    /// Its longest side, in pixels.
    pub longest_side: u32,
    /// Bits per channel that it can have.
    pub depths: Vec<u8>,
    /// Whether its colours are decided: it has a profile and a resolution then.
    pub finished: bool,
    /// The kinds of original, by the format that facts give, that it is written from; absent where it is from all.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub written_from: Option<Vec<String>>,
}

/// A unit of length.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct UnitRules {
    /// Which.
    pub unit: Unit,
    /// As written after a figure.
    pub symbol: String,
    /// How many millimetres one of it is.
    pub mm: f64,
}

/// A plain kernel.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct KernelRules {
    /// Which.
    pub kernel: Kernel,
    /// As it is written for people.
    pub name: String,
}

/// Names of results.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct NamingRules {
    /// The pattern when none is given.
    pub default_pattern: String,
    /// Words that a pattern may have in braces.
    pub words: Vec<String>,
}

/// Thresholds of a reading.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct ReadingRules {
    /// Noise from which on cleaning pays, in 8-bit levels.
    pub noisy: f32,
    /// JPEG quality below which marks show once enlarged.
    pub marked_quality: f32,
    /// Spread of edges from which on a picture is soft, in pixels.
    pub soft: f32,
    /// Spread of edges from which on nothing brings detail back, in pixels.
    pub beyond_help: f32,
    /// Overshoot from which on edges were sharpened, as a share of their height.
    pub sharpened: f32,
}

impl Rules {
    /// Today's.
    pub fn today() -> Self {
        Self {
            most_degrees: MOST_DEGREES,
            letters: Letter::ALL.to_vec(),
            most_areas: MOST_AREAS,
            most_strokes: MOST_STROKES,
            most_points: MOST_POINTS,
            most_spots: MOST_SPOTS,
            traced_colours: Span { least: LEAST_COLOURS as f64, most: MOST_COLOURS as f64 },
            longest_ink_name: LONGEST_NAME,
            colour_pattern: COLOUR_PATTERN.to_owned(),
            widest_bleed_mm: WIDEST_BLEED_MM,
            factors: Span { least: SMALLEST_FACTOR, most: LARGEST_FACTOR },
            faded_black: Span { least: 0.0, most: Fade::BLACKEST.into() },
            faded_white: Span { least: Fade::WHITEST.into(), most: 1.0 },
            faces: FaceRules {
                most: MOST_FACES,
                eyes: Span { least: LEAST_EYES.into(), most: MOST_EYES.into() },
                mouth_below_eyes: MOUTH_BELOW_EYES,
            },
            formats: Format::ALL
                .into_iter()
                .map(|format| FormatRules {
                    format,
                    name: format.to_string(),
                    extension: format.extension().to_owned(),
                    longest_side: format.longest_side(),
                    depths: format.depths().iter().copied().map(Depth::bits).collect(),
                    finished: format.is_finished(),
                    written_from: format.written_from().map(|kinds| kinds.iter().map(ToString::to_string).collect()),
                })
                .collect(),
            read_endings: READ_ENDINGS.map(str::to_owned).to_vec(),
            units: Unit::ALL.map(|unit| UnitRules { unit, symbol: unit.symbol().to_owned(), mm: unit.mm() }).to_vec(),
            mm_per_inch: MM_PER_INCH,
            eye_ppi_at_one_inch: EYE_PPI_AT_ONE_INCH,
            kernels: Kernel::ALL.map(|kernel| KernelRules { kernel, name: kernel.to_string() }).to_vec(),
            naming: NamingRules {
                default_pattern: DEFAULT_PATTERN.to_owned(),
                words: WORDS.map(str::to_owned).to_vec(),
            },
            reading: ReadingRules {
                noisy: NOISY,
                marked_quality: MARKED_QUALITY,
                soft: SOFT,
                beyond_help: BEYOND_HELP,
                sharpened: SHARPENED,
            },
        }
    }
}
