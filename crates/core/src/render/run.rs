//! The final run: the whole result, band by band, into a file.

use std::path::Path;
use std::sync::atomic::{AtomicU64, Ordering};

use dettaglio_domain::file::OutputSettings;
use dettaglio_domain::geometry::{Region, Size};
use dettaglio_domain::reading::Reading;
use dettaglio_domain::treatment::{Part, Pass, Treatment};

use super::cache::TileCache;
use super::level::{BLOCK_ROWS, TILE, WIDE_BLOCK};
use super::pace::{Cancelled, Pace, RenderError};
use super::renderer::Renderer;
use crate::codec::{CameraPicture, Carried, History, LinearWriter, PictureWriter};
use crate::finish;
use crate::picture::{Original, Planes};
use crate::reading::noise_of;

/// Rows of a band at most: memory follows them.
const TALLEST_BAND: u32 = 256;

/// Where a result goes, and as what.
#[derive(Clone, Copy, Debug)]
pub struct Destination<'a> {
    /// The file, which appears only when it is complete.
    pub path: &'a Path,
    /// Its format, depth and resolution.
    pub settings: OutputSettings,
    /// What was measured on the original, to be written into the file beside the treatment.
    pub reading: Option<&'a Reading>,
}

/// Renders the whole result into a file.
///
/// `progress` hears the share that is done, 0 to 1, never less than before. Memory depends on the width
/// of the result and on the tiles, not on its height.
pub fn run(
    renderer: &Renderer,
    original: &Original,
    treatment: &Treatment,
    to: Destination<'_>,
    pace: &dyn Pace,
    progress: &(dyn Fn(f64) + Sync),
) -> Result<(), RenderError> {
    let history = History::new(original.hash(), treatment, to.reading);
    let carried = Carried { history: Some(history), ..Carried::from(original) };
    let mut writer = PictureWriter::create(to.path, treatment.sheet(), original.channels(), to.settings, carried)?;
    in_bands(renderer, original, treatment, pace, progress, &mut |rows| Ok(writer.write(rows)?))?;
    writer.finish()?;
    progress(1.0);
    Ok(())
}

/// Renders the whole result of a camera's picture into a linear DNG, in the camera's own colours.
///
/// The treatment is of the picture as [`read_camera`](crate::codec::read_camera) gives it ([`in_camera_colours`]). `progress` and
/// `reading` as for [`run`]; the result lies in memory until it is written.
pub fn run_camera(
    renderer: &Renderer,
    camera: &CameraPicture,
    treatment: &Treatment,
    path: &Path,
    reading: Option<&Reading>,
    pace: &dyn Pace,
    progress: &(dyn Fn(f64) + Sync),
) -> Result<(), RenderError> {
    let original = &camera.decoded.original;
    let mut writer = LinearWriter::new(&camera.colours, treatment.sheet());
    in_bands(renderer, original, treatment, pace, progress, &mut |rows| {
        writer.write(rows);
        Ok(())
    })?;
    writer.finish(path, &History::new(original.hash(), treatment, reading))?;
    progress(1.0);
    Ok(())
}

/// A treatment that was worked out for the developed picture, of which `developed` was measured, for the same in its camera's colours: noise
/// is another there.
pub fn in_camera_colours(treatment: &Treatment, developed: &Reading, camera: &CameraPicture) -> Treatment {
    let cleans = |part: Part<'_>| part.clean.noise.is_some();
    if !treatment.parts().any(cleans) {
        return treatment.clone();
    }
    let now = noise_of(&camera.decoded.original).level;
    treatment.clone().encoded_anew(&developed.noise.level, &now)
}

/// The rows of a result, from above.
fn in_bands(
    renderer: &Renderer,
    original: &Original,
    treatment: &Treatment,
    pace: &dyn Pace,
    progress: &(dyn Fn(f64) + Sync),
    each: &mut dyn FnMut(&Planes) -> Result<(), RenderError>,
) -> Result<(), RenderError> {
    let size = treatment.sheet();
    let kept = treatment.frame.size(original.size())?;
    let own = TileCache::new(tile_rows_bytes(kept, treatment));
    let work = treatment.model_inputs(kept).iter().map(|(_, pixels)| pixels).sum();
    let counted = Counted { pace, done: AtomicU64::new(0), work, progress };
    let mut y = 0;
    for end in band_ends(kept, treatment) {
        if !pace.before_block() {
            return Err(Cancelled.into());
        }
        let band = Region::new(0, y, size.width, end - y);
        let rows = renderer.render_with(original, treatment, band.seen_as(), &counted, Some(&own))?;
        each(&rows)?;
        y = end;
        counted.rows_done(f64::from(end) / f64::from(size.height));
    }
    Ok(())
}

/// Passes on the pace, and turns finished blocks into progress.
struct Counted<'a> {
    pace: &'a dyn Pace,
    done: AtomicU64,
    work: u64,
    progress: &'a (dyn Fn(f64) + Sync),
}

impl Counted<'_> {
    /// Tiles that a preview made are not computed again: the rows then tell more than the blocks.
    fn rows_done(&self, share: f64) {
        let pixels = (share * self.work as f64) as u64;
        let before = self.done.fetch_max(pixels, Ordering::Relaxed);
        self.tell(share.max(before as f64 / self.work.max(1) as f64));
    }

    fn tell(&self, share: f64) {
        // The last hundredth is the encoder's.
        (self.progress)(share.clamp(0.0, 0.99));
    }
}

impl Pace for Counted<'_> {
    fn before_block(&self) -> bool {
        self.pace.before_block()
    }

    fn after_block(&self, pixels: u64) {
        let done = self.done.fetch_add(pixels, Ordering::Relaxed) + pixels;
        self.tell(done as f64 / self.work.max(1) as f64);
        self.pace.after_block(pixels);
    }
}

/// The rows of the sheet at which bands end: where the rows of blocks of the last pass are used up.
fn band_ends(kept: Size, treatment: &Treatment) -> Vec<u32> {
    let (height, whole) = (treatment.size.height, treatment.sheet().height);
    let factor: u32 = treatment.passes().iter().map(|p| p.factor).product();
    let last_factor = match treatment.passes().last() {
        Some(pass) => pass.factor,
        None if treatment.mends() => 1,
        None => return (1..=whole.div_ceil(TALLEST_BAND)).map(|i| (i * TALLEST_BAND).min(whole)).collect(),
    };
    let rows = f64::from(BLOCK_ROWS * TILE * last_factor);
    let level_height = f64::from(kept.height) * f64::from(factor);
    let step = level_height / f64::from(height);
    // The kernel of the last resampling reaches three pixels of the result further down, and finishing its halo.
    let reach = if step > 1.0 { 3.0 * step + 1.0 } else { 0.0 } + f64::from(finish::halo(&treatment.finish)) * step;
    let mut ends = Vec::new();
    let mut block = 1.0;
    let mut last = 0;
    while block * rows < level_height {
        let end = ((block * rows - reach) / step).floor();
        if end >= 1.0 && end < f64::from(height) && end as u32 > last {
            let pieces = (end as u32 - last).div_ceil(TALLEST_BAND);
            ends.extend((1..pieces).map(|i| last + i * TALLEST_BAND));
            last = end as u32;
            ends.push(last);
        }
        block += 1.0;
    }
    let pieces = (height - last).div_ceil(TALLEST_BAND);
    ends.extend((1..pieces).map(|i| last + i * TALLEST_BAND));
    let mut ends: Vec<u32> = ends.into_iter().map(|end| end + treatment.margin.top).collect();
    ends.push(whole);
    ends
}

/// Bytes of three blocks' rows of tiles of every pass: what a run must keep so as to compute nothing twice.
fn tile_rows_bytes(kept: Size, treatment: &Treatment) -> usize {
    let of_part = |part: Part<'_>| -> usize {
        let cleaners = part.clean.passes().len();
        let bytes = |chain: &[u32], block_rows: u32| -> usize {
            let mut sides = 1;
            let pass = |factor: &u32| {
                let width = u64::from(kept.width * sides).div_ceil(TILE.into()) * u64::from(TILE * factor);
                // A later pass works through several rows of the one before at a time.
                sides *= factor;
                (width * u64::from(3 * block_rows * TILE * factor) * 3 * 2) as usize
            };
            chain.iter().map(pass).sum()
        };
        let factors = |passes: &[Pass]| passes.iter().map(|p| p.factor).collect::<Vec<u32>>();
        // Only cleaners see far enough for blocks that are cut like squares.
        bytes(&vec![1; cleaners], WIDE_BLOCK.0)
            + bytes(&factors(part.enlarge.passes()), BLOCK_ROWS)
            + bytes(&factors(part.enlarge.under()), BLOCK_ROWS)
    };
    treatment.parts().map(of_part).sum()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::model::stand_in::{self, Repeat};
    use crate::model::{Model, Shelf};
    use dettaglio_domain::model::Grade;
    use std::sync::Arc;

    #[test]
    fn bands_cover_the_result_once_and_in_order() {
        let model = Model::with_network(stand_in::card(4, Grade::Draft), Arc::new(Repeat { factor: 4 }));
        let shelf = Shelf::of(vec![model]);
        let original = Size::new(900, 1400);
        for height in [1, 2, 999, 5600, 5599, 4000, 22_400] {
            let size = Size::new(height * 9 / 14 + 1, height);
            let ends = band_ends(original, &Treatment::learned(&shelf, "everyday", Grade::Draft, original, size));
            assert!(ends.windows(2).all(|pair| pair[0] < pair[1]), "{ends:?}");
            assert_eq!(ends.last(), Some(&height));
        }
    }
}
