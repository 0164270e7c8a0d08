//! What each command does.

use std::path::{Path, PathBuf};
use std::sync::OnceLock;

use anyhow::{Context, bail};
use dettaglio_core::codec::{CameraPicture, CodecError, Decoded, Decoders, DecodingMemory};
use dettaglio_core::picture::Planes;
use dettaglio_core::render::{self, Destination, Renderer, Unhurried};
use dettaglio_core::{compare, reading, sight};
use dettaglio_domain::face::{LEAST_EYES, LeftAlone, MOST_EYES};
use dettaglio_domain::file::{Format, OutputSettings, READ_ENDINGS};
use dettaglio_domain::frame::Frame;
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::limits::Limits;
use dettaglio_domain::naming::{NameParts, file_name};
use dettaglio_domain::recipe::Surround;
use dettaglio_domain::size;
use dettaglio_domain::treatment::Treatment;
use indicatif::{ProgressBar, ProgressStyle};

use crate::args::{CompareArgs, EnlargeArgs, FacesArgs, ReadArgs, SizeArgs, SuggestArgs, pixels};
use crate::devices::ready_shelf;
use crate::models::{finder, shelf};
use crate::steps;

/// Tiles that a run shares between its bands are in a store of its own; this one only serves single regions.
pub const SHARED_TILES: usize = 1 << 20;

/// Memory that a picture may take while it is read: pictures are read one after another, and the largest one that is read at all
/// fits.
const MEMORY: DecodingMemory = DecodingMemory { decoding: 16 << 30, open: 16 << 30 };

/// Enlarges every input; one that fails does not keep the others from being made.
pub fn enlarge(args: &EnlargeArgs) -> anyhow::Result<()> {
    let shelf = ready_shelf(&args.shelf)?;
    let inputs = pictures(&args.inputs)?;
    if let (Some(output), [_, second, ..]) = (&args.output, &inputs[..]) {
        bail!(
            "{} is one file and there are several pictures ({}, ...): give --into FOLDER",
            output.display(),
            second.display()
        );
    }
    if let Some(folder) = &args.into {
        std::fs::create_dir_all(folder).with_context(|| folder.display().to_string())?;
    }
    let renderer = Renderer::new(shelf, SHARED_TILES);
    one_by_one(&inputs, "enlarged", |input, count| enlarge_one(args, &renderer, input, count))
}

/// Does something with every picture, which is told which of how many it is; one that fails does not keep the others from it. `done` says
/// what is done to them.
pub fn one_by_one(
    inputs: &[PathBuf],
    done: &str,
    mut each: impl FnMut(&Path, &str) -> anyhow::Result<()>,
) -> anyhow::Result<()> {
    let mut failed = Vec::new();
    for (i, input) in inputs.iter().enumerate() {
        let count = if inputs.len() > 1 { format!("{} of {}: ", i + 1, inputs.len()) } else { String::new() };
        match each(input, &count) {
            Ok(()) => {}
            Err(error) if inputs.len() == 1 => return Err(error),
            Err(error) => {
                eprintln!("dettaglio: {}", crate::one_line(&format!("{error:#}")));
                failed.push(input.display().to_string());
            }
        }
    }
    if failed.is_empty() {
        return Ok(());
    }
    bail!("{} of {} pictures were not {done}: {}", failed.len(), inputs.len(), failed.join(", "))
}

/// A bar of so many steps, with what is being done before it.
pub fn progress_bar(steps: u64, message: String) -> ProgressBar {
    let style = ProgressStyle::with_template("{msg} {bar:32} {percent:>3} %, {eta} left").expect("a fixed template");
    ProgressBar::new(steps).with_style(style).with_message(message)
}

fn enlarge_one(args: &EnlargeArgs, renderer: &Renderer, input: &Path, count: &str) -> anyhow::Result<()> {
    // Said before the work of reading.
    args.target.target()?;
    let format = match &args.output {
        Some(output) => {
            let ending = output.extension().and_then(|e| e.to_str()).unwrap_or_default();
            ending.parse().with_context(|| output.display().to_string())?
        }
        None => args.format,
    };
    // Before the work of reading, where that is possible.
    if let Some(output) = &args.output {
        free_to_write(input, output, args.force)?;
    }
    let limits = Limits::default();
    let source = Source::open(input, format)?;
    let decoded = source.decoded();
    let named = || input.display().to_string();
    let treatment = worked_out(args, renderer, decoded).with_context(named)?;
    let depth = args.depth.unwrap_or(format.nearest_depth(decoded.original.depth()));
    let (quality, chroma, compression, profile) = (args.quality, args.chroma, args.compression, args.profile);
    let settings = OutputSettings { format, depth, quality, chroma, compression, profile, ppi: args.target.ppi };
    limits.check_output(&decoded.facts, treatment.sheet(), settings, None).with_context(named)?;
    let output = match (&args.output, &args.into) {
        (Some(output), _) => output.clone(),
        (None, Some(folder)) => {
            let name = input.file_name().map(|n| n.to_string_lossy().into_owned()).unwrap_or_default();
            let method = treatment.method();
            let parts =
                NameParts { original: &name, size: treatment.sheet(), ppi: settings.ppi, method: &method, format };
            folder.join(file_name(&args.pattern, &parts)?)
        }
        (None, None) => bail!("say where the result goes: --output FILE or --into FOLDER"),
    };
    free_to_write(input, &output, args.force)?;

    let to = Destination { path: &output, settings, reading: None };
    let done = treatment.describe(&renderer.shelf());
    with_a_bar(&format!("{count}{done}"), |progress| match &source {
        Source::Finished(decoded) => render::run(renderer, &decoded.original, &treatment, to, &Unhurried, progress),
        Source::Camera(camera) => render::run_camera(renderer, camera, &treatment, &output, None, &Unhurried, progress),
    })
    .with_context(|| output.display().to_string())?;
    let colours = if matches!(source, Source::Camera(_)) { ", in the camera's colours" } else { "" };
    say!("{count}{}: {done}{colours}", output.display());
    Ok(())
}

/// What a result is made of.
enum Source {
    /// The picture as it is seen everywhere.
    Finished(Box<Decoded>),
    /// A raw file in its camera's own colours: white balance, exposure and profile stay open.
    Camera(Box<CameraPicture>),
}

impl Source {
    fn open(input: &Path, format: Format) -> anyhow::Result<Self> {
        if format != Format::Dng {
            return Ok(Self::Finished(Box::new(open(input)?)));
        }
        read_apart(input, |decoders, hash| decoders.read_camera(input, hash, &|_| {}))
            .map(|camera| Self::Camera(Box::new(camera)))
    }

    fn decoded(&self) -> &Decoded {
        match self {
            Self::Finished(decoded) => decoded,
            Self::Camera(camera) => &camera.decoded,
        }
    }
}

/// What the steps that were said come to for a picture.
fn worked_out(args: &EnlargeArgs, renderer: &Renderer, decoded: &Decoded) -> anyhow::Result<Treatment> {
    let (target, shelf, original) = (args.target.target()?, renderer.shelf(), &decoded.original);
    let find = || Ok(finder(&args.shelf)?.find(original, &Unhurried)?);
    let recipe = args.steps.recipe(decoded, &shelf, &find, target)?;
    Ok(recipe.work_out(&shelf, original.size(), target)?.treatment)
}

/// Runs something that tells how far it is, 0 to 1.
fn with_a_bar<T>(message: &str, run: impl FnOnce(&(dyn Fn(f64) + Sync)) -> T) -> T {
    let bar = progress_bar(1000, message.to_owned());
    let outcome = run(&|share| bar.set_position((share * 1000.0) as u64));
    bar.finish_and_clear();
    outcome
}

/// Says no where a result may not be written.
pub fn free_to_write(input: &Path, output: &Path, force: bool) -> anyhow::Result<()> {
    if output.exists() && !force {
        bail!("{} exists: choose another name, or give --force to replace it", output.display());
    }
    if same_file(input, output) {
        bail!("the output is the original itself, which is never changed: choose another name");
    }
    Ok(())
}

/// Reads a picture in a process of its own: a file that brings its decoder down does not end a batch.
pub fn open(path: &Path) -> anyhow::Result<Decoded> {
    read_apart(path, |decoders, hash| decoders.read(path, hash, &|_| {}))
}

fn read_apart<T>(path: &Path, read: impl FnOnce(&Decoders, ContentHash) -> Result<T, CodecError>) -> anyhow::Result<T> {
    static DECODERS: OnceLock<Decoders> = OnceLock::new();
    let named = || path.display().to_string();
    let hash = ContentHash::of_file(path).with_context(named)?;
    let program = std::env::current_exe()?;
    let decoders = DECODERS.get_or_init(|| Decoders::new(&program, MEMORY, Limits::default()));
    read(decoders, hash).with_context(named)
}

/// The files that were named: folders give the pictures in them, patterns what they match.
pub fn pictures(inputs: &[String]) -> anyhow::Result<Vec<PathBuf>> {
    let is_picture = |path: &Path| {
        let ending = path.extension().and_then(|e| e.to_str()).unwrap_or_default().to_ascii_lowercase();
        READ_ENDINGS.contains(&ending.as_str())
    };
    let mut found = Vec::new();
    for input in inputs {
        let path = Path::new(input);
        if path.is_dir() {
            let entries = std::fs::read_dir(path).with_context(|| input.clone())?;
            let mut files: Vec<PathBuf> = entries.filter_map(|e| Some(e.ok()?.path())).collect();
            files.retain(|file| file.is_file() && is_picture(file));
            if files.is_empty() {
                bail!("there are no pictures in {input}");
            }
            files.sort();
            found.extend(files);
        } else if path.exists() || !input.contains(['*', '?', '[']) {
            found.push(path.to_owned());
        } else {
            let matches = glob::glob(input).with_context(|| format!("\"{input}\" is not a pattern"))?;
            let before = found.len();
            found.extend(matches.filter_map(Result::ok).filter(|file| file.is_file()));
            if found.len() == before {
                bail!("nothing matches {input}");
            }
        }
    }
    found.dedup();
    Ok(found)
}

pub fn read(args: &ReadArgs) -> anyhow::Result<()> {
    // What looks at pictures is no model of the shelf: no device is tried for it.
    let shelf = shelf(&args.shelf)?;
    let decoded = open(&args.input)?;
    let reading = sight::read(&decoded.original, &decoded.facts, &shelf)?;
    if args.json {
        let all = serde_json::json!({
            "facts": decoded.facts, "reading": reading, "conclusion": reading.conclusion(),
        });
        say!("{}", serde_json::to_string_pretty(&all)?);
        return Ok(());
    }
    let facts = &decoded.facts;
    let profile = facts.profile.as_deref().unwrap_or("no profile: taken for sRGB");
    say!(
        "{}: {}, {:.1} megapixels, {} {}-bit, {profile}",
        args.input.display(),
        facts.size,
        facts.size.megapixels(),
        facts.format,
        facts.depth.bits()
    );
    for sentence in reading.conclusion() {
        say!("  {sentence}");
    }
    Ok(())
}

pub fn faces(args: &FacesArgs) -> anyhow::Result<()> {
    let decoded = open(&args.input)?;
    let faces = finder(&args.shelf)?.find(&decoded.original, &Unhurried)?;
    if args.json {
        let all: Vec<_> = faces
            .iter()
            .map(|face| serde_json::json!({ "face": face, "eyes": face.eyes(), "left": face.left_for_size() }))
            .collect();
        say!("{}", serde_json::to_string_pretty(&all)?);
        return Ok(());
    }
    let count = match faces.len() {
        0 => "no faces found".to_owned(),
        1 => "1 face".to_owned(),
        many => format!("{many} faces"),
    };
    say!("{}: {count}", args.input.display());
    for face in &faces {
        let verdict = match face.left_for_size() {
            None => "can be restored".to_owned(),
            Some(LeftAlone::TooSmall) => format!("left to the general model: below {LEAST_EYES:.0} px"),
            Some(_) => format!("left as it is: above {MOST_EYES:.0} px there is nothing to restore"),
        };
        let (x, y) = ((face.left_eye.x + face.right_eye.x) / 2.0, (face.left_eye.y + face.right_eye.y) / 2.0);
        say!("  eyes around {x:.0}, {y:.0}, {:.0} px apart: {verdict}", face.eyes());
    }
    Ok(())
}

pub fn suggest(args: &SuggestArgs) -> anyhow::Result<()> {
    let shelf = ready_shelf(&args.shelf)?;
    let decoded = open(&args.input)?;
    let reading = reading::measure(&decoded.original, &decoded.facts);
    let target = args.target.target()?;
    let found = finder(&args.shelf)?.find(&decoded.original, &Unhurried)?;
    let kept = decoded.original.size();
    let suggestion = steps::suggestion(&decoded, &reading, &found, &shelf, kept, target, args.distance)?;
    let recipe = suggestion.recipe(Frame::default(), Surround::None);
    let text = serde_json::to_string_pretty(&recipe)? + "\n";
    match &args.output {
        Some(path) => std::fs::write(path, text).with_context(|| path.display().to_string())?,
        None => print!("{text}"),
    }
    for reason in &suggestion.reasons {
        eprintln!("{:?}: {}", reason.step, reason.text);
    }
    Ok(())
}

pub fn compare(args: &CompareArgs) -> anyhow::Result<()> {
    let in_srgb = |path: &Path| -> anyhow::Result<Planes> {
        let original = open(path)?.original;
        let planes = original.planes();
        Ok(original.to_srgb(planes))
    };
    let (one, other) = (in_srgb(&args.one)?, in_srgb(&args.other)?);
    let proportion = |p: &Planes| f64::from(p.size().width) / f64::from(p.size().height);
    if (proportion(&one) / proportion(&other)).ln().abs() > 0.02 {
        bail!("{} and {} have other proportions: they cannot show the same", one.size(), other.size());
    }
    let departure = compare::departure(&one, &other);
    // Figures of one size need one size, and something inside the border.
    let border = 4;
    let same = one.size() == other.size() && one.size().short_edge() > 2 * border + 11;
    let (psnr, ssim) =
        (same.then(|| compare::psnr(&one, &other, border)), same.then(|| compare::ssim(&one, &other, border)));
    if args.json {
        // Equal pictures have no finite PSNR, and JSON no infinity.
        let all = serde_json::json!({
            "psnr": psnr.filter(|v| v.is_finite()), "ssim": ssim, "equal": psnr == Some(f64::INFINITY),
            "departure_p95": departure.p95, "departure_mean": departure.mean,
        });
        say!("{}", serde_json::to_string_pretty(&all)?);
        return Ok(());
    }
    match psnr.zip(ssim) {
        Some((psnr, _)) if psnr.is_infinite() => say!("PSNR: equal to the last bit"),
        Some((psnr, ssim)) => say!("PSNR {psnr:.2} dB, SSIM {ssim:.4} (luminance)"),
        None => say!("of two sizes ({} and {}): no PSNR", one.size(), other.size()),
    }
    say!("departure {:.2} at the 95th percentile, {:.2} on average (CIEDE2000)", departure.p95, departure.mean);
    Ok(())
}

pub fn size(args: &SizeArgs) -> anyhow::Result<()> {
    let original = match pixels(&args.original) {
        Some(size) => size,
        None => {
            let path = Path::new(&args.original);
            if !path.exists() {
                bail!("\"{}\" is neither a size like 1500x1000 nor a file", args.original);
            }
            open(path)?.original.size()
        }
    };
    let resolved = args.target.target()?.resolve(original)?;
    if args.json {
        say!("{}", serde_json::to_string_pretty(&resolved)?);
        return Ok(());
    }
    let size = resolved.size;
    say!("{original} to {size}: {:.2} times, {:.1} megapixels", resolved.factor, size.megapixels());
    if let Some(print) = resolved.print {
        let (usual, sharp) = (print.usual_distance_m(), size::sharp_from_m(print.original_ppi));
        say!("on a sheet of {} the picture is {} at {} ppi", print.paper, print.picture, print.ppi);
        say!(
            "the original's own pixels give {:.0} ppi there: enough for the eye from {sharp:.2} m",
            print.original_ppi
        );
        say!("usually seen from {usual:.2} m, where the eye can use {:.0} ppi", size::eye_ppi(usual));
    }
    Ok(())
}

fn same_file(a: &Path, b: &Path) -> bool {
    matches!((a.canonicalize(), b.canonicalize()), (Ok(a), Ok(b)) if a == b)
}
