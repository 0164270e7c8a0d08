//! Frame: how the original is turned, straightened and cropped, before everything else.
//!
//! Quarter turns and mirrors move whole pixels. Straightening resamples once, from absolute positions, so that a
//! region holds the same values as the same part of the whole.

use std::borrow::Cow;

use dettaglio_domain::affine::{Affine, space};
use dettaglio_domain::frame::{Frame, FrameError};
use dettaglio_domain::geometry::{Region, Size};
use dettaglio_domain::hash::ContentHash;
use rayon::prelude::*;

use crate::enlarge::Source;
use crate::picture::{Original, Planes};
use crate::warp::{LANCZOS_3, Window, warped_row};

/// An original in its frame: what all later steps take for the picture.
#[derive(Clone, Debug)]
pub struct Framed<'a> {
    original: &'a Original,
    frame: Frame,
    kept: Region<space::Straightened>,
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
    pub fn map(&self) -> Affine<space::Original, space::Kept> {
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

    /// A region as planes of encoded RGB in [0, 1]; it must lie inside.
    pub fn region(&self, region: Region<space::Kept>) -> Planes {
        let region = Region::of(self.kept.x + region.x, self.kept.y + region.y, region.width, region.height);
        if self.frame.degrees == 0.0 { self.turned_region(region.seen_as()) } else { self.straightened_region(region) }
    }

    /// All of it, as [`region`](Self::region) gives parts of it.
    pub fn planes(&self) -> Planes {
        self.region(self.kept.size().whole().seen_as())
    }

    /// A region of the turned, not yet straightened picture.
    fn turned_region(&self, region: Region<space::Turned>) -> Planes {
        let original = self.original.size();
        let turned = self.frame.turned(original);
        // Where the region lies in the original: turn back, then mirror back.
        let back = match self.frame.quarter_turns {
            0 => region.seen_as(),
            1 => Region::of(region.y, turned.width - region.right(), region.height, region.width),
            2 => {
                Region::of(turned.width - region.right(), turned.height - region.bottom(), region.width, region.height)
            }
            _ => Region::of(turned.height - region.bottom(), region.x, region.height, region.width),
        };
        let from = if self.frame.mirrored {
            Region::of(original.width - back.right(), back.y, back.width, back.height)
        } else {
            back
        };
        let source = self.original.region(from);
        if self.frame.quarter_turns == 0 && !self.frame.mirrored {
            return source;
        }
        let mut out = Planes::black(region.size());
        let height = region.height as usize;
        out.values_mut().par_chunks_mut(region.width as usize).enumerate().for_each(|(line, row)| {
            let (channel, y) = (line / height, (line % height) as u32);
            for (x, value) in row.iter_mut().enumerate() {
                let x = x as u32;
                let (bx, by) = match self.frame.quarter_turns {
                    0 => (x, y),
                    1 => (y, region.width - 1 - x),
                    2 => (region.width - 1 - x, region.height - 1 - y),
                    _ => (region.height - 1 - y, x),
                };
                let bx = if self.frame.mirrored { back.width - 1 - bx } else { bx };
                *value = source.row(channel, by)[bx as usize];
            }
        });
        out
    }

    /// A region of the straightened picture, by Lanczos 3 around each pixel's place in the turned one.
    ///
    /// It is made in blocks: what a block needs of the turned picture is little more than the block, and stays in the processor's cache.
    fn straightened_region(&self, region: Region<space::Straightened>) -> Planes {
        let turned = self.frame.turned(self.original.size());
        let back = self.frame.straightened_to_turned(turned);
        let mut out = Planes::black(region.size());
        let columns = region.width as usize;
        let [red, green, blue] = out.planes_mut();
        let band = BLOCK.height as usize * columns;
        let bands = red.par_chunks_mut(band).zip(green.par_chunks_mut(band)).zip(blue.par_chunks_mut(band));
        bands.enumerate().for_each(|(index, ((red, green), blue))| {
            let (top, height) = (region.y + index as u32 * BLOCK.height, (red.len() / columns) as u32);
            for first in (0..region.width).step_by(BLOCK.width as usize) {
                let width = BLOCK.width.min(region.width - first);
                let block = Region::of(region.x + first, top, width, height);
                let needed = needed_of(turned, &back, block);
                let source = self.turned_region(needed);
                let window = Window::new(&source, (needed.x, needed.y), &LANCZOS_3);
                for y in 0..height {
                    let py = f64::from(top + y) + 0.5;
                    let place = |x: usize, _| back.at(f64::from(block.x + x as u32) + 0.5, py);
                    let start = y as usize * columns + first as usize;
                    let row = start..start + width as usize;
                    warped_row(&window, 1, place, [&mut red[row.clone()], &mut green[row.clone()], &mut blue[row]]);
                }
            }
        });
        out
    }
}

/// What is straightened at once.
const BLOCK: Size = Size { width: 256, height: 128 };

/// The part of the turned picture that a block of the straightened one is made of.
fn needed_of(
    turned: Size,
    back: &Affine<space::Straightened, space::Turned>,
    block: Region<space::Straightened>,
) -> Region<space::Turned> {
    // Lanczos 3 reaches three pixels, from a place that may lie half a pixel off the middle of one.
    const REACH: u32 = 4;
    let corner: Affine<space::Straightened, space::Straightened> =
        Affine::shift(f64::from(block.x), f64::from(block.y));
    let covered = Region::covering(&corner.then(back), f64::from(block.width), f64::from(block.height), turned);
    covered.expect("what is kept lies in the picture").grown(REACH, turned)
}

impl Source for Framed<'_> {
    type Space = space::Kept;

    fn size(&self) -> Size {
        self.kept.size()
    }

    fn pull(&self, region: Region<space::Kept>) -> Cow<'_, Planes> {
        Cow::Owned(self.region(region))
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
        framed.planes().plane(0).iter().map(|v| (v * 1000.0).round() as u32).collect()
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
        assert_eq!(frame.kept(original).unwrap(), due.seen_as());
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
        let frame = Frame { quarter_turns: 1, crop: Some(Region::of(1, 1, 1, 2)), ..Frame::default() };
        assert_eq!(shown(&numbered(3, 2), frame), &[1, 2]);
        let outside = Frame { crop: Some(Region::of(2, 0, 2, 2)), ..Frame::default() };
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
        let whole = framed.planes();
        let row = whole.row(0, framed.size().height / 2);
        assert!(framed.size().width > 160 && framed.size().height > 90, "{}", framed.size());
        let inside = &row[4..row.len() - 4];
        let level = |v: &f32| (v - inside[0]).abs() < 0.002 || (v - 0.5).abs() > 0.25;
        assert!(inside.iter().all(level), "{inside:?}");
        let greedy = Frame { degrees: -5.0, crop: Some(size.whole().seen_as()), ..Frame::default() };
        assert_eq!(greedy.kept(size), Err(FrameError::EmptyCorner));
    }

    // Each pixel of the original carries its own number: it must be found where the map says.
    #[rstest]
    fn a_place_on_the_original_is_found_again_in_the_frame(
        #[values(false, true)] mirrored: bool,
        #[values(0, 1, 2, 3)] quarter_turns: u8,
        #[values(None, Some(Region::of(1, 2, 3, 2)))] crop: Option<Region<space::Straightened>>,
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
            let (ox, oy) = frame.straightened_to_turned(size).at(straight.0, straight.1);
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
            let whole = framed.planes();
            let (x, y) = ((f64::from(size.width - 1) * fx) as u32, (f64::from(size.height - 1) * fy) as u32);
            let region = Region::new(x, y, (size.width - x).min(9), (size.height - y).min(7));
            prop_assert!(framed.region(region.seen_as()) == whole.cut(region));
        }
    }
}
