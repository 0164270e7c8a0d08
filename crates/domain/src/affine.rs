//! Affine maps of the plane: how places on an original, on what is kept of it, on its result and on its sheet belong together.
//!
//! A map says in its type from which space it leads to which, so that maps are only put together where they fit.

use std::fmt;
use std::marker::PhantomData;

use serde::{Deserialize, Serialize};

/// Spaces that places are measured in; each in its own pixels unless it says otherwise. Pixel (0, 0) covers [0, 1) x [0, 1).
pub mod space {
    /// Any picture, for code that does the same in all of them.
    #[derive(Clone, Copy, Debug, PartialEq)]
    pub enum Any {}
    /// The original, upright.
    #[derive(Clone, Copy, Debug, PartialEq)]
    pub enum Original {}
    /// The original after mirroring and quarter turns.
    #[derive(Clone, Copy, Debug, PartialEq)]
    pub enum Turned {}
    /// The turned picture, straightened; as large as that.
    #[derive(Clone, Copy, Debug, PartialEq)]
    pub enum Straightened {}
    /// What the frame keeps: straightened and cropped.
    #[derive(Clone, Copy, Debug, PartialEq)]
    pub enum Kept {}
    /// The kept picture, enlarged.
    #[derive(Clone, Copy, Debug, PartialEq)]
    pub enum Result {}
    /// The sheet: the result with what lies around it.
    #[derive(Clone, Copy, Debug, PartialEq)]
    pub enum Sheet {}
    /// The sheet as it is seen from further away, at a power of two of its size.
    #[derive(Clone, Copy, Debug, PartialEq)]
    pub enum View {}
    /// The sheet, measured in pixels of the original.
    #[derive(Clone, Copy, Debug, PartialEq)]
    pub enum UnscaledSheet {}
    /// The canvas that a face is warped to.
    #[derive(Clone, Copy, Debug, PartialEq)]
    pub enum Canvas {}
}

/// (x, y) of one space goes to (xx x + xy y + x0, yx x + yy y + y0) of another.
#[derive(Serialize, Deserialize)]
#[serde(from = "Numbers", into = "Numbers")]
pub struct Affine<From, To> {
    /// Of x in the new x.
    pub xx: f64,
    /// Of y in the new x.
    pub xy: f64,
    /// Of x in the new y.
    pub yx: f64,
    /// Of y in the new y.
    pub yy: f64,
    /// Where the origin goes, across.
    pub x0: f64,
    /// Where the origin goes, down.
    pub y0: f64,
    /// Between which spaces.
    pub spaces: PhantomData<fn(From) -> To>,
}

/// An affine map of the plane: (x, y) goes to (xx x + xy y + x0, yx x + yy y + y0). Pixel (0, 0) covers [0, 1) x [0, 1).
#[derive(Clone, Copy, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = Affine))]
pub struct Numbers {
    /// Of x in the new x.
    pub xx: f64,
    /// Of y in the new x.
    pub xy: f64,
    /// Of x in the new y.
    pub yx: f64,
    /// Of y in the new y.
    pub yy: f64,
    /// Where the origin goes, across.
    pub x0: f64,
    /// Where the origin goes, down.
    pub y0: f64,
}

impl<A, B> From<Numbers> for Affine<A, B> {
    fn from(Numbers { xx, xy, yx, yy, x0, y0 }: Numbers) -> Self {
        Self { xx, xy, yx, yy, x0, y0, spaces: PhantomData }
    }
}

impl<A, B> From<Affine<A, B>> for Numbers {
    fn from(Affine { xx, xy, yx, yy, x0, y0, .. }: Affine<A, B>) -> Self {
        Self { xx, xy, yx, yy, x0, y0 }
    }
}

// Derived, these would ask the same of the spaces.
impl<A, B> Clone for Affine<A, B> {
    fn clone(&self) -> Self {
        *self
    }
}

impl<A, B> Copy for Affine<A, B> {}

impl<A, B> fmt::Debug for Affine<A, B> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let Self { xx, xy, yx, yy, x0, y0, .. } = self;
        write!(f, "({xx} x + {xy} y + {x0}, {yx} x + {yy} y + {y0})")
    }
}

impl<A, B> PartialEq for Affine<A, B> {
    fn eq(&self, other: &Self) -> bool {
        let numbers = |map: &Self| [map.xx, map.xy, map.yx, map.yy, map.x0, map.y0];
        numbers(self) == numbers(other)
    }
}

impl<A, B> Affine<A, B> {
    /// Numbers stay as they are.
    pub const IDENTITY: Self = Self { xx: 1.0, xy: 0.0, yx: 0.0, yy: 1.0, x0: 0.0, y0: 0.0, spaces: PhantomData };

    /// Moved.
    pub fn shift(x0: f64, y0: f64) -> Self {
        Self { x0, y0, ..Self::IDENTITY }
    }

    /// Both directions stretched, each by its own factor.
    pub fn scale(xx: f64, yy: f64) -> Self {
        Self { xx, yy, ..Self::IDENTITY }
    }

    /// Where a place goes.
    pub fn at(&self, x: f64, y: f64) -> (f64, f64) {
        (self.xx * x + self.xy * y + self.x0, self.yx * x + self.yy * y + self.y0)
    }

    /// This one, then another.
    pub fn then<C>(&self, next: &Affine<B, C>) -> Affine<A, C> {
        let (x0, y0) = next.at(self.x0, self.y0);
        Affine {
            xx: next.xx * self.xx + next.xy * self.yx,
            xy: next.xx * self.xy + next.xy * self.yy,
            yx: next.yx * self.xx + next.yy * self.yx,
            yy: next.yx * self.xy + next.yy * self.yy,
            x0,
            y0,
            spaces: PhantomData,
        }
    }

    /// The way back.
    ///
    /// # Panics
    /// When it folds the plane onto a line; no map of a frame does.
    pub fn inverse(&self) -> Affine<B, A> {
        let area = self.xx * self.yy - self.xy * self.yx;
        assert!(area != 0.0, "a map that can be undone");
        let (xx, xy, yx, yy) = (self.yy / area, -self.xy / area, -self.yx / area, self.xx / area);
        let (x0, y0) = (-(xx * self.x0 + xy * self.y0), -(yx * self.x0 + yy * self.y0));
        Affine { xx, xy, yx, yy, x0, y0, spaces: PhantomData }
    }
}
