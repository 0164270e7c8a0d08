//! One picture a model: what it makes of photographs as they left their cameras. No figure is taken; they are for looking at.

use std::path::{Path, PathBuf};

use dettaglio_core::clean::conditioning_map;
use dettaglio_core::codec::{self, Decoded};
use dettaglio_core::enlarge::resample;
use dettaglio_core::model::Model;
use dettaglio_core::picture::Planes;
use dettaglio_core::reading;
use dettaglio_domain::clean::Conditioning;
use dettaglio_domain::geometry::{Region, Size};
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::kernel::Kernel;
use dettaglio_domain::limits::Limits;
use dettaglio_domain::model::{Kind, LevelKind};

use super::clamped;
use super::damage::Outcome;

/// Side of a crop on the sheet, in its pixels.
const SIDE: u32 = 192;
const GAP: u32 = 6;
const COLUMNS: u32 = 3;
const QUALITY: u8 = 84;

/// The folder of native photographs, one crop a file.
pub const NATIVE: &str = "native";

/// Writes `folder/ID.jpg`: three crops a row, each as it is, by bicubic (an enlarger's) and by the model.
pub fn write(model: &Model, natives: &[Decoded], folder: &Path) -> Outcome<()> {
    let panes: Vec<Vec<Planes>> = natives.iter().map(|native| panes(model, native)).collect::<Outcome<_>>()?;
    let each = panes.first().map_or(0, Vec::len) as u32;
    let (across, down) = (each * SIDE + GAP, SIDE + GAP);
    let rows = (natives.len() as u32).div_ceil(COLUMNS);
    let mut sheet = image::RgbImage::from_pixel(across * COLUMNS - GAP, down * rows - GAP, image::Rgb([119; 3]));
    for (i, panes) in panes.iter().enumerate() {
        let (left, top) = (i as u32 % COLUMNS * across, i as u32 / COLUMNS * down);
        for (k, pane) in panes.iter().enumerate() {
            draw(pane, left + k as u32 * SIDE, top, &mut sheet);
        }
    }
    std::fs::create_dir_all(folder)?;
    let out = std::fs::File::create(folder.join(&model.card().id).with_extension("jpg"))?;
    image::codecs::jpeg::JpegEncoder::new_with_quality(std::io::BufWriter::new(out), QUALITY).encode_image(&sheet)?;
    Ok(())
}

/// The native photographs in a folder of pictures, by name.
pub fn load(pictures: &Path) -> Outcome<Vec<Decoded>> {
    let files = std::fs::read_dir(pictures.join(NATIVE))?.map(|e| e.map(|e| e.path()));
    let mut files = files.collect::<Result<Vec<_>, _>>()?;
    files.sort();
    let read = |file: &PathBuf| Ok(codec::read(file, ContentHash::of_file(file)?, &Limits::default())?);
    files.iter().map(read).collect()
}

fn panes(model: &Model, native: &Decoded) -> Outcome<Vec<Planes>> {
    let (card, network) = (model.card(), model.network()?);
    let photo = &native.original.planes();
    // With what lies around it, so that no edge is seen.
    let around = photo.size();
    let side = (SIDE / card.factor()).min(around.width).min(around.height);
    let part = Region::new((around.width - side) / 2, (around.height - side) / 2, side, side);
    let larger = part.times(card.factor());
    let size = Size::new(SIDE, SIDE);
    let plain = |planes: &Planes, kernel| resample(planes, size, size.whole(), kernel);
    let level = card.level().map(|kind| conditioning_map(told(kind, native), photo));
    let result = clamped(network.run(photo, level.as_deref())?).cut(larger);
    let cut = photo.cut(part);
    Ok(match card.kind() {
        Kind::Enlarge => vec![plain(&cut, Kernel::Nearest), plain(&cut, Kernel::Bicubic), result],
        Kind::Clean | Kind::Face | Kind::Find | Kind::Fill => vec![cut, result],
    })
}

/// What the product would tell a cleaner of this picture.
fn told(kind: LevelKind, native: &Decoded) -> Conditioning {
    let reading = reading::measure(&native.original, &native.facts);
    match kind {
        LevelKind::Noise => Conditioning::Noise(reading.noise.level),
        LevelKind::Compression => Conditioning::Constant(1.0 - reading.worst_quality().unwrap_or(75.0) / 100.0),
        LevelKind::Softness | LevelKind::Scale | LevelKind::Wear => Conditioning::Constant(
            reading.softness.map_or(1.0, |s| s.sigma.min(2.0)) / dettaglio_domain::clean::SOFTNESS_SCALE,
        ),
    }
}

fn draw(planes: &Planes, left: u32, top: u32, sheet: &mut image::RgbImage) {
    for y in 0..planes.size().height {
        for x in 0..planes.size().width {
            let level = |c: usize| (planes.row(c, y)[x as usize].clamp(0.0, 1.0) * 255.0).round() as u8;
            sheet.put_pixel(left + x, top + y, image::Rgb([level(0), level(1), level(2)]));
        }
    }
}
