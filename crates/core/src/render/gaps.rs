//! Large gaps that were marked by hand: what they are filled with, kept so that it is worked out once.

use std::num::NonZeroUsize;
use std::sync::{Arc, Mutex, MutexGuard};

use dettaglio_domain::affine::Affine;
use dettaglio_domain::affine::space::{Kept, Original};
use dettaglio_domain::gaps::{Bounds, DEEP, MOST, SURROUNDINGS};
use dettaglio_domain::geometry::{Region, Size};
use dettaglio_domain::hash::ContentHash;
use lru::LruCache;

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
pub struct GapCache {
    kept: Mutex<LruCache<ContentHash, Slot>>,
}

/// Locked while it is worked out, so that whoever else needs it waits instead of doing the same.
type Slot = Arc<Mutex<Option<Option<Arc<Gap>>>>>;

impl Default for GapCache {
    fn default() -> Self {
        Self { kept: Mutex::new(LruCache::new(KEPT)) }
    }
}

impl GapCache {
    /// What is kept under that name.
    pub fn kept(&self, name: &ContentHash) -> Option<Option<Arc<Gap>>> {
        let slot = Arc::clone(self.lock().get(name)?);
        let held = slot.lock().unwrap_or_else(|e| e.into_inner());
        held.clone()
    }

    /// The gap of that name, worked out by `make` where it is not kept. `make` must not wait for other work, nor a rayon thread for this.
    ///
    /// # Errors
    /// Those of `make`; then nothing is kept.
    pub fn get<E>(
        &self,
        name: ContentHash,
        make: impl FnOnce() -> Result<Option<Gap>, E>,
    ) -> Result<Option<Arc<Gap>>, E> {
        let slot = Arc::clone(self.lock().get_or_insert(name, Slot::default));
        let mut held = slot.lock().unwrap_or_else(|e| e.into_inner());
        if let Some(known) = &*held {
            return Ok(known.clone());
        }
        let made = make()?.map(Arc::new);
        *held = Some(made.clone());
        drop(held);
        self.make_room();
        Ok(made)
    }

    /// Lets those go that were not asked for longest, while there are too many bytes.
    fn make_room(&self) {
        let mut kept = self.lock();
        // One that is being worked out has no size yet.
        let bytes =
            |slot: &Slot| slot.try_lock().ok().and_then(|held| Some(held.as_ref()?.as_ref()?.bytes())).unwrap_or(0);
        let mut all: usize = kept.iter().map(|(_, slot)| bytes(slot)).sum();
        while all > KEPT_BYTES && kept.len() > 1 {
            all -= kept.pop_lru().map_or(all, |(_, slot)| bytes(&slot).min(all));
        }
    }

    fn lock(&self) -> MutexGuard<'_, LruCache<ContentHash, Slot>> {
        self.kept.lock().unwrap_or_else(|e| e.into_inner())
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

    fn gap() -> Gap {
        let part = Region::of(0, 0, 2, 1);
        Gap { part, covers: vec![true; 2], planes: Planes::black(part.size()) }
    }

    #[test]
    fn those_that_were_not_asked_for_longest_go_first() {
        let cache = GapCache::default();
        let name = |number: u8| ContentHash::of(&[number]);
        let large = || {
            let part = Region::of(0, 0, 1500, 1000);
            Gap { part, covers: vec![true; 1_500_000], planes: Planes::black(part.size()) }
        };
        for number in 0..4 {
            cache.get::<()>(name(number), || Ok(Some(large()))).unwrap();
            assert!(cache.kept(&name(0)).is_some(), "asked for just now");
        }
        // 19.5 MB each.
        let is_kept = [0, 1, 2, 3].map(|number| cache.kept(&name(number)).is_some());
        assert_eq!(is_kept, [true, false, true, true]);
    }

    #[test]
    fn a_gap_is_worked_out_once_and_again_after_a_failure() {
        let (cache, name) = (GapCache::default(), ContentHash::of(b"a gap"));
        assert!(cache.get(name, || Err::<Option<Gap>, _>("given up")).is_err());
        assert!(cache.get::<()>(name, || Ok(Some(gap()))).unwrap().is_some());
        assert!(cache.get::<()>(name, || panic!("kept")).unwrap().is_some());
        let other = ContentHash::of(b"no gap");
        assert!(cache.get::<()>(other, || Ok(None)).unwrap().is_none());
        assert!(cache.get::<()>(other, || panic!("kept")).unwrap().is_none());
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
