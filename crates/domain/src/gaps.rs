//! Large gaps of a print: what a person marked so broadly that nothing lies under it to be guessed from its rim, and that is filled from the
//! picture's own texture.

use crate::geometry::Place;
use crate::mask::Stroke;

/// Pixels of the original from the rim of what was marked to its deepest place, from which on it is a gap: what is narrower is filled by
/// a network. From about there on patches look nearer to what was there (docs/gaps.md).
pub const DEEP: u32 = 6;

/// Pixels around a gap that it is filled from: as many as it is wide or high, within these bounds.
pub const SURROUNDINGS: (u32, u32) = (64, 256);

/// Pixels of a gap and its surroundings, beyond which it is left to the network: more would take a minute, and half a gigabyte of memory.
pub const MOST: u64 = 2 << 20;

/// A rectangle on the original, in its pixels.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Bounds {
    /// Its left edge.
    pub left: f32,
    /// Its upper edge.
    pub top: f32,
    /// Its right edge.
    pub right: f32,
    /// Its lower edge.
    pub bottom: f32,
}

impl Bounds {
    /// What a stroke reaches; nothing where it has no point or only takes away.
    fn of(stroke: &Stroke) -> Option<Self> {
        let reach = stroke.radius;
        let around = |point: &Place| Self {
            left: point.x - reach,
            top: point.y - reach,
            right: point.x + reach,
            bottom: point.y + reach,
        };
        stroke.points.iter().filter(|_| !stroke.erases).map(around).reduce(Self::with)
    }

    fn touches(&self, other: &Self) -> bool {
        self.left <= other.right && other.left <= self.right && self.top <= other.bottom && other.top <= self.bottom
    }

    fn with(self, other: Self) -> Self {
        Self {
            left: self.left.min(other.left),
            top: self.top.min(other.top),
            right: self.right.max(other.right),
            bottom: self.bottom.max(other.bottom),
        }
    }
}

/// Rectangles around all that strokes mark, none of which touches another. Each may hold a gap.
pub fn around(strokes: &[Stroke]) -> Vec<Bounds> {
    let mut all: Vec<Bounds> = Vec::new();
    for bounds in strokes.iter().filter_map(Bounds::of) {
        let mut grown = bounds;
        while let Some(i) = all.iter().position(|other| other.touches(&grown)) {
            grown = grown.with(all.swap_remove(i));
        }
        all.push(grown);
    }
    all
}

#[cfg(test)]
mod tests {
    use super::*;

    fn stroke(points: &[(f32, f32)], radius: f32) -> Stroke {
        let points = points.iter().map(|(x, y)| Place::new(*x, *y)).collect();
        Stroke { points, radius, feather: 0.0, erases: false }
    }

    #[test]
    fn strokes_that_touch_are_one_and_others_are_apart() {
        let apart = [stroke(&[(10.0, 10.0)], 5.0), stroke(&[(100.0, 10.0), (120.0, 30.0)], 8.0)];
        let second = Bounds { left: 92.0, top: 2.0, right: 128.0, bottom: 38.0 };
        assert_eq!(around(&apart), [Bounds { left: 5.0, top: 5.0, right: 15.0, bottom: 15.0 }, second]);
        let bridged = [&apart[..], &[stroke(&[(14.0, 10.0), (95.0, 10.0)], 2.0)]].concat();
        assert_eq!(around(&bridged), [Bounds { left: 5.0, top: 2.0, right: 128.0, bottom: 38.0 }]);
    }

    #[test]
    fn what_only_takes_away_marks_nothing() {
        let erasing = Stroke { erases: true, ..stroke(&[(10.0, 10.0)], 5.0) };
        assert!(around(&[erasing, stroke(&[], 5.0)]).is_empty());
    }
}
