//! Faces in whole pictures: found on made-up people, not found where there is nobody.

use std::path::{Path, PathBuf};

use dettaglio_core::codec;
use dettaglio_core::enlarge::resample;
use dettaglio_core::face::Finder;
use dettaglio_core::frame::Framed;
use dettaglio_core::model::Shelf;
use dettaglio_core::picture::{Original, Planes};
use dettaglio_core::render::{Pace, RenderError, Renderer, Unhurried};
use dettaglio_domain::face::{CANVAS, Face};
use dettaglio_domain::frame::Frame;
use dettaglio_domain::geometry::{Place, Size};
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::kernel::Kernel;
use dettaglio_domain::limits::Limits;
use dettaglio_domain::treatment::{Restore, TreatedFace, Treatment};
use rstest::{fixture, rstest};

fn project(path: &str) -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..").join(path)
}

fn read(path: &Path) -> Original {
    codec::read(path, ContentHash::of_file(path).unwrap(), &Limits::default()).unwrap().original
}

fn planes(original: &Original) -> Planes {
    original.planes()
}

#[fixture]
fn finder() -> Finder {
    Finder::open(&project("models/faces")).unwrap()
}

/// A made-up person, and where the renderer put the eyes and the mouth.
fn person(name: &str) -> (Planes, Face) {
    let path = project("foundry/heads/kept").join(name).with_extension("png");
    let facts: serde_json::Value =
        serde_json::from_str(&std::fs::read_to_string(path.with_extension("json")).unwrap()).unwrap();
    let at = |name: &str| {
        let value = |k: usize| facts["landmarks"][name][k].as_f64().unwrap() as f32;
        Place::new(value(0), value(1))
    };
    let (a, b) = (at("mouth_left"), at("mouth_right"));
    let mouth = Place::new((a.x + b.x) / 2.0, (a.y + b.y) / 2.0);
    (planes(&read(&path)), Face { left_eye: at("right_pupil"), right_eye: at("left_pupil"), mouth })
}

/// The people side by side on grey, each brought to so many pixels between the eyes.
fn group(names: &[&str], eyes: f32) -> (Planes, Vec<Face>) {
    let mut parts = Vec::new();
    for name in names {
        let (picture, face) = person(name);
        let scale = eyes / face.eyes();
        let side = |px: u32| (px as f32 * scale).round() as u32;
        let size = Size::new(side(picture.size().width), side(picture.size().height));
        let place = |p: Place| Place::new(p.x * scale, p.y * scale);
        let face = Face { left_eye: place(face.left_eye), right_eye: place(face.right_eye), mouth: place(face.mouth) };
        parts.push((resample(&picture, size, size.whole(), Kernel::Bicubic), face));
    }
    const GAP: u32 = 12;
    let width = parts.iter().map(|(p, _)| p.size().width + GAP).sum::<u32>() + GAP;
    let height = parts.iter().map(|(p, _)| p.size().height).max().unwrap() + 2 * GAP;
    let size = Size::new(width, height);
    let mut whole = Planes::from_values(size, vec![0.46; 3 * size.area() as usize]);
    let mut left = GAP;
    let mut faces = Vec::new();
    for (picture, face) in parts {
        whole.paste(&picture, left, GAP);
        let shift = |p: Place| Place::new(p.x + left as f32, p.y + GAP as f32);
        faces.push(Face { left_eye: shift(face.left_eye), right_eye: shift(face.right_eye), mouth: shift(face.mouth) });
        left += picture.size().width + GAP;
    }
    (whole, faces)
}

/// How far eyes and mouth are off, in distances of the eyes.
fn off<A, B>(found: &Face<A>, due: &Face<B>) -> f32 {
    let pairs = [(found.left_eye, due.left_eye), (found.right_eye, due.right_eye), (found.mouth, due.mouth)];
    pairs.iter().map(|(a, b)| (a.x - b.x).hypot(a.y - b.y)).sum::<f32>() / 3.0 / due.eyes()
}

const PEOPLE: [&str; 4] = ["1001-0", "1002-0", "1008-0", "1016-0"];

#[rstest]
#[case::tiny(13.0)]
#[case::small(26.0)]
#[case::middling(50.0)]
#[case::large(90.0)]
fn everybody_in_a_group_is_found_where_they_are(finder: Finder, #[case] eyes: f32) {
    let (picture, due) = group(&PEOPLE, eyes);
    let found = finder.find(&Original::from_planes(&picture), &Unhurried).unwrap();
    assert_eq!(found.len(), PEOPLE.len(), "{found:?}");
    for face in due {
        let nearest = found.iter().map(|f| off(f, &face)).fold(f32::INFINITY, f32::min);
        assert!(nearest < 0.2, "{nearest} at {face:?} of {found:?}");
    }
    assert!(found.windows(2).all(|pair| pair[0].eyes() >= pair[1].eyes()), "the largest first");
}

/// Four rows of ten of the kept people, some of them twice, as small as on a school photograph.
#[rstest]
fn a_crowd_of_forty_is_found(finder: Finder) {
    let names: Vec<String> = (1001..=1023).map(|n| format!("{n}-0")).collect();
    let names: Vec<&str> = names.iter().map(String::as_str).collect();
    let rows = [&names[..10], &names[10..20], &names[13..], &names[..10]];
    let groups: Vec<(Planes, Vec<Face>)> = rows.iter().map(|row| group(row, 26.0)).collect();
    let width = groups.iter().map(|(planes, _)| planes.size().width).max().unwrap();
    let height: u32 = groups.iter().map(|(planes, _)| planes.size().height).sum();
    let size = Size::new(width, height);
    let mut crowd = Planes::from_values(size, vec![0.5; 3 * size.area() as usize]);
    let mut top = 0;
    for (planes, _) in &groups {
        crowd.paste(planes, 0, top);
        top += planes.size().height;
    }
    let found = finder.find(&Original::from_planes(&crowd), &Unhurried).unwrap();
    assert!((38..=40).contains(&found.len()), "{} of 40", found.len());
}

#[rstest]
#[case::in_the_dark(0.12, 0.0)]
#[case::in_glare(1.8, 0.2)]
fn faces_are_found_in_any_light(finder: Finder, #[case] gain: f32, #[case] more: f32) {
    let (picture, due) = group(&PEOPLE[..3], 40.0);
    let lit = picture.values().iter().map(|v| (v * gain + more).clamp(0.0, 1.0)).collect();
    let found = finder.find(&Original::from_planes(&Planes::from_values(picture.size(), lit)), &Unhurried).unwrap();
    let seen = due.iter().filter(|due| found.iter().any(|found| off(found, due) < 0.2)).count();
    assert!(seen >= 2, "{seen} of 3");
}

#[rstest]
#[case(1)]
#[case(2)]
#[case(3)]
fn a_scan_that_lies_on_its_side_has_its_faces_found(finder: Finder, #[case] quarter_turns: u8) {
    let (picture, due) = group(&PEOPLE[..2], 60.0);
    let upright = Original::from_planes(&picture);
    let framed = Framed::new(&upright, Frame { quarter_turns, ..Frame::default() }).unwrap();
    let turned = Original::from_planes(&framed.planes());
    let found = finder.find(&turned, &Unhurried).unwrap();
    assert_eq!(found.len(), 2, "{found:?}");
    for face in due {
        let face = face.mapped(&framed.map());
        let nearest = found.iter().map(|f| off(f, &face)).fold(f32::INFINITY, f32::min);
        assert!(nearest < 0.2, "{nearest}");
    }
}

#[rstest]
fn nobody_is_found_where_nobody_is(finder: Finder) {
    for name in
        ["furnace-hall", "courtyard-fern", "kiln-chimneys", "vases-on-the-sill", "weavers-shop", "harbour-morning"]
    {
        let file = project("crates/core/tests/pictures").join(name).with_extension("jpg");
        assert_eq!(finder.find(&read(&file), &Unhurried).unwrap(), [], "{name}");
    }
    for side in [1, 19, 20, 21] {
        let size = Size::new(side, side);
        let flat = Planes::from_values(size, vec![0.5; 3 * size.area() as usize]);
        assert_eq!(finder.find(&Original::from_planes(&flat), &Unhurried).unwrap(), [], "{side} px");
    }
}

/// The shipped restorer through the real runtime: it changes a soft face, and takes nothing of it away. How much it gains is for
/// the evaluation to say.
#[test]
fn a_soft_face_changes_and_does_not_lose() {
    let shelf = Shelf::open(&project("models")).unwrap();
    let model = shelf.restorer().expect("a restorer is shipped");
    assert_eq!(model.factor(), 1);
    let (truth, face) = person(PEOPLE[1]);
    let scale = 32.0 / face.eyes();
    let side = |px: u32| (px as f32 * scale).round() as u32;
    let small = Size::new(side(truth.size().width), side(truth.size().height));
    let picture = Original::from_planes(&resample(&truth, small, small.whole(), Kernel::Bicubic));
    let place = |p: Place| Place::new(p.x * scale, p.y * scale);
    let due = Face { left_eye: place(face.left_eye), right_eye: place(face.right_eye), mouth: place(face.mouth) };
    let plain = Treatment::learned(&shelf, "everyday", dettaglio_domain::model::Grade::Draft, small, truth.size());
    let restore = Restore { model: dettaglio_domain::model::ModelRef::of(model), strength: 1.0 };
    let with = Treatment { faces: vec![TreatedFace { face: due, restore: Some(restore) }], ..plain.clone() };
    let renderer = Renderer::new(shelf.clone(), 64 << 20);
    let on_canvas = |treatment: &Treatment| {
        let planes = renderer.render(&picture, treatment, truth.size().whole().seen_as(), &Unhurried).unwrap();
        let back = face.to_canvas().unwrap().inverse();
        dettaglio_core::face::canvas::seen_through(&back, &planes, (0, 0), CANVAS.whole().seen_as())
    };
    let due = dettaglio_core::face::canvas::seen_through(
        &face.to_canvas().unwrap().inverse(),
        &truth,
        (0, 0),
        CANVAS.whole().seen_as(),
    );
    let eyes = dettaglio_domain::geometry::Region::new(56, 108, 144, 40);
    let psnr = |planes: Planes| dettaglio_core::compare::psnr(&planes.cut(eyes), &due.cut(eyes), 0);
    let (plain, restored) = (on_canvas(&plain), on_canvas(&with));
    assert!(plain != restored);
    let (before, after) = (psnr(plain), psnr(restored));
    assert!(after > before - 0.3, "{before} {after}");
}

#[rstest]
fn the_search_ends_where_it_is_told_to(finder: Finder) {
    struct Impatient(std::sync::atomic::AtomicUsize);
    impl Pace for Impatient {
        fn before_block(&self) -> bool {
            self.0.fetch_add(1, std::sync::atomic::Ordering::Relaxed) < 2
        }
    }
    let pace = Impatient(0.into());
    let found = finder.find(&Original::from_planes(&group(&PEOPLE, 50.0).0), &pace);
    assert!(matches!(found, Err(RenderError::Cancelled(_))), "{found:?}");
    assert_eq!(pace.0.into_inner(), 3);
}
