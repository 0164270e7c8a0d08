//! Readings of pictures with known damage: how far what is measured is from what was put in.

use std::path::Path;

use dettaglio_core::codec::{Decoded, read};
use dettaglio_core::enlarge::{Averaging, resample, resample_in};
use dettaglio_core::picture::Planes;
use dettaglio_core::{finish, reading};
use dettaglio_domain::clean::NoiseCurve;
use dettaglio_domain::file::Facts;
use dettaglio_domain::geometry::{Region, Size};
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::kernel::Kernel;
use dettaglio_domain::limits::Limits;
use dettaglio_domain::reading::Reading;
use rstest::rstest;

#[path = "../examples/damage/mod.rs"]
mod damage;

fn pictured(name: &str) -> Decoded {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/pictures").join(name);
    read(&path, ContentHash::of_file(&path).unwrap(), &Limits::default()).unwrap()
}

/// A picture shrunk to half, in which little of its own noise and none of its blocks are left.
///
/// By a whole factor, for any other leaves a period of its own.
fn calm(name: &str) -> Planes {
    let original = pictured(name).original;
    let side = |px: u32| px / 2;
    let size = Size::new(side(original.size().width), side(original.size().height));
    resample(&original, size, size.whole(), Kernel::Lanczos3)
}

fn with_noise(planes: &Planes, curve: NoiseCurve) -> Planes {
    let luminance = planes.luminance();
    let area = luminance.len();
    let noise = damage::normal(3 * area, 5);
    let values = planes.values().iter().enumerate();
    let values = values.map(|(i, v)| (v + noise[i] * curve.at(luminance[i % area]) / 255.0).clamp(0.0, 1.0));
    Planes::from_values(planes.size(), values.collect())
}

fn reading(planes: &Planes) -> Reading {
    let facts = pictured("isola-brina-sign.jpg").facts;
    reading::measure(&damage::as_original(planes), &Facts { jpeg_quality: None, ..facts })
}

#[rstest]
fn noise_is_read_within_fifteen_per_cent(
    #[values("isola-brina-sign.jpg", "weavers-shop.jpg", "vases-on-the-sill.jpg")] name: &str,
    #[values(4.0, 8.0, 15.0, 30.0)] sigma: f32,
) {
    let picture = calm(name);
    let own = reading(&picture).noise.sigma;
    let got = reading(&with_noise(&picture, NoiseCurve::flat(sigma))).noise.sigma;
    // What the picture has of its own adds up in squares.
    let due = own.hypot(sigma);
    assert!((got - due).abs() < (0.15 * due).max(0.5), "{got} for {due}");
}

/// Parts of 200 x 130 px of a picture that was made so many times smaller, as people send small pictures.
fn small_parts(name: &str, divisor: u32) -> Vec<Planes> {
    let original = pictured(name).original;
    let size = Size::new(original.size().width / divisor, original.size().height / divisor);
    let small = resample_in(&original, size, size.whole(), Kernel::Lanczos3, Averaging::Light);
    let starts = |side: u32, part: u32| (0..=side.saturating_sub(part)).step_by(part as usize);
    let places = starts(size.height, 130).flat_map(|y| starts(size.width, 200).map(move |x| (x, y)));
    places.map(|(x, y)| small.cut(Region::new(x, y, 200.min(size.width), 130.min(size.height)))).collect()
}

/// Fur, leaves, cables and sand in a small picture were once taken for strong noise, and cleaned away.
#[rstest]
#[case("sheepskin.jpg")]
#[case("courtyard-fern.jpg")]
#[case("harbour-morning.jpg")]
#[case("weavers-shop.jpg")]
#[case("vases-on-the-sill.jpg")]
fn texture_of_a_small_picture_is_not_taken_for_noise(#[case] name: &str) {
    // Hardly any of its noise is left then.
    for part in small_parts(name, 3) {
        let noise = reading(&part).noise;
        assert!(noise.sigma < 3.0 || noise.hidden, "{noise:?}");
    }
}

#[test]
fn noise_of_a_small_picture_is_told_where_it_has_calm_places() {
    let names = ["vases-on-the-sill.jpg", "harbour-morning.jpg", "isola-brina-sign.jpg"];
    let parts: Vec<Planes> = names.into_iter().flat_map(|name| small_parts(name, 1)).collect();
    let told = parts.iter().filter(|part| {
        let noise = reading(&with_noise(part, NoiseCurve::flat(12.0))).noise;
        !noise.hidden && (9.0..16.0).contains(&noise.sigma)
    });
    let told = told.count();
    assert!(4 * told >= 3 * parts.len(), "{told} of {}", parts.len());
}

#[rstest]
#[case::of_a_pure_colour([0.7, 0.3, 0.0])]
#[case::so_strong_that_it_reaches_both_ends([0.3, 0.4, 0.35])]
fn noise_that_is_clipped_in_most_places_is_noise_all_the_same(#[case] colour: [f32; 3]) {
    let size = Size::new(480, 320);
    let flat = Planes::from_values(size, colour.iter().flat_map(|v| vec![*v; size.area() as usize]).collect());
    let noisy = damage::white_noise(&flat, 45.0);
    let got = reading(&noisy).noise.sigma;
    let left = damage::difference(&noisy, &flat);
    assert!((got - left).abs() < 0.2 * left, "{got} for {left}");
}

/// Ramps and fields of a pure colour; dots of two tones; flat colours at the ends of the scale.
#[rstest]
#[case::ramps_and_fields(|x, y| [(x * 7 % 251) as f32, (y * 5 % 241) as f32, ((x / 9 + y / 7) % 2 * 200) as f32])]
#[case::dots(|x, y| [if (x * x * 31 + y * y * 17 + x * y * 7) & 8 == 0 { 255.0 } else { 0.0 }; 3])]
#[case::flat_colours(|x, y| [255.0 * (x / 40 % 2) as f32, 255.0 * (y / 60 % 2) as f32, 0.0])]
fn a_drawing_whose_colours_are_at_the_ends_of_the_scale_has_no_noise(#[case] colour: fn(u32, u32) -> [f32; 3]) {
    let size = Size::new(480, 320);
    let mut drawing = Planes::black(size);
    for y in 0..size.height {
        for x in 0..size.width {
            for (channel, value) in colour(x, y).into_iter().enumerate() {
                drawing.row_mut(channel, y)[x as usize] = value / 255.0;
            }
        }
    }
    assert!(reading(&drawing).noise.sigma < 1.0, "{:?}", reading(&drawing).noise);
}

#[test]
fn noise_is_read_at_each_brightness() {
    let curve = NoiseCurve([16.0, 14.0, 12.0, 10.0, 8.0, 7.0, 6.0, 5.0]);
    let size = Size::new(640, 480);
    let ramp = Planes::from_values(size, (0..3 * size.area()).map(|i| 0.05 + 0.9 * (i % 640) as f32 / 640.0).collect());
    let got = reading(&with_noise(&ramp, curve)).noise;
    for point in 1..7 {
        let (got, due) = (got.level.0[point], curve.0[point]);
        assert!((got - due).abs() < 0.15 * due, "{got} for {due} at {point}");
    }
    assert!(got.colour > 0.6 * got.luminance, "independent colours are colour noise as well");
}

fn whole(name: &str) -> Planes {
    let original = pictured(name).original;
    original.planes()
}

#[test]
fn noise_is_told_from_texture_where_something_is_calm_or_the_noise_is_stronger() {
    let hidden = |planes: &Planes| reading(planes).noise.hidden;
    let (wool, vases) = (whole("sheepskin.jpg"), whole("vases-on-the-sill.jpg"));
    assert!(hidden(&wool) && !hidden(&vases) && !hidden(&whole("furnace-hall.jpg")));
    assert!(!hidden(&with_noise(&wool, NoiseCurve::flat(15.0))));
    assert!(!hidden(&with_noise(&vases, NoiseCurve::flat(4.0))));
}

#[test]
fn a_clean_picture_has_no_noise() {
    let got = reading(&shapes(1.0));
    assert!(got.noise.sigma < 0.3, "{}", got.noise.sigma);
}

/// Discs and bars with edges of a known spread, at all angles.
fn shapes(spread: f32) -> Planes {
    let size = Size::new(640, 480);
    let edge = |distance: f32| 0.5 * (1.0 + libm_erf(distance / (spread * std::f32::consts::SQRT_2)));
    let value = |i: u64| {
        let (x, y) = ((i % 640) as f32, (i / 640 % 480) as f32);
        let (cx, cy) = ((x / 80.0).floor() * 80.0 + 40.0, (y / 80.0).floor() * 80.0 + 40.0);
        0.25 + 0.5 * edge(26.0 - (x - cx).hypot(y - cy))
    };
    Planes::from_values(size, (0..3 * size.area()).map(value).collect())
}

/// The error function to 1e-7 (Abramowitz and Stegun 7.1.26 gives 1.5e-7).
fn libm_erf(x: f32) -> f32 {
    let t = 1.0 / (1.0 + 0.327_591_1 * x.abs());
    let poly = ((((1.061_405_4 * t - 1.453_152) * t + 1.421_413_7) * t - 0.284_496_74) * t + 0.254_829_6) * t;
    (1.0 - poly * (-x * x).exp()).copysign(x)
}

#[rstest]
fn softness_is_read_within_a_fifth_of_a_pixel(
    #[values(0.5, 0.8, 1.2, 1.6, 2.0)] spread: f32,
    #[values(0.0, 6.0)] noise: f32,
) {
    let planes = with_noise(&shapes(spread), NoiseCurve::flat(noise));
    let got = reading(&planes).softness.unwrap();
    assert!((got.sigma - spread).abs() < 0.2, "{} for {spread}", got.sigma);
    assert!(got.shake.is_none(), "{:?}", got.shake);
    assert!(got.overshoot < 0.06, "{}", got.overshoot);
}

#[test]
fn a_shake_has_a_direction() {
    let sharp = shapes(0.7);
    let size = sharp.size();
    let mut shaken = Planes::black(size);
    for channel in 0..3 {
        for y in 0..size.height {
            let row = sharp.row(channel, y);
            for x in 0..row.len() {
                let near = &row[x.saturating_sub(4)..(x + 5).min(row.len())];
                shaken.row_mut(channel, y)[x] = near.iter().sum::<f32>() / near.len() as f32;
            }
        }
    }
    assert_eq!(reading(&shaken).softness.unwrap().shake, Some(0.0), "from left to right");
}

#[test]
fn sharpening_is_noticed() {
    use dettaglio_domain::finish::{Edges, Finish};
    let mut planes = shapes(0.9);
    let edges = Some(Edges { strength: 1.5, width: 1.2, halo_guard: 0.0, leave_flat: 0.0, leave_skin: 0.0 });
    finish::apply(&Finish { edges, grain: None }, &mut planes, Size::new(640, 480).whole().seen_as());
    let got = reading(&planes).softness.unwrap();
    assert!(got.overshoot > 0.06, "{got:?}");
}

fn decoded(bytes: &[u8]) -> Decoded {
    let file = tempfile::NamedTempFile::new().unwrap();
    std::fs::write(file.path(), bytes).unwrap();
    read(file.path(), ContentHash::of(bytes), &Limits::default()).unwrap()
}

#[rstest]
fn the_quality_of_a_jpeg_is_read_within_five(#[values(15, 40, 60, 75, 85, 92, 98)] quality: u8) {
    let file = decoded(&damage::jpeg_file(&calm("weavers-shop.jpg"), quality).unwrap());
    let got = reading::measure(&file.original, &file.facts);
    assert!((got.jpeg_quality.unwrap() - f32::from(quality)).abs() <= 5.0, "{:?} for {quality}", got.jpeg_quality);
    assert_eq!(got.former_jpeg, None);
}

#[rstest]
fn a_former_jpeg_is_found_with_its_grid_and_quality(
    #[values("isola-brina-sign.jpg", "weavers-shop.jpg")] name: &str,
    #[values(40, 60, 75)] quality: u8,
    #[values((0, 0), (3, 5))] cut: (u32, u32),
) {
    let file = decoded(&damage::jpeg_file(&calm(name), quality).unwrap());
    let whole = file.original.size();
    let size = Size::new(whole.width - cut.0, whole.height - cut.1);
    let region = dettaglio_domain::geometry::Region::new(cut.0, cut.1, size.width, size.height);
    let got = reading(&file.original.region(region.seen_as())).former_jpeg.expect("its traces");
    assert_eq!((u32::from(got.x), u32::from(got.y)), ((8 - cut.0) % 8, (8 - cut.1) % 8));
    assert!((got.quality - f32::from(quality)).abs() <= 5.0, "{} for {quality}", got.quality);
}

#[rstest]
fn no_former_jpeg_is_seen_where_there_was_none(
    #[values("weavers-shop.jpg", "courtyard-fern.jpg", "kiln-chimneys.jpg")] name: &str,
) {
    assert_eq!(reading(&calm(name)).former_jpeg, None);
}

#[rstest]
#[case(2.0)]
#[case(3.0)]
#[case(4.0)]
fn an_enlarged_picture_is_found_out(#[case] factor: f64, #[values(Kernel::Bicubic, Kernel::Lanczos3)] kernel: Kernel) {
    let small = calm("weavers-shop.jpg");
    let side = |px: u32| (f64::from(px) * factor) as u32;
    let size = Size::new(side(small.size().width), side(small.size().height));
    let detail = reading(&resample(&small, size, size.whole(), kernel)).detail;
    // Twice is the one factor that leaves no period when pixels' middles are kept.
    match detail.enlarged {
        Some(got) => assert!((f64::from(got) / factor).ln().abs() < 0.05, "{got} for {factor}"),
        None => assert!(detail.ends_abruptly, "{detail:?}"),
    }
    assert!(detail.size.width <= small.size().width * 4 / 3, "{}", detail.size);
}

#[rstest]
fn a_picture_at_its_own_size_is_not_accused(
    #[values("weavers-shop.jpg", "courtyard-fern.jpg", "isola-brina-sign.jpg", "furnace-hall.jpg")] name: &str,
) {
    let detail = reading(&calm(name)).detail;
    assert_eq!((detail.enlarged, detail.ends_abruptly), (None, false));
    assert!(detail.usable > 0.5, "{}", detail.usable);
}

#[test]
fn lettering_is_told_from_leaves() {
    let lettering = |name| reading(&calm(name)).content.lettering;
    let (sign, fern) = (lettering("isola-brina-sign.jpg"), lettering("courtyard-fern.jpg"));
    assert!(sign > 1.2 * fern, "{sign} {fern}");
}

#[rstest]
#[case(1, 1)]
#[case(1, 2000)]
#[case(15, 15)]
#[case(70, 9)]
fn a_picture_too_small_to_measure_is_still_read(#[case] width: u32, #[case] height: u32) {
    let size = Size::new(width, height);
    let planes = Planes::from_values(size, (0..3 * size.area()).map(|i| (i % 7) as f32 / 7.0).collect());
    let got = reading(&planes);
    assert!(!got.conclusion().is_empty());
    assert!(got.noise.sigma.is_finite() && got.detail.usable.is_finite());
}

mod suggested {
    use super::*;
    use dettaglio_core::model::Shelf;
    use dettaglio_domain::suggest::{PrintFacts, Suggestion};

    fn shelf() -> Shelf {
        Shelf::open(&Path::new(env!("CARGO_MANIFEST_DIR")).join("../../models")).unwrap()
    }

    const WALL: PrintFacts = PrintFacts { factor: 4.0, ppi: Some(200.0), distance_m: Some(0.6) };

    fn suggestion(planes: &Planes, print: PrintFacts) -> Suggestion {
        let facts = pictured("isola-brina-sign.jpg").facts;
        Suggestion::of(&reading(planes), None, &[], &facts, &shelf(), print)
    }

    #[test]
    fn a_noisy_picture_is_cleaned_at_its_own_level_and_a_calm_one_is_not() {
        let calm = shapes(0.7);
        assert_eq!(suggestion(&calm, WALL).clean.noise, None);
        let noise = suggestion(&with_noise(&calm, NoiseCurve::flat(12.0)), WALL).clean.noise.expect("cleaned");
        assert!((noise.level.at(0.5) - 12.0).abs() < 2.0, "{:?}", noise.level);
        // Nothing stays behind from the picture before.
        assert_eq!(suggestion(&calm, WALL).clean.noise, None);
    }

    #[test]
    fn texture_is_not_cleaned_away_as_noise_unless_the_camera_says_that_there_is_some() {
        let read = reading(&whole("sheepskin.jpg"));
        assert!(read.noise.hidden, "{:?}", read.noise);
        assert!(read.conclusion()[0].contains("at most"), "{:?}", read.conclusion());
        let of = |iso| {
            let facts = Facts { iso, ..pictured("isola-brina-sign.jpg").facts };
            Suggestion::of(&read, None, &[], &facts, &shelf(), WALL)
        };
        let base = of(Some(100));
        assert_eq!(base.clean.noise, None);
        assert!(base.reasons.iter().any(|r| r.text.contains("cannot be told from texture")), "{:?}", base.reasons);
        assert!(of(Some(6400)).clean.noise.is_some());
    }

    #[test]
    fn softness_is_said_and_left_as_it_is() {
        let soft = suggestion(&shapes(1.5), WALL);
        assert_eq!(soft.clean.softness, None);
        assert!(soft.reasons.iter().any(|r| r.text.contains("try Softness")), "{:?}", soft.reasons);
        let sharp = suggestion(&shapes(0.6), WALL);
        assert!(!sharp.reasons.iter().any(|r| r.text.contains("Softness")), "{:?}", sharp.reasons);
    }

    #[test]
    fn by_night_softness_is_not_even_offered() {
        let lit = shapes(1.5);
        let dark = Planes::from_values(lit.size(), lit.values().iter().map(|v| 0.25 * v).collect());
        let facts = Facts { iso: Some(12_800), jpeg_quality: None, ..pictured("isola-brina-sign.jpg").facts };
        let night = Suggestion::of(&reading(&dark), None, &[], &facts, &shelf(), WALL);
        assert_eq!(night.clean.softness, None);
        assert!(night.reasons.iter().any(|r| r.text.contains("points of light")), "{:?}", night.reasons);
        assert!(!night.reasons.iter().any(|r| r.text.contains("try Softness")), "{:?}", night.reasons);
    }

    #[test]
    fn a_picture_that_is_sharp_enough_gains_nothing_from_a_model() {
        let sharp = shapes(0.6);
        assert!(suggestion(&sharp, WALL).gains);
        let far = suggestion(&sharp, PrintFacts { distance_m: Some(8.0), ..WALL });
        assert!(!far.gains);
        assert!(far.reasons.iter().any(|r| r.text.contains("gains nothing from a model")), "{:?}", far.reasons);
        let small = suggestion(&sharp, PrintFacts { factor: 0.8, ..WALL });
        assert!(!small.gains);
    }

    #[test]
    fn edges_are_as_wide_as_the_print_asks() {
        let width = |ppi| suggestion(&shapes(0.7), PrintFacts { ppi, ..WALL }).finish.edges.unwrap().width;
        assert_eq!(width(Some(300.0)), 1.5);
        assert_eq!(width(Some(72.0)), 0.4);
        assert_eq!(width(None), 1.0);
    }
}

#[test]
fn the_spectrum_shows_how_far_detail_goes() {
    let sharp = calm("weavers-shop.jpg");
    let small = Size::new(sharp.size().width / 2, sharp.size().height / 2);
    let softened = resample(
        &resample(&sharp, small, small.whole(), Kernel::Bicubic),
        sharp.size(),
        sharp.size().whole(),
        Kernel::Bicubic,
    );
    let spectrum = |planes: &Planes| reading(planes).detail.spectrum.expect("it is large enough");
    let (before, after) = (spectrum(&sharp), spectrum(&softened));
    assert_eq!((before.picture.len(), before.sharp.len()), (32, 32));
    assert!(before.picture.iter().chain(&before.sharp).all(|power| power.is_finite()) && before.noise.is_finite());
    let fine = |of: &[f32]| of[20..].iter().sum::<f32>() / 12.0;
    assert!(fine(&after.picture) < fine(&before.picture) - 6.0, "{before:?} {after:?}");
    assert!(before.sharp.windows(2).all(|pair| pair[1] < pair[0]), "what is sharp falls steadily");
    let tiny = Planes::from_values(Size::new(40, 40), vec![0.5; 3 * 1600]);
    assert_eq!(reading(&tiny).detail.spectrum, None);
}
