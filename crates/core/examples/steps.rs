//! What each step costs, and what is not computed again.
//!
//!     cargo run --release -p dettaglio-core --example steps -- PHOTO models
//!
//! Times are per megapixel of what the step works on: of the original for reading, frame and cleaning, of the result
//! for the others. Machines are noisy: compare within one run.

use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicU64, Ordering};
use std::time::Instant;

use dettaglio_core::face::Finder;
use dettaglio_core::model::Shelf;
use dettaglio_core::picture::{Original, Planes};
use dettaglio_core::render::{Destination, Pace, Renderer, Unhurried, run};
use dettaglio_core::{codec, reading};
use dettaglio_domain::affine::Affine;
use dettaglio_domain::affine::space;
use dettaglio_domain::clean::{Clean, Marks, Noise, NoiseCurve, Softness};
use dettaglio_domain::face::{CANVAS, Face};
use dettaglio_domain::file::{Format, OutputSettings};
use dettaglio_domain::finish::{Edges, Finish, PrintGrain};
use dettaglio_domain::frame::Frame;
use dettaglio_domain::geometry::{Place, Region, Size};
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::kernel::Kernel;
use dettaglio_domain::limits::Limits;
use dettaglio_domain::model::{Grade, LevelKind, ModelRef};
use dettaglio_domain::treatment::{Enlarge, Restore, TreatedFace, Treatment};

type Outcome<T> = Result<T, Box<dyn std::error::Error>>;

const TILE_BYTES: usize = 2 << 30;

fn main() -> Outcome<()> {
    let arguments: Vec<PathBuf> = std::env::args_os().skip(1).map(PathBuf::from).collect();
    let [photo, models] = &arguments[..] else {
        return Err("usage: steps PHOTO MODELS".into());
    };
    let shelf = Shelf::open(models)?;
    let began = Instant::now();
    let decoded = codec::read(photo, ContentHash::of_file(photo)?, &Limits::default())?;
    let decode = began.elapsed().as_secs_f64();
    let original = decoded.original;
    let kept = original.size();
    println!("{}: {kept}, {:.2} megapixels\n", photo.display(), kept.megapixels());
    println!("| step | s per megapixel |\n|---|---|");
    line("decode", decode / kept.megapixels());
    let began = Instant::now();
    let reading = reading::measure(&original, &decoded.facts);
    line("reading", began.elapsed().as_secs_f64() / kept.megapixels());

    let same_size = Treatment::plain(Kernel::Lanczos3, kept);
    let turned = Frame { degrees: 3.0, ..Frame::default() };
    let straightened = Treatment { frame: turned, size: turned.size(kept)?, ..same_size.clone() };
    line("straighten", time(&shelf, &original, &straightened)? / straightened.size.megapixels());

    let model = |kind| shelf.cleaners(kind).next().map(ModelRef::of);
    let noise = model(LevelKind::Noise).map(|model| Noise {
        model,
        level: NoiseCurve::flat(reading.noise.sigma.max(2.0)),
        grain: 0.9,
        speckle: 1.0,
        keep_texture: 0.2,
        keep_lines: 0.0,
    });
    let marks = model(LevelKind::Compression).map(|model| Marks { model, quality: 60.0, strength: 1.0 });
    let softness = model(LevelKind::Softness).map(|model| Softness { model, sigma: 1.0, strength: 1.0 });
    let only = [
        ("clean: noise", Clean { noise: noise.clone(), ..Clean::default() }),
        ("clean: compression marks", Clean { marks, ..Clean::default() }),
        ("clean: softness", Clean { softness, ..Clean::default() }),
    ];
    for (name, clean) in only.into_iter().filter(|(_, clean)| !clean.is_off()) {
        line(name, time(&shelf, &original, &Treatment { clean, ..same_size.clone() })? / kept.megapixels());
    }

    let size = kept.times(2);
    let plain = Treatment::plain(Kernel::Lanczos3, size);
    line("Lanczos 3, twice", time(&shelf, &original, &plain)? / size.megapixels());
    for factor in [2, 4] {
        let size = kept.times(factor);
        let learned = Treatment::learned(&shelf, "everyday", Grade::Draft, kept, size);
        line(&format!("Everyday, draft, {factor} times"), time(&shelf, &original, &learned)? / size.megapixels());
    }
    let edges = Some(Edges { strength: 0.5, width: 1.2, halo_guard: 0.8, leave_flat: 0.8, leave_skin: 0.0 });
    let grain = Some(PrintGrain { amount: 0.2, level: NoiseCurve::flat(5.0), size: 2.0 });
    let base = time(&shelf, &original, &plain)?;
    for (name, finish) in
        [("finish: edges", Finish { edges, grain: None }), ("finish: grain", Finish { edges: None, grain })]
    {
        let finished = time(&shelf, &original, &Treatment { finish, ..plain.clone() })?;
        line(name, (finished - base).max(0.0) / size.megapixels());
    }

    faces(&shelf, models, &original)?;
    let mut full = Treatment::learned(&shelf, "everyday", Grade::Draft, kept, kept.times(4));
    full.clean = Clean { noise, ..Clean::default() };
    full.finish = Finish { edges, grain };
    again(&shelf, &original, full)
}

/// Finding faces in the photograph, and restoring one: the place of the eyes makes no difference to what it costs.
fn faces(shelf: &Shelf, models: &Path, original: &Original) -> Outcome<()> {
    let finder = Finder::open(&models.join("faces"))?;
    let began = Instant::now();
    let found = finder.find(original, &Unhurried)?.len();
    println!("\n{found} faces found in {:.2} s", began.elapsed().as_secs_f64());
    let Some(model) = shelf.restorer().map(ModelRef::of) else { return Ok(()) };
    let (x, y) = (original.size().width as f32 / 2.0, original.size().height as f32 / 2.0);
    let face = Face::of_eyes(Place::new(x - 20.0, y), Place::new(x + 20.0, y));
    let size = original.size().times(4);
    let renderer = Renderer::new(shelf.clone(), TILE_BYTES);
    let at = |strength| {
        let restore = Some(Restore { model: model.clone(), strength });
        let plain = Treatment::learned(shelf, "everyday", Grade::Draft, original.size(), size);
        Treatment { faces: vec![TreatedFace { face, restore }], ..plain }
    };
    let (w, h) = (640.min(size.width), 480.min(size.height));
    let view = Region::new(size.width / 2 - w / 2, size.height / 2 - h / 2, w, h);
    let shown = |treatment: &Treatment| -> Outcome<f64> {
        let began = Instant::now();
        renderer.render(original, treatment, view.seen_as(), &Unhurried)?;
        Ok(began.elapsed().as_secs_f64() * 1000.0)
    };
    // Everything that the enlarging model makes around the face is there before.
    let plain = Treatment { faces: Vec::new(), ..at(1.0) };
    renderer.render(original, &plain, face_part(&face, original, size), &Unhurried)?;
    model_ready(shelf)?;
    println!(
        "a face of 40 px between the eyes, four times larger: {:.0} ms more than without",
        shown(&at(1.0))? - shown(&plain)?
    );
    println!("its strength moved: {:.0} ms", shown(&at(0.5))?);
    Ok(())
}

/// The part of the result that holds the head.
fn face_part(face: &Face, original: &Original, size: Size) -> Region<space::Sheet> {
    let factor = size.width as f32 / original.size().width as f32;
    let grow: Affine<space::Original, space::Sheet> = Affine::scale(f64::from(factor), f64::from(factor));
    face.mapped(&grow).around(size).expect("in the middle of the picture")
}

/// Loads the restorer, which is not counted.
fn model_ready(shelf: &Shelf) -> Outcome<()> {
    let id = shelf.restorer().map(|card| card.id.clone()).unwrap_or_default();
    let network = shelf.get(&id)?.network()?;
    let level = network.level().map(|_| vec![0.0; CANVAS.area() as usize]);
    network.run(&Planes::black(CANVAS), level.as_deref())?;
    Ok(())
}

fn line(name: &str, seconds: f64) {
    println!("| {name} | {seconds:.3} |");
}

/// Seconds for the whole result in bands, from nothing.
fn time(shelf: &Shelf, original: &Original, treatment: &Treatment) -> Outcome<f64> {
    let renderer = Renderer::new(shelf.clone(), TILE_BYTES);
    // Once on a small part first, so that loading a model is not counted.
    renderer.render(original, treatment, Region::of(0, 0, 8, 8), &Unhurried)?;
    let renderer = Renderer::new(shelf.clone(), TILE_BYTES);
    let began = Instant::now();
    let size = treatment.sheet();
    for y in (0..size.height).step_by(256) {
        let band = Region::new(0, y, size.width, 256).within(size).ok_or("a band")?;
        renderer.render(original, treatment, band.seen_as(), &Unhurried)?;
    }
    Ok(began.elapsed().as_secs_f64())
}

/// Pixels that went into models.
#[derive(Default)]
struct Counted(AtomicU64);

impl Pace for Counted {
    fn after_block(&self, pixels: u64) {
        self.0.fetch_add(pixels, Ordering::Relaxed);
    }
}

/// A view, a pan by a quarter of it, sliders, and the final run: how much of the models' work is new each time.
fn again(shelf: &Shelf, original: &Original, full: Treatment) -> Outcome<()> {
    let renderer = Renderer::new(shelf.clone(), TILE_BYTES);
    let view = Region::new(0, 0, 1280, 700).within(full.size).ok_or("a view")?;
    let shown = |name: &str, treatment: &Treatment, region: Region| -> Outcome<()> {
        let counted = Counted::default();
        let began = Instant::now();
        renderer.render(original, treatment, region.seen_as(), &counted)?;
        let pixels = counted.0.into_inner();
        println!("| {name} | {:.0} | {pixels} |", began.elapsed().as_secs_f64() * 1000.0);
        Ok(())
    };
    println!("\n| a view of 1280 x 700 px of the result | ms | pixels through models |\n|---|---|---|");
    shown("first", &full, view)?;
    shown("the same again", &full, view)?;
    shown("panned by a quarter", &full, Region { x: 320, ..view }.within(full.size).ok_or("a view")?)?;
    let changed = |change: &dyn Fn(&mut Treatment)| {
        let mut treatment = full.clone();
        change(&mut treatment);
        treatment
    };
    let grain = |share| move |t: &mut Treatment| t.clean.noise.iter_mut().for_each(|n| n.grain = share);
    shown("Grain moved", &changed(&grain(0.4)), view)?;
    let less = |t: &mut Treatment| {
        if let Enlarge::Learned { strength, .. } = &mut t.enlarge {
            *strength = 0.6;
        }
    };
    shown("Strength moved", &changed(&less), view)?;
    shown("Edge strength moved", &changed(&|t| t.finish.edges.iter_mut().for_each(|e| e.strength = 1.0)), view)?;
    let louder = |t: &mut Treatment| t.clean.noise.iter_mut().for_each(|n| n.level = n.level.times(1.5));
    shown("Noise level moved: its models run", &changed(&louder), view)?;

    let folder = tempfile::tempdir()?;
    let written = |name: &str, renderer: &Renderer| -> Outcome<()> {
        let counted = Counted::default();
        let began = Instant::now();
        let path = folder.path().join("out.tif");
        let to = Destination { path: &path, settings: OutputSettings::new(Format::Tiff), reading: None };
        run(renderer, original, &full, to, &counted, &|_| {})?;
        let due: u64 = full.model_inputs(original.size()).iter().map(|(_, pixels)| pixels).sum();
        let share = counted.0.into_inner() as f64 / due as f64 * 100.0;
        println!("| {name} | {:.0} | {share:.0} % of all |", began.elapsed().as_secs_f64() * 1000.0);
        Ok(())
    };
    println!("\n| the run, into a TIFF | ms | pixels through models |\n|---|---|---|");
    written("from nothing", &Renderer::new(shelf.clone(), TILE_BYTES))?;
    written("after the views above", &renderer)?;
    renderer.render(original, &full, full.size.whole().seen_as(), &Unhurried)?;
    written("after the whole was seen", &renderer)
}
