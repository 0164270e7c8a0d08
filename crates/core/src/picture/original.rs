//! The decoded original, in the samples of its file.

use std::sync::Arc;

use dettaglio_domain::affine::space;
use dettaglio_domain::file::{Channels, Depth};
use dettaglio_domain::geometry::{Region, Size};
use dettaglio_domain::hash::ContentHash;

use super::planes::Planes;
use crate::budget::Held;
use crate::colour::ColourProfile;
use crate::metadata::Metadata;

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
    /// The memory that it takes, where that is given out.
    _memory: Option<Held>,
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
        Self { hash, size, channels, samples, profile: profile.map(Arc::new), metadata: None, _memory: None }
    }

    /// With what its file says about itself, to be carried over into results.
    pub fn with_metadata(self, metadata: Metadata) -> Self {
        Self { metadata: Some(Arc::new(metadata)), ..self }
    }

    /// With its share of a budget of memory, which is given back when the picture is dropped.
    pub(crate) fn holding(self, memory: Held) -> Self {
        Self { _memory: Some(memory), ..self }
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

    /// What its samples take in memory.
    pub fn bytes(&self) -> u64 {
        self.size.area() * self.channels.count() as u64 * u64::from(self.depth().bits() / 8)
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

    /// Planes in this picture's colours as sRGB, such as a screen shows and figures are taken of.
    pub fn to_srgb(&self, planes: Planes) -> Planes {
        match &self.profile {
            Some(profile) => profile.to_srgb(&planes),
            None => planes,
        }
    }

    /// sRGB colours as this picture's own.
    pub fn of_srgb(&self, colours: &[[f32; 3]]) -> Vec<[f32; 3]> {
        match &self.profile {
            Some(profile) => profile.of_srgb(colours),
            None => colours.to_vec(),
        }
    }

    /// The samples as they were in the file, upright.
    pub fn samples(&self) -> &Samples {
        &self.samples
    }

    /// A region as planes of encoded RGB in [0, 1].
    ///
    /// The region must lie inside the picture.
    pub fn region(&self, region: Region<space::Original>) -> Planes {
        match &self.samples {
            Samples::Eight(samples) => self.gather(samples, region, |v| f32::from(v) / 255.0),
            Samples::Sixteen(samples) => self.gather(samples, region, |v| f32::from(v) / 65535.0),
        }
    }

    /// All of it, as [`region`](Self::region) gives parts of it.
    pub fn planes(&self) -> Planes {
        self.region(self.size.whole().seen_as())
    }

    fn gather<T: Copy>(&self, samples: &[T], region: Region<space::Original>, value: impl Fn(T) -> f32) -> Planes {
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
        let planes = grey.region(Region::of(1, 0, 1, 2));
        assert_eq!(planes.values(), &[0.2, 1.0, 0.2, 1.0, 0.2, 1.0]);
    }

    #[test]
    fn paste_and_cut_are_inverse() {
        let size = Size::new(5, 4);
        let planes = Planes::from_values(size, (0..60).map(|v| v as f32).collect());
        let region = Region::new(1, 2, 3, 2);
        let part = planes.cut(region);
        let mut copy = planes.clone();
        copy.paste(&Planes::black(size), 0, 0);
        copy.paste(&part, region.x, region.y);
        assert_eq!(copy.cut(region), part);
        assert!(copy.view(region).values().eq(part.values().iter().copied()));
        assert_eq!(copy.clone().into_part(region), part);
        assert_eq!(copy.row(2, 0), &[0.0; 5]);
    }
}
