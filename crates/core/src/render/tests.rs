use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};

use rstest::rstest;

use super::*;
use crate::codec::{Format, OutputSettings, read};
use crate::hash::ContentHash;
use crate::limits::Limits;
use crate::model::stand_in::{self, Repeat};
use crate::model::{Grade, Model, Network};
use crate::picture::Depth;

fn shelf() -> Shelf {
    let make = |factor| Model::with_network(stand_in::card(factor, Grade::Draft), Arc::new(Repeat { factor }));
    Shelf::of(vec![make(2), make(4)])
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
    let mut planes = original.region(original.size().whole());
    for pass in treatment.passes() {
        planes = Repeat { factor: pass.factor }.run(&planes).unwrap();
        let rounded = planes.values().iter().map(|v| f32::from((v * 65535.0 + 0.5) as u16) / 65535.0).collect();
        planes = Planes::from_values(planes.size(), rounded);
    }
    enlarge::resample(&planes, treatment.size, treatment.size.whole(), LAST_STEP)
}

#[rstest]
#[case::exactly_twice(Size::new(600, 560))]
#[case::between(Size::new(1000, 933))]
#[case::four_times(Size::new(1200, 1120))]
#[case::two_passes(Size::new(1500, 1400))]
fn tiles_join_without_a_trace(#[case] size: Size) {
    let original = photo(300, 280);
    let treatment = learned(&original, size);
    let tiled = renderer().render(&original, &treatment, size.whole(), &Unhurried).unwrap();
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
    let whole = renderer().render(&original, &treatment, treatment.size.whole(), &Unhurried).unwrap();
    let part = renderer().render(&original, &treatment, region, &Unhurried).unwrap();
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
    let whole = renderer().view(&original, &treatment, level, size.whole(), &pace).unwrap();
    assert_eq!(pace.blocks.into_inner() > 0, by_model);
    let region = Region::new(size.width / 3, size.height / 2, size.width / 4, size.height / 3);
    let part = renderer().view(&original, &treatment, level, region, &Unhurried).unwrap();
    assert_eq!(part, whole.cut(region));
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
    assert!(count(Region::new(100, 100, 700, 500)) > 0);
    assert_eq!(count(Region::new(300, 200, 400, 300)), 0, "panning back");
    assert!(count(treatment.size.whole()) > 0);

    let folder = tempfile::tempdir().unwrap();
    let pace = Counting::default();
    let path = folder.path().join("out.tif");
    run(&renderer, &original, &treatment, OutputSettings::new(Format::Tiff), &path, &pace, &|_| {}).unwrap();
    assert_eq!(pace.blocks.into_inner(), 0);
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
    run(&renderer(), &original, &treatment, settings, &path, &Unhurried, &progress).unwrap();

    let heard = heard.into_inner().unwrap();
    assert!(heard.len() >= 2 && heard.windows(2).all(|w| w[0] <= w[1]) && heard.last() == Some(&1.0), "{heard:?}");
    let written = read(&path, ContentHash::of(b"file"), &Limits::default()).unwrap().original;
    let expected = renderer().render(&original, &treatment, size.whole(), &Unhurried).unwrap();
    let levels = if depth == Depth::Eight { 255.0 } else { 65535.0 };
    for (got, due) in written.region(size.whole()).values().iter().zip(expected.values()) {
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
    let outcome = run(&renderer(), &original, &treatment, OutputSettings::new(Format::Png), &path, &pace, &|_| {});
    assert!(matches!(outcome, Err(RenderError::Cancelled(_))));
    assert_eq!(std::fs::read_dir(folder.path()).unwrap().count(), 0);
}

#[test]
fn a_treatment_for_another_model_file_is_refused() {
    let original = photo(30, 30);
    let mut treatment = learned(&original, Size::new(60, 60));
    if let Enlarge::Learned { passes } = &mut treatment.enlarge {
        passes[0].sha256 = ContentHash::of(b"an older export");
    }
    let outcome = renderer().render(&original, &treatment, treatment.size.whole(), &Unhurried);
    assert!(matches!(outcome, Err(RenderError::OtherVersion { .. })));
}
