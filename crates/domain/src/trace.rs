//! Rules of drawings that are traced into shapes: in how many colours, and what each is printed as.

use std::fmt;
use std::str::FromStr;

use serde::{Deserialize, Serialize};

use crate::geometry::Size;
use crate::size::Target;

/// The fewest colours that a drawing is traced in: its ground and an ink.
pub const LEAST_COLOURS: usize = 2;

/// The most colours that are told apart in one picture.
pub const MOST_COLOURS: usize = 32;

/// How many times as large a small picture is made, for its edges to be found to a tenth of its pixels.
const CLOSER: f64 = 4.0;

/// Pixels of the picture that is traced, at most.
const MOST_PIXELS: f64 = 16e6;

/// Letters of an ink's name, at most.
pub const LONGEST_NAME: usize = 60;

/// How a colour is written, as a regular expression: what [`Hex`] is read from.
pub const COLOUR_PATTERN: &str = "^#[0-9a-fA-F]{6}$";

/// By how many levels of a channel the colour that an ink stands for may have moved since: cleaned otherwise, a drawing's colours shift a little.
const SAME: u8 = 16;

/// A colour of 8 bits a channel, sRGB: "#9c5200".
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(value_type = String, pattern = "^#[0-9a-fA-F]{6}$"))]
#[serde(into = "String", try_from = "String")]
pub struct Hex(pub [u8; 3]);

/// Text that is no colour.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("\"{0}\" is no colour: write it as #9c5200")]
pub struct NoColour(pub String);

impl FromStr for Hex {
    type Err = NoColour;

    fn from_str(text: &str) -> Result<Self, NoColour> {
        let refused = || NoColour(text.chars().take(LONGEST_NAME).collect());
        let digits = text.strip_prefix('#').filter(|d| d.len() == 6 && d.bytes().all(|b| b.is_ascii_hexdigit()));
        let number = u32::from_str_radix(digits.ok_or_else(refused)?, 16).map_err(|_| refused())?;
        let [_, red, green, blue] = number.to_be_bytes();
        Ok(Self([red, green, blue]))
    }
}

impl fmt::Display for Hex {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let [red, green, blue] = self.0;
        write!(f, "#{red:02x}{green:02x}{blue:02x}")
    }
}

impl From<Hex> for String {
    fn from(colour: Hex) -> Self {
        colour.to_string()
    }
}

impl TryFrom<String> for Hex {
    type Error = NoColour;

    fn try_from(text: String) -> Result<Self, NoColour> {
        text.parse()
    }
}

/// What a colour of the drawing is printed as. Two that are printed as one are merged.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Ink {
    /// The colour as it was found.
    pub found: Hex,
    /// What it is printed as.
    pub printed: Hex,
    /// The name of a spot colour, up to 60 letters; none for a colour that is mixed.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub name: String,
}

/// How a drawing is traced.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Tracing {
    /// In how many colours at most, 2 to 32.
    #[serde(default = "Tracing::most")]
    pub colours: usize,
    /// Colours that are printed as others.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub inks: Vec<Ink>,
    /// Whether files of shapes leave out the colour that lies lowest, so that what they are laid on shows. Pixels have white paper there.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub clear: bool,
}

/// Why a drawing cannot be traced so.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum TracingError {
    /// Too few or too many colours.
    #[error("a drawing is traced in {LEAST_COLOURS} to {MOST_COLOURS} colours, not in {0}")]
    Colours(usize),
    /// More inks than colours.
    #[error("{0} inks: a drawing has at most {MOST_COLOURS}")]
    TooManyInks(usize),
    /// A name that is too long, or has letters that cannot be written.
    #[error("an ink's name has up to {LONGEST_NAME} letters, all on one line: shorten \"{0}\"")]
    Name(String),
}

impl Tracing {
    /// In all colours that are found, as they are.
    pub fn usual() -> Self {
        Self { colours: MOST_COLOURS, inks: Vec::new(), clear: false }
    }

    fn most() -> usize {
        MOST_COLOURS
    }

    /// Whether it can be carried out.
    pub fn check(&self) -> Result<(), TracingError> {
        if !(LEAST_COLOURS..=MOST_COLOURS).contains(&self.colours) {
            return Err(TracingError::Colours(self.colours));
        }
        if self.inks.len() > MOST_COLOURS {
            return Err(TracingError::TooManyInks(self.inks.len()));
        }
        let odd = |name: &&String| name.chars().count() > LONGEST_NAME || name.chars().any(char::is_control);
        match self.inks.iter().map(|ink| &ink.name).find(odd) {
            Some(name) => Err(TracingError::Name(name.chars().filter(|c| !c.is_control()).take(20).collect())),
            None => Ok(()),
        }
    }

    /// The ink for a colour that was found, if there is one.
    pub fn ink(&self, found: Hex) -> Option<&Ink> {
        let off = |ink: &Ink| (0..3).map(|c| ink.found.0[c].abs_diff(found.0[c])).max().unwrap_or(0);
        self.inks.iter().filter(|ink| off(ink) <= SAME).min_by_key(|ink| off(ink))
    }
}

/// The size at which a picture is traced of which so much is `kept`: four times its own, or what is left of it where that would be too large.
pub fn traced_at(kept: Size) -> Size {
    let factor = (MOST_PIXELS / kept.area().max(1) as f64).sqrt().clamp(1.0, CLOSER);
    Target::Factor { factor }.resolve(kept).map_or(kept, |resolved| resolved.size)
}

/// What a drawing is written as.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum DrawingFile {
    /// SVG 1.1.
    Svg,
    /// PDF 1.7, one page.
    Pdf,
}

impl DrawingFile {
    /// Both.
    pub const ALL: [Self; 2] = [Self::Svg, Self::Pdf];

    /// Ending of file names, without the dot.
    pub fn extension(self) -> &'static str {
        match self {
            Self::Svg => "svg",
            Self::Pdf => "pdf",
        }
    }

    /// The registered media type.
    pub fn media_type(self) -> &'static str {
        match self {
            Self::Svg => "image/svg+xml",
            Self::Pdf => "application/pdf",
        }
    }

    /// By the ending of a file's name, without its dot.
    pub fn of_ending(ending: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|file| ending.eq_ignore_ascii_case(file.extension()))
    }
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    fn ink(found: &str, printed: &str) -> Ink {
        Ink { found: found.parse().unwrap(), printed: printed.parse().unwrap(), name: String::new() }
    }

    #[rstest]
    #[case("#9c5200", Some([0x9c, 0x52, 0]))]
    #[case("#FFffFF", Some([255, 255, 255]))]
    #[case("9c5200", None)]
    #[case("#9c520", None)]
    #[case("#9c52000", None)]
    #[case("#9c52+0", None)]
    #[case("#é5200", None)]
    fn a_colour_is_read_or_refused_in_words(#[case] text: &str, #[case] colour: Option<[u8; 3]>) {
        match text.parse::<Hex>() {
            Ok(read) => assert_eq!((Some(read.0), read.to_string()), (colour, text.to_lowercase())),
            Err(refused) => assert!(colour.is_none() && refused.to_string().contains("no colour"), "{refused}"),
        }
    }

    #[test]
    fn an_ink_stands_for_the_colour_nearest_to_its_own() {
        let inks = vec![ink("#102030", "#000000"), ink("#182838", "#ffffff")];
        let tracing = Tracing { inks, ..Tracing::usual() };
        let printed = |found: &str| tracing.ink(found.parse().unwrap()).map(|ink| ink.printed.to_string());
        assert_eq!(printed("#122232").as_deref(), Some("#000000"));
        assert_eq!(printed("#172838").as_deref(), Some("#ffffff"));
        assert_eq!(printed("#102049"), None, "one channel is too far off");
    }

    #[rstest]
    #[case(Tracing::usual(), None)]
    #[case(Tracing { colours: 1, ..Tracing::usual() }, Some("not in 1"))]
    #[case(Tracing { colours: 33, ..Tracing::usual() }, Some("not in 33"))]
    #[case(Tracing { inks: vec![ink("#000000", "#ffffff"); 33], ..Tracing::usual() }, Some("33 inks"))]
    #[case(Tracing { inks: vec![Ink { name: "a\nb".to_owned(), ..ink("#000000", "#ffffff") }], ..Tracing::usual() }, Some("one line"))]
    #[case(Tracing { inks: vec![Ink { name: "è".repeat(60), ..ink("#000000", "#ffffff") }], ..Tracing::usual() }, None)]
    #[case(Tracing { inks: vec![Ink { name: "è".repeat(61), ..ink("#000000", "#ffffff") }], ..Tracing::usual() }, Some("up to 60"))]
    fn what_cannot_be_traced_so_is_refused_in_words(#[case] tracing: Tracing, #[case] refused: Option<&str>) {
        match (tracing.check(), refused) {
            (Ok(()), None) => {}
            (Err(error), Some(words)) => assert!(error.to_string().contains(words), "{error}"),
            (outcome, _) => panic!("{outcome:?}"),
        }
    }

    #[rstest]
    #[case(Size::new(260, 260), Size::new(1040, 1040))]
    #[case(Size::new(4000, 2000), Size::new(5657, 2828))]
    #[case(Size::new(6000, 4000), Size::new(6000, 4000))]
    fn a_small_picture_is_traced_four_times_as_large(#[case] kept: Size, #[case] at: Size) {
        assert_eq!(traced_at(kept), at);
    }

    #[test]
    fn what_is_not_said_is_as_usual() {
        assert_eq!(serde_json::from_str::<Tracing>("{}").unwrap(), Tracing::usual());
        assert_eq!(serde_json::to_string(&Tracing::usual()).unwrap(), r#"{"colours":32}"#);
    }

    #[rstest]
    #[case("svg", Some(DrawingFile::Svg))]
    #[case("PDF", Some(DrawingFile::Pdf))]
    #[case("eps", None)]
    #[case("", None)]
    fn a_drawing_is_written_as_its_name_ends(#[case] ending: &str, #[case] file: Option<DrawingFile>) {
        assert_eq!(DrawingFile::of_ending(ending), file);
    }
}
