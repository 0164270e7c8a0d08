//! Three colours at every pixel of what a sensor saw through a mosaic of filters.
//!
//! What is missing is estimated on balanced and encoded values, in which a step of tone is as large in the dark as in the light: on linear
//! ones the light side of an edge shines into its dark side. Green comes first, along rows and along columns, each estimate weighted by
//! how sure it is (linear minimum mean square error of the difference between two colours: Zhang and Wu, IEEE Transactions on Image
//! Processing 14, 2005); then red and blue, by their differences from it. Mosaics of six by six are `rawler`'s to fill, on the same values.
//! Points of light then get their colour back, see [`points`].
//!
//! What it is worth beside other ways, `docs/demosaicing.md` tells.

use rawler::CFA;
use rawler::cfa::PlaneColor;
use rawler::imgop::develop::{Intermediate, ProcessingStep, RawDevelop};
use rawler::imgop::sensor::xtrans::markesteijn::XTransMarkesteijnDemosaic;
use rawler::imgop::sensor::{Demosaic, SensorType};
use rawler::imgop::{Dim2, Point, Rect};
use rawler::pixarray::PixF32;
use rawler::rawimage::{BlackLevel, RawImage, RawImageData, RawPhotometricInterpretation, WhiteLevel};
use rayon::prelude::*;

use super::error::{CodecError, raw_refusal};
use super::points;
use crate::colour::{encode, encode_fast, linearise, linearise_fast};

/// Pixels that an estimate reaches: 2 to another colour, 4 to smooth, 4 to tell how sure it is, 2 to red and blue.
const REACH: usize = 12;

/// Rows that a thread works on at a time.
const ROWS: usize = 48;

/// The filter that parts the difference of two colours from what is wrong with its estimate.
const SMOOTH: [f32; 9] = [
    4.0 / 128.0,
    9.0 / 128.0,
    15.0 / 128.0,
    23.0 / 128.0,
    26.0 / 128.0,
    23.0 / 128.0,
    15.0 / 128.0,
    9.0 / 128.0,
    4.0 / 128.0,
];

/// How far green may lie beyond the four greens beside it, as a share of how far those lie apart.
const BEYOND: f32 = 0.125;

/// What keeps two estimates that are quite sure from being divided by nothing.
const DOUBT: f32 = 1e-9;

/// The colours of every pixel as the sensor saw them: linear, not balanced, 1 where the sensor was full.
///
/// The result covers the active area and has as many components a pixel as the sensor has colours. A file that holds all colours of every
/// pixel is only scaled.
///
/// # Errors
/// When the file's own figures contradict each other.
pub(super) fn demosaiced(raw: &RawImage) -> Result<RawImage, CodecError> {
    let area = raw.active_area.unwrap_or(Rect::new(Point::zero(), Dim2::new(raw.width, raw.height)));
    let mosaic = match &raw.photometric {
        // Such a sensor lies askew in its file, and is turned once it has its colours.
        RawPhotometricInterpretation::Cfa(config) if config.cfa.is_rgb() && raw.fuji_rotation_width.is_none() => config,
        _ => return by_the_crate(raw, area),
    };
    let Intermediate::Monochrome(seen) = stepped(raw, &[ProcessingStep::Rescale])? else {
        return Err(CodecError::Damaged("a mosaic of several colours a pixel".to_owned()));
    };
    if area.p.x + area.d.w > seen.width || area.p.y + area.d.h > seen.height || area.d.w < 8 || area.d.h < 8 {
        return Err(CodecError::Damaged("its active area leaves its pixels".to_owned()));
    }
    let seen = Seen {
        samples: seen.data,
        width: seen.width,
        area,
        tone: Tone::of(raw),
        colours: mosaic.cfa.shift(area.p.x, area.p.y),
    };
    let (mut values, period) = match mosaic.sensor {
        SensorType::Bayer => (seen.by_estimates(), 2.0),
        SensorType::Xtrans => (seen.by_directions(&mosaic.colors), 3.0),
    };
    points::coloured(&mut values, area.d.w, &seen.colours, seen.tone.gains, period);
    Ok(of_components(raw, area, 3, values))
}

/// What the crate makes of it, where a way of our own has nothing to add.
fn by_the_crate(raw: &RawImage, area: Rect) -> Result<RawImage, CodecError> {
    use ProcessingStep::{CropActiveArea, Demosaic, FujiRotate, Rescale};
    // One colour a pixel is scaled as three are.
    let one_colour = matches!(raw.photometric, RawPhotometricInterpretation::BlackIsZero);
    let grey = one_colour.then(|| RawImage { photometric: RawPhotometricInterpretation::LinearRaw, ..raw.clone() });
    // Only filling in a mosaic cuts off what saw no light.
    let is_mosaic = matches!(raw.photometric, RawPhotometricInterpretation::Cfa(_));
    let corner = if is_mosaic { area.p } else { Point::zero() };
    let (components, width, height, values) =
        match stepped(grey.as_ref().unwrap_or(raw), &[Rescale, Demosaic, FujiRotate, CropActiveArea])? {
            Intermediate::Monochrome(p) => (1, p.width, p.height, p.data),
            Intermediate::ThreeColor(p) => (3, p.width, p.height, p.data.into_flattened()),
            Intermediate::FourColor(p) => (4, p.width, p.height, p.data.into_flattened()),
        };
    Ok(of_components(raw, Rect::new(corner, Dim2::new(width, height)), components, values))
}

/// What the crate makes of a raw image in so many steps.
pub(super) fn stepped(raw: &RawImage, steps: &[ProcessingStep]) -> Result<Intermediate, CodecError> {
    RawDevelop { steps: steps.to_vec() }.develop_intermediate(raw).map_err(raw_refusal)
}

/// A raw image of so many components a pixel, which covers an area of another.
fn of_components(raw: &RawImage, area: Rect, components: usize, values: Vec<f32>) -> RawImage {
    let inside = |rect: Rect| {
        let corner = Point::new(rect.p.x.saturating_sub(area.p.x), rect.p.y.saturating_sub(area.p.y));
        Rect::new(corner, rect.d)
    };
    RawImage {
        width: area.d.w,
        height: area.d.h,
        cpp: components,
        whitelevel: WhiteLevel::new(vec![1; components]),
        blacklevel: BlackLevel::zero(1, 1, components),
        photometric: RawPhotometricInterpretation::LinearRaw,
        active_area: None,
        crop_area: raw.crop_area.or(raw.active_area).map(inside),
        blackareas: Vec::new(),
        data: RawImageData::Float(values),
        fuji_rotation_width: None,
        ..without_pixels(raw)
    }
}

/// All that a raw image tells besides its pixels.
fn without_pixels(raw: &RawImage) -> RawImage {
    RawImage {
        camera: raw.camera.clone(),
        make: raw.make.clone(),
        model: raw.model.clone(),
        clean_make: raw.clean_make.clone(),
        clean_model: raw.clean_model.clone(),
        width: raw.width,
        height: raw.height,
        cpp: raw.cpp,
        bps: raw.bps,
        wb_coeffs: raw.wb_coeffs,
        whitelevel: raw.whitelevel.clone(),
        blacklevel: raw.blacklevel.clone(),
        xyz_to_cam: raw.xyz_to_cam,
        photometric: raw.photometric.clone(),
        active_area: raw.active_area,
        crop_area: raw.crop_area,
        blackareas: raw.blackareas.clone(),
        orientation: raw.orientation,
        data: RawImageData::Integer(Vec::new()),
        color_matrix: raw.color_matrix.clone(),
        dng_tags: raw.dng_tags.clone(),
        fuji_rotation_width: raw.fuji_rotation_width,
    }
}

/// What balances red, green and blue, at least 1 each, from white balance coefficients; even ones where the file has none.
pub(super) fn gains_of([red, green, blue, _]: [f32; 4]) -> [f32; 3] {
    let gains = [red, green, blue];
    let known = gains.iter().all(|gain| gain.is_finite() && *gain > 0.0);
    let least = red.min(green).min(blue);
    if known { gains.map(|gain| gain / least) } else { [1.0; 3] }
}

/// The values in which colours are estimated: balanced, so that grey is alike in all, and encoded as sRGB, beyond both its ends too.
#[derive(Clone, Copy)]
pub(super) struct Tone {
    /// What each colour is multiplied by, at least 1.
    pub(super) gains: [f32; 3],
}

impl Tone {
    /// By the white balance as shot; none where the file does not tell it.
    pub(super) fn of(raw: &RawImage) -> Self {
        Self { gains: gains_of(raw.wb_coeffs) }
    }

    /// Three colours so that grey is alike in all; white is 1, and what single colours hold beyond it more.
    pub(super) fn balanced(self, linear: [f32; 3]) -> [f32; 3] {
        [0, 1, 2].map(|colour| linear[colour] * self.gains[colour])
    }

    fn encoded(self, colour: usize, linear: f32) -> f32 {
        let light = linear * self.gains[colour];
        if (0.0..=1.0).contains(&light) { encode_fast(light) } else { encode(light) }
    }

    fn linear(self, colour: usize, encoded: f32) -> f32 {
        let light = if (0.0..=1.0).contains(&encoded) { linearise_fast(encoded) } else { linearise(encoded) };
        light / self.gains[colour]
    }
}

/// What a sensor saw, one colour a pixel.
struct Seen {
    samples: Vec<f32>,
    /// Samples in a row.
    width: usize,
    /// The part that saw light.
    area: Rect,
    tone: Tone,
    /// Which colour a pixel of the area has.
    colours: CFA,
}

impl Seen {
    /// The sample at a place of the area.
    fn at(&self, x: usize, y: usize) -> f32 {
        self.samples[(self.area.p.y + y) * self.width + self.area.p.x + x]
    }

    /// Of a mosaic of two by two.
    fn by_estimates(&self) -> Vec<f32> {
        let (width, height) = (self.area.d.w, self.area.d.h);
        let mut values = vec![0.0; 3 * width * height];
        values.par_chunks_mut(3 * width * ROWS).enumerate().for_each(|(i, out)| {
            let first = i * ROWS;
            let block = Block::of(self, first, out.len() / (3 * width));
            let green = block.green();
            let [red, blue] = [0, 2].map(|colour| block.difference_from(&green, colour));
            for (y, row) in out.chunks_mut(3 * width).enumerate() {
                for (x, pixel) in row.chunks_mut(3).enumerate() {
                    let at = (y + REACH) * block.width + x + REACH;
                    let estimates = [green[at] + red[at], green[at], green[at] + blue[at]];
                    for (colour, (value, estimate)) in pixel.iter_mut().zip(estimates).enumerate() {
                        *value = self.tone.linear(colour, estimate);
                    }
                    // What was seen stays as it was.
                    pixel[self.colours.color_at(first + y, x)] = self.at(x, first + y);
                }
            }
        });
        values
    }

    /// Of a mosaic of six by six: along the direction in which colours change least (Markesteijn's way, in three passes).
    fn by_directions(&self, planes: &PlaneColor) -> Vec<f32> {
        let (width, height) = (self.area.d.w, self.area.d.h);
        let encoded = (0..width * height).into_par_iter().map(|i| {
            let (x, y) = (i % width, i / width);
            self.tone.encoded(self.colours.color_at(y, x), self.at(x, y))
        });
        let encoded = PixF32::new_with(encoded.collect(), width, height);
        let whole = encoded.rect();
        let estimated = XTransMarkesteijnDemosaic::new_pass_3().demosaic(&encoded, &self.colours, planes, whole);
        let pixels = estimated.data.into_par_iter().enumerate().flat_map_iter(|(i, pixel)| {
            let (x, y) = (i % width, i / width);
            let mut linear = [0, 1, 2].map(|colour| self.tone.linear(colour, pixel[colour]));
            linear[self.colours.color_at(y, x)] = self.at(x, y);
            linear
        });
        pixels.collect()
    }
}

/// Some rows of a mosaic of two by two, encoded, with [`REACH`] pixels around them: beyond its edges the mosaic is mirrored, which leaves
/// every colour in its place.
///
/// Planes of a block are one slice: along rows neighbours are 1 apart, along columns `width`. What lies within reach of the slice's ends, or of
/// a row's, is of no use.
struct Block {
    width: usize,
    values: Vec<f32>,
    /// Which colour each pixel has.
    colours: Vec<u8>,
}

impl Block {
    fn of(seen: &Seen, first: usize, rows: usize) -> Self {
        let (width, height) = (seen.area.d.w, seen.area.d.h);
        let wide = width + 2 * REACH;
        let count = wide * (rows + 2 * REACH);
        let (mut values, mut colours) = (Vec::with_capacity(count), Vec::with_capacity(count));
        for y in 0..rows + 2 * REACH {
            let y = mirrored(first + y, height);
            for x in 0..wide {
                let x = mirrored(x, width);
                let colour = seen.colours.color_at(y, x);
                values.push(seen.tone.encoded(colour, seen.at(x, y)));
                colours.push(colour as u8);
            }
        }
        Self { width: wide, values, colours }
    }

    /// Green at every pixel: hardly beyond the greens beside it, or a thin slanting line in front of a strong colour, where colours do not change
    /// together, would come out dotted.
    fn green(&self) -> Vec<f32> {
        let (across, down) = (self.difference_along(1), self.difference_along(self.width));
        let mut green = self.values.clone();
        for i in self.width..green.len() - self.width {
            if self.colours[i] == 1 {
                continue;
            }
            let (across, down) = (across[i], down[i]);
            // The surer of the two counts for more.
            let difference = (down.doubt * across.value + across.doubt * down.value) / (across.doubt + down.doubt);
            let beside = [i - self.width, i - 1, i + 1, i + self.width].map(|at| self.values[at]);
            let (least, most) = beside.iter().fold((f32::MAX, f32::MIN), |(l, m), v| (l.min(*v), m.max(*v)));
            let slack = BEYOND * (most - least);
            green[i] = (self.values[i] + difference).clamp(least - slack, most + slack);
        }
        green
    }

    /// Green less the other colour of its row or column, with how unsure that is.
    fn difference_along(&self, step: usize) -> Vec<Estimate> {
        let len = self.values.len();
        let mut raw = vec![0.0; len];
        let around = self.values.windows(4 * step + 1).zip(&self.colours[2 * step..]);
        for (difference, (at, colour)) in raw[2 * step..].iter_mut().zip(around) {
            let between = 0.5 * (at[step] + at[2 * step] + at[3 * step]) - 0.25 * (at[0] + at[4 * step]);
            *difference = if *colour == 1 { at[2 * step] - between } else { between - at[2 * step] };
        }
        let smooth = summed(&raw, step, SMOOTH);
        let squares: Vec<f32> = smooth.iter().map(|v| v * v).collect();
        let errors: Vec<f32> = smooth.iter().zip(&raw).map(|(s, r)| (s - r) * (s - r)).collect();
        let [sum, square, error] = [&smooth, &squares, &errors].map(|plane| summed(plane, step, [1.0; 9]));
        (0..len)
            .map(|i| {
                let mean = sum[i] / 9.0;
                let spread = ((square[i] - sum[i] * mean) / 8.0).max(0.0);
                let error = error[i] / 9.0;
                let share = spread / (spread + error + DOUBT);
                Estimate { value: mean + share * (raw[i] - mean), doubt: spread - spread * share + DOUBT }
            })
            .collect()
    }

    /// Red or blue less green at every pixel.
    fn difference_from(&self, green: &[f32], colour: u8) -> Vec<f32> {
        let (len, wide) = (self.values.len(), self.width);
        let mut difference = vec![0.0; len];
        for i in 0..len {
            if self.colours[i] == colour {
                difference[i] = self.values[i] - green[i];
            }
        }
        // The corners of a pixel of the opposite colour are of this one.
        for i in wide + 1..len - wide - 1 {
            if self.colours[i] == 2 - colour {
                let corners = [i - wide - 1, i - wide + 1, i + wide - 1, i + wide + 1];
                difference[i] = corners.map(|at| difference[at]).iter().sum::<f32>() / 4.0;
            }
        }
        for i in wide + 1..len - wide - 1 {
            if self.colours[i] == 1 {
                let beside = [i - wide, i - 1, i + 1, i + wide];
                difference[i] = beside.map(|at| difference[at]).iter().sum::<f32>() / 4.0;
            }
        }
        difference
    }
}

/// A value, and the variance of what may be wrong with it.
#[derive(Clone, Copy)]
struct Estimate {
    value: f32,
    doubt: f32,
}

/// The place of a picture that stands for one of a block, [`REACH`] before it.
fn mirrored(place: usize, length: usize) -> usize {
    let place = place.abs_diff(REACH) % (2 * length - 2);
    if place < length { place } else { 2 * length - 2 - place }
}

/// Weighted sums over nine values that lie `step` apart; 0 where some are missing.
fn summed(plane: &[f32], step: usize, weights: [f32; 9]) -> Vec<f32> {
    let mut sums = vec![0.0; plane.len()];
    let inner = &mut sums[4 * step..plane.len() - 4 * step];
    for (k, weight) in weights.into_iter().enumerate() {
        for (sum, value) in inner.iter_mut().zip(&plane[k * step..]) {
            *sum += weight * value;
        }
    }
    sums
}

#[cfg(test)]
mod tests {
    use rawler::decoders::{Camera, Orientation};
    use rawler::rawimage::CFAConfig;
    use rstest::rstest;

    use super::*;

    const SIX_BY_SIX: &str = "GBGGRGRGRBGBGBGGRGGRGGBGBGBRGRGRGGBG";

    /// What a sensor sees of a scene (balanced light at a place) through a mosaic, with so many pixels around it that saw none.
    fn seen(pattern: &str, size: (usize, usize), dark: usize, scene: impl Fn(usize, usize) -> [f32; 3]) -> RawImage {
        let cfa = CFA::new(pattern);
        let (width, height) = (size.0 + 2 * dark, size.1 + 2 * dark);
        let samples = (0..width * height).map(|i| {
            let (x, y) = (i % width, i / width);
            let lit = (dark..dark + size.0).contains(&x) && (dark..dark + size.1).contains(&y);
            let colour = cfa.color_at(y, x);
            let light = if lit { scene(x - dark, y - dark)[colour] * [0.5, 1.0, 0.625][colour] } else { 0.0 };
            (256.0 + light * 16_000.0) as u16
        });
        let area = Rect::new(Point::new(dark, dark), Dim2::new(size.0, size.1));
        RawImage {
            camera: Camera::new(),
            make: String::new(),
            model: String::new(),
            clean_make: String::new(),
            clean_model: String::new(),
            width,
            height,
            cpp: 1,
            bps: 16,
            wb_coeffs: [2.0, 1.0, 1.6, f32::NAN],
            whitelevel: WhiteLevel::new([16_256]),
            blacklevel: BlackLevel::new(&[256_u16], 1, 1, 1),
            xyz_to_cam: Default::default(),
            photometric: RawPhotometricInterpretation::Cfa(CFAConfig::new(&cfa, &PlaneColor::new("RGB"))),
            active_area: Some(area),
            crop_area: None,
            blackareas: Vec::new(),
            orientation: Orientation::Normal,
            data: RawImageData::Integer(samples.collect()),
            color_matrix: Default::default(),
            dng_tags: Default::default(),
            fuji_rotation_width: None,
        }
    }

    /// Discs of several colours on grey, with edges as soft as a lens makes them.
    fn scene(x: usize, y: usize) -> [f32; 3] {
        let disc = |cx: f32, cy: f32, radius: f32| {
            let distance = (x as f32 - cx).hypot(y as f32 - cy);
            1.0 / (1.0 + ((distance - radius) * 1.6).exp())
        };
        let parts = [
            (disc(30.0, 30.0, 16.0), [0.05, 0.04, 0.03]),
            (disc(75.0, 60.0, 20.0), [0.7, 0.2, 0.1]),
            (disc(60.0, 20.0, 9.0), [0.1, 0.3, 0.6]),
        ];
        parts.iter().fold([0.4; 3], |under, (share, over)| [0, 1, 2].map(|c| under[c] + share * (over[c] - under[c])))
    }

    fn colours(raw: &RawImage) -> Vec<[f32; 3]> {
        let made = demosaiced(raw).unwrap();
        let RawImageData::Float(values) = made.data else { panic!("floating point") };
        values.chunks_exact(3).map(|p| [p[0] * 2.0, p[1], p[2] * 1.6]).collect()
    }

    /// Mean and worst distance from the scene, in 8-bit levels of encoded values.
    fn off(raw: &RawImage, (width, height): (usize, usize)) -> (f32, f32) {
        let made = colours(raw);
        assert_eq!(made.len(), width * height);
        let inside =
            (0..made.len()).filter(|i| (8..width - 8).contains(&(i % width)) && (8..height - 8).contains(&(i / width)));
        let distances: Vec<f32> = inside
            .flat_map(|i| {
                let due = scene(i % width, i / width);
                [0, 1, 2].map(|c| (encode(made[i][c]) - encode(due[c])).abs() * 255.0)
            })
            .collect();
        (distances.iter().sum::<f32>() / distances.len() as f32, distances.into_iter().fold(0.0, f32::max))
    }

    #[rstest]
    #[case("RGGB", 0)]
    #[case("BGGR", 0)]
    #[case("GRBG", 3)]
    #[case("GBRG", 8)]
    #[case(SIX_BY_SIX, 0)]
    #[case(SIX_BY_SIX, 5)]
    fn colours_come_out_of_every_mosaic(#[case] pattern: &str, #[case] dark: usize) {
        let size = (110, 97);
        let (mean, worst) = off(&seen(pattern, size, dark, scene), size);
        assert!(mean < 0.8 && worst < 40.0, "{mean} levels, at worst {worst}");
    }

    #[test]
    fn grey_stays_grey_and_what_was_seen_stays_as_it_was() {
        let raw = seen("RGGB", (64, 130), 0, |x, y| [0.02 + ((x * 7 + y * 3) % 50) as f32 / 80.0; 3]);
        let made = colours(&raw);
        let RawImageData::Integer(samples) = &raw.data else { unreachable!() };
        let cfa = CFA::new("RGGB");
        for (i, pixel) in made.iter().enumerate() {
            let (x, y) = (i % 64, i / 64);
            let colour = cfa.color_at(y, x);
            let due = (f32::from(samples[i]) - 256.0) / 16_000.0 * [2.0, 1.0, 1.6][colour];
            assert!((pixel[colour] - due).abs() < 1e-5, "{x} {y}: {pixel:?}, {due}");
        }
        let flat = colours(&seen("RGGB", (64, 130), 0, |_, y| [if y < 60 { 0.1 } else { 0.6 }; 3]));
        let apart = |p: &[f32; 3]| p.iter().fold(0.0_f32, |m, v| m.max((v - p[1]).abs()));
        assert!(flat.iter().all(|pixel| apart(pixel) < 0.004), "an even edge has no colour");
    }

    /// Along a thin slanting line of grey in front of blue, green goes on as it is.
    #[test]
    fn a_thin_line_is_not_dotted() {
        let size = (90, 90);
        let line = |x: usize, y: usize| (-((x as f32 - 0.6 * y as f32 - 15.0) / 0.9).powi(2)).exp();
        let (sky, stem) = ([0.06, 0.25, 0.62], [0.45, 0.36, 0.25]);
        let raw = seen("RGGB", size, 0, |x, y| [0, 1, 2].map(|c| sky[c] + line(x, y) * (stem[c] - sky[c])));
        let made = colours(&raw);
        let off = (12..78).map(|y| {
            let x = (0.6 * y as f32 + 15.0).round() as usize;
            let due = sky[1] + line(x, y) * (stem[1] - sky[1]);
            (encode(made[y * size.0 + x][1]) - encode(due)).abs() * 255.0
        });
        let worst = off.fold(0.0, f32::max);
        // 57 levels where green is not held to its neighbours.
        assert!(worst < 26.0, "green is off by {worst} levels");
    }

    /// Points of light as wide as a lens makes them, in rows of orange and of blue, before a dark ground.
    fn stars(x: usize, y: usize) -> [f32; 3] {
        const APART: usize = 24;
        let (row, column) = (y / APART, x / APART);
        let away = |at: usize, n: usize, k: usize| (at % APART) as f32 - 11.0 - ((n * k) % 10) as f32 / 10.0;
        let squared = away(x, column, 3).powi(2) + away(y, row + column, 7).powi(2);
        let light = 0.6 * (-squared / (2.0 * 0.95_f32.powi(2))).exp();
        let colour = if row % 2 == 0 { [1.0, 0.62, 0.3] } else { [0.5, 0.7, 1.0] };
        [0, 1, 2].map(|c| 0.003 + light * colour[c])
    }

    /// How much of the light of all orange and of all blue points is red, and how much blue.
    fn shares(made: &[[f32; 3]], width: usize) -> [[f32; 2]; 2] {
        [0, 1].map(|parity| {
            let rows = made.chunks(width).enumerate().filter(|(y, _)| (y / 24) % 2 == parity);
            let pixels: Vec<[f32; 3]> = rows.flat_map(|(_, row)| row).copied().collect();
            let [red, green, blue] = [0, 1, 2].map(|c| pixels.iter().map(|pixel| pixel[c] - 0.003).sum::<f32>());
            [red / (red + green + blue), blue / (red + green + blue)]
        })
    }

    #[rstest]
    #[case("RGGB")]
    #[case("GBRG")]
    fn points_of_light_keep_their_colour(#[case] pattern: &str) {
        let size = (192, 192);
        let made = shares(&colours(&seen(pattern, size, 0, stars)), size.0);
        let truth: Vec<[f32; 3]> = (0..size.0 * size.1).map(|i| stars(i % size.0, i / size.0)).collect();
        let due = shares(&truth, size.0);
        for (made, due) in made.as_flattened().iter().zip(due.as_flattened()) {
            assert!((made - due).abs() < 0.02, "{made}, due {due}");
        }
    }

    #[test]
    fn light_beyond_white_is_not_cut() {
        let made = colours(&seen("RGGB", (40, 40), 0, |_, _| [1.7, 0.9, 1.2]));
        assert!(made.iter().all(|p| (p[0] - 1.7).abs() < 0.01 && (p[2] - 1.2).abs() < 0.01), "{:?}", made[820]);
    }

    #[test]
    fn an_area_that_leaves_its_pixels_is_refused() {
        let mut raw = seen("RGGB", (40, 40), 0, scene);
        raw.active_area = Some(Rect::new(Point::new(20, 0), Dim2::new(40, 40)));
        assert!(matches!(demosaiced(&raw), Err(CodecError::Damaged(_))));
    }
}
