//! How well wear of prints is found and filled: on rendered scans whose truth is known, and on sound photographs, where nothing is to be
//! found.
//!
//!     cargo run --release -p dettaglio-core --example repair -- foundry/held-out models [DOCUMENT]
//!
//! Prints a table; with a document, writes it there, and what was gained into the two models' cards.

use std::path::{Path, PathBuf};

use dettaglio_core::codec::read;
use dettaglio_core::model::Shelf;
use dettaglio_core::picture::{Original, Planes};
use dettaglio_core::render::{Renderer, Unhurried};
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::kernel::Kernel;
use dettaglio_domain::limits::Limits;
use dettaglio_domain::model::{Card, CleaningScore};
use dettaglio_domain::repair::{Repair, Wear};
use dettaglio_domain::treatment::Treatment;

/// Folders of sound photographs, within that of the held-out pictures.
const SOUND: [&str; 5] = ["", "native", "night", "fur", "foliage"];
const GROWN: i64 = 2;
/// Values of a mask from which on a pixel belongs to a mark that nobody sees, and to one that is seen.
const UNSEEN: f32 = 0.25;
const SEEN: f32 = 0.75;
/// Where nothing was changed.
const MOST_PSNR: f64 = 99.0;

const SENSITIVITIES: [f32; 3] = [0.3, Wear::USUAL_SENSITIVITY, 0.7];

mod damage;

use damage::{Outcome, laplace};

fn main() -> Outcome<()> {
    let mut args = std::env::args().skip(1);
    let folder = PathBuf::from(args.next().ok_or("usage: repair HELD-OUT MODELS [DOCUMENT]")?);
    let models = PathBuf::from(args.next().ok_or("which folder of models?")?);
    let document = args.next().map(PathBuf::from);
    let shelf = Shelf::open(&models)?;
    let (finder, filler) = shelf.repairers().ok_or("no models that find and fill wear")?;
    let (cards, usual) = ([finder.clone(), filler.clone()], Wear::by((finder, filler)));
    let renderer = Renderer::new(shelf, 64 << 20);
    let mut text = INTRODUCTION.to_owned();
    for sensitivity in SENSITIVITIES {
        let repairer = Repairer { renderer: &renderer, wear: Wear { sensitivity, ..usual.clone() } };
        let scans = Scans::measured(&repairer, &folder.join(".wear"))?;
        let sound = Sound::measured(&repairer, &folder)?;
        let row = format!("| {sensitivity} |{}{}\n", scans.cells(), sound.cells());
        print!("{row}");
        text.push_str(&row);
        if sensitivity == Wear::USUAL_SENSITIVITY {
            println!("{}{}", scans.worst(), sound.worst());
            if document.is_some() {
                write_cards(&models, &cards, vec![scans.score(), sound.score()])?;
            }
        }
    }
    match document {
        Some(document) => Ok(std::fs::write(document, text)?),
        None => Ok(()),
    }
}

const INTRODUCTION: &str = "# Repair, measured

Written by `cargo run --release -p dettaglio-core --example repair -- foundry/held-out models docs/repair.md`.

Forty scans with rendered wear, whose truth is known, of photographs that no model has seen, as soft as prints are at 300 to 1200 dpi; and sound
photographs, dark ones with stars and wires among them, where nothing is to be found. A mark that changes what it covers by less than 10 levels, or
by less than one and a half times what the picture itself varies there, is neither to be found nor wrong to be found: nobody sees it. *Found* is the share of truly marked pixels that were filled. *Right* is the share of filled pixels
that lie within two pixels of a mark, as what is found is grown by two. *Inside the marks* is PSNR in dB on luminance: of the scan, of the repaired one,
and of the plainest fill of the same pixels (Laplace's equation). *False marks* hang together.

| sensitivity | specks found, % | lines | breaks | specks and lines | right, % | inside: scan | repaired | plain fill | false marks in sound photographs, per 10 MP |
|--:|--:|--:|--:|--:|--:|--:|--:|--:|--:|
";

/// Repairs whole pictures at their own size.
struct Repairer<'a> {
    renderer: &'a Renderer,
    wear: Wear,
}

impl Repairer<'_> {
    fn repaired(&self, picture: &Original) -> Outcome<Planes> {
        let treatment = Treatment {
            repair: Repair { wear: Some(self.wear.clone()), ..Repair::default() },
            ..Treatment::plain(Kernel::Nearest, picture.size())
        };
        Ok(self.renderer.render(picture, &treatment, picture.size().whole().seen_as(), &Unhurried)?)
    }
}

/// What was measured on scans whose truth is known.
#[derive(Default)]
struct Scans {
    /// Pixels by kind.
    marked: [u64; 3],
    found: [u64; 3],
    filled: u64,
    right: u64,
    /// Name, and PSNR inside the marks of the scan, the repaired one and the plain fill.
    inside: Vec<(String, [f64; 3])>,
}

impl Scans {
    fn measured(repairer: &Repairer<'_>, folder: &Path) -> Outcome<Self> {
        let mut all = Self::default();
        for path in pictures(folder)? {
            all.add(repairer, folder, &path)?;
        }
        Ok(all)
    }

    fn add(&mut self, repairer: &Repairer<'_>, folder: &Path, path: &Path) -> Outcome<()> {
        let name = path.file_name().ok_or("no name")?;
        let whole = |file: PathBuf| -> Outcome<Planes> {
            let picture = load(&file)?;
            Ok(picture.planes())
        };
        let (truth, marks) = (whole(path.to_owned())?, whole(folder.join("marks").join(name))?);
        let given = load(&folder.join("given").join(name))?;
        let (before, after) = (given.planes(), repairer.repaired(&given)?);
        let (width, height) = (truth.size().width as usize, truth.size().height as usize);
        let is_filled: Vec<bool> = (0..width * height).map(|i| differs(&before, &after, i)).collect();
        let is_marked = |kind: usize, i: usize| marks.plane(kind)[i] > SEEN;
        let any = |i: usize| (0..3).any(|kind| is_marked(kind, i));
        let is_unseen = |i: usize| (0..3).any(|kind| (UNSEEN..=SEEN).contains(&marks.plane(kind)[i]));
        for (i, filled) in is_filled.iter().enumerate() {
            for kind in (0..3).filter(|kind| is_marked(*kind, i)) {
                self.marked[kind] += 1;
                self.found[kind] += u64::from(*filled);
            }
            let right = near(i, width, height, any);
            let counts = right || !near(i, width, height, is_unseen);
            self.filled += u64::from(*filled && counts);
            self.right += u64::from(*filled && right);
        }
        if (0..width * height).any(any) {
            let plain = laplace(&before, &is_filled);
            let inside = [&before, &after, &plain].map(|planes| psnr(planes, &truth, any));
            self.inside.push((name.to_string_lossy().into_owned(), inside));
        }
        Ok(())
    }

    fn mean(&self, of: usize) -> f64 {
        self.inside.iter().map(|(_, inside)| inside[of]).sum::<f64>() / self.inside.len() as f64
    }

    fn cells(&self) -> String {
        let [specks, lines, breaks] = [0, 1, 2].map(|kind| share(self.found[kind], self.marked[kind]));
        let fine = share(self.found[0] + self.found[1], self.marked[0] + self.marked[1]);
        let (scan, repaired, plain) = (self.mean(0), self.mean(1), self.mean(2));
        let right = share(self.right, self.filled);
        format!(
            " {specks:.1} | {lines:.1} | {breaks:.1} | {fine:.1} | {right:.1} | {scan:.2} | **{repaired:.2}** | {plain:.2} |"
        )
    }

    /// Those that gained least.
    fn worst(&self) -> String {
        let mut all: Vec<_> = self.inside.iter().collect();
        all.sort_by(|a, b| (a.1[1] - a.1[0]).total_cmp(&(b.1[1] - b.1[0])));
        let line = |(name, [scan, repaired, plain]): &&(String, [f64; 3])| {
            format!("  {name}: {scan:.2} -> {repaired:.2} dB inside the marks, plain fill {plain:.2}\n")
        };
        all.iter().take(4).map(line).collect()
    }

    fn score(&self) -> CleaningScore {
        let gain = |inside: &[f64; 3]| inside[1] - inside[0];
        let least = self.inside.iter().min_by(|a, b| gain(&a.1).total_cmp(&gain(&b.1)));
        CleaningScore {
            damage: "dust, scratches and breaks, inside them".to_owned(),
            undamaged: false,
            face: None,
            photos: self.inside.len(),
            before: self.mean(0),
            after: self.mean(1),
            least_gain: least.map_or(0.0, |(_, inside)| gain(inside)),
            before_ssim: 0.0,
            after_ssim: 0.0,
            after_rgb: None,
            worst: least.map_or_else(String::new, |(name, _)| name.clone()),
        }
    }
}

/// What was found on photographs on which there is nothing to be found.
struct Sound {
    pixels: u64,
    /// PSNR in dB of each between the picture and what was made of it.
    psnr: Vec<f64>,
    marks: Vec<(usize, PathBuf)>,
}

impl Sound {
    fn measured(repairer: &Repairer<'_>, folder: &Path) -> Outcome<Self> {
        let mut all = Self { pixels: 0, psnr: Vec::new(), marks: Vec::new() };
        for sound in SOUND {
            for path in pictures(&folder.join(sound))? {
                let picture = load(&path)?;
                let (before, after) = (picture.planes(), repairer.repaired(&picture)?);
                let filled = (0..picture.size().area() as usize).map(|i| differs(&before, &after, i)).collect();
                all.pixels += picture.size().area();
                all.psnr.push(psnr(&after, &before, |_| true).min(MOST_PSNR));
                all.marks.push((pieces(filled, picture.size().width as usize), path));
            }
        }
        Ok(all)
    }

    fn cells(&self) -> String {
        let total: usize = self.marks.iter().map(|(count, _)| count).sum();
        let megapixels = self.pixels as f64 / 1e6;
        format!(
            " {:.1} ({total} in {} photographs of {megapixels:.1} MP) |",
            total as f64 * 10.0 / megapixels,
            self.marks.len()
        )
    }

    fn score(&self) -> CleaningScore {
        let all = self.psnr.iter().zip(&self.marks);
        let worst = all.min_by(|(a, _), (b, _)| a.total_cmp(b));
        CleaningScore {
            damage: "sound photographs".to_owned(),
            undamaged: true,
            face: None,
            photos: self.psnr.len(),
            before: 0.0,
            after: self.psnr.iter().sum::<f64>() / self.psnr.len() as f64,
            least_gain: worst.map_or(0.0, |(psnr, _)| *psnr),
            before_ssim: 0.0,
            after_ssim: 0.0,
            after_rgb: None,
            worst: worst.and_then(|(_, (_, path))| path.file_stem()).unwrap_or_default().to_string_lossy().into_owned(),
        }
    }

    /// Those with most of them.
    fn worst(&self) -> String {
        let mut all: Vec<_> = self.marks.iter().filter(|(count, _)| *count > 0).collect();
        all.sort_by_key(|(count, _)| std::cmp::Reverse(*count));
        all.iter().take(6).map(|(count, path)| format!("  {count} false marks in {}\n", path.display())).collect()
    }
}

/// The two are measured together, and both cards say so.
fn write_cards(models: &Path, cards: &[Card; 2], scores: Vec<CleaningScore>) -> Outcome<()> {
    for card in cards {
        let card = card.clone().with_cleaning(scores.clone());
        std::fs::write(models.join(&card.id).with_extension("json"), serde_json::to_string_pretty(&card)? + "\n")?;
    }
    Ok(())
}

fn share(some: u64, all: u64) -> f64 {
    100.0 * some as f64 / all.max(1) as f64
}

fn pictures(folder: &Path) -> Outcome<Vec<PathBuf>> {
    let mut paths: Vec<PathBuf> = std::fs::read_dir(folder)?.map(|e| e.map(|e| e.path())).collect::<Result<_, _>>()?;
    paths.retain(|path| path.extension().is_some_and(|ending| ending == "png" || ending == "jpg"));
    paths.sort();
    Ok(paths)
}

fn load(path: &Path) -> Outcome<Original> {
    Ok(read(path, ContentHash::of_file(path)?, &Limits::default())?.original)
}

fn differs(a: &Planes, b: &Planes, i: usize) -> bool {
    (0..3).any(|channel| a.plane(channel)[i] != b.plane(channel)[i])
}

fn near(i: usize, width: usize, height: usize, is: impl Fn(usize) -> bool) -> bool {
    let (x, y) = ((i % width) as i64, (i / width) as i64);
    (-GROWN..=GROWN).any(|dy| {
        (-GROWN..=GROWN).any(|dx| {
            let (px, py) = (x + dx, y + dy);
            let inside = px >= 0 && py >= 0 && px < width as i64 && py < height as i64;
            inside && is(py as usize * width + px as usize)
        })
    })
}

/// PSNR in dB on BT.601 luminance, over some pixels.
fn psnr(a: &Planes, b: &Planes, counts: impl Fn(usize) -> bool) -> f64 {
    let (a, b) = (a.luminance(), b.luminance());
    let squares: Vec<f64> = (0..a.len()).filter(|i| counts(*i)).map(|i| f64::from(a[i] - b[i]).powi(2)).collect();
    -10.0 * (squares.iter().sum::<f64>() / squares.len() as f64).max(1e-12).log10()
}

/// How many pieces hang together, corners counting.
fn pieces(mut open: Vec<bool>, width: usize) -> usize {
    let height = open.len() / width;
    let mut count = 0;
    for start in 0..open.len() {
        if !open[start] {
            continue;
        }
        count += 1;
        let mut waiting = vec![start];
        open[start] = false;
        while let Some(i) = waiting.pop() {
            let (x, y) = (i % width, i / width);
            for py in y.saturating_sub(1)..=(y + 1).min(height - 1) {
                for px in x.saturating_sub(1)..=(x + 1).min(width - 1) {
                    if std::mem::take(&mut open[py * width + px]) {
                        waiting.push(py * width + px);
                    }
                }
            }
        }
    }
    count
}
