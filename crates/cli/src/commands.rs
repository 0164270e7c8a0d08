//! What each command does.

use std::path::{Path, PathBuf};

use anyhow::{Context, bail};
use dettaglio_core::codec::{self, Format, OutputSettings};
use dettaglio_core::enlarge::Kernel;
use dettaglio_core::hash::ContentHash;
use dettaglio_core::limits::Limits;
use dettaglio_core::model::{Grade, Shelf};
use dettaglio_core::picture::{Depth, Size};
use dettaglio_core::render::{self, Renderer, Unhurried};
use dettaglio_core::size::{self, Resolved};
use dettaglio_core::treatment::Treatment;
use indicatif::{ProgressBar, ProgressStyle};

use crate::args::{EnlargeArgs, ModelsArgs, ShelfArgs, SizeArgs, pixels};

/// The subject whose models are used when none is named.
const DEFAULT_SUBJECT: &str = "everyday";

/// Tiles that a run shares between its bands are in a store of its own; this one only serves single regions.
const SHARED_TILES: usize = 1 << 20;

pub fn enlarge(args: &EnlargeArgs) -> anyhow::Result<()> {
    let target = args.target.target()?;
    let ending = args.output.extension().and_then(|e| e.to_str()).unwrap_or_default();
    let format: Format = ending.parse().with_context(|| args.output.display().to_string())?;
    if args.output.exists() && !args.force {
        bail!("{} exists: choose another name, or give --force to replace it", args.output.display());
    }
    let limits = Limits::default();
    let shelf = shelf(&args.shelf)?;
    let hash = ContentHash::of_file(&args.input).with_context(|| args.input.display().to_string())?;
    let decoded = codec::read(&args.input, hash, &limits).with_context(|| args.input.display().to_string())?;
    if same_file(&args.input, &args.output) {
        bail!("the output is the original itself, which is never changed: choose another name");
    }
    let original = decoded.original;
    let resolved = target.resolve(original.size())?;
    let depth = args.depth.unwrap_or(if format.holds_sixteen_bits() { original.depth() } else { Depth::Eight });
    limits.check_output(resolved.size, format, depth, None)?;
    let treatment = treatment(args, &shelf, original.size(), &resolved)?;
    let settings = OutputSettings { format, depth, quality: args.quality, ppi: args.target.ppi };

    let bar = ProgressBar::new(1000).with_style(
        ProgressStyle::with_template("{msg} {bar:32} {percent:>3} %, {eta} left").expect("a fixed template"),
    );
    bar.set_message(treatment.describe(&shelf));
    let renderer = Renderer::new(shelf, SHARED_TILES);
    let progress = |share: f64| bar.set_position((share * 1000.0) as u64);
    render::run(&renderer, &original, &treatment, settings, &args.output, &Unhurried, &progress)
        .with_context(|| args.output.display().to_string())?;
    bar.finish_and_clear();
    println!("{}: {}, {}", args.output.display(), resolved.size, treatment.describe(renderer.shelf()));
    Ok(())
}

fn treatment(args: &EnlargeArgs, shelf: &Shelf, original: Size, resolved: &Resolved) -> anyhow::Result<Treatment> {
    let plain = match args.model.as_deref() {
        Some("nearest") => Some(Kernel::Nearest),
        Some("bicubic") => Some(Kernel::Bicubic),
        Some("lanczos3") => Some(Kernel::Lanczos3),
        _ => None,
    };
    match (plain, &args.model) {
        (Some(kernel), _) => Ok(Treatment::plain(kernel, resolved.size)),
        (None, Some(id)) => Ok(Treatment::with_model(shelf, id, original, resolved.size)?),
        (None, None) => {
            let grade = if args.draft { Grade::Draft } else { Grade::Fine };
            Ok(Treatment::learned(shelf, DEFAULT_SUBJECT, grade, original, resolved.size))
        }
    }
}

pub fn models(args: &ModelsArgs) -> anyhow::Result<()> {
    let shelf = shelf(&args.shelf)?;
    if args.json {
        let cards: Vec<_> = shelf.models().iter().map(|m| m.card()).collect();
        println!("{}", serde_json::to_string_pretty(&cards)?);
        return Ok(());
    }
    for model in shelf.models() {
        let card = model.card();
        let gains: Vec<f64> = card.scores.iter().map(|s| s.gain()).collect();
        let gain = match gains.len() {
            0 => "not measured".to_owned(),
            n => format!("{:+.2} dB over bicubic on {n} photographs", gains.iter().sum::<f64>() / n as f64),
        };
        println!("{:<20} {} ({gain})\n{:<20} {}", card.id, card.title(), "", card.purpose);
    }
    println!("{:<20} plain resampling, for comparison", "nearest, bicubic, lanczos3");
    Ok(())
}

pub fn size(args: &SizeArgs) -> anyhow::Result<()> {
    let original = match pixels(&args.original) {
        Some(size) => size,
        None => {
            let path = Path::new(&args.original);
            let hash = ContentHash::of_file(path)
                .with_context(|| format!("\"{}\" is neither a size like 1500x1000 nor a file", args.original))?;
            codec::read(path, hash, &Limits::default()).with_context(|| args.original.clone())?.original.size()
        }
    };
    let resolved = args.target.target()?.resolve(original)?;
    if args.json {
        println!("{}", serde_json::to_string_pretty(&resolved)?);
        return Ok(());
    }
    let size = resolved.size;
    println!("{original} to {size}: {:.2} times, {:.1} megapixels", resolved.factor, size.megapixels());
    if let Some(print) = resolved.print {
        let (usual, sharp) = (print.usual_distance_m(), size::sharp_from_m(print.original_ppi));
        println!("on a sheet of {} the picture is {} at {} ppi", print.paper, print.picture, print.ppi);
        println!(
            "the original's own pixels give {:.0} ppi there: enough for the eye from {sharp:.2} m",
            print.original_ppi
        );
        println!("usually seen from {usual:.2} m, where the eye can use {:.0} ppi", size::eye_ppi(usual));
    }
    Ok(())
}

/// The shelf in the named folder, or in the nearest `models` folder above the program or the working folder.
fn shelf(args: &ShelfArgs) -> anyhow::Result<Shelf> {
    let folder = match &args.folder {
        Some(folder) => folder.clone(),
        None => find_models().context("no folder of models found: name one with --models or DETTAGLIO_MODELS")?,
    };
    Ok(Shelf::open(&folder)?)
}

fn find_models() -> Option<PathBuf> {
    let starts = [std::env::current_exe().ok()?, std::env::current_dir().ok()?];
    let folders = starts.iter().flat_map(|start| start.ancestors()).map(|folder| folder.join("models"));
    folders.into_iter().find(|folder| folder.join("everyday-x2-draft.json").is_file())
}

fn same_file(a: &Path, b: &Path) -> bool {
    matches!((a.canonicalize(), b.canonicalize()), (Ok(a), Ok(b)) if a == b)
}
