//! Sizes, regions and places in whole and fractional pixels.

use std::fmt;
use std::marker::PhantomData;
use std::num::NonZeroU32;

use serde::{Deserialize, Deserializer, Serialize};

use crate::affine::{Affine, space};

/// Width and height in pixels, both at least 1: a size that comes in from outside is refused otherwise. It is a number of pixels, and lies
/// in no space.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Size {
    /// Pixels from left to right.
    pub width: u32,
    /// Pixels from top to bottom.
    pub height: u32,
}

impl<'de> Deserialize<'de> for Size {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        #[derive(Deserialize)]
        struct Sides {
            width: NonZeroU32,
            height: NonZeroU32,
        }
        let Sides { width, height } = Sides::deserialize(deserializer)?;
        Ok(Self { width: width.get(), height: height.get() })
    }
}

impl Size {
    /// A size from its two sides, both at least 1.
    pub const fn new(width: u32, height: u32) -> Self {
        debug_assert!(width > 0 && height > 0, "a size has two sides");
        Self { width, height }
    }

    /// How many pixels there are.
    pub fn area(self) -> u64 {
        u64::from(self.width) * u64::from(self.height)
    }

    /// Millions of pixels.
    pub fn megapixels(self) -> f64 {
        self.area() as f64 / 1e6
    }

    /// The longer side.
    pub fn long_edge(self) -> u32 {
        self.width.max(self.height)
    }

    /// The shorter side.
    pub fn short_edge(self) -> u32 {
        self.width.min(self.height)
    }

    /// The whole of a picture of this size.
    pub fn whole(self) -> Region {
        Region::new(0, 0, self.width, self.height)
    }

    /// Both sides times a whole number.
    pub fn times(self, factor: u32) -> Self {
        Self::new(self.width * factor, self.height * factor)
    }
}

impl fmt::Display for Size {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{} x {} px", self.width, self.height)
    }
}

/// A rectangle of pixels inside a picture; its type says in which [space](crate::affine::space) it lies.
#[derive(Serialize, Deserialize)]
#[serde(bound = "", from = "RegionNumbers", into = "RegionNumbers")]
pub struct Region<S = space::Any> {
    /// First column.
    pub x: u32,
    /// First row.
    pub y: u32,
    /// Columns.
    pub width: u32,
    /// Rows.
    pub height: u32,
    /// Where it lies.
    pub space: PhantomData<fn() -> S>,
}

/// A rectangle of pixels inside a picture.
#[derive(Clone, Copy, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = Region))]
pub struct RegionNumbers {
    /// First column.
    pub x: u32,
    /// First row.
    pub y: u32,
    /// Columns.
    pub width: u32,
    /// Rows.
    pub height: u32,
}

impl Region {
    /// A rectangle from its corner and sides.
    pub const fn new(x: u32, y: u32, width: u32, height: u32) -> Self {
        Self::of(x, y, width, height)
    }
}

impl<S> Region<S> {
    /// A rectangle of a space, from its corner and sides.
    pub const fn of(x: u32, y: u32, width: u32, height: u32) -> Self {
        Self { x, y, width, height, space: PhantomData }
    }

    /// The same numbers in another space: where it is said what a rectangle is of, and for code that does the same in all spaces.
    pub const fn seen_as<T>(self) -> Region<T> {
        Region::of(self.x, self.y, self.width, self.height)
    }

    /// Its two sides.
    pub fn size(self) -> Size {
        Size::new(self.width, self.height)
    }

    /// One past the last column.
    pub fn right(self) -> u32 {
        self.x + self.width
    }

    /// One past the last row.
    pub fn bottom(self) -> u32 {
        self.y + self.height
    }

    /// The whole pixels of a picture of this size that a map leads a rectangle of `width` by `height` to; nothing when it is outside.
    pub fn covering<From>(map: &Affine<From, S>, width: f64, height: f64, size: Size) -> Option<Self> {
        let corners = [(0.0, 0.0), (width, 0.0), (0.0, height), (width, height)].map(|(x, y)| map.at(x, y));
        let span = |of: fn(&(f64, f64)) -> f64, side: u32| {
            let low = corners.iter().map(of).fold(f64::INFINITY, f64::min).floor().max(0.0);
            let high = corners.iter().map(of).fold(f64::NEG_INFINITY, f64::max).ceil().min(f64::from(side));
            (high > low).then_some((low as u32, (high - low) as u32))
        };
        let ((x, w), (y, h)) = (span(|c| c.0, size.width)?, span(|c| c.1, size.height)?);
        Some(Self::of(x, y, w, h))
    }

    /// Its corners, as distances from the left and from above, row by row.
    pub fn corners(self) -> [(f64, f64); 4] {
        let [left, top, right, bottom] = [self.x, self.y, self.right(), self.bottom()].map(f64::from);
        [(left, top), (right, top), (left, bottom), (right, bottom)]
    }

    /// The rectangle with so many pixels around it, cut off at the edges of a picture of this size.
    pub fn grown(self, reach: u32, size: Size) -> Self {
        let (x, y) = (self.x.saturating_sub(reach), self.y.saturating_sub(reach));
        let (right, bottom) = ((self.right() + reach).min(size.width), (self.bottom() + reach).min(size.height));
        Self::of(x, y, right - x, bottom - y)
    }

    /// The rectangle in a part of the picture that holds it, measured from that part's corner.
    pub fn inside(self, part: Self) -> Region {
        Region::new(self.x - part.x, self.y - part.y, self.width, self.height)
    }

    /// Its middle, of this side at most.
    pub fn middle(self, side: u32) -> Self {
        let (width, height) = (self.width.min(side), self.height.min(side));
        Self::of(self.x + (self.width - width) / 2, self.y + (self.height - height) / 2, width, height)
    }

    /// Squares of `side` px, less where the picture is smaller, spread evenly over a picture without overlapping, row by row: at most
    /// `most` of them. `settled` rounds the place of a corner, in pixels, to the nearest whole one or to one before it.
    pub fn spread(size: Size, side: u32, most: u32, settled: impl Fn(f64) -> u32) -> Vec<Self> {
        let (width, height) = (size.width.min(side), size.height.min(side));
        let (across, down) = (f64::from(size.width / width), f64::from(size.height / height));
        let too_many = (across * down / f64::from(most)).sqrt().max(1.0);
        let fewer = |count: f64| ((count / too_many) as u32).max(1);
        let (across, down) = (fewer(across), fewer(down));
        let place = |i: u32, count: u32, spare: u32| match count {
            1 => settled((f64::from(spare) / 2.0).floor()),
            _ => settled(f64::from(spare) * f64::from(i) / f64::from(count - 1)),
        };
        let at = |row, column| {
            let (x, y) = (place(column, across, size.width - width), place(row, down, size.height - height));
            Self::of(x, y, width, height)
        };
        (0..down).flat_map(|row| (0..across).map(move |column| (row, column))).map(|(r, c)| at(r, c)).collect()
    }

    /// What of it lies inside a picture of this size; nothing if that is empty.
    pub fn within(self, size: Size) -> Option<Self> {
        let right = (u64::from(self.x) + u64::from(self.width)).min(size.width.into()) as u32;
        let bottom = (u64::from(self.y) + u64::from(self.height)).min(size.height.into()) as u32;
        (self.x < right && self.y < bottom).then(|| Self::of(self.x, self.y, right - self.x, bottom - self.y))
    }

    /// The part that two rectangles share; nothing if there is none.
    pub fn intersection(self, other: Self) -> Option<Self> {
        let (x, y) = (self.x.max(other.x), self.y.max(other.y));
        let (right, bottom) = (self.right().min(other.right()), self.bottom().min(other.bottom()));
        (x < right && y < bottom).then(|| Self::of(x, y, right - x, bottom - y))
    }

    /// The rectangle in a picture `factor` times as large.
    pub fn times(self, factor: u32) -> Self {
        Self::of(self.x * factor, self.y * factor, self.width * factor, self.height * factor)
    }
}

/// A place in a picture, in its pixels; its type says in which [space](crate::affine::space).
#[derive(Serialize, Deserialize)]
#[serde(bound = "", from = "PlaceNumbers", into = "PlaceNumbers")]
pub struct Place<S = space::Original> {
    /// Across, from the left edge.
    pub x: f32,
    /// Down, from the top.
    pub y: f32,
    /// Where it lies.
    pub space: PhantomData<fn() -> S>,
}

/// A place on the original, in its pixels.
#[derive(Clone, Copy, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = Place))]
pub struct PlaceNumbers {
    /// Across, from the left edge.
    pub x: f32,
    /// Down, from the top.
    pub y: f32,
}

impl<S> Place<S> {
    /// From its two distances.
    pub const fn new(x: f32, y: f32) -> Self {
        Self { x, y, space: PhantomData }
    }
}

/// What a derive would give only where the space has it, and how it stands in documents.
macro_rules! of_any_space {
    ($name:ident, $numbers:ident, $shown:literal, $($field:ident),+) => {
        impl<S> Clone for $name<S> {
            fn clone(&self) -> Self {
                *self
            }
        }

        impl<S> Copy for $name<S> {}

        impl<S> PartialEq for $name<S> {
            fn eq(&self, other: &Self) -> bool {
                ($(self.$field,)+) == ($(other.$field,)+)
            }
        }

        impl<S> fmt::Debug for $name<S> {
            fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                f.debug_struct($shown)$(.field(stringify!($field), &self.$field))+.finish()
            }
        }

        impl<S> From<$numbers> for $name<S> {
            fn from($numbers { $($field),+ }: $numbers) -> Self {
                Self { $($field,)+ space: PhantomData }
            }
        }

        impl<S> From<$name<S>> for $numbers {
            fn from($name { $($field,)+ .. }: $name<S>) -> Self {
                Self { $($field),+ }
            }
        }

        #[cfg(feature = "schema")]
        impl<S> utoipa::PartialSchema for $name<S> {
            fn schema() -> utoipa::openapi::RefOr<utoipa::openapi::schema::Schema> {
                $numbers::schema()
            }
        }

        #[cfg(feature = "schema")]
        impl<S> utoipa::ToSchema for $name<S> {
            fn name() -> std::borrow::Cow<'static, str> {
                $shown.into()
            }
        }
    };
}

of_any_space!(Region, RegionNumbers, "Region", x, y, width, height);
of_any_space!(Place, PlaceNumbers, "Place", x, y);

impl<S> Eq for Region<S> {}

impl<S> std::hash::Hash for Region<S> {
    fn hash<H: std::hash::Hasher>(&self, state: &mut H) {
        (self.x, self.y, self.width, self.height).hash(state);
    }
}

#[cfg(test)]
mod tests {
    use rstest::rstest;
    use serde_json::json;

    use super::*;

    #[rstest]
    #[case(1, 1, true)]
    #[case(0, 5, false)]
    #[case(5, 0, false)]
    fn a_size_from_outside_has_two_sides(#[case] width: u32, #[case] height: u32, #[case] read: bool) {
        let size = serde_json::from_value::<Size>(json!({ "width": width, "height": height }));
        assert_eq!(size.ok(), read.then(|| Size::new(width.max(1), height.max(1))));
    }
}
