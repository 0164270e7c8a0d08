//! What it costs to open a photograph: what passes before a suggestion is seen.
//!
//!     cargo run --release -p dettaglio-core --example opening -- models PHOTO...
//!
//! Seconds for each photograph, and once more with everything warm. Machines are noisy: compare within one run.

use std::path::{Path, PathBuf};
use std::time::Instant;

use dettaglio_core::face::Finder;
use dettaglio_core::model::Shelf;
use dettaglio_core::render::Unhurried;
use dettaglio_core::{codec, sight, trial};
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::limits::Limits;

type Outcome<T> = Result<T, Box<dyn std::error::Error>>;

fn main() -> Outcome<()> {
    let mut arguments = std::env::args_os().skip(1).map(PathBuf::from);
    let models = arguments.next().ok_or("usage: opening MODELS PHOTO...")?;
    let photos: Vec<PathBuf> = arguments.collect();
    let shelf = Shelf::open(&models)?;
    println!(
        "| photograph | MP | decode | reading | trial, 2 times | trial, 4 times | faces |\n|---|---|---|---|---|---|---|"
    );
    for photo in photos.iter().chain(&photos) {
        open(&shelf, &models, photo)?;
    }
    Ok(())
}

fn open(shelf: &Shelf, models: &Path, photo: &Path) -> Outcome<()> {
    let name = photo.file_name().unwrap_or_default().display();
    let (decoded, decode) =
        timed(|| codec::read(photo, ContentHash::of_file(photo)?, &Limits::default()).map_err(Box::from))?;
    let original = decoded.original;
    let (reading, read) = timed(|| Ok(sight::read(&original, &decoded.facts, shelf)?))?;
    let shows = reading.shows(&[], decoded.facts.size);
    let mut trials = Vec::new();
    for factor in [2, 4] {
        trials.push(timed(|| Ok(trial::run(&original, &reading, shows, shelf, factor, &Unhurried)?))?.1);
    }
    let finder = Finder::open(&models.join("faces"))?;
    let (_, found) = timed(|| Ok(finder.find(&original, &Unhurried)?))?;
    let megapixels = original.size().megapixels();
    println!(
        "| {name} | {megapixels:.1} | {decode:.2} | {read:.2} | {:.2} | {:.2} | {found:.2} |",
        trials[0], trials[1]
    );
    Ok(())
}

/// What comes out, and the seconds it took.
fn timed<T>(work: impl FnOnce() -> Outcome<T>) -> Outcome<(T, f64)> {
    let began = Instant::now();
    let made = work()?;
    Ok((made, began.elapsed().as_secs_f64()))
}
