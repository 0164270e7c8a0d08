//! Outlines moved to where, drawn at the size of the picture that was small, they explain its pixels best.
//!
//! What an enlargement shows of an edge is a guess; what the small picture's pixels hold is a measurement: each pixel on an edge is
//! covered by so much of each colour, and a hundred of them tell a curve of four numbers to a few hundredths of a pixel. The sum
//! of squared differences between picture and drawing is made less by the Gauss-Newton method over all nodes and handles at once; its
//! slope is an integral along the edges alone, as moving an edge changes nothing elsewhere.

mod drawn;
mod path;
mod slopes;

use self::drawn::{Drawn, Given};
use self::path::Path;
use self::slopes::{Slopes, strained};
use super::shapes::{Shape, Traced};
use super::simplify::simplified;
use crate::picture::Planes;
use crate::render::pace::{Cancelled, Pace};

/// Steps at most, and the share of what is left that each must take away for another to follow.
const STEPS: usize = 8;
const LEAST_GAIN: f64 = 0.003;

/// What is tried of a step, one after the other.
const SHARES: [f64; 3] = [1.0, 0.4, 0.1];

/// How far a piece may lie from the two that it replaces, in pixels: the better the outlines are, the further, as what pieces differ by is
/// then less what was drawn and more what noise made of it.
const ALIKE: [f64; 3] = [0.08, 0.12, 0.2];

/// How often pieces that do not follow their edge are split.
const SPLITS: usize = 2;

/// Moves the outlines of shapes to where they explain `small`, the picture that they were traced from, in sRGB; in as few pieces as that
/// takes, and with more where it cannot be done with those that there are.
///
/// # Errors
/// [`Cancelled`] where `pace` says so.
pub fn refined(mut traced: Traced, small: &Planes, pace: &dyn Pace) -> Result<Traced, Cancelled> {
    assert_eq!(small.size(), traced.size, "the picture that was small");
    let of_shape = |(shape, of): (usize, &Shape)| -> Vec<Path> {
        of.outlines.iter().map(|outline| Path::of(outline, shape)).collect()
    };
    let given = Given::new(small, traced.shapes.iter().map(|shape| shape.colour));
    let mut paths: Vec<Path> = traced.shapes.iter().enumerate().flat_map(of_shape).collect();
    paths = converged(paths, &given, pace)?;
    for alike in ALIKE {
        paths = paths.iter().map(|path| Path::of(&simplified(path.outline(), alike), path.shape)).collect();
        paths = converged(paths, &given, pace)?;
    }
    for _ in 0..SPLITS {
        let drawn = Drawn::of(&paths, &given);
        let strained: Vec<Vec<bool>> = paths.iter().map(|path| strained(path, &drawn, &given)).collect();
        if !strained.iter().flatten().any(|is| *is) {
            break;
        }
        paths = paths.iter().zip(&strained).map(|(path, which)| path.split(which)).collect();
        paths = converged(paths, &given, pace)?;
    }
    let outlines = traced.shapes.iter_mut().flat_map(|shape| &mut shape.outlines);
    outlines.zip(&paths).for_each(|(outline, path)| *outline = path.outline());
    Ok(traced)
}

/// The paths where they explain the picture best. Where they cannot be brought nearer, they are as they were.
fn converged(mut paths: Vec<Path>, given: &Given, pace: &dyn Pace) -> Result<Vec<Path>, Cancelled> {
    let mut drawn = Drawn::of(&paths, given);
    for _ in 0..STEPS {
        if !pace.before_block() {
            return Err(Cancelled);
        }
        let step = Slopes::of(&paths, &drawn, given).solved(&drawn.missing);
        let Some((moved, after)) = SHARES.iter().find_map(|share| taken(&step, *share, &paths, &drawn, given)) else {
            break;
        };
        let gain = 1.0 - after.error / drawn.error;
        (paths, drawn) = (moved, after);
        if gain < LEAST_GAIN {
            break;
        }
    }
    Ok(paths)
}

/// The paths after a share of a step, but for those around which it made the drawing worse; nothing where it is not better on the whole.
fn taken(step: &[f64], share: f64, paths: &[Path], drawn: &Drawn, given: &Given) -> Option<(Vec<Path>, Drawn)> {
    let mut moved = paths.to_vec();
    moved.iter_mut().fold(0, |number, path| path.moved(step, number, share));
    let after = Drawn::of(&moved, given);
    let mut kept = false;
    for (path, before) in moved.iter_mut().zip(paths) {
        let pixels = given.pixels_along(before);
        if after.error_at(&pixels) > drawn.error_at(&pixels) {
            path.clone_from(before);
            kept = true;
        }
    }
    let after = if kept { Drawn::of(&moved, given) } else { after };
    (after.error < drawn.error).then_some((moved, after))
}

#[cfg(test)]
mod tests;
