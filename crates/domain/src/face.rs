//! Faces by their eyes and mouth, what is done to them, and the canvas on which every face has its eyes at the same two places.

use serde::{Deserialize, Serialize};

use crate::affine::Affine;
use crate::affine::space::{Canvas, Original};
use crate::geometry::{Place, Region, Size};

/// Width and height.
pub const CANVAS: Size = Size::new(256, 320);

/// Pixels between the eyes.
pub const EYES: f64 = 80.0;

/// Where the left eye lies.
pub const LEFT_EYE: (f64, f64) = (88.0, 128.0);

/// Where the right eye lies.
pub const RIGHT_EYE: (f64, f64) = (168.0, 128.0);

/// Where the middle of the mouth lies.
pub const MOUTH: (f64, f64) = (128.0, 222.0);

/// How far the mouth of a frontal face lies below its eyes, in distances between the eyes.
pub const MOUTH_BELOW_EYES: f64 = (MOUTH.1 - LEFT_EYE.1) / EYES;

/// How far an eye with its lashes reaches from its middle, and a mouth across and down, on the canvas.
const EYE_REACH: f64 = 26.0;
const MOUTH_REACH: (f64, f64) = (34.0, 18.0);

/// Whether a place on the canvas belongs to an eye or the mouth: a catchlight there is no dust, and a corner of the mouth no scratch.
pub fn is_eye_or_mouth((x, y): (f64, f64)) -> bool {
    let eye = |(ex, ey): (f64, f64)| (x - ex).hypot(y - ey) < EYE_REACH;
    let mouth = ((x - MOUTH.0) / MOUTH_REACH.0).hypot((y - MOUTH.1) / MOUTH_REACH.1) < 1.0;
    eye(LEFT_EYE) || eye(RIGHT_EYE) || mouth
}

/// Pixels between the eyes below which a face is left to the general model: too little is there to tell a likeness from.
pub const LEAST_EYES: f32 = 24.0;

/// Pixels between the eyes above which the original shows more than the restorer's canvas can hold.
pub const MOST_EYES: f32 = 110.0;

/// Departure of a restored face from its original, 95th percentile of CIEDE2000, beyond which it is left alone.
pub const MOST_DEPARTURE: f32 = 9.0;

/// Faces that a treatment can have.
pub const MOST_FACES: usize = 64;

/// A face, by three places in a picture. Left and right are as they lie in the picture when the head is upright.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(bound = "")]
pub struct Face<S = Original> {
    /// The middle of the left eye.
    pub left_eye: Place<S>,
    /// The middle of the right eye.
    pub right_eye: Place<S>,
    /// The middle of the mouth.
    pub mouth: Place<S>,
}

/// How a face stands in documents, whatever picture it lies in.
#[cfg(feature = "schema")]
mod schema {
    use std::borrow::Cow;

    use utoipa::openapi::{RefOr, schema::Schema};
    use utoipa::{PartialSchema, ToSchema};

    use crate::geometry::Place;

    /// A face, by three places on the original. Left and right are as they lie in the picture when the head is upright.
    #[derive(ToSchema)]
    #[schema(as = Face)]
    #[expect(dead_code, reason = "it is described and never made")]
    struct Face {
        /// The middle of the left eye.
        left_eye: Place,
        /// The middle of the right eye.
        right_eye: Place,
        /// The middle of the mouth.
        mouth: Place,
    }

    impl<S> PartialSchema for super::Face<S> {
        fn schema() -> RefOr<Schema> {
            Face::schema()
        }
    }

    impl<S> ToSchema for super::Face<S> {
        fn name() -> Cow<'static, str> {
            "Face".into()
        }

        fn schemas(schemas: &mut Vec<(String, RefOr<Schema>)>) {
            Face::schemas(schemas);
        }
    }
}

/// What a picture's own face gets.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct OwnFace {
    /// Where it is.
    pub face: Face,
    /// Whether it is restored when the step is on.
    #[serde(default = "OwnFace::yes")]
    pub on: bool,
    /// How far; the step's own strength where nothing is said. 0 to 1.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub strength: Option<f32>,
}

impl OwnFace {
    fn yes() -> bool {
        true
    }

    /// A face of which nothing particular is said.
    pub fn usual(face: Face) -> Self {
        Self { face, on: true, strength: None }
    }
}

/// The Faces step: how far all faces are restored of which nothing else is said.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Faces {
    /// The share of the restored face, 0 to 1.
    pub strength: f32,
}

/// Why a face is left to the general model.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum LeftAlone {
    /// Its eyes lie closer together than [`LEAST_EYES`].
    TooSmall,
    /// Its eyes lie further apart than [`MOST_EYES`].
    LargeEnough,
    /// The restored face would depart from the original by more than [`MOST_DEPARTURE`].
    Departs,
}

impl<S> Face<S> {
    /// From pixels of a picture to the canvas, where `to_picture` leads from the original to that picture.
    pub fn picture_to_canvas<Picture>(&self, to_picture: &Affine<S, Picture>) -> Option<Affine<Picture, Canvas>> {
        Some(to_picture.inverse().then(&self.to_canvas()?))
    }

    /// A face of which only the eyes are known: the mouth lies where a frontal face has it.
    pub fn of_eyes(left_eye: Place<S>, right_eye: Place<S>) -> Self {
        let (dx, dy) = (right_eye.x - left_eye.x, right_eye.y - left_eye.y);
        let down = MOUTH_BELOW_EYES as f32;
        let (x, y) = ((left_eye.x + right_eye.x) / 2.0, (left_eye.y + right_eye.y) / 2.0);
        Self { left_eye, right_eye, mouth: Place::new(x - dy * down, y + dx * down) }
    }

    /// From the original to the canvas: the turn and scale that bring eyes and mouth nearest to their places there.
    ///
    /// Least squares over the three places (Umeyama 1991, without mirroring). Nothing where they fall together.
    pub fn to_canvas(&self) -> Option<Affine<S, Canvas>> {
        let from = [self.left_eye, self.right_eye, self.mouth].map(|p| (f64::from(p.x), f64::from(p.y)));
        let to = [LEFT_EYE, RIGHT_EYE, MOUTH];
        let mean = |points: [(f64, f64); 3]| {
            (points.iter().map(|p| p.0).sum::<f64>() / 3.0, points.iter().map(|p| p.1).sum::<f64>() / 3.0)
        };
        let ((fx, fy), (tx, ty)) = (mean(from), mean(to));
        let (mut along, mut across, mut spread) = (0.0, 0.0, 0.0);
        for ((x, y), (u, v)) in from.into_iter().zip(to) {
            let (x, y, u, v) = (x - fx, y - fy, u - tx, v - ty);
            along += x * u + y * v;
            across += x * v - y * u;
            spread += x * x + y * y;
        }
        let (a, b) = (along / spread, across / spread);
        let usable = spread > 1.0 && a.is_finite() && b.is_finite() && a.hypot(b) > 1e-3;
        usable.then(|| Affine {
            xx: a,
            xy: -b,
            yx: b,
            yy: a,
            x0: tx - a * fx + b * fy,
            y0: ty - b * fx - a * fy,
            ..Affine::IDENTITY
        })
    }

    /// Pixels of the original between the eyes, as they would be if the face looked straight ahead. 0 for no face at all.
    pub fn eyes(&self) -> f32 {
        self.to_canvas().map_or(0.0, |map| (EYES / map.xx.hypot(map.yx)) as f32)
    }

    /// Why it is left alone for its size.
    pub fn left_for_size(&self) -> Option<LeftAlone> {
        match self.eyes() {
            eyes if eyes < LEAST_EYES => Some(LeftAlone::TooSmall),
            eyes if eyes > MOST_EYES => Some(LeftAlone::LargeEnough),
            _ => None,
        }
    }

    /// The upright rectangle of a picture of this size that holds the whole head; nothing when it is outside.
    pub fn around(&self, picture: Size) -> Option<Region<S>> {
        let back = self.to_canvas()?.inverse();
        let (w, h) = (f64::from(CANVAS.width), f64::from(CANVAS.height));
        Region::covering(&back, w, h, picture)
    }

    /// Whether the three places are numbers and can be a face.
    pub fn is_usable(&self) -> bool {
        let places = [self.left_eye, self.right_eye, self.mouth];
        places.iter().all(|p| p.x.is_finite() && p.y.is_finite() && p.x.abs() < 1e6 && p.y.abs() < 1e6)
            && self.to_canvas().is_some()
    }

    /// The same on a picture that a map leads to; where that mirrors it, left and right change places.
    pub fn mapped<To>(&self, map: &Affine<S, To>) -> Face<To> {
        let at = |p: Place<S>| {
            let (x, y) = map.at(f64::from(p.x), f64::from(p.y));
            Place::new(x as f32, y as f32)
        };
        let (left, right) = match map.xx * map.yy - map.xy * map.yx {
            area if area < 0.0 => (self.right_eye, self.left_eye),
            _ => (self.left_eye, self.right_eye),
        };
        Face { left_eye: at(left), right_eye: at(right), mouth: at(self.mouth) }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    fn place(x: f32, y: f32) -> Place {
        Place::new(x, y)
    }

    #[rstest]
    #[case::upright(place(100.0, 100.0), place(140.0, 100.0), 40.0)]
    #[case::tilted(place(100.0, 100.0), place(130.0, 140.0), 50.0)]
    #[case::upside_down(place(140.0, 100.0), place(100.0, 100.0), 40.0)]
    fn eyes_and_mouth_come_to_their_places(#[case] left: Place, #[case] right: Place, #[case] eyes: f32) {
        let face = Face::of_eyes(left, right);
        assert!((face.eyes() - eyes).abs() < 1e-3, "{}", face.eyes());
        let map = face.to_canvas().unwrap();
        for (from, to) in [(face.left_eye, LEFT_EYE), (face.right_eye, RIGHT_EYE), (face.mouth, MOUTH)] {
            let (x, y) = map.at(f64::from(from.x), f64::from(from.y));
            assert!((x - to.0).abs() < 1e-3 && (y - to.1).abs() < 1e-3, "{x} {y} {to:?}");
        }
    }

    #[test]
    fn a_head_turned_aside_is_as_large_as_one_that_looks_ahead() {
        let ahead = Face::of_eyes(place(100.0, 100.0), place(160.0, 100.0));
        let aside = Face { left_eye: place(108.0, 100.0), right_eye: place(152.0, 100.0), ..ahead };
        assert!(aside.eyes() > 52.0, "the mouth tells that it is large: {}", aside.eyes());
    }

    #[rstest]
    #[case(20.0, Some(LeftAlone::TooSmall))]
    #[case(24.5, None)]
    #[case(100.0, None)]
    #[case(140.0, Some(LeftAlone::LargeEnough))]
    fn faces_of_some_sizes_are_left_alone(#[case] eyes: f32, #[case] left: Option<LeftAlone>) {
        assert_eq!(Face::of_eyes(place(10.0, 10.0), place(10.0 + eyes, 10.0)).left_for_size(), left);
    }

    #[test]
    fn three_equal_places_are_no_face() {
        let nowhere = Face { left_eye: place(5.0, 5.0), right_eye: place(5.0, 5.0), mouth: place(5.0, 5.0) };
        assert!(!nowhere.is_usable() && nowhere.around(Size::new(100, 100)).is_none() && nowhere.eyes() == 0.0);
        let odd = Face { mouth: place(f32::NAN, 0.0), ..nowhere };
        assert!(!odd.is_usable());
    }

    #[test]
    fn in_a_mirrored_picture_left_is_right() {
        let face = Face::of_eyes(place(100.0, 100.0), place(140.0, 100.0));
        let mirror: Affine<Original, Original> = Affine { xx: -1.0, x0: 300.0, ..Affine::IDENTITY };
        let mirrored = face.mapped(&mirror);
        assert_eq!((mirrored.left_eye.x, mirrored.right_eye.x), (160.0, 200.0));
        assert!((mirrored.eyes() - face.eyes()).abs() < 1e-3);
    }

    #[test]
    fn the_head_is_cut_off_at_the_picture() {
        let size = Size::new(300, 200);
        let face = Face::of_eyes(place(10.0, 20.0), place(50.0, 20.0));
        assert_eq!(face.around(size), Some(Region::of(0, 0, 94, 116)));
        assert_eq!(Face::of_eyes(place(1000.0, 20.0), place(1040.0, 20.0)).around(size), None);
    }
}
