//! Scores every shipped model on photographs that it never saw, through the product's own engine.
//!
//!     cargo run --release -p dettaglio-core --example evaluate -- foundry/held-out models docs/models.md
//!
//! Each photograph is shrunk (antialiased bicubic, 8 bits), enlarged again and compared with itself. The
//! scores go into the cards and, as a table, into the document; both are the same on every run but for
//! the time per megapixel, which goes into the document alone.

use std::fmt::Write as _;
use std::path::{Path, PathBuf};
use std::time::Instant;

use dettaglio_core::codec;
use dettaglio_core::compare::{psnr, ssim};
use dettaglio_core::enlarge::{Averaging, Kernel, resample, resample_in};
use dettaglio_core::hash::ContentHash;
use dettaglio_core::limits::Limits;
use dettaglio_core::model::{Card, Model, Score, Shelf};
use dettaglio_core::picture::{Planes, Region, Size};

type Outcome<T> = Result<T, Box<dyn std::error::Error>>;

fn main() -> Outcome<()> {
    let arguments: Vec<PathBuf> = std::env::args_os().skip(1).map(PathBuf::from).collect();
    let [photos, models, document] = &arguments[..] else {
        return Err("usage: evaluate PHOTOS MODELS DOCUMENT".into());
    };
    let photos = load(photos)?;
    let shelf = Shelf::open(models)?;
    let mut text = String::from(INTRODUCTION);
    for model in shelf.models() {
        let (scores, seconds_per_megapixel) = score(model, &photos)?;
        let card = Card { scores, ..model.card().clone() };
        describe(&mut text, &card, seconds_per_megapixel)?;
        let path = models.join(&card.id).with_extension("json");
        std::fs::write(path, serde_json::to_string_pretty(&card)? + "\n")?;
        println!("{}: {:+.2} dB over bicubic on average", card.id, mean(&card, Score::gain));
    }
    text.push_str(CREDITS);
    std::fs::write(document, text)?;
    Ok(())
}

const INTRODUCTION: &str = "\
# The models, measured

Written by `cargo run --release -p dettaglio-core --example evaluate -- foundry/held-out models docs/models.md`.

Every photograph below was shrunk (antialiased bicubic in encoded values, rounded to 8 bits), enlarged again and
compared with itself. None of them was used in training, and none comes from the same source as those that were.
PSNR in dB on BT.601 luminance, leaving out a border of the factor and 4 px; more is better. The last column shrinks the
photograph in linear light instead, as a sensor does, and gives the model's gain over bicubic there.
";

const CREDITS: &str = "
## The photographs

Fetched by `python -m dettaglio_foundry.photos held-out`; they are not part of this repository.

- Aqua, Garden, LadyBird, YellowFlower: Charles Barbin; Blinds: Lennart Poettering and Andrea Cimitan; Dune: Marco
  Cogoni and Hylke Bons; RainDrops, TwoWings: MATE Backgrounds contributors. Debian package mate-backgrounds,
  GPL-2+, used at half size.
- chelsea, coffee (CC0), motorcycle_left (Middlebury stereo data, for research): from the PyPI package scikit-image.
- china, flower (CC-BY 2.0): from the PyPI package scikit-learn.
";

struct Photo {
    name: String,
    planes: Planes,
}

fn load(folder: &Path) -> Outcome<Vec<Photo>> {
    let mut paths: Vec<PathBuf> = std::fs::read_dir(folder)?.map(|e| e.map(|e| e.path())).collect::<Result<_, _>>()?;
    paths.sort();
    let mut photos = Vec::new();
    for path in paths {
        let decoded = codec::read(&path, ContentHash::of_file(&path)?, &Limits::default())?;
        let name = path.file_stem().unwrap_or_default().to_string_lossy().into_owned();
        photos.push(Photo { name, planes: decoded.original.region(decoded.original.size().whole()) });
    }
    if photos.is_empty() { Err("no photographs: fetch them first, see foundry/README.md".into()) } else { Ok(photos) }
}

fn score(model: &Model, photos: &[Photo]) -> Outcome<(Vec<Score>, f64)> {
    let network = model.network()?;
    let factor = network.factor();
    let (mut scores, mut seconds, mut megapixels) = (Vec::new(), 0.0, 0.0);
    for photo in photos {
        let small = Size::new(photo.planes.size().width / factor, photo.planes.size().height / factor);
        let size = small.times(factor);
        let truth = photo.planes.cut(Region::new(0, 0, size.width, size.height));
        let border = factor + 4;
        let plain = |input: &Planes, kernel| resample(input, size, size.whole(), kernel);

        let input = shrunk(&truth, small, Averaging::Encoded);
        let began = Instant::now();
        let learned = clamped(network.run(&input)?);
        seconds += began.elapsed().as_secs_f64();
        megapixels += small.megapixels();
        let bicubic = plain(&input, Kernel::Bicubic);

        let in_light = shrunk(&truth, small, Averaging::Light);
        let light_gain = psnr(&clamped(network.run(&in_light)?), &truth, border)
            - psnr(&plain(&in_light, Kernel::Bicubic), &truth, border);
        scores.push(Score {
            photo: photo.name.clone(),
            nearest: rounded(psnr(&plain(&input, Kernel::Nearest), &truth, border), 2),
            bicubic: rounded(psnr(&bicubic, &truth, border), 2),
            lanczos: rounded(psnr(&plain(&input, Kernel::Lanczos3), &truth, border), 2),
            model: rounded(psnr(&learned, &truth, border), 2),
            bicubic_ssim: rounded(ssim(&bicubic, &truth, border), 4),
            model_ssim: rounded(ssim(&learned, &truth, border), 4),
            light_gain: rounded(light_gain, 2),
        });
    }
    Ok((scores, seconds / megapixels))
}

/// Shrunk, and rounded to 8 bits as a file would be.
fn shrunk(truth: &Planes, small: Size, averaging: Averaging) -> Planes {
    let planes = resample_in(truth, small, small.whole(), Kernel::Bicubic, averaging);
    Planes::from_values(small, planes.values().iter().map(|v| (v * 255.0).round() / 255.0).collect())
}

fn clamped(planes: Planes) -> Planes {
    Planes::from_values(planes.size(), planes.values().iter().map(|v| v.clamp(0.0, 1.0)).collect())
}

fn rounded(value: f64, digits: i32) -> f64 {
    let scale = 10_f64.powi(digits);
    (value * scale).round() / scale
}

fn mean(card: &Card, figure: fn(&Score) -> f64) -> f64 {
    card.scores.iter().map(figure).sum::<f64>() / card.scores.len() as f64
}

fn describe(text: &mut String, card: &Card, seconds_per_megapixel: f64) -> std::fmt::Result {
    writeln!(text, "\n## {}\n\n{}", card.title(), card.purpose)?;
    writeln!(
        text,
        "`{}`, {} parameters, {:.2} s per input megapixel when this was written. Made on {}: {}.\n",
        card.id, card.parameters, seconds_per_megapixel, card.made_on, card.recipe
    )?;
    writeln!(
        text,
        "| photograph | nearest | bicubic | Lanczos 3 | model | gain over bicubic | SSIM bicubic | SSIM model | gain, shrunk in light |"
    )?;
    writeln!(text, "|---|---|---|---|---|---|---|---|---|")?;
    for s in &card.scores {
        writeln!(
            text,
            "| {} | {:.2} | {:.2} | {:.2} | {:.2} | {:+.2} | {:.4} | {:.4} | {:+.2} |",
            s.photo,
            s.nearest,
            s.bicubic,
            s.lanczos,
            s.model,
            s.gain(),
            s.bicubic_ssim,
            s.model_ssim,
            s.light_gain
        )?;
    }
    writeln!(
        text,
        "| **mean** | {:.2} | {:.2} | {:.2} | {:.2} | **{:+.2}** | {:.4} | {:.4} | {:+.2} |\n",
        mean(card, |s| s.nearest),
        mean(card, |s| s.bicubic),
        mean(card, |s| s.lanczos),
        mean(card, |s| s.model),
        mean(card, Score::gain),
        mean(card, |s| s.bicubic_ssim),
        mean(card, |s| s.model_ssim),
        mean(card, |s| s.light_gain),
    )?;
    writeln!(text, "Known weaknesses: {}.", card.weaknesses.join("; "))
}
