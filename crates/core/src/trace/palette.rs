//! The plain colours that a picture is drawn in.

use dettaglio_domain::geometry::Size;
use dettaglio_domain::trace::{LEAST_COLOURS, MOST_COLOURS};
use rayon::prelude::*;

use super::error::TraceError;
use crate::picture::{Planes, luminance};

/// A colour, encoded sRGB, each 0 to 1.
pub type Colour = [f32; 3];

/// A pixel whose neighbours differ from it by no more, in encoded values, is plain.
const PLAIN: f32 = 0.035;

/// The least share of a picture that is plain in a drawing.
const LEAST_PLAIN: f32 = 0.3;

/// Colours nearer than this are one: distance in OKLab, of which black and white are 1 apart.
const APART: f32 = 0.055;

/// Colours of less than this share of what is plain are none of the drawing's.
const LEAST_SHARE: f32 = 0.0006;

/// Of what is plain in a drawing, at least this share is nearer than [`LIKE`] to one of its colours.
const LEAST_LIKE: f32 = 0.9;

/// As [`LEAST_PLAIN`], of a small picture as it came: of fifteen drawings kept as JPEG of quality 50, at least 0.51 was plain.
const LEAST_PLAIN_SMALL: f32 = 0.15;

/// As [`LEAST_LIKE`], of a small picture as it came: in those drawings that are traced at least 0.87, in most photographs less than this.
const LEAST_LIKE_SMALL: f32 = 0.7;

/// See [`LEAST_LIKE`]; distance in OKLab.
const LIKE: f32 = 0.025;

/// The colours of a drawing whose tracing is suggested at most.
const FEW: usize = 12;

/// Bits of each channel by which plain pixels are counted.
const BITS: u32 = 5;

/// A pixel is well within its colour where this much around it is of it, in small pixels.
const WELL_WITHIN: f64 = 0.75;

/// A colour of which so much lies well within is a colour of its own, in square small pixels.
const LEAST_CORE: f64 = 6.0;

/// Enlarging draws an edge out by this share of its height at most.
const BEYOND: f32 = 0.15;

/// A colour is explained by two others where it lies no further off the line between them; encoded, as [`weighed`].
pub const EXPLAINED: f32 = 0.06;

/// What a difference in colour counts beside one in brightness.
const COLOUR_COUNTS: f32 = 0.35;

/// The colours of a drawing, and which of its pixels are plain.
pub struct Palette {
    /// Those that cover most first.
    pub colours: Vec<Colour>,
    /// Whether each is wider somewhere than a fine line.
    pub wide: Vec<bool>,
    /// Row by row.
    pub plain: Vec<bool>,
}

/// A picture's plain pixels, counted by colour.
struct Counted {
    /// Which pixels are plain, row by row.
    plain: Vec<bool>,
    /// The share of them, 0 to 1.
    share: f32,
    /// Number and sum of the plain pixels of each shade, the commonest first.
    shades: Vec<(u32, [f64; 3])>,
}

impl Counted {
    /// Counts the pixels of a picture that was enlarged `scale` times.
    fn of(picture: &Planes, scale: f64) -> Self {
        let plain = plain(picture, scale);
        let share = plain.iter().filter(|is| **is).count() as f32 / plain.len().max(1) as f32;
        let mut shades = vec![(0_u32, [0.0_f64; 3]); 1 << (3 * BITS)];
        for (i, _) in plain.iter().enumerate().filter(|(_, is)| **is) {
            let colour = at(picture, i);
            let step = |v: f32| ((v.clamp(0.0, 1.0) * 255.0) as u32 >> (8 - BITS)) as usize;
            let shade = &mut shades[step(colour[0]) << (2 * BITS) | step(colour[1]) << BITS | step(colour[2])];
            shade.0 += 1;
            (0..3).for_each(|c| shade.1[c] += f64::from(colour[c]));
        }
        shades.retain(|(count, _)| *count > 0);
        shades.sort_by_key(|(count, _)| std::cmp::Reverse(*count));
        Self { plain, share, shades }
    }

    /// The colours that its shades belong to, those that cover most first.
    fn colours(&self) -> Vec<Colour> {
        // Each colour is the mean of what lies around its commonest shade.
        let mut found: Vec<(u32, [f64; 3], Colour)> = Vec::new();
        for shade in &self.shades {
            let colour = mean(shade);
            let near = found.iter_mut().find(|(_, _, seed)| distance(*seed, colour) < APART);
            match near {
                Some((count, sum, _)) => {
                    *count += shade.0;
                    (0..3).for_each(|c| sum[c] += shade.1[c]);
                }
                None => found.push((shade.0, shade.1, colour)),
            }
        }
        let all: u32 = found.iter().map(|(count, ..)| count).sum();
        found.retain(|(count, ..)| *count as f32 >= LEAST_SHARE * all as f32);
        found.sort_by_key(|(count, ..)| std::cmp::Reverse(*count));
        found.iter().map(|(count, sum, _)| mean(&(*count, *sum))).collect()
    }

    /// The share of what is plain that is like one of some colours, 0 to 1.
    fn like(&self, colours: &[Colour]) -> f32 {
        let off = |colour: Colour| colours.iter().map(|own| distance(*own, colour)).fold(f32::INFINITY, f32::min);
        let all: u32 = self.shades.iter().map(|(count, _)| count).sum();
        let like: u32 = self.shades.iter().filter(|shade| off(mean(shade)) < LIKE).map(|(count, _)| count).sum();
        like as f32 / all.max(1) as f32
    }
}

fn mean((count, sum): &(u32, [f64; 3])) -> Colour {
    sum.map(|v| (v / f64::from(*count)) as f32)
}

/// Refuses a picture, as small as it came, that no cleaning and enlarging would make a drawing of: by limits that no drawing comes near, so
/// that a photograph need not be enlarged to be told from one.
pub fn refuse_photograph(small: &Planes) -> Result<(), TraceError> {
    let counted = Counted::of(small, 1.0);
    let like = counted.like(&counted.colours());
    match counted.share {
        share if share < LEAST_PLAIN_SMALL => Err(TraceError::NotDrawn { plain: share }),
        _ if like < LEAST_LIKE_SMALL => Err(TraceError::NotDrawn { plain: like }),
        _ => Ok(()),
    }
}

/// The number of colours that a picture, as small as it came, is drawn in; nothing where it is no drawing in a few of them.
pub fn plain_colours(small: &Planes) -> Option<u32> {
    let counted = Counted::of(small, 1.0);
    let colours = counted.colours();
    let few = (LEAST_COLOURS..=FEW).contains(&colours.len());
    (counted.share >= LEAST_PLAIN && few && counted.like(&colours) >= LEAST_LIKE).then_some(colours.len() as u32)
}

/// Finds the colours of a drawing that was enlarged `scale` times.
pub fn find(picture: &Planes, scale: f64, most: usize) -> Result<Palette, TraceError> {
    let counted = Counted::of(picture, scale);
    let refused = |plain| Err(TraceError::NotDrawn { plain });
    if counted.share < LEAST_PLAIN {
        return refused(counted.share);
    }
    let colours = counted.colours();
    if colours.len() > MOST_COLOURS {
        return refused(counted.share);
    }
    let like = counted.like(&colours);
    // Tones that run into each other have no colour that most of them are like.
    if like < LEAST_LIKE {
        return refused(like);
    }
    let plain = counted.plain;
    let every = u32::MAX >> (32 - colours.len().clamp(1, 32));
    let label = |i: usize| nearest(&colours, every, at(picture, i)).unwrap_or(0);
    let labels: Vec<u8> = (0..plain.len()).into_par_iter().map(label).collect();
    let mut cores = vec![0.0; colours.len()];
    let well = well_within(&labels, picture.size(), scale);
    for (label, _) in labels.iter().zip(well).filter(|(_, well)| *well) {
        cores[usize::from(*label)] += 1.0 / (scale * scale);
    }
    let wide: Vec<bool> = cores.iter().map(|core| *core >= LEAST_CORE).collect();
    let drawn = (0..colours.len()).filter(|i| !is_overshoot(*i, &colours, &wide)).take(most);
    let (colours, wide) = drawn.map(|i| (colours[i], wide[i])).unzip();
    Ok(Palette { colours, wide, plain })
}

/// Which pixels are the last of a square of one label, [`WELL_WITHIN`] to all sides of its middle.
pub fn well_within(labels: &[u8], size: Size, scale: f64) -> Vec<bool> {
    let width = size.width as usize;
    let side = 2 * (WELL_WITHIN * scale).round().max(1.0) as usize + 1;
    // How many of one label a pixel ends in its row; and how many rows, it the last of them, in which that is the square's side.
    let mut run = 0;
    let mut rows = vec![0_usize; width];
    let of_pixel = |i: usize| {
        let x = i % width;
        run = if x > 0 && labels[i] == labels[i - 1] { run + 1 } else { 1 };
        let same = i >= width && labels[i] == labels[i - width];
        rows[x] = match (run >= side, same) {
            (false, _) => 0,
            (true, true) => rows[x] + 1,
            (true, false) => 1,
        };
        rows[x] >= side
    };
    (0..labels.len()).map(of_pixel).collect()
}

/// Whether a colour is what enlarging makes beside an edge: nowhere wide, and a little further away from one than another that is.
fn is_overshoot(i: usize, colours: &[Colour], wide: &[bool]) -> bool {
    let others = || (0..colours.len()).filter(|j| *j != i);
    let is_beyond = |from: usize, to: usize| {
        let (share, off) = between(colours[i], colours[from], colours[to]);
        from != to && wide[to] && (1.0..1.0 + BEYOND).contains(&share) && off < EXPLAINED
    };
    !wide[i] && others().any(|from| others().any(|to| is_beyond(from, to)))
}

/// How far a colour lies from one towards another, and how far off the line between them, as [`weighed`].
pub fn between(colour: Colour, from: Colour, to: Colour) -> (f32, f32) {
    let from = weighed(from);
    let less = |a: Colour| [0, 1, 2].map(|c| a[c] - from[c]);
    let (way, gone) = (less(weighed(to)), less(weighed(colour)));
    let dot = |a: Colour, b: Colour| a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
    let share = dot(way, gone) / dot(way, way).max(1e-9);
    let off = [0, 1, 2].map(|c| gone[c] - share * way[c]);
    (share, dot(off, off).sqrt())
}

/// Luminance, and by how much red and blue exceed it: the last two count less, as files keep colour at half the size, so that beside an
/// edge it is not what was drawn.
pub fn weighed(colour: Colour) -> Colour {
    let luminance = luminance(colour);
    [luminance, COLOUR_COUNTS * (colour[0] - luminance), COLOUR_COUNTS * (colour[2] - luminance)]
}

/// The colour of a pixel, by its place in a row-major picture.
pub fn at(picture: &Planes, i: usize) -> Colour {
    [0, 1, 2].map(|channel| picture.plane(channel)[i])
}

/// The nearest of some colours to one.
pub fn nearest(colours: &[Colour], allowed: u32, colour: Colour) -> Option<u8> {
    (0..colours.len())
        .filter(|i| allowed >> i & 1 == 1)
        .min_by(|&a, &b| distance(colours[a], colour).total_cmp(&distance(colours[b], colour)))
        .map(|i| i as u8)
}

/// Pixels that differ little from those a third of a small pixel away.
fn plain(picture: &Planes, scale: f64) -> Vec<bool> {
    let size = picture.size();
    let (width, height) = (size.width as usize, size.height as usize);
    let step = (scale / 3.0).round().max(1.0) as usize;
    let mut plain = vec![true; width * height];
    for channel in 0..3 {
        let values = picture.plane(channel);
        for y in 0..height {
            for x in 0..width {
                let i = y * width + x;
                let differs = |j: usize| (values[i] - values[j]).abs() > PLAIN;
                if (x + step < width && differs(i + step))
                    || (x >= step && differs(i - step))
                    || (y + step < height && differs(i + step * width))
                    || (y >= step && differs(i - step * width))
                {
                    plain[i] = false;
                }
            }
        }
    }
    plain
}

/// Distance of two colours in OKLab (B. Ottosson, 2020): about what eyes make of it, black and white 1 apart.
pub fn distance(a: Colour, b: Colour) -> f32 {
    let (a, b) = (oklab(a), oklab(b));
    (0..3).map(|i| (a[i] - b[i]).powi(2)).sum::<f32>().sqrt()
}

fn oklab(colour: Colour) -> [f32; 3] {
    let [r, g, b] = colour.map(|v| crate::colour::linearise_fast(v.clamp(0.0, 1.0)));
    let l = (0.412_221_46 * r + 0.536_332_55 * g + 0.051_445_995 * b).cbrt();
    let m = (0.211_903_5 * r + 0.680_699_5 * g + 0.107_396_96 * b).cbrt();
    let s = (0.088_302_46 * r + 0.281_718_85 * g + 0.629_978_7 * b).cbrt();
    [
        0.210_454_26 * l + 0.793_617_8 * m - 0.004_072_047 * s,
        1.977_998_5 * l - 2.428_592_2 * m + 0.450_593_7 * s,
        0.025_904_037 * l + 0.782_771_77 * m - 0.808_675_77 * s,
    ]
}

#[cfg(test)]
mod tests {
    use super::*;

    const PAPER: Colour = [0.95, 0.93, 0.88];
    const INK: Colour = [0.13, 0.21, 0.24];
    const DARKER: Colour = [0.06, 0.13, 0.17];
    const GLASS: Colour = [0.18, 0.5, 0.52];

    #[test]
    fn what_is_darker_than_a_wide_ink_is_its_edge_and_a_dark_line_on_a_light_one_is_not() {
        let colours = [PAPER, INK, DARKER];
        assert!(is_overshoot(2, &colours, &[true, true, false]));
        assert!(!is_overshoot(2, &colours, &[true, true, true]), "wide itself");
        assert!(!is_overshoot(2, &colours, &[true, false, false]), "beside what is a line too");
        assert!(!is_overshoot(2, &[PAPER, GLASS, INK], &[true, true, false]), "of another colour");
    }

    #[test]
    fn a_mixture_lies_on_the_line_between_its_colours() {
        let half = [0, 1, 2].map(|c| (PAPER[c] + INK[c]) / 2.0);
        let (share, off) = between(half, PAPER, INK);
        assert!((share - 0.5).abs() < 1e-3 && off < 1e-3, "{share} {off}");
        assert!(between(GLASS, PAPER, INK).1 > EXPLAINED);
    }

    #[test]
    fn a_strip_is_wide_where_a_square_fits() {
        let size = Size::new(40, 12);
        let strip = |from: usize, to: usize| -> Vec<u8> {
            (0..480).map(|i| u8::from((from..to).contains(&(i / 40)))).collect()
        };
        let found = |labels: &[u8]| well_within(labels, size, 4.0).iter().zip(labels).any(|(well, l)| *well && *l == 1);
        assert!(found(&strip(2, 9)));
        assert!(!found(&strip(2, 8)), "seven pixels are asked for");
    }
}
