//! A person's own models: strange files, tried and run through the real runtime.

use std::path::{Path, PathBuf};

use dettaglio_core::model::own::{Refusal, try_in_this_process};
use dettaglio_core::model::{OwnModels, Shelf};
use dettaglio_core::picture::{Original, Planes};
use dettaglio_core::render::{Renderer, Unhurried};
use dettaglio_domain::geometry::{Region, Size};
use dettaglio_domain::model::{Kind, Layout, Range, TensorFormat};
use dettaglio_domain::treatment::Treatment;
use rstest::rstest;

fn file(name: &str) -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/own").join(name).with_extension("onnx")
}

fn scene(size: Size) -> Planes {
    let values = (0..3 * size.area()).map(|i| {
        let (x, y) =
            ((i % size.area() % u64::from(size.width)) as f32, (i % size.area() / u64::from(size.width)) as f32);
        0.5 + 0.3 * (x * 0.21 + (i / size.area()) as f32).sin() * (y * 0.13).cos()
    });
    Planes::from_values(size, values.collect())
}

#[rstest]
#[case("plain-x2", Layout::ChannelsFirst, 3, Range::Unit, 2, 1, 1)]
#[case("bytes-last-x3", Layout::ChannelsLast, 3, Range::Byte, 3, 1, 1)]
#[case("brightness-x2", Layout::ChannelsFirst, 1, Range::Unit, 2, 1, 1)]
#[case("folding-x1", Layout::ChannelsFirst, 3, Range::Unit, 1, 0, 4)]
fn a_trial_finds_how_a_model_is_run(
    #[case] name: &str,
    #[case] layout: Layout,
    #[case] channels: u32,
    #[case] range: Range,
    #[case] factor: u32,
    #[case] halo: u32,
    #[case] multiple: u32,
) {
    let trial = try_in_this_process(&file(name)).unwrap();
    let format = TensorFormat { layout, channels, input_range: range, output_range: range, blue_first: false };
    assert_eq!(trial.format, format);
    assert_eq!((trial.factor, trial.multiple), (factor, multiple));
    assert!(trial.halo.abs_diff(halo) <= multiple, "halo {}", trial.halo);
    assert!(trial.tile_difference < 0.02 && trial.pixels_per_second > 1e4, "{trial:?}");
}

#[rstest]
#[case("two-inputs", "2 inputs (x, sigma)")]
#[case("rank-three", "3 axes")]
#[case("classes", "no picture")]
#[case("operator", "operator")]
#[case("fixed-size", "64 x 64")]
#[case("negative", "does not resemble")]
#[case("half-floats", "32-bit floats")]
#[case("whole-picture", "seams")]
fn what_cannot_be_used_is_refused_with_its_reason(#[case] name: &str, #[case] part: &str) {
    let refusal = try_in_this_process(&file(name)).unwrap_err().to_string();
    assert!(refusal.contains(part) && !refusal.contains('\n'), "{refusal}");
}

#[rstest]
#[case(&[0.3, 0.6, 0.9, 0.97])]
fn a_file_that_is_cut_short_says_so(#[case] shares: &[f64]) {
    let whole = std::fs::read(file("plain-x2")).unwrap();
    let folder = tempfile::tempdir().unwrap();
    let cut = folder.path().join("cut.onnx");
    for share in shares {
        std::fs::write(&cut, &whole[..(whole.len() as f64 * share) as usize]).unwrap();
        assert_eq!(try_in_this_process(&cut), Err(Refusal::Damaged), "{share}");
    }
}

/// Everything after the trial goes as with a shipped model: shelf, treatment, tiles.
#[rstest]
#[case("plain-x2")]
#[case("bytes-last-x3")]
#[case("brightness-x2")]
#[case("folding-x1")]
fn an_own_model_stands_beside_the_others(#[case] name: &str) {
    let folder = tempfile::tempdir().unwrap();
    let own = OwnModels::at(folder.path());
    let trial = try_in_this_process(&file(name)).unwrap();
    let card = own.add(&file(name), "Mine", name, trial, "2026-01-02").unwrap();
    let (shelf, troubles) = Shelf::default().with_own(&own);
    assert!(troubles.is_empty());
    let network = shelf.get(&card.id).unwrap().network().unwrap();
    let planes = scene(Size::new(301, 203));
    let whole = network.run(&planes, None).unwrap();
    assert_eq!(whole.size(), planes.size().times(card.factor()));
    let mean = |p: &Planes| p.values().iter().sum::<f32>() / p.values().len() as f32;
    assert!((mean(&whole) - mean(&planes)).abs() < 0.02, "the same brightness");
    if card.kind() == Kind::Clean {
        return;
    }
    let original = Original::from_planes(&planes);
    let treatment = Treatment::with_model(&shelf, &card.id, planes.size(), whole.size()).unwrap();
    let renderer = Renderer::new(shelf, 256 << 20);
    let tiled = renderer.render(&original, &treatment, whole.size().whole().seen_as(), &Unhurried).unwrap();
    let worst =
        tiled.values().iter().zip(whole.values()).map(|(a, b)| (a - b.clamp(0.0, 1.0)).abs()).fold(0.0, f32::max);
    assert!(worst < 4.0 / 65535.0, "{worst}");
    let region = Region::new(130, 250, 211, 97);
    assert_eq!(renderer.render(&original, &treatment, region.seen_as(), &Unhurried).unwrap(), tiled.cut(region));
}

#[test]
fn a_file_that_was_changed_after_its_trial_is_not_run() {
    let folder = tempfile::tempdir().unwrap();
    let own = OwnModels::at(folder.path());
    let trial = try_in_this_process(&file("plain-x2")).unwrap();
    let card = own.add(&file("plain-x2"), "Mine", "plain-x2.onnx", trial, "2026-01-02").unwrap();
    std::fs::copy(file("negative"), folder.path().join(&card.id).with_extension("onnx")).unwrap();
    let (shelf, _) = Shelf::default().with_own(&own);
    let error = shelf.get(&card.id).unwrap().network().err().unwrap().to_string();
    assert!(error.contains("not the file that its card describes"), "{error}");
}
