//! Cleaners against the best of plain filters: collaborative block matching and non-local means, which have learned nothing.
//!
//! The filters are general Python packages and run in the foundry: this writes noisy crops into a folder, `python -m
//! dettaglio_foundry.references` cleans them, each filter at the level that suits it best, and this reads how near it came.

use std::collections::BTreeMap;
use std::fmt::Write as _;
use std::path::{Path, PathBuf};

use dettaglio_core::clean::conditioning_map;
use dettaglio_core::codec::png_bytes;
use dettaglio_core::compare::{psnr, psnr_rgb};
use dettaglio_core::model::Model;
use dettaglio_core::picture::Planes;
use dettaglio_core::reading::noise;
use dettaglio_domain::clean::Conditioning;
use dettaglio_domain::geometry::Region;
use dettaglio_domain::model::{Card, LevelKind};

use super::clamped;
use super::damage::{self, Demosaicing, Outcome, Photo};

/// Side of a crop: the filters are slow.
const SIDE: u32 = 320;
const BORDER: u32 = 8;

/// In the folder of pictures.
const FOLDER: &str = ".plain";
const FIGURES: &str = "references.json";

/// PSNR in dB, of luminance and of the three colours.
type Figures = (f64, f64);

struct Noisy {
    name: String,
    picture: Planes,
    truth: Planes,
    told: Vec<f32>,
}

enum Kind {
    White(f32),
    Sensor(f32, Demosaicing),
    /// And then a JPEG of this quality.
    Jpeg(f32, u8),
}

const KINDS: [(&str, Kind); 6] = [
    ("white-10", Kind::White(10.0)),
    ("white-25", Kind::White(25.0)),
    ("sensor-5", Kind::Sensor(5.0, Demosaicing::AlongEdges)),
    ("sensor-15", Kind::Sensor(15.0, Demosaicing::AlongEdges)),
    ("sensor-30", Kind::Sensor(30.0, Demosaicing::ColourDifference)),
    ("sensor-jpeg", Kind::Jpeg(12.0, 92)),
];

impl Kind {
    fn in_words(&self) -> String {
        match self {
            Kind::White(sigma) => format!("white noise, sigma {sigma}"),
            Kind::Sensor(sigma, Demosaicing::AlongEdges) => {
                format!("sensor noise, sigma {sigma}, demosaiced along edges")
            }
            Kind::Sensor(sigma, _) => format!("sensor noise, sigma {sigma}, demosaiced by colour differences"),
            Kind::Jpeg(sigma, quality) => format!("sensor noise, sigma {sigma}, then JPEG of quality {quality}"),
        }
    }

    /// The liveliest part of a photograph with this noise, and what the product would be told of it.
    fn of(&self, photo: &Photo) -> Outcome<Noisy> {
        let (picture, truth) = match self {
            Kind::White(sigma) => (damage::white_noise(&photo.planes, *sigma), photo.planes.clone()),
            Kind::Sensor(sigma, how) => damage::sensor_by(&photo.planes, *sigma, *how),
            Kind::Jpeg(sigma, quality) => {
                let (noisy, truth) = damage::sensor_by(&photo.planes, *sigma, Demosaicing::AlongEdges);
                (damage::jpeg(&noisy, *quality)?, truth)
            }
        };
        let level = match self {
            Kind::White(sigma) => Conditioning::Constant(sigma / 255.0),
            _ => Conditioning::Noise(noise::read(&noise::blocks(&damage::as_original(&picture), 40_000)).level),
        };
        let size = truth.size();
        let side = |px: u32| px.min(SIDE) / 8 * 8;
        let (width, height) = (side(size.width), side(size.height));
        let part = Region::new((size.width - width) / 16 * 8, (size.height - height) / 16 * 8, width, height);
        let picture = picture.cut(part);
        let told = conditioning_map(level, &picture);
        Ok(Noisy { name: photo.name.clone(), picture, truth: truth.cut(part), told })
    }
}

/// What every cleaner of noise reaches, beside what the filters do; nothing but advice where those have not run yet.
pub fn table(models: &[(&Card, &Model)], photos: &[Photo], pictures: &Path) -> Outcome<String> {
    let folder = pictures.join(FOLDER);
    std::fs::create_dir_all(&folder)?;
    let file = |kind: &str, name: &str, what: &str| -> PathBuf { folder.join(format!("{kind}__{name}.{what}.png")) };
    let mut all = Vec::new();
    for (id, kind) in KINDS {
        let noisy: Vec<Noisy> = photos.iter().map(|photo| kind.of(photo)).collect::<Outcome<_>>()?;
        for one in &noisy {
            std::fs::write(file(id, &one.name, "noisy"), png_bytes(&one.picture))?;
            std::fs::write(file(id, &one.name, "truth"), png_bytes(&one.truth))?;
        }
        all.push((id, kind, noisy));
    }
    let figures = folder.join(FIGURES);
    let Ok(read) = std::fs::read_to_string(&figures) else {
        let how = "cd foundry && .venv/bin/python -m dettaglio_foundry.references";
        println!("cleaners beside plain filters are left out; for them: {how} {}", folder.display());
        return Ok(String::new());
    };
    let references: BTreeMap<String, BTreeMap<String, Figures>> = serde_json::from_str(&read)?;
    let mut text = String::from(
        "\n# Cleaners beside the best plain filters\n\nA part of each photograph, up to 320 px a side. Collaborative block matching (Dabov, Foi, Katkovnik and Egiazarian 2007) and \
         non-local means (Buades, Coll and Morel 2005) at the level that suits each picture best, which nobody knows beforehand; cleaners told \
         what the product's own reading finds (of white noise, what was put in). PSNR in dB of luminance / of the three colours; of cleaners, over block \
         matching's, with the spread over the pictures (standard deviation) and the worst.\n",
    );
    for (id, kind, noisy) in &all {
        writeln!(text, "\n| {} | luminance | colours | spread | worst |\n|---|--:|--:|--:|---|", kind.in_words())?;
        let of =
            |filter: &str, name: &str| references.get(&format!("{id}__{name}")).and_then(|r| r.get(filter)).copied();
        let mean = |of: &dyn Fn(&Noisy) -> Option<f64>| {
            let values: Vec<f64> = noisy.iter().filter_map(of).collect();
            values.iter().sum::<f64>() / values.len().max(1) as f64
        };
        for filter in ["block matching", "non-local means"] {
            let (luma, rgb) = (mean(&|n| Some(of(filter, &n.name)?.0)), mean(&|n| Some(of(filter, &n.name)?.1)));
            writeln!(text, "| {filter} | {luma:.2} | {rgb:.2} | | |")?;
        }
        for (card, model) in models.iter().filter(|(card, _)| card.level() == Some(LevelKind::Noise)) {
            let network = model.network()?;
            let mut gains = Vec::new();
            for one in noisy {
                let Some(best) = of("block matching", &one.name) else { continue };
                let cleaned = clamped(network.run(&one.picture, Some(&one.told))?);
                let luma = psnr(&cleaned, &one.truth, BORDER) - best.0;
                gains.push((luma, psnr_rgb(&cleaned, &one.truth, BORDER) - best.1, one.name.as_str()));
            }
            let count = gains.len().max(1) as f64;
            let (luma, rgb) =
                (gains.iter().map(|g| g.0).sum::<f64>() / count, gains.iter().map(|g| g.1).sum::<f64>() / count);
            let spread = (gains.iter().map(|g| (g.0 - luma).powi(2)).sum::<f64>() / count).sqrt();
            let worst = gains
                .iter()
                .min_by(|a, b| a.0.total_cmp(&b.0))
                .map_or(String::new(), |g| format!("{} {:+.2}", g.2, g.0));
            println!("{} on {id}: {luma:+.2} luminance, {rgb:+.2} colours over block matching", card.id);
            writeln!(text, "| {} | **{luma:+.2}** | {rgb:+.2} | {spread:.2} | {worst} |", card.title())?;
        }
    }
    Ok(text)
}
