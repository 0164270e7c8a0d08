//! Rehearsals on the command line: a table per picture, and one over all.

use std::path::Path;

use anyhow::Context;
use dettaglio_core::model::Shelf;
use dettaglio_core::reading;
use dettaglio_core::rehearsal::{PutBack, Rehearsal, SIDE, choose};
use dettaglio_core::render::Unhurried;
use dettaglio_domain::clean::Clean;
use dettaglio_domain::recipe::Choice;
use dettaglio_domain::rehearsal::{Candidate, Figures, Standing, Tally, candidates};

use crate::args::RehearseArgs;
use crate::commands::{one_by_one, open, pictures, progress_bar};
use crate::devices::ready_shelf;

/// Shrinks every input, enlarges it again by all candidates, and prints what came of it.
pub fn rehearse(args: &RehearseArgs) -> anyhow::Result<()> {
    let shelf = ready_shelf(&args.shelf)?;
    for id in &args.models {
        shelf.get(id)?;
    }
    let inputs = pictures(&args.inputs)?;
    let mut standings = Vec::new();
    if args.csv {
        say!("picture,candidate,parts,psnr,ssim,sharpness,screen,drift,seconds_per_megapixel,trouble");
    }
    let outcome = one_by_one(&inputs, "rehearsed", |input, count| {
        let standing = rehearse_one(args, &shelf, input, count)?;
        print(args, input, &standing)?;
        standings.push(standing);
        Ok(())
    });
    if standings.len() > 1 && !args.csv && !args.json {
        say!("\nall {} pictures", standings.len());
        let over_all = |(name, tally): (String, Tally)| Some((name, tally.parts(), tally.over_all()?));
        let mut rows: Vec<_> = Standing::together(&standings).into_iter().filter_map(over_all).collect();
        rows.sort_by(|a, b| b.2.psnr.total_cmp(&a.2.psnr));
        for (name, pictures, figures) in rows {
            line(&name, Some(&figures), &format!("{pictures} pictures"));
        }
    }
    outcome
}

fn rehearse_one(args: &RehearseArgs, shelf: &Shelf, input: &Path, count: &str) -> anyhow::Result<Standing> {
    let named = || input.display().to_string();
    let decoded = open(input)?;
    let put_back = match args.put_back {
        true => PutBack::of(&reading::measure(&decoded.original, &decoded.facts)),
        false => PutBack::default(),
    };
    let parts = choose(&decoded.original, args.parts as usize, SIDE);
    let clean = Clean { marks: put_back.marks(shelf), ..Clean::default() };
    let mut all = candidates(shelf, args.factor, &clean);
    if !args.models.is_empty() {
        all.retain(|candidate| is_wanted(args, shelf, candidate));
    }
    let rehearsal = Rehearsal::new(&decoded.original, &parts, args.factor, put_back, all).with_context(named)?;
    let bar = progress_bar(rehearsal.turns().count() as u64, format!("{count}{}", input.display()));
    let standing = rehearsal.run(shelf, &Unhurried, |_| bar.inc(1)).with_context(named)?;
    bar.finish_and_clear();
    Ok(standing)
}

fn is_wanted(args: &RehearseArgs, shelf: &Shelf, candidate: &Candidate) -> bool {
    match &candidate.steps.enlarge {
        Choice::Plain { .. } | Choice::Traced(_) => true,
        Choice::Learned { subject, grade, .. } => args.models.iter().any(|id| {
            let card = shelf.get(id).map(|m| m.card());
            card.is_ok_and(|card| (&card.subject, card.grade) == (subject, *grade))
        }),
    }
}

fn print(args: &RehearseArgs, input: &Path, standing: &Standing) -> anyhow::Result<()> {
    if args.json {
        let one = serde_json::json!({ "picture": input.display().to_string(), "rehearsal": standing });
        say!("{}", serde_json::to_string(&one)?);
        return Ok(());
    }
    if args.csv {
        for row in &standing.rows {
            let quoted = |text: &str| format!("\"{}\"", text.replace('"', "\"\""));
            let of = |figure: &dyn Fn(&Figures) -> Option<f64>| {
                row.figures.as_ref().and_then(figure).map_or(String::new(), |v| format!("{v:.4}"))
            };
            say!(
                "{},{},{},{},{},{},{},{},{},{}",
                quoted(&input.display().to_string()),
                quoted(&row.candidate.name),
                row.parts,
                of(&|f| Some(f.psnr)),
                of(&|f| Some(f.ssim)),
                of(&|f| Some(f.sharpness)),
                of(&|f| f.screen),
                of(&|f| Some(f.drift)),
                row.seconds_per_megapixel.map_or(String::new(), |s| format!("{s:.3}")),
                quoted(row.trouble.as_deref().unwrap_or_default())
            );
        }
        return Ok(());
    }
    say!("{}: {} parts, enlarged {} times again", input.display(), standing.parts.len(), standing.factor);
    let mut rows: Vec<_> = standing.rows.iter().collect();
    let psnr = |row: &dettaglio_domain::rehearsal::Row| row.figures.map_or(f64::NEG_INFINITY, |f| f.psnr);
    rows.sort_by(|a, b| psnr(b).total_cmp(&psnr(a)));
    for row in rows {
        let speed = row.seconds_per_megapixel.map_or(String::new(), |s| format!("{s:.1} s/MP"));
        line(&row.candidate.name, row.figures.as_ref(), row.trouble.as_deref().unwrap_or(&speed));
    }
    Ok(())
}

fn line(name: &str, figures: Option<&Figures>, note: &str) {
    match figures {
        None => say!("  {name:<34} {note}"),
        Some(f) => {
            let screen = match f.screen {
                Some(screen) if f.draws_screen() => format!("draws a screen ({screen:.0})"),
                Some(screen) => format!("screen {screen:.1}"),
                None => String::new(),
            };
            say!(
                "  {name:<34} {:6.2} dB  SSIM {:.4}  sharpness {:.2}  drift {:.2}  {screen:<24} {note}",
                f.psnr,
                f.ssim,
                f.sharpness,
                f.drift
            );
        }
    }
}
