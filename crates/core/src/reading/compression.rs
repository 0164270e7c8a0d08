//! Compression: the quality of a JPEG file, and the grid that a former JPEG left in the pixels.

use dettaglio_domain::reading::FormerJpeg;

use crate::codec::jpeg_segments::ZIGZAG;

/// The luminance table of ITU-T T.81 Annex K, row by row: quality 50.
const LUMINANCE: [u16; 64] = [
    16, 11, 10, 16, 24, 40, 51, 61, 12, 12, 14, 19, 26, 58, 60, 55, 14, 13, 16, 24, 40, 57, 69, 56, 14, 17, 22, 29, 51,
    87, 80, 62, 18, 22, 37, 56, 68, 109, 103, 77, 24, 35, 55, 64, 81, 104, 113, 92, 49, 64, 78, 87, 103, 121, 120, 101,
    72, 92, 95, 98, 112, 100, 103, 99,
];

/// One entry of the table at a quality, as the Independent JPEG Group scales it.
fn scaled(entry: u16, quality: u32) -> f32 {
    let scale = if quality < 50 { 5000 / quality } else { 200 - 2 * quality };
    ((u32::from(entry) * scale + 50) / 100).clamp(1, 255) as f32
}

/// The quality, 1 to 100, whose table differs least from this luminance table, by the mean logarithm of the ratio.
pub(crate) fn quality_of_table(table: &[f32; 64]) -> f32 {
    let distance = |quality: u32| -> f32 {
        let each = LUMINANCE.iter().zip(table).map(|(e, t)| (scaled(*e, quality) / t.max(1.0)).ln().abs());
        each.sum()
    };
    (1..=100).min_by(|a, b| distance(*a).total_cmp(&distance(*b))).unwrap_or(100) as f32
}

/// The grid that a former JPEG left, and its quality; nothing when there is none to be seen.
pub fn former_jpeg(luminance: &[f32], width: usize) -> Option<FormerJpeg> {
    let height = luminance.len() / width;
    if width < 64 || height < 64 {
        return None;
    }
    let x = grid_phase(width, |x| roughness((0..height).map(|y| y * width + x), 1, luminance))?;
    let y = grid_phase(height, |y| roughness((0..width).map(|x| y * width + x), width, luminance))?;
    let quality = quality_of_pixels(luminance, width, x, y)?;
    Some(FormerJpeg { quality, x: x as u8, y: y as u8 })
}

/// The mean jump across a line between two columns (or rows), where the picture is calm on both sides of it: there
/// it should not jump at all.
fn roughness(places: impl Iterator<Item = usize>, stride: usize, plane: &[f32]) -> (f64, usize) {
    const CALM: f32 = 0.02;
    let (mut sum, mut count) = (0.0, 0);
    for at in places {
        let before = plane[at - stride] - plane[at - 2 * stride];
        let after = plane[at + stride] - plane[at];
        let jump = plane[at] - plane[at - stride] - (before + after) / 2.0;
        if before.abs() + after.abs() < CALM {
            sum += f64::from(jump.abs().min(0.08));
            count += 1;
        }
    }
    (sum, count)
}

/// The phase, 0 to 7, at which lines stand out from their neighbours; nothing when none does.
fn grid_phase(side: usize, line: impl Fn(usize) -> (f64, usize)) -> Option<usize> {
    /// A grid's lines are rougher than the others by at least this.
    const STANDS_OUT: f64 = 1.12;
    let mut sums = [(0.0, 0_usize); 8];
    for at in 2..side - 2 {
        let (sum, count) = line(at);
        sums[at % 8] = (sums[at % 8].0 + sum, sums[at % 8].1 + count);
    }
    let means = sums.map(|(sum, count)| sum / count.max(1) as f64);
    let best = (0..8).max_by(|a, b| means[*a].total_cmp(&means[*b]))?;
    let mut others: Vec<f64> = (0..8).filter(|i| *i != best).map(|i| means[i]).collect();
    others.sort_by(f64::total_cmp);
    // The runner-up must be one of the crowd: texture can favour one phase a little, but then others as well.
    let (middle, runner_up) = (others[3], others[6]);
    (means[best] > STANDS_OUT * middle && means[best] - middle > 2.5 * (runner_up - middle)).then_some(best)
}

/// The quality at which block coefficients fall on multiples of the table's entries.
///
/// Each candidate is scored by the mean of cos(2 pi c / q) over coefficients that are not zero (Fan and de Queiroz
/// 2003 look for the same comb). Multiples of a coarse step are multiples of a finer one too, so the coarsest table
/// among the good ones is taken.
fn quality_of_pixels(luminance: &[f32], width: usize, left: usize, top: usize) -> Option<f32> {
    const MOST_BLOCKS: usize = 1500;
    const LOWEST: u32 = 8;
    let height = luminance.len() / width;
    let (columns, rows) = ((width - left) / 8, (height - top) / 8);
    let stride = (columns * rows).div_ceil(MOST_BLOCKS);
    let cosines = cosine_table();
    let blocks: Vec<[f32; 64]> = (0..columns * rows)
        .step_by(stride)
        .map(|i| {
            let at = (top + i / columns * 8) * width + left + i % columns * 8;
            transform(luminance, at, width, &cosines)
        })
        .collect();
    let score = |quality: u32| -> f64 {
        let (mut sum, mut count) = (0.0, 0.0);
        for place in &ZIGZAG[1..16] {
            let step = scaled(LUMINANCE[*place], quality);
            if step < 2.0 {
                continue;
            }
            for block in &blocks {
                let ratio = block[*place] / step;
                if ratio.abs() > 0.5 {
                    sum += f64::from((std::f32::consts::TAU * ratio).cos());
                    count += 1.0;
                }
            }
        }
        if count < 200.0 { 0.0 } else { sum / count }
    };
    let scores: Vec<(u32, f64)> = (LOWEST..=95).map(|quality| (quality, score(quality))).collect();
    let best = scores.iter().map(|(_, s)| *s).fold(0.0, f64::max);
    if best < 0.25 {
        return None;
    }
    // Of a run of neighbouring good ones, the best; of several runs, the coarsest.
    let first = scores.iter().position(|(_, s)| *s > 0.75 * best)?;
    let run = scores[first..].iter().take_while(|(_, s)| *s > 0.6 * best);
    run.max_by(|a, b| a.1.total_cmp(&b.1)).map(|(quality, _)| *quality as f32)
}

fn cosine_table() -> [[f32; 8]; 8] {
    let mut table = [[0.0; 8]; 8];
    for (u, row) in table.iter_mut().enumerate() {
        let norm = if u == 0 { (1.0_f32 / 8.0).sqrt() } else { 0.5 };
        for (x, value) in row.iter_mut().enumerate() {
            *value = norm * ((2 * x + 1) as f32 * u as f32 * std::f32::consts::PI / 16.0).cos();
        }
    }
    table
}

/// The discrete cosine transform of the 8 x 8 pixels at a place, in 8-bit levels (T.81 A.3.3).
fn transform(plane: &[f32], at: usize, width: usize, cosines: &[[f32; 8]; 8]) -> [f32; 64] {
    let mut across = [[0.0_f32; 8]; 8];
    for (y, out) in across.iter_mut().enumerate() {
        let row = &plane[at + y * width..at + y * width + 8];
        for (u, value) in out.iter_mut().enumerate() {
            *value = row.iter().zip(&cosines[u]).map(|(v, c)| v * 255.0 * c).sum();
        }
    }
    let mut out = [0.0; 64];
    for v in 0..8 {
        for u in 0..8 {
            out[v * 8 + u] = (0..8).map(|y| across[y][u] * cosines[v][y]).sum();
        }
    }
    out
}
