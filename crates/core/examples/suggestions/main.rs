//! What suggestions are worth, on pictures whose truth is known and that no model was trained on.
//!
//!     cargo run --release -p dettaglio-core --example suggestions -- foundry/held-out models docs/suggestions.md
//!
//! Each picture is shrunk to half its size in light and kept as PNG or JPEG; what is suggested for twice its size is compared
//! with the truth, beside Everyday alone and bicubic.

use std::fmt::Write as _;
use std::io::Write as _;
use std::path::{Path, PathBuf};
use std::time::Instant;

use dettaglio_core::codec::{self, Decoded, png_bytes};
use dettaglio_core::compare::{drift, psnr};
use dettaglio_core::enlarge::{Averaging, resample_in};
use dettaglio_core::model::Shelf;
use dettaglio_core::picture::{Original, Planes};
use dettaglio_core::rehearsal::{PutBack, Scene, divided};
use dettaglio_core::render::{Renderer, Unhurried};
use dettaglio_core::{reading, sight, trial};
use dettaglio_domain::clean::Clean;
use dettaglio_domain::file::Facts;
use dettaglio_domain::geometry::{Region, Size};
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::kernel::Kernel;
use dettaglio_domain::limits::Limits;
use dettaglio_domain::model::EVERYDAY;
use dettaglio_domain::reading::Reading;
use dettaglio_domain::recipe::{Choice, Recipe, Surround};
use dettaglio_domain::rehearsal::{Candidate, Tally, candidates};
use dettaglio_domain::size::Target;
use dettaglio_domain::suggest::{PrintFacts, Suggestion, usual_grade};

#[path = "../damage/mod.rs"]
mod damage;
#[path = "../evaluate/night.rs"]
mod night;

use damage::{Outcome, Photo};

/// Long sides of the truth of small pictures, in pixels.
const SMALL: [u32; 6] = [200, 300, 440, 600, 800, 1000];

/// Long side of the truth of full pictures, at most.
const FULL: u32 = 1600;

/// JPEG qualities; nothing for PNG.
const QUALITIES: [Option<u8>; 5] = [None, Some(95), Some(85), Some(75), Some(60)];

const FACTOR: u32 = 2;

/// A picture whose truth is known.
struct Case {
    name: String,
    truth: Planes,
    picture: Original,
    facts: Facts,
}

/// What came of one.
struct Found {
    name: String,
    size: Size,
    quality: Option<u8>,
    bicubic: f64,
    everyday: f64,
    suggested: f64,
    /// Mean CIEDE2000 of 8 px averages against the truth: of bicubic, and of what is suggested.
    drift: (f64, f64),
    what: String,
    /// dB that the suggested model lacks of the best on the shelf, rehearsed on the whole picture.
    lacks: Option<(f64, String)>,
    seconds: f64,
}

fn main() -> Outcome<()> {
    let arguments: Vec<PathBuf> = std::env::args_os().skip(1).map(PathBuf::from).collect();
    let [pictures, models, document, rest @ ..] = &arguments[..] else {
        return Err("usage: suggestions PICTURES MODELS DOCUMENT [small|full]".into());
    };
    let shelf = Shelf::open(models)?;
    let wanted = |part: &str| rest.is_empty() || rest.iter().any(|w| w.as_os_str() == part);
    let mut text = String::from(INTRODUCTION);
    for (part, title) in [("small", "Small pictures"), ("full", "Full pictures")] {
        if !wanted(part) {
            continue;
        }
        let (photos, mut found) = (photos(pictures, part)?, Vec::new());
        for (i, photo) in photos.iter().enumerate() {
            let long = if part == "small" { SMALL[i % SMALL.len()] } else { FULL };
            let Some(case) = case(photo, long, QUALITIES[i % QUALITIES.len()])? else { continue };
            let one = judge(&shelf, case, QUALITIES[i % QUALITIES.len()], part == "small")?;
            println!(
                "{part} {:<22} {:>9} {:>4} bicubic {:6.2} everyday {:6.2} suggested {:+5.2} drift {:.2} {:.2} lacks {:5.2} {:.2} s  {}  [{}]",
                one.name,
                one.size.to_string(),
                one.quality.map_or("png".to_owned(), |q| q.to_string()),
                one.bicubic,
                one.everyday,
                one.suggested - one.everyday,
                one.drift.0,
                one.drift.1,
                one.lacks.as_ref().map_or(0.0, |l| l.0),
                one.seconds,
                one.what,
                one.lacks.as_ref().map_or("", |l| &l.1)
            );
            found.push(one);
        }
        table(&mut text, title, &found)?;
    }
    noise(&mut text, &photos(pictures, "small")?)?;
    text.push_str("\n## A night sky, cleaned as suggested\n\nAs in [models.md](models.md), through the whole path with grain 90 %, speckle 100 % and texture 10 %.\n");
    text.push_str(&night::as_suggested(&shelf)?);
    std::fs::write(document, text)?;
    Ok(())
}

const INTRODUCTION: &str = "\
# Suggestions, measured

Written by `cargo run --release -p dettaglio-core --example suggestions -- foundry/held-out models docs/suggestions.md`.

Pictures that no model was trained on ([models.md](models.md) names them), shrunk to half in light, as a sensor would, and kept as PNG or as
JPEG of quality 60 to 95. What is suggested for twice the size is compared with the truth: dB of luminance, beside Everyday alone (in the
grade that is usual) and bicubic. *Lacks* is how much nearer the best method of the whole shelf that draws no pattern comes than the suggested one, rehearsed on
the whole picture; *drift* the mean CIEDE2000 of 8 px averages
against the truth: how far colour and tone lie from it. Small pictures are the middle of those; full ones the photographs as their cameras
wrote them, up to 1600 px of their middle.
";

fn clamped(planes: Planes) -> Planes {
    damage::map(&planes, |v| v.clamp(0.0, 1.0))
}

/// All pictures of a part.
fn photos(pictures: &Path, part: &str) -> Outcome<Vec<Photo>> {
    if part == "full" {
        let mut all = as_taken(&pictures.join(".sources"))?;
        all.extend(damage::load(&pictures.join("lettering"))?);
        return Ok(all);
    }
    let mut all = Vec::new();
    for set in ["native", "fur", "foliage", "lettering", "."] {
        all.extend(damage::load(&pictures.join(set))?);
    }
    Ok(all)
}

/// The middle of each photograph as its camera wrote it; those of formats that are not read are left out.
fn as_taken(folder: &Path) -> Outcome<Vec<Photo>> {
    let mut paths = std::fs::read_dir(folder)?.map(|e| e.map(|e| e.path())).collect::<Result<Vec<_>, _>>()?;
    paths.sort();
    let mut photos = Vec::new();
    for path in paths {
        let Ok(decoded) = codec::read(&path, ContentHash::of_file(&path)?, &Limits::default()) else { continue };
        let size = decoded.original.size();
        let stem = path.file_stem().unwrap_or_default().to_string_lossy();
        let name = stem.rsplit("__").next().unwrap_or_default().to_owned();
        let (width, height) = (size.width.min(FULL), size.height.min(FULL));
        let middle = Region::of((size.width - width) / 2, (size.height - height) / 2, width, height);
        photos.push(Photo { name, planes: decoded.original.region(middle) });
    }
    Ok(photos)
}

/// The middle of a picture, shrunk.
fn case(photo: &Photo, long: u32, quality: Option<u8>) -> Outcome<Option<Case>> {
    let whole = photo.planes.size();
    let scale = (f64::from(long) / f64::from(whole.long_edge())).min(1.0);
    let side = |px: u32| (f64::from(px) * scale) as u32 / FACTOR * FACTOR;
    let size = Size::new(side(whole.width), side(whole.height));
    if size.short_edge() < 100 {
        return Ok(None);
    }
    let at = Region::new((whole.width - size.width) / 2, (whole.height - size.height) / 2, size.width, size.height);
    let truth = photo.planes.cut(at);
    let small = Size::new(size.width / FACTOR, size.height / FACTOR);
    let planes = damage::rounded(&resample_in(&truth, small, small.whole(), Kernel::Bicubic, Averaging::Light));
    let decoded = as_file(&planes, quality)?;
    Ok(Some(Case { name: photo.name.clone(), truth, picture: decoded.original, facts: decoded.facts }))
}

/// Through a file and back.
fn as_file(planes: &Planes, quality: Option<u8>) -> Outcome<Decoded> {
    let bytes = match quality {
        Some(quality) => damage::jpeg_file(planes, quality)?,
        None => png_bytes(planes),
    };
    let mut file = tempfile::NamedTempFile::new()?;
    file.write_all(&bytes)?;
    Ok(codec::read(file.path(), ContentHash::of(&bytes), &Limits::default())?)
}

fn judge(shelf: &Shelf, case: Case, quality: Option<u8>, whole_shelf: bool) -> Outcome<Found> {
    let Case { name, truth, picture, facts } = case;
    let renderer = Renderer::new(shelf.clone(), 64 << 20);
    let reading = sight::read(&picture, &facts, shelf)?;
    let shows = reading.shows(&[], facts.size);
    let start = Instant::now();
    let trial = trial::run(&picture, &reading, shows, shelf, FACTOR, &Unhurried)?;
    let seconds = start.elapsed().as_secs_f64();
    let print = PrintFacts { factor: f64::from(FACTOR), ppi: None, distance_m: None };
    let suggestion = Suggestion::of(&reading, trial.as_ref(), &[], &facts, shelf, print);
    let made = |recipe: &Recipe| -> Outcome<Planes> {
        let target = Target::Factor { factor: f64::from(FACTOR) };
        let treatment = recipe.work_out(shelf, picture.size(), target)?.treatment;
        Ok(renderer.render(&picture, &treatment, treatment.size.whole().seen_as(), &Unhurried)?)
    };
    let border = FACTOR + 4;
    let of = |recipe: &Recipe| -> Outcome<f64> { Ok(psnr(&made(recipe)?, &truth, border)) };
    let recipe = suggestion.recipe(dettaglio_domain::frame::Frame::default(), Surround::None);
    let suggested = made(&recipe)?;
    let everyday = Recipe::learned(EVERYDAY, usual_grade(EVERYDAY, shelf, f64::from(FACTOR)));
    let plain = Recipe::only(Choice::Plain { kernel: Kernel::Bicubic });
    let lacks = if whole_shelf { Some(lacks(&renderer, &picture, &reading, &recipe)?) } else { None };
    Ok(Found {
        name,
        size: picture.size(),
        quality,
        bicubic: of(&plain)?,
        everyday: of(&everyday)?,
        suggested: psnr(&suggested, &truth, border),
        drift: (drift(&made(&plain)?, &truth), drift(&suggested, &truth)),
        what: words(&recipe),
        lacks,
        seconds,
    })
}

/// The recipe in a few words.
fn words(recipe: &Recipe) -> String {
    let mut words = match &recipe.steps.enlarge {
        Choice::Learned { subject, grade, strength } => format!("{subject} {grade:?} {:.0} %", strength * 100.0),
        Choice::Plain { kernel } => kernel.to_string(),
        Choice::Traced(_) => "traced".to_owned(),
    };
    let clean = &recipe.steps.clean;
    if let Some(marks) = &clean.marks {
        write!(words, ", marks {:.0} %", marks.strength * 100.0).ok();
    }
    if let Some(noise) = &clean.noise {
        write!(words, ", noise {:.1}", noise.level.at(0.5)).ok();
    }
    if let Some(softness) = &clean.softness {
        write!(words, ", softness {:.0} %", softness.strength * 100.0).ok();
    }
    if let Some(edges) = &recipe.steps.finish.edges {
        write!(words, ", edges {:.2}", edges.strength).ok();
    }
    words
}

/// How much nearer the best enlarger of the shelf comes than the suggested one, in dB, on the whole picture.
fn lacks(renderer: &Renderer, picture: &Original, reading: &Reading, recipe: &Recipe) -> Outcome<(f64, String)> {
    let put_back = PutBack { noise: None, quality: reading.worst_quality().filter(|q| *q < 95.0) };
    let scenes: Result<Vec<Scene>, _> =
        divided(picture.size(), 512).into_iter().map(|part| Scene::new(picture, part, FACTOR, put_back)).collect();
    let clean = Clean { noise: None, softness: None, ..recipe.steps.clean.clone() };
    let (mut best, mut own) = ((f64::NEG_INFINITY, String::new()), f64::NEG_INFINITY);
    let scenes = scenes?;
    for candidate in candidates(&renderer.shelf(), FACTOR, &clean) {
        let mut tally = Tally::default();
        for scene in &scenes {
            tally.add(scene.figures(&scene.perform(renderer, &candidate.steps, &Unhurried)?, &renderer.shelf()));
        }
        let psnr = tally.over_all().map_or(f64::NEG_INFINITY, |f| f.psnr);
        if psnr > best.0 && draws_nothing(&renderer.shelf(), &candidate) {
            best = (psnr, candidate.name.clone());
        }
        if candidate.steps.enlarge.is_by_same(&recipe.steps.enlarge) {
            own = psnr;
        }
    }
    Ok((best.0 - own, best.1))
}

/// Whether no model of a candidate draws a pattern, by its card: one that does is never suggested.
fn draws_nothing(shelf: &Shelf, candidate: &Candidate) -> bool {
    match &candidate.steps.enlarge {
        Choice::Plain { .. } | Choice::Traced(_) => true,
        Choice::Learned { subject, grade, .. } => {
            shelf.chain(subject, *grade, f64::from(FACTOR)).iter().all(|m| !m.draws_screen())
        }
    }
}

fn table(text: &mut String, title: &str, found: &[Found]) -> std::fmt::Result {
    let gains: Vec<f64> = found.iter().map(|f| f.suggested - f.everyday).collect();
    let mean = |values: &[f64]| values.iter().sum::<f64>() / values.len().max(1) as f64;
    let worst = gains.iter().copied().fold(f64::INFINITY, f64::min);
    let lost = gains.iter().filter(|g| **g < -0.05).count();
    writeln!(text, "\n## {title}\n")?;
    writeln!(
        text,
        "{} pictures: **{:+.2} dB over Everyday alone on average, {worst:+.2} at worst**; {lost} lost more than 0.05 dB. Over bicubic {:+.2} dB.",
        found.len(),
        mean(&gains),
        mean(&found.iter().map(|f| f.suggested - f.bicubic).collect::<Vec<_>>()),
    )?;
    let lacks: Vec<f64> = found.iter().filter_map(|f| Some(f.lacks.as_ref()?.0)).collect();
    if !lacks.is_empty() {
        let near = lacks.iter().filter(|l| **l <= 0.1).count();
        writeln!(
            text,
            "The suggested model is the best of the shelf or within 0.1 dB of it on {near} of {}.",
            lacks.len()
        )?;
    }
    let further: Vec<f64> = found.iter().map(|f| f.drift.1 - f.drift.0).collect();
    writeln!(
        text,
        "Colour lies {:+.2} CIEDE2000 further from the truth than with bicubic on average, {:+.2} at most.",
        mean(&further),
        further.iter().copied().fold(f64::NEG_INFINITY, f64::max)
    )?;
    let slowest = found.iter().map(|f| f.seconds).fold(0.0, f64::max);
    writeln!(
        text,
        "A trial took {:.1} s on average, {slowest:.1} at most, when this was written.\n",
        mean(&found.iter().map(|f| f.seconds).collect::<Vec<_>>())
    )?;
    writeln!(
        text,
        "| picture | px | file | bicubic | Everyday | suggested | gain | drift: bicubic | suggested | lacks | what was suggested |"
    )?;
    writeln!(text, "|---|---|---|--:|--:|--:|--:|--:|--:|--:|---|")?;
    for f in found {
        writeln!(
            text,
            "| {} | {} | {} | {:.2} | {:.2} | {:.2} | {:+.2} | {:.2} | {:.2} | {} | {} |",
            f.name,
            f.size,
            f.quality.map_or("PNG".to_owned(), |q| format!("JPEG {q}")),
            f.bicubic,
            f.everyday,
            f.suggested,
            f.suggested - f.everyday,
            f.drift.0,
            f.drift.1,
            f.lacks.as_ref().map_or(String::new(), |l| format!("{:.2}", l.0)),
            f.what
        )?;
    }
    println!("{title}: mean {:+.3}, worst {worst:+.2}, lost {lost} of {}", mean(&gains), found.len());
    Ok(())
}

/// What is read as noise in small parts of pictures without any.
fn noise(text: &mut String, photos: &[Photo]) -> Outcome<()> {
    let mut sigmas = Vec::new();
    let mut hidden = 0;
    for photo in photos {
        let whole = photo.planes.size();
        let small = Size::new(whole.width / 2, whole.height / 2);
        let planes =
            damage::rounded(&resample_in(&photo.planes, small, small.whole(), Kernel::Bicubic, Averaging::Light));
        let (across, down) = (small.width / 200, small.height / 130);
        // Spread over the picture: three of a row.
        for i in 0..3.min(across * down) {
            let place = i * across * down / 3.min(across * down);
            let at = Region::new(place % across * 200, place / across * 130, 200, 130);
            let Decoded { original, facts } = as_file(&planes.cut(at), None)?;
            let reading = reading::measure(&original, &facts);
            if reading.noise.hidden { hidden += 1 } else { sigmas.push(reading.noise.sigma) }
        }
    }
    let above = sigmas.iter().filter(|s| **s > 2.0).count();
    let most = sigmas.iter().copied().fold(0.0, f32::max);
    writeln!(text, "\n## Noise in parts without any\n")?;
    writeln!(
        text,
        "{} parts of 200 x 130 px of photographs shrunk to half: noise cannot be told from texture in {hidden}; of the others {above} are read \
         as more than sigma 2, the most {most:.1}.",
        sigmas.len() + hidden
    )?;
    println!("noise: {} parts, {hidden} hidden, {above} above 2, most {most:.1}", sigmas.len() + hidden);
    Ok(())
}
