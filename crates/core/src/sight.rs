//! Looking at a picture: what it shows, in the whole, in its quarters and in its middle.

use dettaglio_domain::file::Facts;
use dettaglio_domain::geometry::{Region, Size};
use dettaglio_domain::reading::Reading;
use dettaglio_domain::sight::Sight;

use crate::enlarge::{Averaging, area_mean_in};
use crate::model::sight::{KINDS, SIDE};
use crate::model::{ModelError, Shelf};
use crate::picture::{Original, Planes};
use crate::reading;

/// The shortest side of a picture that is looked at, pixels.
const SMALLEST: u32 = 32;

/// Most pixels of the copy that squares are cut from.
const COPY: f64 = 1e6;

/// Measures an original, and tells what it shows; a tenth of a second more than [`reading::measure`].
///
/// # Errors
/// When the network's file is not the one that is shipped, or it fails.
pub fn read(original: &Original, facts: &Facts, shelf: &Shelf) -> Result<Reading, ModelError> {
    let sight = look(original, shelf)?;
    Ok(Reading { sight, ..reading::measure(original, facts) })
}

/// What an original shows; nothing can be told of one that is smaller than 32 px, or where the shelf has nothing that looks.
///
/// # Errors
/// As [`read`].
pub fn look(original: &Original, shelf: &Shelf) -> Result<Option<Sight>, ModelError> {
    let Some(network) = shelf.sight()? else { return Ok(None) };
    let size = original.size();
    if size.short_edge() < SMALLEST {
        return Ok(Some(Sight::default()));
    }
    let copy = original.to_srgb(copy_of(original));
    let kinds = |region: Region| -> Result<[f32; KINDS], ModelError> {
        let square = Size::new(SIDE, SIDE);
        network.kinds(&area_mean_in(&copy.cut(region), square, square.whole(), Averaging::Encoded))
    };
    let Size { width, height } = copy.size();
    let half = Size::new(width.div_ceil(2), height.div_ceil(2));
    let quarter = |right: u32, low: u32| {
        Region::new(right * (width - half.width), low * (height - half.height), half.width, half.height)
    };
    let whole = kinds(copy.size().whole())?;
    let [a, b, c, d] = [quarter(0, 0), quarter(1, 0), quarter(0, 1), quarter(1, 1)].map(kinds);
    let middle = kinds(Region::new(width / 4, height / 4, half.width, half.height))?;
    Ok(Some(Sight::of(whole, [a?, b?, c?, d?], middle)))
}

/// All of it, with about a megapixel at most.
fn copy_of(original: &Original) -> Planes {
    let size = original.size();
    let share = (COPY / size.area() as f64).sqrt();
    if share >= 1.0 {
        return original.planes();
    }
    let side = |px: u32| ((f64::from(px) * share).round() as u32).max(SMALLEST);
    let smaller = Size::new(side(size.width), side(size.height));
    area_mean_in(original, smaller, smaller.whole(), Averaging::Encoded)
}
