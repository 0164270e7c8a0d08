//! Orders of a shop that could not be taken: why, and when it is tried again.

use std::collections::HashMap;
use std::sync::Mutex;
use std::time::{Duration, Instant};

use chrono::{DateTime, Utc};
use dettaglio_domain::hash::ContentHash;
use serde::Serialize;
use utoipa::ToSchema;

/// The pause after the first failure; each further one doubles it.
const FIRST_PAUSE: Duration = Duration::from_secs(6);

/// The longest pause.
const LONGEST_PAUSE: Duration = Duration::from_secs(3600);

/// An order that could not be taken.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct Trouble {
    /// What the shop calls it.
    pub reference: String,
    /// Why it was not taken.
    pub reason: String,
    /// How often it was tried.
    pub tries: u32,
    /// Since when.
    pub since: DateTime<Utc>,
    /// In how many seconds it is tried again.
    pub again_in_seconds: u64,
}

/// The orders of a feed that could not be taken, by their content: one that the shop has put right is tried at once.
#[derive(Debug, Default)]
pub struct Troubles {
    of: Mutex<HashMap<ContentHash, Kept>>,
}

#[derive(Debug)]
struct Kept {
    trouble: Trouble,
    next: Instant,
}

impl Troubles {
    /// Whether an order's turn has come.
    pub fn is_due(&self, order: ContentHash) -> bool {
        self.lock().get(&order).is_none_or(|kept| kept.next <= Instant::now())
    }

    /// It could not be taken.
    pub fn failed(&self, order: ContentHash, reference: &str, reason: &str) {
        let mut of = self.lock();
        let tries = of.get(&order).map_or(0, |kept| kept.trouble.tries) + 1;
        let since = of.get(&order).map_or_else(Utc::now, |kept| kept.trouble.since);
        let pause = FIRST_PAUSE.saturating_mul(1 << (tries - 1).min(16)).min(LONGEST_PAUSE);
        let short = |text: &str, most| text.chars().take(most).collect::<String>();
        let trouble =
            Trouble { reference: short(reference, 100), reason: short(reason, 500), tries, since, again_in_seconds: 0 };
        of.insert(order, Kept { trouble, next: Instant::now() + pause });
    }

    /// Forgets all that is not in the feed any more, or was taken.
    pub fn keep_only(&self, listed: &[ContentHash]) {
        self.lock().retain(|order, _| listed.contains(order));
    }

    /// All of them are due now.
    pub fn try_now(&self) {
        let now = Instant::now();
        self.lock().values_mut().for_each(|kept| kept.next = now);
    }

    /// All of them, the oldest first.
    pub fn all(&self) -> Vec<Trouble> {
        let now = Instant::now();
        let view = |kept: &Kept| Trouble {
            again_in_seconds: kept.next.saturating_duration_since(now).as_secs(),
            ..kept.trouble.clone()
        };
        let mut all: Vec<Trouble> = self.lock().values().map(view).collect();
        all.sort_by_key(|trouble| trouble.since);
        all
    }

    fn lock(&self) -> std::sync::MutexGuard<'_, HashMap<ContentHash, Kept>> {
        self.of.lock().unwrap_or_else(|e| e.into_inner())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_failure_doubles_the_pause_and_a_person_may_ask_at_once() {
        let (troubles, order) = (Troubles::default(), ContentHash::of(b"SN-2041"));
        assert!(troubles.is_due(order));
        let pause = |times: usize| {
            (0..times).for_each(|_| troubles.failed(order, "SN-2041", "404"));
            troubles.all()[0].again_in_seconds
        };
        assert!((5..=6).contains(&pause(1)) && (11..=12).contains(&pause(1)));
        assert!((3590..=3600).contains(&pause(20)));
        assert!(!troubles.is_due(order));
        troubles.try_now();
        assert!(troubles.is_due(order));
        troubles.keep_only(&[]);
        assert!(troubles.all().is_empty());
    }
}
