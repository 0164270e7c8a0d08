//! What large gaps are filled with: the network for narrow marks, the picture's own patches, and the plainest fill, beside each other.
//!
//!     cargo run --release -p dettaglio-core --example gaps -- foundry/held-out models docs/gaps.md [SHEET.png]
//!
//! Prints a table and writes it into the document; with a sheet, also some of the pictures beside each other.

use std::path::PathBuf;
use std::time::Instant;

use dettaglio_core::codec::png_bytes;
use dettaglio_core::compare::psnr;
use dettaglio_core::inpaint;
use dettaglio_core::model::{Network, Shelf};
use dettaglio_core::picture::Planes;
use dettaglio_domain::gaps::SURROUNDINGS;
use dettaglio_domain::geometry::{Region, Size};
use dettaglio_domain::model::ModelRef;

mod damage;
#[path = "evaluate/perception.rs"]
mod perception;

use damage::{Outcome, Photo, laplace, load};
use perception::Judge;

/// Half the width of the gaps, in pixels.
const RADII: [f32; 6] = [6.0, 10.0, 14.0, 20.0, 28.0, 40.0];

/// Side of the part of a photograph that a gap is put into, at most; as much lies around it as in the product.
const SIDE: u32 = 360;

/// Pixels around a gap that belong to what is looked at.
const BESIDE: u32 = 16;

/// Gaps of this half width are shown.
const SHOWN: f32 = 20.0;

const INTRODUCTION: &str = "# Large gaps, measured

Written by `cargo run --release -p dettaglio-core --example gaps -- foundry/held-out models docs/gaps.md`.

A gap of three discs is put into the middle of held-out photographs, as wide as a brush of that radius draws it, and filled: as the mean of
what lies around (Laplace's equation), by the network that fills narrow marks, and from the picture's own patches. How far each lies from the
truth to a general network that has learned to see, on the gap and 16 px around it (0 for the same; the lowest is bold); PSNR in dB there; in
how many photographs patches look nearer than the network; seconds for patches, when this was written.

| radius, px | looks: plain | network | patches | PSNR: plain | network | patches | patches look nearer | seconds |
|--:|--:|--:|--:|--:|--:|--:|--:|--:|
";

fn main() -> Outcome<()> {
    let mut args = std::env::args().skip(1).map(PathBuf::from);
    let usage = "usage: gaps HELD-OUT MODELS DOCUMENT [SHEET.png]";
    let (Some(pictures), Some(models), Some(document)) = (args.next(), args.next(), args.next()) else {
        return Err(usage.into());
    };
    let shelf = Shelf::open(&models)?;
    let (_, filler) = shelf.repairers().ok_or("no models that fill")?;
    let network = shelf.network(&ModelRef::of(filler))?;
    let mut judge = Judge::open(&pictures)?;
    let mut photographs = Vec::new();
    for folder in ["", "fur", "foliage"] {
        photographs.extend(load(&pictures.join(folder))?);
    }
    photographs.retain(|photo| photo.planes.size().short_edge() >= SIDE);
    let (mut text, mut sheet) = (INTRODUCTION.to_owned(), Vec::new());
    for radius in RADII {
        let (mut looks, mut gains, mut nearer, mut seconds) = ([0.0; 3], [0.0; 3], 0, 0.0);
        for (number, photo) in photographs.iter().enumerate() {
            let case = Case::of(photo, radius, number);
            let (fills, took) = case.filled(network.as_ref())?;
            seconds += took;
            let truth = case.seen(&case.truth);
            let distances: Vec<f64> =
                fills.iter().map(|fill| judge.distance(&case.seen(fill), &truth)).collect::<Outcome<_>>()?;
            nearer += u32::from(distances[2] < distances[1]);
            for i in 0..fills.len() {
                looks[i] += distances[i];
                gains[i] += psnr(&case.seen(&fills[i]), &truth, 0);
            }
            if radius == SHOWN {
                let [plain, network, patches] = fills;
                sheet.push([case.truth.clone(), case.open(), plain, network, patches].map(|planes| case.seen(&planes)));
            }
        }
        let count = photographs.len() as f64;
        let least = looks.iter().copied().fold(f64::INFINITY, f64::min);
        let cell = |look: f64| {
            let figure = format!("{:.3}", look / count);
            if look == least { format!("**{figure}**") } else { figure }
        };
        let row = format!(
            "| {radius} | {} | {} | {} | {:.2} | {:.2} | {:.2} | {nearer} of {} | {:.2} |\n",
            cell(looks[0]),
            cell(looks[1]),
            cell(looks[2]),
            gains[0] / count,
            gains[1] / count,
            gains[2] / count,
            photographs.len(),
            seconds / count,
        );
        print!("{row}");
        text.push_str(&row);
    }
    std::fs::write(document, text)?;
    match args.next() {
        Some(path) => Ok(std::fs::write(path, png_bytes(&side_by_side(&sheet)))?),
        None => Ok(()),
    }
}

/// A part of a photograph with a gap in its middle.
struct Case {
    truth: Planes,
    is_gap: Vec<bool>,
    /// The gap and what lies beside it.
    part: Region,
}

impl Case {
    /// `number` turns the gap.
    fn of(photo: &Photo, radius: f32, number: usize) -> Self {
        let side =
            ((1.7 * radius) as u32 * 2 + 2 * ((3.4 * radius) as u32).clamp(SURROUNDINGS.0, SURROUNDINGS.1)).min(SIDE);
        let truth = photo.planes.cut(photo.planes.size().whole().middle(side));
        let (width, middle, angle) = (side, side as f32 / 2.0, number as f32);
        let middles = [-0.7, 0.0, 0.7]
            .map(|step: f32| (middle + step * radius * angle.cos(), middle + step * radius * angle.sin()));
        let is_in = |i: u32| {
            let (x, y) = ((i % width) as f32 + 0.5, (i / width) as f32 + 0.5);
            middles.iter().any(|middle| (x - middle.0).hypot(y - middle.1) < radius)
        };
        let reach = (1.7 * radius) as u32 + BESIDE;
        let part = Region::new(side / 2 - reach, side / 2 - reach, 2 * reach, 2 * reach);
        Self { truth, is_gap: (0..side * side).map(is_in).collect(), part }
    }

    fn seen(&self, planes: &Planes) -> Planes {
        planes.cut(self.part)
    }

    /// The gap as paper.
    fn open(&self) -> Planes {
        let values = self.truth.values().iter().zip(self.is_gap.iter().cycle());
        Planes::from_values(self.truth.size(), values.map(|(value, gap)| if *gap { 0.93 } else { *value }).collect())
    }

    /// By the plain fill, by the network, from patches; and the seconds that those took.
    fn filled(&self, network: &dyn Network) -> Outcome<([Planes; 3], f64)> {
        let open = self.open();
        let level: Vec<f32> = self.is_gap.iter().map(|gap| f32::from(u8::from(*gap))).collect();
        let answered = network.run(&open, Some(&level))?;
        let own = self.truth.values().iter().zip(answered.values()).zip(self.is_gap.iter().cycle());
        let values = own.map(|((own, answered), gap)| if *gap { answered.clamp(0.0, 1.0) } else { *own });
        let by_network = Planes::from_values(self.truth.size(), values.collect());
        let began = Instant::now();
        let patches = inpaint::fill(&open, &self.is_gap).ok_or("nothing to fill from")?;
        let seconds = began.elapsed().as_secs_f64();
        Ok(([laplace(&open, &self.is_gap), by_network, patches], seconds))
    }
}

/// Rows of pictures that are all of one size.
fn side_by_side(rows: &[[Planes; 5]]) -> Planes {
    let size = rows.first().map_or(Size::new(1, 1), |row| row[0].size());
    let mut sheet = Planes::black(Size::new(size.width * 5, size.height * rows.len().max(1) as u32));
    for (y, row) in rows.iter().enumerate() {
        for (x, planes) in row.iter().enumerate() {
            sheet.paste(planes, x as u32 * size.width, y as u32 * size.height);
        }
    }
    sheet
}
