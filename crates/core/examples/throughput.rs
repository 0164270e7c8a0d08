//! How much of the bare runtime's speed is left in the whole program, and how much memory it takes.
//!
//!     cargo run --release -p dettaglio-core --example throughput -- models 24 [DEVICE]
//!
//! DEVICE is what computes the networks: cpu when nothing is said, or what `dettaglio devices` lists.
//! For each model that enlarges and is told nothing besides: the bare network on one large block, over and over; then a whole run, from a JPEG of
//! so many megapixels to a TIFF, decoding and encoding included. The two are measured in turn, and the
//! best of each counts, so that a busy moment of the machine does not. The memory is the process's peak
//! so far: give a folder with one model for that model's own.

use std::path::PathBuf;
use std::time::Instant;

use dettaglio_core::codec::{Carried, PictureWriter, read};
use dettaglio_core::model::device::{Devices, plugins};
use dettaglio_core::model::{Engine, Network, Shelf};
use dettaglio_core::picture::Planes;
use dettaglio_core::render::{Destination, Renderer, Unhurried, run};
use dettaglio_domain::device::Wanted;
use dettaglio_domain::file::{Channels, Format, OutputSettings};
use dettaglio_domain::geometry::Size;
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::limits::Limits;
use dettaglio_domain::model::{Card, Kind};
use dettaglio_domain::treatment::Treatment;

const ROUNDS: usize = 3;
const BLOCK: Size = Size::new(2068, 276);

fn main() -> Result<(), Box<dyn std::error::Error>> {
    if dettaglio_core::helper_main() {
        return Ok(());
    }
    let arguments: Vec<String> = std::env::args().skip(1).collect();
    let (folder, megapixels, device) = match &arguments[..] {
        [folder, megapixels] => (folder, megapixels, Wanted::Reference),
        [folder, megapixels, device] => (folder, megapixels, device.parse()?),
        _ => return Err("usage: throughput MODELS MEGAPIXELS [DEVICE]".into()),
    };
    let kept = tempfile::tempdir()?;
    let devices = Devices::new(plugins(), &std::env::current_exe()?, &PathBuf::from(folder), kept.path());
    if device != Wanted::Reference {
        devices.compute_on(&device, &devices.try_all())?;
    }
    let shelf = Shelf::open(&PathBuf::from(folder))?;
    let height = (megapixels.parse::<f64>()? * 1e6 / 1.5).sqrt() as u32;
    let size = Size::new(height * 3 / 2, height);
    let work = tempfile::tempdir()?;
    let input = work.path().join("input.jpg");
    write_picture(&input, size)?;

    println!("{size}, JPEG to TIFF, by {}, best of {ROUNDS}\n", Engine::device_name());
    println!("| model | bare, MP/s | whole program, MP/s | share | peak memory, MiB |");
    println!("|---|---|---|---|---|");
    for model in shelf.models().iter().filter(|model| is_told_nothing(model.card())) {
        let network = model.network()?;
        let (mut bare, mut whole) = (0.0_f64, 0.0_f64);
        for _ in 0..ROUNDS {
            bare = bare.max(bare_rate(&*network)?);
            let began = Instant::now();
            let original = read(&input, ContentHash::of_file(&input)?, &Limits::default())?.original;
            let target = size.times(network.factor());
            let treatment = Treatment::with_model(&shelf, &model.card().id, size, target)?;
            let renderer = Renderer::new(shelf.clone(), 1 << 20);
            let output = work.path().join("output.tif");
            let to = Destination { path: &output, settings: OutputSettings::new(Format::Tiff), reading: None };
            run(&renderer, &original, &treatment, to, &Unhurried, &|_| {})?;
            whole = whole.max(size.megapixels() / began.elapsed().as_secs_f64());
        }
        println!(
            "| {} | {bare:.3} | {whole:.3} | {:.0} % | {} |",
            model.card().id,
            100.0 * whole / bare,
            peak_mebibytes().map_or_else(|| "?".to_owned(), |m| m.to_string())
        );
    }
    Ok(())
}

/// Whether a model enlarges the picture alone, without a level or grain beside it.
fn is_told_nothing(card: &Card) -> bool {
    card.kind() == Kind::Enlarge && !card.draws()
}

/// Megapixels a second of the network alone, block after block for some seconds: as sustained as a run is.
fn bare_rate(network: &dyn Network) -> Result<f64, Box<dyn std::error::Error>> {
    const SECONDS: f64 = 6.0;
    let input = Planes::from_values(BLOCK, (0..3 * BLOCK.area()).map(|i| (i % 251) as f32 / 251.0).collect());
    network.run(&input, None)?;
    let (began, mut blocks) = (Instant::now(), 0);
    while began.elapsed().as_secs_f64() < SECONDS {
        network.run(&input, None)?;
        blocks += 1;
    }
    Ok(BLOCK.megapixels() * f64::from(blocks) / began.elapsed().as_secs_f64())
}

fn write_picture(path: &std::path::Path, size: Size) -> Result<(), Box<dyn std::error::Error>> {
    let mut writer =
        PictureWriter::create(path, size, Channels::Colour, OutputSettings::new(Format::Jpeg), Carried::default())?;
    for y in 0..size.height {
        let mut row = Planes::black(Size::new(size.width, 1));
        for channel in 0..3 {
            for (x, value) in row.row_mut(channel, 0).iter_mut().enumerate() {
                let (x, y) = (x as f32, y as f32);
                *value =
                    0.5 + 0.2 * (x * 0.11).sin() * (y * 0.07).cos() + 0.15 * ((x + y) * 0.013 + channel as f32).sin();
            }
        }
        writer.write(&row)?;
    }
    Ok(writer.finish()?)
}

/// The most memory that this process has had, from /proc.
fn peak_mebibytes() -> Option<u64> {
    let status = std::fs::read_to_string("/proc/self/status").ok()?;
    let line = status.lines().find(|line| line.starts_with("VmHWM"))?;
    Some(line.split_whitespace().nth(1)?.parse::<u64>().ok()? / 1024)
}
