//! Which waves the dots of a halftone are made of.

use dettaglio_domain::geometry::Region;
use dettaglio_domain::halftone::{Halftone, Wave};
use dettaglio_fourier::{Complex32, Square, hann};
use rayon::prelude::*;

use crate::colour::{encode, linearise_fast};
use crate::picture::Original;
use crate::plane::median;

/// Side of a window in pixels; windows overlap by half.
const WINDOW: usize = 128;

/// Windows that are looked at at most, and at least.
const WINDOWS: (usize, usize) = (300, 4);

/// Tones of a window, encoded, 0 to 1, between which a print has dots: it is neither bare paper nor solid ink.
const DOTTED: std::ops::Range<f32> = 0.1..0.9;

/// Standard deviation of the noise that is added to what is compared, 1 being all light: dots that it would hide are not seen.
const HIDING: f32 = 1.0 / 255.0;

/// Bins next to a frequency that are its own, and how far around it the others are that it is compared with.
const OWN: isize = 3;
const AROUND: isize = 8;

/// Energy over that of the frequencies around, of all windows together, from which on a wave may be one of a screen's, and from which on it surely is.
const STANDS: f32 = 12.0;
const SURELY: f32 = 40.0;

/// The same within one window.
const STANDS_IN_WINDOW: f32 = 10.0;

/// The share of the windows that a wave must stand in: to count at all, and to tell that there is a screen.
const SOMEWHERE: f32 = 0.3;
const EVERYWHERE: f32 = 0.5;

/// How far two waves may be from being alike long, and square to each other (a cosine).
const ALIKE: f32 = 0.05;
const SQUARE: f32 = 0.08;

/// How far a wave may lie from a lattice, as a share of the way to the next of its points, and how many of its waves an overtone is made of at most: higher ones are faint.
const OFF_LATTICE: f32 = 0.06;
const OVERTONES: f32 = 3.5;

/// The cosine of the angle to the rows from which on a wave lies along them, as those of blocks and of pixels do: 2 degrees.
const ALONG: f32 = 0.9994;

/// A wave, how far it stands out, and in which share of the windows it does.
struct Peak {
    wave: Wave,
    over: f32,
    share: f32,
}

/// The waves of a halftone's screen, the strongest first; nothing where a picture is no halftone, or too small to tell (256 px).
pub fn find(original: &Original) -> Option<Vec<Wave>> {
    let windows = windows(original);
    if windows.len() < WINDOWS.1 {
        return None;
    }
    let mut peaks = peaks(&windows);
    peaks.retain(|peak| peak.share >= SOMEWHERE);
    peaks.sort_by(|a, b| b.over.total_cmp(&a.over));
    let sure: Vec<Wave> =
        peaks.iter().filter(|p| p.over >= SURELY && p.share >= EVERYWHERE).map(|peak| peak.wave).collect();
    let lattices = lattices(&sure);
    let first = lattices.first()?.0;
    // The picture may repeat by itself, as a wall of bricks does: what lies on no lattice of dots is its own.
    let others = peaks.iter().map(|peak| peak.wave).filter(|wave| *wave != first);
    let dots = others.filter(|wave| lattices.iter().any(|lattice| is_on(lattice, *wave)));
    Some(std::iter::once(first).chain(dots).take(Halftone::MOST_WAVES).collect())
}

/// The pairs of waves that the dots of an ink each make, the strongest first: what is an overtone of one is none itself.
fn lattices(sure: &[Wave]) -> Vec<(Wave, Wave)> {
    let mut found: Vec<(Wave, Wave)> = Vec::new();
    for (i, wave) in sure.iter().enumerate() {
        let partner = sure[i + 1..].iter().find(|other| is_screen(*wave, **other) && !has_halves(sure, *wave, **other));
        if let Some(other) = partner.filter(|_| !found.iter().any(|lattice| is_on(lattice, *wave))) {
            found.push((*wave, *other));
        }
    }
    found
}

/// Whether there are waves half way between two: then the two are overtones of blocks along the rows.
fn has_halves(sure: &[Wave], a: Wave, b: Wave) -> bool {
    let is_half = |wave: &Wave, sign: f32| {
        let (across, down) = ((a.across + sign * b.across) / 2.0, (a.down + sign * b.down) / 2.0);
        let off = |side: f32| (wave.across - side * across).hypot(wave.down - side * down);
        off(1.0).min(off(-1.0)) < OFF_LATTICE * a.frequency()
    };
    sure.iter().any(|wave| is_half(wave, 1.0) || is_half(wave, -1.0))
}

/// Whether a wave is one of a lattice's, or an overtone of them, also one that pixels show as a longer wave.
fn is_on((a, b): &(Wave, Wave), wave: Wave) -> bool {
    let area = a.across * b.down - a.down * b.across;
    let folded = [-1.0, 0.0, 1.0];
    folded.iter().flat_map(|x| folded.map(|y| (wave.across + x, wave.down + y))).any(|(across, down)| {
        let (n, m) = ((across * b.down - down * b.across) / area, (a.across * down - a.down * across) / area);
        let off = (n - n.round()).hypot(m - m.round());
        off < OFF_LATTICE && n.abs() + m.abs() < OVERTONES
    })
}

/// Whether two waves are those of a lattice of dots.
fn is_screen(a: Wave, b: Wave) -> bool {
    let (fa, fb) = (a.frequency(), b.frequency());
    let along = |wave: Wave| wave.across.abs().max(wave.down.abs()) / wave.frequency() > ALONG;
    let cosine = (a.across * b.across + a.down * b.down) / (fa * fb);
    (fa / fb - 1.0).abs() < ALIKE && cosine.abs() < SQUARE && !along(a) && !along(b)
}

/// Power of the three colours together, of windows all over the picture that show tones in which a print has dots.
fn windows(original: &Original) -> Vec<Vec<f32>> {
    let size = original.size();
    let starts = |side: u32| (0..(side as usize + 1).saturating_sub(WINDOW)).step_by(WINDOW / 2);
    let places: Vec<(usize, usize)> =
        starts(size.height).flat_map(|y| starts(size.width).map(move |x| (x, y))).collect();
    let step = places.len().div_ceil(WINDOWS.0).max(1);
    let places: Vec<(usize, usize)> = places.into_iter().step_by(step).collect();
    let (square, hann) = (Square::new(WINDOW), hann(WINDOW));
    let power = |(x, y): (usize, usize)| {
        let planes = original.region(Region::of(x as u32, y as u32, WINDOW as u32, WINDOW as u32));
        let mut power = vec![0.0_f32; WINDOW * WINDOW];
        let mut dotted = false;
        for channel in 0..3 {
            // In light, where they are taken out: of what dots come to there, overtones are found as well.
            let light: Vec<f32> = planes.plane(channel).iter().map(|v| linearise_fast(*v)).collect();
            let mean = light.iter().sum::<f32>() / light.len() as f32;
            if !DOTTED.contains(&encode(mean)) {
                continue;
            }
            dotted = true;
            let weighed = |(i, v): (usize, &f32)| Complex32::from((v - mean) * hann[i / WINDOW] * hann[i % WINDOW]);
            let mut cells: Vec<Complex32> = light.iter().enumerate().map(weighed).collect();
            square.forward(&mut cells);
            power.iter_mut().zip(&cells).for_each(|(sum, value)| *sum += value.norm_sqr());
        }
        dotted.then_some(power)
    };
    places.into_par_iter().filter_map(power).collect()
}

/// All waves that stand out of the mean power; of each and its mirror image, one.
fn peaks(windows: &[Vec<f32>]) -> Vec<Peak> {
    let hiding = 3.0 * HIDING.powi(2) * hann(WINDOW).iter().map(|w| w * w).sum::<f32>().powi(2);
    let mean: Vec<f32> = (0..WINDOW * WINDOW)
        .map(|i| windows.iter().map(|window| window[i]).sum::<f32>() / windows.len() as f32 + hiding)
        .collect();
    let half = (WINDOW / 2) as isize;
    let found = |(row, column): (isize, isize)| {
        let at = |dy: isize, dx: isize| mean[bin(row + dy, column + dx)];
        let (mid, side) = (at(0, 0), WINDOW as f32);
        let wave = Wave {
            across: (column as f32 + apex(at(0, -1), mid, at(0, 1))) / side,
            down: (row as f32 + apex(at(-1, 0), mid, at(1, 0))) / side,
        };
        let is_one_of_two = row > 0 || column > 0;
        let highest = near(1).all(|(dy, dx)| at(dy, dx) <= mid);
        if !is_one_of_two || wave.frequency() < Halftone::COARSEST || !highest {
            return None;
        }
        let over = mid / median_around(&mean, row, column);
        if over < STANDS {
            return None;
        }
        let stands = |window: &&Vec<f32>| {
            let most = near(1).map(|(dy, dx)| window[bin(row + dy, column + dx)]).fold(0.0, f32::max);
            most > STANDS_IN_WINDOW * (median_around(window, row, column) + hiding)
        };
        let wave = Wave { across: wave.across.clamp(-0.5, 0.5), down: wave.down.clamp(-0.5, 0.5) };
        Some(Peak { wave, over, share: windows.iter().filter(stands).count() as f32 / windows.len() as f32 })
    };
    let bins: Vec<(isize, isize)> =
        (0..=half).flat_map(|row| (1 - half..=half).map(move |column| (row, column))).collect();
    bins.into_par_iter().filter_map(found).collect()
}

/// Steps to the bins up to `reach` away.
fn near(reach: isize) -> impl Iterator<Item = (isize, isize)> {
    (-reach..=reach).flat_map(move |dy| (-reach..=reach).map(move |dx| (dy, dx)))
}

fn bin(row: isize, column: isize) -> usize {
    let wrapped = |i: isize| i.rem_euclid(WINDOW as isize) as usize;
    wrapped(row) * WINDOW + wrapped(column)
}

fn median_around(power: &[f32], row: isize, column: isize) -> f32 {
    let others = near(AROUND).filter(|(dy, dx)| dy.abs() > OWN || dx.abs() > OWN);
    let mut values: Vec<f32> = others.map(|(dy, dx)| power[bin(row + dy, column + dx)]).collect();
    median(&mut values).unwrap_or_default()
}

/// Where between three bins a peak is highest, -0.5 to 0.5 from the middle one: the apex of a parabola through their logarithms.
fn apex(before: f32, mid: f32, after: f32) -> f32 {
    let (before, mid, after) = (before.ln(), mid.ln(), after.ln());
    let bend = before - 2.0 * mid + after;
    if bend.abs() < 1e-9 { 0.0 } else { (0.5 * (before - after) / bend).clamp(-0.5, 0.5) }
}

#[cfg(test)]
mod tests {
    use dettaglio_domain::geometry::Size;
    use rstest::rstest;

    use super::*;
    use crate::picture::Planes;

    const SIZE: Size = Size::new(448, 384);

    /// Mid tone with a little noise, and what depends on channel and place.
    fn picture(size: Size, drawn: impl Fn(usize, f32, f32) -> f32) -> Original {
        let values = (0..3).flat_map(|channel: usize| {
            let drawn = &drawn;
            (0..size.area()).map(move |i| {
                let (x, y) = (i % u64::from(size.width), i / u64::from(size.width));
                let noise = (i.wrapping_mul(0x9E37_79B9_7F4A_7C15) >> 40) as f32 / (1 << 24) as f32 - 0.5;
                (0.5 + 0.02 * noise + drawn(channel, x as f32, y as f32)).clamp(0.0, 1.0)
            })
        });
        Original::from_planes(&Planes::from_values(size, values.collect()))
    }

    fn dots(period: f32, degrees: f32, x: f32, y: f32) -> f32 {
        let (sin, cos) = degrees.to_radians().sin_cos();
        let turns = |v: f32| (v * std::f32::consts::TAU / period).cos();
        0.1 * (turns(x * cos + y * sin) + turns(y * cos - x * sin))
    }

    #[test]
    fn the_screens_of_three_inks_are_found() {
        let angles = [15.0, 75.0, 45.0];
        let waves = find(&picture(SIZE, |channel, x, y| dots(4.0, angles[channel], x, y))).expect("a halftone");
        for angle in angles {
            let due = |wave: &&Wave| (wave.degrees() - angle).abs() < 1.0 && (wave.frequency() - 0.25).abs() < 0.005;
            assert_eq!(waves.iter().filter(due).count(), 2, "{angle}: {waves:?}");
        }
    }

    #[rstest]
    #[case::noise(&|_: f32, _: f32| 0.0)]
    #[case::cloth_in_one_place(&|x: f32, y: f32| if x < 220.0 && y < 190.0 { dots(4.0, 30.0, x, y) } else { 0.0 })]
    #[case::blocks_along_the_rows(&|x: f32, y: f32| dots(5.7, 0.0, x, y))]
    #[case::lines(&|x: f32, y: f32| 0.2 * ((x + y) * 1.3).sin())]
    fn what_is_no_halftone_has_no_dots(#[case] drawn: &dyn Fn(f32, f32) -> f32) {
        assert_eq!(find(&picture(SIZE, |_, x, y| drawn(x, y))), None);
    }

    #[test]
    fn a_wall_of_bricks_keeps_its_courses() {
        let courses = |y: f32| 0.15 * (y * 0.13 * std::f32::consts::TAU).sin();
        let waves = find(&picture(SIZE, |_, x, y| dots(4.0, 30.0, x, y) + courses(y))).expect("a halftone");
        assert!(waves.iter().all(|wave| wave.across.hypot(wave.down - 0.13) > 0.02), "{waves:?}");
    }

    #[test]
    fn too_small_to_tell() {
        assert_eq!(find(&picture(Size::new(150, 120), |_, x, y| dots(4.0, 30.0, x, y))), None);
    }
}
