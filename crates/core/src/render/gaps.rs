//! Large gaps that were marked by hand: what they are filled with, kept so that it is worked out once.

use std::convert::Infallible;
use std::num::NonZeroUsize;
use std::sync::Arc;

use dettaglio_domain::affine::Affine;
use dettaglio_domain::affine::space::{Kept, Original};
use dettaglio_domain::gaps::{Bounds, DEEP, MOST, SURROUNDINGS};
use dettaglio_domain::geometry::{Region, Size};
use dettaglio_domain::hash::ContentHash;

use super::slots::Slots;
use crate::inpaint;
use crate::picture::Planes;

/// Bytes of pixels that are kept, unless a single gap has more; and how many gaps, as those that turned out to be none have no pixels.
const KEPT_BYTES: usize = 64 << 20;
const KEPT: NonZeroUsize = NonZeroUsize::new(1000).unwrap();

/// A gap that is filled.
pub struct Gap {
    /// Where it lies.
    pub part: Region<Kept>,
    /// Whether a pixel of that part belongs to it, row by row.
    pub covers: Vec<bool>,
    /// What lies there.
    pub planes: Planes,
}

impl Gap {
    fn bytes(&self) -> usize {
        size_of_val(self.planes.values()) + self.covers.len()
    }

    /// Puts what lies in the gap into a region that touches it.
    pub fn lay_over(&self, planes: &mut Planes, region: Region<Kept>) {
        let Some(part) = region.intersection(self.part) else { return };
        let (own, there) = (part.inside(self.part), part.inside(region));
        for channel in 0..3 {
            for row in 0..part.height {
                let first = ((own.y + row) * self.part.width + own.x) as usize;
                let covers = &self.covers[first..first + part.width as usize];
                let fill = &self.planes.row(channel, own.y + row)[own.x as usize..];
                let values = &mut planes.row_mut(channel, there.y + row)[there.x as usize..];
                let covered = values.iter_mut().zip(fill).zip(covers).filter(|(_, covers)| **covers);
                covered.for_each(|((value, fill), _)| *value = *fill);
            }
        }
    }
}

/// Filled gaps by what they are made of; nothing where a rectangle of strokes holds none.
pub struct GapCache(Slots<Option<Arc<Gap>>>);

impl Default for GapCache {
    fn default() -> Self {
        Self(Slots::new(KEPT))
    }
}

impl GapCache {
    /// What is kept under that name.
    pub fn kept(&self, name: &ContentHash) -> Option<Option<Arc<Gap>>> {
        self.0.kept(name)
    }

    /// The gap of that name, worked out by `make` where it is not kept. `make` must not wait for other work, nor a rayon thread for this.
    pub fn get(&self, name: ContentHash, make: impl FnOnce() -> Option<Gap>) -> Option<Arc<Gap>> {
        let Ok(gap) = self.0.get(name, || Ok::<_, Infallible>(make().map(Arc::new)));
        self.0.make_room(KEPT_BYTES, |gap| gap.as_ref().map_or(0, |gap| gap.bytes()));
        gap
    }
}

/// A rectangle that strokes lie in, and what a gap in it is filled from.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Site {
    /// Around the strokes.
    pub part: Region<Kept>,
    /// With its surroundings.
    pub whole: Region<Kept>,
}

impl Site {
    /// Where a rectangle of the original lies in a frame of this size; nothing where it is outside, or too large.
    pub fn of(bounds: &Bounds, map: &Affine<Original, Kept>, size: Size) -> Option<Self> {
        let [left, top, right, bottom] = [bounds.left, bounds.top, bounds.right, bounds.bottom].map(f64::from);
        let from_corner = Affine::<Original, Original>::shift(left, top).then(map);
        let part = Region::covering(&from_corner, right - left, bottom - top, size)?;
        let whole = part.grown(part.size().long_edge().clamp(SURROUNDINGS.0, SURROUNDINGS.1), size);
        (whole.size().area() <= MOST).then_some(Self { part, whole })
    }

    /// What is filled here, if anything that was marked is so deep. `marked` and `planes` are of the whole site; narrower marks are filled
    /// in `planes`.
    pub fn filled(&self, planes: &Planes, marked: &[bool]) -> Option<Gap> {
        let (width, inner) = (self.whole.width as usize, self.part.inside(self.whole));
        let is_inside = |i: usize| {
            let (x, y) = ((i % width) as u32, (i / width) as u32);
            (inner.x..inner.right()).contains(&x) && (inner.y..inner.bottom()).contains(&y)
        };
        let mut is_gap = inpaint::deep(marked, width, DEEP);
        if !is_gap.contains(&true) {
            return None;
        }
        let covers = is_gap.iter().enumerate().filter(|(i, _)| is_inside(*i)).map(|(_, gap)| *gap).collect();
        // What else was marked nearby is nothing to fill from.
        is_gap.iter_mut().zip(marked).enumerate().for_each(|(i, (gap, marked))| *gap |= *marked && !is_inside(i));
        let planes = inpaint::fill(planes, &is_gap)?.into_part(inner);
        Some(Gap { part: self.part, covers, planes })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn those_that_were_not_asked_for_longest_go_first() {
        let cache = GapCache::default();
        let name = |number: u8| ContentHash::of(&[number]);
        let large = || {
            let part = Region::of(0, 0, 1500, 1000);
            Gap { part, covers: vec![true; 1_500_000], planes: Planes::black(part.size()) }
        };
        for number in 0..4 {
            cache.get(name(number), || Some(large()));
            assert!(cache.kept(&name(0)).is_some(), "asked for just now");
        }
        // 19.5 MB each.
        let is_kept = [0, 1, 2, 3].map(|number| cache.kept(&name(number)).is_some());
        assert_eq!(is_kept, [true, false, true, true]);
    }

    #[test]
    fn that_there_is_no_gap_is_kept_too() {
        let (cache, name) = (GapCache::default(), ContentHash::of(b"no gap"));
        assert!(cache.get(name, || None).is_none());
        assert!(cache.get(name, || panic!("kept")).is_none());
    }

    #[test]
    fn surroundings_end_with_the_picture_and_what_is_outside_is_no_site() {
        let (map, size) = (Affine::IDENTITY, Size::new(400, 300));
        let bounds = |left, top, right, bottom| Bounds { left, top, right, bottom };
        let site = Site::of(&bounds(-5.0, 100.0, 40.0, 180.0), &map, size).unwrap();
        assert_eq!(site.part, Region::of(0, 100, 40, 80));
        assert_eq!(site.whole, Region::of(0, 20, 120, 240));
        assert_eq!(Site::of(&bounds(-50.0, 0.0, -1.0, 20.0), &map, size), None);
        let huge = Size::new(9000, 9000);
        assert_eq!(Site::of(&bounds(0.0, 0.0, 4000.0, 4000.0), &map, huge), None, "too large");
    }
}
