//! Affine maps of the plane: how places on an original and on its sheet belong together.

use serde::{Deserialize, Serialize};

/// (x, y) goes to (xx x + xy y + x0, yx x + yy y + y0). Pixel (0, 0) covers [0, 1) x [0, 1).
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Affine {
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

impl Affine {
    /// Everything stays.
    pub const IDENTITY: Self = Self { xx: 1.0, xy: 0.0, yx: 0.0, yy: 1.0, x0: 0.0, y0: 0.0 };

    /// Moved.
    pub fn shift(x0: f64, y0: f64) -> Self {
        Self { x0, y0, ..Self::IDENTITY }
    }

    /// Where a place goes.
    pub fn at(&self, x: f64, y: f64) -> (f64, f64) {
        (self.xx * x + self.xy * y + self.x0, self.yx * x + self.yy * y + self.y0)
    }

    /// This one, then another.
    pub fn then(&self, next: &Self) -> Self {
        let (x0, y0) = next.at(self.x0, self.y0);
        Self {
            xx: next.xx * self.xx + next.xy * self.yx,
            xy: next.xx * self.xy + next.xy * self.yy,
            yx: next.yx * self.xx + next.yy * self.yx,
            yy: next.yx * self.xy + next.yy * self.yy,
            x0,
            y0,
        }
    }

    /// The way back.
    ///
    /// # Panics
    /// When it folds the plane onto a line; no map of a frame does.
    pub fn inverse(&self) -> Self {
        let area = self.xx * self.yy - self.xy * self.yx;
        assert!(area != 0.0, "a map that can be undone");
        let (xx, xy, yx, yy) = (self.yy / area, -self.xy / area, -self.yx / area, self.xx / area);
        Self { xx, xy, yx, yy, x0: -(xx * self.x0 + xy * self.y0), y0: -(yx * self.x0 + yy * self.y0) }
    }
}
