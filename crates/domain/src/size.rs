//! Sizes: from whatever a person says ("twice", "5000 px wide", "60 x 40 cm at 240 ppi") to pixels,
//! and what such a print is worth to the eye.

use std::fmt;
use std::str::FromStr;

use serde::{Deserialize, Serialize};

use crate::geometry::Size;

/// Millimetres in an inch (exact by definition).
pub const MM_PER_INCH: f64 = 25.4;

/// Points in a millimetre: a point is the 72nd part of an inch.
pub const POINTS_PER_MM: f64 = 72.0 / MM_PER_INCH;

/// ppi that an eye with 20/20 acuity (one minute of arc) resolves at one inch: 1 / (2 tan(0.5')).
pub const EYE_PPI_AT_ONE_INCH: f64 = 3437.75;

/// Below this factor a target is refused as a slip of the finger.
pub const SMALLEST_FACTOR: f64 = 0.02;

/// Above this factor nothing but invention is left.
pub const LARGEST_FACTOR: f64 = 32.0;

/// A unit of length on paper.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum Unit {
    /// Millimetres.
    Mm,
    /// Centimetres.
    Cm,
    /// Inches.
    In,
}

impl Unit {
    /// All of them.
    pub const ALL: [Unit; 3] = [Unit::Mm, Unit::Cm, Unit::In];

    /// How many millimetres one of it is.
    pub fn mm(self) -> f64 {
        match self {
            Unit::Mm => 1.0,
            Unit::Cm => 10.0,
            Unit::In => MM_PER_INCH,
        }
    }

    /// As written after a figure.
    pub fn symbol(self) -> &'static str {
        match self {
            Unit::Mm => "mm",
            Unit::Cm => "cm",
            Unit::In => "in",
        }
    }
}

/// The sides of a sheet of paper, as a person writes them: "60x40cm", "16 x 12 in".
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Paper {
    /// From left to right, in `unit`.
    pub width: f64,
    /// From top to bottom, in `unit`.
    pub height: f64,
    /// Of both sides.
    pub unit: Unit,
}

impl Paper {
    /// Both sides in inches.
    pub fn inches(self) -> (f64, f64) {
        let per_unit = self.unit.mm() / MM_PER_INCH;
        (self.width * per_unit, self.height * per_unit)
    }

    /// How large a picture is on the sheet, whole and in its own shape, in millimetres across and down.
    pub fn holding_mm(self, picture: Size) -> (f64, f64) {
        let sheet = self.turned_like(picture);
        let (width, height) = (f64::from(picture.width), f64::from(picture.height));
        let mm = sheet.unit.mm();
        let scale = (sheet.width * mm / width).min(sheet.height * mm / height);
        (width * scale, height * scale)
    }

    /// The sheet turned, if needed, to lie the way the picture does.
    pub fn turned_like(self, size: Size) -> Self {
        let turn = (self.width >= self.height) != (size.width >= size.height);
        if turn { Self { width: self.height, height: self.width, ..self } } else { self }
    }
}

impl fmt::Display for Paper {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let round = |v: f64| (v * 100.0).round() / 100.0;
        write!(f, "{} x {} {}", round(self.width), round(self.height), self.unit.symbol())
    }
}

impl FromStr for Paper {
    type Err = SizeError;

    fn from_str(text: &str) -> Result<Self, SizeError> {
        let refuse = || SizeError::NotAPaper { text: text.to_owned() };
        let text_lower = text.trim().to_lowercase();
        let (figures, unit) = [("mm", Unit::Mm), ("cm", Unit::Cm), ("in", Unit::In), ("\"", Unit::In)]
            .into_iter()
            .find_map(|(suffix, unit)| text_lower.strip_suffix(suffix).map(|rest| (rest.to_owned(), unit)))
            .ok_or_else(refuse)?;
        let (width, height) = figures.split_once(['x', '×', '*']).ok_or_else(refuse)?;
        let side = |part: &str| part.trim().parse::<f64>().map_err(|_| refuse());
        Ok(Self { width: side(width)?, height: side(height)?, unit })
    }
}

/// How large the result is to be, in the terms in which the person thinks.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case", tag = "by")]
pub enum Target {
    /// Times the original's sides.
    Factor {
        /// 2 doubles both sides.
        factor: f64,
    },
    /// Per cent of the original's sides.
    Percent {
        /// 200 doubles both sides.
        percent: f64,
    },
    /// Pixels from left to right.
    Width {
        /// Pixels.
        px: u32,
    },
    /// Pixels from top to bottom.
    Height {
        /// Pixels.
        px: u32,
    },
    /// Pixels along the longer side.
    LongEdge {
        /// Pixels.
        px: u32,
    },
    /// Pixels along the shorter side.
    ShortEdge {
        /// Pixels.
        px: u32,
    },
    /// A sheet at a resolution: the whole picture as large as the sheet allows, never stretched.
    Print {
        /// The sheet.
        paper: Paper,
        /// Pixels per inch on it.
        ppi: f64,
    },
}

/// Why a target makes no sense for this picture, and what would.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum SizeError {
    /// A figure that is zero, negative or not a number.
    #[error("{what} must be a figure above 0, got {value}")]
    NotPositive {
        /// Which of the figures.
        what: &'static str,
        /// What was given.
        value: f64,
    },
    /// The factor is outside what the product does.
    #[error(
        "this is {factor:.2} times the original ({original}); give a target between {SMALLEST_FACTOR} times ({smallest}) \
         and {LARGEST_FACTOR} times ({largest})"
    )]
    FactorOutOfRange {
        /// What it would be.
        factor: f64,
        /// Size of the original.
        original: Size,
        /// The least that is possible.
        smallest: Size,
        /// The most that is possible.
        largest: Size,
    },
    /// Text that is no paper size.
    #[error("\"{text}\" is not a print size: write width x height and a unit, such as 60x40cm, 300x200mm or 24x16in")]
    NotAPaper {
        /// What was given.
        text: String,
    },
}

/// A target worked out for one picture.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Resolved {
    /// Pixels of the result.
    pub size: Size,
    /// Result side / original side, of the longer side.
    pub factor: f64,
    /// What the print is like, when there is one.
    pub print: Option<PrintFigures>,
}

/// A print in figures.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct PrintFigures {
    /// The sheet, turned like the picture.
    pub paper: Paper,
    /// The picture itself on the sheet; smaller than the sheet on one side when the shapes differ.
    pub picture: Paper,
    /// Pixels per inch asked for.
    pub ppi: f64,
    /// Pixels per inch that the original's own pixels give at this size.
    pub original_ppi: f64,
}

/// How much of a unit of length may stay empty on paper without being spoken of.
const NOT_SEEN: f64 = 0.05;

impl PrintFigures {
    /// The picture's size on paper that it leaves partly empty, because their shapes differ.
    pub fn leaving_empty(&self) -> Option<Paper> {
        let (width, height) = (self.paper.width - self.picture.width, self.paper.height - self.picture.height);
        (width > NOT_SEEN || height > NOT_SEEN).then_some(self.picture)
    }
}

impl Target {
    /// How large where neither the picture, nor its order, nor a person said anything: twice its size.
    pub const USUAL: Self = Self::Factor { factor: 2.0 };

    /// Whether its figures make sense for any picture: above 0, and finite.
    pub fn check(self) -> Result<(), SizeError> {
        let figures: &[(&'static str, f64)] = match self {
            Target::Factor { factor } => &[("factor", factor)],
            Target::Percent { percent } => &[("per cent", percent)],
            Target::Width { px } => &[("width", px.into())],
            Target::Height { px } => &[("height", px.into())],
            Target::LongEdge { px } => &[("long edge", px.into())],
            Target::ShortEdge { px } => &[("short edge", px.into())],
            Target::Print { paper, ppi } => {
                &[("print width", paper.width), ("print height", paper.height), ("ppi", ppi)]
            }
        };
        match figures.iter().find(|(_, value)| !(value.is_finite() && *value > 0.0)) {
            Some(&(what, value)) => Err(SizeError::NotPositive { what, value }),
            None => Ok(()),
        }
    }

    /// The pixels that this target means for an original of `original` size.
    ///
    /// The side that the target speaks of (for a print: the side on which the picture meets the
    /// sheet's edge) is rounded to the nearest pixel, the other follows from the original's proportions.
    pub fn resolve(self, original: Size) -> Result<Resolved, SizeError> {
        self.check()?;
        let (width, height) = (f64::from(original.width), f64::from(original.height));
        let factor = match self {
            Target::Factor { factor } => factor,
            Target::Percent { percent } => percent / 100.0,
            Target::Width { px } => f64::from(px) / width,
            Target::Height { px } => f64::from(px) / height,
            Target::LongEdge { px } => f64::from(px) / f64::from(original.long_edge()),
            Target::ShortEdge { px } => f64::from(px) / f64::from(original.short_edge()),
            Target::Print { paper, ppi } => {
                let (w, h) = paper.turned_like(original).inches();
                // The limiting side is rounded to whole pixels first, so that 60 cm at 240 ppi is 5669 px and not nearly so.
                let pixels = |inches: f64| (inches * ppi).round().max(1.0);
                (pixels(w) / width).min(pixels(h) / height)
            }
        };
        let clamped = |factor: f64| {
            let side = |px: f64| (px * factor).round().clamp(1.0, f64::from(u32::MAX)) as u32;
            Size::new(side(width), side(height))
        };
        if !(SMALLEST_FACTOR..=LARGEST_FACTOR).contains(&factor) {
            let (smallest, largest) = (clamped(SMALLEST_FACTOR), clamped(LARGEST_FACTOR));
            return Err(SizeError::FactorOutOfRange { factor, original, smallest, largest });
        }
        let size = clamped(factor);
        let print = match self {
            Target::Print { paper, ppi } => Some(PrintFigures::new(paper.turned_like(original), ppi, size, original)),
            _ => None,
        };
        Ok(Resolved { size, factor, print })
    }
}

impl PrintFigures {
    fn new(paper: Paper, ppi: f64, size: Size, original: Size) -> Self {
        let unit = paper.unit;
        let length = |px: u32, limit: f64| (f64::from(px) / ppi * MM_PER_INCH / unit.mm()).min(limit);
        let picture = Paper { width: length(size.width, paper.width), height: length(size.height, paper.height), unit };
        let (w, h) = picture.inches();
        let original_ppi = (f64::from(original.width) / w).min(f64::from(original.height) / h);
        Self { paper, picture, ppi, original_ppi }
    }

    /// 1.5 times the diagonal of the sheet, at least 25 cm: where people stand to look at it, in metres.
    pub fn usual_distance_m(&self) -> f64 {
        let (w, h) = self.paper.inches();
        (1.5 * w.hypot(h) * MM_PER_INCH / 1000.0).max(0.25)
    }
}

/// The resolution that the eye can use at a distance in metres: 3438 / distance in inches.
pub fn eye_ppi(distance_m: f64) -> f64 {
    EYE_PPI_AT_ONE_INCH / (distance_m * 1000.0 / MM_PER_INCH)
}

/// The distance in metres from which a resolution satisfies the eye: the inverse of [`eye_ppi`].
pub fn sharp_from_m(ppi: f64) -> f64 {
    EYE_PPI_AT_ONE_INCH / ppi * MM_PER_INCH / 1000.0
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;

    const VASES: Size = Size::new(1500, 1000);

    #[rstest]
    #[case(Size::new(400, 200), (600.0, 300.0))]
    #[case(Size::new(200, 400), (300.0, 600.0))]
    #[case(Size::new(400, 400), (450.0, 450.0))]
    fn a_sheet_holds_a_whole_picture(#[case] picture: Size, #[case] due: (f64, f64)) {
        let sheet: Paper = "60x45cm".parse().unwrap();
        let (width, height) = sheet.holding_mm(picture);
        assert!((width - due.0).abs() < 1e-9 && (height - due.1).abs() < 1e-9, "{width} x {height}");
    }

    #[rstest]
    #[case(Target::Factor { factor: 2.0 }, Size::new(3000, 2000))]
    #[case(Target::Percent { percent: 150.0 }, Size::new(2250, 1500))]
    #[case(Target::Width { px: 5669 }, Size::new(5669, 3779))]
    #[case(Target::Height { px: 3000 }, Size::new(4500, 3000))]
    #[case(Target::LongEdge { px: 6000 }, Size::new(6000, 4000))]
    #[case(Target::ShortEdge { px: 500 }, Size::new(750, 500))]
    #[case(print("60x40cm", 240.0), Size::new(5669, 3779))]
    #[case(print("40x60cm", 240.0), Size::new(5669, 3779))]
    #[case(print("10x10in", 300.0), Size::new(3000, 2000))]
    fn every_way_to_say_a_size(#[case] target: Target, #[case] expected: Size) {
        assert_eq!(target.resolve(VASES).unwrap().size, expected);
    }

    fn print(paper: &str, ppi: f64) -> Target {
        Target::Print { paper: paper.parse().unwrap(), ppi }
    }

    #[test]
    fn a_print_of_another_shape_keeps_the_pictures_proportions() {
        let figures = print("30x30cm", 200.0).resolve(VASES).unwrap().print.unwrap();
        assert!((figures.picture.width - 30.0).abs() < 0.01);
        assert!((figures.picture.height - 20.0).abs() < 0.01);
        assert!((figures.original_ppi - 127.0).abs() < 0.1);
    }

    #[rstest]
    #[case::another_shape("30x30cm", true)]
    #[case::its_own("60x40cm", false)]
    #[case::nearly_its_own("60x40.04cm", false)]
    fn paper_that_stays_empty_is_spoken_of(#[case] paper: &str, #[case] due: bool) {
        let figures = print(paper, 200.0).resolve(VASES).unwrap().print.unwrap();
        assert_eq!(figures.leaving_empty(), due.then_some(figures.picture));
    }

    #[rstest]
    #[case("60x40cm", Some((60.0, 40.0, Unit::Cm)))]
    #[case(" 8.5 X 11 IN ", Some((8.5, 11.0, Unit::In)))]
    #[case("300×200mm", Some((300.0, 200.0, Unit::Mm)))]
    #[case("12x8\"", Some((12.0, 8.0, Unit::In)))]
    #[case("60x40", None)]
    #[case("60cm", None)]
    #[case("axbcm", None)]
    #[case("", None)]
    fn paper_sizes_are_read_as_people_write_them(#[case] text: &str, #[case] expected: Option<(f64, f64, Unit)>) {
        assert_eq!(text.parse::<Paper>().ok().map(|p| (p.width, p.height, p.unit)), expected);
    }

    #[rstest]
    #[case(Target::Factor { factor: 0.0 })]
    #[case(Target::Factor { factor: f64::NAN })]
    #[case(Target::Percent { percent: -5.0 })]
    #[case(Target::Width { px: 0 })]
    #[case(Target::Factor { factor: 33.0 })]
    #[case(Target::LongEdge { px: u32::MAX })]
    #[case(Target::Print { paper: Paper { width: 0.0, height: 1.0, unit: Unit::Cm }, ppi: 240.0 })]
    #[case(Target::Print { paper: Paper { width: f64::INFINITY, height: 1.0, unit: Unit::Cm }, ppi: 240.0 })]
    fn impossible_targets_are_refused(#[case] target: Target) {
        assert!(target.resolve(VASES).is_err());
    }

    #[test]
    fn the_eye_at_one_metre_and_at_reading_distance() {
        assert!((eye_ppi(1.0) - 87.3).abs() < 0.1);
        assert!((eye_ppi(0.3) - 291.0).abs() < 0.1);
        assert!((sharp_from_m(eye_ppi(1.7)) - 1.7).abs() < 1e-9);
    }

    proptest! {
        #[test]
        fn proportions_hold_within_a_pixel(w in 1_u32..20_000, h in 1_u32..20_000, factor in 0.05..30.0_f64) {
            let size = Target::Factor { factor }.resolve(Size::new(w, h)).unwrap().size;
            prop_assert!((f64::from(size.width) - f64::from(w) * factor).abs() <= 1.0);
            prop_assert!((f64::from(size.height) - f64::from(h) * factor).abs() <= 1.0);
        }

        #[test]
        fn asking_for_an_edge_gives_exactly_that_edge(w in 100_u32..9_000, h in 100_u32..9_000, px in 300_u32..2_500) {
            let original = Size::new(w, h);
            prop_assert_eq!(Target::Width { px }.resolve(original).unwrap().size.width, px);
            prop_assert_eq!(Target::Height { px }.resolve(original).unwrap().size.height, px);
            prop_assert_eq!(Target::LongEdge { px }.resolve(original).unwrap().size.long_edge(), px);
            prop_assert_eq!(Target::ShortEdge { px }.resolve(original).unwrap().size.short_edge(), px);
        }

        #[test]
        fn a_print_never_leaves_the_sheet_and_touches_one_edge(
            w in 200_u32..9_000, h in 200_u32..9_000, pw in 10.0..80.0_f64, ph in 10.0..80.0_f64, ppi in 100.0..300.0_f64
        ) {
            let paper = Paper { width: pw, height: ph, unit: Unit::Cm };
            if let Ok(resolved) = (Target::Print { paper, ppi }).resolve(Size::new(w, h)) {
                let figures = resolved.print.unwrap();
                let (sheet_w, sheet_h) = figures.paper.inches();
                let (right, bottom) = (sheet_w * ppi, sheet_h * ppi);
                let (dx, dy) = (right - f64::from(resolved.size.width), bottom - f64::from(resolved.size.height));
                prop_assert!(dx > -1.0 && dy > -1.0, "{dx} {dy}");
                prop_assert!(dx < 1.0 || dy < 1.0, "{dx} {dy}");
            }
        }

        #[test]
        fn any_text_is_a_paper_or_an_error(text in ".{0,20}") {
            let _ = text.parse::<Paper>();
        }
    }
}
