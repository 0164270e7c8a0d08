//! The shipped models, through the real runtime.

use std::path::Path;

use dettaglio_core::codec::read;
use dettaglio_core::compare::psnr;
use dettaglio_core::enlarge::{Averaging, resample, resample_in};
use dettaglio_core::model::{Shelf, open};
use dettaglio_core::picture::{Original, Planes};
use dettaglio_core::render::{Renderer, Unhurried};
use dettaglio_domain::clean::{Clean, Noise, NoiseCurve};
use dettaglio_domain::face::CANVAS;
use dettaglio_domain::finish::{Edges, Finish, PrintGrain};
use dettaglio_domain::geometry::{Region, Size};
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::kernel::Kernel;
use dettaglio_domain::limits::Limits;
use dettaglio_domain::model::{Card, Cleaner, Kind, ModelRef, Task};
use dettaglio_domain::treatment::{Enlarge, Treatment};
use rstest::rstest;
use scalar::Weights;

mod scalar;

fn shelf() -> Shelf {
    Shelf::open(&Path::new(env!("CARGO_MANIFEST_DIR")).join("../../models")).expect("the shipped models")
}

/// Leaves on a branch, as far as waves can draw them: edges at all angles and some fine texture.
fn scene(size: Size) -> Planes {
    let mut planes = Planes::black(size);
    for channel in 0..3 {
        for y in 0..size.height {
            for (x, value) in planes.row_mut(channel, y).iter_mut().enumerate() {
                let (x, y) = (x as f32, y as f32);
                let leaf = ((x * 0.06 + (y * 0.05).sin() * 3.0).sin() + (y * 0.09).cos()).signum();
                let vein = ((x * 0.4 + y * 0.33).sin() * 0.5 + 0.5).powi(8);
                *value = (0.45 + 0.25 * leaf + 0.2 * vein - 0.05 * channel as f32).clamp(0.0, 1.0);
            }
        }
    }
    planes
}

#[test]
fn every_shipped_model_has_a_card_with_its_origin() {
    let shelf = shelf();
    assert!(shelf.models().len() >= 2);
    for model in shelf.models() {
        let card = model.card();
        assert!(
            !card.licence.is_empty() && !card.training_data.is_empty() && !card.weaknesses.is_empty(),
            "{}",
            card.id
        );
        assert!(!card.scores().is_empty() || !card.cleaning().is_empty(), "{} was measured", card.id);
        model.network().expect("it loads, and is the file that its card describes");
    }
}

/// The runtime computes what each file says, to the last digits of a float.
#[test]
fn the_runtime_agrees_with_a_scalar_reference_on_every_shipped_network() {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../models");
    let picture = scene(Size::new(32, 24));
    let square = scene(Size::new(32, 32));
    let level: Vec<f32> = (0..32 * 24).map(|i| (i % 32) as f32 / 320.0).collect();
    for model in shelf().models() {
        let card = model.card();
        let weights = Weights::read(&folder.join(&card.id).with_extension("onnx"));
        let network = model.network().unwrap();
        let (got, due) = match card.kind() {
            Kind::Enlarge => (network.run(&picture, None), weights.enlarge(&picture, card.factor() as usize)),
            Kind::Clean => (network.run(&picture, Some(&level)), weights.clean(&picture, &level)),
            Kind::Find => (network.run(&square, None), weights.find(&square)),
            Kind::Fill => {
                let marks: Vec<f32> = (0..32 * 32).map(|i| f32::from(u8::from(i % 7 == 0))).collect();
                (network.run(&square, Some(&marks)), weights.fill(&square, &marks))
            }
            Kind::Face => {
                let canvas = scene(CANVAS);
                let scale = vec![0.4; CANVAS.area() as usize];
                (network.run(&canvas, Some(&scale)), weights.restore(&canvas, scale[0]))
            }
        };
        let worst = got.unwrap().values().iter().zip(due.values()).map(|(a, b)| (a - b).abs()).fold(0.0, f32::max);
        assert!(worst < 1e-4, "{}: {worst}", card.id);
    }
}

#[test]
fn a_network_that_answers_no_numbers_is_refused_by_name() {
    let size = Size::new(32, 24);
    let nothing = Planes::from_values(size, vec![f32::NAN; 3 * size.area() as usize]);
    let refused = shelf().get("everyday-x2-draft").unwrap().network().unwrap().run(&nothing, None).unwrap_err();
    let words = refused.to_string();
    assert!(words.contains("everyday-x2-draft") && words.contains("not finite"), "{words}");
}

#[rstest]
#[case("camera-noise-draft")]
#[case("camera-noise-fine")]
fn a_cleaner_is_tiled_without_a_trace_on_odd_sizes(#[case] id: &str) {
    let shelf = shelf();
    let card = shelf.get(id).unwrap().card();
    let planes = scene(Size::new(301, 287));
    let original = Original::from_planes(&planes);
    let level = NoiseCurve([20.0, 18.0, 16.0, 14.0, 12.0, 10.0, 8.0, 6.0]);
    let noise =
        Noise { model: ModelRef::of(card), level, grain: 1.0, speckle: 1.0, keep_texture: 0.0, keep_lines: 0.0 };
    let clean = Clean { noise: Some(noise), ..Clean::default() };
    let treatment = Treatment { clean, ..Treatment::plain(Kernel::Lanczos3, planes.size()) };
    let whole = Renderer::new(shelf.clone(), 256 << 20)
        .render(&original, &treatment, planes.size().whole().seen_as(), &Unhurried)
        .unwrap();
    let region = Region::new(117, 95, 184, 192);
    let part = Renderer::new(shelf, 256 << 20).render(&original, &treatment, region.seen_as(), &Unhurried).unwrap();
    let worst = part.values().iter().zip(whole.cut(region).values()).map(|(a, b)| (a - b).abs()).fold(0.0, f32::max);
    assert_eq!(worst, 0.0);
}

#[rstest]
#[case("everyday-x2-draft")]
#[case("everyday-x4-draft")]
#[case("everyday-x4-fine")]
#[case("fur-x4-draft")]
fn tiled_equals_whole(#[case] id: &str) {
    let shelf = shelf();
    let model = shelf.get(id).unwrap();
    let network = model.network().unwrap();
    let planes = scene(Size::new(420, 290));
    let whole = network.run(&planes, None).unwrap();
    let original = Original::from_planes(&planes);
    let treatment = Treatment::with_model(&shelf, id, planes.size(), planes.size().times(network.factor())).unwrap();
    let renderer = Renderer::new(shelf.clone(), 256 << 20);
    let tiled = renderer.render(&original, &treatment, treatment.size.whole().seen_as(), &Unhurried).unwrap();
    // Original and tiles are rounded to 16 bits, nothing else may differ.
    let worst =
        tiled.values().iter().zip(whole.values()).map(|(a, b)| (a - b.clamp(0.0, 1.0)).abs()).fold(0.0, f32::max);
    assert!(worst < 4.0 / 65535.0, "{worst}");
    // And a region asked for alone is the whole's, to the bit.
    let region = Region::new(201, 333, 515, 207);
    let alone = Renderer::new(shelf, 256 << 20).render(&original, &treatment, region.seen_as(), &Unhurried).unwrap();
    assert_eq!(alone, tiled.cut(region));
}

/// A control that the bench mixes on the screen.
#[derive(Clone, Copy)]
enum Mixed {
    Model,
    Grain,
    EdgeStrength,
    HaloGuard,
    LeaveFlat,
}

/// While such a control moves, the bench mixes the finished pixels of both its ends instead of finishing the mixed ones.
#[rstest]
#[case::of_the_model(Mixed::Model, 0.0, 1.0, 0.6)]
#[case::of_the_grain(Mixed::Grain, 0.0, 1.0, 0.1)]
#[case::of_weak_edges(Mixed::EdgeStrength, 0.0, 1.0, 0.1)]
#[case::of_strong_edges(Mixed::EdgeStrength, 1.0, 3.0, 0.1)]
#[case::of_the_guard(Mixed::HaloGuard, 0.0, 1.0, 0.1)]
#[case::of_flat_tone(Mixed::LeaveFlat, 0.0, 1.0, 0.1)]
fn mixing_both_ends_of_a_blend_is_the_result_as_far_as_eyes_tell(
    #[case] control: Mixed,
    #[case] low: f32,
    #[case] high: f32,
    #[case] mean_levels: f32,
) {
    let file = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/pictures/vases-on-the-sill.jpg");
    let photo = read(&file, ContentHash::of_file(&file).unwrap(), &Limits::default()).unwrap().original;
    let renderer = Renderer::new(shelf(), 256 << 20);
    let at = |share: f32| {
        let value = low + share * (high - low);
        let mut edges = Edges { strength: 0.5, width: 1.0, halo_guard: 0.8, leave_flat: 0.8, leave_skin: 0.0 };
        let mut grain = PrintGrain { amount: 0.2, level: NoiseCurve([4.0; 8]), size: 2.0 };
        let size = photo.size().times(4);
        let mut treatment = Treatment::with_model(&renderer.shelf(), "everyday-x4-draft", photo.size(), size).unwrap();
        let Enlarge::Learned { strength, .. } = &mut treatment.enlarge else { panic!("it is learned") };
        let set = match control {
            Mixed::Model => strength,
            Mixed::Grain => &mut grain.amount,
            Mixed::EdgeStrength => &mut edges.strength,
            Mixed::HaloGuard => {
                edges.strength = 1.5;
                &mut edges.halo_guard
            }
            Mixed::LeaveFlat => &mut edges.leave_flat,
        };
        *set = value;
        treatment.finish = Finish { edges: Some(edges), grain: Some(grain) };
        renderer.render(&photo, &treatment, Region::of(900, 700, 512, 512), &Unhurried).unwrap()
    };
    let (none, all, exact) = (at(0.0), at(1.0), at(0.4));
    let mixed = none.values().iter().zip(all.values()).map(|(low, high)| low + 0.4 * (high - low));
    let mut off: Vec<f32> = mixed.zip(exact.values()).map(|(m, e)| 255.0 * (m - e).abs()).collect();
    off.sort_by(f32::total_cmp);
    let (mean, most) = (off.iter().sum::<f32>() / off.len() as f32, off[off.len() * 99 / 100]);
    let moved: f32 = none.values().iter().zip(all.values()).map(|(a, b)| 255.0 * (a - b).abs()).sum::<f32>();
    let moved = moved / off.len() as f32;
    assert!(mean < mean_levels && most < 3.0, "{mean} levels on average, 99 % within {most}, of {moved} in all");
    assert!(mean < 0.2 * moved + 0.01, "little of what the whole blend moves: {mean} of {moved}");
}

#[rstest]
#[case("everyday-x2-draft", 2)]
#[case("everyday-x2-fine", 2)]
#[case("everyday-x4-draft", 4)]
#[case("everyday-x4-fine", 4)]
fn a_model_beats_plain_resampling(#[case] id: &str, #[case] factor: u32) {
    let file = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/pictures/isola-brina-sign.jpg");
    let photo = read(&file, ContentHash::of_file(&file).unwrap(), &Limits::default()).unwrap().original;
    let truth = photo.region(Region::of(300, 160, 384, 288));
    let (size, small) = (truth.size(), Size::new(384 / factor, 288 / factor));
    let small = resample_in(&truth, small, small.whole(), Kernel::Bicubic, Averaging::Encoded);
    let plain = resample(&small, size, size.whole(), Kernel::Bicubic);
    let learned = shelf().get(id).unwrap().network().unwrap().run(&small, None).unwrap();
    let (plain, learned) = (psnr(&plain, &truth, factor + 4), psnr(&learned, &truth, factor + 4));
    assert!(learned > plain + 1.0, "{learned:.2} dB against {plain:.2} dB");
}

/// The runtime computes what the file says: the first convolution of a model, done by hand.
#[test]
fn the_runtime_agrees_with_a_convolution_by_hand() {
    let card = shelf().get("everyday-x2-draft").unwrap().card().clone();
    let folder = tempfile::tempdir().unwrap();
    let (file, weights, bias) = by_hand::one_convolution(folder.path());
    let (sha256, task) =
        (ContentHash::of_file(&file).unwrap(), Task::Clean(Cleaner { level: None, cleaning: Vec::new() }));
    let card = Card { halo: 1, sha256, task, ..card };
    let network = open(&file, &card).unwrap();
    let input = scene(Size::new(23, 17));
    let got = network.run(&input, None).unwrap();
    let due = by_hand::convolve(&input, &weights, &bias);
    let worst = got.values().iter().zip(due.values()).map(|(a, b)| (a - b).abs()).fold(0.0, f32::max);
    assert!(worst < 1e-5, "{worst}");
}

mod by_hand {
    use super::*;
    use std::path::PathBuf;

    /// An ONNX file of one 3x3 convolution from three channels to three, written field by field.
    pub fn one_convolution(folder: &Path) -> (PathBuf, Vec<f32>, Vec<f32>) {
        let weights: Vec<f32> = (0..81).map(|i| ((i * 37 % 41) as f32 - 20.0) / 90.0).collect();
        let bias = vec![0.1, -0.05, 0.02];
        let node = [
            text(1, "input"),
            text(1, "weight"),
            text(1, "bias"),
            text(2, "output"),
            text(4, "Conv"),
            message(5, &[text(1, "pads"), packed(8, &[1, 1, 1, 1]), number(20, 7)].concat()),
        ]
        .concat();
        let graph = [
            message(1, &node),
            text(2, "one convolution"),
            message(5, &tensor("weight", &[3, 3, 3, 3], &weights)),
            message(5, &tensor("bias", &[3], &bias)),
            message(11, &picture("input")),
            message(12, &picture("output")),
        ]
        .concat();
        let model = [number(1, 8), message(7, &graph), message(8, &number(2, 17))].concat();
        let file = folder.join("one.onnx");
        std::fs::write(&file, model).unwrap();
        (file, weights, bias)
    }

    fn varint(mut value: u64) -> Vec<u8> {
        let mut bytes = Vec::new();
        while value >= 0x80 {
            bytes.push(value as u8 | 0x80);
            value >>= 7;
        }
        bytes.push(value as u8);
        bytes
    }

    fn number(field: u64, value: u64) -> Vec<u8> {
        [varint(field << 3), varint(value)].concat()
    }

    fn message(field: u64, body: &[u8]) -> Vec<u8> {
        [varint(field << 3 | 2), varint(body.len() as u64), body.to_vec()].concat()
    }

    fn text(field: u64, value: &str) -> Vec<u8> {
        message(field, value.as_bytes())
    }

    fn packed(field: u64, values: &[u64]) -> Vec<u8> {
        message(field, &values.iter().flat_map(|v| varint(*v)).collect::<Vec<u8>>())
    }

    fn tensor(name: &str, shape: &[u64], values: &[f32]) -> Vec<u8> {
        let raw: Vec<u8> = values.iter().flat_map(|v| v.to_le_bytes()).collect();
        [packed(1, shape), number(2, 1), text(8, name), message(9, &raw)].concat()
    }

    /// A value of shape (1, 3, height, width), the last two free.
    fn picture(name: &str) -> Vec<u8> {
        let fixed = |n| message(1, &number(1, n));
        let free = |n| message(1, &text(2, n));
        let shape = [fixed(1), fixed(3), free("height"), free("width")].concat();
        let kind = message(1, &[number(1, 1), message(2, &shape)].concat());
        [text(1, name), message(2, &kind)].concat()
    }

    pub fn convolve(input: &Planes, weights: &[f32], bias: &[f32]) -> Planes {
        let size = input.size();
        let mut out = Planes::black(size);
        for (to, bias) in bias.iter().enumerate() {
            for y in 0..size.height as i64 {
                for x in 0..size.width as i64 {
                    let mut sum = *bias;
                    for from in 0..3 {
                        for (tap, (dy, dx)) in (-1..=1).flat_map(|dy| (-1..=1).map(move |dx| (dy, dx))).enumerate() {
                            let (px, py) = (x + dx, y + dy);
                            if px >= 0 && py >= 0 && px < i64::from(size.width) && py < i64::from(size.height) {
                                sum += weights[(to * 3 + from) * 9 + tap] * input.row(from, py as u32)[px as usize];
                            }
                        }
                    }
                    out.row_mut(to, y as u32)[x as usize] = sum;
                }
            }
        }
        out
    }
}
