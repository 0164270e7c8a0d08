//! The picture on its sheet: bare paper or its own mirror image around it.

use dettaglio_domain::geometry::{Region, Size};
use dettaglio_domain::treatment::{Fill, Margin};

use crate::picture::Planes;

/// A region of the sheet; `picture` gives regions of the picture, whose size is given.
///
/// Both spaces have pixels of the same size: the sheet of the result and the result, or both at the original's own scale.
pub fn compose<OnSheet, OnPicture, E>(
    margin: Margin,
    size: Size,
    region: Region<OnSheet>,
    mut picture: impl FnMut(Region<OnPicture>) -> Result<Planes, E>,
) -> Result<Planes, E> {
    let place = Region::of(margin.left, margin.top, size.width, size.height);
    if region.intersection(place) == Some(region) {
        return picture(region.inside(place).seen_as());
    }
    let mut out = Planes::black(region.size());
    if margin.fill == Fill::White {
        out.values_mut().fill(1.0);
    }
    for (zone, columns) in zones(margin.left, size.width, margin.right) {
        for (other, rows) in zones(margin.top, size.height, margin.bottom) {
            let mirrored = zone != Zone::Inside || other != Zone::Inside;
            if mirrored && margin.fill != Fill::Mirror {
                continue;
            }
            let cell = Region::of(columns.start, rows.start, columns.len() as u32, rows.len() as u32);
            let Some(shared) = cell.intersection(region) else { continue };
            let (x, width) = zone.source(shared.x, shared.width, margin.left, size.width);
            let (y, height) = other.source(shared.y, shared.height, margin.top, size.height);
            let part = picture(Region::of(x, y, width, height))?;
            let part = flip(part, zone != Zone::Inside, other != Zone::Inside);
            out.paste(&part, shared.x - region.x, shared.y - region.y);
        }
    }
    Ok(out)
}

/// Before, in, or after the picture, along one axis.
#[derive(Clone, Copy, PartialEq)]
enum Zone {
    Before,
    Inside,
    After,
}

fn zones(before: u32, side: u32, after: u32) -> [(Zone, std::ops::Range<u32>); 3] {
    let end = before + side;
    [(Zone::Before, 0..before), (Zone::Inside, before..end), (Zone::After, end..end + after)]
}

impl Zone {
    /// Where pixels from `at` on come from: start and count along the picture's own axis.
    fn source(self, at: u32, count: u32, before: u32, side: u32) -> (u32, u32) {
        let start = match self {
            Zone::Inside => at - before,
            // The pixel next to the edge is repeated first.
            Zone::Before => before - (at + count),
            Zone::After => side - (at + count - before - side),
        };
        (start, count)
    }
}

fn flip(planes: Planes, across: bool, down: bool) -> Planes {
    if !across && !down {
        return planes;
    }
    let size = planes.size();
    let mut out = Planes::black(size);
    for channel in 0..3 {
        for y in 0..size.height {
            let from = if down { size.height - 1 - y } else { y };
            let row = out.row_mut(channel, y);
            row.copy_from_slice(planes.row(channel, from));
            if across {
                row.reverse();
            }
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use dettaglio_domain::affine::space;
    use rstest::rstest;

    /// One row of five values and a margin of two on either side.
    fn row(fill: Fill, region: Region) -> Vec<f32> {
        let size = Size::new(5, 1);
        let picture = Planes::from_values(size, [[0.1, 0.2, 0.3, 0.4, 0.5]; 3].concat());
        let margin = Margin { left: 2, right: 2, fill, ..Margin::default() };
        let part = compose::<_, space::Any, ()>(margin, size, region, |part| Ok(picture.cut(part))).unwrap();
        part.plane(0).to_vec()
    }

    #[rstest]
    #[case(Fill::White, &[1.0, 1.0, 0.1, 0.2, 0.3, 0.4, 0.5, 1.0, 1.0])]
    #[case(Fill::Black, &[0.0, 0.0, 0.1, 0.2, 0.3, 0.4, 0.5, 0.0, 0.0])]
    #[case(Fill::Mirror, &[0.2, 0.1, 0.1, 0.2, 0.3, 0.4, 0.5, 0.5, 0.4])]
    fn the_picture_lies_inside_its_margin(#[case] fill: Fill, #[case] expected: &[f32]) {
        assert_eq!(row(fill, Region::new(0, 0, 9, 1)), expected);
        for x in 0..9 {
            assert_eq!(row(fill, Region::new(x, 0, 1, 1)), [expected[x as usize]], "alone, {x}");
        }
    }
}
