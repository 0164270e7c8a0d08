//! The trial run: finds out what a strange network does with a picture, by giving it some.

use std::time::{Duration, Instant};

use dettaglio_domain::geometry::{Region, Size};
use dettaglio_domain::kernel::Kernel;
use dettaglio_domain::model::{Element, Layout, Range, TensorFormat, Trial};

use super::foreign::{Declared, Raw, picture};
use super::format::pack;
use super::refusal::Refusal;
use crate::enlarge::{Averaging, resample_in};
use crate::picture::Planes;

/// Input pixels a second below which a model is refused: 12 megapixels in four hours.
const SLOWEST: f64 = 12e6 / (4.0 * 3600.0);

/// Bytes that a model may take for one block.
pub const MEMORY: u64 = 3 << 30;

/// Side of the test card: a multiple of every multiple that is tried.
const CARD: u32 = 128;

/// Least likeness to the picture given, dB.
const ALIKE: f64 = 15.0;

/// Likeness from which no stranger range is looked for, dB.
const GOOD_LIKENESS: f64 = 30.0;

/// By so much must a stranger order of colours be better to be believed, dB.
const CLEARLY: f64 = 0.3;

/// The farthest halo that tiles are given.
const WIDEST_HALO: u32 = 96;

/// Largest difference between tiles and whole that goes unseen, 8-bit levels.
const UNSEEN: f32 = 1.0;

/// Finds out how to run `raw`; `memory` tells the most bytes that the process has ever held.
pub fn run(raw: &dyn Raw, declared: &Declared, memory: &dyn Fn() -> u64) -> Result<Trial, Refusal> {
    let card = card(Size::new(CARD, CARD));
    let (layout, channels, factor) = shape_of_answers(raw, declared)?;
    let (format, likeness) = format(raw, declared, (layout, channels, factor), &card)?;
    let multiple = multiple(raw, &format, factor)?;
    let probe = Probe { raw, format, factor, multiple };
    let began = Instant::now();
    let before = memory();
    let large = Size::new(256, 256);
    probe.run(&self::card(large))?;
    let bytes_per_pixel = memory().saturating_sub(before) / large.area();
    let mut fastest = began.elapsed();
    let halo = probe.halo()?;
    let (halo, tile_difference) = probe.seams(halo)?;
    for _ in 0..if fastest < Duration::from_secs(2) { 3 } else { 0 } {
        let began = Instant::now();
        probe.run(&self::card(large))?;
        fastest = fastest.min(began.elapsed());
    }
    let pixels_per_second = large.area() as f64 / fastest.as_secs_f64();
    if pixels_per_second < SLOWEST {
        return Err(Refusal::TooSlow { hours: 12e6 / pixels_per_second / 3600.0 });
    }
    let block_columns = block_columns(bytes_per_pixel, halo)?;
    Ok(Trial {
        format,
        element: declared.element,
        factor,
        halo,
        multiple,
        block_columns,
        tile_difference,
        likeness: (likeness * 100.0).round() / 100.0,
        pixels_per_second,
        bytes_per_pixel,
    })
}

/// A test card in [0, 1]: edges at all angles, fine texture, and colours that differ, warm on average.
pub fn card(size: Size) -> Planes {
    let mut planes = Planes::black(size);
    let mut seed = 9_u32;
    for channel in 0..3_u32 {
        for y in 0..size.height {
            for (x, value) in planes.row_mut(channel as usize, y).iter_mut().enumerate() {
                let (x, y) = (x as f32, y as f32);
                seed = seed.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
                let grain = (seed >> 8) as f32 / (1 << 24) as f32 - 0.5;
                let (phase, warmth) = (channel as f32 * 2.1, 0.06 - 0.06 * channel as f32);
                let wave = (x * 0.11 + (y * 0.07).sin() * 2.0 + phase).sin() + (y * 0.13 - phase).cos();
                let edge = if ((x * 0.05 + y * 0.03 + phase).sin()) > 0.2 { 0.18 } else { -0.18 };
                *value = (0.5 + warmth + 0.1 * wave + edge + 0.06 * grain).clamp(0.02, 0.98);
            }
        }
    }
    planes
}

/// Brightness that grows from left to right, so that no tile is like the whole: what looks at everything shows itself.
fn dark_to_the_left(mut card: Planes) -> Planes {
    let Size { width, height } = card.size();
    for channel in 0..3 {
        for y in 0..height {
            let row = card.row_mut(channel, y).iter_mut().enumerate();
            row.for_each(|(x, v)| *v *= 0.3 + 0.7 * x as f32 / width as f32);
        }
    }
    card
}

fn shape_of_answers(raw: &dyn Raw, declared: &Declared) -> Result<(Layout, u32, u32), Refusal> {
    let mut first = None;
    for &(layout, channels) in &declared.formats {
        let range = if declared.element == Element::Byte { Range::Byte } else { Range::Unit };
        let format = TensorFormat { layout, channels, input_range: range, output_range: range, blue_first: false };
        let size = Size::new(CARD, CARD);
        let answer = raw.run(format.shape(size), &pack(&format, &card(size)));
        let refusal = match answer {
            Err(why) => Refusal::Unopened { why: why.lines().next().unwrap_or_default().to_owned() },
            Ok((shape, _)) => match format.size(&shape) {
                None => Refusal::NoPictureOut { answer: format!("{shape:?} for a picture of {size}") },
                Some(answer) => {
                    let factor = answer.width / CARD;
                    if (1..=8).contains(&factor) && answer == size.times(factor) {
                        return Ok((layout, channels, factor));
                    }
                    Refusal::Factor { input: size.to_string(), output: answer.to_string() }
                }
            },
        };
        first.get_or_insert(refusal);
    }
    Err(first.unwrap_or(Refusal::NoPictureIn))
}

/// The range and the order of colours under which the answer resembles the picture.
///
/// A network that is nearly linear resembles it under every range: the likeliest that is good enough is taken, and a
/// stranger one only where it is much better. The order of colours is believed at once, for it costs nothing to be right.
fn format(
    raw: &dyn Raw,
    declared: &Declared,
    (layout, channels, factor): (Layout, u32, u32),
    card: &Planes,
) -> Result<(TensorFormat, f64), Refusal> {
    let plain = plain(card, factor);
    let alike = |format: &TensorFormat| picture(raw, format, card).map_or(0.0, |answer| likeness(&answer, &plain));
    let inputs = if declared.element == Element::Byte { &[Range::Byte][..] } else { &Range::ALL[..] };
    let mut best: Option<(TensorFormat, f64)> = None;
    for &input_range in inputs {
        for output_range in Range::ALL {
            let format = TensorFormat { layout, channels, input_range, output_range, blue_first: false };
            let likeness = alike(&format);
            if best.is_none_or(|(_, known)| known < GOOD_LIKENESS && likeness > known + CLEARLY) {
                best = Some((format, likeness));
            }
        }
    }
    let (format, likeness) = best.ok_or(Refusal::NoPictureIn)?;
    let turned = TensorFormat { blue_first: true, ..format };
    let other = if channels == 3 { alike(&turned) } else { 0.0 };
    let (format, likeness) = if other > likeness + CLEARLY { (turned, other) } else { (format, likeness) };
    if likeness < ALIKE { Err(Refusal::Unlike { likeness: likeness.max(0.0) }) } else { Ok((format, likeness)) }
}

fn plain(card: &Planes, factor: u32) -> Planes {
    let size = card.size().times(factor);
    resample_in(card, size, size.whole(), Kernel::Bicubic, Averaging::Encoded)
}

/// PSNR over all colours, leaving out a border.
fn likeness(a: &Planes, b: &Planes) -> f64 {
    let size = a.size();
    let border = size.width / 8;
    let inside = Region::new(border, border, size.width - 2 * border, size.height - 2 * border);
    let (a, b) = (a.view(inside), b.view(inside));
    let sum: f64 = a.values().zip(b.values()).map(|(a, b)| f64::from(a - b).powi(2)).sum();
    -10.0 * (sum / (3 * inside.size().area()) as f64).max(1e-12).log10()
}

/// The smallest power of two that sides must be multiples of.
fn multiple(raw: &dyn Raw, format: &TensorFormat, factor: u32) -> Result<u32, Refusal> {
    let fits = |multiple: u32| {
        [Size::new(CARD + multiple, CARD), Size::new(CARD + multiple, CARD + 3 * multiple)].into_iter().all(|size| {
            let card = card(size);
            let answer = picture(raw, format, &card);
            answer.is_ok_and(|a| a.size() == size.times(factor) && likeness(&a, &plain(&card, factor)) >= ALIKE)
        })
    };
    [1, 2, 4, 8, 16, 32, 64]
        .into_iter()
        .find(|m| fits(*m))
        .ok_or_else(|| Refusal::FixedSize { width: i64::from(CARD), height: i64::from(CARD) })
}

struct Probe<'a> {
    raw: &'a dyn Raw,
    format: TensorFormat,
    factor: u32,
    multiple: u32,
}

impl Probe<'_> {
    fn run(&self, input: &Planes) -> Result<Planes, Refusal> {
        picture(self.raw, &self.format, input)
            .map_err(|why| Refusal::Unopened { why: why.lines().next().unwrap_or_default().to_owned() })
    }

    /// How far a change of one pixel is felt, in input pixels, up to [`WIDEST_HALO`].
    fn halo(&self) -> Result<u32, Refusal> {
        const FELT: f32 = 2.0 / 65_535.0;
        let size = Size::new(256, 256);
        let base = card(size);
        let before = self.run(&base)?;
        let mut halo = 0;
        // Folded pixels are felt to different distances: try both ends of a fold.
        for offset in [0, self.multiple - 1] {
            let at = size.width / 2 + offset;
            for to in [0.0, 1.0] {
                let mut changed = base.clone();
                for channel in 0..3 {
                    changed.row_mut(channel, at)[at as usize] = to;
                }
                let after = self.run(&changed)?;
                for channel in 0..3 {
                    for y in 0..before.size().height {
                        let away = |px: u32| (px / self.factor).abs_diff(at);
                        let rows = before.row(channel, y).iter().zip(after.row(channel, y)).enumerate();
                        let felt = rows.filter(|(_, (a, b))| (*a - *b).abs() > FELT).map(|(x, _)| away(x as u32));
                        halo = halo.max(felt.max().map_or(0, |x| x.max(away(y))));
                    }
                }
            }
            if self.multiple == 1 {
                break;
            }
        }
        Ok(halo.min(WIDEST_HALO))
    }

    /// The halo that makes tiles equal the whole as nearly as can be, and the difference that is left in 8-bit levels.
    fn seams(&self, measured: u32) -> Result<(u32, f32), Refusal> {
        const GOOD: f32 = 0.02;
        let size = Size::new(448, 256);
        let whole_card = dark_to_the_left(card(size));
        let whole = self.run(&whole_card)?;
        let mut best: Option<(u32, f32)> = None;
        let fold = |px: u32| px.next_multiple_of(self.multiple);
        for halo in [fold(measured), fold(measured * 3 / 2 + 2)] {
            let core = 128_u32.next_multiple_of(self.multiple);
            let part = Region::new(0, 0, (core + halo).min(size.width), (core + halo).min(size.height));
            let tile = self.run(&whole_card.cut(part))?;
            let kept = Region::new(0, 0, core, core).times(self.factor);
            let pairs = tile.view(kept).values().zip(whole.view(kept).values());
            let difference = pairs.map(|(a, b)| (a - b).abs()).fold(0.0, f32::max);
            let levels = difference * 255.0;
            if best.is_none_or(|(_, known)| levels < known) {
                best = Some((halo, levels));
            }
            if levels <= GOOD {
                break;
            }
        }
        match best {
            Some((_, levels)) if levels > UNSEEN => Err(Refusal::Seams { levels }),
            Some((halo, levels)) => Ok((halo, levels)),
            None => Ok((measured, 0.0)),
        }
    }
}

/// How many tiles of 128 px, two rows of them, a model may be given at once.
fn block_columns(bytes_per_pixel: u64, halo: u32) -> Result<u32, Refusal> {
    let bytes = |columns: u32| {
        let (wide, high) = (u64::from(128 * columns + 2 * halo), u64::from(256 + 2 * halo));
        wide * high * bytes_per_pixel
    };
    (1..=16)
        .rev()
        .find(|columns| bytes(*columns) <= MEMORY)
        .ok_or(Refusal::Memory { gigabytes: bytes(1) as f64 / 1e9, limit: MEMORY as f64 / 1e9 })
}

#[cfg(test)]
mod tests {
    use super::super::format::unpack;
    use super::*;
    use rstest::rstest;

    /// A network made of a closure from picture to picture, behind a format.
    struct Made<F> {
        format: TensorFormat,
        change: F,
    }

    impl<F: Fn(&Planes) -> Result<Planes, String>> Raw for Made<F> {
        fn run(&self, shape: [usize; 4], values: &[f32]) -> Result<(Vec<i64>, Vec<f32>), String> {
            let size = self.format.size(&shape.map(|n| n as i64)).ok_or("other channels")?;
            // What is packed with a range is unpacked with the same: turn it round.
            let turned = TensorFormat { output_range: self.format.input_range, ..self.format };
            let answer = (self.change)(&unpack(&turned, size, values))?;
            let back = TensorFormat { input_range: self.format.output_range, ..self.format };
            Ok((back.shape(answer.size()).map(|n| n as i64).to_vec(), pack(&back, &answer)))
        }
    }

    fn format_of(layout: Layout, channels: u32, range: Range, blue_first: bool) -> TensorFormat {
        TensorFormat { layout, channels, input_range: range, output_range: range, blue_first }
    }

    fn repeated(planes: &Planes, factor: u32) -> Planes {
        let size = planes.size().times(factor);
        resample_in(planes, size, size.whole(), Kernel::Nearest, Averaging::Encoded)
    }

    /// As a trained network: lost where the brightness, or the balance of red and blue, is not that of pictures.
    fn particular(planes: &Planes) -> Planes {
        let mean = |values: &[f32]| values.iter().sum::<f32>() / values.len() as f32;
        let bright = (0.35..0.65).contains(&mean(planes.values()));
        let (red, blue) = (mean(planes.plane(0)), mean(planes.plane(2)));
        let (share, error) = (if bright { 1.0 } else { 0.4 }, if red > blue { 0.0 } else { 0.05 });
        Planes::from_values(planes.size(), planes.values().iter().map(|v| v * share + error).collect())
    }

    fn declared(formats: &[(Layout, u32)]) -> Declared {
        Declared { formats: formats.to_vec(), element: Element::Float }
    }

    fn tried(raw: &dyn Raw, formats: &[(Layout, u32)]) -> Result<Trial, Refusal> {
        run(raw, &declared(formats), &|| 0)
    }

    const FIRST: [(Layout, u32); 1] = [(Layout::ChannelsFirst, 3)];

    #[rstest]
    #[case(Layout::ChannelsFirst, Range::Unit, false, 2)]
    #[case(Layout::ChannelsFirst, Range::Byte, true, 4)]
    #[case(Layout::ChannelsLast, Range::Signed, false, 1)]
    #[case(Layout::ChannelsLast, Range::Byte, false, 3)]
    fn layout_range_order_and_factor_are_found(
        #[case] layout: Layout,
        #[case] range: Range,
        #[case] blue_first: bool,
        #[case] factor: u32,
    ) {
        let format = format_of(layout, 3, range, blue_first);
        let raw = Made { format, change: |p: &Planes| Ok(repeated(&particular(p), factor)) };
        let trial = tried(&raw, &[(layout, 3)]).unwrap();
        assert_eq!((trial.format, trial.factor), (format, factor));
        assert_eq!((trial.halo, trial.multiple, trial.tile_difference), (0, 1, 0.0));
    }

    #[test]
    fn brightness_alone_is_enough() {
        let format = format_of(Layout::ChannelsFirst, 1, Range::Unit, false);
        let raw = Made { format, change: |p: &Planes| Ok(repeated(p, 2)) };
        let trial = tried(&raw, &[(Layout::ChannelsFirst, 3), (Layout::ChannelsFirst, 1)]).unwrap();
        assert_eq!((trial.format.channels, trial.factor), (1, 2));
    }

    #[rstest]
    #[case(2)]
    #[case(8)]
    #[case(64)]
    fn the_multiple_is_found(#[case] multiple: u32) {
        let change = |p: &Planes| {
            let fits = p.size().width.is_multiple_of(multiple) && p.size().height.is_multiple_of(multiple);
            if fits { Ok(p.clone()) } else { Err("shapes do not match".to_owned()) }
        };
        let raw = Made { format: TensorFormat::USUAL, change };
        assert_eq!(tried(&raw, &FIRST).unwrap().multiple, multiple);
    }

    /// Each pixel takes a tenth of the one `reach` to the right and below.
    fn reaching(planes: &Planes, reach: u32) -> Planes {
        let mut out = planes.clone();
        let size = planes.size();
        for channel in 0..3 {
            for y in 0..size.height.saturating_sub(reach) {
                for x in 0..size.width.saturating_sub(reach) as usize {
                    let far = planes.row(channel, y + reach)[x + reach as usize];
                    out.row_mut(channel, y)[x] = 0.9 * planes.row(channel, y)[x] + 0.1 * far;
                }
            }
        }
        out
    }

    #[rstest]
    #[case(1)]
    #[case(7)]
    #[case(40)]
    fn the_halo_is_as_far_as_a_change_is_felt(#[case] reach: u32) {
        let change = |p: &Planes| Ok(reaching(p, reach));
        let raw = Made { format: TensorFormat::USUAL, change };
        let trial = tried(&raw, &FIRST).unwrap();
        assert_eq!((trial.halo, trial.tile_difference), (reach, 0.0));
    }

    #[test]
    fn one_that_weighs_the_whole_picture_is_refused() {
        let change = |p: &Planes| {
            // Balances the tone of whatever it is given.
            let mean = p.values().iter().sum::<f32>() / p.values().len() as f32;
            Ok(Planes::from_values(p.size(), p.values().iter().map(|v| v + 0.3 * (mean - 0.5)).collect()))
        };
        let raw = Made { format: TensorFormat::USUAL, change };
        assert!(matches!(tried(&raw, &FIRST), Err(Refusal::Seams { .. })));
    }

    #[test]
    fn another_picture_than_the_one_given_is_refused() {
        let change = |p: &Planes| Ok(Planes::from_values(p.size(), p.values().iter().map(|v| 1.0 - v).collect()));
        let raw = Made { format: TensorFormat::USUAL, change };
        assert!(matches!(tried(&raw, &FIRST), Err(Refusal::Unlike { .. })));
    }

    #[test]
    fn a_list_of_classes_is_no_picture() {
        struct Classes;
        impl Raw for Classes {
            fn run(&self, _: [usize; 4], _: &[f32]) -> Result<(Vec<i64>, Vec<f32>), String> {
                Ok((vec![1, 1000], vec![0.0; 1000]))
            }
        }
        assert!(matches!(tried(&Classes, &FIRST), Err(Refusal::NoPictureOut { .. })));
    }

    #[test]
    fn half_a_factor_is_refused() {
        let change = |p: &Planes| {
            let size = Size::new(p.size().width * 3 / 2, p.size().height * 3 / 2);
            Ok(resample_in(p, size, size.whole(), Kernel::Bicubic, Averaging::Encoded))
        };
        let raw = Made { format: TensorFormat::USUAL, change };
        assert!(matches!(tried(&raw, &FIRST), Err(Refusal::Factor { .. })));
    }

    #[test]
    fn memory_decides_how_much_is_given_at_once() {
        assert_eq!(block_columns(1_000, 10).unwrap(), 16);
        let few = block_columns(8_000, 32).unwrap();
        assert!((1..16).contains(&few), "{few}");
        assert!(matches!(block_columns(60_000, 60), Err(Refusal::Memory { .. })));
    }
}
