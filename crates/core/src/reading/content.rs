//! Content: clipped tones, how much of the picture is flat, textured, or lettering, and whether it has the tone of an old print.

use dettaglio_domain::file::Channels;
use dettaglio_domain::geometry::Region;
use dettaglio_domain::reading::{Content, NoiseReading, Tones};
use rayon::prelude::*;

use super::noise::{BLOCK, Block};
use crate::colour::{encode, linearise};
use crate::picture::Original;
use crate::trace::palette;

/// Blocks that are looked at for lettering and for tone.
const MOST_BLOCKS: usize = 3000;

/// Contrast that lettering has at least, in luminance.
const LETTERING_CONTRAST: f32 = 0.15;

/// Most that colours stray from their mean at the same brightness for the picture to count as of one tone, in 8-bit levels. The
/// demo's old prints stray by 1.4 to 2.5, photographs in colour by 5 and more.
const ONE_TONE: f32 = 3.5;

/// Mean of red over blue from which on a tone is warm, in 8-bit levels.
const WARM: f32 = 8.0;

/// How far red may lie below green, or blue above it, at any brightness, in 8-bit levels: what is warm is mostly red over green
/// over blue, and a magenta cast puts blue over green by 17 in the scans of the evaluation. Green ink on beige has red 85 below green.
const ANOTHER_HUE: f32 = 25.0;

/// Luminance of the darkest hundredth from which on blacks are faded.
const FADED: f32 = 0.1;

/// Reads a picture whose blocks and noise were measured; of a halftone, what its dots come to once they are taken out.
pub fn read(original: &Original, blocks: &[Block], noise: &NoiseReading, is_halftone: bool) -> Content {
    if blocks.is_empty() {
        return Content::default();
    }
    let count = blocks.len() as f32;
    let share = |of: &(dyn Fn(&Block) -> bool + Sync)| blocks.iter().filter(|b| of(b)).count() as f32 / count;
    let noise_at = |b: &Block| noise.level.at(b.brightness).max(0.7);
    let step = blocks.len().div_ceil(MOST_BLOCKS).max(1);
    let lettering: Vec<bool> = blocks
        .par_iter()
        .step_by(step)
        .map(|block| block.whole > 100.0 && is_lettering(original, block.x, block.y))
        .collect();
    let seen: Vec<&Block> = blocks.iter().step_by(step).collect();
    let colours: Vec<[f32; 3]> = seen.par_iter().map(|block| mean_colour(original, block, |encoded| encoded)).collect();
    let clipped =
        |dark: bool| blocks.iter().filter(|b| (b.brightness < 0.5) == dark).map(|b| b.clipped).sum::<f32>() / count;
    let lettering = lettering.iter().filter(|l| **l).count() as f32 / lettering.len() as f32;
    let photographed = original.channels() == Channels::Colour && lettering < DRAWN && colours.len() >= LEAST_TONES;
    Content {
        flat: share(&|b| b.whole.sqrt() < 1.8 * noise_at(b) + 0.8),
        texture: share(&|b| b.fine_luminance.sqrt() > 2.0 * noise_at(b) + 2.0),
        lettering,
        clipped_shadows: clipped(true),
        clipped_highlights: clipped(false),
        brightness: blocks.iter().map(|b| b.brightness).sum::<f32>() / count,
        faded_tone: photographed && is_faded_tone(&seen, &colours),
        plain_colours: plain_colours(original),
        tones: (colours.len() >= LEAST_TONES).then(|| {
            if is_halftone {
                // The colour that dots print is their mean in light.
                let printed = |block: &&Block| mean_colour(original, block, linearise).map(encode);
                tones(&seen.par_iter().map(printed).collect::<Vec<_>>())
            } else {
                tones(&colours)
            }
        }),
    }
}

/// In how many plain colours a picture is drawn, if it is.
fn plain_colours(original: &Original) -> Option<u32> {
    (original.size().area() <= LARGEST_DRAWING).then(|| palette::plain_colours(&original.planes())).flatten()
}

/// Pixels of a picture that is worth tracing at most: a larger one is sharp enough as it is.
const LARGEST_DRAWING: u64 = 2_000_000;

/// Share of lettering from which on a picture of one warm tone is a page on cream paper: there nothing has faded.
const DRAWN: f32 = 0.2;

/// Blocks of which the tones that a picture ends at can be told at least.
const LEAST_TONES: usize = 200;

/// The mean of a block's red, green and blue, as each value counts.
fn mean_colour(original: &Original, block: &Block, counts_as: fn(f32) -> f32) -> [f32; 3] {
    let planes = original.region(Region::of(block.x, block.y, BLOCK, BLOCK));
    [0, 1, 2].map(|c| planes.plane(c).iter().map(|v| counts_as(*v)).sum::<f32>() / (BLOCK * BLOCK) as f32)
}

/// The tones that some blocks end at, by colour.
fn tones(colours: &[[f32; 3]]) -> Tones {
    let at = |share: f32| {
        std::array::from_fn(|channel| {
            let mut values: Vec<f32> = colours.iter().map(|colour| colour[channel]).collect();
            let place = (share * (values.len() - 1) as f32).round() as usize;
            *values.select_nth_unstable_by(place, f32::total_cmp).1
        })
    };
    Tones { black: at(0.01), middle: at(0.5), white: at(0.99) }
}

/// Whether the mean colours of blocks follow from their brightness alone, are warm, and never quite black.
fn is_faded_tone(blocks: &[&Block], colours: &[[f32; 3]]) -> bool {
    const STEPS: usize = 16;
    let darkest = {
        let mut tones: Vec<f32> = blocks.iter().map(|b| b.brightness).collect();
        tones.sort_by(f32::total_cmp);
        tones[tones.len() / 100]
    };
    if darkest < FADED {
        return false;
    }
    // Red and blue over green, in 8-bit levels.
    let colours: Vec<[f32; 2]> =
        colours.iter().map(|[red, green, blue]| [red - green, blue - green].map(|v| v * 255.0)).collect();
    let step_of = |block: &Block| ((block.brightness * STEPS as f32) as usize).min(STEPS - 1);
    let mut sums = [([0.0_f32; 2], 0.0_f32); STEPS];
    for (block, [red, blue]) in blocks.iter().zip(&colours) {
        let (sum, count) = &mut sums[step_of(block)];
        (sum[0], sum[1], *count) = (sum[0] + red, sum[1] + blue, *count + 1.0);
    }
    // A faded print is of the tone of its paper from end to end; ink of another colour on such paper is no print.
    let is_toned = |(sum, count): &([f32; 2], f32)| {
        let [red, blue] = sum.map(|v| v / count.max(1.0));
        red > -ANOTHER_HUE && blue < ANOTHER_HUE
    };
    if !sums.iter().all(is_toned) {
        return false;
    }
    let mut strayed = 0.0;
    for (block, [red, blue]) in blocks.iter().zip(&colours) {
        let (sum, count) = sums[step_of(block)];
        strayed += (red - sum[0] / count).powi(2) + (blue - sum[1] / count).powi(2);
    }
    let count = colours.len() as f32;
    let warmth = colours.iter().map(|[red, blue]| red - blue).sum::<f32>() / count;
    (strayed / count).sqrt() < ONE_TONE && warmth > WARM
}

/// Whether the block of 16 x 16 px at a place holds two even tones and little in between.
pub fn is_lettering(original: &Original, x: u32, y: u32) -> bool {
    let luminance = original.region(Region::of(x, y, BLOCK, BLOCK)).luminance();
    let mean = luminance.iter().sum::<f32>() / luminance.len() as f32;
    let side = |light: bool| {
        let tones: Vec<f32> = luminance.iter().copied().filter(|v| (*v > mean) == light).collect();
        (tones.iter().sum::<f32>() / tones.len().max(1) as f32, tones.len())
    };
    let ((dark, dark_count), (light, light_count)) = (side(false), side(true));
    let contrast = light - dark;
    let between = luminance.iter().filter(|v| (dark + 0.3 * contrast..light - 0.3 * contrast).contains(*v)).count();
    let apart = |v: &f32| (v - if *v > mean { light } else { dark }).powi(2);
    let within = luminance.iter().map(apart).sum::<f32>() / luminance.len() as f32;
    let few = luminance.len() / 12;
    contrast > LETTERING_CONTRAST
        && dark_count > few
        && light_count > few
        && between * 6 < luminance.len()
        && within < 0.04 * contrast * contrast
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;
    use crate::picture::Planes;
    use crate::reading::noise;
    use dettaglio_domain::geometry::Size;

    /// Tones between two colours, with a ripple of one channel.
    fn toned(black: [f32; 3], white: [f32; 3], ripple: f32) -> Content {
        let size = Size::new(320, 240);
        let values = (0..3).flat_map(|c: usize| {
            (0..size.area()).map(move |i| {
                let (x, y) = ((i % 320) as f32, (i / 320) as f32);
                let tone = 0.5 + 0.5 * (x / 40.0).sin() * (y / 50.0).cos();
                let own = if c == 0 { ripple * (y / 31.0).sin() } else { 0.0 };
                (black[c] + tone * (white[c] - black[c]) + own).clamp(0.0, 1.0)
            })
        });
        let original = Original::from_planes(&Planes::from_values(size, values.collect()));
        let blocks = noise::blocks(&original, 10_000);
        read(&original, &blocks, &noise::read(&blocks), false)
    }

    #[test]
    fn a_page_of_type_on_cream_paper_has_not_faded() {
        let size = Size::new(320, 240);
        let (ink, paper) = ([0.25, 0.2, 0.15], [0.9, 0.84, 0.7]);
        let values = (0..3).flat_map(|c: usize| {
            (0..size.area()).map(move |i| if (i % 320) % 11 < 4 && (i / 320) % 40 < 30 { ink[c] } else { paper[c] })
        });
        let original = Original::from_planes(&Planes::from_values(size, values.collect()));
        let blocks = noise::blocks(&original, 10_000);
        let content = read(&original, &blocks, &noise::read(&blocks), false);
        assert!(content.lettering > DRAWN && !content.faded_tone, "{content:?}");
    }

    #[test]
    fn a_few_pixels_have_no_tone_of_their_own() {
        let size = Size::new(96, 96);
        let values =
            [0.5, 0.42, 0.3].into_iter().flat_map(|v| (0..size.area()).map(move |i| v + (i % 96) as f32 / 400.0));
        let original = Original::from_planes(&Planes::from_values(size, values.collect()));
        let blocks = noise::blocks(&original, 10_000);
        assert!(!read(&original, &blocks, &noise::read(&blocks), false).faded_tone);
    }

    #[rstest]
    #[case::a_faded_print([0.25, 0.2, 0.15], [0.9, 0.84, 0.7], 0.0, true)]
    #[case::one_tone_but_black([0.0, 0.0, 0.0], [0.9, 0.84, 0.7], 0.0, false)]
    #[case::faded_but_in_colour([0.25, 0.2, 0.15], [0.9, 0.84, 0.7], 0.1, false)]
    #[case::cold([0.15, 0.2, 0.25], [0.7, 0.84, 0.9], 0.0, false)]
    #[case::green_on_beige([0.13, 0.45, 0.15], [0.77, 0.77, 0.67], 0.0, false)]
    #[case::warm_by_its_paper_alone([0.1, 0.15, 0.3], [0.95, 0.85, 0.6], 0.0, false)]
    #[case::grey([0.2, 0.2, 0.2], [0.9, 0.9, 0.9], 0.0, false)]
    fn an_old_print_is_of_one_warm_tone_and_faded(
        #[case] black: [f32; 3],
        #[case] white: [f32; 3],
        #[case] ripple: f32,
        #[case] expected: bool,
    ) {
        assert_eq!(toned(black, white, ripple).faded_tone, expected);
    }
}
