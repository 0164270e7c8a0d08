//! Plain resampling: the methods that need no model.
//!
//! They serve as the honest comparison, as the fallback, and as the last step from a learned chain's
//! whole factor down to the exact size. Weights are computed from absolute positions in the picture,
//! so a region holds the same values as the same part of the whole, bit for bit.
//!
//! Where a picture shrinks, light is averaged: values are made linear first. Where it grows, encoded
//! values are interpolated: in linear light the overshoot beside a dark edge shows as a bright rim.

use std::borrow::Cow;

use dettaglio_domain::affine::space;
use dettaglio_domain::geometry::{Region, Size};
use dettaglio_domain::kernel::Kernel;
use rayon::prelude::*;

use crate::colour::{encode_fast, linearise_fast};
use crate::picture::{Original, Planes};

/// How far it reaches, in pixels of the coarser grid.
fn reach(kernel: Kernel) -> f64 {
    match kernel {
        Kernel::Nearest => 0.5,
        Kernel::Bicubic => 2.0,
        Kernel::Lanczos3 => 3.0,
    }
}

/// The weight of a pixel that lies `x` pixels of the coarser grid away.
pub(crate) fn weight(kernel: Kernel, x: f64) -> f64 {
    let x = x.abs();
    match kernel {
        Kernel::Nearest => f64::from(x <= 0.5),
        Kernel::Bicubic if x < 1.0 => (1.5 * x - 2.5) * x * x + 1.0,
        Kernel::Bicubic if x < 2.0 => ((-0.5 * x + 2.5) * x - 4.0) * x + 2.0,
        Kernel::Lanczos3 if x < 3.0 => sinc(x) * sinc(x / 3.0),
        _ => 0.0,
    }
}

fn sinc(x: f64) -> f64 {
    if x == 0.0 {
        return 1.0;
    }
    let x = x * std::f64::consts::PI;
    x.sin() / x
}

/// Anything that pixels can be pulled from, region by region.
pub trait Source {
    /// Where its regions lie.
    type Space;
    /// Width and height of the whole.
    fn size(&self) -> Size;
    /// A region of it; must lie inside. It is copied only where it must be.
    fn pull(&self, region: Region<Self::Space>) -> Cow<'_, Planes>;
}

impl Source for Original {
    type Space = space::Original;

    fn size(&self) -> Size {
        Original::size(self)
    }

    fn pull(&self, region: Region<space::Original>) -> Cow<'_, Planes> {
        Cow::Owned(self.region(region))
    }
}

impl Source for Planes {
    type Space = space::Any;

    fn size(&self) -> Size {
        Planes::size(self)
    }

    fn pull(&self, region: Region) -> Cow<'_, Planes> {
        if region == self.size().whole() { Cow::Borrowed(self) } else { Cow::Owned(self.cut(region)) }
    }
}

/// The weights along one axis for a run of output pixels.
struct Axis {
    /// First source pixel that any of them needs, and how many in a row.
    first: u32,
    count: u32,
    /// Per output pixel: offset from `first`, and the weights from there on; they sum to 1.
    taps: Vec<(usize, Vec<f32>)>,
}

impl Axis {
    /// For output pixels `start..start + length` of `target`, out of `source` pixels.
    fn new(source: u32, target: u32, start: u32, length: u32, kernel: Kernel) -> Self {
        let step = f64::from(source) / f64::from(target);
        // When shrinking, the kernel is widened to cover all that falls together; nearest never is.
        let widening = if kernel == Kernel::Nearest { 1.0 } else { step.max(1.0) };
        let reach = reach(kernel) * widening;
        let spans = (start..start + length)
            .map(|i| {
                let centre = (f64::from(i) + 0.5) * step;
                if kernel == Kernel::Nearest {
                    return ((centre.floor() as u32).min(source - 1), vec![1.0]);
                }
                let low = (centre - reach).round().max(0.0) as u32;
                let high = ((centre + reach).round() as u32).clamp(low + 1, source);
                let low = low.min(high - 1);
                let raw: Vec<f64> =
                    (low..high).map(|j| weight(kernel, (f64::from(j) + 0.5 - centre) / widening)).collect();
                let sum: f64 = raw.iter().sum();
                (low, raw.into_iter().map(|w| (w / sum) as f32).collect())
            })
            .collect();
        Self::of(spans)
    }

    /// As [`new`](Self::new), each output pixel the mean of what it covers; where it covers less than one, bicubic.
    fn covering(source: u32, target: u32, start: u32, length: u32) -> Self {
        let step = f64::from(source) / f64::from(target);
        if step < 1.0 {
            return Self::new(source, target, start, length, Kernel::Bicubic);
        }
        let spans = (start..start + length)
            .map(|i| {
                let (from, to) = (f64::from(i) * step, (f64::from(i) + 1.0) * step);
                let low = (from.floor() as u32).min(source - 1);
                let high = (to.ceil() as u32).clamp(low + 1, source);
                let covered = |j: u32| (to.min(f64::from(j) + 1.0) - from.max(f64::from(j))).max(0.0);
                let sum: f64 = (low..high).map(covered).sum();
                (low, (low..high).map(|j| (covered(j) / sum) as f32).collect())
            })
            .collect();
        Self::of(spans)
    }

    /// From the first source pixel of each output pixel and the weights from there on.
    fn of(mut spans: Vec<(u32, Vec<f32>)>) -> Self {
        let first = spans.iter().map(|(low, _)| *low).min().unwrap_or(0);
        let last = spans.iter().map(|(low, w)| low + w.len() as u32).max().unwrap_or(first + 1);
        let taps = spans.drain(..).map(|(low, weights)| ((low - first) as usize, weights)).collect();
        Self { first, count: last - first, taps }
    }
}

/// The part of the source that a region of the target depends on; the same where both are of one size, as nothing is resampled then.
pub fn source_region<T, S>(source: Size, target: Size, region: Region<T>, kernel: Kernel) -> Region<S> {
    if source == target {
        return region.seen_as();
    }
    let across = Axis::new(source.width, target.width, region.x, region.width, kernel);
    let down = Axis::new(source.height, target.height, region.y, region.height, kernel);
    Region::of(across.first, down.first, across.count, down.count)
}

/// In which values neighbouring pixels are averaged.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Averaging {
    /// Linear light, as a sensor does.
    Light,
    /// The file's encoded values, as most programs and all published comparisons do.
    Encoded,
}

/// A region of the source resampled to `target` pixels: in light when shrinking, in encoded values when growing.
///
/// The region is in the target's pixels and must lie inside it. Values stay in [0, 1].
pub fn resample<T>(source: &(impl Source + ?Sized), target: Size, region: Region<T>, kernel: Kernel) -> Planes {
    let shrinks = target.area() < source.size().area() && kernel != Kernel::Nearest;
    resample_in(source, target, region, kernel, if shrinks { Averaging::Light } else { Averaging::Encoded })
}

/// As [`resample`], with the values to average given.
pub fn resample_in<T>(
    source: &(impl Source + ?Sized),
    target: Size,
    region: Region<T>,
    kernel: Kernel,
    averaging: Averaging,
) -> Planes {
    let whole = source.size();
    if whole == target {
        return source.pull(region.seen_as()).into_owned();
    }
    let across = Axis::new(whole.width, target.width, region.x, region.width, kernel);
    let down = Axis::new(whole.height, target.height, region.y, region.height, kernel);
    weighted(source, region, &across, &down, averaging)
}

/// A region of the source brought down to `target` pixels, each the mean in light of the area that it covers; along a
/// side that grows, bicubic.
pub fn area_mean<T>(source: &(impl Source + ?Sized), target: Size, region: Region<T>) -> Planes {
    area_mean_in(source, target, region, Averaging::Light)
}

/// As [`area_mean`], with the values to average given.
pub fn area_mean_in<T>(
    source: &(impl Source + ?Sized),
    target: Size,
    region: Region<T>,
    averaging: Averaging,
) -> Planes {
    let whole = source.size();
    if whole == target {
        return source.pull(region.seen_as()).into_owned();
    }
    let (across, down) = covering(whole, target, region);
    weighted(source, region, &across, &down, averaging)
}

/// The part of the source that [`area_mean`] needs for a region of the target.
pub fn area_mean_region<T, S>(source: Size, target: Size, region: Region<T>) -> Region<S> {
    if source == target {
        return region.seen_as();
    }
    let (across, down) = covering(source, target, region);
    Region::of(across.first, down.first, across.count, down.count)
}

fn covering<T>(source: Size, target: Size, region: Region<T>) -> (Axis, Axis) {
    let across = Axis::covering(source.width, target.width, region.x, region.width);
    (across, Axis::covering(source.height, target.height, region.y, region.height))
}

/// The most values of a source that are pulled at once: 128 MB.
const PULLED_VALUES: usize = 32 << 20;

/// Rows that are pulled at least: what a source computes around a band is not computed too often.
const LEAST_ROWS: usize = 64;

fn weighted<T>(
    source: &(impl Source + ?Sized),
    region: Region<T>,
    across: &Axis,
    down: &Axis,
    averaging: Averaging,
) -> Planes {
    let averages_light = averaging == Averaging::Light;
    let (rows_in, width_in) = (down.count as usize, across.count as usize);
    let (rows_out, width_out) = (region.height as usize, region.width as usize);
    // Across first, then down: the intermediate picture has the output's width and the input's rows. The source is pulled a band of
    // rows at a time: the whole of a large one as numbers would take more memory than the picture itself.
    let mut narrow = vec![0.0_f32; 3 * rows_in * width_out];
    let band = (PULLED_VALUES / (3 * width_in)).max(LEAST_ROWS).min(rows_in);
    for first in (0..rows_in).step_by(band) {
        let rows = band.min(rows_in - first);
        let mut pulled = source.pull(Region::of(across.first, down.first + first as u32, across.count, rows as u32));
        if averages_light {
            pulled
                .to_mut()
                .values_mut()
                .par_chunks_mut(1 << 14)
                .for_each(|part| part.iter_mut().for_each(|v| *v = linearise_fast(*v)));
        }
        for channel in 0..3 {
            let start = (channel * rows_in + first) * width_out;
            let lines = narrow[start..start + rows * width_out].par_chunks_mut(width_out);
            lines.zip(pulled.plane(channel).par_chunks(width_in)).for_each(|(out, row)| {
                for (value, (offset, weights)) in out.iter_mut().zip(&across.taps) {
                    let pixels = &row[*offset..*offset + weights.len()];
                    *value = pixels.iter().zip(weights).map(|(p, w)| p * w).sum();
                }
            });
        }
    }
    let mut result = Planes::black(region.size());
    result.values_mut().par_chunks_mut(width_out).enumerate().for_each(|(index, out)| {
        let (channel, y) = (index / rows_out, index % rows_out);
        let (offset, weights) = &down.taps[y];
        for (tap, weight) in weights.iter().enumerate() {
            let start = (channel * rows_in + offset + tap) * width_out;
            for (value, pixel) in out.iter_mut().zip(&narrow[start..start + width_out]) {
                *value += pixel * weight;
            }
        }
        for value in out.iter_mut() {
            *value = if averages_light { encode_fast(*value) } else { value.clamp(0.0, 1.0) };
        }
    });
    result
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;

    fn wavy(size: Size) -> Planes {
        let values = (0..3 * size.area()).map(|i| 0.5 + 0.5 * (i as f32 * 0.37).sin() * (i as f32 * 0.011).cos());
        Planes::from_values(size, values.collect())
    }

    #[test]
    fn repeated_pixels_average_to_themselves() {
        let (small, large) = (Size::new(7, 5), Size::new(21, 20));
        let picture = wavy(small);
        let repeated = resample(&picture, large, large.whole(), Kernel::Nearest);
        let back = area_mean(&repeated, small, small.whole());
        let apart = back.values().iter().zip(picture.values()).map(|(a, b)| (a - b).abs()).fold(0.0, f32::max);
        assert!(apart < 2e-3, "{apart}");
    }

    #[test]
    fn an_area_mean_of_a_part_is_that_part_of_the_whole() {
        let (source, target) = (Size::new(64, 50), Size::new(23, 21));
        let picture = wavy(source);
        let whole = area_mean(&picture, target, target.whole());
        let region = Region::new(5, 3, 9, 11);
        assert!(area_mean(&picture, target, region) == whole.cut(region));
        let needed: Region = area_mean_region(source, target, region);
        assert!(needed.x <= 14 && needed.right() >= 38 && needed.right() <= 40, "{needed:?}");
    }

    #[rstest]
    #[case(Kernel::Nearest)]
    #[case(Kernel::Bicubic)]
    #[case(Kernel::Lanczos3)]
    fn flat_stays_flat(#[case] kernel: Kernel) {
        let flat = Planes::from_values(Size::new(9, 7), vec![0.4; 189]);
        for target in [Size::new(31, 22), Size::new(4, 3), Size::new(1, 1)] {
            let result = resample(&flat, target, target.whole(), kernel);
            assert!(result.values().iter().all(|v| (v - 0.4).abs() < 1e-4), "{kernel} to {target}");
        }
    }

    #[test]
    fn shrinking_averages_light_and_not_code_values() {
        let values: Vec<f32> = (0..3 * 64).map(|i| f32::from((i % 2) as u8)).collect();
        let stripes = Planes::from_values(Size::new(8, 8), values);
        let grey = resample(&stripes, Size::new(1, 1), Size::new(1, 1).whole(), Kernel::Bicubic);
        assert!((grey.values()[0] - crate::colour::encode(0.5)).abs() < 0.02, "{}", grey.values()[0]);
    }

    #[test]
    fn doubling_keeps_a_ramp_a_ramp() {
        let ramp: Vec<f32> = (0..3 * 16 * 16).map(|i| (i % 16) as f32 / 16.0 + 0.03).collect();
        let ramp = Planes::from_values(Size::new(16, 16), ramp);
        let target = Size::new(32, 32);
        let doubled = resample(&ramp, target, target.whole(), Kernel::Bicubic);
        for x in 8..24 {
            let expected = (x as f32 + 0.5) / 32.0 - 0.5 / 16.0 + 0.03;
            assert!((doubled.row(0, 16)[x] - expected).abs() < 1e-4, "{x}");
        }
    }

    proptest! {
        #[test]
        fn a_region_is_that_part_of_the_whole(
            w in 3_u32..40, h in 3_u32..40, tw in 2_u32..90, th in 2_u32..90, fx in 0.0..1.0_f64, fy in 0.0..1.0_f64,
            kernel in proptest::sample::select(Kernel::ALL.to_vec())
        ) {
            let (source, target) = (wavy(Size::new(w, h)), Size::new(tw, th));
            let whole = resample(&source, target, target.whole(), kernel);
            let (x, y) = ((f64::from(tw - 1) * fx) as u32, (f64::from(th - 1) * fy) as u32);
            let region = Region::new(x, y, (tw - x).min(7), (th - y).min(5));
            prop_assert_eq!(resample(&source, target, region, kernel), whole.cut(region));
        }
    }
}
