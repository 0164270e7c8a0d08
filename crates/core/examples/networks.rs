//! How fast the networks of one folder are, and those of another beside them.
//!
//!     cargo run --release -p dettaglio-core --example networks -- models [OTHER_MODELS]
//!
//! Two cases for each enlarger and cleaner: one tile as a view asks for it, with the pixels around it that it depends on, and the largest
//! block of a run. Networks of one name in the two folders take turns, and the best of each counts, so that a busy moment of the machine does
//! not. Megapixels are those that are kept.

use std::path::PathBuf;
use std::sync::Arc;
use std::time::Instant;

use dettaglio_core::model::{Network, Shelf};
use dettaglio_core::picture::Planes;
use dettaglio_core::render::{TILE, largest_block};
use dettaglio_domain::geometry::Size;
use dettaglio_domain::model::Kind;

const ROUNDS: usize = 4;

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let folders: Vec<PathBuf> = std::env::args().skip(1).map(PathBuf::from).collect();
    let [folder, other @ ..] = &folders[..] else { return Err("usage: networks MODELS [OTHER_MODELS]".into()) };
    let shelf = Shelf::open(folder)?;
    let other = other.first().map(|other| Shelf::open(other)).transpose()?;
    println!(
        "| network | a tile, ms | a block, MP/s | a tile of the other, ms | its block, MP/s | how often as fast: tile, block |"
    );
    println!("|---|--:|--:|--:|--:|--:|");
    for model in shelf.models() {
        let card = model.card();
        if !matches!(card.kind(), Kind::Enlarge | Kind::Clean) {
            continue;
        }
        let mut networks = vec![model.network()?];
        networks.extend(
            other.as_ref().and_then(|other| other.get(&card.id).ok()).map(|model| model.network()).transpose()?,
        );
        let (rows, columns) = largest_block(&*networks[0], networks[0].halo());
        let (tile, block) = (Size::new(TILE, TILE), Size::new(columns * TILE, rows * TILE));
        let (tiles, blocks) = (seconds(&networks, tile)?, seconds(&networks, block)?);
        let cells = |of: usize| format!("{:.0} | {:.3}", 1e3 * tiles[of], block.megapixels() / blocks[of]);
        let beside = match networks.len() {
            1 => " | | ".to_owned(),
            _ => format!("{} | {:.2}, {:.2}", cells(1), tiles[1] / tiles[0], blocks[1] / blocks[0]),
        };
        println!("| {} | {} | {beside} |", card.id, cells(0));
    }
    Ok(())
}

/// The shortest time that each network takes for a region, with what it needs around it.
fn seconds(networks: &[Arc<dyn Network>], kept: Size) -> Result<Vec<f64>, Box<dyn std::error::Error>> {
    let mut best = vec![f64::INFINITY; networks.len()];
    for round in 0..=ROUNDS {
        for (network, best) in networks.iter().zip(&mut best) {
            let halo = network.halo().next_multiple_of(network.multiple());
            let input = picture(Size::new(kept.width + 2 * halo, kept.height + 2 * halo));
            let level = network.level().map(|_| vec![0.02; input.size().area() as usize]);
            let began = Instant::now();
            network.run(&input, level.as_deref())?;
            // The first run also takes memory from the system.
            if round > 0 {
                *best = best.min(began.elapsed().as_secs_f64());
            }
        }
    }
    Ok(best)
}

/// Waves and some grit.
fn picture(size: Size) -> Planes {
    let mut seed = 1_u32;
    let values = (0..3 * size.area()).map(|index| {
        seed = seed.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        let grit = (seed >> 8) as f32 / 16_777_216.0 - 0.5;
        0.5 + 0.3 * (index as f32 * 0.05).sin() + 0.1 * grit
    });
    Planes::from_values(size, values.collect())
}
