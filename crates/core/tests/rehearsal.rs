//! Rehearsals, and suggestions that were tried: on the pictures of the tests, and on what nobody would send.

use std::path::Path;

use dettaglio_core::codec::{Decoded, read};
use dettaglio_core::compare::psnr;
use dettaglio_core::model::Shelf;
use dettaglio_core::picture::{Original, Planes};
use dettaglio_core::rehearsal::{PutBack, Rehearsal, RehearsalError, Scene, choose, divided};
use dettaglio_core::render::{Pace, Renderer, Unhurried};
use dettaglio_core::{reading, sight, trial};
use dettaglio_domain::clean::{Clean, NoiseCurve};
use dettaglio_domain::file::Facts;
use dettaglio_domain::geometry::{Region, Size};
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::kernel::Kernel;
use dettaglio_domain::limits::Limits;
use dettaglio_domain::model::{EVERYDAY, Grade};
use dettaglio_domain::reading::Reading;
use dettaglio_domain::recipe::{Choice, Recipe, Surround};
use dettaglio_domain::rehearsal::{Figures, Tally, candidates};
use dettaglio_domain::size::Target;
use dettaglio_domain::suggest::{MOST_OF_A_PATTERN, PrintFacts, Suggestion, Trial};
use proptest::prelude::*;
use rstest::rstest;

fn shelf() -> Shelf {
    Shelf::open(&Path::new(env!("CARGO_MANIFEST_DIR")).join("../../models")).unwrap()
}

fn renderer() -> Renderer {
    Renderer::new(shelf(), 64 << 20)
}

fn pictured(name: &str) -> Decoded {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/pictures").join(name);
    read(&path, ContentHash::of_file(&path).unwrap(), &Limits::default()).unwrap()
}

fn drawn(size: Size, at: impl Fn(u32, u32) -> f32) -> Original {
    let plane: Vec<f32> =
        (0..size.height).flat_map(|y| (0..size.width).map(move |x| (x, y))).map(|(x, y)| at(x, y)).collect();
    Original::from_planes(&Planes::from_values(size, plane.repeat(3)))
}

fn plain(kernel: Kernel) -> dettaglio_domain::recipe::Steps {
    Recipe::only(Choice::Plain { kernel }).steps
}

#[test]
fn the_truth_is_the_part_itself_and_flat_tone_comes_back() {
    let Decoded { original, .. } = pictured("courtyard-fern.jpg");
    let part = Region::new(40, 24, 130, 97);
    let scene = Scene::new(&original, part.seen_as(), 4, PutBack::default()).unwrap();
    assert_eq!(scene.part, Region::of(40, 24, 128, 96), "whole multiples of the factor");
    assert!(*scene.truth() == original.region(scene.part));
    let flat = drawn(Size::new(200, 160), |_, _| 0.4);
    let scene = Scene::new(&flat, Region::of(50, 50, 96, 96), 2, PutBack::default()).unwrap();
    let result = scene.perform(&renderer(), &plain(Kernel::Bicubic), &Unhurried).unwrap();
    assert!(result.values().iter().all(|v| (v - 0.4).abs() < 0.003), "within the rounding of a file");
}

#[test]
fn better_methods_come_nearer_and_equal_pictures_have_a_finite_figure() {
    let Decoded { original, .. } = pictured("isola-brina-sign.jpg");
    let renderer = renderer();
    let scene = Scene::new(&original, choose(&original, 1, 160)[0], 2, PutBack::default()).unwrap();
    let of = |steps| scene.figures(&scene.perform(&renderer, &steps, &Unhurried).unwrap(), &renderer.shelf());
    let (nearest, bicubic) = (of(plain(Kernel::Nearest)), of(plain(Kernel::Bicubic)));
    let learned = of(Recipe::learned(EVERYDAY, Grade::Fine).steps);
    assert!(nearest.psnr < bicubic.psnr && bicubic.psnr < learned.psnr, "{nearest:?} {bicubic:?} {learned:?}");
    assert!(nearest.ssim < learned.ssim && bicubic.sharpness < learned.sharpness);
    let equal = scene.figures(scene.truth(), &renderer.shelf());
    assert_eq!((equal.psnr, equal.drift), (99.0, 0.0));
    assert!((equal.ssim - 1.0).abs() < 1e-9);
}

#[test]
fn what_shrinking_took_can_be_put_back() {
    let Decoded { original, .. } = pictured("weavers-shop.jpg");
    let part = choose(&original, 1, 160)[0];
    let made = |put_back| {
        let scene = Scene::new(&original, part, 2, put_back).unwrap();
        scene.perform(&renderer(), &plain(Kernel::Nearest), &Unhurried).unwrap()
    };
    let (bare, noisy) =
        (made(PutBack::default()), made(PutBack { noise: Some(NoiseCurve::flat(10.0)), quality: None }));
    let sigma = 255.0 * 10_f64.powf(-psnr(&noisy, &bare, 0) / 20.0);
    // Luminance of three independent colours has 0.67 of their sigma.
    assert!((5.0..8.0).contains(&sigma), "{sigma}");
    let compressed = |quality| psnr(&made(PutBack { noise: None, quality: Some(quality) }), &bare, 0);
    assert!(compressed(20.0) + 3.0 < compressed(90.0), "{} {}", compressed(20.0), compressed(90.0));
}

#[test]
fn every_method_and_every_shipped_enlarger_takes_part_once() {
    let all = candidates(&shelf(), 4, &Clean::default());
    let names: Vec<&str> = all.iter().map(|c| c.name.as_str()).collect();
    for name in
        ["Nearest", "Bicubic", "Lanczos 3", "Everyday x4, draft", "Everyday x4, fine", "Lettering and line x4, fine"]
    {
        assert_eq!(names.iter().filter(|n| **n == name).count(), 1, "{name} in {names:?}");
    }
    assert!(!names.iter().any(|n| n.contains("Camera noise")), "a cleaner enlarges nothing");
}

#[test]
fn figures_over_parts_weigh_errors_not_decibels() {
    let one = |psnr| Figures {
        psnr,
        ssim: 0.5,
        perceived: None,
        screen: Some(psnr),
        own_screen: None,
        drift: 1.0,
        sharpness: 1.0,
        overshoot: None,
    };
    let mut tally = Tally::default();
    assert_eq!(tally.over_all(), None);
    tally.add(one(20.0));
    tally.add(one(40.0));
    let all = tally.over_all().unwrap();
    assert!((all.psnr - 22.967).abs() < 0.001, "{}", all.psnr);
    assert_eq!((all.screen, all.perceived, all.overshoot), (Some(40.0), None, None));
}

proptest! {
    #[test]
    fn parts_cover_a_picture_once(width in 1_u32..3000, height in 1_u32..3000, side in 48_u32..600) {
        let size = Size::new(width, height);
        let parts = divided(size, side);
        let area: u64 = parts.iter().map(|p| p.size().area()).sum();
        prop_assert_eq!(area, size.area());
        prop_assert!(parts.iter().all(|p| p.within(size).is_some()));
        let apart = |a: &Region<_>, b: &Region<_>| a == b || a.intersection(*b).is_none();
        prop_assert!(parts.len() > 60 || parts.iter().all(|a| parts.iter().all(|b| apart(a, b))));
    }
}

#[rstest]
#[case(Size::new(900, 700))]
#[case(Size::new(161, 500))]
#[case(Size::new(30_000, 64))]
fn chosen_parts_lie_inside_and_the_liveliest_comes_first(#[case] size: Size) {
    // Livelier to the right.
    let original = drawn(size, |x, y| {
        0.5 + 0.4 * (x as f32 / size.width as f32) * if (x / 2 + y / 2) % 2 == 0 { 1.0 } else { -1.0 }
    });
    let parts = choose(&original, 5, 160);
    assert!(!parts.is_empty() && parts.len() <= 5);
    assert!(parts.iter().all(|p| p.within(size).is_some()), "{parts:?}");
    assert!(parts.len() < 5 || parts.iter().all(|p| p.x <= parts[0].x), "{parts:?}");
    assert_eq!(parts, choose(&original, 5, 160));
}

#[test]
fn a_picture_too_small_to_be_shrunk_says_so() {
    let tiny = drawn(Size::new(40, 200), |_, _| 0.5);
    let error = Scene::new(&tiny, Region::of(0, 0, 40, 200), 2, PutBack::default()).unwrap_err();
    assert!(matches!(error, RehearsalError::TooSmall(_)) && error.to_string().contains("48"), "{error}");
}

struct GivesUpAfter(std::sync::atomic::AtomicUsize);

impl Pace for GivesUpAfter {
    fn before_block(&self) -> bool {
        self.0.fetch_sub(1, std::sync::atomic::Ordering::Relaxed) > 1
    }
}

#[test]
fn a_trial_can_be_given_up_in_the_middle() {
    let Decoded { original, facts } = pictured("courtyard-fern.jpg");
    let reading = reading::measure(&original, &facts);
    let pace = GivesUpAfter(12.into());
    assert!(trial::run(&original, &reading, None, &shelf(), 2, &pace).unwrap_err().is_cancelled());
}

fn tried(original: &Original, facts: &Facts, factor: u32) -> (Reading, Option<Trial>, Suggestion) {
    let shelf = shelf();
    let reading = sight::read(original, facts, &shelf).unwrap();
    let shows = reading.shows(&[], facts.size);
    let trial = trial::run(original, &reading, shows, &shelf, factor, &Unhurried).unwrap();
    let print = PrintFacts { factor: f64::from(factor), ppi: None, distance_m: None };
    let suggestion = Suggestion::of(&reading, trial.as_ref(), &[], facts, &shelf, print);
    (reading, trial, suggestion)
}

#[test]
fn what_was_tried_is_the_reason_that_is_given() {
    let Decoded { original, facts } = pictured("isola-brina-sign.jpg");
    let (_, trial, suggestion) = tried(&original, &facts, 4);
    let trial = trial.unwrap();
    assert_eq!((suggestion.subject.as_str(), suggestion.grade), (trial.chosen.subject.as_str(), trial.chosen.grade));
    let own = trial.of_chosen().unwrap().psnr;
    assert!(trial.tried.iter().all(|t| t.figures.psnr < own + 0.5), "{:?}", trial.tried);
    assert!(suggestion.reasons.iter().any(|r| r.text.contains("parts of this picture")), "{:?}", suggestion.reasons);
    // Kept as text and read again, what was decided and why is the same; a figure may lose its last bit.
    let kept: Trial = serde_json::from_str(&serde_json::to_string(&trial).unwrap()).unwrap();
    assert_eq!(
        (&kept.chosen.subject, kept.chosen.grade, kept.tried.len()),
        (&trial.chosen.subject, trial.chosen.grade, trial.tried.len())
    );
    assert!(kept.tried.iter().zip(&trial.tried).all(|(a, b)| (a.figures.psnr - b.figures.psnr).abs() < 1e-9));
}

/// What is suggested comes no further from the truth than Everyday alone, on pictures shrunk to half that no model saw.
#[rstest]
#[case("courtyard-fern.jpg")]
#[case("harbour-morning.jpg")]
#[case("kiln-chimneys.jpg")]
#[case("sheepskin.jpg")]
#[case("vases-on-the-sill.jpg")]
#[case("weavers-shop.jpg")]
fn what_is_suggested_does_no_harm(#[case] name: &str) {
    let Decoded { original, facts } = pictured(name);
    let whole = original.size();
    let size = Size::new(whole.width.min(512) / 2 * 2, whole.height.min(512) / 2 * 2);
    let truth = original.region(Region::of(0, 0, size.width, size.height));
    let half = Size::new(size.width / 2, size.height / 2);
    let small = dettaglio_core::enlarge::resample(&truth, half, half.whole(), Kernel::Bicubic);
    let small = Original::from_planes(&small);
    let facts = Facts { jpeg_quality: None, ..facts };
    let (_, _, suggestion) = tried(&small, &facts, 2);
    let renderer = renderer();
    let made = |recipe: &Recipe| {
        let treatment = recipe.work_out(&renderer.shelf(), half, Target::Factor { factor: 2.0 }).unwrap().treatment;
        renderer.render(&small, &treatment, size.whole().seen_as(), &Unhurried).unwrap()
    };
    let mut suggested = suggestion.recipe(dettaglio_domain::frame::Frame::default(), Surround::None);
    // The truth has the camera's noise, and the trace of grain is random: neither can come nearer to it.
    suggested.steps.clean.noise = None;
    suggested.steps.finish.grain = None;
    let gain = psnr(&made(&suggested), &truth, 6) - psnr(&made(&Recipe::learned(EVERYDAY, Grade::Draft)), &truth, 6);
    assert!(gain > -0.2, "{gain:.2} dB with {:?}", suggested.steps);
}

#[rstest]
#[case::tiles_far_away(|x, y| 0.5 + 0.2 * ((x as f32 * 2.2).sin() * (y as f32 * 0.7).cos()) + 0.1 * (y as f32 / 90.0), true)]
#[case::a_gentle_slope(|x, y| (x as f32 + y as f32) / 700.0, false)]
fn a_model_may_add_less_to_a_fine_regular_pattern(#[case] at: fn(u32, u32) -> f32, #[case] patterned: bool) {
    let size = Size::new(400, 300);
    let Decoded { facts, .. } = pictured("courtyard-fern.jpg");
    let facts = Facts { jpeg_quality: None, size, ..facts };
    let (_, trial, suggestion) = tried(&drawn(size, at), &facts, 2);
    assert_eq!(trial.unwrap().chosen.patterned, patterned);
    assert_eq!(suggestion.reasons.iter().any(|r| r.text.contains("regular pattern")), patterned && suggestion.gains);
    assert!(!patterned || suggestion.strength <= MOST_OF_A_PATTERN, "{}", suggestion.strength);
}

fn noise_at(x: u32, y: u32) -> f32 {
    let hash = x.wrapping_mul(2_654_435_761).rotate_left(7) ^ y.wrapping_mul(40_503_777);
    hash.wrapping_mul(747_796_405) as f32 / u32::MAX as f32
}

#[rstest]
#[case::one_pixel(Size::new(1, 1), |_, _| 0.5)]
#[case::a_flat_colour(Size::new(300, 300), |_, _| 0.5)]
#[case::all_black_with_three_stars(Size::new(400, 300), |x, y| if [(100, 90), (222, 150), (310, 40)].contains(&(x, y)) { 1.0 } else { 0.0 })]
#[case::line_art(Size::new(400, 300), |x, y| if (x + y) % 37 < 2 { 0.0 } else { 1.0 })]
#[case::a_halftone(Size::new(400, 300), |x, y| if x % 4 < 2 && y % 4 < 2 { 0.1 } else { 0.9 })]
#[case::pure_noise(Size::new(300, 200), noise_at)]
#[case::a_strip(Size::new(30_000, 60), |x, y| 0.5 + 0.3 * ((x * y) as f32 / 900.0).sin())]
fn what_nobody_would_send_is_suggested_something_that_can_be_carried_out(
    #[case] size: Size,
    #[case] at: fn(u32, u32) -> f32,
) {
    let original = drawn(size, at);
    let Decoded { facts, .. } = pictured("kiln-chimneys.jpg");
    let facts = Facts { jpeg_quality: None, size, ..facts };
    for factor in [2, 4] {
        let (reading, _, suggestion) = tried(&original, &facts, factor);
        let recipe = suggestion.recipe(dettaglio_domain::frame::Frame::default(), Surround::None);
        recipe.work_out(&shelf(), size, Target::Factor { factor: f64::from(factor) }).unwrap();
        assert_eq!(suggestion.clean.softness, None);
        assert!(reading.conclusion().iter().all(|line| !line.contains("NaN")), "{:?}", reading.conclusion());
    }
}

#[test]
fn a_shelf_of_one_model_has_nothing_to_choose_from() {
    let shelf = shelf();
    let one: Vec<_> = shelf.models().iter().filter(|m| m.card().id == "everyday-x4-draft").collect();
    let folder = tempfile::tempdir().unwrap();
    let models = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../models");
    for ending in ["json", "onnx"] {
        let name = format!("{}.{ending}", one[0].card().id);
        std::fs::copy(models.join(&name), folder.path().join(&name)).unwrap();
    }
    let shelf = Shelf::open(folder.path()).unwrap();
    let Decoded { original, facts } = pictured("courtyard-fern.jpg");
    let reading = reading::measure(&original, &facts);
    let trial = trial::run(&original, &reading, None, &shelf, 4, &Unhurried).unwrap().unwrap();
    assert_eq!((trial.chosen.subject.as_str(), trial.chosen.grade), (EVERYDAY, Grade::Draft));
    assert_eq!(trial.chosen.marks, None, "nothing takes marks out");
}

#[test]
fn a_rehearsal_is_told_in_a_sentence_and_one_candidate_that_fails_does_not_end_it() {
    let Decoded { original, .. } = pictured("courtyard-fern.jpg");
    let mut all = candidates(&shelf(), 2, &Clean::default());
    all.retain(|c| ["Nearest", "Bicubic", "Everyday x2, draft"].contains(&c.name.as_str()));
    all[0].steps.enlarge = Choice::Learned { subject: "clouds".to_owned(), grade: Grade::Draft, strength: 1.0 };
    let parts = choose(&original, 2, 128);
    let rehearsal = Rehearsal::new(&original, &parts, 2, PutBack::default(), all).unwrap();
    assert_eq!(rehearsal.standing().in_words(), None, "nobody has performed");
    let mut told = Vec::new();
    let standing = rehearsal.run(&shelf(), &Unhurried, |now| told.push(now.parts_done)).unwrap();
    assert_eq!(told, [0, 0, 1, 1, 2], "the one that failed is not asked again");
    assert!(standing.rows[0].trouble.as_ref().unwrap().contains("clouds"), "{:?}", standing.rows[0].trouble);
    assert!(standing.finished && standing.rows[2].parts == 2);
    let words = standing.in_words().unwrap();
    assert!(words.starts_with("Rehearsed 2 times on 2 parts of it: Everyday x2, draft came nearest"), "{words}");
}
