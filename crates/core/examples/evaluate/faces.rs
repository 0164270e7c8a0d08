//! Scores of the face restorer on made-up people that it never saw: eyes and mouth against the enlarging model alone, and
//! whether anything in a face gets worse.

use std::fmt::Write as _;
use std::path::{Path, PathBuf};

use dettaglio_core::codec;
use dettaglio_core::compare::psnr;
use dettaglio_core::enlarge::{Averaging, resample};
use dettaglio_core::face::Finder;
use dettaglio_core::model::{Model, Shelf};
use dettaglio_core::picture::Planes;
use dettaglio_core::render::{Renderer, Unhurried};
use dettaglio_domain::face::{CANVAS, Face, LeftAlone};
use dettaglio_domain::geometry::{Place, Region, Size};
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::kernel::Kernel;
use dettaglio_domain::limits::Limits;
use dettaglio_domain::model::{CleaningScore, EVERYDAY, FaceTrial, Grade, MOST_LOST, ModelRef};
use dettaglio_domain::treatment::{Restore, TreatedFace, Treatment};

use super::damage::{self, Outcome};
use super::{rounded, shrunk};

pub const INTRODUCTION: &str = "
# Faces

Made-up people that the restorer never saw, each brought down to so many pixels between the eyes and damaged, enlarged again to the
size at which they were rendered, by Everyday (draft) alone and with the face restored: at full strength, and at the strength that is
suggested. Eyes and mouth: PSNR there. The least gain
is that of the worst of nine parts of the face on any of the people: below 0, that part came out further from the truth than without the
restorer.
";

/// A person, where the renderer put the face, and how far it is turned away, in degrees.
pub struct Person {
    pub name: String,
    planes: Planes,
    face: Face,
    turned: f32,
}

/// Pictures of people in a folder, each with the facts beside it.
fn pictures(folder: &Path) -> Outcome<Vec<PathBuf>> {
    let mut paths: Vec<PathBuf> = std::fs::read_dir(folder)?.filter_map(|e| Some(e.ok()?.path())).collect();
    paths.retain(|p| p.extension().is_some_and(|e| e == "png" || e == "webp"));
    paths.sort();
    if paths.is_empty() { Err("no people: see foundry/README.md".into()) } else { Ok(paths) }
}

/// All people of a folder.
pub fn people(folder: &Path) -> Outcome<Vec<Person>> {
    pictures(folder)?.iter().map(|path| person(path)).collect()
}

fn person(path: &Path) -> Outcome<Person> {
    let facts: serde_json::Value = serde_json::from_str(&std::fs::read_to_string(path.with_extension("json"))?)?;
    let figure = |value: &serde_json::Value| value.as_f64().unwrap_or(f64::NAN) as f32;
    let at = |name: &str| {
        let place = &facts["landmarks"][name];
        Place::new(figure(&place[0]), figure(&place[1]))
    };
    let (a, b) = (at("mouth_left"), at("mouth_right"));
    let mouth = Place::new((a.x + b.x) / 2.0, (a.y + b.y) / 2.0);
    // A person's left eye lies on the picture's right.
    let face = Face { left_eye: at("right_pupil"), right_eye: at("left_pupil"), mouth };
    let original = codec::read(path, ContentHash::of_file(path)?, &Limits::default())?.original;
    let name = path.file_stem().unwrap_or_default().to_string_lossy().into_owned();
    Ok(Person { name, planes: original.planes(), face, turned: figure(&facts["yaw"]).abs() })
}

/// What happens to a face before it lands on the desk.
#[derive(Clone, Copy)]
struct Trial {
    name: &'static str,
    eyes: f32,
    /// In pixels of the small picture.
    blur: f32,
    noise: f32,
    jpeg: Option<u8>,
}

impl Trial {
    /// A face that is sharp as far as its pixels go, and clean, has nothing to be restored but its size.
    fn is_sound(&self) -> bool {
        self.blur == 0.0 && self.noise < 1.0
    }
}

const PHONE: Trial =
    Trial { name: "24 px, phone: soft, noise 3, JPEG 75", eyes: 24.0, blur: 0.7, noise: 3.0, jpeg: Some(75) };
const OUT_OF_FOCUS: Trial =
    Trial { name: "32 px, out of focus, JPEG 85", eyes: 32.0, blur: 1.2, noise: 1.0, jpeg: Some(85) };
const TRIALS: [Trial; 9] = [
    Trial { name: "24 px, small only", eyes: 24.0, blur: 0.0, noise: 0.0, jpeg: None },
    PHONE,
    Trial { name: "32 px, small only", eyes: 32.0, blur: 0.0, noise: 0.0, jpeg: None },
    Trial { name: "32 px, sharp, noise 3, JPEG 75", eyes: 32.0, blur: 0.0, noise: 3.0, jpeg: Some(75) },
    OUT_OF_FOCUS,
    Trial { name: "48 px, phone: soft, noise 3, JPEG 75", eyes: 48.0, blur: 0.7, noise: 3.0, jpeg: Some(75) },
    Trial { name: "48 px, sharp, noise 3, JPEG 75", eyes: 48.0, blur: 0.0, noise: 3.0, jpeg: Some(75) },
    Trial { name: "48 px, out of focus, JPEG 85", eyes: 48.0, blur: 1.4, noise: 1.0, jpeg: Some(85) },
    Trial { name: "64 px, sharp, JPEG 92", eyes: 64.0, blur: 0.0, noise: 0.5, jpeg: Some(92) },
];

/// The parts of a face on the canvas, by name; the first [`FEATURES`] are eyes and mouth.
const PARTS: [(&str, Region); 9] = [
    ("eyes", Region::new(56, 108, 64, 40)),
    ("eyes", Region::new(136, 108, 64, 40)),
    ("mouth", Region::new(88, 202, 80, 40)),
    ("brows", Region::new(56, 80, 64, 28)),
    ("brows", Region::new(136, 80, 64, 28)),
    ("nose", Region::new(100, 148, 56, 54)),
    ("cheeks", Region::new(52, 160, 40, 48)),
    ("cheeks", Region::new(164, 160, 40, 48)),
    ("forehead", Region::new(92, 46, 72, 34)),
];
const FEATURES: usize = 3;

/// A person as it came, enlarged by Everyday, and with the face restored in full; and the truth, all on the canvas.
struct Seen {
    before: Planes,
    everyday: Planes,
    restored: Planes,
    truth: Planes,
    departure: f32,
    left: Option<LeftAlone>,
}

impl Seen {
    /// A part of the canvas by Everyday, restored, and in truth.
    fn of(&self, part: Region) -> [Planes; 3] {
        [&self.everyday, &self.restored, &self.truth].map(|planes| planes.cut(part))
    }
}

fn undergo(trial: Trial, person: &Person, renderer: &Renderer) -> Outcome<Seen> {
    let truth_size = person.planes.size();
    let scale = f64::from(trial.eyes / person.face.eyes());
    let side = |px: u32| (f64::from(px) * scale).round() as u32;
    let small = Size::new(side(truth_size.width), side(truth_size.height));
    let soft = if trial.blur > 0.0 {
        damage::blurred(&person.planes, trial.blur / scale as f32)
    } else {
        person.planes.clone()
    };
    let mut picture = shrunk(&soft, small, Averaging::Light);
    if trial.noise > 0.0 {
        picture = damage::white_noise(&picture, trial.noise);
    }
    if let Some(quality) = trial.jpeg {
        picture = damage::jpeg(&picture, quality)?;
    }
    let original = damage::as_original(&picture);
    let (across, down) = (small.width as f32 / truth_size.width as f32, small.height as f32 / truth_size.height as f32);
    let place = |p: Place| Place::new(p.x * across, p.y * down);
    let Face { left_eye, right_eye, mouth } = person.face;
    let face = Face { left_eye: place(left_eye), right_eye: place(right_eye), mouth: place(mouth) };
    let shelf = renderer.shelf();
    let model = ModelRef::of(shelf.restorer().ok_or("there is no restorer")?);
    let plain = Treatment::learned(&shelf, EVERYDAY, Grade::Draft, small, truth_size);
    let faces = vec![TreatedFace { face, restore: Some(Restore { model, strength: 1.0 }) }];
    let full = Treatment { faces, ..plain.clone() };
    let restoration = renderer.restoration(&original, &full, &face, &Unhurried)?.ok_or("the face is in the picture")?;
    let on_canvas = |planes: &Planes| {
        let back = person.face.to_canvas().expect("a face").inverse();
        dettaglio_core::face::canvas::seen_through(&back, planes, (0, 0), CANVAS.whole().seen_as())
    };
    let rendered = |treatment: &Treatment| -> Outcome<Planes> {
        Ok(on_canvas(&renderer.render(&original, treatment, truth_size.whole().seen_as(), &Unhurried)?))
    };
    Ok(Seen {
        before: on_canvas(&resample(&picture, truth_size, truth_size.whole(), Kernel::Bicubic)),
        everyday: rendered(&plain)?,
        restored: rendered(&full)?,
        truth: on_canvas(&person.planes),
        departure: restoration.departure,
        left: restoration.left,
    })
}

/// What restoring brings to the parts of the people's faces, in dB.
#[derive(Default)]
struct Gains {
    /// For each of [`PARTS`], one of each person.
    of_parts: [Vec<f64>; PARTS.len()],
}

impl Gains {
    /// With so much of the restored face; on the canvas that is a share of what it changed, as in the product.
    fn add(&mut self, seen: &Seen, strength: f32) {
        for ((_, part), gains) in PARTS.iter().zip(&mut self.of_parts) {
            let [everyday, restored, truth] = seen.of(*part);
            let mixed = everyday.values().iter().zip(restored.values()).map(|(e, r)| e + strength * (r - e)).collect();
            let mixed = Planes::from_values(everyday.size(), mixed);
            gains.push(psnr(&mixed, &truth, 0) - psnr(&everyday, &truth, 0));
        }
    }

    /// The mean of all parts of that name.
    fn mean(&self, name: &str) -> f64 {
        let all: Vec<f64> = self.each().filter(|(part, _, _)| *part == name).map(|(_, _, gain)| gain).collect();
        all.iter().sum::<f64>() / all.len() as f64
    }

    fn mean_of_features(&self) -> f64 {
        let all = self.of_parts[..FEATURES].concat();
        all.iter().sum::<f64>() / all.len() as f64
    }

    /// Part, person and gain where it is smallest.
    fn least(&self) -> (&'static str, usize, f64) {
        self.each().min_by(|a, b| a.2.total_cmp(&b.2)).expect("there are people")
    }

    fn least_in_words(&self, people: &[Person]) -> String {
        let (part, person, gain) = self.least();
        format!("{gain:+.2} ({part}, {})", people[person].name)
    }

    fn each(&self) -> impl Iterator<Item = (&'static str, usize, f64)> {
        let parts = PARTS.iter().zip(&self.of_parts);
        parts.flat_map(|((name, _), gains)| gains.iter().enumerate().map(|(i, gain)| (*name, i, *gain)))
    }
}

const NAMES: [&str; 6] = ["eyes", "mouth", "brows", "nose", "cheeks", "forehead"];

/// What one trial did to all people.
struct Outcomes {
    trial: Trial,
    /// For each of [`STRENGTHS`].
    gains: [Gains; STRENGTHS.len()],
    /// Eyes and mouth, means: PSNR of Everyday and restored in full, in dB.
    features: [f64; 2],
    departures: Vec<f32>,
    left: usize,
}

/// What may be suggested; the last is all of it.
const STRENGTHS: [f32; 8] = [0.3, 0.4, 0.5, 0.6, 0.7, 0.8, 0.9, 1.0];

fn outcomes(trial: Trial, people: &[Person], renderer: &Renderer) -> Outcome<Outcomes> {
    let mut all = Outcomes { trial, gains: Default::default(), features: [0.0; 2], departures: Vec::new(), left: 0 };
    for person in people {
        let seen = undergo(trial, person, renderer)?;
        let count = (people.len() * FEATURES) as f64;
        for (_, part) in &PARTS[..FEATURES] {
            let [everyday, restored, truth] = seen.of(*part);
            let figures = [psnr(&everyday, &truth, 0), psnr(&restored, &truth, 0)];
            all.features.iter_mut().zip(figures).for_each(|(sum, figure)| *sum += figure / count);
        }
        for (gains, strength) in all.gains.iter_mut().zip(STRENGTHS) {
            gains.add(&seen, strength);
        }
        all.departures.push(seen.departure);
        all.left += usize::from(seen.left.is_some());
    }
    Ok(all)
}

/// The place in [`STRENGTHS`] of the most at which no part of any damaged face loses more than it may.
fn most_that_is_safe(trials: &[Outcomes]) -> Option<usize> {
    let damaged = || trials.iter().filter(|t| !t.trial.is_sound());
    (0..STRENGTHS.len()).rev().find(|k| damaged().all(|t| t.gains[*k].least().2 >= -MOST_LOST))
}

/// What `evaluate` found out about a restorer, for its card; and the tables for the document.
pub struct Judged {
    pub scores: Vec<CleaningScore>,
    pub strength: f32,
    pub tables: String,
}

pub fn judged(model: &Model, shelf: &Shelf, people: &[Person]) -> Outcome<Judged> {
    let renderer = Renderer::new(shelf.clone(), 64 << 20);
    let trials: Vec<Outcomes> =
        TRIALS.iter().map(|trial| outcomes(*trial, people, &renderer)).collect::<Outcome<_>>()?;
    let safe = most_that_is_safe(&trials).ok_or("no strength is safe: every one makes a part of a face worse")?;
    let tables = in_full_table(model, &trials, people)? + &suggested_table(safe, &trials, people)?;
    let scores = trials.iter().map(|t| t.score(people.len())).collect();
    Ok(Judged { scores, strength: STRENGTHS[safe], tables })
}

impl Outcomes {
    fn in_full(&self) -> &Gains {
        self.gains.last().expect("there are strengths")
    }

    fn score(&self, people: usize) -> CleaningScore {
        let [before, after] = self.features;
        CleaningScore {
            damage: self.trial.name.to_owned(),
            undamaged: self.trial.is_sound(),
            face: Some(FaceTrial { eyes: self.trial.eyes, blur: self.trial.blur }),
            photos: people,
            before: rounded(before, 2),
            after: rounded(after, 2),
            least_gain: rounded(self.in_full().least().2, 2),
            before_ssim: 0.0,
            after_ssim: 0.0,
            after_rgb: None,
            worst: String::new(),
        }
    }
}

fn in_full_table(model: &Model, trials: &[Outcomes], people: &[Person]) -> Outcome<String> {
    let mut table = format!(
        "\n## {}\n\n{} people. Departure, at full strength: the 95th percentile of CIEDE2000 at the original's resolution, mean and most.\n\n\
         | eyes apart, damage | Everyday | restored | gain | least gain of a part | departure | left alone |\n\
         |---|--:|--:|--:|--:|--:|--:|\n",
        model.card().name,
        people.len()
    );
    for t in trials {
        let [before, after] = t.features;
        let mean = t.departures.iter().sum::<f32>() / t.departures.len() as f32;
        let most = t.departures.iter().copied().fold(0.0, f32::max);
        writeln!(
            table,
            "| {} | {before:.2} dB | {after:.2} dB | {:+.2} | {} | {mean:.1}, {most:.1} | {} |",
            t.trial.name,
            after - before,
            t.in_full().least_in_words(people),
            t.left
        )?;
    }
    Ok(table)
}

fn suggested_table(safe: usize, trials: &[Outcomes], people: &[Person]) -> Outcome<String> {
    let mut table = format!(
        "\nAt {:.0} %, as suggested, the most in tenths at which no part of a damaged face loses more than {MOST_LOST} dB: the gain in each \
         part, and the least.\n\n| eyes apart, damage | eyes and mouth | {} | least gain of a part |\n|---|--:|{}--:|\n",
        100.0 * STRENGTHS[safe],
        NAMES.join(" | "),
        "--:|".repeat(NAMES.len())
    );
    for t in trials {
        let gains = &t.gains[safe];
        let of_parts: Vec<String> = NAMES.iter().map(|name| format!("{:+.2}", gains.mean(name))).collect();
        let (features, least) = (gains.mean_of_features(), gains.least_in_words(people));
        writeln!(table, "| {} | {features:+.2} | {} | {least} |", t.trial.name, of_parts.join(" | "))?;
    }
    Ok(table)
}

/// How far off the face of a person is found, brought down to so many pixels between the eyes: the mean distance of eyes and mouth, in
/// distances of the eyes. Nothing where it is not found.
fn found(finder: &Finder, person: &Person, eyes: f32) -> Outcome<Option<f32>> {
    let size = person.planes.size();
    let scale = eyes / person.face.eyes();
    let side = |px: u32| (px as f32 * scale).round() as u32;
    let small = Size::new(side(size.width), side(size.height));
    let picture = shrunk(&person.planes, small, Averaging::Light);
    let due = person.face;
    let distance = |a: Place, b: Place| (a.x - b.x * scale).hypot(a.y - b.y * scale);
    let apart = |f: &Face| {
        let all = [(f.left_eye, due.left_eye), (f.right_eye, due.right_eye), (f.mouth, due.mouth)];
        all.iter().map(|(a, b)| distance(*a, *b)).sum::<f32>() / 3.0 / eyes
    };
    let faces = finder.find(&damage::as_original(&picture), &Unhurried)?;
    Ok(faces.iter().map(apart).min_by(f32::total_cmp).filter(|off| *off < 0.5))
}

/// How many of the people are found at several sizes, and how far off their eyes.
pub fn finding(finder: &Finder, people: &[Person]) -> Outcome<String> {
    let mut table =
        "\n## Finding\n\nThe same people, sharp and upright, brought down to so many pixels between the eyes.\n\n\
         | eyes apart | found | eyes and mouth off by, of the distance of the eyes |\n|--:|--:|--:|\n"
            .to_owned();
    for eyes in [16.0, 24.0, 32.0, 48.0, 80.0] {
        let mut off = Vec::new();
        for person in people {
            off.extend(found(finder, person, eyes)?);
        }
        let mean = 100.0 * off.iter().sum::<f32>() / off.len().max(1) as f32;
        writeln!(table, "| {eyes:.0} px | {} of {} | {mean:.0} % |", off.len(), people.len())?;
    }
    Ok(table)
}

/// From how many degrees on a head counts as turned by so much.
const TURNS: [f32; 4] = [0.0, 10.0, 20.0, 30.0];

/// How many are found by how far they are turned away, of the many pictures that restorers learn from: no finder learned from them.
pub fn finding_turned(finder: &Finder, folder: &Path) -> Outcome<String> {
    const SIZES: [f32; 2] = [24.0, 48.0];
    let mut counts = [(0, [0; SIZES.len()]); TURNS.len()];
    for path in pictures(folder)? {
        let person = person(&path)?;
        let turn = TURNS.iter().rposition(|from| person.turned >= *from).expect("no turn is below nought");
        counts[turn].0 += 1;
        for (count, eyes) in counts[turn].1.iter_mut().zip(SIZES) {
            *count += usize::from(found(finder, &person, eyes)?.is_some());
        }
    }
    let mut table =
        "\nThe people that the restorer learned from, whom no finder knows, by how far they are turned away.\n\n\
                     | turned from | pictures | found at 24 px | at 48 px |\n|--:|--:|--:|--:|\n"
            .to_owned();
    for (from, (all, found)) in TURNS.iter().zip(counts) {
        let [at_24, at_48] = found.map(|n| format!("{:.1} %", 100.0 * n as f32 / all.max(1) as f32));
        writeln!(table, "| {from:.0}° | {all} | {at_24} | {at_48} |")?;
    }
    Ok(table)
}

/// What is taken for a face in pictures without people.
pub fn finding_nobody(finder: &Finder, pictures: &[&Planes]) -> Outcome<String> {
    let mut false_finds = 0;
    for picture in pictures {
        false_finds += finder.find(&damage::as_original(picture), &Unhurried)?.len();
    }
    Ok(format!(
        "\nIn {} pictures without people, photographs and rendered ones, {false_finds} faces were found.\n",
        pictures.len()
    ))
}

/// Before, Everyday and restored, side by side, four people a row: 24 people of a damaged trial.
pub fn sheet(shelf: &Shelf, people: &[Person], file: &Path) -> Outcome<()> {
    const ROW: usize = 4;
    let renderer = Renderer::new(shelf.clone(), 64 << 20);
    let (width, height) = (CANVAS.width * 3 / 4, CANVAS.height * 3 / 4);
    let shown = &people[..people.len().min(24)];
    let rows = shown.len().div_ceil(ROW) as u32;
    let mut sheet =
        image::RgbImage::from_pixel((3 * width + 6) * ROW as u32, (height + 6) * rows, image::Rgb([119; 3]));
    for (i, person) in shown.iter().enumerate() {
        let trial = if i % 2 == 0 { OUT_OF_FOCUS } else { PHONE };
        let seen = undergo(trial, person, &renderer)?;
        for (k, planes) in [seen.before, seen.everyday, seen.restored].iter().enumerate() {
            let small = Size::new(width, height);
            let planes = resample(planes, small, small.whole(), Kernel::Bicubic);
            let (left, top) = ((i % ROW) as u32 * (3 * width + 6) + k as u32 * width, (i / ROW) as u32 * (height + 6));
            for y in 0..height {
                for x in 0..width {
                    let level = |c: usize| (planes.row(c, y)[x as usize].clamp(0.0, 1.0) * 255.0).round() as u8;
                    sheet.put_pixel(left + x, top + y, image::Rgb([level(0), level(1), level(2)]));
                }
            }
        }
    }
    let out = std::fs::File::create(file)?;
    image::codecs::jpeg::JpegEncoder::new_with_quality(std::io::BufWriter::new(out), 88).encode_image(&sheet)?;
    Ok(())
}
