//! What pictures show, and how far they lie apart, by the networks that are shipped.

use std::path::{Path, PathBuf};

use dettaglio_core::codec::{Decoded, read};
use dettaglio_core::model::{ModelError, Shelf};
use dettaglio_core::picture::{Original, Planes};
use dettaglio_core::sight;
use dettaglio_domain::geometry::{Region, Size};
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::limits::Limits;
use dettaglio_domain::sight::{Shown, Sight};
use rstest::rstest;

fn project() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

fn shelf() -> Shelf {
    Shelf::open(&project().join("models")).unwrap()
}

fn pictured(name: &str) -> Decoded {
    let path = project().join("demo/pictures").join(name);
    read(&path, ContentHash::of_file(&path).unwrap(), &Limits::default()).unwrap()
}

#[rstest]
#[case("sheepskin.tif", Some(Shown::Fur))]
#[case("courtyard-fern.jpg", Some(Shown::Foliage))]
#[case("furnace-hall.jpg", Some(Shown::Building))]
#[case("vases-on-the-sill.jpg", None)]
fn a_picture_is_told_by_what_it_shows(#[case] name: &str, #[case] shown: Option<Shown>) {
    let Decoded { original, facts } = pictured(name);
    let reading = sight::read(&original, &facts, &shelf()).unwrap();
    assert_eq!(reading.sight.unwrap().picture.shown, shown, "{:?}", reading.sight);
    assert_eq!(reading.shows(&[], facts.size), shown);
}

fn drawn(size: Size, at: impl Fn(u32, u32) -> f32) -> Original {
    let plane: Vec<f32> =
        (0..size.height).flat_map(|y| (0..size.width).map(move |x| (x, y))).map(|(x, y)| at(x, y)).collect();
    Original::from_planes(&Planes::from_values(size, plane.repeat(3)))
}

#[rstest]
#[case::one_pixel(Size::new(1, 1))]
#[case::a_thread(Size::new(3000, 2))]
#[case::just_large_enough(Size::new(32, 32))]
#[case::a_panorama(Size::new(30_000, 64))]
fn of_pictures_of_any_shape_something_or_nothing_is_told(#[case] size: Size) {
    let flat = sight::look(&drawn(size, |_, _| 0.5), &shelf()).unwrap().unwrap();
    assert_eq!(flat.picture.shown, None, "a flat tone shows nothing: {flat:?}");
    assert!(flat.picture.sure.is_finite());
    if size.short_edge() < 32 {
        assert_eq!(flat, Sight::default());
    }
}

#[test]
fn noise_shows_nothing() {
    let noise = |x: u32, y: u32| {
        (x.wrapping_mul(2_654_435_761) ^ y.wrapping_mul(2_246_822_519)).wrapping_mul(668_265_263) as f32
            / u32::MAX as f32
    };
    let sight = sight::look(&drawn(Size::new(300, 200), noise), &shelf()).unwrap().unwrap();
    assert_eq!(sight.picture.shown, None, "{sight:?}");
}

#[test]
fn without_the_networks_nothing_is_told_and_an_altered_one_is_refused() {
    let Decoded { original, .. } = pictured("courtyard-fern.jpg");
    let folder = tempfile::tempdir().unwrap();
    let look = || sight::look(&original, &Shelf::open(folder.path()).unwrap());
    assert_eq!(look().unwrap(), None);
    std::fs::create_dir(folder.path().join("sight")).unwrap();
    assert!(matches!(look(), Err(ModelError::Unreadable { .. })));
    for file in ["kinds.onnx", "features.onnx"] {
        std::fs::write(folder.path().join("sight").join(file), b"something else").unwrap();
    }
    assert!(matches!(look(), Err(ModelError::Altered { .. })));
}

/// A part of a picture, of 256 px a side at most.
fn part(name: &str) -> Planes {
    let original = pictured(name).original;
    let Size { width, height } = original.size();
    let (w, h) = (width.min(256), height.min(256));
    original.region(Region::of((width - w) / 2, (height - h) / 2, w, h))
}

fn changed(planes: &Planes, by: impl Fn(f32, usize, usize) -> f32) -> Planes {
    let (width, area) = (planes.size().width as usize, planes.size().area() as usize);
    let values = planes.values().iter().enumerate();
    let values = values.map(|(i, v)| by(*v, i % area % width, i % area / width).clamp(0.0, 1.0));
    Planes::from_values(planes.size(), values.collect())
}

/// Each value the mean of its neighbours up to so far away.
fn blurred(planes: &Planes, reach: isize) -> Planes {
    let Size { width, height } = planes.size();
    let mut made = planes.clone();
    for channel in 0..3 {
        let plane = planes.plane(channel).to_vec();
        let at = |x: isize, y: isize| {
            plane[y.clamp(0, height as isize - 1) as usize * width as usize + x.clamp(0, width as isize - 1) as usize]
        };
        for y in 0..height {
            for (x, value) in made.row_mut(channel, y).iter_mut().enumerate() {
                let around = (-reach..=reach).flat_map(|dy| (-reach..=reach).map(move |dx| (dx, dy)));
                let values: Vec<f32> = around.map(|(dx, dy)| at(x as isize + dx, y as isize + dy)).collect();
                *value = values.iter().sum::<f32>() / values.len() as f32;
            }
        }
    }
    made
}

#[test]
fn pictures_lie_apart_as_eyes_say() {
    let shelf = shelf();
    let sight = shelf.sight().unwrap().unwrap();
    let names = [
        "courtyard-fern.jpg",
        "embroidered-runner.jpg",
        "fornace-1931.jpg",
        "furnace-hall.jpg",
        "harbour-morning.jpg",
        "isola-brina-sign.jpg",
        "maestro.jpg",
        "sheepskin.tif",
        "vases-on-the-sill.jpg",
        "weavers-shop.jpg",
    ];
    for name in names {
        let truth = part(name);
        let seen = sight.features(&truth).unwrap();
        let apart = |made: &Planes| seen.apart(&sight.features(made).unwrap());
        assert_eq!(apart(&truth), 0.0, "{name}");
        let screened = |strength: f32| {
            changed(&truth, |v, x, y| v + strength / 255.0 * if x % 4 == 0 && y % 4 == 0 { 3.0 } else { -0.2 })
        };
        let noisy = |sigma: f32| {
            let hash = |x: usize, y: usize| ((x * 73_856_093) ^ (y * 19_349_663)).wrapping_mul(2_654_435_761) % 1000;
            changed(&truth, |v, x, y| v + sigma / 255.0 * (hash(x, y) as f32 / 1000.0 - 0.5) * 3.46)
        };
        let orders = [
            ("softer and softer", apart(&blurred(&truth, 1)), apart(&blurred(&truth, 3))),
            ("noisier and noisier", apart(&noisy(3.0)), apart(&noisy(9.0))),
            ("a screen, and a stronger one", apart(&screened(1.0)), apart(&screened(4.0))),
            ("a screen that shows is worse than a trace of noise", apart(&noisy(1.0)), apart(&screened(4.0))),
        ];
        for (what, nearer, further) in orders {
            assert!(0.0 < nearer && nearer < further, "{name}: {what}: {nearer:.2} {further:.2}");
        }
    }
}

#[test]
fn sides_need_not_be_whole_multiples() {
    let shelf = shelf();
    let sight = shelf.sight().unwrap().unwrap();
    let picture = part("sheepskin.tif").into_part(Region::new(0, 0, 101, 67));
    let seen = sight.features(&picture).unwrap();
    assert!(seen.apart(&sight.features(&blurred(&picture, 1)).unwrap()) > 0.0);
}
