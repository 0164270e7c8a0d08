//! What cleaners leave of a night sky: points of light in their colours, thin wires, the dark around them.
//!
//! PSNR hardly notices a star: it is a handful of pixels. An eye notices little else.

use std::fmt::Write as _;

use dettaglio_core::clean::conditioning_map;
use dettaglio_core::model::{Model, Shelf};
use dettaglio_core::picture::Planes;
use dettaglio_core::reading::noise;
use dettaglio_core::render::{Renderer, Unhurried};
use dettaglio_domain::clean::{Clean, Conditioning, Noise};
use dettaglio_domain::geometry::Size;
use dettaglio_domain::kernel::Kernel;
use dettaglio_domain::model::{Card, LevelKind, ModelRef};
use dettaglio_domain::treatment::Treatment;

use super::clamped;
use super::damage::{self, Demosaicing, Outcome};

const SKY: Size = Size::new(640, 480);
const GROUND: [f32; 3] = [0.10, 0.11, 0.14];
/// Of the noise, in 8-bit levels.
const SIGMA: f32 = 12.0;

struct Star {
    x: f32,
    y: f32,
    colour: [f32; 3],
}

struct Wire {
    y: f32,
    slope: f32,
}

/// Stars on a jittered grid, from blue over white to red and from faint to bright, and wires between their rows.
fn scene() -> (Planes, Vec<Star>, Vec<Wire>) {
    let mut stars = Vec::new();
    for i in 0..96_u32 {
        let jitter = |salt: u32| ((i * 2_654_435_761).wrapping_mul(salt) >> 20) as f32 / 4096.0;
        let (x, y) =
            (20.0 + (i % 12) as f32 * 52.0 + 20.0 * jitter(3), 20.0 + (i / 12) as f32 * 58.0 + 14.0 * jitter(7));
        let warmth = jitter(11) * 2.0 - 1.0;
        let peak = 0.2 + 0.6 * jitter(13);
        let colour = [1.0 - 0.5 * (-warmth).max(0.0), 1.0 - 0.3 * warmth.abs(), 1.0 - 0.7 * warmth.max(0.0)];
        stars.push(Star { x, y, colour: colour.map(|c| c * peak) });
    }
    let wires = [(56.0, 0.01), (172.0, -0.02), (288.0, 0.015), (404.0, -0.01)];
    let wires: Vec<Wire> = wires.into_iter().map(|(y, slope)| Wire { y, slope }).collect();
    let mut sky = Planes::black(SKY);
    for (channel, ground) in GROUND.into_iter().enumerate() {
        for y in 0..SKY.height {
            let line = sky.row_mut(channel, y);
            for (x, value) in line.iter_mut().enumerate() {
                *value = ground * (1.0 + 0.4 * y as f32 / SKY.height as f32);
                for wire in &wires {
                    let away = y as f32 - wire.at(x as f32);
                    *value += 0.12 * (-away * away / (2.0 * 0.5 * 0.5)).exp();
                }
            }
            for star in &stars {
                let down = y as f32 - star.y;
                if down.abs() < 6.0 {
                    let first = (star.x - 6.0) as usize;
                    for (x, value) in line.iter_mut().enumerate().skip(first).take(13) {
                        let across = x as f32 - star.x;
                        *value += star.colour[channel] * (-(down * down + across * across) / (2.0 * 0.7 * 0.7)).exp();
                    }
                }
            }
        }
    }
    (clamped(sky), stars, wires)
}

impl Wire {
    fn at(&self, x: f32) -> f32 {
        self.y + self.slope * x
    }
}

/// What is left of a sky.
struct Left {
    /// Light of the stars over the truth's.
    stars: f64,
    /// How far the stars' colours lie off, over the noisy picture's.
    colour: f64,
    /// The darkest ring around a star below its sky, in 8-bit levels.
    ring: f64,
    /// Contrast of the wires over the truth's.
    wires: f64,
    /// Standard deviation of what is left of the noise in empty sky, in 8-bit levels.
    sky: f64,
}

/// Sum and mean over a ring around a place.
fn ring(planes: &Planes, channel: usize, (x, y): (f32, f32), within: std::ops::Range<f32>) -> (f64, f64) {
    let (mut sum, mut count) = (0.0, 0.0);
    let reach = within.end.ceil() as i64;
    for dy in -reach..=reach {
        for dx in -reach..=reach {
            let (px, py) = (x.round() as i64 + dx, y.round() as i64 + dy);
            if within.contains(&(px as f32 - x).hypot(py as f32 - y)) {
                sum += f64::from(planes.row(channel, py as u32)[px as usize]);
                count += 1.0;
            }
        }
    }
    (sum, sum / f64::max(count, 1.0))
}

/// A star's light in one colour, over its sky.
fn flux(planes: &Planes, channel: usize, star: &Star) -> f64 {
    let (light, mean) = ring(planes, channel, (star.x, star.y), 0.0..3.0);
    let (_, sky) = ring(planes, channel, (star.x, star.y), 7.0..10.0);
    light - light / mean.max(1e-9) * sky
}

fn look(seen: &Planes, truth: &Planes, noisy: &Planes, stars: &[Star], wires: &[Wire]) -> Left {
    let inside =
        |s: &&Star| (12.0..SKY.width as f32 - 12.0).contains(&s.x) && (12.0..SKY.height as f32 - 12.0).contains(&s.y);
    let clear = |s: &&Star| wires.iter().all(|w| (w.at(s.x) - s.y).abs() > 12.0);
    let stars: Vec<&Star> = stars.iter().filter(inside).filter(clear).collect();
    let total = |planes: &Planes| stars.iter().map(|s| (0..3).map(|c| flux(planes, c, s)).sum::<f64>()).sum::<f64>();
    // Of each star, how its light is divided among the colours.
    let colour = |planes: &Planes, star: &Star| {
        let light = [0, 1, 2].map(|c| flux(planes, c, star).max(0.0));
        light.map(|l| l / light.iter().sum::<f64>().max(1e-9))
    };
    let off = |planes: &Planes| {
        let distance = |s: &&Star| {
            let (a, b) = (colour(planes, s), colour(truth, s));
            a.iter().zip(b).map(|(a, b)| (a - b).powi(2)).sum::<f64>().sqrt()
        };
        stars.iter().map(distance).sum::<f64>() / stars.len() as f64
    };
    let below = |s: &&Star| {
        let steps = (2..6).map(|r| r as f32);
        let dip = |planes: &Planes, r: f32| {
            let grey = |within: std::ops::Range<f32>| {
                (0..3).map(|c| ring(planes, c, (s.x, s.y), within.clone()).1).sum::<f64>() / 3.0
            };
            grey(r..r + 1.2) - grey(7.0..10.0)
        };
        steps.map(|r| dip(seen, r) - dip(truth, r).min(0.0)).fold(f64::INFINITY, f64::min)
    };
    let contrast = |planes: &Planes| {
        let mut sum = 0.0;
        for wire in wires {
            for x in 20..SKY.width - 20 {
                // Not where a star's light falls on it.
                if stars.iter().any(|s| (s.x - x as f32).abs() < 8.0 && (s.y - wire.at(x as f32)).abs() < 16.0) {
                    continue;
                }
                let y = wire.at(x as f32).round() as u32;
                let grey = |y: u32| (0..3).map(|c| f64::from(planes.row(c, y)[x as usize])).sum::<f64>() / 3.0;
                sum += grey(y) - (grey(y - 5) + grey(y + 5)) / 2.0;
            }
        }
        sum
    };
    let mut dips: Vec<f64> = stars.iter().map(below).collect();
    dips.sort_by(f64::total_cmp);
    Left {
        stars: total(seen) / total(truth),
        colour: off(seen) / off(noisy).max(1e-9),
        // Of one star in ten, so that a chance dip of the noise that is left does not count.
        ring: 255.0 * dips[dips.len() / 10],
        wires: contrast(seen) / contrast(truth),
        sky: sky_noise(seen, truth, &stars, wires),
    }
}

fn sky_noise(seen: &Planes, truth: &Planes, stars: &[&Star], wires: &[Wire]) -> f64 {
    let (mut sum, mut count) = (0.0, 0_u32);
    for y in (14..SKY.height - 14).step_by(3) {
        for x in (14..SKY.width - 14).step_by(3) {
            let near = stars.iter().any(|s| (s.x - x as f32).hypot(s.y - y as f32) < 9.0);
            if near || wires.iter().any(|w| (w.at(x as f32) - y as f32).abs() < 7.0) {
                continue;
            }
            let off = |c: usize| f64::from(seen.row(c, y)[x as usize] - truth.row(c, y)[x as usize]);
            sum += (0..3).map(|c| off(c).powi(2)).sum::<f64>() / 3.0;
            count += 1;
        }
    }
    255.0 * (sum / f64::from(count.max(1))).sqrt()
}

#[allow(dead_code, reason = "each example uses a part of it")]
/// A table of what every cleaner of noise leaves, as the product would use it: told what its own reading finds.
pub fn table(models: &[(&Card, &Model)]) -> Outcome<String> {
    let (sky, stars, wires) = scene();
    let mut text = format!(
        "\n# A night sky\n\n{} stars from blue over white to red and four thin wires over dark sky, with a sensor's noise of sigma {SIGMA}, demosaiced \
         along edges. *Stars*: their light over the truth's. *Colour*: how far their colours lie off, over the noisy picture's. *Ring*: \
         how far the sky beside a star falls below its level, 8-bit levels, for one star in ten. *Wires*: their contrast over the \
         truth's. *Sky*: noise left, 8-bit levels.\n\n| | stars | colour | ring | wires | sky |\n|---|--:|--:|--:|--:|--:|\n",
        stars.len()
    );
    let (noisy, truth) = damage::sensor_by(&sky, SIGMA, Demosaicing::AlongEdges);
    let mut row = |name: &str, seen: &Planes| {
        let Left { stars, colour, ring, wires, sky } = look(seen, &truth, &noisy, &stars, &wires);
        println!(
            "night sky, {name}: stars {stars:.2}, colour {colour:.2}, ring {ring:+.1}, wires {wires:.2}, sky {sky:.2}"
        );
        writeln!(text, "| {name} | {stars:.2} | {colour:.2} | {ring:+.1} | {wires:.2} | {sky:.2} |")
    };
    row("as it is", &noisy)?;
    let level = Conditioning::Noise(noise::read(&noise::blocks(&damage::as_original(&noisy), 40_000)).level);
    for (card, model) in models.iter().filter(|(card, _)| card.level() == Some(LevelKind::Noise)) {
        let cleaned = clamped(model.network()?.run(&noisy, Some(&conditioning_map(level, &noisy)))?);
        row(&card.title(), &cleaned)?;
    }
    Ok(text)
}

/// What is left of the sky after what is suggested for it, at its own size: the render path with what is blended back.
#[allow(dead_code, reason = "each example uses a part of it")]
pub fn as_suggested(shelf: &Shelf) -> Outcome<String> {
    let (sky, stars, wires) = scene();
    let (noisy, truth) = damage::sensor_by(&sky, SIGMA, Demosaicing::AlongEdges);
    let original = damage::as_original(&noisy);
    let level = noise::read(&noise::blocks(&original, 40_000)).level;
    let mut text = String::from("\n| | stars | colour | ring | wires | sky |\n|---|--:|--:|--:|--:|--:|\n");
    let renderer = Renderer::new(shelf.clone(), 64 << 20);
    for card in shelf.cleaners(LevelKind::Noise) {
        for keep_lines in [0.0, 1.0] {
            let model = ModelRef::of(card);
            let noise = Noise { model, level, grain: 0.9, speckle: 1.0, keep_texture: 0.1, keep_lines };
            let clean = Clean { noise: Some(noise), ..Clean::default() };
            let treatment = Treatment { clean, ..Treatment::plain(Kernel::Lanczos3, SKY) };
            let seen = renderer.render(&original, &treatment, SKY.whole().seen_as(), &Unhurried)?;
            let Left { stars, colour, ring, wires, sky } = look(&seen, &truth, &noisy, &stars, &wires);
            let name = format!(
                "{}, lines {}",
                card.title(),
                if keep_lines > 0.0 { "kept" } else { "as the cleaner leaves them" }
            );
            println!("{name}: stars {stars:.2}, colour {colour:.2}, ring {ring:+.1}, wires {wires:.2}, sky {sky:.2}");
            writeln!(text, "| {name} | {stars:.2} | {colour:.2} | {ring:+.1} | {wires:.2} | {sky:.2} |")?;
        }
    }
    Ok(text)
}
