//! What takes long to work out and is small, kept so that it is worked out once.

use std::num::NonZeroUsize;
use std::sync::{Arc, Mutex, MutexGuard};

use dettaglio_domain::hash::ContentHash;
use lru::LruCache;

/// Values by what they are made of.
pub struct Slots<T> {
    kept: Mutex<LruCache<ContentHash, Slot<T>>>,
}

/// Locked while it is worked out, so that whoever else needs it waits instead of doing the same.
type Slot<T> = Arc<Mutex<Option<T>>>;

impl<T: Clone> Slots<T> {
    /// Keeps so many at most.
    pub fn new(most: NonZeroUsize) -> Self {
        Self { kept: Mutex::new(LruCache::new(most)) }
    }

    /// What is kept under that name.
    pub fn kept(&self, name: &ContentHash) -> Option<T> {
        let slot = Arc::clone(self.lock().get(name)?);
        let held = slot.lock().unwrap_or_else(|e| e.into_inner());
        held.clone()
    }

    /// The value of that name, worked out by `make` where it is not kept. `make` must not wait for other work, nor a rayon thread for this.
    ///
    /// # Errors
    /// Those of `make`; then nothing is kept.
    pub fn get<E>(&self, name: ContentHash, make: impl FnOnce() -> Result<T, E>) -> Result<T, E> {
        let slot = Arc::clone(self.lock().get_or_insert(name, Slot::default));
        let mut held = slot.lock().unwrap_or_else(|e| e.into_inner());
        if let Some(known) = &*held {
            return Ok(known.clone());
        }
        let made = make()?;
        *held = Some(made.clone());
        Ok(made)
    }

    /// Lets those go that were not asked for longest, while they are more than `most` bytes; one always stays.
    pub fn make_room(&self, most: usize, bytes: impl Fn(&T) -> usize) {
        let mut kept = self.lock();
        // One that is being worked out has no size yet.
        let bytes = |slot: &Slot<T>| slot.try_lock().ok().and_then(|held| held.as_ref().map(&bytes)).unwrap_or(0);
        let mut all: usize = kept.iter().map(|(_, slot)| bytes(slot)).sum();
        while all > most && kept.len() > 1 {
            all -= kept.pop_lru().map_or(all, |(_, slot)| bytes(&slot).min(all));
        }
    }

    fn lock(&self) -> MutexGuard<'_, LruCache<ContentHash, Slot<T>>> {
        self.kept.lock().unwrap_or_else(|e| e.into_inner())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_value_is_worked_out_once_and_again_after_a_failure() {
        let slots = Slots::new(NonZeroUsize::new(2).unwrap());
        let name = |text: &str| ContentHash::of(text.as_bytes());
        assert!(slots.get(name("one"), || Err::<u32, _>("given up")).is_err());
        assert_eq!(slots.kept(&name("one")), None);
        assert_eq!(slots.get::<()>(name("one"), || Ok(1)), Ok(1));
        assert_eq!(slots.get::<()>(name("one"), || panic!("kept")), Ok(1));
        slots.get::<()>(name("two"), || Ok(2)).unwrap();
        slots.get::<()>(name("three"), || Ok(3)).unwrap();
        assert_eq!(["one", "two", "three"].map(|text| slots.kept(&name(text))), [None, Some(2), Some(3)]);
    }
}
