//! Pixels: sizes, regions, floating-point planes, and the decoded original.

use std::fmt;
use std::sync::Arc;

use serde::{Deserialize, Serialize};

use crate::codec::Metadata;
use crate::colour::ColourProfile;
use crate::hash::ContentHash;

/// Width and height in pixels, both at least 1 wherever a picture has been decoded or planned.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Size {
    /// Pixels from left to right.
    pub width: u32,
    /// Pixels from top to bottom.
    pub height: u32,
}

impl Size {
    /// A size from its two sides.
    pub const fn new(width: u32, height: u32) -> Self {
        Self { width, height }
    }

    /// How many pixels there are.
    pub fn area(self) -> u64 {
        u64::from(self.width) * u64::from(self.height)
    }

    /// Millions of pixels.
    pub fn megapixels(self) -> f64 {
        self.area() as f64 / 1e6
    }

    /// The longer side.
    pub fn long_edge(self) -> u32 {
        self.width.max(self.height)
    }

    /// The shorter side.
    pub fn short_edge(self) -> u32 {
        self.width.min(self.height)
    }

    /// The whole of a picture of this size.
    pub fn whole(self) -> Region {
        Region::new(0, 0, self.width, self.height)
    }

    /// Both sides times a whole number.
    pub fn times(self, factor: u32) -> Self {
        Self::new(self.width * factor, self.height * factor)
    }
}

impl fmt::Display for Size {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{} x {} px", self.width, self.height)
    }
}

/// A rectangle of pixels inside a picture.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Region {
    /// First column.
    pub x: u32,
    /// First row.
    pub y: u32,
    /// Columns.
    pub width: u32,
    /// Rows.
    pub height: u32,
}

impl Region {
    /// A rectangle from its corner and sides.
    pub const fn new(x: u32, y: u32, width: u32, height: u32) -> Self {
        Self { x, y, width, height }
    }

    /// Its two sides.
    pub fn size(self) -> Size {
        Size::new(self.width, self.height)
    }

    /// One past the last column.
    pub fn right(self) -> u32 {
        self.x + self.width
    }

    /// One past the last row.
    pub fn bottom(self) -> u32 {
        self.y + self.height
    }

    /// Its middle, of this side at most.
    pub fn middle(self, side: u32) -> Self {
        let (width, height) = (self.width.min(side), self.height.min(side));
        Self::new(self.x + (self.width - width) / 2, self.y + (self.height - height) / 2, width, height)
    }

    /// Squares of `side` px, less where the picture is smaller, spread evenly over a picture without overlapping, row by row: at most
    /// `most` of them. `settled` rounds the place of a corner, in pixels, to the nearest whole one or to one before it.
    pub fn spread(size: Size, side: u32, most: u32, settled: impl Fn(f64) -> u32) -> Vec<Self> {
        let (width, height) = (size.width.min(side), size.height.min(side));
        let (across, down) = (f64::from(size.width / width), f64::from(size.height / height));
        let too_many = (across * down / f64::from(most)).sqrt().max(1.0);
        let fewer = |count: f64| ((count / too_many) as u32).max(1);
        let (across, down) = (fewer(across), fewer(down));
        let place = |i: u32, count: u32, spare: u32| match count {
            1 => settled((f64::from(spare) / 2.0).floor()),
            _ => settled(f64::from(spare) * f64::from(i) / f64::from(count - 1)),
        };
        let at = |row, column| {
            let (x, y) = (place(column, across, size.width - width), place(row, down, size.height - height));
            Self::new(x, y, width, height)
        };
        (0..down).flat_map(|row| (0..across).map(move |column| (row, column))).map(|(r, c)| at(r, c)).collect()
    }

    /// What of it lies inside a picture of this size; nothing if that is empty.
    pub fn within(self, size: Size) -> Option<Self> {
        let right = (u64::from(self.x) + u64::from(self.width)).min(size.width.into()) as u32;
        let bottom = (u64::from(self.y) + u64::from(self.height)).min(size.height.into()) as u32;
        (self.x < right && self.y < bottom).then(|| Self::new(self.x, self.y, right - self.x, bottom - self.y))
    }

    /// The part that two rectangles share; nothing if there is none.
    pub fn intersection(self, other: Self) -> Option<Self> {
        let (x, y) = (self.x.max(other.x), self.y.max(other.y));
        let (right, bottom) = (self.right().min(other.right()), self.bottom().min(other.bottom()));
        (x < right && y < bottom).then(|| Self::new(x, y, right - x, bottom - y))
    }

    /// The rectangle in a picture `factor` times as large.
    pub fn times(self, factor: u32) -> Self {
        Self::new(self.x * factor, self.y * factor, self.width * factor, self.height * factor)
    }
}

/// Three planes of f32, R then G then B, each row-major: shape (3, height, width).
///
/// Encoded values (not linear light), 0 for black and 1 for white.
#[derive(Clone, Debug, PartialEq)]
pub struct Planes {
    size: Size,
    values: Vec<f32>,
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

    /// Copies `from` of another picture to (`x`, `y`) of this one.
    pub fn paste(&mut self, source: &Planes, from: Region, x: u32, y: u32) {
        let columns = from.x as usize..from.right() as usize;
        for channel in 0..3 {
            for row in 0..from.height {
                let pixels = &source.row(channel, from.y + row)[columns.clone()];
                self.row_mut(channel, y + row)[x as usize..x as usize + pixels.len()].copy_from_slice(pixels);
            }
        }
    }

    /// A part of it, copied.
    pub fn cut(&self, region: Region) -> Self {
        let mut part = Self::black(region.size());
        part.paste(self, region, 0, 0);
        part
    }

    /// ITU-R BT.601 luminance of every pixel, 0..1, shape (height, width).
    pub fn luminance(&self) -> Vec<f32> {
        let (r, (g, b)) = (self.plane(0), (self.plane(1), self.plane(2)));
        r.iter().zip(g.iter().zip(b)).map(|(r, (g, b))| 0.299 * r + 0.587 * g + 0.114 * b).collect()
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

/// Bits per channel of a file.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(try_from = "u8", into = "u8")]
pub enum Depth {
    /// 256 levels.
    Eight,
    /// 65 536 levels.
    Sixteen,
}

impl Depth {
    /// 8 or 16.
    pub fn bits(self) -> u8 {
        match self {
            Depth::Eight => 8,
            Depth::Sixteen => 16,
        }
    }
}

impl From<Depth> for u8 {
    fn from(depth: Depth) -> u8 {
        depth.bits()
    }
}

impl TryFrom<u8> for Depth {
    type Error = String;

    fn try_from(bits: u8) -> Result<Self, String> {
        match bits {
            8 => Ok(Depth::Eight),
            16 => Ok(Depth::Sixteen),
            other => Err(format!("{other} bits per channel: expected 8 or 16")),
        }
    }
}

/// Whether a file has one channel or three.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum Channels {
    /// One channel: black to white.
    Grey,
    /// Red, green and blue.
    Colour,
}

impl Channels {
    /// 1 or 3.
    pub fn count(self) -> usize {
        match self {
            Channels::Grey => 1,
            Channels::Colour => 3,
        }
    }
}

/// Samples as the file had them, channels interleaved, row-major.
#[derive(Clone, Debug, PartialEq)]
pub enum Samples {
    /// 8 bits per channel.
    Eight(Vec<u8>),
    /// 16 bits per channel.
    Sixteen(Vec<u16>),
}

impl Samples {
    /// Bits per channel.
    pub fn depth(&self) -> Depth {
        match self {
            Samples::Eight(_) => Depth::Eight,
            Samples::Sixteen(_) => Depth::Sixteen,
        }
    }
}

/// A decoded original: upright, in its own depth and profile, never changed.
#[derive(Debug)]
pub struct Original {
    hash: ContentHash,
    size: Size,
    channels: Channels,
    samples: Samples,
    profile: Option<Arc<ColourProfile>>,
    metadata: Option<Arc<Metadata>>,
}

impl Original {
    /// From interleaved samples.
    ///
    /// `hash` names the content: two originals with the same hash must hold the same pixels.
    ///
    /// # Panics
    /// When the number of samples is not width x height x channels.
    pub fn new(
        hash: ContentHash,
        size: Size,
        channels: Channels,
        samples: Samples,
        profile: Option<ColourProfile>,
    ) -> Self {
        let count = match &samples {
            Samples::Eight(values) => values.len(),
            Samples::Sixteen(values) => values.len(),
        };
        assert_eq!(count as u64, size.area() * channels.count() as u64, "samples of {size}");
        Self { hash, size, channels, samples, profile: profile.map(Arc::new), metadata: None }
    }

    /// With what its file says about itself, to be carried over into results.
    pub fn with_metadata(self, metadata: Metadata) -> Self {
        Self { metadata: Some(Arc::new(metadata)), ..self }
    }

    /// From floating-point planes, rounded to 16 bits: for tests and generated pictures.
    pub fn from_planes(planes: &Planes) -> Self {
        let size = planes.size();
        let area = size.area() as usize;
        let values = planes.values();
        let samples: Vec<u16> =
            (0..3 * area).map(|i| (values[i % 3 * area + i / 3].clamp(0.0, 1.0) * 65535.0).round() as u16).collect();
        let bytes: Vec<u8> = samples.iter().flat_map(|s| s.to_le_bytes()).collect();
        let hash = ContentHash::of_step(&ContentHash::of(&bytes), &size);
        Self::new(hash, size, Channels::Colour, Samples::Sixteen(samples), None)
    }

    /// The content hash of the file it came from.
    pub fn hash(&self) -> ContentHash {
        self.hash
    }

    /// Upright width and height.
    pub fn size(&self) -> Size {
        self.size
    }

    /// One channel or three.
    pub fn channels(&self) -> Channels {
        self.channels
    }

    /// Bits per channel.
    pub fn depth(&self) -> Depth {
        self.samples.depth()
    }

    /// What its file says about itself.
    pub fn metadata(&self) -> Option<&Arc<Metadata>> {
        self.metadata.as_ref()
    }

    /// The embedded colour profile, if there was one.
    pub fn profile(&self) -> Option<&Arc<ColourProfile>> {
        self.profile.as_ref()
    }

    /// The samples as they were in the file, upright.
    pub fn samples(&self) -> &Samples {
        &self.samples
    }

    /// A region as planes of encoded RGB in [0, 1].
    ///
    /// The region must lie inside the picture.
    pub fn region(&self, region: Region) -> Planes {
        match &self.samples {
            Samples::Eight(samples) => self.gather(samples, region, |v| f32::from(v) / 255.0),
            Samples::Sixteen(samples) => self.gather(samples, region, |v| f32::from(v) / 65535.0),
        }
    }

    fn gather<T: Copy>(&self, samples: &[T], region: Region, value: impl Fn(T) -> f32) -> Planes {
        let mut planes = Planes::black(region.size());
        let count = self.channels.count();
        for y in 0..region.height {
            let start = ((region.y + y) as usize * self.size.width as usize + region.x as usize) * count;
            let row = &samples[start..start + region.width as usize * count];
            for channel in 0..3 {
                let line = planes.row_mut(channel, y);
                let offset = channel.min(count - 1);
                for (out, pixel) in line.iter_mut().zip(row.chunks_exact(count)) {
                    *out = value(pixel[offset]);
                }
            }
        }
        planes
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case(Region::new(0, 0, 10, 10), Some(Region::new(0, 0, 8, 6)))]
    #[case(Region::new(7, 5, 4, 4), Some(Region::new(7, 5, 1, 1)))]
    #[case(Region::new(8, 0, 1, 1), None)]
    #[case(Region::new(3, 3, u32::MAX, u32::MAX), Some(Region::new(3, 3, 5, 3)))]
    fn a_region_is_cut_to_the_picture(#[case] region: Region, #[case] expected: Option<Region>) {
        assert_eq!(region.within(Size::new(8, 6)), expected);
    }

    #[test]
    fn a_grey_original_fills_all_three_planes() {
        let samples = Samples::Eight(vec![0, 51, 102, 255]);
        let grey = Original::new(ContentHash::of(b"grey"), Size::new(2, 2), Channels::Grey, samples, None);
        let planes = grey.region(Region::new(1, 0, 1, 2));
        assert_eq!(planes.values(), &[0.2, 1.0, 0.2, 1.0, 0.2, 1.0]);
    }

    #[test]
    fn paste_and_cut_are_inverse() {
        let size = Size::new(5, 4);
        let planes = Planes::from_values(size, (0..60).map(|v| v as f32).collect());
        let region = Region::new(1, 2, 3, 2);
        let part = planes.cut(region);
        let mut copy = planes.clone();
        copy.paste(&Planes::black(size), size.whole(), 0, 0);
        copy.paste(&part, part.size().whole(), region.x, region.y);
        assert_eq!(copy.cut(region), part);
        assert_eq!(copy.row(2, 0), &[0.0; 5]);
    }
}
