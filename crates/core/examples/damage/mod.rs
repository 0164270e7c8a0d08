//! Damage of known size, for evaluations: noise, a sensor, JPEG, blur. The same on every run.
#![allow(dead_code, reason = "each example uses a part of it")]

use std::path::{Path, PathBuf};

use dettaglio_core::codec;
use dettaglio_core::colour::{encode, linearise};
use dettaglio_core::picture::{Original, Planes, Samples};
use dettaglio_domain::file::Channels;
use dettaglio_domain::geometry::Size;
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::limits::Limits;
use rayon::prelude::*;

pub type Outcome<T> = Result<T, Box<dyn std::error::Error>>;

pub struct Photo {
    pub name: String,
    pub planes: Planes,
}

/// The pictures of a folder, by name.
pub fn load(folder: &Path) -> Outcome<Vec<Photo>> {
    let mut paths: Vec<PathBuf> = std::fs::read_dir(folder)?.map(|e| e.map(|e| e.path())).collect::<Result<_, _>>()?;
    paths.retain(|path| path.is_file());
    paths.sort();
    let mut photos = Vec::new();
    for path in paths {
        let decoded = codec::read(&path, ContentHash::of_file(&path)?, &Limits::default())?;
        let name = path.file_stem().unwrap_or_default().to_string_lossy().into_owned();
        photos.push(Photo { name, planes: decoded.original.planes() });
    }
    if photos.is_empty() { Err("no photographs: fetch them first, see foundry/README.md".into()) } else { Ok(photos) }
}

/// Numbers with mean 0 and variance 1, close to normal, the same at every run.
pub fn normal(count: usize, seed: u64) -> Vec<f32> {
    let mut state = seed.wrapping_mul(0x9E37_79B9_7F4A_7C15) | 1;
    let mut uniform = || {
        state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (state >> 40) as f32 / (1_u64 << 24) as f32
    };
    (0..count).map(|_| (0..12).map(|_| uniform()).sum::<f32>() - 6.0).collect()
}

/// Rounded to 8 bits, as a file would be.
pub fn rounded(planes: &Planes) -> Planes {
    map(planes, |v| (v.clamp(0.0, 1.0) * 255.0).round() / 255.0)
}

pub fn map(planes: &Planes, change: impl Fn(f32) -> f32 + Sync) -> Planes {
    Planes::from_values(planes.size(), planes.values().par_iter().map(|v| change(*v)).collect())
}

/// White noise of `sigma` 8-bit levels, independent in the three colours.
pub fn white_noise(planes: &Planes, sigma: f32) -> Planes {
    let noise = normal(planes.values().len(), 5);
    let values = planes.values().iter().zip(noise).map(|(v, n)| v + n * sigma / 255.0);
    rounded(&Planes::from_values(planes.size(), values.collect()))
}

/// The picture as a sensor gives it, with noise of about `sigma` 8-bit levels and without any.
///
/// Poisson-Gaussian noise in light, an RGGB mosaic, bilinear demosaicing of colour differences, encoding.
pub fn sensor(planes: &Planes, sigma: f32) -> (Planes, Planes) {
    sensor_by(planes, sigma, Demosaicing::ColourDifference)
}

/// How the single colour that each pixel of a sensor saw becomes three.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Demosaicing {
    /// Green by the mean of its neighbours, red and blue by their differences to it.
    ColourDifference,
    /// Green along the direction in which it changes least (Hamilton and Adams 1997), red and blue likewise.
    AlongEdges,
}

/// As [`sensor`], demosaiced in a way of one's choice.
pub fn sensor_by(planes: &Planes, sigma: f32, how: Demosaicing) -> (Planes, Planes) {
    let light = map(planes, linearise);
    let noise = normal(light.values().len(), 7);
    let developed = |strength: f32| {
        let noisy =
            light.values().iter().zip(&noise).map(|(v, n)| (v + strength * n * (0.7 * v + 0.006).sqrt()).max(0.0));
        map(&demosaiced(&Planes::from_values(light.size(), noisy.collect()), how), |v| encode(v.clamp(0.0, 1.0)))
    };
    let clean = developed(0.0);
    let mut strength = 0.2 * sigma / 255.0;
    let mut noisy = clean.clone();
    for _ in 0..4 {
        noisy = developed(strength);
        strength *= sigma / difference(&noisy, &clean).max(1e-3);
    }
    (rounded(&noisy), rounded(&clean))
}

/// Root mean square difference in 8-bit levels.
pub fn difference(a: &Planes, b: &Planes) -> f32 {
    let sum: f64 = a.values().iter().zip(b.values()).map(|(a, b)| f64::from(a - b).powi(2)).sum();
    ((sum / a.values().len() as f64).sqrt() * 255.0) as f32
}

fn demosaiced(light: &Planes, how: Demosaicing) -> Planes {
    let Size { width, height } = light.size();
    let (w, h) = (width as usize, height as usize);
    let sees = |channel: usize, x: usize, y: usize| match (x % 2, y % 2) {
        (0, 0) => channel == 0,
        (1, 1) => channel == 2,
        _ => channel == 1,
    };
    // The mean of what the eight neighbours and the pixel itself saw, weighted as bilinear interpolation does.
    let spread = |value: &(dyn Fn(usize, usize) -> f32 + Sync), channel: usize| -> Vec<f32> {
        (0..w * h)
            .into_par_iter()
            .map(|i| {
                let (x, y) = (i % w, i / w);
                if sees(channel, x, y) {
                    return value(x, y);
                }
                let (mut sum, mut count) = (0.0, 0.0);
                for (dx, dy, weight) in [
                    (-1, 0, 2.0),
                    (1, 0, 2.0),
                    (0, -1, 2.0),
                    (0, 1, 2.0),
                    (-1, -1, 1.0),
                    (1, -1, 1.0),
                    (-1, 1, 1.0),
                    (1, 1, 1.0_f32),
                ] {
                    let (px, py) = (x as i64 + dx, y as i64 + dy);
                    let inside = (0..w as i64).contains(&px) && (0..h as i64).contains(&py);
                    if inside && sees(channel, px as usize, py as usize) && (channel != 1 || weight == 2.0) {
                        sum += weight * value(px as usize, py as usize);
                        count += weight;
                    }
                }
                sum / count.max(1.0)
            })
            .collect()
    };
    let at = |channel: usize, x: usize, y: usize| light.plane(channel)[y * w + x];
    let green = match how {
        Demosaicing::ColourDifference => spread(&|x, y| at(1, x, y), 1),
        Demosaicing::AlongEdges => along_edges(light, &sees),
    };
    let mut values = Vec::with_capacity(3 * w * h);
    for channel in 0..3 {
        if channel == 1 {
            values.extend(&green);
        } else {
            let apart = spread(&|x, y| at(channel, x, y) - green[y * w + x], channel);
            values.extend(apart.iter().zip(&green).map(|(d, g)| d + g));
        }
    }
    Planes::from_values(light.size(), values)
}

/// The green of every pixel: what was seen, or between its neighbours across or down, corrected by how the pixel's own colour bends there.
fn along_edges(light: &Planes, sees: &(dyn Fn(usize, usize, usize) -> bool + Sync)) -> Vec<f32> {
    let Size { width, height } = light.size();
    let (w, h) = (width as i64, height as i64);
    // What the sensor holds, reflected at the edges.
    let seen = |x: i64, y: i64| {
        let inside = |place: i64, end: i64| {
            if place < 0 {
                -place
            } else if place >= end {
                2 * end - 2 - place
            } else {
                place
            }
        };
        let (x, y) = (inside(x, w) as usize, inside(y, h) as usize);
        let channel = (0..3).find(|c| sees(*c, x, y)).expect("each pixel sees one colour");
        light.plane(channel)[y * width as usize + x]
    };
    let of = |i: usize| {
        let (x, y) = ((i as u32 % width) as i64, (i as u32 / width) as i64);
        if sees(1, x as usize, y as usize) {
            return seen(x, y);
        }
        let along = |dx: i64, dy: i64| {
            let (before, after) = (seen(x - dx, y - dy), seen(x + dx, y + dy));
            let bend = 2.0 * seen(x, y) - seen(x - 2 * dx, y - 2 * dy) - seen(x + 2 * dx, y + 2 * dy);
            ((before + after) / 2.0 + bend / 4.0, (before - after).abs() + bend.abs())
        };
        let ((across, change), (down, other)) = (along(1, 0), along(0, 1));
        match change.total_cmp(&other) {
            std::cmp::Ordering::Less => across,
            std::cmp::Ordering::Greater => down,
            std::cmp::Ordering::Equal => (across + down) / 2.0,
        }
    };
    (0..(w * h) as usize).into_par_iter().map(of).collect()
}

/// A JPEG file of this quality.
pub fn jpeg_file(planes: &Planes, quality: u8) -> Outcome<Vec<u8>> {
    let size = planes.size();
    let mut bytes = Vec::new();
    let encoder = jpeg_encoder::Encoder::new(&mut bytes, quality);
    encoder.encode(&eight_bits(planes), size.width as u16, size.height as u16, jpeg_encoder::ColorType::Rgb)?;
    Ok(bytes)
}

/// Through a JPEG of this quality and back.
pub fn jpeg(planes: &Planes, quality: u8) -> Outcome<Planes> {
    let bytes = jpeg_file(planes, quality)?;
    let picture = image::load_from_memory(&bytes)?.into_rgb8();
    let samples = Samples::Eight(picture.into_raw());
    let original = Original::new(ContentHash::of(&bytes), planes.size(), Channels::Colour, samples, None);
    Ok(original.region(planes.size().whole().seen_as()))
}

fn eight_bits(planes: &Planes) -> Vec<u8> {
    let area = planes.size().area() as usize;
    (0..3 * area).map(|i| (planes.values()[i % 3 * area + i / 3].clamp(0.0, 1.0) * 255.0).round() as u8).collect()
}

/// As an 8-bit file without a history would hold it.
pub fn as_original(planes: &Planes) -> Original {
    let samples = eight_bits(planes);
    let hash = ContentHash::of_step(&ContentHash::of(&samples), &planes.size());
    Original::new(hash, planes.size(), Channels::Colour, Samples::Eight(samples), None)
}

/// Blurred by a Gaussian of `sigma` pixels.
pub fn blurred(planes: &Planes, sigma: f32) -> Planes {
    let reach = (3.0 * sigma).ceil() as i64;
    let kernel: Vec<f32> = (-reach..=reach).map(|i| (-(i * i) as f32 / (2.0 * sigma * sigma)).exp()).collect();
    let sum: f32 = kernel.iter().sum();
    let (w, h) = (planes.size().width as i64, planes.size().height as i64);
    let pass = |from: &[f32], dx: i64, dy: i64| -> Vec<f32> {
        (0..w * h)
            .into_par_iter()
            .map(|i| {
                let taps = kernel.iter().zip(-reach..=reach).map(|(k, t)| {
                    let (x, y) = ((i % w + t * dx).clamp(0, w - 1), (i / w + t * dy).clamp(0, h - 1));
                    k * from[(y * w + x) as usize]
                });
                taps.sum::<f32>() / sum
            })
            .collect()
    };
    let values = (0..3).flat_map(|channel| pass(&pass(planes.plane(channel), 1, 0), 0, 1)).collect();
    Planes::from_values(planes.size(), values)
}

/// Rounds of relaxation of the plain fill: more changed no figure.
const ROUNDS: usize = 400;

/// The picture with some pixels as the mean of their four neighbours, all of them at once.
pub fn laplace(picture: &Planes, open: &[bool]) -> Planes {
    let (width, height) = (picture.size().width as usize, picture.size().height as usize);
    let filled: Vec<Vec<f32>> = (0..3)
        .into_par_iter()
        .map(|channel| {
            let mut plane = picture.plane(channel).to_vec();
            let places: Vec<usize> = (0..plane.len()).filter(|i| open[*i]).collect();
            for _ in 0..ROUNDS {
                for i in &places {
                    let (x, y) = (i % width, i / width);
                    let row = |y: usize, x: usize| plane[y * width + x];
                    let (left, right) = (row(y, x.saturating_sub(1)), row(y, (x + 1).min(width - 1)));
                    let (above, below) = (row(y.saturating_sub(1), x), row((y + 1).min(height - 1), x));
                    plane[*i] = (left + right + above + below) / 4.0;
                }
            }
            plane
        })
        .collect();
    Planes::from_values(picture.size(), filled.concat())
}
