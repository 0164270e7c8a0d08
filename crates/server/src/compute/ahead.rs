//! What is known of views that are computed before anybody asks for them.

use std::sync::{Arc, Mutex};

use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::id::OriginalId;
use moka::sync::Cache;
use tokio::task::AbortHandle;

/// Views that are known to be there; of older ones it is found out when they are asked for.
const MOST_THERE: u64 = 64;

/// Which views are there, and what is being done for the next one.
#[derive(Clone)]
pub struct Ahead {
    is_on: bool,
    /// Treatments of which the view is there with which their picture opens.
    there: Cache<ContentHash, ()>,
    /// The picture that was opened last, and the work on what follows it.
    following: Arc<Mutex<Option<(OriginalId, AbortHandle)>>>,
}

impl Ahead {
    /// Computes ahead, or never does.
    pub fn new(is_on: bool) -> Self {
        Self { is_on, there: Cache::new(MOST_THERE), following: Arc::default() }
    }

    /// Whether anything is computed ahead.
    pub fn is_on(&self) -> bool {
        self.is_on
    }

    /// Whether the view is there with which the picture of a treatment opens.
    pub fn has(&self, treatment: ContentHash) -> bool {
        self.there.contains_key(&treatment)
    }

    /// From now on the view of a treatment is there.
    pub fn note(&self, treatment: ContentHash) {
        self.there.insert(treatment, ());
    }

    /// Begins with what follows a picture that was opened, and gives up what was to follow the one before; nothing happens where that is the same.
    pub fn follow(&self, opened: OriginalId, work: impl Future<Output = ()> + Send + 'static) {
        let mut following = self.following.lock().unwrap_or_else(|e| e.into_inner());
        if following.as_ref().is_some_and(|(id, _)| *id == opened) {
            return;
        }
        let task = tokio::spawn(work);
        if let Some((_, before)) = following.replace((opened, task.abort_handle())) {
            before.abort();
        }
    }
}
