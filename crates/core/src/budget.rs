//! Something that there is only so much of, given out in the order of asking.

use std::collections::VecDeque;
use std::sync::{Arc, Condvar, Mutex, MutexGuard};
use std::time::{Duration, Instant};

/// How often one whose turn it is asks anew for what could be freed.
const ASKED_AGAIN: Duration = Duration::from_millis(100);

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
    /// The numbers of those who wait, in the order of asking, and the number that the next one gets.
    waiting: VecDeque<u64>,
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
        let state = Mutex::new(State { free: whole, waiting: VecDeque::new(), next: 0 });
        Arc::new(Self { whole, state, changed: Condvar::new() })
    }

    /// Waits for its turn and for so much; who asks for more than the whole gets all of it.
    pub(crate) fn take(self: &Arc<Self>, amount: u64) -> Held {
        let amount = amount.min(self.whole);
        let (mut state, turn) = self.queue_up();
        while state.waiting.front() != Some(&turn) || state.free < amount {
            state = self.changed.wait(state).unwrap_or_else(|e| e.into_inner());
        }
        self.give(state, amount)
    }

    /// As [`take`](Self::take), but for no longer than `patience`: `None` when it was not to be had by then.
    ///
    /// While it is short, `free_some` is asked to give back so much, as long as it is this one's turn.
    pub(crate) fn take_within(
        self: &Arc<Self>,
        amount: u64,
        patience: Duration,
        free_some: &dyn Fn(u64),
    ) -> Option<Held> {
        let amount = amount.min(self.whole);
        let until = Instant::now() + patience;
        let (mut state, turn) = self.queue_up();
        loop {
            let is_next = state.waiting.front() == Some(&turn);
            if is_next && state.free < amount {
                let missing = amount - state.free;
                // What is freed comes back through this budget: it must not be held meanwhile.
                drop(state);
                free_some(missing);
                state = self.lock();
            }
            if is_next && state.free >= amount {
                return Some(self.give(state, amount));
            }
            if Instant::now() >= until {
                state.waiting.retain(|number| *number != turn);
                drop(state);
                self.changed.notify_all();
                return None;
            }
            state = self.changed.wait_timeout(state, ASKED_AGAIN).unwrap_or_else(|e| e.into_inner()).0;
        }
    }

    fn queue_up(&self) -> (MutexGuard<'_, State>, u64) {
        let mut state = self.lock();
        let turn = state.next;
        state.next += 1;
        state.waiting.push_back(turn);
        (state, turn)
    }

    /// Gives it to the one whose turn it is.
    fn give(self: &Arc<Self>, mut state: MutexGuard<'_, State>, amount: u64) -> Held {
        state.waiting.pop_front();
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
    fn what_is_short_is_freed_or_given_up_and_those_behind_get_theirs() {
        let budget = Budget::new(10);
        let kept = Mutex::new(vec![budget.take(4), budget.take(4)]);
        let freed = budget.take_within(6, Duration::from_secs(60), &|missing| {
            assert_eq!(missing, 4);
            drop(lock(&kept).pop());
        });
        assert!(freed.is_some());
        assert_eq!(lock(&kept).len(), 1, "no more than was missing");
        assert!(budget.take_within(1, Duration::from_millis(20), &|_| {}).is_none(), "all is in use");
        drop(freed);
        assert!(budget.take_within(6, Duration::ZERO, &|_| panic!("enough is free")).is_some());
        assert_eq!(budget.lock().free, 6);
    }

    fn lock<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
        mutex.lock().unwrap()
    }

    #[test]
    fn who_asks_for_more_than_there_is_gets_all() {
        let budget = Budget::new(10);
        drop(budget.take(1000));
        assert_eq!(budget.lock().free, 10);
    }
}
