//! `dettaglio trace`: an emblem or lettering as shapes.

use anyhow::{Context, bail};
use dettaglio_core::reading;
use dettaglio_core::render::{Renderer, Unhurried};
use dettaglio_core::trace::{DrawingFile, drawing, hex};
use dettaglio_domain::frame::Frame;
use dettaglio_domain::recipe::Surround;
use dettaglio_domain::size::Target;

use crate::args::TraceArgs;
use crate::commands::{SHARED_TILES, free_to_write, open};
use crate::devices::ready_shelf;
use crate::steps;

pub fn trace(args: &TraceArgs) -> anyhow::Result<()> {
    let ending = args.output.extension().and_then(|e| e.to_str()).unwrap_or_default();
    let Some(format) = DrawingFile::of_ending(ending) else {
        bail!("{} ends in neither svg nor pdf, which is what shapes are written as", args.output.display());
    };
    free_to_write(&args.input, &args.output, args.force)?;
    let shelf = ready_shelf(&args.shelf)?;
    let decoded = open(&args.input)?;
    let named = || args.input.display().to_string();
    let (original, size) = (&decoded.original, decoded.original.size());
    let reading = reading::measure(original, &decoded.facts);
    // Cleaned as it is suggested for what it is enlarged by.
    let target = Target::Factor { factor: 4.0 };
    let suggestion = steps::suggestion(&decoded, &reading, &[], &shelf, size, target, None).with_context(named)?;
    let recipe = suggestion.recipe(Frame::default(), Surround::None);
    let renderer = Renderer::new(shelf, SHARED_TILES);
    let traced = drawing(&renderer, original, &recipe, args.colours as usize, &Unhurried).with_context(named)?;
    let print = args.print.map(|paper| paper.holding_mm(size));
    let file = format.bytes(&traced, print);
    std::fs::write(&args.output, &file).with_context(|| args.output.display().to_string())?;
    let colours: Vec<String> = traced.colours().into_iter().map(hex).collect();
    say!(
        "{}: {} shapes, {} nodes, {:.1} kB, in {}",
        args.output.display(),
        traced.outlines(),
        traced.nodes(),
        file.len() as f64 / 1000.0,
        colours.join(" ")
    );
    Ok(())
}
