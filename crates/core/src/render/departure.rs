//! Where a result departs from its original, as a picture and in figures.

use dettaglio_domain::affine::space::{Kept, Result as Enlarged, Sheet, View};
use dettaglio_domain::geometry::Region;
use dettaglio_domain::kernel::Kernel;
use dettaglio_domain::treatment::Treatment;

use super::amber::in_amber;
use super::pace::{Pace, RenderError};
use super::renderer::{Renderer, Window, Work};
use crate::compare::{self, Departure, colour_differences};
use crate::enlarge::{self, Source};
use crate::picture::{Original, Planes};
use crate::plane::smoothstep;

/// Departures, in CIEDE2000, between which the map turns from grey to amber, and from amber to white.
const AMBER: (f32, f32) = (0.7, 3.0);

/// See [`AMBER`].
const WHITE: (f32, f32) = (3.0, 10.0);

/// What can be measured of a region of a result.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Measures {
    /// 95 % of the region's pixels, at the original's size, depart from the original by no more, in CIEDE2000.
    pub departure_p95: f32,
    /// Mean departure.
    pub departure_mean: f32,
    /// Mean gradient over that of the same picture by bicubic resampling: above 1 it is sharper.
    pub sharpness: f64,
}

impl Renderer {
    /// The departure map: a view as of [`view`](Renderer::view), dim where the result, brought back to the original's
    /// size, agrees with it, amber where it departs visibly, white where it departs by 10 (CIEDE2000) or more.
    ///
    /// In views too far off for enlarging to show, of what cleaning changed alone. sRGB whatever the original's profile.
    ///
    /// `file` is a finished enlargement with this treatment; its pixels are held against the original instead of what the
    /// treatment would give now.
    pub fn departure_view(
        &self,
        original: &Original,
        treatment: &Treatment,
        file: Option<&Original>,
        level: u32,
        region: Region<View>,
        pace: &dyn Pace,
    ) -> Result<Planes, RenderError> {
        let at = Held { work: Work::new(self, original, treatment, pace, None)?, file };
        // The result itself is compared whatever its size; from further away, where enlarging shows.
        let near = file.is_some() || level == 0 || self.enlarges(original, treatment, level)?;
        at.work.over_original(level, region, |part| {
            let (before, after) = at.before_and_after(part, near)?;
            Ok(coloured(&before, &colour_differences(&before, &after)))
        })
    }

    /// Figures of a region of the sheet; of the part of it that holds picture, and nothing where none does. `file` as for
    /// [`departure_view`](Renderer::departure_view).
    pub fn measures(
        &self,
        original: &Original,
        treatment: &Treatment,
        file: Option<&Original>,
        region: Region<Sheet>,
        pace: &dyn Pace,
    ) -> Result<Option<Measures>, RenderError> {
        const LEAST: u32 = 4;
        let Some(part) = treatment.picture_in(region) else { return Ok(None) };
        if part.width < LEAST || part.height < LEAST {
            return Ok(None);
        }
        let at = Held { work: Work::new(self, original, treatment, pace, None)?, file };
        let Departure { p95, mean, .. } = {
            let (before, after) = at.before_and_after(at.work.of_original(part), true)?;
            Departure::of(colour_differences(&before, &after))
        };
        let plain = treatment.untreated(Kernel::Bicubic);
        let plain = Work::new(self, original, &plain, pace, None)?.whole(part)?;
        let sharpness = compare::sharpness(&at.srgb(at.pixels(part)?), &original.to_srgb(plain), 0);
        Ok(Some(Measures { departure_p95: p95, departure_mean: mean, sharpness }))
    }
}

/// A result that is held against its original: as its treatment gives it, or out of its file.
struct Held<'a> {
    work: Work<'a>,
    file: Option<&'a Original>,
}

impl Held<'_> {
    /// A region of the result, without its margin, in its own colours.
    fn pixels(&self, part: Region<Enlarged>) -> Result<Planes, RenderError> {
        let Some(file) = self.file else { return self.work.whole(part) };
        let place = self.work.treatment.place();
        Ok(file.region(Region::of(place.x + part.x, place.y + part.y, part.width, part.height)))
    }

    fn srgb(&self, pixels: Planes) -> Planes {
        self.file.unwrap_or(self.work.framed.original()).to_srgb(pixels)
    }

    /// A region of the framed original, and the result brought back to it; both sRGB.
    fn before_and_after(&self, region: Region<Kept>, enlarged: bool) -> Result<(Planes, Planes), RenderError> {
        let framed = &self.work.framed;
        let (kept, size) = (framed.size(), self.work.treatment.size);
        let before = framed.original().to_srgb(framed.region(region));
        if !enlarged {
            return Ok((before, framed.original().to_srgb(self.work.whole_cleaned(region)?)));
        }
        let part = enlarge::area_mean_region(size, kept, region);
        let window = Window { whole: size, part, planes: self.pixels(part)? };
        Ok((before, self.srgb(enlarge::area_mean(&window, kept, region))))
    }
}

impl Work<'_> {
    /// The pixels of the framed original that a region of the picture came of; one at least.
    pub(super) fn of_original(&self, region: Region<Enlarged>) -> Region<Kept> {
        let (kept, size) = (self.framed.size(), self.treatment.size);
        let span = |start: u32, count: u32, kept: u32, size: u32| {
            let scale = f64::from(kept) / f64::from(size);
            let first = ((f64::from(start) * scale).floor() as u32).min(kept - 1);
            let end = ((f64::from(start + count) * scale).ceil() as u32).clamp(first + 1, kept);
            (first, end - first)
        };
        let (x, width) = span(region.x, region.width, kept.width, size.width);
        let (y, height) = span(region.y, region.height, kept.height, size.height);
        Region::of(x, y, width, height)
    }
}

fn coloured(picture: &Planes, map: &[f32]) -> Planes {
    let amber: Vec<f32> = map.iter().map(|v| smoothstep(*v, AMBER.0, AMBER.1)).collect();
    let mut out = in_amber(picture, &amber);
    for plane in out.values_mut().chunks_exact_mut(map.len()) {
        for (value, departure) in plane.iter_mut().zip(map) {
            *value += (1.0 - *value) * smoothstep(*departure, WHITE.0, WHITE.1);
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::model::Shelf;
    use crate::render::Unhurried;
    use dettaglio_domain::geometry::Size;
    use dettaglio_domain::treatment::{Fill, Margin};

    fn renderer() -> Renderer {
        Renderer::new(Shelf::of(Vec::new()), 1 << 20)
    }

    /// A checkered half beside an even one.
    fn original() -> Original {
        let size = Size::new(64, 32);
        let value = |i: u64| {
            let (x, y) = (i % 64, i / 64 % 32);
            if x < 32 && (x + y) % 2 == 0 { 0.8 } else { 0.4 }
        };
        Original::from_planes(&Planes::from_values(size, (0..3 * size.area()).map(value).collect()))
    }

    #[test]
    fn a_result_that_lost_detail_departs_where_it_lost_it() {
        let (original, size) = (original(), Size::new(32, 16));
        let halved = Treatment::plain(Kernel::Bicubic, size);
        let figures = |region| renderer().measures(&original, &halved, None, region, &Unhurried).unwrap().unwrap();
        assert!(figures(Region::of(2, 2, 10, 10)).departure_mean > 5.0);
        assert!(figures(Region::of(20, 2, 10, 10)).departure_p95 < 0.1);
        let map = renderer().departure_view(&original, &halved, None, 0, size.whole().seen_as(), &Unhurried).unwrap();
        assert!(map.row(2, 8)[4] > 2.0 * map.row(2, 8)[28], "{:?}", map.row(2, 8));
    }

    #[test]
    fn the_same_pixels_do_not_depart_and_are_as_sharp() {
        let (original, size) = (original(), Size::new(128, 64));
        let plain = Treatment::plain(Kernel::Bicubic, size);
        let figures =
            renderer().measures(&original, &plain, None, Region::of(0, 0, 60, 60), &Unhurried).unwrap().unwrap();
        assert_eq!(figures.sharpness, 1.0);
        let nearest = Treatment::plain(Kernel::Nearest, size);
        let sharper =
            renderer().measures(&original, &nearest, None, Region::of(0, 0, 60, 60), &Unhurried).unwrap().unwrap();
        assert!(sharper.sharpness > 1.0 && sharper.departure_mean < figures.departure_mean, "{sharper:?} {figures:?}");
    }

    #[test]
    fn a_finished_file_is_measured_as_it_is() {
        let (original, margin) = (original(), Margin::around(8, Fill::White));
        let treatment = Treatment { margin, ..Treatment::plain(Kernel::Bicubic, Size::new(128, 64)) };
        let sheet = treatment.sheet();
        let pixels = renderer().render(&original, &treatment, sheet.whole().seen_as(), &Unhurried).unwrap();
        // On the sheet: of the checkered half, and of the even one.
        let (checkered, even) = (Region::new(8, 8, 60, 60), Region::new(90, 8, 40, 60));
        let figures = |file: Option<&Original>, region| {
            renderer().measures(&original, &treatment, file, region, &Unhurried).unwrap().unwrap()
        };
        let same = Original::from_planes(&pixels);
        let (of_file, of_treatment) = (figures(Some(&same), checkered.seen_as()), figures(None, checkered.seen_as()));
        assert!((of_file.departure_mean - of_treatment.departure_mean).abs() < 0.01, "{of_file:?} {of_treatment:?}");
        assert!((of_file.sharpness - 1.0).abs() < 0.01, "{of_file:?}");
        // A file that somebody darkened departs, whatever its treatment says.
        let darker = Planes::from_values(sheet, pixels.values().iter().map(|v| v * 0.8).collect());
        let darker = Original::from_planes(&darker);
        assert!(
            figures(None, even.seen_as()).departure_mean < 0.1
                && figures(Some(&darker), even.seen_as()).departure_mean > 3.0
        );
        let map =
            |file| renderer().departure_view(&original, &treatment, Some(file), 0, even.seen_as(), &Unhurried).unwrap();
        let mean = |planes: Planes| planes.values().iter().sum::<f32>() / planes.values().len() as f32;
        assert!(mean(map(&darker)) > mean(map(&same)) + 0.1);
    }

    #[test]
    fn a_margin_is_not_measured() {
        let margin = Margin::around(40, Fill::White);
        let treatment = Treatment { margin, ..Treatment::plain(Kernel::Bicubic, Size::new(128, 64)) };
        let at = |region| renderer().measures(&original(), &treatment, None, region, &Unhurried).unwrap();
        assert_eq!(at(Region::of(0, 0, 30, 30)), None);
        assert!(at(Region::of(0, 0, 80, 80)).is_some());
    }
}
