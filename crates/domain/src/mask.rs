//! Masks: which part of a picture an area covers.
//!
//! A mask is drawn on the original, in the original's own pixels, so that it stays where it is whatever is cropped or turned later.

use serde::{Deserialize, Serialize};

use crate::geometry::Place;

/// Which part of the picture.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Mask {
    /// Its shape.
    #[serde(flatten)]
    pub shape: Shape,
    /// Everything but the shape.
    #[serde(default)]
    pub inverted: bool,
}

/// How an area is told.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase", tag = "by")]
pub enum Shape {
    /// With a brush.
    Painted {
        /// One after the other.
        strokes: Vec<Stroke>,
    },
    /// All of it at one line, none of it at another.
    Gradient {
        /// Where all of it ends.
        from: Place,
        /// Where it has faded out.
        to: Place,
    },
    /// Where it is about as light as at a place.
    Tone {
        /// The place.
        at: Place,
        /// How much lighter or darker still counts, in L* of 100.
        reach: f32,
    },
    /// Where it has about the colour of a place.
    Colour {
        /// The place.
        at: Place,
        /// How different a colour still counts, in CIEDE2000.
        reach: f32,
    },
}

/// One stroke of the brush.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Stroke {
    /// Where the brush went.
    pub points: Vec<Place>,
    /// Of the brush, in pixels of the original.
    pub radius: f32,
    /// The share of the radius over which the edge fades, 0 to 1.
    pub feather: f32,
    /// Whether it takes away what earlier strokes laid down.
    #[serde(default)]
    pub erases: bool,
}

/// Strokes of one area at most, and points of one stroke.
pub const MOST_STROKES: usize = 400;

/// See [`MOST_STROKES`].
pub const MOST_POINTS: usize = 4000;

/// Areas of one treatment at most.
pub const MOST_AREAS: usize = 8;

/// Why a mask cannot be used.
#[derive(Clone, Copy, Debug, PartialEq, thiserror::Error)]
pub enum MaskError {
    /// Not a number.
    #[error("an area has a place, radius or reach that is not a number")]
    NotANumber,
    /// A brush without width.
    #[error("a brush of {0} px: from 0.5 to 20000 px can be painted with")]
    Radius(f32),
    /// Out of range.
    #[error("a feather of {0}: 0 to 1 can be set")]
    Feather(f32),
    /// Out of range.
    #[error("a reach of {0}: more than 0 and up to 100 can be set")]
    Reach(f32),
    /// A gradient that has no direction.
    #[error("a gradient needs two different ends: draw it longer")]
    NoLength,
    /// More than is sensible.
    #[error("an area of more than {MOST_STROKES} strokes or {MOST_POINTS} points a stroke: divide it into two")]
    TooMany,
}

impl Mask {
    /// Whether all its figures make sense.
    pub fn check(&self) -> Result<(), MaskError> {
        let number = |v: f32| if v.is_finite() { Ok(()) } else { Err(MaskError::NotANumber) };
        let place = |p: &Place| number(p.x).and(number(p.y));
        match &self.shape {
            Shape::Painted { strokes } => {
                if strokes.len() > MOST_STROKES || strokes.iter().any(|s| s.points.len() > MOST_POINTS) {
                    return Err(MaskError::TooMany);
                }
                for stroke in strokes {
                    stroke.points.iter().try_for_each(place)?;
                    if !(0.5..=20_000.0).contains(&stroke.radius) {
                        return Err(MaskError::Radius(stroke.radius));
                    }
                    if !(0.0..=1.0).contains(&stroke.feather) {
                        return Err(MaskError::Feather(stroke.feather));
                    }
                }
                Ok(())
            }
            Shape::Gradient { from, to } => {
                place(from).and(place(to))?;
                if (from.x - to.x).hypot(from.y - to.y) < 1.0 { Err(MaskError::NoLength) } else { Ok(()) }
            }
            Shape::Tone { at, reach } | Shape::Colour { at, reach } => {
                place(at)?;
                if *reach > 0.0 && *reach <= 100.0 { Ok(()) } else { Err(MaskError::Reach(*reach)) }
            }
        }
    }

    /// The area in square pixels of the original outside of which it weighs nothing; nothing where only pixels could tell.
    pub fn extent(&self) -> Option<f64> {
        let Shape::Painted { strokes } = &self.shape else { return None };
        if self.inverted {
            return None;
        }
        let places = strokes.iter().filter(|s| !s.erases).flat_map(|s| s.points.iter().map(move |p| (p, s.radius)));
        let spread = |low: fn(&(&Place, f32)) -> f32, high: fn(&(&Place, f32)) -> f32| {
            let (lowest, highest) = (places.clone().map(|p| low(&p)), places.clone().map(|p| high(&p)));
            (highest.fold(f32::NEG_INFINITY, f32::max) - lowest.fold(f32::INFINITY, f32::min)).max(0.0)
        };
        let (across, down) = (spread(|(p, r)| p.x - r, |(p, r)| p.x + r), spread(|(p, r)| p.y - r, |(p, r)| p.y + r));
        Some(f64::from(across) * f64::from(down))
    }
}
