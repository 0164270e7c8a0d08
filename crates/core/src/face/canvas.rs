//! The canvas: 256 x 320 px, on which every face has its eyes 80 px apart at the same places.

use dettaglio_domain::affine::Affine;
use dettaglio_domain::face::{CANVAS, EYES};
use dettaglio_domain::geometry::Region;
use rayon::prelude::*;

use crate::picture::Planes;
use crate::plane::{gaussian, smoothstep};
use crate::warp::{BICUBIC, Window, warped_row};

/// What is wider than this belongs to skin tone and light, which are not touched; standard deviation in pixels.
const TONE: f32 = 20.0;

/// A picture as it is seen through a map that leads from pixels of the new one to pixels of `source`.
///
/// `source` starts at `origin` of the picture that the map leads to; beyond its edge, the edge is repeated. Bicubic
/// (Catmull-Rom) where the new picture is finer, the mean of several such samples in each pixel where it is coarser.
/// The region is in pixels of the new picture.
pub fn seen_through<New, Source>(
    map: &Affine<New, Source>,
    source: &Planes,
    origin: (u32, u32),
    region: Region<New>,
) -> Planes {
    let scale = map.xx.hypot(map.yx).max(map.xy.hypot(map.yy));
    let samples = (scale - 0.01).ceil().clamp(1.0, 16.0) as usize;
    let window = Window::new(source, origin, &BICUBIC);
    let mut out = Planes::black(region.size());
    let width = region.width as usize;
    let [red, green, blue] = out.planes_mut();
    let rows = red.par_chunks_mut(width).zip(green.par_chunks_mut(width)).zip(blue.par_chunks_mut(width));
    rows.enumerate().for_each(|(y, ((red, green), blue))| {
        let inside = |at: usize, k: usize| at as f64 + (k as f64 + 0.5) / samples as f64;
        let place = |x: usize, sample: usize| {
            let (i, j) = (sample % samples, sample / samples);
            map.at(f64::from(region.x) + inside(x, i), f64::from(region.y) + inside(y, j))
        };
        warped_row(&window, samples * samples, place, [red, green, blue]);
    });
    out
}

/// How far a place of the canvas belongs to the face, 0 to 1: from the chin up to the hairline, soft at the rim.
pub fn mask(x: f32, y: f32) -> f32 {
    let (dx, dy) = ((x - 128.0) / 104.0, (y - 160.0) / 136.0);
    1.0 - smoothstep(dx.hypot(dy), 0.72, 1.0)
}

/// How far a place of the canvas is skin, 0 to 1: the face without eyes, brows, nostrils, mouth and what frames it.
pub fn skin(x: f32, y: f32) -> f32 {
    let (dx, dy) = ((x - 128.0) / 92.0, (y - 168.0) / 116.0);
    let face = 1.0 - smoothstep(dx.hypot(dy), 0.75, 1.0);
    let blot = |cx: f32, cy: f32, rx: f32, ry: f32| 1.0 - smoothstep(((x - cx) / rx).hypot((y - cy) / ry), 0.6, 1.0);
    let features =
        [(88.0, 118.0, 44.0, 40.0), (168.0, 118.0, 44.0, 40.0), (128.0, 186.0, 30.0, 18.0), (128.0, 222.0, 52.0, 30.0)];
    let featured = features.iter().map(|(cx, cy, rx, ry)| blot(*cx, *cy, *rx, *ry)).fold(0.0, f32::max);
    face * (1.0 - featured)
}

/// The conditioning level of a restorer for a face with so many pixels of the original between its eyes, [`LevelKind::Scale`].
///
/// [`LevelKind::Scale`]: dettaglio_domain::model::LevelKind::Scale
pub fn scale_level(eyes: f32) -> f32 {
    ((EYES as f32 / eyes).log2() / 2.0).max(0.0)
}

/// How much of a change is laid on skin: what a person is known by is elsewhere, and skin is to stay skin.
const ON_SKIN: f32 = 0.6;

/// What a restored canvas changes: its differences from what was seen, without those of tone and light, inside the mask, and less of
/// them on skin.
///
/// Differences of encoded RGB, -1 to 1.
pub fn change(seen: &Planes, restored: &Planes) -> Planes {
    let width = CANVAS.width as usize;
    let mut out = Planes::black(CANVAS);
    let area = CANVAS.area() as usize;
    out.values_mut().par_chunks_mut(area).enumerate().for_each(|(channel, plane)| {
        let differences: Vec<f32> =
            restored.plane(channel).iter().zip(seen.plane(channel)).map(|(r, s)| r - s).collect();
        let tone = gaussian(&differences, width, TONE);
        for (i, value) in plane.iter_mut().enumerate() {
            let (x, y) = ((i % width) as f32 + 0.5, (i / width) as f32 + 0.5);
            *value = (differences[i] - tone[i]) * mask(x, y) * (1.0 - (1.0 - ON_SKIN) * skin(x, y));
        }
    });
    out
}

/// A canvas with that share of a change.
pub fn changed(seen: &Planes, change: &Planes, strength: f32) -> Planes {
    let mut out = seen.clone();
    out.values_mut().iter_mut().zip(change.values()).for_each(|(v, c)| *v = (*v + strength * c).clamp(0.0, 1.0));
    out
}

/// How far one canvas departs from another at the original's own resolution: the 95th percentile of CIEDE2000 over the face.
///
/// `scale` is pixels of the canvas per pixel of the original; what is finer than the original's pixels does not count, for
/// bringing that back is the purpose.
pub fn departure(before: &Planes, after: &Planes, scale: f32) -> f32 {
    let width = CANVAS.width as usize;
    let soft = |planes: &Planes| {
        let values = (0..3).flat_map(|c| gaussian(planes.plane(c), width, (0.6 * scale).max(0.5))).collect();
        Planes::from_values(CANVAS, values)
    };
    let map = crate::compare::colour_differences(&soft(before), &soft(after));
    let in_face = |i: usize| mask((i % width) as f32 + 0.5, (i / width) as f32 + 0.5) > 0.5;
    let kept: Vec<f32> = map.into_iter().enumerate().filter(|(i, _)| in_face(*i)).map(|(_, d)| d).collect();
    crate::compare::Departure::of(kept).p95
}

#[cfg(test)]
mod tests {
    use dettaglio_domain::geometry::Size;

    use super::*;
    use dettaglio_domain::affine::space::{Canvas, Kept};
    use dettaglio_domain::face::Face;
    use dettaglio_domain::geometry::Place;

    fn waves(size: Size) -> Planes {
        let values = (0..3 * size.area()).map(|i| {
            let (x, y) = ((i % u64::from(size.width)) as f32, (i / u64::from(size.width)) as f32);
            0.5 + 0.2 * (x * 0.11).sin() + 0.2 * (y * 0.07).cos()
        });
        Planes::from_values(size, values.collect())
    }

    #[test]
    fn to_the_canvas_and_back_is_the_picture() {
        let picture = waves(Size::new(300, 400));
        let face = Face::of_eyes(Place::new(100.0, 120.0), Place::new(165.0, 130.0));
        let to = face.to_canvas().unwrap();
        let canvas = seen_through(&to.inverse(), &picture, (0, 0), CANVAS.whole().seen_as());
        let part = Region::new(110, 120, 60, 80);
        let back = seen_through(&to, &canvas, (0, 0), part);
        let due = picture.cut(part);
        let worst = back.values().iter().zip(due.values()).map(|(a, b)| (a - b).abs()).fold(0.0, f32::max);
        assert!(worst < 0.01, "{worst}");
    }

    #[test]
    fn a_part_is_that_part_of_the_whole() {
        let picture = waves(Size::new(200, 200));
        let map: Affine<Canvas, Kept> =
            Affine { xx: 0.6, xy: -0.1, yx: 0.1, yy: 0.6, x0: 20.0, y0: 10.0, ..Affine::IDENTITY };
        let whole = seen_through(&map, &picture, (0, 0), Region::of(0, 0, 180, 150));
        let region = Region::new(40, 30, 50, 20);
        // The part needs only its own pixels of the source, wherever they start.
        let origin = (30, 20);
        let near = picture.cut(Region::new(origin.0, origin.1, 60, 60));
        let part = seen_through(&map, &near, origin, region.seen_as());
        assert!(part == whole.cut(region));
    }

    #[test]
    fn coarser_is_the_mean_and_not_one_pixel_of_many() {
        let checks = (0..3 * 64 * 64).map(|i| ((i % 64 + i / 64) % 2) as f32).collect();
        let picture = Planes::from_values(Size::new(64, 64), checks);
        let map: Affine<Canvas, Kept> = Affine { xx: 4.0, yy: 4.0, ..Affine::IDENTITY };
        let small = seen_through(&map, &picture, (0, 0), Region::of(2, 2, 10, 10));
        assert!(small.values().iter().all(|v| (v - 0.5).abs() < 0.05), "{:?}", &small.values()[..5]);
    }

    #[test]
    fn tone_is_not_touched_and_nothing_outside_the_face() {
        let seen = waves(CANVAS);
        let mut restored = seen.clone();
        restored.values_mut().iter_mut().for_each(|v| *v += 0.1);
        let shift = change(&seen, &restored);
        assert!(shift.values().iter().all(|v| v.abs() < 1e-4), "an even shift is tone");
        for value in restored.values_mut().iter_mut().step_by(2) {
            *value -= 0.2;
        }
        let fine = change(&seen, &restored);
        assert!(fine.row(0, 118)[88].abs() > 0.09, "fine detail is kept");
        let cheek = fine.row(0, 190)[75].abs();
        assert!((0.055..0.065).contains(&cheek), "and less of it on skin: {cheek}");
        assert_eq!((fine.row(0, 0)[0], fine.row(1, 319)[255]), (0.0, 0.0));
    }

    #[test]
    fn departure_counts_what_the_original_could_show() {
        let seen = waves(CANVAS);
        let mut coarse = Planes::black(CANVAS);
        for channel in 0..3 {
            for y in 0..CANVAS.height {
                let row = coarse.row_mut(channel, y);
                row.iter_mut().enumerate().for_each(|(x, v)| *v = 0.08 * (x as f32 * 0.05).sin());
            }
        }
        let mut fine = coarse.clone();
        fine.values_mut().iter_mut().enumerate().for_each(|(i, v)| *v = if i % 2 == 0 { 0.08 } else { -0.08 });
        let of = |change: &Planes, strength| departure(&seen, &changed(&seen, change, strength), 3.0);
        assert!(of(&coarse, 1.0) > 3.0 && of(&fine, 1.0) < 0.5, "{} {}", of(&coarse, 1.0), of(&fine, 1.0));
        assert!(of(&coarse, 0.3) < 0.5 * of(&coarse, 1.0) && of(&coarse, 0.0) == 0.0);
    }

    #[test]
    fn skin_is_cheeks_and_forehead() {
        for (x, y) in [(75.0, 190.0), (180.0, 190.0), (128.0, 80.0)] {
            assert!(skin(x, y) > 0.8, "{x} {y}: {}", skin(x, y));
        }
        for (x, y) in [(88.0, 128.0), (168.0, 105.0), (128.0, 222.0), (10.0, 20.0), (250.0, 300.0)] {
            assert!(skin(x, y) < 0.05, "{x} {y}: {}", skin(x, y));
        }
    }
}
