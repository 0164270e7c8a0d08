//! A crop while a hand draws it: a rectangle over the turned picture that keeps its proportion and leaves no corner empty.

use serde::{Deserialize, Serialize};

use crate::affine::space::Straightened;
use crate::frame::{Frame, FrameError};
use crate::geometry::{Region, Size};
use crate::size::{Paper, Target};

/// What arithmetic may leave of a pixel: no row of the picture is lost to it.
const ROUNDING: f64 = 1e-6;

/// The smallest side that a rectangle is dragged to, in pixels of the turned picture.
const LEAST_SIDE: f64 = 16.0;

/// A rectangle that is being drawn, in pixels of the turned picture and fractions of them.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Rect {
    /// Left edge.
    pub x: f64,
    /// Upper edge.
    pub y: f64,
    /// From left to right.
    pub width: f64,
    /// From top to bottom.
    pub height: f64,
}

/// Which proportion a rectangle keeps.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum CropShape {
    /// That of the paper, lying as the picture does.
    Print,
    /// That of the turned picture.
    Picture,
    /// None.
    Free,
}

/// What is done to a rectangle.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase", tag = "do")]
pub enum CropChange {
    /// It is taken as the frame has it; the largest of its shape where that has none.
    Begin,
    /// It becomes the largest of its shape.
    Fill,
    /// The picture was straightened below it: it shrinks as little as it needs to be full.
    Fit,
    /// A side or corner of it is dragged, or all of it.
    Drag {
        /// -1 for the left side, 1 for the right one, 0 for neither.
        across: i8,
        /// -1 for the upper side, 1 for the lower one, 0 for neither; all of it moves when both are 0.
        down: i8,
        /// To the right, in pixels of the turned picture.
        dx: f64,
        /// Downwards.
        dy: f64,
    },
}

/// A rectangle and what is to be done to it.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Drawing {
    /// How the picture is turned and straightened.
    pub frame: Frame,
    /// What is printed, whose paper has a shape.
    pub target: Target,
    /// The shape that it keeps; the print's, if there is one, where nothing is said.
    #[serde(default)]
    pub shape: Option<CropShape>,
    /// The rectangle as it is; the frame's own where nothing is said.
    #[serde(default)]
    pub rect: Option<Rect>,
    /// What is done.
    pub change: CropChange,
}

/// What came of it.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Drawn {
    /// The size of the turned picture.
    pub turned: Size,
    /// The rectangle.
    pub rect: Rect,
    /// The shape that it keeps.
    pub shape: CropShape,
    /// The same in whole pixels; nothing when it is the whole picture.
    #[cfg_attr(feature = "schema", schema(value_type = Option<Region>))]
    pub crop: Option<Region<Straightened>>,
    /// The pixels of it.
    pub size: Size,
}

impl Drawing {
    /// Does what is asked for to the rectangle over an original of this size.
    ///
    /// A drag that would leave the picture, or an empty corner, is not followed.
    ///
    /// # Errors
    /// When the frame cannot be used, whatever its crop.
    pub fn drawn(&self, original: Size) -> Result<Drawn, FrameError> {
        let frame = Frame { crop: None, ..self.frame };
        frame.kept(original)?;
        let area = Area { frame, turned: frame.turned(original) };
        let paper = match self.target {
            Target::Print { paper, .. } => Some(paper),
            _ => None,
        };
        let usual = if paper.is_some() { CropShape::Print } else { CropShape::Free };
        // Without a print its shape is no shape.
        let shape = self.shape.filter(|shape| *shape != CropShape::Print || paper.is_some()).unwrap_or(usual);
        let proportion = area.proportion(shape, paper);
        let crop = self.frame.crop.filter(|crop| crop.within(area.turned) == Some(*crop)).map(Rect::from);
        let rect = match (self.change, self.rect.filter(Rect::is_sound).or(crop)) {
            (CropChange::Begin, None) | (_, None) => area.largest(proportion.unwrap_or_else(|| area.own_proportion())),
            (CropChange::Begin, Some(rect)) => rect,
            (CropChange::Fill, Some(rect)) => proportion.map_or(rect, |proportion| area.largest(proportion)),
            (CropChange::Fit, Some(rect)) => area.shrunk_to_full(rect),
            (CropChange::Drag { across, down, dx, dy }, Some(rect)) => {
                area.dragged(rect, (across.signum(), down.signum()), (dx, dy), proportion)
            }
        };
        let crop = rect.in_pixels(area.turned);
        let whole = crop == area.turned.whole().seen_as();
        Ok(Drawn { turned: area.turned, rect, shape, crop: (!whole).then_some(crop), size: crop.size() })
    }
}

impl From<Region<Straightened>> for Rect {
    fn from(region: Region<Straightened>) -> Self {
        let [x, y, width, height] = [region.x, region.y, region.width, region.height].map(f64::from);
        Self { x, y, width, height }
    }
}

impl Rect {
    /// Whether its numbers are numbers, and it has an inside.
    fn is_sound(&self) -> bool {
        [self.x, self.y, self.width, self.height].iter().all(|n| n.is_finite()) && self.width > 0.0 && self.height > 0.0
    }

    fn middle(&self) -> (f64, f64) {
        (self.x + self.width / 2.0, self.y + self.height / 2.0)
    }

    fn around((x, y): (f64, f64), width: f64, height: f64) -> Self {
        Self { x: x - width / 2.0, y: y - height / 2.0, width, height }
    }

    fn corners(&self) -> [(f64, f64); 4] {
        let (right, bottom) = (self.x + self.width, self.y + self.height);
        [(self.x, self.y), (right, self.y), (self.x, bottom), (right, bottom)]
    }

    /// In whole pixels, never outside of the turned picture.
    pub fn in_pixels(&self, turned: Size) -> Region<Straightened> {
        let along = |from: f64, extent: f64, all: u32| {
            let start = (from - ROUNDING).ceil().clamp(0.0, f64::from(all - 1)) as u32;
            let end = (from + extent + ROUNDING).floor();
            (start, (end - f64::from(start)).clamp(1.0, f64::from(all - start)) as u32)
        };
        let (x, width) = along(self.x, self.width, turned.width);
        let (y, height) = along(self.y, self.height, turned.height);
        Region::of(x, y, width, height)
    }
}

/// What a rectangle may lie in: the turned picture, straightened.
struct Area {
    frame: Frame,
    turned: Size,
}

impl Area {
    fn sides(&self) -> (f64, f64) {
        (f64::from(self.turned.width), f64::from(self.turned.height))
    }

    fn own_proportion(&self) -> f64 {
        let (width, height) = self.sides();
        width / height
    }

    /// Width over height that a shape stands for, if it stands for one.
    fn proportion(&self, shape: CropShape, paper: Option<Paper>) -> Option<f64> {
        match (shape, paper) {
            (CropShape::Free, _) | (CropShape::Print, None) => None,
            (CropShape::Picture, _) => Some(self.own_proportion()),
            (CropShape::Print, Some(paper)) => {
                let Paper { width, height, .. } = paper.turned_like(self.turned);
                Some(width / height).filter(|p| p.is_finite() && *p > 0.0)
            }
        }
    }

    /// Whether a rectangle lies in the picture and straightening left all its corners full.
    fn is_full(&self, rect: &Rect) -> bool {
        let (width, height) = self.sides();
        let least = rect.x.min(rect.y).min(width - rect.x - rect.width).min(height - rect.y - rect.height);
        rect.is_sound() && least >= -ROUNDING && self.frame.are_full(self.turned, rect.corners())
    }

    /// A rectangle, shrunk around its middle as little as it needs to be full.
    fn shrunk_to_full(&self, rect: Rect) -> Rect {
        let back = self.frame.straightened_to_turned(self.turned);
        let (middle, (width, height)) = (rect.middle(), self.sides());
        let straight = back.at(middle.0, middle.1);
        // The share of the way from the middle to a corner that stays between 0 and an end.
        let share = |middle: f64, corner: f64, end: f64| {
            let way = corner - middle;
            if way == 0.0 { 1.0 } else { (if way > 0.0 { end - middle } else { middle }) / way.abs() }
        };
        let shares = rect.corners().into_iter().flat_map(|(x, y)| {
            let turned = back.at(x, y);
            [
                share(straight.0, turned.0, width),
                share(straight.1, turned.1, height),
                share(middle.0, x, width),
                share(middle.1, y, height),
            ]
        });
        let least = shares.fold(1.0, f64::min).max(0.0);
        Rect::around(middle, (rect.width * least).max(1.0), (rect.height * least).max(1.0))
    }

    /// The largest full rectangle of a proportion around the picture's middle.
    fn largest(&self, proportion: f64) -> Rect {
        let (width, height) = self.sides();
        let across = width.min(height * proportion);
        self.shrunk_to_full(Rect::around((width / 2.0, height / 2.0), across, across / proportion))
    }

    fn dragged(&self, rect: Rect, grip: (i8, i8), by: (f64, f64), proportion: Option<f64>) -> Rect {
        if grip == (0, 0) {
            // Along an edge that it has met, if not across it.
            let moves = [by, (by.0, 0.0), (0.0, by.1)];
            let moved = moves.map(|(dx, dy)| Rect { x: rect.x + dx, y: rect.y + dy, ..rect });
            return moved.into_iter().find(|moved| self.is_full(moved)).unwrap_or(rect);
        }
        let (across, down) = (f64::from(grip.0), f64::from(grip.1));
        let (mut width, mut height) = (rect.width + across * by.0, rect.height + down * by.1);
        if let Some(proportion) = proportion {
            let follows_height = grip.0 == 0 || (grip.1 != 0 && width / height > proportion);
            if follows_height { width = height * proportion } else { height = width / proportion }
        }
        if width < LEAST_SIDE || height < LEAST_SIDE {
            return rect;
        }
        // What is not dragged stays where it is; of a side that follows, the middle does.
        let along = |grip: i8, start: f64, before: f64, after: f64| match grip {
            -1 => start + before - after,
            0 => start + (before - after) / 2.0,
            _ => start,
        };
        let next = Rect {
            x: along(grip.0, rect.x, rect.width, width),
            y: along(grip.1, rect.y, rect.height, height),
            width,
            height,
        };
        if self.is_full(&next) { next } else { rect }
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;
    use rstest::rstest;

    use super::*;
    use crate::size::Unit;

    const ORIGINAL: Size = Size::new(300, 200);

    fn rect(x: f64, y: f64, width: f64, height: f64) -> Rect {
        Rect { x, y, width, height }
    }

    fn print(width: f64, height: f64) -> Target {
        Target::Print { paper: Paper { width, height, unit: Unit::Cm }, ppi: 254.0 }
    }

    fn drawn(frame: Frame, target: Target, shape: Option<CropShape>, rect: Option<Rect>, change: CropChange) -> Drawn {
        Drawing { frame, target, shape, rect, change }.drawn(ORIGINAL).unwrap()
    }

    const FACTOR: Target = Target::Factor { factor: 2.0 };

    fn turned_by(degrees: f64) -> Frame {
        Frame { degrees, ..Frame::default() }
    }

    #[test]
    fn it_begins_with_the_prints_shape_as_the_picture_lies() {
        let square = drawn(Frame::default(), print(30.0, 30.0), None, None, CropChange::Begin);
        assert_eq!((square.shape, square.crop), (CropShape::Print, Some(Region::of(50, 0, 200, 200))));
        let [lying, upright] = [print(40.0, 30.0), print(30.0, 40.0)]
            .map(|target| drawn(Frame::default(), target, None, None, CropChange::Begin).crop);
        assert_eq!(lying, upright, "the paper is turned as the picture is");
        let quarter = Frame { quarter_turns: 1, ..Frame::default() };
        let turned = drawn(quarter, FACTOR, Some(CropShape::Picture), None, CropChange::Begin);
        assert_eq!((turned.turned, turned.crop), (Size::new(200, 300), None), "the whole is no crop");
    }

    #[test]
    fn it_begins_as_it_was_left_and_without_a_print_keeps_no_shape() {
        let crop = Some(Region::of(10, 20, 100, 50));
        let left = drawn(Frame { crop, ..Frame::default() }, FACTOR, Some(CropShape::Print), None, CropChange::Begin);
        assert_eq!((left.crop, left.shape), (crop, CropShape::Free));
        let outside = Frame { crop: Some(Region::of(250, 20, 100, 50)), ..Frame::default() };
        assert_eq!(
            drawn(outside, FACTOR, None, None, CropChange::Begin).crop,
            None,
            "one that is not in the picture is none"
        );
    }

    #[rstest]
    #[case::corner(rect(100.0, 50.0, 90.0, 60.0), (-1, -1), (-20.0, -10.0), rect(80.0, 40.0, 110.0, 70.0))]
    #[case::beyond(rect(100.0, 50.0, 90.0, 60.0), (1, 1), (500.0, 500.0), rect(100.0, 50.0, 90.0, 60.0))]
    #[case::too_small(rect(100.0, 50.0, 90.0, 60.0), (1, 0), (-80.0, 0.0), rect(100.0, 50.0, 90.0, 60.0))]
    #[case::along_an_edge(rect(200.0, 100.0, 100.0, 50.0), (0, 0), (10.0, -20.0), rect(200.0, 80.0, 100.0, 50.0))]
    #[case::no_number(rect(200.0, 100.0, 100.0, 50.0), (0, 1), (0.0, f64::NAN), rect(200.0, 100.0, 100.0, 50.0))]
    fn it_is_dragged(#[case] from: Rect, #[case] grip: (i8, i8), #[case] by: (f64, f64), #[case] to: Rect) {
        let change = CropChange::Drag { across: grip.0, down: grip.1, dx: by.0, dy: by.1 };
        assert_eq!(drawn(Frame::default(), FACTOR, None, Some(from), change).rect, to);
    }

    #[test]
    fn a_frame_that_cannot_be_used_is_refused() {
        let change = CropChange::Begin;
        let drawing = Drawing { frame: turned_by(40.0), target: FACTOR, shape: None, rect: None, change };
        assert!(matches!(drawing.drawn(ORIGINAL), Err(FrameError::Degrees(_))));
    }

    proptest! {
        /// Whatever is done, what comes of it is a crop that the frame accepts, of the shape that it keeps.
        #[test]
        fn every_drawing_can_be_used(
            degrees in -15.0..15.0_f64, quarter_turns in 0..4_u8, shape in 0..3_usize,
            moves in prop::collection::vec((-1..2_i8, -1..2_i8, -90.0..90.0_f64, -90.0..90.0_f64), 0..6),
        ) {
            let frame = Frame { degrees, quarter_turns, ..Frame::default() };
            let shape = [CropShape::Print, CropShape::Picture, CropShape::Free][shape];
            let mut now = drawn(frame, print(60.0, 40.0), Some(shape), None, CropChange::Begin);
            for (across, down, dx, dy) in moves {
                now = drawn(frame, print(60.0, 40.0), Some(shape), Some(now.rect), CropChange::Drag { across, down, dx, dy });
            }
            let used = Frame { crop: now.crop, ..frame };
            prop_assert!(used.kept(ORIGINAL).is_ok(), "{:?}", now);
            let proportion = match shape {
                CropShape::Free => now.rect.width / now.rect.height,
                CropShape::Picture => f64::from(now.turned.width) / f64::from(now.turned.height),
                CropShape::Print => if now.turned.width >= now.turned.height { 1.5 } else { 1.0 / 1.5 },
            };
            prop_assert!((now.rect.width / now.rect.height / proportion - 1.0).abs() < 1e-9);
            // Straightened otherwise below it, it shrinks and fits again.
            let other = Frame { degrees: -degrees, ..frame };
            let fitted = drawn(other, FACTOR, Some(CropShape::Free), Some(now.rect), CropChange::Fit);
            prop_assert!(fitted.rect.width <= now.rect.width + 1e-9);
            let used = Frame { crop: fitted.crop, ..other };
            prop_assert!(used.kept(ORIGINAL).is_ok(), "{:?}", fitted);
        }
    }
}
