//! A network on a device, with the same network by the runtime's own code in reserve.

use std::sync::{Arc, OnceLock};

use dettaglio_domain::device::{Device, REFERENCE};

use super::network::finite;

/// A tensor that a network is given: its name, shape and values, row-major.
pub(crate) type Input<'a> = (&'a str, [usize; 4], &'a [f32]);

/// Takes an answer, its shape and values; refuses it in words.
pub(crate) type Take<'a> = dyn FnMut(&[i64], &[f32]) -> Result<(), String> + 'a;

/// Something that answers tensors with one: a session of the runtime, or what stands in for it.
pub(crate) trait Answers: Send {
    /// Has `take` take the answer, once.
    fn answer(&mut self, inputs: &[Input<'_>], take: &mut Take<'_>) -> Result<(), String>;
}

/// The device that was chosen, and whether it still serves.
#[derive(Debug)]
pub struct Chosen {
    device: Device,
    failed: OnceLock<String>,
}

impl Chosen {
    pub(crate) fn new(device: Device) -> Self {
        Self { device, failed: OnceLock::new() }
    }

    /// Which.
    pub fn device(&self) -> &Device {
        &self.device
    }

    /// Why it serves no more, in the runtime's words.
    pub fn failure(&self) -> Option<&str> {
        self.failed.get().map(String::as_str)
    }

    /// The name of what computes now.
    pub fn name(&self) -> &str {
        if self.failure().is_some() { REFERENCE } else { &self.device.name }
    }
}

/// Opens the same network by the runtime's own code.
pub(crate) type Open = Box<dyn Fn() -> Result<Box<dyn Answers>, String> + Send>;

/// A network on a device. When the device fails, or answers what is no number, the reference answers instead, and from then on.
pub(crate) struct InReserve {
    chosen: Arc<Chosen>,
    first: Box<dyn Answers>,
    reference: Option<Box<dyn Answers>>,
    open: Open,
}

impl InReserve {
    pub(crate) fn new(chosen: Arc<Chosen>, first: Box<dyn Answers>, open: Open) -> Self {
        Self { chosen, first, reference: None, open }
    }
}

impl Answers for InReserve {
    fn answer(&mut self, inputs: &[Input<'_>], take: &mut Take<'_>) -> Result<(), String> {
        if self.chosen.failure().is_none() {
            let answered = self.first.answer(inputs, &mut |shape, values| {
                finite(values)?;
                take(shape, values)
            });
            match answered {
                Ok(()) => return Ok(()),
                Err(why) => drop(self.chosen.failed.set(why)),
            }
        }
        let reference = match &mut self.reference {
            Some(reference) => reference,
            none => none.insert((self.open)()?),
        };
        reference.answer(inputs, take)
    }
}

#[cfg(test)]
mod tests {
    use std::sync::atomic::{AtomicUsize, Ordering};

    use dettaglio_domain::device::DeviceKind;
    use rstest::rstest;

    use super::*;

    /// Answers with a number a pixel, or fails from its nth run on.
    pub struct Fake {
        pub value: f32,
        pub runs: usize,
        pub fails_at: usize,
    }

    impl Answers for Fake {
        fn answer(&mut self, inputs: &[Input<'_>], take: &mut Take<'_>) -> Result<(), String> {
            self.runs += 1;
            if self.runs > self.fails_at {
                return Err("out of memory".to_owned());
            }
            let (_, shape, values) = inputs[0];
            take(&shape.map(|side| side as i64), &vec![self.value; values.len()])
        }
    }

    fn answers(value: f32, fails_at: usize) -> Box<dyn Answers> {
        Box::new(Fake { value, runs: 0, fails_at })
    }

    fn chosen() -> Arc<Chosen> {
        let device = Device { name: "lamp-gpu".into(), kind: DeviceKind::Graphics, maker: "Vetreria".into() };
        Arc::new(Chosen::new(device))
    }

    fn asked(network: &mut dyn Answers) -> Result<f32, String> {
        let mut answer = f32::NAN;
        network.answer(&[("input", [1, 1, 2, 2], &[0.5; 4])], &mut |_, values| {
            answer = values[0];
            Ok(())
        })?;
        Ok(answer)
    }

    #[rstest]
    #[case::it_fails_at_once(answers(1.0, 0), 0)]
    #[case::it_vanishes_in_the_midst(answers(1.0, 2), 2)]
    #[case::it_answers_no_number(answers(f32::NAN, usize::MAX), 0)]
    fn the_reference_takes_over_for_good(#[case] device: Box<dyn Answers>, #[case] served: usize) {
        let (chosen, opened) = (chosen(), Arc::new(AtomicUsize::new(0)));
        let counted = Arc::clone(&opened);
        let open = move || {
            counted.fetch_add(1, Ordering::Relaxed);
            Ok(answers(2.0, usize::MAX))
        };
        let mut network = InReserve::new(Arc::clone(&chosen), device, Box::new(open));
        for run in 0..5 {
            assert_eq!(asked(&mut network), Ok(if run < served { 1.0 } else { 2.0 }), "run {run}");
        }
        assert_eq!(chosen.name(), "cpu");
        assert!(chosen.failure().is_some());
        assert_eq!(opened.load(Ordering::Relaxed), 1, "once");
        let mut other = InReserve::new(Arc::clone(&chosen), answers(1.0, usize::MAX), Box::new(|| Ok(answers(2.0, 9))));
        assert_eq!(asked(&mut other), Ok(2.0), "other networks do not try it again");
    }

    #[test]
    fn while_it_serves_nothing_else_is_opened() {
        let chosen = chosen();
        let mut network = InReserve::new(Arc::clone(&chosen), answers(1.0, 9), Box::new(|| Err("never".to_owned())));
        assert_eq!(asked(&mut network), Ok(1.0));
        assert_eq!((chosen.name(), chosen.failure()), ("lamp-gpu", None));
    }

    #[test]
    fn where_neither_answers_the_reference_says_why() {
        let open = || Ok(answers(2.0, 0));
        let mut network = InReserve::new(chosen(), answers(1.0, 0), Box::new(open));
        assert_eq!(asked(&mut network), Err("out of memory".to_owned()));
    }
}
