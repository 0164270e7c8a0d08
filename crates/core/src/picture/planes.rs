//! Planes of floating-point RGB.

use dettaglio_domain::geometry::{Region, Size};
use rayon::prelude::*;

use crate::plane::LEAST;

/// Three planes of f32, R then G then B, each row-major: shape (3, height, width).
///
/// Encoded values (not linear light), 0 for black and 1 for white.
#[derive(Clone, Debug, PartialEq)]
pub struct Planes {
    size: Size,
    values: Vec<f32>,
}

/// How bright a colour is, of encoded values: BT.601.
pub(crate) fn luminance([r, g, b]: [f32; 3]) -> f32 {
    0.299 * r + 0.587 * g + 0.114 * b
}

impl Planes {
    /// All black.
    pub fn black(size: Size) -> Self {
        Self { size, values: vec![0.0; 3 * size.area() as usize] }
    }

    /// From values in (3, height, width) order.
    ///
    /// # Panics
    /// When their number is not 3 x height x width.
    pub fn from_values(size: Size, values: Vec<f32>) -> Self {
        assert_eq!(values.len() as u64, 3 * size.area(), "three planes of {size}");
        Self { size, values }
    }

    /// Width and height.
    pub fn size(&self) -> Size {
        self.size
    }

    /// All values, (3, height, width).
    pub fn values(&self) -> &[f32] {
        &self.values
    }

    /// All values, to be changed in place.
    pub fn values_mut(&mut self) -> &mut [f32] {
        &mut self.values
    }

    /// The values, given away.
    pub fn into_values(self) -> Vec<f32> {
        self.values
    }

    /// One of the three planes.
    pub fn plane(&self, channel: usize) -> &[f32] {
        let area = self.size.area() as usize;
        &self.values[channel * area..(channel + 1) * area]
    }

    /// The three planes, to be changed in place.
    pub fn planes_mut(&mut self) -> [&mut [f32]; 3] {
        let area = self.size.area() as usize;
        let (red, rest) = self.values.split_at_mut(area);
        let (green, blue) = rest.split_at_mut(area);
        [red, green, blue]
    }

    /// One row of one plane.
    pub fn row(&self, channel: usize, y: u32) -> &[f32] {
        let width = self.size.width as usize;
        &self.plane(channel)[y as usize * width..(y as usize + 1) * width]
    }

    /// One row of one plane, to be changed in place.
    pub fn row_mut(&mut self, channel: usize, y: u32) -> &mut [f32] {
        let (area, width) = (self.size.area() as usize, self.size.width as usize);
        let start = channel * area + y as usize * width;
        &mut self.values[start..start + width]
    }

    /// A part of it, not copied.
    pub fn view<S>(&self, region: Region<S>) -> View<'_> {
        View { planes: self, region: region.seen_as() }
    }

    /// Copies pixels of another picture to (`x`, `y`) of this one.
    pub fn paste<'a>(&mut self, source: impl Into<View<'a>>, x: u32, y: u32) {
        let source = source.into();
        for channel in 0..3 {
            for row in 0..source.size().height {
                let pixels = source.row(channel, row);
                self.row_mut(channel, y + row)[x as usize..x as usize + pixels.len()].copy_from_slice(pixels);
            }
        }
    }

    /// A part of it, copied.
    pub fn cut<S>(&self, region: Region<S>) -> Self {
        let mut part = Self::black(region.size());
        part.paste(self.view(region), 0, 0);
        part
    }

    /// A part of it, in the same memory.
    pub fn into_part<S>(mut self, region: Region<S>) -> Self {
        let (width, columns) = (self.size.width as usize, region.width as usize);
        let mut end = 0;
        for channel in 0..3 {
            for y in region.y..region.bottom() {
                let start = (channel * self.size.height as usize + y as usize) * width + region.x as usize;
                self.values.copy_within(start..start + columns, end);
                end += columns;
            }
        }
        self.values.truncate(end);
        Self { size: region.size(), values: self.values }
    }

    /// ITU-R BT.601 luminance of every pixel, 0..1, shape (height, width).
    pub fn luminance(&self) -> Vec<f32> {
        let (r, (g, b)) = (self.plane(0), (self.plane(1), self.plane(2)));
        let weighed = r.par_iter().zip(g.par_iter().zip(b)).with_min_len(LEAST);
        weighed.map(|(r, (g, b))| luminance([*r, *g, *b])).collect()
    }
}

/// A part of planes, not copied.
#[derive(Clone, Copy, Debug)]
pub struct View<'a> {
    planes: &'a Planes,
    region: Region,
}

impl<'a> View<'a> {
    /// Width and height.
    pub fn size(self) -> Size {
        self.region.size()
    }

    /// One row of one plane.
    pub fn row(self, channel: usize, y: u32) -> &'a [f32] {
        &self.planes.row(channel, self.region.y + y)[self.region.x as usize..self.region.right() as usize]
    }

    /// All values, (3, height, width).
    pub fn values(self) -> impl Iterator<Item = f32> + 'a {
        (0..3).flat_map(move |channel| (0..self.region.height).flat_map(move |y| self.row(channel, y).iter().copied()))
    }
}

impl<'a> From<&'a Planes> for View<'a> {
    fn from(planes: &'a Planes) -> Self {
        planes.view(planes.size.whole())
    }
}

impl Planes {
    /// With the sides filled up to whole multiples by repeating the right and lower edge; nothing when they are.
    pub fn filled_up(&self, multiple: u32) -> Option<Planes> {
        let size = self.size();
        let full = Size::new(size.width.next_multiple_of(multiple), size.height.next_multiple_of(multiple));
        (full != size).then(|| {
            let planes = (0..3).flat_map(|channel| fill_up(self.plane(channel), size, full)).collect();
            Planes::from_values(full, planes)
        })
    }
}

/// One plane of `size` filled up to `full` by repeating its last column and row.
pub fn fill_up(plane: &[f32], size: Size, full: Size) -> Vec<f32> {
    let width = size.width as usize;
    (0..full.height as usize)
        .flat_map(|y| {
            let row = &plane[y.min(size.height as usize - 1) * width..][..width];
            (0..full.width as usize).map(move |x| row[x.min(width - 1)])
        })
        .collect()
}
