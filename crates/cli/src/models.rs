//! The shelf: which models there are, adding one's own, retiring and restoring.

use std::path::{Path, PathBuf};

use anyhow::{Context, bail};
use dettaglio_core::face::Finder;
use dettaglio_core::model::own::try_file;
use dettaglio_core::model::{OwnModels, Shelf};
use dettaglio_domain::model::Card;

use crate::args::{ModelsArgs, ModelsCommand, ShelfArgs};

pub fn models(args: &ModelsArgs) -> anyhow::Result<()> {
    match &args.command {
        None => list(args),
        Some(ModelsCommand::Add { file, name, shelf }) => add(file, name.as_deref(), shelf),
        Some(ModelsCommand::Retire { id, shelf }) => retire(id, shelf),
        Some(ModelsCommand::Restore { id, shelf: args }) => {
            shelf(args)?.get(id)?;
            own(args)?.set_retired(id, false)?;
            say!("{id} is offered again");
            Ok(())
        }
    }
}

fn list(args: &ModelsArgs) -> anyhow::Result<()> {
    let shelf = shelf(&args.shelf)?;
    if args.json {
        let cards: Vec<_> = shelf.models().iter().map(|m| m.card()).collect();
        say!("{}", serde_json::to_string_pretty(&cards)?);
        return Ok(());
    }
    for model in shelf.models() {
        let card = model.card();
        let retired = if model.is_retired() { ", retired" } else { "" };
        say!("{:<20} {} ({}{retired})\n{:<20} {}", card.id, card.title(), evidence(card), "", card.purpose);
    }
    say!("{:<20} plain resampling, for comparison", "nearest, bicubic, lanczos3");
    Ok(())
}

/// What was measured of it, in a few words.
fn evidence(card: &Card) -> String {
    if let Some(trial) = &card.trial {
        return format!(
            "your own; x{}, {:.2} megapixels a second when it was tried",
            trial.factor,
            trial.pixels_per_second / 1e6
        );
    }
    if let Some(gain) = card.enlarging_gain() {
        let seen = card.perceived_nearer().map_or(String::new(), |share| {
            let way = if share < 0.0 { "further from" } else { "nearer to" };
            format!(", as a general network sees it {:.0} % {way} the truth than Everyday", 100.0 * share.abs())
        });
        let pattern = if card.draws_screen() { "; lays a regular pattern over fine texture" } else { "" };
        return format!("{gain:+.2} dB over bicubic on {} pictures{seen}{pattern}", card.own_scores().len());
    }
    let evidence = card.evidence();
    let own = evidence.iter().filter(|evidence| evidence.own);
    let each: Vec<String> = own.map(|evidence| format!("{:+.1} dB on {}", evidence.mean, evidence.on)).collect();
    if each.is_empty() { "not measured".to_owned() } else { each.join(", ") }
}

fn add(file: &Path, name: Option<&str>, args: &ShelfArgs) -> anyhow::Result<()> {
    let named = || file.display().to_string();
    let trial = try_file(&std::env::current_exe()?, file).with_context(named)?;
    let file_name = file.file_name().unwrap_or_default().to_string_lossy();
    let name = name.unwrap_or_else(|| file_name.trim_end_matches(".onnx"));
    let card = own(args)?
        .add(file, name, &file_name, trial, &chrono::Utc::now().format("%Y-%m-%d").to_string())
        .with_context(named)?;
    let Some(trial) = &card.trial else { bail!("{} has no trial", card.id) };
    say!("{} is on the shelf as {}", card.name, card.id);
    say!(
        "x{}, halo {} px, sides in multiples of {}, {}, {:.2} megapixels a second; tiles differ from the whole by {:.3} of 255 levels",
        trial.factor,
        trial.halo,
        trial.multiple,
        if trial.format.channels == 1 { "brightness alone" } else { "three colours" },
        trial.pixels_per_second / 1e6,
        trial.tile_difference
    );
    Ok(())
}

fn retire(id: &str, args: &ShelfArgs) -> anyhow::Result<()> {
    shelf(args)?.check_retire(id)?;
    own(args)?.set_retired(id, true)?;
    say!("{id} is no longer offered; treatments that name it still run");
    Ok(())
}

/// The shipped models in the named folder, or in the nearest `models` folder above the program or the working folder;
/// and one's own.
pub fn shelf(args: &ShelfArgs) -> anyhow::Result<Shelf> {
    let (shelf, troubles) = Shelf::open(&shipped(args)?)?.with_own(&own(args)?);
    for trouble in troubles {
        eprintln!("dettaglio: {trouble}");
    }
    Ok(shelf)
}

/// What finds faces, by the files beside the shipped models.
pub fn finder(args: &ShelfArgs) -> anyhow::Result<Finder> {
    Ok(Finder::open(&shipped(args)?.join("faces"))?)
}

pub fn shipped(args: &ShelfArgs) -> anyhow::Result<PathBuf> {
    match &args.folder {
        Some(folder) => Ok(folder.clone()),
        None => find_models().context("no folder of models found: name one with --models or DETTAGLIO_MODELS"),
    }
}

fn own(args: &ShelfArgs) -> anyhow::Result<OwnModels> {
    Ok(OwnModels::at(&data(args)?.join("files/models")))
}

/// The server's data folder.
pub fn data(args: &ShelfArgs) -> anyhow::Result<PathBuf> {
    match &args.data {
        Some(data) => Ok(data.clone()),
        None => Ok(shipped(args)?.parent().unwrap_or(Path::new(".")).join(".dettaglio")),
    }
}

fn find_models() -> Option<PathBuf> {
    let starts = [std::env::current_exe().ok()?, std::env::current_dir().ok()?];
    let folders = starts.iter().flat_map(|start| start.ancestors()).map(|folder| folder.join("models"));
    folders.into_iter().find(|folder| folder.join("everyday-x2-draft.json").is_file())
}
