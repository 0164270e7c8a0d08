//! The three networks that find faces: a cascade (Zhang et al., Joint Face Detection and Alignment Using Multitask Cascaded
//! Convolutional Networks, 2016). The first proposes windows all over a picture, the second says which of them may be faces and
//! where, the third says how sure that is and where eyes and mouth lie.

use std::path::Path;

use dettaglio_domain::geometry::Size;

use crate::model::{ModelError, Shipped};
use crate::picture::Planes;

/// The networks' files in the folder of face models, and their SHA-256.
const PROPOSE: (&str, &str) = ("propose.onnx", "e15f75f8b827232f04f6f54510530fefc4674c9544627a7b18de6d4e9d33f881");
const REFINE: (&str, &str) = ("refine.onnx", "379893832c0015c47e3e5d628819415803938024340b10fb4e73a5d56134218d");
const LANDMARKS: (&str, &str) = ("landmarks.onnx", "f2df262d784d072339de8a9dd2869db6e26c016254314a9d8032b3be67b073db");

/// Side of the windows that are proposed, pixels.
pub(super) const WINDOW: u32 = 12;

/// Pixels from one of them to the next.
const STEP: usize = 2;

/// Side of the squares that the second network is shown, pixels.
pub(super) const SECOND: u32 = 24;

/// Side of the squares that the third is shown, pixels.
pub(super) const THIRD: u32 = 48;

/// What the first two networks say of a window.
#[derive(Debug, Clone, Copy)]
pub(super) struct Window {
    /// The probability that it holds a face.
    pub(super) sure: f32,
    /// How far the left, top, right and bottom edge of the face lie from those of the window, in its sides.
    pub(super) shift: [f32; 4],
}

/// A window of a picture, by the place of its upper left corner in pixels, and what the first network says of it.
#[derive(Debug, Clone, Copy)]
pub(super) struct Proposal {
    pub(super) x: u32,
    pub(super) y: u32,
    pub(super) window: Window,
}

/// What the third network says of a square.
pub(super) struct Answer {
    /// The probability that it holds a face.
    pub(super) sure: f32,
    /// Left eye, right eye, nose, left and right corner of the mouth, 0 to 1 across and down the square.
    pub(super) places: [(f32, f32); 5],
}

impl Answer {
    /// Of a square's mirror image, what it says of the square itself.
    pub(super) fn mirror(&mut self) {
        self.places = [1, 0, 2, 4, 3].map(|k: usize| (1.0 - self.places[k].0, self.places[k].1));
    }
}

/// All three.
pub(super) struct Networks {
    propose: Shipped,
    refine: Shipped,
    landmarks: Shipped,
}

impl Networks {
    /// Fails when a file is missing, is not the one that is shipped, or the runtime cannot be loaded.
    pub(super) fn open(folder: &Path) -> Result<Self, ModelError> {
        let open = |(name, sha256)| Shipped::open(folder, name, sha256);
        Ok(Self { propose: open(PROPOSE)?, refine: open(REFINE)?, landmarks: open(LANDMARKS)? })
    }

    /// The windows of [`WINDOW`] pixels in a picture that hold a face with at least this probability. The picture must be at least so large.
    pub(super) fn propose(&self, picture: &Planes, least: f32) -> Result<Vec<Proposal>, ModelError> {
        let Size { width, height } = picture.size();
        self.propose.ask(
            [1, 3, height as usize, width as usize],
            picture.values(),
            ["sure", "shift"],
            |[(shape, sure), (_, shift)]| {
                let across = *shape.last()? as usize;
                let count = sure.len();
                (shift.len() == 4 * count).then_some(())?;
                let is_face = |k: &usize| sure[*k] >= least;
                let proposal = |k: usize| Proposal {
                    x: (k % across * STEP) as u32,
                    y: (k / across * STEP) as u32,
                    window: Window { sure: sure[k], shift: std::array::from_fn(|edge| shift[edge * count + k]) },
                };
                Some((0..count).filter(is_face).map(proposal).collect())
            },
        )
    }

    /// Of each of `count` squares of [`SECOND`] pixels, plane by plane: how sure it is a face, and where that has its edges.
    pub(super) fn refine(&self, squares: &[f32], count: usize) -> Result<Vec<Window>, ModelError> {
        if count == 0 {
            return Ok(Vec::new());
        }
        let side = SECOND as usize;
        self.refine.ask([count, 3, side, side], squares, ["sure", "shift"], |[(_, sure), (_, shift)]| {
            (sure.len() == count && shift.len() == 4 * count).then_some(())?;
            let window = |k: usize| Window { sure: sure[k], shift: std::array::from_fn(|edge| shift[4 * k + edge]) };
            Some((0..count).map(window).collect())
        })
    }

    /// Of each of `count` squares of [`THIRD`] pixels, plane by plane: how sure it is a face, and where eyes, nose and corners of the
    /// mouth are.
    pub(super) fn landmarks(&self, squares: &[f32], count: usize) -> Result<Vec<Answer>, ModelError> {
        if count == 0 {
            return Ok(Vec::new());
        }
        let side = THIRD as usize;
        self.landmarks.ask([count, 3, side, side], squares, ["sure", "places"], |[(_, sure), (_, places)]| {
            (sure.len() == count && places.len() == 10 * count).then_some(())?;
            let place = |k: usize, which: usize| (places[10 * k + 2 * which], places[10 * k + 2 * which + 1]);
            let answer = |k: usize| Answer { sure: sure[k], places: std::array::from_fn(|which| place(k, which)) };
            Some((0..count).map(answer).collect())
        })
    }
}
