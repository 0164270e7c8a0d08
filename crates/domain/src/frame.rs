//! Frame: how the original is turned, straightened and cropped, before everything else.

use serde::{Deserialize, Serialize};

use crate::affine::Affine;
use crate::affine::space::{Kept, Original, Straightened, Turned};
use crate::geometry::{Region, Size};

/// The furthest that a picture is straightened, in degrees either way.
pub const MOST_DEGREES: f64 = 15.0;

/// What is kept of an original, and which way up.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(default)]
pub struct Frame {
    /// Mirrored left to right, before it is turned.
    pub mirrored: bool,
    /// Quarter turns clockwise, 0 to 3.
    pub quarter_turns: u8,
    /// Clockwise after the quarter turns, around the middle; -15 to 15.
    pub degrees: f64,
    /// What is kept of the straightened picture; without it all that the turning left full.
    #[cfg_attr(feature = "schema", schema(value_type = Option<Region>))]
    pub crop: Option<Region<Straightened>>,
}

/// Why a frame cannot be used.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum FrameError {
    /// More than three quarter turns.
    #[error("{0} quarter turns: 0 to 3 can be made")]
    Turns(u8),
    /// Too far to be a slip of the hand.
    #[error("{0} degrees: up to {MOST_DEGREES} either way can be straightened, further with quarter turns")]
    Degrees(f64),
    /// A crop that is not in the picture.
    #[error("the crop leaves the picture, which has {turned} when turned: choose one inside it")]
    Outside {
        /// The turned picture.
        turned: Size,
    },
    /// The straightened picture has no pixels at a corner of the crop.
    #[error("a corner of the crop lies outside the straightened picture: make it smaller, or straighten less")]
    EmptyCorner,
}

impl Frame {
    /// Whether it changes anything.
    pub fn is_plain(&self) -> bool {
        *self == Self::default()
    }

    /// The size after quarter turns; straightening keeps it.
    pub fn turned(&self, original: Size) -> Size {
        if self.quarter_turns % 2 == 1 { Size::new(original.height, original.width) } else { original }
    }

    /// What is kept of the straightened picture, of an original of this size.
    pub fn kept(&self, original: Size) -> Result<Region<Straightened>, FrameError> {
        if self.quarter_turns > 3 {
            return Err(FrameError::Turns(self.quarter_turns));
        }
        if !self.degrees.is_finite() || self.degrees.abs() > MOST_DEGREES {
            return Err(FrameError::Degrees(self.degrees));
        }
        let turned = self.turned(original);
        let Some(crop) = self.crop else {
            return Ok(self.largest_full(turned));
        };
        if crop.width == 0 || crop.height == 0 || crop.within(turned) != Some(crop) {
            return Err(FrameError::Outside { turned });
        }
        if self.are_full(turned, crop.corners()) { Ok(crop) } else { Err(FrameError::EmptyCorner) }
    }

    /// Whether straightening left the picture's own pixels at these places of the straightened picture.
    pub(crate) fn are_full(&self, turned: Size, places: [(f64, f64); 4]) -> bool {
        let back = self.straightened_to_turned(turned);
        let full = |(x, y): (f64, f64)| {
            let (x, y) = back.at(x, y);
            // Half a pixel beyond the edge, the edge itself is repeated and nobody sees it.
            (-0.5..=f64::from(turned.width) + 0.5).contains(&x) && (-0.5..=f64::from(turned.height) + 0.5).contains(&y)
        };
        self.degrees == 0.0 || places.into_iter().all(full)
    }

    /// The same with the largest crop of what is kept that has a shape of `proportion` to 1 around its middle, upright or
    /// across, whichever is nearer to the picture's own.
    pub fn cropped_to_shape(&self, original: Size, proportion: f64) -> Result<Self, FrameError> {
        let kept = self.kept(original)?;
        let (w, h) = (f64::from(kept.width), f64::from(kept.height));
        let proportion = if (w >= h) == (proportion >= 1.0) { proportion } else { 1.0 / proportion };
        if !proportion.is_finite() || proportion <= 0.0 {
            return Ok(*self);
        }
        let width = w.min(h * proportion).round().clamp(1.0, w) as u32;
        let height = h.min(w / proportion).round().clamp(1.0, h) as u32;
        let (x, y) = (kept.x + (kept.width - width) / 2, kept.y + (kept.height - height) / 2);
        Ok(Self { crop: Some(Region::of(x, y, width, height)), ..*self })
    }

    /// The size of what is kept.
    pub fn size(&self, original: Size) -> Result<Size, FrameError> {
        self.kept(original).map(Region::size)
    }

    /// From places on an original of this size to places on what is kept of it.
    pub fn to_kept(&self, original: Size) -> Result<Affine<Original, Kept>, FrameError> {
        let kept = self.kept(original)?;
        let (w, h) = (f64::from(original.width), f64::from(original.height));
        let mirror: Affine<Original, Original> =
            if self.mirrored { Affine { xx: -1.0, x0: w, ..Affine::IDENTITY } } else { Affine::IDENTITY };
        let turn: Affine<Original, Turned> = match self.quarter_turns {
            0 => Affine::IDENTITY,
            1 => Affine { xx: 0.0, xy: -1.0, yx: 1.0, yy: 0.0, x0: h, ..Affine::IDENTITY },
            2 => Affine { xx: -1.0, yy: -1.0, x0: w, y0: h, ..Affine::IDENTITY },
            _ => Affine { xx: 0.0, xy: 1.0, yx: -1.0, yy: 0.0, y0: w, ..Affine::IDENTITY },
        };
        let straighten = self.straightened_to_turned(self.turned(original)).inverse();
        let crop: Affine<Straightened, Kept> = Affine::shift(-f64::from(kept.x), -f64::from(kept.y));
        Ok(mirror.then(&turn).then(&straighten).then(&crop))
    }

    /// The largest rectangle of the picture's own shape that straightening leaves full, in the middle.
    fn largest_full(&self, turned: Size) -> Region<Straightened> {
        if self.degrees == 0.0 {
            return turned.whole().seen_as();
        }
        let (w, h) = (f64::from(turned.width), f64::from(turned.height));
        let (sin, cos) = (self.degrees.abs().to_radians().sin(), self.degrees.abs().to_radians().cos());
        // A rectangle (s w, s h), turned, spans s (w cos + h sin) by s (w sin + h cos): both must fit.
        let share = (w / (w * cos + h * sin)).min(h / (w * sin + h * cos));
        let side = |px: f64| ((px * share).floor() as u32).max(1);
        let (width, height) = (side(w), side(h));
        Region::of((turned.width - width) / 2, (turned.height - height) / 2, width, height)
    }

    /// From places of the straightened picture to places of the merely turned one.
    pub fn straightened_to_turned(&self, turned: Size) -> Affine<Straightened, Turned> {
        let (sin, cos) = self.degrees.to_radians().sin_cos();
        let (cx, cy) = (f64::from(turned.width) / 2.0, f64::from(turned.height) / 2.0);
        let to_middle: Affine<Straightened, Straightened> = Affine::shift(-cx, -cy);
        let back: Affine<Straightened, Turned> = Affine { xx: cos, xy: sin, yx: -sin, yy: cos, ..Affine::IDENTITY };
        to_middle.then(&back).then(&Affine::shift(cx, cy))
    }
}
