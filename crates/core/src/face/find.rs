//! Finding faces: frontal and three-quarter ones from 20 px.
//!
//! Two looks. A cascade of `rustface` (the SeetaFace engine's method; Liu et al., Funnel-structured cascade for multi-view
//! face detection, 2016) goes over the picture; a small network (Zhang et al. 2016, third stage) then looks at each find,
//! drops what is none, and says where eyes and mouth are. Both files are the ones of their packages, with their licences.
//!
//! The cascade takes about 1.2 s for a megapixel on two busy cores, so a large picture is looked at smaller: whole at
//! 1.5 megapixels; where that shows a face, once more at 6 for smaller ones. Where it shows none, faces may lie in the dark or in
//! glare, or the picture on its side: it is looked at in an even light, and the other three ways up, at 0.5.

use std::io::Cursor;
use std::path::Path;
use std::sync::Mutex;

use ort::session::Session;
use ort::value::TensorRef;

use super::Face;
use super::canvas::seen_through;
use crate::affine::Affine;
use crate::area::Place;
use crate::enlarge::{Source, area_mean};
use crate::frame::{Frame, Framed};
use crate::hash::ContentHash;
use crate::model::{Engine, ModelError};
use crate::picture::{Original, Planes, Region, Size};
use crate::plane::box_mean;

/// The cascade's file, in the folder of face models, and its SHA-256.
const CASCADE: (&str, &str) = ("finder.bin", "c4619d066ed35e84d9a8e842860b0dff567aba0cbb139881075538761db3ff5d");

/// The landmark network's file, there too.
const LANDMARKS: (&str, &str) = ("landmarks.onnx", "f2df262d784d072339de8a9dd2869db6e26c016254314a9d8032b3be67b073db");

/// Side of the smallest window that the cascade looks at, pixels.
const LEAST_SIDE: u32 = 20;

/// Pixels of the copy that is looked at first.
const FIRST_LOOK: f64 = 1.5e6;

/// Pixels of the copy that is looked at for small faces once there is a face.
const SECOND_LOOK: f64 = 6e6;

/// Pixels of the copies in an even light and for the other ways up.
const OTHER_LOOK: f64 = 0.5e6;

/// The cascade's score from which on a find is worth a second look.
const LEAST_SCORE: f64 = 0.5;

/// The landmark network's probability from which on it is a face; for a find of which the cascade is sure, half of it does.
const LEAST_SURE: f32 = 0.9;

/// The cascade's score from which on it is sure.
const SURE_SCORE: f64 = 6.0;

/// Side of the landmark network's input.
const LOOK: u32 = 48;

/// A square whose mean lies in here is shown to the landmark network as it is; darker and lighter ones are brought to the light that it
/// knows faces in first.
const USUAL_LIGHT: std::ops::RangeInclusive<f32> = 0.22..=0.75;

/// Mean and standard deviation of a face in a usual light.
const EVENED: (f32, f32) = (0.45, 0.17);

/// Side of the surroundings whose light is evened out, as a share of the picture's shorter edge.
const SURROUNDINGS: f64 = 0.3;

/// Less contrast than this, two levels of 8 bits, is noise rather than a picture.
const LEAST_CONTRAST: f32 = 2.0 / 255.0;

/// The squares around a find that are looked at first, as shares of its side.
const ROUGH: [f64; 3] = [0.75, 0.9, 1.05];

/// How sure the likeliest of them must be for a closer look.
const WORTH_A_LOOK: f32 = 0.3;

/// The squares around a face that are looked at then, as shares of [`HEAD`].
const CLOSER: [f64; 2] = [1.0, 1.15];

/// Side of the square that holds a face, over the distance of its eyes.
const HEAD: f64 = 2.75;

/// Finds faces.
pub struct Finder {
    cascade: rustface::Model,
    landmarks: Mutex<Session>,
}

impl std::fmt::Debug for Finder {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("Finder")
    }
}

/// A face and how sure it is.
#[derive(Clone, Copy)]
struct Find {
    face: Face,
    score: f64,
}

/// How a picture is looked at.
#[derive(Clone, Copy, PartialEq)]
enum Light {
    AsItIs,
    /// Everywhere of the same brightness and contrast.
    Even,
}

/// What the landmark network says of a square.
struct Answer {
    /// The probability that it holds a face.
    sure: f32,
    /// Left eye, right eye, nose, left and right corner of the mouth, 0 to 1 across and down the square.
    places: [(f32, f32); 5],
}

/// A square of a picture, by its middle.
#[derive(Clone, Copy)]
struct Square {
    x: f64,
    y: f64,
    side: f64,
}

impl Square {
    fn of(face: &Face) -> Self {
        let mean = |a: f32, b: f32, c: f32| f64::from(a + b + c) / 3.0;
        let (l, r, m) = (face.left_eye, face.right_eye, face.mouth);
        Self { x: mean(l.x, r.x, m.x), y: mean(l.y, r.y, m.y), side: HEAD * f64::from(face.eyes()) }
    }

    fn grown(self, share: f64) -> Self {
        Self { side: self.side * share, ..self }
    }
}

impl Finder {
    /// The finder of a folder of face models.
    pub fn open(folder: &Path) -> Result<Self, ModelError> {
        let unreadable = |file: &str, why: String| ModelError::Unreadable { file: folder.join(file), why };
        let read = |(name, sha256): (&str, &str)| -> Result<Vec<u8>, ModelError> {
            let bytes = std::fs::read(folder.join(name)).map_err(|e| unreadable(name, e.to_string()))?;
            // A damaged file would make the cascade ask for any amount of memory.
            let whole = ContentHash::of(&bytes).to_string() == sha256;
            if whole { Ok(bytes) } else { Err(ModelError::Altered { file: folder.join(name) }) }
        };
        let cascade =
            rustface::read_model(Cursor::new(read(CASCADE)?)).map_err(|e| unreadable(CASCADE.0, e.to_string()))?;
        let session = Engine::load()?.session(&read(LANDMARKS)?).map_err(|why| unreadable(LANDMARKS.0, why))?;
        Ok(Self { cascade, landmarks: Mutex::new(session) })
    }

    /// The faces of an original, the largest first.
    pub fn find(&self, original: &Original) -> Result<Vec<Face>, ModelError> {
        let mut finds = self.look(original, 0, Light::AsItIs, FIRST_LOOK)?;
        if finds.is_empty() {
            for (turns, light) in [(0, Light::Even), (1, Light::AsItIs), (3, Light::AsItIs), (2, Light::AsItIs)] {
                finds = self.look(original, turns, light, OTHER_LOOK)?;
                if !finds.is_empty() {
                    finds.extend(self.look(original, turns, light, FIRST_LOOK)?);
                    break;
                }
            }
        } else if original.size().area() as f64 > 1.5 * FIRST_LOOK {
            finds.extend(self.look(original, 0, Light::AsItIs, SECOND_LOOK)?);
        }
        Ok(apart(finds))
    }

    /// Faces that are upright after so many quarter turns, seen at no more than `most` pixels.
    fn look(&self, original: &Original, quarter_turns: u8, light: Light, most: f64) -> Result<Vec<Find>, ModelError> {
        let framed = Framed::new(original, Frame { quarter_turns, ..Frame::default() }).expect("a whole picture");
        let whole = framed.size();
        let scale = (most / whole.area() as f64).sqrt().min(1.0);
        let side = |px: u32| ((f64::from(px) * scale).round() as u32).max(1);
        let size = Size::new(side(whole.width), side(whole.height));
        if size.short_edge() < LEAST_SIDE {
            return Ok(Vec::new());
        }
        let mut grey = grey(&framed, size);
        if light == Light::Even {
            even_out(&mut grey, size);
        }
        let grey: Vec<u8> = grey.into_iter().map(|v| (v * 255.0).round().clamp(0.0, 255.0) as u8).collect();
        let mut cascade = rustface::create_detector_with_model(self.cascade.clone());
        cascade.set_min_face_size(LEAST_SIDE);
        cascade.set_score_thresh(LEAST_SCORE);
        cascade.set_pyramid_scale_factor(0.8);
        cascade.set_slide_window_step(4, 4);
        let found = cascade.detect(&rustface::ImageData::new(&grey, size.width, size.height));
        let scale = f64::from(whole.width) / f64::from(size.width);
        let back = framed.map().inverse();
        let mut finds = Vec::new();
        for find in found {
            let (x, y, side) = (find.bbox().x(), find.bbox().y(), f64::from(find.bbox().width()) * scale);
            let square = Square { x: f64::from(x) * scale + side / 2.0, y: f64::from(y) * scale + side / 2.0, side };
            if let Some(face) = self.face(&framed, square, find.score())? {
                finds.push(Find { face: face.mapped(&back), score: find.score() });
            }
        }
        Ok(finds)
    }

    /// The face near a square of a picture, if there is one.
    ///
    /// The cascade's squares are off by up to a fifth: the places found in the likeliest of a few lead to a better square.
    fn face(&self, picture: &Framed<'_>, rough: Square, score: f64) -> Result<Option<Face>, ModelError> {
        let first = self.look_closely(picture, &ROUGH.map(|share| rough.grown(share)))?;
        let Some((sure, face)) = first.into_iter().max_by(|a, b| a.0.total_cmp(&b.0)) else { return Ok(None) };
        if sure < WORTH_A_LOOK {
            return Ok(None);
        }
        let closer = self.look_closely(picture, &CLOSER.map(|share| Square::of(&face).grown(share)))?;
        if closer.is_empty() {
            return Ok(None);
        }
        let count = closer.len() as f32;
        let sure = closer.iter().map(|(sure, _)| sure).sum::<f32>() / count;
        if sure < if score >= SURE_SCORE { LEAST_SURE / 2.0 } else { LEAST_SURE } {
            return Ok(None);
        }
        // The mean over the squares steadies the places.
        let mean = |of: fn(&Face) -> Place| {
            let (x, y) = closer.iter().fold((0.0, 0.0), |(x, y), (_, f)| (x + of(f).x, y + of(f).y));
            Place { x: x / count, y: y / count }
        };
        let face = Face { left_eye: mean(|f| f.left_eye), right_eye: mean(|f| f.right_eye), mouth: mean(|f| f.mouth) };
        Ok(Some(face).filter(Face::is_usable))
    }

    /// How sure it is that each square holds a face, and where that has its eyes and mouth; squares that leave the picture
    /// altogether are left out.
    fn look_closely(&self, picture: &Framed<'_>, squares: &[Square]) -> Result<Vec<(f32, Face)>, ModelError> {
        let (size, side) = (picture.size(), f64::from(LOOK));
        let mut seen = Vec::new();
        let mut inside = Vec::new();
        for square in squares {
            let step = square.side / side;
            let (x0, y0) = (square.x - square.side / 2.0, square.y - square.side / 2.0);
            let map = Affine { xx: step, yy: step, x0, y0, ..Affine::IDENTITY };
            let Some(part) = super::bounds(&map, side, side, size) else { continue };
            let look = Size::new(LOOK, LOOK).whole();
            let mut values = seen_through(&map, &picture.pull(part), (part.x, part.y), look).into_values();
            in_usual_light(&mut values);
            seen.extend(values);
            inside.push((square, x0, y0));
        }
        let answers = self.ask(&seen, inside.len())?;
        let face = |(Answer { sure, places }, (square, x0, y0)): (Answer, &(&Square, f64, f64))| {
            let at = |k: usize| Place {
                x: (x0 + f64::from(places[k].0) * square.side) as f32,
                y: (y0 + f64::from(places[k].1) * square.side) as f32,
            };
            let (a, b) = (at(3), at(4));
            let mouth = Place { x: (a.x + b.x) / 2.0, y: (a.y + b.y) / 2.0 };
            (sure, Face { left_eye: at(0), right_eye: at(1), mouth })
        };
        Ok(answers.into_iter().zip(&inside).map(face).collect())
    }

    /// Of each of `count` squares of 48 x 48 px: how sure it is a face, and where eyes, nose and corners of the mouth are.
    fn ask(&self, squares: &[f32], count: usize) -> Result<Vec<Answer>, ModelError> {
        if count == 0 {
            return Ok(Vec::new());
        }
        let failed = |why: String| ModelError::Run { id: LANDMARKS.0.to_owned(), why };
        let side = LOOK as usize;
        let input = TensorRef::from_array_view(([count, 3, side, side], squares)).map_err(|e| failed(e.to_string()))?;
        let mut session = self.landmarks.lock().unwrap_or_else(|e| e.into_inner());
        let outputs = session.run(ort::inputs!["input" => input]).map_err(|e| failed(e.to_string()))?;
        let values = |name: &str| {
            let (_, values) = outputs[name].try_extract_tensor::<f32>().map_err(|e| failed(e.to_string()))?;
            Ok::<_, ModelError>(values.to_vec())
        };
        let (sure, places) = (values("sure")?, values("places")?);
        if sure.len() != count || places.len() != 10 * count {
            return Err(failed(format!("it answered {} values for {count} squares", places.len())));
        }
        let of = |places: &[f32]| std::array::from_fn(|k| (places[2 * k], places[2 * k + 1]));
        Ok(sure
            .into_iter()
            .zip(places.chunks_exact(10))
            .map(|(sure, places)| Answer { sure, places: of(places) })
            .collect())
    }
}

/// Brings what lies in the dark or in glare to a usual light, with the contrast of one.
fn in_usual_light(values: &mut [f32]) {
    let count = values.len() as f32;
    let mean = values.iter().sum::<f32>() / count;
    if USUAL_LIGHT.contains(&mean) {
        return;
    }
    let spread = (values.iter().map(|v| (v - mean).powi(2)).sum::<f32>() / count).sqrt();
    values.iter_mut().for_each(|v| *v = evened(*v, mean, spread).clamp(0.0, 1.0));
}

/// A value among others of this mean and standard deviation, as it would be in a usual light.
fn evened(value: f32, mean: f32, spread: f32) -> f32 {
    EVENED.0 + (value - mean) * EVENED.1 / spread.max(LEAST_CONTRAST)
}

/// Gives every place of a picture the brightness and the contrast of a face in a usual light.
fn even_out(grey: &mut [f32], size: Size) {
    let width = size.width as usize;
    let reach = (f64::from(size.short_edge()) * SURROUNDINGS / 2.0) as usize;
    let squares: Vec<f32> = grey.iter().map(|v| v * v).collect();
    let (means, mean_squares) = (box_mean(grey, width, reach), box_mean(&squares, width, reach));
    for ((value, mean), mean_square) in grey.iter_mut().zip(means).zip(mean_squares) {
        *value = evened(*value, mean, (mean_square - mean * mean).max(0.0).sqrt());
    }
}

/// Brightness of a picture brought down to `size`, row by row of blocks so that little is held at once.
fn grey(framed: &Framed<'_>, size: Size) -> Vec<f32> {
    const ROWS: u32 = 128;
    let mut grey = Vec::with_capacity(size.area() as usize);
    for y in (0..size.height).step_by(ROWS as usize) {
        let rows = ROWS.min(size.height - y);
        let planes: Planes = area_mean(framed, size, Region::new(0, y, size.width, rows));
        grey.extend(planes.luminance());
    }
    grey
}

/// One find for each face: of those that lie over each other the surest; the largest face first.
fn apart(mut finds: Vec<Find>) -> Vec<Face> {
    finds.sort_by(|a, b| b.score.total_cmp(&a.score));
    let mut faces: Vec<Face> = Vec::new();
    for Find { face, .. } in finds {
        let middle = |f: &Face| {
            ((f.left_eye.x + f.right_eye.x + f.mouth.x) / 3.0, (f.left_eye.y + f.right_eye.y + f.mouth.y) / 3.0)
        };
        let (x, y) = middle(&face);
        let free = |other: &Face| {
            let (ox, oy) = middle(other);
            (x - ox).hypot(y - oy) > face.eyes().max(other.eyes())
        };
        if faces.iter().all(free) {
            faces.push(face);
        }
    }
    faces.sort_by(|a, b| b.eyes().total_cmp(&a.eyes()));
    faces.truncate(super::MOST_FACES);
    faces
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn of_finds_over_each_other_the_surest_stays() {
        let face = |x: f32, eyes: f32| Face::of_eyes(Place { x, y: 50.0 }, Place { x: x + eyes, y: 50.0 });
        let find = |face, score| Find { face, score };
        let kept =
            apart(vec![find(face(100.0, 30.0), 5.0), find(face(104.0, 32.0), 9.0), find(face(300.0, 60.0), 2.0)]);
        assert_eq!(kept, [face(300.0, 60.0), face(104.0, 32.0)]);
    }

    #[test]
    fn in_an_even_light_shade_and_glare_look_alike() {
        let size = Size::new(120, 60);
        let pattern = |x: u32| if (x / 4).is_multiple_of(2) { 1.0 } else { 0.0 };
        // The left half in the dark, the right half in glare.
        let value = |i: u32| if i % 120 < 60 { 0.02 + 0.03 * pattern(i % 120) } else { 0.8 + 0.2 * pattern(i % 120) };
        let mut grey: Vec<f32> = (0..120 * 60).map(value).collect();
        even_out(&mut grey, size);
        let apart = |x: usize| grey[30 * 120 + x + 4] - grey[30 * 120 + x];
        let (dark, light) = (apart(20), apart(92));
        assert!(dark.abs() > 0.25 && light.abs() > 0.25, "{dark} {light}");
        assert!((dark.abs() - light.abs()).abs() < 0.05, "{dark} {light}");
    }

    #[test]
    fn a_folder_without_the_files_is_named() {
        let folder = tempfile::tempdir().unwrap();
        let error = Finder::open(folder.path()).unwrap_err().to_string();
        assert!(error.contains("finder.bin"), "{error}");
        std::fs::write(folder.path().join("finder.bin"), b"no cascade").unwrap();
        assert!(Finder::open(folder.path()).is_err(), "a file of something else");
    }
}
