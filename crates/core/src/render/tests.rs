use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};

use dettaglio_domain::clean::{Clean, Noise, NoiseCurve};
use dettaglio_domain::file::{Depth, Format, OutputSettings};
use dettaglio_domain::finish::{Edges, Finish, PrintGrain};
use dettaglio_domain::frame::Frame;
use dettaglio_domain::geometry::{Place, Region, Size};
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::kernel::Kernel;
use dettaglio_domain::limits::Limits;
use dettaglio_domain::mask::{Mask, Shape, Stroke};
use dettaglio_domain::model::{CatalogueError, Grade, ModelRef};
use dettaglio_domain::trace::{Hex, Ink, Tracing};
use dettaglio_domain::treatment::{Enlarge, Fill, Margin, TreatedArea, Treatment};
use rstest::rstest;

use super::disk::DiskTiles;
use super::pace::*;
use super::renderer::*;
use super::run::*;
use crate::codec::read;
use crate::enlarge;
use crate::model::stand_in::{self, Repeat, Smear, Speckle};
use crate::model::{Model, ModelError, Network, Shelf};
use crate::picture::{Original, Planes};

fn shelf() -> Shelf {
    let make = |factor| Model::with_network(stand_in::card(factor, Grade::Draft), Arc::new(Repeat { factor }));
    let cleaner = Model::with_network(stand_in::cleaner_card(), Arc::new(Smear));
    Shelf::of(vec![make(2), make(4), cleaner])
}

fn renderer() -> Renderer {
    Renderer::new(shelf(), 64 << 20)
}

fn photo(width: u32, height: u32) -> Original {
    let size = Size::new(width, height);
    let values = (0..3 * size.area()).map(|i| 0.5 + 0.4 * (i as f32 * 0.173).sin() * (i as f32 * 0.0007).cos());
    Original::from_planes(&Planes::from_values(size, values.collect()))
}

fn learned(original: &Original, size: Size) -> Treatment {
    Treatment::learned(&shelf(), "everyday", Grade::Draft, original.size(), size)
}

/// What the chain gives when each network sees the whole picture at once.
fn at_once(original: &Original, treatment: &Treatment) -> Planes {
    let mut planes = original.planes();
    for pass in treatment.passes() {
        planes = Repeat { factor: pass.factor }.run(&planes, None).unwrap();
        let rounded = planes.values().iter().map(|v| f32::from((v * 65535.0 + 0.5) as u16) / 65535.0).collect();
        planes = Planes::from_values(planes.size(), rounded);
    }
    enlarge::resample(&planes, treatment.size, treatment.size.whole(), LAST_STEP)
}

/// A blue disc on white, with soft edges.
fn disc() -> Original {
    let size = Size::new(64, 64);
    let area = size.area() as usize;
    let value = |i: usize| {
        let (x, y) = ((i % area % 64) as f32 - 31.5, (i % area / 64) as f32 - 31.5);
        let share = (20.5 - x.hypot(y)).clamp(0.0, 1.0);
        1.0 - share * [0.9, 0.7, 0.2][i / area]
    };
    Original::from_planes(&Planes::from_values(size, (0..3 * area).map(value).collect()))
}

fn traced(original: &Original, side: u32, tracing: Tracing) -> Treatment {
    let enlarge = Enlarge::traced(&shelf(), tracing, original.size());
    Treatment { enlarge, ..Treatment::plain(Kernel::Lanczos3, Size::new(side, side)) }
}

#[test]
fn a_drawing_is_traced_once_and_drawn_at_any_size_in_any_ink() {
    let (original, renderer) = (disc(), renderer());
    let treatment = traced(&original, 1000, Tracing::usual());
    let whole = renderer.render(&original, &treatment, treatment.sheet().whole().seen_as(), &Unhurried).unwrap();
    // Along the middle row, white ends and blue begins where the circle is, to a third of one of the original's pixels.
    let row = whole.row(0, 500);
    let begins = row.iter().position(|red| *red < 0.5).unwrap() as f64 * 64.0 / 1000.0;
    assert!((begins - 12.0).abs() < 0.34, "{begins}");
    let between = row.iter().filter(|red| **red > 0.15 && **red < 0.95).count();
    assert!(between <= 2, "the edge is as sharp as the result's pixels: {between}");
    let region = Region::of(190, 410, 77, 33);
    let part = renderer.render(&original, &treatment, region, &Unhurried).unwrap();
    assert_eq!(part.values(), whole.cut(region).values(), "the same wherever it is cut");

    // In another ink nothing is traced anew: nobody may run a model.
    struct Never;
    impl Pace for Never {
        fn after_block(&self, _: u64) {
            panic!("a model ran");
        }
    }
    let found = Hex([26, 77, 204]);
    let inks = vec![Ink { found, printed: Hex([0, 128, 0]), name: String::new() }];
    let other = traced(&original, 40, Tracing { inks, ..Tracing::usual() });
    let green = renderer.render(&original, &other, Region::of(20, 20, 1, 1), &Never).unwrap();
    assert!((green.values()[1] - 128.0 / 255.0).abs() < 0.003, "{green:?}");
}

#[test]
fn a_photograph_that_is_to_be_traced_is_refused_each_time() {
    let (original, renderer) = (photo(90, 80), renderer());
    let treatment = Treatment { size: Size::new(180, 160), ..traced(&original, 180, Tracing::usual()) };
    for _ in 0..2 {
        let refused = renderer.render(&original, &treatment, Region::of(0, 0, 8, 8), &Unhurried).unwrap_err();
        assert!(matches!(refused, RenderError::Trace(_)), "{refused}");
    }
}

#[rstest]
#[case::as_large(Size::new(300, 280), 1)]
#[case::twice(Size::new(600, 560), 1)]
#[case::a_little_more_than_twice(Size::new(602, 562), 2)]
#[case::four_times(Size::new(1200, 1120), 2)]
#[case::thirty_times(Size::new(9000, 8400), 5)]
fn a_view_shows_what_enlarging_adds_while_its_pixels_are_finer_than_the_originals(#[case] to: Size, #[case] due: u32) {
    let original = photo(300, 280);
    let treatment = learned(&original, to);
    assert_eq!(own_levels(&treatment, original.size()), due);
    let renderer = renderer();
    for level in 1..8 {
        assert_eq!(renderer.enlarges(&original, &treatment, level).unwrap(), level < due, "at level {level}");
    }
}

#[rstest]
#[case::exactly_twice(Size::new(600, 560))]
#[case::between(Size::new(1000, 933))]
#[case::four_times(Size::new(1200, 1120))]
#[case::two_passes(Size::new(1500, 1400))]
fn tiles_join_without_a_trace(#[case] size: Size) {
    let original = photo(300, 280);
    let treatment = learned(&original, size);
    let tiled = renderer().render(&original, &treatment, size.whole().seen_as(), &Unhurried).unwrap();
    assert!(tiled == at_once(&original, &treatment), "every value, to the bit");
}

#[rstest]
#[case(Region::new(0, 0, 1, 1))]
#[case(Region::new(255, 255, 3, 300))]
#[case(Region::new(511, 400, 300, 2))]
#[case(Region::new(999, 932, 1, 1))]
fn a_region_is_that_part_of_the_whole(#[case] region: Region) {
    let original = photo(300, 280);
    let treatment = learned(&original, Size::new(1000, 933));
    let whole = renderer().render(&original, &treatment, treatment.size.whole().seen_as(), &Unhurried).unwrap();
    let part = renderer().render(&original, &treatment, region.seen_as(), &Unhurried).unwrap();
    assert_eq!(part, whole.cut(region));
}

#[rstest]
#[case(0, true)]
#[case(1, true)]
#[case(2, false)]
#[case(4, false)]
fn a_view_from_further_away_needs_models_only_where_they_show(#[case] level: u32, #[case] by_model: bool) {
    let original = photo(200, 150);
    let treatment = learned(&original, Size::new(800, 600));
    let size = view_size(treatment.size, level);
    let pace = Counting::default();
    let whole = renderer().view(&original, &treatment, level, size.whole().seen_as(), &pace).unwrap();
    assert_eq!(pace.blocks.into_inner() > 0, by_model);
    let region = Region::new(size.width / 3, size.height / 2, size.width / 4, size.height / 3);
    let part = renderer().view(&original, &treatment, level, region.seen_as(), &Unhurried).unwrap();
    assert_eq!(part, whole.cut(region));
}

/// A cleaner that asks for far more around a block than it uses; counts how often it runs.
struct FarSighted(Arc<AtomicUsize>);

impl Network for FarSighted {
    fn factor(&self) -> u32 {
        1
    }

    fn halo(&self) -> u32 {
        112
    }

    fn level(&self) -> Option<dettaglio_domain::model::LevelKind> {
        Smear.level()
    }

    fn run_at(
        &self,
        input: &Planes,
        level: Option<&[f32]>,
        corner: crate::model::Corner,
    ) -> Result<Planes, ModelError> {
        self.0.fetch_add(1, Ordering::Relaxed);
        Smear.run_at(input, level, corner)
    }
}

#[test]
fn what_a_far_sighted_cleaner_makes_of_a_view_is_made_at_once() {
    let original = photo(1000, 800);
    let size = original.size().times(2);
    let noise = Noise::usual(ModelRef::of(&stand_in::cleaner_card()), NoiseCurve::flat(40.0));
    let tiles = [(300, 300), (556, 300), (812, 300), (300, 556), (812, 556)].map(|(x, y)| Region::of(x, y, 256, 256));
    let seen = |ahead: bool| {
        let runs = Arc::new(AtomicUsize::new(0));
        let enlarger = Model::with_network(stand_in::card(2, Grade::Draft), Arc::new(Repeat { factor: 2 }));
        let cleaner = Model::with_network(stand_in::cleaner_card(), Arc::new(FarSighted(Arc::clone(&runs))));
        let shelf = Shelf::of(vec![enlarger, cleaner]);
        let plain = Treatment::learned(&shelf, "everyday", Grade::Draft, original.size(), size);
        let treatment = Treatment { clean: Clean { noise: Some(noise.clone()), ..Clean::default() }, ..plain };
        let renderer = Renderer::new(shelf, 64 << 20);
        if ahead {
            renderer.clean_ahead(&original, &treatment, 0, Region::of(300, 300, 768, 512), &Unhurried).unwrap();
        }
        let seen = tiles.map(|tile| renderer.render(&original, &treatment, tile, &Unhurried).unwrap());
        (seen, runs.load(Ordering::Relaxed))
    };
    let ((one_by_one, runs), (ahead, once)) = (seen(false), seen(true));
    assert!(one_by_one == ahead, "to the bit");
    assert_eq!(once, 1);
    assert!(runs >= 4, "{runs} runs");
}

#[derive(Default)]
struct Counting {
    blocks: AtomicUsize,
    stop_after: Option<usize>,
}

impl Pace for Counting {
    fn before_block(&self) -> bool {
        self.stop_after.is_none_or(|limit| self.blocks.load(Ordering::Relaxed) < limit)
    }

    fn after_block(&self, _pixels: u64) {
        self.blocks.fetch_add(1, Ordering::Relaxed);
    }
}

#[test]
fn nothing_is_computed_twice_and_a_run_takes_over_the_previews_tiles() {
    let original = photo(500, 400);
    let treatment = learned(&original, Size::new(2000, 1600));
    let renderer = renderer();
    let count = |region| {
        let pace = Counting::default();
        renderer.render(&original, &treatment, region, &pace).unwrap();
        pace.blocks.into_inner()
    };
    assert!(count(Region::of(100, 100, 700, 500)) > 0);
    assert_eq!(count(Region::of(300, 200, 400, 300)), 0, "panning back");
    assert!(count(treatment.size.whole().seen_as()) > 0);

    let folder = tempfile::tempdir().unwrap();
    let pace = Counting::default();
    let path = folder.path().join("out.tif");
    let to = Destination { path: &path, settings: OutputSettings::new(Format::Tiff), reading: None };
    run(&renderer, &original, &treatment, to, &pace, &|_| {}).unwrap();
    assert_eq!(pace.blocks.into_inner(), 0);
}

#[test]
fn a_run_that_was_cut_short_goes_on_in_another_program() {
    let original = photo(500, 400);
    let treatment = learned(&original, Size::new(2000, 1600));
    let folder = tempfile::tempdir().unwrap();
    let program = || renderer().with_disk(DiskTiles::open(&folder.path().join("tiles"), 1 << 30).unwrap());
    let path = folder.path().join("out.tif");
    let to = Destination { path: &path, settings: OutputSettings::new(Format::Tiff), reading: None };
    let first = Counting { stop_after: Some(1), ..Counting::default() };
    assert!(run(&program(), &original, &treatment, to, &first, &|_| {}).is_err() && !path.exists());
    let second = Counting::default();
    run(&program(), &original, &treatment, to, &second, &|_| {}).unwrap();
    let whole = Counting::default();
    let other = folder.path().join("other.tif");
    run(&renderer(), &original, &treatment, Destination { path: &other, ..to }, &whole, &|_| {}).unwrap();
    let (kept, rest, all) = (first.blocks.into_inner(), second.blocks.into_inner(), whole.blocks.into_inner());
    assert!(kept >= 1 && kept + rest == all, "{kept} + {rest} blocks of {all}");
    assert_eq!(std::fs::read(&path).unwrap(), std::fs::read(&other).unwrap(), "to the byte");
}

#[rstest]
#[case(Size::new(600, 560), Format::Tiff, Depth::Sixteen)]
#[case(Size::new(1000, 933), Format::Tiff, Depth::Eight)]
#[case(Size::new(1000, 933), Format::Png, Depth::Sixteen)]
#[case(Size::new(700, 653), Format::Png, Depth::Eight)]
#[case(Size::new(150, 140), Format::Tiff, Depth::Sixteen)]
fn the_file_holds_what_the_preview_shows(#[case] size: Size, #[case] format: Format, #[case] depth: Depth) {
    let original = photo(300, 280);
    let treatment = learned(&original, size);
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("result").with_extension(format.extension());
    let settings = OutputSettings { depth, ..OutputSettings::new(format) };
    let heard = std::sync::Mutex::new(Vec::new());
    let progress = |share: f64| heard.lock().unwrap().push(share);
    run(
        &renderer(),
        &original,
        &treatment,
        Destination { path: &path, settings, reading: None },
        &Unhurried,
        &progress,
    )
    .unwrap();

    let heard = heard.into_inner().unwrap();
    assert!(heard.len() >= 2 && heard.windows(2).all(|w| w[0] <= w[1]) && heard.last() == Some(&1.0), "{heard:?}");
    let written = read(&path, ContentHash::of(b"file"), &Limits::default()).unwrap().original;
    let expected = renderer().render(&original, &treatment, size.whole().seen_as(), &Unhurried).unwrap();
    let levels = if depth == Depth::Eight { 255.0 } else { 65535.0 };
    for (got, due) in written.region(size.whole().seen_as()).values().iter().zip(expected.values()) {
        assert_eq!((got * levels).round(), (due * levels + 0.5).floor());
    }
}

#[test]
fn a_cancelled_run_leaves_nothing_behind() {
    let original = photo(600, 600);
    let treatment = learned(&original, Size::new(2400, 2400));
    let folder = tempfile::tempdir().unwrap();
    let pace = Counting { stop_after: Some(1), ..Counting::default() };
    let path = folder.path().join("out.png");
    let to = Destination { path: &path, settings: OutputSettings::new(Format::Png), reading: None };
    let outcome = run(&renderer(), &original, &treatment, to, &pace, &|_| {});
    assert!(matches!(outcome, Err(RenderError::Cancelled(_))));
    assert_eq!(std::fs::read_dir(folder.path()).unwrap().count(), 0);
}

#[test]
fn a_treatment_for_another_model_file_is_refused() {
    let original = photo(30, 30);
    let mut treatment = learned(&original, Size::new(60, 60));
    if let Enlarge::Learned { passes, .. } = &mut treatment.enlarge {
        passes[0].model.sha256 = ContentHash::of(b"an older export");
    }
    let outcome = renderer().render(&original, &treatment, treatment.size.whole().seen_as(), &Unhurried);
    assert!(matches!(outcome, Err(RenderError::Model(ModelError::Catalogue(CatalogueError::OtherVersion { .. })))));
}

/// Everyday and a texture model of twice the size.
fn with_texture() -> Renderer {
    let everyday = Model::with_network(stand_in::card(2, Grade::Draft), Arc::new(Repeat { factor: 2 }));
    let texture = Model::with_network(stand_in::texture_card(2), Arc::new(Speckle { factor: 2 }));
    Renderer::new(Shelf::of(vec![everyday, texture]), 64 << 20)
}

fn textured(original: &Original, share: f32) -> Treatment {
    let (kept, size) = (original.size(), original.size().times(2));
    let mut treatment = Treatment::learned(&with_texture().shelf(), "fur", Grade::Fine, kept, size);
    let Enlarge::Learned { strength, .. } = &mut treatment.enlarge else { panic!("it is learned") };
    *strength = share;
    treatment
}

#[rstest]
#[case(Region::new(0, 0, 600, 560))]
#[case(Region::new(251, 249, 20, 300))]
#[case(Region::new(599, 3, 1, 5))]
fn texture_that_is_drawn_is_the_same_wherever_regions_are_cut(#[case] region: Region) {
    let original = photo(300, 280);
    let treatment = textured(&original, 1.0);
    let planes = original.planes();
    let at_once = Speckle { factor: 2 }.run(&planes, None).unwrap();
    let part = with_texture().render(&original, &treatment, region.seen_as(), &Unhurried).unwrap();
    let off = |(a, b): (&f32, &f32)| (a - b.clamp(0.0, 1.0)).abs();
    let worst = part.values().iter().zip(at_once.cut(region).values()).map(off).fold(0.0, f32::max);
    assert!(worst < 1.1 / 65535.0, "{worst}");
}

#[test]
fn how_much_texture_is_drawn_is_a_blend_with_everyday() {
    let original = photo(120, 90);
    let region = original.size().times(2).whole();
    let rendered =
        |share| with_texture().render(&original, &textured(&original, share), region.seen_as(), &Unhurried).unwrap();
    let everyday = {
        let treatment =
            Treatment::learned(&with_texture().shelf(), "everyday", Grade::Draft, original.size(), region.size());
        with_texture().render(&original, &treatment, region.seen_as(), &Unhurried).unwrap()
    };
    assert_eq!(rendered(0.0), everyday);
    let (half, full) = (rendered(0.5), rendered(1.0));
    let due = everyday.values().iter().zip(full.values()).map(|(e, f)| e + (f - e) * 0.5);
    assert!(half.values().iter().zip(due).all(|(h, d)| (h - d).abs() < 1e-6));
    assert_eq!(textured(&original, 0.5).model_inputs(original.size()).len(), 2, "both are forecast");
    assert_eq!(textured(&original, 1.0).model_inputs(original.size()).len(), 1);
}

/// Every step on.
fn full(original: &Original, size: Size) -> Treatment {
    let frame = Frame { quarter_turns: 1, crop: Some(Region::of(10, 7, 201, 261)), ..Frame::default() };
    let model = ModelRef::of(&stand_in::cleaner_card());
    let level = NoiseCurve([60.0, 50.0, 40.0, 30.0, 20.0, 10.0, 5.0, 0.0]);
    let noise = Noise { model, level, grain: 0.8, speckle: 0.6, keep_texture: 0.5, keep_lines: 0.0 };
    let kept = frame.size(original.size()).unwrap();
    let mut treatment = Treatment::learned(&shelf(), "everyday", Grade::Draft, kept, size);
    if let Enlarge::Learned { strength, .. } = &mut treatment.enlarge {
        *strength = 0.7;
    }
    let edges = Some(Edges { strength: 1.0, width: 1.5, halo_guard: 0.6, leave_flat: 0.7, leave_skin: 0.0 });
    let grain = Some(PrintGrain { amount: 0.5, level: NoiseCurve::flat(6.0), size: 2.0 });
    Treatment {
        frame,
        clean: Clean { noise: Some(noise), ..Clean::default() },
        finish: Finish { edges, grain },
        margin: Margin { left: 20, top: 30, right: 21, bottom: 31, fill: Fill::Mirror },
        ..treatment
    }
}

const FULL_SIZE: Size = Size::new(603, 783);

#[test]
fn all_steps_together_join_without_a_trace() {
    let original = photo(280, 300);
    let treatment = full(&original, FULL_SIZE);
    treatment.check(original.size()).unwrap();
    let sheet = treatment.sheet();
    let whole = renderer().render(&original, &treatment, sheet.whole().seen_as(), &Unhurried).unwrap();
    // A fresh renderer for each piece, and one that has seen the others before.
    let warm = renderer();
    for (x, y) in [(0, 0), (150, 130), (400, 520), (601, 811)] {
        let region = Region::new(x, y, 97, 33).within(sheet).unwrap();
        let cold = renderer().render(&original, &treatment, region.seen_as(), &Unhurried).unwrap();
        let again = warm.render(&original, &treatment, region.seen_as(), &Unhurried).unwrap();
        assert!(cold == whole.cut(region) && again == cold, "{region:?}");
    }
}

#[test]
fn a_run_writes_what_the_views_showed() {
    let original = photo(280, 300);
    let treatment = full(&original, FULL_SIZE);
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("all.png");
    let settings = OutputSettings { depth: Depth::Sixteen, ..OutputSettings::new(Format::Png) };
    let to = Destination { path: &path, settings, reading: None };
    run(&renderer(), &original, &treatment, to, &Unhurried, &|_| {}).unwrap();
    let hash = ContentHash::of_file(&path).unwrap();
    let written = read(&path, hash, &Limits::default()).unwrap().original;
    let whole = renderer().render(&original, &treatment, treatment.sheet().whole().seen_as(), &Unhurried).unwrap();
    let planes = written.planes();
    let worst = planes.values().iter().zip(whole.values()).map(|(a, b)| (a - b).abs()).fold(0.0, f32::max);
    assert!(worst <= 0.5 / 65535.0 + 1e-6, "{worst}");
}

/// Counts how often a network is asked to work.
#[derive(Default)]
struct Blocks(AtomicUsize);

impl Pace for Blocks {
    fn after_block(&self, _: u64) {
        self.0.fetch_add(1, Ordering::Relaxed);
    }
}

#[rstest]
#[case::grain(|t: &mut Treatment| t.clean.noise.as_mut().unwrap().grain = 0.1)]
#[case::speckle(|t: &mut Treatment| t.clean.noise.as_mut().unwrap().speckle = 1.0)]
#[case::texture(|t: &mut Treatment| t.clean.noise.as_mut().unwrap().keep_texture = 1.0)]
#[case::strength(|t: &mut Treatment| if let Enlarge::Learned { strength, .. } = &mut t.enlarge { *strength = 0.2 })]
#[case::finish(|t: &mut Treatment| t.finish = Finish::default())]
#[case::another_size(|t: &mut Treatment| t.size = Size::new(500, 649))]
fn a_blend_runs_no_model(#[case] change: fn(&mut Treatment)) {
    let original = photo(280, 300);
    let mut treatment = full(&original, FULL_SIZE);
    let renderer = renderer();
    let region = treatment.sheet().whole();
    let first = renderer.render(&original, &treatment, region.seen_as(), &Unhurried).unwrap();
    change(&mut treatment);
    let blocks = Blocks::default();
    let second = renderer.render(&original, &treatment, treatment.sheet().whole().seen_as(), &blocks).unwrap();
    assert_eq!(blocks.0.into_inner(), 0);
    assert!(first != second, "and yet it shows");
}

#[test]
fn a_run_computes_nothing_that_a_view_computed() {
    let original = photo(280, 300);
    let treatment = full(&original, FULL_SIZE);
    let renderer = renderer();
    renderer.render(&original, &treatment, treatment.sheet().whole().seen_as(), &Unhurried).unwrap();
    let folder = tempfile::tempdir().unwrap();
    let blocks = Blocks::default();
    let path = folder.path().join("a.png");
    let to = Destination { path: &path, settings: OutputSettings::new(Format::Png), reading: None };
    run(&renderer, &original, &treatment, to, &blocks, &|_| {}).unwrap();
    assert_eq!(blocks.0.into_inner(), 0);
}

#[test]
fn a_run_computes_nothing_twice() {
    let original = photo(700, 900);
    let treatment = Treatment { frame: Frame::default(), ..full(&original, Size::new(1400, 1800)) };
    let folder = tempfile::tempdir().unwrap();
    let pixels = AtomicUsize::new(0);
    struct Pixels<'a>(&'a AtomicUsize);
    impl Pace for Pixels<'_> {
        fn after_block(&self, pixels: u64) {
            self.0.fetch_add(pixels as usize, Ordering::Relaxed);
        }
    }
    let path = folder.path().join("a.png");
    let to = Destination { path: &path, settings: OutputSettings::new(Format::Png), reading: None };
    run(&renderer(), &original, &treatment, to, &Pixels(&pixels), &|_| {}).unwrap();
    let due: u64 = treatment.model_inputs(original.size()).iter().map(|(_, pixels)| pixels).sum();
    assert_eq!(pixels.into_inner() as u64, due);
}

#[test]
fn with_everything_laid_back_the_picture_is_as_it_was() {
    let original = photo(280, 300);
    let mut treatment = Treatment { size: Size::new(201, 261), ..full(&original, FULL_SIZE) };
    treatment.enlarge = Enlarge::Plain { kernel: Kernel::Lanczos3 };
    treatment.finish = Finish::default();
    let noise = treatment.clean.noise.as_mut().unwrap();
    (noise.grain, noise.speckle, noise.keep_texture) = (0.0, 0.0, 0.0);
    let region = treatment.sheet().whole();
    let laid_back = renderer().render(&original, &treatment, region.seen_as(), &Unhurried).unwrap();
    let untreated =
        renderer().render(&original, &treatment.untreated(Kernel::Lanczos3), region.seen_as(), &Unhurried).unwrap();
    let worst = laid_back.values().iter().zip(untreated.values()).map(|(a, b)| (a - b).abs()).fold(0.0, f32::max);
    assert!(worst < 2e-5, "{worst}");
}

#[test]
fn a_far_view_shows_the_cleaned_picture() {
    let original = photo(280, 300);
    let treatment = full(&original, FULL_SIZE);
    let size = view_size(treatment.sheet(), 2);
    let renderer = renderer();
    let shown = renderer.view(&original, &treatment, 2, size.whole().seen_as(), &Unhurried).unwrap();
    let plain =
        renderer.view(&original, &treatment.untreated(Kernel::Bicubic), 2, size.whole().seen_as(), &Unhurried).unwrap();
    assert!(shown != plain);
}

/// Enlarged plainly, in squares, within `radius` of the middle of a picture of 300 x 280.
fn round_area(radius: f32) -> TreatedArea {
    let stroke = Stroke { points: vec![Place::new(150.0, 140.0)], radius, feather: 0.5, erases: false };
    TreatedArea {
        mask: Mask { shape: Shape::Painted { strokes: vec![stroke] }, inverted: false },
        clean: Clean::default(),
        enlarge: Enlarge::Plain { kernel: Kernel::Nearest },
        finish: Finish::default(),
    }
}

#[rstest]
#[case::larger(Size::new(1000, 933))]
#[case::as_large(Size::new(300, 280))]
fn an_area_has_its_own_result_inside_and_none_outside(#[case] size: Size) {
    let original = photo(300, 280);
    let plain = learned(&original, size);
    let area = round_area(60.0);
    let with = Treatment { areas: vec![area.clone()], ..plain.clone() };
    let whole =
        |treatment: &Treatment| renderer().render(&original, treatment, size.whole().seen_as(), &Unhurried).unwrap();
    let (both, outside, inside) = (whole(&with), whole(&plain), whole(&with.in_area(&area)));
    let at = |planes: &Planes, x: u32, y: u32| planes.row(1, y * size.height / 280)[(x * size.width / 300) as usize];
    assert_eq!(at(&both, 150, 140), at(&inside, 150, 140));
    assert_eq!(at(&both, 20, 20), at(&outside, 20, 20));
    for x in 90..215 {
        let (low, high) =
            (at(&outside, x, 140).min(at(&inside, x, 140)), at(&outside, x, 140).max(at(&inside, x, 140)));
        assert!((low - 1e-6..=high + 1e-6).contains(&at(&both, x, 140)), "between the two at {x}");
    }
}

#[test]
fn a_region_with_areas_is_that_part_of_the_whole() {
    let (original, size) = (photo(300, 280), Size::new(1000, 933));
    let tone = TreatedArea {
        mask: Mask { shape: Shape::Tone { at: Place::new(40.0, 60.0), reach: 12.0 }, inverted: true },
        finish: Finish {
            edges: Some(Edges { strength: 1.0, width: 1.5, halo_guard: 0.5, leave_flat: 0.0, leave_skin: 0.0 }),
            grain: None,
        },
        ..round_area(60.0)
    };
    let margin = Margin::around(30, Fill::Mirror);
    let treatment = Treatment { areas: vec![round_area(60.0), tone], margin, ..learned(&original, size) };
    let whole = renderer().render(&original, &treatment, treatment.sheet().whole().seen_as(), &Unhurried).unwrap();
    for region in [Region::new(0, 0, 64, 40), Region::new(420, 400, 130, 90), Region::new(900, 20, 160, 300)] {
        let part = renderer().render(&original, &treatment, region.seen_as(), &Unhurried).unwrap();
        let due = whole.cut(region);
        let apart = part.values().iter().zip(due.values()).map(|(a, b)| (a - b).abs()).fold(0.0, f32::max);
        assert!(apart < 1e-5, "{apart}");
    }
}

#[test]
fn nothing_is_computed_below_an_area_that_hides_it_or_for_one_that_is_elsewhere() {
    let (original, renderer) = (photo(300, 280), renderer());
    let blocks = |treatment: &Treatment, region: Region| {
        let blocks = Blocks::default();
        renderer.render(&original, treatment, region.seen_as(), &blocks).unwrap();
        blocks.0.into_inner()
    };
    let by_model = learned(&original, Size::new(1200, 1120));
    let hidden = Treatment { areas: vec![round_area(3000.0)], ..by_model.clone() };
    assert_eq!(blocks(&hidden, Region::new(500, 500, 100, 100)), 0, "all of it is the area's, which needs no model");
    let in_the_middle = TreatedArea { enlarge: by_model.enlarge.clone(), ..round_area(10.0) };
    let small = Treatment { areas: vec![in_the_middle], ..Treatment::plain(Kernel::Bicubic, by_model.size) };
    assert_eq!(blocks(&small, Region::new(0, 0, 100, 100)), 0);
    assert!(blocks(&small, Region::new(560, 520, 100, 100)) > 0);
}
