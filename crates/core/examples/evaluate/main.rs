//! Scores every shipped model on pictures that it never saw, through the product's own engine.
//!
//!     cargo run --release -p dettaglio-core --example evaluate -- foundry/held-out models docs/models.md
//!
//! The scores go into the cards and, as tables, into the document; both are the same on every run but for the times
//! per megapixel, which go into the document alone. Further arguments name the models to score; the others keep what
//! their cards say, and where no restorer of faces is among them the document keeps what it says of faces. For every
//! model that is scored a sheet of native photographs is written beside the document.

use std::path::{Path, PathBuf};

use dettaglio_core::enlarge::{Averaging, resample_in};
use dettaglio_core::face::Finder;
use dettaglio_core::forecast;
use dettaglio_core::model::{Model, Shelf};
use dettaglio_core::picture::Planes;
use dettaglio_domain::forecast::Rates;
use dettaglio_domain::geometry::Size;
use dettaglio_domain::kernel::Kernel;
use dettaglio_domain::model::{Card, Kind};

mod cleaning;
#[path = "../damage/mod.rs"]
mod damage;
mod enlarging;
mod faces;
mod night;
mod perception;
mod plain;
mod sets;
mod sheets;

use damage::Outcome;
use sets::Sets;

fn main() -> Outcome<()> {
    let arguments: Vec<PathBuf> = std::env::args_os().skip(1).map(PathBuf::from).collect();
    let [pictures, models, document, only @ ..] = &arguments[..] else {
        return Err("usage: evaluate PICTURES MODELS DOCUMENT [MODEL...]".into());
    };
    let sets = Sets::load(pictures)?;
    let shelf = Shelf::open(models)?;
    let wanted = |card: &Card| only.is_empty() || only.iter().any(|id| id.as_os_str() == card.id.as_str());
    let mut rates = Rates::default();
    if let Some(error) = forecast::measure(&mut rates, &shelf).into_iter().next() {
        return Err(error.into());
    }
    let seconds_per_megapixel = |card: &Card| 1e6 / rates.models[&card.id];
    let mut judge = perception::Judge::open(pictures)?;
    let natives = sheets::load(pictures)?;
    let sheets_in = document.with_file_name("sheets");
    let mut cards = Vec::new();
    for model in shelf.models().iter().filter(|m| m.card().kind() == Kind::Enlarge) {
        let mut card = model.card().clone();
        if wanted(&card) {
            card = card.with_scores(enlarging::score(&shelf, model, &sets, &mut judge)?);
            sheets::write(model, &natives, &sheets_in)?;
            write_card(models, &card)?;
        }
        println!("{}: {:+.2} dB over bicubic on its own subject", card.id, enlarging::own_gain(&card));
        let seconds = seconds_per_megapixel(&card);
        cards.push((card, seconds, enlarging::seams(&shelf, model, &sets)?));
    }
    let mut text = enlarging::document(&cards)?;
    text.push_str(cleaning::INTRODUCTION);
    for model in shelf.models().iter().filter(|m| m.card().kind() == Kind::Clean) {
        let mut card = model.card().clone();
        if wanted(&card) {
            card = card.with_cleaning(cleaning::score(model, &sets)?);
            sheets::write(model, &natives, &sheets_in)?;
            write_card(models, &card)?;
        }
        for score in card.cleaning().iter().filter(|s| s.before > 0.0) {
            println!("{}: {:+.2} dB on {}", card.id, score.after - score.before, score.damage);
        }
        cleaning::describe(&mut text, &card, seconds_per_megapixel(&card))?;
    }
    let cleaners: Vec<(&Card, &Model)> =
        shelf.models().iter().filter(|m| m.card().kind() == Kind::Clean).map(|m| (m.card(), &**m)).collect();
    text.push_str(&plain::table(&cleaners, sets.photographs(), pictures)?);
    text.push_str(&night::table(&cleaners)?);
    cleaning::before_enlarging(&mut text, &shelf, sets.photographs())?;
    let faces = shelf.models().iter().any(|m| m.card().kind() == Kind::Face && wanted(m.card()));
    match earlier_faces(document).filter(|_| !faces) {
        Some(earlier) => text.push_str(&earlier),
        None => face_part(&mut text, &shelf, &sets, models, document, &wanted)?,
    }
    text.push_str(sets::CREDITS);
    std::fs::write(document, text)?;
    Ok(())
}

/// What the document says of faces already; to be kept where no restorer is scored anew.
fn earlier_faces(document: &Path) -> Option<String> {
    let text = std::fs::read_to_string(document).ok()?;
    let heading = faces::INTRODUCTION.lines().find(|line| line.starts_with('#'))?;
    let (start, end) = (text.find(&format!("\n{heading}\n"))?, text.find(sets::CREDITS.lines().nth(1)?)?);
    // The line before the credits is theirs.
    text.get(start..end.checked_sub(1)?).map(str::to_owned)
}

/// The people that are kept in the repository for this.
const PEOPLE: &str = "foundry/heads/kept";

/// Those that restorers learn from: enough to see how heads are found that are turned away.
const LEARNED: &str = "foundry/heads/training";

/// Finding and restoring faces, and the contact sheet beside the document.
fn face_part(
    text: &mut String,
    shelf: &Shelf,
    sets: &Sets,
    models: &Path,
    document: &Path,
    wanted: &dyn Fn(&Card) -> bool,
) -> Outcome<()> {
    let people = faces::people(Path::new(PEOPLE))?;
    text.push_str(faces::INTRODUCTION);
    let finder = Finder::open(&models.join("faces"))?;
    text.push_str(&faces::finding(&finder, &people)?);
    text.push_str(&faces::finding_turned(&finder, Path::new(LEARNED))?);
    text.push_str(&faces::finding_nobody(&finder, &sets.without_people())?);
    for model in shelf.models().iter().filter(|m| m.card().kind() == Kind::Face) {
        let mut card = model.card().clone();
        let faces::Judged { scores, strength, tables } = faces::judged(model, shelf, &people)?;
        println!("{}: {:.0} % is suggested", card.id, 100.0 * strength);
        for score in &scores {
            println!(
                "{}: {:+.2} dB on {}, at least {:+.2}",
                card.id,
                score.after - score.before,
                score.damage,
                score.least_gain
            );
        }
        if wanted(&card) {
            card = card.with_cleaning(scores).with_strength(Some(strength));
            write_card(models, &card)?;
        }
        text.push_str(&tables);
    }
    if shelf.restorer().is_some() {
        faces::sheet(shelf, &people, &document.with_file_name("faces.jpg"))?;
        text.push_str("\n![Before, by Everyday, with the face restored](faces.jpg)\n\nBefore (bicubic), by Everyday, with the face restored at full strength: out of focus at 32 px and by phone at 24 px in turn.\n");
    }
    Ok(())
}

fn write_card(models: &Path, card: &Card) -> Outcome<()> {
    let path = models.join(&card.id).with_extension("json");
    Ok(std::fs::write(path, serde_json::to_string_pretty(card)? + "\n")?)
}

/// Shrunk, and rounded to 8 bits as a file would be.
fn shrunk(truth: &Planes, small: Size, averaging: Averaging) -> Planes {
    let planes = resample_in(truth, small, small.whole(), Kernel::Bicubic, averaging);
    damage::rounded(&planes)
}

fn clamped(planes: Planes) -> Planes {
    damage::map(&planes, |v| v.clamp(0.0, 1.0))
}

fn rounded(value: f64, digits: i32) -> f64 {
    let scale = 10_f64.powi(digits);
    (value * scale).round() / scale
}
