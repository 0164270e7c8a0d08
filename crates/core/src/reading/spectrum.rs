//! Spectrum: how far up the picture's detail really goes, and whether it was enlarged before.

use dettaglio_domain::geometry::Size;
use dettaglio_domain::reading::{Detail, Spectrum};
use dettaglio_fourier::{Complex32, Square};

/// Side of a patch.
const PATCH: usize = 64;

/// Patches that are looked at.
const PATCHES: usize = 64;

/// Radial bins from zero to Nyquist.
const BINS: usize = 32;

/// Detail counts down to this share of what a sharp picture would have: a tenth in amplitude, the limit at which
/// the resolution of lenses is stated.
const LIMIT: f32 = 0.01;

/// Detail counts when it exceeds the noise by this.
const ABOVE_NOISE: f32 = 2.0;

/// See [`cliff`].
const CLIFF_TOP: f32 = 0.6;

/// See [`cliff`].
const CLIFF_FOOT: f32 = 0.1;

/// A Gaussian blur needs 2.1 times the frequency for this fall; interpolation 1.3 to 1.5.
const STEEP: f32 = 1.6;

/// Reads a luminance plane; `noise` is its sigma in [0, 1], and `blocks` says that it went through JPEG.
pub fn read(luminance: &[f32], width: usize, noise: f32, blocks: bool) -> Detail {
    let size = Size::new(width as u32, (luminance.len() / width) as u32);
    let unknown = Edge { usable: 1.0, cliff: false, spectrum: None };
    let Edge { usable, cliff, spectrum } = edge(luminance, width, noise).unwrap_or(unknown);
    let enlarged = enlarged(luminance, width, usable, blocks);
    let usable = enlarged.map_or(usable, |factor| usable.min(1.0 / factor));
    let side = |px: u32| ((px as f32 * usable).round() as u32).max(1);
    Detail { usable, size: Size::new(side(size.width), side(size.height)), enlarged, ends_abruptly: cliff, spectrum }
}

/// Where the spectrum ends.
struct Edge {
    /// The share of it that holds detail.
    usable: f32,
    /// Whether it ends as steeply as interpolation makes it.
    cliff: bool,
    /// What that is told from.
    spectrum: Option<Spectrum>,
}

/// Finds the end of the spectrum; nothing when the picture is too small or too flat to tell.
fn edge(luminance: &[f32], width: usize, noise: f32) -> Option<Edge> {
    let power = radial_power(luminance, width)?;
    // White noise and rounding to 8 bits, after the window.
    let measured = noise * noise + 1.0 / 12.0 / (255.0 * 255.0);
    // A spectrum that ends in a plateau has met its noise, which in lively places can exceed that of calm ones.
    let mean_of = |bins: std::ops::Range<usize>| power[bins.clone()].iter().sum::<f32>() / bins.len() as f32;
    let plateau = if mean_of(19..24) < 1.35 * mean_of(27..32) { mean_of(27..32) } else { 0.0 };
    let floor = measured.max(plateau) * ABOVE_NOISE;
    let centre = |bin: usize| (bin as f32 + 0.5) / BINS as f32;
    // Pictures of the world fall off as a power of the frequency (Field 1987): fitted where blur spares them.
    let fitted: Vec<(f32, f32)> = (2..9).map(|bin| (centre(bin).ln(), (power[bin] - floor).max(1e-12).ln())).collect();
    let count = fitted.len() as f32;
    let mean = |of: fn(&(f32, f32)) -> f32| fitted.iter().map(of).sum::<f32>() / count;
    let (mx, my) = (mean(|p| p.0), mean(|p| p.1));
    let slope = fitted.iter().map(|p| (p.0 - mx) * (p.1 - my)).sum::<f32>()
        / fitted.iter().map(|p| (p.0 - mx).powi(2)).sum::<f32>();
    let slope = slope.clamp(-3.2, -1.6);
    let sharp = |bin: usize| (my + slope * (centre(bin).ln() - mx)).exp();
    let holds = |bin: usize| power[bin] > floor && power[bin] - floor > LIMIT * sharp(bin);
    let last = (4..BINS).take_while(|bin| holds(*bin)).last();
    let usable = last.map_or(centre(4), |bin| (bin + 1) as f32 / BINS as f32);
    // Beyond a cliff there are only the mirror images that interpolation leaves.
    let foot = cliff(&std::array::from_fn(|bin| power[bin] / sharp(bin)));
    let decibels = |power: f32| 10.0 * power.max(1e-12).log10();
    let spectrum = Spectrum {
        picture: power.iter().map(|power| decibels(*power)).collect(),
        sharp: (0..BINS).map(|bin| decibels(sharp(bin))).collect(),
        noise: decibels(floor / ABOVE_NOISE),
    };
    let usable = foot.map_or(usable, |foot| usable.min(foot));
    Some(Edge { usable, cliff: foot.is_some(), spectrum: Some(spectrum) })
}

/// Where a spectrum, as shares of a sharp one, has fallen to [`CLIFF_FOOT`], if it falls there from [`CLIFF_TOP`] as
/// steeply as interpolation makes it.
fn cliff(shares: &[f32; BINS]) -> Option<f32> {
    let crossing = |level: f32| {
        let bin = (5..BINS).find(|bin| shares[*bin] < level)?;
        let (before, after) = (shares[bin - 1].max(level), shares[bin]);
        Some((bin as f32 - 0.5 + (before - level) / (before - after).max(1e-9)) / BINS as f32)
    };
    let (top, foot) = (crossing(CLIFF_TOP)?, crossing(CLIFF_FOOT)?);
    let stays_down = shares[(foot * BINS as f32) as usize..].iter().all(|share| *share < 1.5 * CLIFF_FOOT);
    (stays_down && foot < 0.85 && foot / top < STEEP).then_some(foot)
}

/// Mean power of the liveliest patches by distance from zero frequency, per pixel, full scale being 1.
fn radial_power(luminance: &[f32], width: usize) -> Option<[f32; BINS]> {
    let height = luminance.len() / width;
    if width < PATCH || height < PATCH {
        return None;
    }
    let step = PATCH / 2;
    let places =
        (0..=height - PATCH).step_by(step).flat_map(|y| (0..=width - PATCH).step_by(step).map(move |x| (x, y)));
    let mut lively: Vec<(f32, usize, usize)> = places
        .map(|(x, y)| {
            let sum: f32 = (0..PATCH)
                .step_by(4)
                .map(|row| {
                    let line = &luminance[(y + row) * width + x..][..PATCH];
                    line.windows(2).map(|w| (w[1] - w[0]).powi(2)).sum::<f32>()
                })
                .sum();
            (sum, x, y)
        })
        .collect();
    lively.sort_by(|a, b| b.0.total_cmp(&a.0));
    // The liveliest of all may be a screen pattern or lettering: the best eighth, evenly.
    let pool = (lively.len() / 8).max(PATCHES.min(lively.len()));
    let chosen: Vec<_> = lively[..pool].iter().step_by((pool / PATCHES).max(1)).take(PATCHES).collect();

    let square = Square::new(PATCH);
    let window: Vec<f32> =
        (0..PATCH).map(|i| 0.5 - 0.5 * (std::f32::consts::TAU * (i as f32 + 0.5) / PATCH as f32).cos()).collect();
    let window_power: f32 = window.iter().map(|w| w * w).sum::<f32>().powi(2);
    let (mut sums, mut counts) = ([0.0_f32; BINS], [0.0_f32; BINS]);
    for &&(_, x, y) in &chosen {
        let patch: Vec<&[f32]> = (0..PATCH).map(|row| &luminance[(y + row) * width + x..][..PATCH]).collect();
        let mean = patch.iter().flat_map(|row| row.iter()).sum::<f32>() / (PATCH * PATCH) as f32;
        let mut grid: Vec<Complex32> = patch
            .iter()
            .enumerate()
            .flat_map(|(j, row)| {
                let window = &window;
                row.iter().enumerate().map(move |(i, v)| Complex32::new((v - mean) * window[i] * window[j], 0.0))
            })
            .collect();
        square.forward(&mut grid);
        for (i, value) in grid.iter().enumerate() {
            let away = |k: usize| k.min(PATCH - k) as f32 / (PATCH / 2) as f32;
            let bin = (away(i % PATCH).hypot(away(i / PATCH)) * BINS as f32) as usize;
            if bin < BINS {
                sums[bin] += value.norm_sqr() / window_power;
                counts[bin] += 1.0;
            }
        }
    }
    let power: [f32; BINS] = std::array::from_fn(|i| sums[i] / counts[i].max(1.0));
    (power[3] > 1e-7).then_some(power)
}

/// The factor by which the picture was enlarged before.
///
/// Interpolation leaves a period: the second difference is smallest on pixels that were in the smaller picture
/// (Gallagher 2005). The period is looked for along both axes, and believed where the spectrum is empty to match.
fn enlarged(luminance: &[f32], width: usize, usable: f32, blocks: bool) -> Option<f32> {
    if usable > 0.92 {
        return None;
    }
    let height = luminance.len() / width;
    let across =
        profile(width, (0..height).step_by((height / 400).max(1)).collect(), |x, y| y * width + x, 1, luminance);
    let down =
        profile(height, (0..width).step_by((width / 400).max(1)).collect(), |y, x| y * width + x, width, luminance);
    let (a, b) = (peak(&across, blocks)?, peak(&down, blocks)?);
    if (a - b).abs() > 0.01 {
        return None;
    }
    let frequency = (a + b) / 2.0;
    // A period between one and two pixels shows at the frequency's mirror image.
    [1.0 / frequency, 1.0 / (1.0 - frequency)]
        .into_iter()
        .filter(|factor| (1.15..=8.0).contains(factor))
        // Interpolation leaves a little above the old Nyquist frequency.
        .map(|factor| (factor, (factor * usable / 1.25).ln().abs()))
        .filter(|(_, misfit)| *misfit < 0.5)
        .min_by(|x, y| x.1.total_cmp(&y.1))
        .map(|(factor, _)| factor)
}

/// Mean absolute second difference at each place along an axis.
fn profile(
    side: usize,
    lines: Vec<usize>,
    at: impl Fn(usize, usize) -> usize,
    stride: usize,
    plane: &[f32],
) -> Vec<f32> {
    (1..side - 1)
        .map(|place| {
            let sum: f32 = lines
                .iter()
                .map(|line| {
                    let i = at(place, *line);
                    (plane[i - stride] - 2.0 * plane[i] + plane[i + stride]).abs().min(0.05)
                })
                .sum();
            sum / lines.len() as f32
        })
        .collect()
}

/// The lowest frequency, in cycles a pixel, at which a profile has a sharp peak.
///
/// A period of two pixels is left out: the colour mosaic of a sensor has it too.
fn peak(profile: &[f32], blocks: bool) -> Option<f32> {
    /// Over the median around it.
    const SHARP: f32 = 8.0;
    let count = profile.len();
    if count < 128 {
        return None;
    }
    let mean = profile.iter().sum::<f32>() / count as f32;
    let mut values: Vec<Complex32> = profile
        .iter()
        .enumerate()
        .map(|(i, v)| {
            let window = 0.5 - 0.5 * (std::f32::consts::TAU * (i as f32 + 0.5) / count as f32).cos();
            Complex32::new((v - mean) * window, 0.0)
        })
        .collect();
    dettaglio_fourier::line(&mut values);
    let half = count / 2;
    let size: Vec<f32> = values[..=half].iter().map(|v| v.norm()).collect();
    let start = count / 9;
    let mut found: Option<(f32, f32)> = None;
    for bin in start..=half {
        let (low, high) = (bin.saturating_sub(40).max(start / 2), (bin + 40).min(half));
        let mut around: Vec<f32> = size[low..=high].to_vec();
        let middle = around.len() / 2;
        let median = *around.select_nth_unstable_by(middle, f32::total_cmp).1;
        let frequency = bin as f32 / count as f32;
        // JPEG blocks repeat every eight pixels.
        let of_blocks = blocks && ((frequency * 8.0).round() / 8.0 - frequency).abs() < 1.5 / count as f32;
        let of_mosaic = frequency > 0.48;
        let sharpness = size[bin] / median.max(1e-12);
        // Of a peak and its harmonics the lowest is the period; much sharper ones above it win all the same.
        if sharpness > SHARP && !of_blocks && !of_mosaic && found.is_none_or(|(_, best)| sharpness > 3.0 * best) {
            found = Some((frequency, sharpness));
        }
    }
    found.map(|(frequency, _)| frequency)
}
