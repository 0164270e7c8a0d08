//! Trying a device: the same picture by it and by the reference, in turns.

use std::time::{Duration, Instant};

use dettaglio_domain::device::{MOST_DIFFERENCE, Outcome};

use crate::model::answers::{Answers, Input};

/// How long a device and the reference are run each, in all.
const LONG: Duration = Duration::from_secs(2);

/// Runs that are measured at least, however slow.
const LEAST_RUNS: usize = 3;

/// Side of the picture, as large as the tiles of a view with what lies around them.
pub(super) const SIDE: usize = 256;

/// Smooth tone, edges and noise, of a fixed seed: planes of [`SIDE`] x [`SIDE`] in [0, 1].
pub(super) fn picture() -> Vec<f32> {
    let mut state = 1_u32;
    let mut noise = || {
        state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        (state >> 8) as f32 / (1 << 24) as f32
    };
    let at = |i: usize| {
        let (x, y) = ((i % SIDE) as f32 / SIDE as f32, (i / SIDE % SIDE) as f32 / SIDE as f32);
        let edge = if (x * 7.0).fract() < 0.5 { 0.3 } else { 0.0 };
        (0.2 + 0.3 * y + edge + 0.1 * noise()).clamp(0.0, 1.0)
    };
    (0..3 * SIDE * SIDE).map(at).collect()
}

/// Tries `device` against `reference`.
pub(super) fn outcome(reference: &mut dyn Answers, device: Result<Box<dyn Answers>, String>) -> Outcome {
    device.and_then(|mut device| compared(reference, &mut *device)).unwrap_or_else(|why| Outcome::Failed { why })
}

fn compared(reference: &mut dyn Answers, device: &mut dyn Answers) -> Result<Outcome, String> {
    let picture = picture();
    let input: Input<'_> = ("input", [1, 3, SIDE, SIDE], &picture);
    // The first run plans and compiles, and says whether it is right.
    let due = answer(reference, input)?;
    let given = answer(device, input)?;
    if given.iter().any(|value| !value.is_finite()) {
        return Ok(Outcome::Wrong { difference: None });
    }
    if given.len() != due.len() {
        return Err(format!("it answered {} values where {} were due", given.len(), due.len()));
    }
    let difference = given.iter().zip(&due).map(|(a, b)| (a - b).abs()).fold(0.0, f32::max);
    if difference > MOST_DIFFERENCE {
        return Ok(Outcome::Wrong { difference: Some(difference) });
    }
    let mut taken = [Vec::new(), Vec::new()];
    let began = Instant::now();
    while taken[0].len() < LEAST_RUNS || began.elapsed() < 2 * LONG {
        let timed = |which: &mut dyn Answers| {
            let began = Instant::now();
            answer(which, input).map(|_| began.elapsed().as_secs_f64())
        };
        let (by_reference, by_device) = (timed(reference)?, timed(device)?);
        taken[0].push(by_reference);
        taken[1].push(by_device);
    }
    let [reference, device] = taken.map(median);
    Ok(Outcome::Right { times: reference / device, difference })
}

fn answer(network: &mut dyn Answers, input: Input<'_>) -> Result<Vec<f32>, String> {
    let mut answer = Vec::new();
    network.answer(&[input], &mut |_, values| {
        answer.extend_from_slice(values);
        Ok(())
    })?;
    Ok(answer)
}

fn median(mut seconds: Vec<f64>) -> f64 {
    seconds.sort_by(f64::total_cmp);
    seconds[seconds.len() / 2]
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::model::answers::Take;

    /// Answers what it is given plus `off`, after `pause`; fails from the run on that `fails_at` says.
    struct Fake {
        off: f32,
        pause: Duration,
        fails_at: usize,
    }

    impl Answers for Fake {
        fn answer(&mut self, inputs: &[Input<'_>], take: &mut Take<'_>) -> Result<(), String> {
            self.fails_at = self.fails_at.checked_sub(1).ok_or("the device was lost")?;
            std::thread::sleep(self.pause);
            let (_, _, values) = inputs[0];
            let answer: Vec<f32> = values.iter().map(|value| value + self.off).collect();
            take(&[1, 3, SIDE as i64, SIDE as i64], &answer)
        }
    }

    fn fake(off: f32, milliseconds: u64, fails_at: usize) -> Box<dyn Answers> {
        Box::new(Fake { off, pause: Duration::from_millis(milliseconds), fails_at })
    }

    fn tried(device: Result<Box<dyn Answers>, String>) -> Outcome {
        outcome(&mut *fake(0.0, 40, usize::MAX), device)
    }

    #[test]
    fn how_many_times_as_fast_it_is_is_measured() {
        let Outcome::Right { times, difference } = tried(Ok(fake(1e-5, 400, usize::MAX))) else {
            panic!("it is right")
        };
        assert!((0.01..0.9).contains(&times), "{times}");
        assert!((0.5e-5..2e-5).contains(&difference), "{difference}");
    }

    #[test]
    fn one_that_is_wrong_is_not_measured() {
        assert!(matches!(tried(Ok(fake(0.01, 0, 1))), Outcome::Wrong { difference: Some(d) } if d > 0.009));
        assert_eq!(tried(Ok(fake(f32::NAN, 0, 1))), Outcome::Wrong { difference: None });
    }

    #[test]
    fn one_that_dies_says_so() {
        for device in [Ok(fake(0.0, 0, 0)), Ok(fake(0.0, 0, 2)), Err("the device was lost".to_owned())] {
            assert_eq!(tried(device), Outcome::Failed { why: "the device was lost".to_owned() });
        }
    }
}
