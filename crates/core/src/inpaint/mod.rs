//! Large gaps filled from the picture's own texture.
//!
//! Every patch of 7 x 7 pixels that touches the gap looks for the sound patch that is most like it; each pixel of the gap then becomes the mean
//! of what those patches say of it; and again, from a small picture to the whole one (Wexler, Shechtman and Irani 2007; patches are found
//! after Barnes, Shechtman, Finkelstein and Goldman 2009). Beside its colours a patch is compared by how lively its surroundings are (after
//! Newson, Almansa, Fradet, Gousseau and Pérez 2014): by colours alone what begins smooth stays smooth, and fur becomes felt.
//!
//! The answer depends on the picture alone, not on the number of threads.

mod layer;
mod search;

use rayon::prelude::*;

use crate::picture::Planes;
pub use layer::deep;
use layer::{HALF, Layer, SIDE, Values, colour};
use search::{Match, Search};

/// Rounds of looking for patches and making pixels of them: at the whole size, and at each smaller one.
const ROUNDS: u64 = 6;
const ROUNDS_OF_SMALL: u64 = 10;

/// So many patches are close to their answer when they come from half the size, and each round of them takes seconds.
const MANY: usize = 100_000;
const ROUNDS_OF_MANY: u64 = 2;

/// Depth of a gap, in pixels of the smallest picture, from which on a smaller one is needed.
const SHALLOW: f32 = 1.2;

/// Sides of the smallest picture, in patches.
const LEAST_SIDE: usize = 5;

/// By how much less a patch counts with each pixel that its middle lies further in the gap, and from which depth on no less.
const LESS_INWARD: f32 = 1.3;
const INMOST: u32 = 60;

/// In the last round, the difference at which a patch hardly counts, of the median one: the lower, the crisper.
const CRISP: f32 = 0.3;

/// The difference below which patches count as alike.
const ALIKE: f32 = 1e-4;

/// The picture with its gap filled; pixels that are not in the gap are its own. `is_gap` holds one value for each pixel, row-major. Nothing
/// where no patch of the picture is sound.
///
/// # Panics
/// When there are not as many values as pixels.
pub fn fill(planes: &Planes, is_gap: &[bool]) -> Option<Planes> {
    assert_eq!(is_gap.len() as u64, planes.size().area(), "one value for each pixel");
    if !is_gap.contains(&true) {
        return Some(planes.clone());
    }
    let mut levels = vec![Layer::of(planes, is_gap)];
    let mut depth = levels[0].deepest() as f32;
    while depth > SHALLOW
        && let Some(level) = levels.last()
        && level.width.min(level.height) >= 2 * LEAST_SIDE * SIDE
    {
        let half = level.halved();
        levels.push(half);
        depth /= 2.0;
    }
    let mut coarser: Option<Level> = None;
    while let Some(layer) = levels.pop() {
        // In a very small picture no patch may be sound: the next larger one begins without it.
        coarser = Level::new(layer, coarser.as_ref(), levels.len() as u64);
        if let Some(level) = &mut coarser {
            level.settle(levels.is_empty());
        }
    }
    Some(pasted(planes, is_gap, &coarser?.layer))
}

fn pasted(planes: &Planes, is_gap: &[bool], filled: &Layer) -> Planes {
    let (mut values, area) = (planes.values().to_vec(), is_gap.len());
    for i in (0..area).filter(|i| is_gap[*i]) {
        for (channel, value) in colour(&filled.values[i]).into_iter().enumerate() {
            values[channel * area + i] = value.clamp(0.0, 1.0);
        }
    }
    Planes::from_values(planes.size(), values)
}

/// The picture at one size, and what its patches were found to be like.
struct Level {
    layer: Layer,
    search: Search,
    matches: Vec<Match>,
}

impl Level {
    /// Begins with what came of the next smaller size. `number` is 0 for the whole size. Nothing where no patch is sound.
    fn new(mut layer: Layer, coarser: Option<&Level>, number: u64) -> Option<Self> {
        let search = Search::of(&layer, number, coarser.is_none())?;
        let matches = match coarser {
            None => search.by_chance(),
            Some(coarser) => {
                layer.take_from(&coarser.layer);
                search.carried_over(&coarser.search, &coarser.matches)
            }
        };
        Some(Self { layer, search, matches })
    }

    fn settle(&mut self, is_whole: bool) {
        let rounds = match self.search.targets.len() {
            0..MANY => {
                if is_whole {
                    ROUNDS
                } else {
                    ROUNDS_OF_SMALL
                }
            }
            _ => ROUNDS_OF_MANY,
        };
        for round in 0..rounds {
            self.search.improve(&self.layer, &mut self.matches, round);
            self.vote(is_whole && round + 1 == rounds);
        }
    }

    /// Every pixel of the gap becomes the mean of what the patches over it say, the most alike and the outermost counting most.
    fn vote(&mut self, is_last: bool) {
        let mut differences: Vec<f32> = self.matches.iter().map(|found| found.difference).collect();
        let middle = differences.len() / 2;
        let (_, median, _) = differences.select_nth_unstable_by(middle, f32::total_cmp);
        let scale = median.max(ALIKE) * if is_last { CRISP } else { 1.0 };
        let depths = &self.layer.depths;
        let weight = |target: &u32, found: &Match| {
            let inward = LESS_INWARD.powi(-(depths[*target as usize].min(INMOST) as i32));
            (-found.difference / scale).exp().max(1e-20) * inward
        };
        let weights: Vec<f32> = self.search.targets.iter().zip(&self.matches).map(|(t, m)| weight(t, m)).collect();
        let (layer, search, matches) = (&self.layer, &self.search, &self.matches);
        let fresh: Vec<(usize, Values)> =
            layer.gap().into_par_iter().map(|i| (i, voted(layer, search, matches, &weights, i))).collect();
        fresh.into_iter().for_each(|(i, values)| self.layer.values[i] = values);
    }
}

/// What the patches over a pixel say of it.
fn voted(layer: &Layer, search: &Search, matches: &[Match], weights: &[f32], pixel: usize) -> Values {
    let (x, y) = ((pixel % layer.width) as i32, (pixel / layer.width) as i32);
    let (mut sum, mut all) = (Values::default(), 0.0);
    let reach = HALF as i32;
    for (down, across) in (-reach..=reach).flat_map(|down| (-reach..=reach).map(move |across| (down, across))) {
        let Some(target) = search.target_at(x + across, y + down) else { continue };
        let at =
            (matches[target].y as i32 - down) as usize * layer.width + (matches[target].x as i32 - across) as usize;
        all += weights[target];
        sum.iter_mut().zip(layer.values[at]).for_each(|(sum, value)| *sum += weights[target] * value);
    }
    if all > 0.0 { sum.map(|value| value / all) } else { layer.values[pixel] }
}

#[cfg(test)]
mod tests {
    use dettaglio_domain::geometry::Size;
    use rstest::rstest;

    use super::*;

    const SIZE: Size = Size::new(120, 100);

    fn picture(at: impl Fn(usize, usize, usize) -> f32) -> Planes {
        let (width, area) = (SIZE.width as usize, SIZE.area() as usize);
        let values = (0..3 * area).map(|i| at(i % width, i % area / width, i / area));
        Planes::from_values(SIZE, values.collect())
    }

    /// A disc of this radius around (60, 50).
    fn disc(radius: f32) -> Vec<bool> {
        (0..SIZE.area() as usize).map(|i| ((i % 120) as f32 - 60.0).hypot((i / 120) as f32 - 50.0) < radius).collect()
    }

    fn emptied(planes: &Planes, is_gap: &[bool]) -> Planes {
        let values = planes.values().iter().zip(is_gap.iter().cycle()).map(|(v, gap)| if *gap { 1.0 } else { *v });
        Planes::from_values(planes.size(), values.collect())
    }

    fn off(filled: &Planes, truth: &Planes, is_gap: &[bool]) -> f32 {
        let inside = filled.values().iter().zip(truth.values()).zip(is_gap.iter().cycle()).filter(|(_, gap)| **gap);
        let all: Vec<f32> = inside.map(|((a, b), _)| (a - b).abs()).collect();
        all.iter().sum::<f32>() / all.len() as f32
    }

    fn filled(planes: &Planes, is_gap: &[bool]) -> Planes {
        fill(&emptied(planes, is_gap), is_gap).unwrap()
    }

    #[rstest]
    #[case::stripes(&|x, y| if (x + y / 2) % 8 < 4 { 0.2 } else { 0.8 }, 0.02)]
    #[case::a_weave(&|x, y| 0.5 + 0.2 * ((x as f32 * 0.9).sin() + (y as f32 * 0.7).cos()), 0.03)]
    #[case::an_edge(&|x, _| if x < 58 { 0.3 } else { 0.7 }, 0.02)]
    #[case::one_tone(&|_, _| 0.4, 1e-5)]
    fn what_goes_on_around_a_gap_goes_on_in_it(#[case] at: &dyn Fn(usize, usize) -> f32, #[case] most: f32) {
        let (truth, gap) = (picture(|x, y, channel| at(x, y) * (1.0 - 0.2 * channel as f32)), disc(16.0));
        let filled = filled(&truth, &gap);
        let off = off(&filled, &truth, &gap);
        assert!(off < most, "{off}");
    }

    #[test]
    fn lively_texture_stays_lively() {
        let truth = picture(|x, y, _| (crate::chance::scattered((y * 120 + x) as u64) >> 40) as f32 / (1 << 24) as f32);
        let gap = disc(16.0);
        let spread = |planes: &Planes| {
            let values: Vec<f32> = planes.plane(0).iter().zip(&gap).filter(|(_, gap)| **gap).map(|(v, _)| *v).collect();
            let mean = values.iter().sum::<f32>() / values.len() as f32;
            (values.iter().map(|v| (v - mean).powi(2)).sum::<f32>() / values.len() as f32).sqrt()
        };
        let (own, made) = (spread(&truth), spread(&filled(&truth, &gap)));
        assert!(made > 0.6 * own, "{own} -> {made}");
    }

    #[test]
    fn nothing_outside_the_gap_changes() {
        let (truth, gap) = (picture(|x, y, _| ((x * 7 + y * 3) % 50) as f32 / 50.0), disc(9.0));
        let filled = filled(&truth, &gap);
        let changed = filled.values().iter().zip(truth.values()).zip(gap.iter().cycle());
        assert!(changed.filter(|(_, gap)| !**gap).all(|((a, b), _)| a == b), "to the bit");
        assert!(filled.values().iter().all(|v| (0.0..=1.0).contains(v)));
    }

    #[test]
    fn a_lost_corner_is_filled_too() {
        let truth = picture(|x, y, _| if (x + y) % 10 < 5 { 0.3 } else { 0.6 });
        let gap: Vec<bool> = (0..SIZE.area() as usize).map(|i| i % 120 + i / 120 < 30).collect();
        let off = off(&filled(&truth, &gap), &truth, &gap);
        assert!(off < 0.08, "{off}");
    }

    #[test]
    fn the_number_of_threads_does_not_matter() {
        let (truth, gap) = (picture(|x, y, _| ((x * x + y * 5) % 90) as f32 / 90.0), disc(12.0));
        let alone = rayon::ThreadPoolBuilder::new().num_threads(1).build().unwrap();
        assert!(alone.install(|| filled(&truth, &gap)) == filled(&truth, &gap));
    }

    #[test]
    fn nothing_comes_of_a_picture_that_is_all_gap() {
        let truth = picture(|x, _, _| x as f32 / 120.0);
        assert!(fill(&truth, &disc(200.0)).is_none());
        assert!(fill(&truth, &disc(0.0)).unwrap() == truth, "no gap");
    }
}
