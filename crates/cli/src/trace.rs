//! `dettaglio trace`: an emblem or lettering as shapes.

use anyhow::{Context, bail};
use dettaglio_core::reading;
use dettaglio_core::render::{Renderer, Unhurried};
use dettaglio_core::trace::{drawing_bytes, to_hex};
use dettaglio_domain::frame::Frame;
use dettaglio_domain::recipe::{Choice, Surround};
use dettaglio_domain::size::Target;
use dettaglio_domain::trace::{DrawingFile, Tracing};

use crate::args::{InkArg, TraceArgs};
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
    let mut recipe = suggestion.recipe(Frame::default(), Surround::None);
    let inks = args.inks.iter().map(|InkArg(ink)| ink.clone()).collect();
    recipe.steps.enlarge = Choice::Traced(Tracing { colours: args.colours as usize, inks, clear: args.clear_ground });
    let worked = recipe.work_out(&shelf, size, Target::Factor { factor: 1.0 })?;
    let renderer = Renderer::new(shelf, SHARED_TILES);
    let shapes = renderer.shapes(original, &worked.treatment, &Unhurried).with_context(named)?;
    let traced = shapes.expect("it is traced").printed;
    let print = args.print.map(|paper| paper.holding_mm(size));
    let file = drawing_bytes(&traced, format, print);
    std::fs::write(&args.output, &file).with_context(|| args.output.display().to_string())?;
    let colours: Vec<String> = traced.colours().into_iter().map(|colour| to_hex(colour).to_string()).collect();
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
