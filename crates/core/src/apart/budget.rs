//! Something that there is only so much of, given out in the order of asking.

use std::sync::{Arc, Condvar, Mutex, MutexGuard};

/// An amount that is shared.
#[derive(Debug)]
pub(crate) struct Budget {
    whole: u64,
    state: Mutex<State>,
    changed: Condvar,
}

#[derive(Debug)]
struct State {
    free: u64,
    /// Whose turn it is, and the number that the next one who asks gets.
    serving: u64,
    next: u64,
}

/// A part of a budget, given back when it is dropped.
#[derive(Debug)]
pub struct Held {
    budget: Arc<Budget>,
    amount: u64,
}

impl Budget {
    pub(crate) fn new(whole: u64) -> Arc<Self> {
        let state = Mutex::new(State { free: whole, serving: 0, next: 0 });
        Arc::new(Self { whole, state, changed: Condvar::new() })
    }

    /// Waits for its turn and for so much; who asks for more than the whole gets all of it.
    pub(crate) fn take(self: &Arc<Self>, amount: u64) -> Held {
        let amount = amount.min(self.whole);
        let mut state = self.lock();
        let turn = state.next;
        state.next += 1;
        while state.serving != turn || state.free < amount {
            state = self.changed.wait(state).unwrap_or_else(|e| e.into_inner());
        }
        state.serving += 1;
        state.free -= amount;
        drop(state);
        self.changed.notify_all();
        Held { budget: Arc::clone(self), amount }
    }

    fn lock(&self) -> MutexGuard<'_, State> {
        self.state.lock().unwrap_or_else(|e| e.into_inner())
    }
}

impl Drop for Held {
    fn drop(&mut self) {
        self.budget.lock().free += self.amount;
        self.budget.changed.notify_all();
    }
}

#[cfg(test)]
mod tests {
    use std::sync::mpsc;
    use std::thread;
    use std::time::Duration;

    use super::*;

    #[test]
    fn a_large_one_that_waits_is_not_overtaken_by_small_ones() {
        let budget = Budget::new(10);
        let first = budget.take(6);
        let (told, order) = mpsc::channel();
        let ask = |name: &'static str, amount| {
            let (asking, told, before) = (Arc::clone(&budget), told.clone(), budget.lock().next);
            let asked = thread::spawn(move || {
                let held = asking.take(amount);
                told.send(name).unwrap();
                drop(held);
            });
            // The next one asks only when this one has its number.
            while budget.lock().next == before {
                thread::sleep(Duration::from_millis(1));
            }
            asked
        };
        let large = ask("large", 10);
        let small = ask("small", 1);
        assert!(order.recv_timeout(Duration::from_millis(50)).is_err(), "both wait: the large one is first");
        drop(first);
        assert_eq!([order.recv().unwrap(), order.recv().unwrap()], ["large", "small"]);
        large.join().unwrap();
        small.join().unwrap();
    }

    #[test]
    fn who_asks_for_more_than_there_is_gets_all() {
        let budget = Budget::new(10);
        drop(budget.take(1000));
        assert_eq!(budget.lock().free, 10);
    }
}
