//! Frame: how the original is turned, straightened and cropped, before everything else.
//!
//! Quarter turns and mirrors move whole pixels. Straightening resamples once, from absolute positions, so that a
//! region holds the same values as the same part of the whole.

use serde::{Deserialize, Serialize};

use crate::affine::Affine;
use crate::enlarge::{Kernel, Source};
use crate::hash::ContentHash;
use crate::picture::{Original, Planes, Region, Size};

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
    /// What is kept, in pixels of the turned picture; without it all that the turning left full.
    pub crop: Option<Region>,
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

    /// What is kept of an original of this size, in pixels of the turned picture.
    pub fn kept(&self, original: Size) -> Result<Region, FrameError> {
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
        let corners =
            [(crop.x, crop.y), (crop.right(), crop.y), (crop.x, crop.bottom()), (crop.right(), crop.bottom())];
        let full = |(x, y): (u32, u32)| {
            let (x, y) = self.straight_to_turned(turned, f64::from(x), f64::from(y));
            // Half a pixel beyond the edge, the edge itself is repeated and nobody sees it.
            (-0.5..=f64::from(turned.width) + 0.5).contains(&x) && (-0.5..=f64::from(turned.height) + 0.5).contains(&y)
        };
        if self.degrees != 0.0 && !corners.into_iter().all(full) {
            return Err(FrameError::EmptyCorner);
        }
        Ok(crop)
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
        Ok(Self { crop: Some(Region::new(x, y, width, height)), ..*self })
    }

    /// The size of what is kept.
    pub fn size(&self, original: Size) -> Result<Size, FrameError> {
        self.kept(original).map(Region::size)
    }

    /// From places on an original of this size to places on what is kept of it.
    pub fn to_kept(&self, original: Size) -> Result<Affine, FrameError> {
        let kept = self.kept(original)?;
        let (w, h) = (f64::from(original.width), f64::from(original.height));
        let mirror = if self.mirrored { Affine { xx: -1.0, x0: w, ..Affine::IDENTITY } } else { Affine::IDENTITY };
        let turn = match self.quarter_turns {
            0 => Affine::IDENTITY,
            1 => Affine { xx: 0.0, xy: -1.0, yx: 1.0, yy: 0.0, x0: h, y0: 0.0 },
            2 => Affine { xx: -1.0, yy: -1.0, x0: w, y0: h, ..Affine::IDENTITY },
            _ => Affine { xx: 0.0, xy: 1.0, yx: -1.0, yy: 0.0, x0: 0.0, y0: w },
        };
        let turned = self.turned(original);
        let (cx, cy) = (f64::from(turned.width) / 2.0, f64::from(turned.height) / 2.0);
        let (sin, cos) = self.degrees.to_radians().sin_cos();
        let straighten = Affine::shift(-cx, -cy)
            .then(&Affine { xx: cos, xy: -sin, yx: sin, yy: cos, x0: 0.0, y0: 0.0 })
            .then(&Affine::shift(cx, cy));
        let crop = Affine::shift(-f64::from(kept.x), -f64::from(kept.y));
        Ok(mirror.then(&turn).then(&straighten).then(&crop))
    }

    /// The largest rectangle of the picture's own shape that straightening leaves full, in the middle.
    fn largest_full(&self, turned: Size) -> Region {
        if self.degrees == 0.0 {
            return turned.whole();
        }
        let (w, h) = (f64::from(turned.width), f64::from(turned.height));
        let (sin, cos) = (self.degrees.abs().to_radians().sin(), self.degrees.abs().to_radians().cos());
        // A rectangle (s w, s h), turned, spans s (w cos + h sin) by s (w sin + h cos): both must fit.
        let share = (w / (w * cos + h * sin)).min(h / (w * sin + h * cos));
        let side = |px: f64| ((px * share).floor() as u32).max(1);
        let (width, height) = (side(w), side(h));
        Region::new((turned.width - width) / 2, (turned.height - height) / 2, width, height)
    }

    /// Where a place of the straightened picture lies in the merely turned one.
    fn straight_to_turned(&self, turned: Size, x: f64, y: f64) -> (f64, f64) {
        let (sin, cos) = self.degrees.to_radians().sin_cos();
        let (cx, cy) = (f64::from(turned.width) / 2.0, f64::from(turned.height) / 2.0);
        let (dx, dy) = (x - cx, y - cy);
        (cx + dx * cos + dy * sin, cy - dx * sin + dy * cos)
    }
}

/// An original in its frame: what all later steps take for the picture.
#[derive(Clone, Debug)]
pub struct Framed<'a> {
    original: &'a Original,
    frame: Frame,
    kept: Region,
}

impl<'a> Framed<'a> {
    /// The frame must be usable for this original.
    pub fn new(original: &'a Original, frame: Frame) -> Result<Self, FrameError> {
        Ok(Self { original, frame, kept: frame.kept(original.size())? })
    }

    /// What is framed.
    pub fn original(&self) -> &'a Original {
        self.original
    }

    /// From places on the original to places in the frame.
    pub fn map(&self) -> Affine {
        self.frame.to_kept(self.original.size()).expect("the frame was found usable")
    }

    /// Names the pixels.
    pub fn hash(&self) -> ContentHash {
        if self.frame.is_plain() {
            self.original.hash()
        } else {
            ContentHash::of_step(&self.original.hash(), &self.frame)
        }
    }

    /// A region of the turned, not yet straightened picture.
    fn turned_region(&self, region: Region) -> Planes {
        let original = self.original.size();
        let turned = self.frame.turned(original);
        // Where the region lies in the original: turn back, then mirror back.
        let back = match self.frame.quarter_turns {
            0 => region,
            1 => Region::new(region.y, turned.width - region.right(), region.height, region.width),
            2 => {
                Region::new(turned.width - region.right(), turned.height - region.bottom(), region.width, region.height)
            }
            _ => Region::new(turned.height - region.bottom(), region.x, region.height, region.width),
        };
        let from = if self.frame.mirrored {
            Region::new(original.width - back.right(), back.y, back.width, back.height)
        } else {
            back
        };
        let source = self.original.region(from);
        if self.frame.quarter_turns == 0 && !self.frame.mirrored {
            return source;
        }
        let mut out = Planes::black(region.size());
        for channel in 0..3 {
            for y in 0..region.height {
                for x in 0..region.width {
                    let (bx, by) = match self.frame.quarter_turns {
                        0 => (x, y),
                        1 => (y, region.width - 1 - x),
                        2 => (region.width - 1 - x, region.height - 1 - y),
                        _ => (region.height - 1 - y, x),
                    };
                    let bx = if self.frame.mirrored { back.width - 1 - bx } else { bx };
                    out.row_mut(channel, y)[x as usize] = source.row(channel, by)[bx as usize];
                }
            }
        }
        out
    }

    /// A region of the straightened picture, by Lanczos 3 around each pixel's place in the turned one.
    fn straightened_region(&self, region: Region) -> Planes {
        const REACH: i64 = 3;
        let turned = self.frame.turned(self.original.size());
        let corners = [(0, 0), (region.width, 0), (0, region.height), (region.width, region.height)]
            .map(|(x, y)| self.frame.straight_to_turned(turned, f64::from(region.x + x), f64::from(region.y + y)));
        let bound = |of: fn(&(f64, f64)) -> f64, side: u32| {
            let low = corners.iter().map(of).fold(f64::INFINITY, f64::min).floor() as i64 - REACH - 1;
            let high = corners.iter().map(of).fold(f64::NEG_INFINITY, f64::max).ceil() as i64 + REACH + 1;
            let low = low.clamp(0, i64::from(side) - 1) as u32;
            (low, (high.clamp(i64::from(low) + 1, i64::from(side)) as u32) - low)
        };
        let ((left, width), (top, height)) = (bound(|c| c.0, turned.width), bound(|c| c.1, turned.height));
        let source = self.turned_region(Region::new(left, top, width, height));
        let mut out = Planes::black(region.size());
        let weights = |at: f64| {
            let first = at.floor() as i64 - REACH + 1;
            let mut taps = [0.0_f64; 6];
            for (i, tap) in taps.iter_mut().enumerate() {
                *tap = Kernel::Lanczos3.weight(at - (first + i as i64) as f64);
            }
            let sum: f64 = taps.iter().sum();
            (first, taps.map(|t| (t / sum) as f32))
        };
        for y in 0..region.height {
            for x in 0..region.width {
                let (px, py) = (f64::from(region.x + x) + 0.5, f64::from(region.y + y) + 0.5);
                let (sx, sy) = self.frame.straight_to_turned(turned, px, py);
                let ((first_x, across), (first_y, down)) = (weights(sx - 0.5), weights(sy - 0.5));
                for channel in 0..3 {
                    let mut sum = 0.0;
                    for (j, wy) in down.iter().enumerate() {
                        let row = (first_y + j as i64 - i64::from(top)).clamp(0, i64::from(height) - 1) as u32;
                        let row = source.row(channel, row);
                        for (i, wx) in across.iter().enumerate() {
                            let column = (first_x + i as i64 - i64::from(left)).clamp(0, i64::from(width) - 1);
                            sum += row[column as usize] * wx * wy;
                        }
                    }
                    out.row_mut(channel, y)[x as usize] = sum.clamp(0.0, 1.0);
                }
            }
        }
        out
    }
}

impl Source for Framed<'_> {
    fn size(&self) -> Size {
        self.kept.size()
    }

    fn pull(&self, region: Region) -> Planes {
        let region = Region::new(self.kept.x + region.x, self.kept.y + region.y, region.width, region.height);
        if self.frame.degrees == 0.0 { self.turned_region(region) } else { self.straightened_region(region) }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;

    fn numbered(width: u32, height: u32) -> Original {
        let size = Size::new(width, height);
        let values = (0..3 * size.area()).map(|i| (i % size.area()) as f32 / 1000.0).collect();
        Original::from_planes(&Planes::from_values(size, values))
    }

    fn shown(original: &Original, frame: Frame) -> Vec<u32> {
        let framed = Framed::new(original, frame).unwrap();
        framed.pull(framed.size().whole()).plane(0).iter().map(|v| (v * 1000.0).round() as u32).collect()
    }

    // 0 1 2
    // 3 4 5
    #[rstest]
    #[case::across(Size::new(900, 600), 1.25, Region::new(75, 0, 750, 600))]
    #[case::a_shape_given_upright_is_laid_across(Size::new(900, 600), 0.8, Region::new(75, 0, 750, 600))]
    #[case::upright(Size::new(600, 900), 1.25, Region::new(0, 75, 600, 750))]
    #[case::already(Size::new(900, 600), 1.5, Region::new(0, 0, 900, 600))]
    fn a_crop_to_the_shape_of_a_print(#[case] original: Size, #[case] proportion: f64, #[case] due: Region) {
        let frame = Frame::default().cropped_to_shape(original, proportion).unwrap();
        assert_eq!(frame.kept(original).unwrap(), due);
        assert_eq!(frame.cropped_to_shape(original, proportion).unwrap(), frame, "once is enough");
    }

    #[rstest]
    #[case(false, 0, &[0, 1, 2, 3, 4, 5])]
    #[case(false, 1, &[3, 0, 4, 1, 5, 2])]
    #[case(false, 2, &[5, 4, 3, 2, 1, 0])]
    #[case(false, 3, &[2, 5, 1, 4, 0, 3])]
    #[case(true, 0, &[2, 1, 0, 5, 4, 3])]
    #[case(true, 1, &[5, 2, 4, 1, 3, 0])]
    fn quarter_turns_are_clockwise(#[case] mirrored: bool, #[case] quarter_turns: u8, #[case] expected: &[u32]) {
        assert_eq!(shown(&numbered(3, 2), Frame { mirrored, quarter_turns, ..Frame::default() }), expected);
    }

    #[test]
    fn a_crop_is_taken_from_the_turned_picture() {
        let frame = Frame { quarter_turns: 1, crop: Some(Region::new(1, 1, 1, 2)), ..Frame::default() };
        assert_eq!(shown(&numbered(3, 2), frame), &[1, 2]);
        let outside = Frame { crop: Some(Region::new(2, 0, 2, 2)), ..Frame::default() };
        assert_eq!(outside.kept(Size::new(3, 2)), Err(FrameError::Outside { turned: Size::new(3, 2) }));
    }

    #[test]
    fn straightening_turns_around_the_middle_and_leaves_no_empty_corner() {
        let size = Size::new(200, 120);
        // A ramp that rises along a line 5 degrees off the horizontal becomes level.
        let (sin, cos) = 5.0_f64.to_radians().sin_cos();
        let value = |i: u64| {
            let (x, y) = ((i % 200) as f64 + 0.5, (i / 200 % 120) as f64 + 0.5);
            (0.5 + (-(x - 100.0) * sin + (y - 60.0) * cos) / 200.0) as f32
        };
        let original = Original::from_planes(&Planes::from_values(size, (0..3 * size.area()).map(value).collect()));
        let framed = Framed::new(&original, Frame { degrees: -5.0, ..Frame::default() }).unwrap();
        let whole = framed.pull(framed.size().whole());
        let row = whole.row(0, framed.size().height / 2);
        assert!(framed.size().width > 160 && framed.size().height > 90, "{}", framed.size());
        let inside = &row[4..row.len() - 4];
        let level = |v: &f32| (v - inside[0]).abs() < 0.002 || (v - 0.5).abs() > 0.25;
        assert!(inside.iter().all(level), "{inside:?}");
        let greedy = Frame { degrees: -5.0, crop: Some(size.whole()), ..Frame::default() };
        assert_eq!(greedy.kept(size), Err(FrameError::EmptyCorner));
    }

    // Each pixel of the original carries its own number: it must be found where the map says.
    #[rstest]
    fn a_place_on_the_original_is_found_again_in_the_frame(
        #[values(false, true)] mirrored: bool,
        #[values(0, 1, 2, 3)] quarter_turns: u8,
        #[values(None, Some(Region::new(1, 2, 3, 2)))] crop: Option<Region>,
    ) {
        let (original, size) = (numbered(5, 6), Size::new(5, 6));
        let frame = Frame { mirrored, quarter_turns, crop, ..Frame::default() };
        let (map, kept) = (frame.to_kept(size).unwrap(), frame.size(size).unwrap());
        let shown = shown(&original, frame);
        for (i, number) in shown.iter().enumerate() {
            let (x, y) = (i as u32 % kept.width, i as u32 / kept.width);
            let (ox, oy) = map.inverse().at(f64::from(x) + 0.5, f64::from(y) + 0.5);
            assert_eq!((oy.floor() * 5.0 + ox.floor()) as u32, *number, "{x}, {y}");
        }
    }

    #[test]
    fn straightening_is_in_the_map() {
        let (size, frame) = (Size::new(400, 300), Frame { degrees: 7.0, ..Frame::default() });
        let (map, kept) = (frame.to_kept(size).unwrap(), frame.kept(size).unwrap());
        for (x, y) in [(0.0, 0.0), (120.0, 33.0), (260.0, 210.0)] {
            let straight = (x + f64::from(kept.x), y + f64::from(kept.y));
            let (ox, oy) = frame.straight_to_turned(size, straight.0, straight.1);
            let (bx, by) = map.at(ox, oy);
            assert!((bx - x).abs() < 1e-9 && (by - y).abs() < 1e-9, "{bx}, {by}");
        }
    }

    proptest! {
        #[test]
        fn a_region_is_that_part_of_the_whole(
            mirrored: bool, quarter_turns in 0_u8..4, degrees in prop_oneof![Just(0.0), -15.0..15.0_f64],
            fx in 0.0..1.0_f64, fy in 0.0..1.0_f64
        ) {
            let original = numbered(43, 31);
            let framed = Framed::new(&original, Frame { mirrored, quarter_turns, degrees, crop: None }).unwrap();
            let size = framed.size();
            let whole = framed.pull(size.whole());
            let (x, y) = ((f64::from(size.width - 1) * fx) as u32, (f64::from(size.height - 1) * fy) as u32);
            let region = Region::new(x, y, (size.width - x).min(9), (size.height - y).min(7));
            prop_assert!(framed.pull(region) == whole.cut(region));
        }
    }
}
