//! Limits, declared here and checked before any work starts.

use serde::{Deserialize, Serialize};

use crate::file::{Depth, Facts, Format, OutputSettings};
use crate::geometry::Size;

/// What is accepted and what is produced at most.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Limits {
    /// Bytes of one file; default 1 GiB.
    pub file_bytes: u64,
    /// Pixels of one original; default 250 million.
    pub input_pixels: u64,
    /// Either side of one original; default 65,535.
    pub input_side: u32,
    /// Pixels of one result; default 2,000 million.
    pub output_pixels: u64,
}

impl Default for Limits {
    fn default() -> Self {
        Self { file_bytes: 1 << 30, input_pixels: 250_000_000, input_side: 65_535, output_pixels: 2_000_000_000 }
    }
}

/// Which limit was met, and what would be within it.
#[derive(Clone, Debug, PartialEq, thiserror::Error, Serialize, Deserialize)]
pub enum LimitError {
    /// The file is too large to be read.
    #[error("the file has {} MB, the limit is {} MB", bytes / 1_000_000, limit / 1_000_000)]
    FileBytes {
        /// Of the file.
        bytes: u64,
        /// Allowed.
        limit: u64,
    },
    /// The picture has too many pixels to be read.
    #[error("the picture has {size} ({:.0} megapixels); at most {:.0} megapixels and {side} px a side are read", size.megapixels(), *pixels as f64 / 1e6)]
    InputPixels {
        /// Of the picture.
        size: Size,
        /// Allowed pixels.
        pixels: u64,
        /// Allowed side.
        side: u32,
    },
    /// The format cannot hold a side as long as this.
    #[error(
        "{format} holds at most {limit} px a side and the result would have {size}: choose TIFF or PNG, or a long edge of {limit} px"
    )]
    FormatSide {
        /// The format asked for.
        format: Format,
        /// The result.
        size: Size,
        /// The longest side it can hold.
        limit: u32,
    },
    /// The result has more pixels than the product makes.
    #[error("the result would have {size} ({:.0} megapixels), the limit is {:.0}: choose a long edge of {nearest} px or less", size.megapixels(), *limit as f64 / 1e6)]
    OutputPixels {
        /// The result.
        size: Size,
        /// Allowed pixels.
        limit: u64,
        /// The longest edge of this shape that is within the limit.
        nearest: u32,
    },
    /// The disk cannot take the result.
    #[error("the result needs up to {} MB and the disk has {} MB free: free some space, or choose JPEG or a smaller print", needed / 1_000_000, free / 1_000_000)]
    DiskSpace {
        /// Bytes that it may take.
        needed: u64,
        /// Bytes that are there.
        free: u64,
    },
    /// The format has no such depth.
    #[error("{format} holds {} bits per channel only: choose TIFF or PNG for {}", only.bits(), asked.bits())]
    FormatDepth {
        /// The format asked for.
        format: Format,
        /// What it has.
        only: Depth,
        /// What was asked for.
        asked: Depth,
    },
    /// The format cannot hold as many pixels.
    #[error(
        "the result would have {size} ({:.0} megapixels) and {format} is written up to {:.0}: choose TIFF, or a smaller print",
        size.megapixels(),
        *limit as f64 / 1e6
    )]
    FormatPixels {
        /// The format asked for.
        format: Format,
        /// The result.
        size: Size,
        /// The most pixels.
        limit: u64,
    },
    /// The format is not written from such an original.
    #[error("{format} is written from a camera's raw file alone, and this is one of {original}: choose TIFF")]
    FormatOrigin {
        /// The format asked for.
        format: Format,
        /// The original's.
        original: String,
    },
}

impl Limits {
    /// Whether a file of `bytes` is read at all.
    pub fn check_file(&self, bytes: u64) -> Result<(), LimitError> {
        let limit = self.file_bytes;
        if bytes > limit { Err(LimitError::FileBytes { bytes, limit }) } else { Ok(()) }
    }

    /// Whether a picture of `size` is decoded.
    pub fn check_input(&self, size: Size) -> Result<(), LimitError> {
        if size.area() > self.input_pixels || size.long_edge() > self.input_side {
            return Err(LimitError::InputPixels { size, pixels: self.input_pixels, side: self.input_side });
        }
        Ok(())
    }

    /// Whether a result of `size` is made of an original, with these settings; `free` is what the disk has, where known.
    pub fn check_output(
        &self,
        original: &Facts,
        size: Size,
        settings: OutputSettings,
        free: Option<u64>,
    ) -> Result<(), LimitError> {
        let OutputSettings { format, depth, .. } = settings;
        if !original.can_become(format) {
            return Err(LimitError::FormatOrigin { format, original: original.format.clone() });
        }
        if !format.depths().contains(&depth) {
            return Err(LimitError::FormatDepth { format, only: format.nearest_depth(depth), asked: depth });
        }
        if size.long_edge() > format.longest_side() {
            return Err(LimitError::FormatSide { format, size, limit: format.longest_side() });
        }
        if let Some(limit) = format.most_pixels().filter(|most| size.area() > *most) {
            return Err(LimitError::FormatPixels { format, size, limit });
        }
        if size.area() > self.output_pixels {
            let shrink = (self.output_pixels as f64 / size.area() as f64).sqrt();
            let nearest = (f64::from(size.long_edge()) * shrink).floor() as u32;
            return Err(LimitError::OutputPixels { size, limit: self.output_pixels, nearest });
        }
        let needed = worst_bytes(size, format, depth);
        match free {
            Some(free) if needed > free => Err(LimitError::DiskSpace { needed, free }),
            _ => Ok(()),
        }
    }
}

/// Bytes that a result can take at worst: uncompressed, or four bits a sample as JPEG, and a margin.
/// The most bytes that a result's file can take.
pub fn worst_bytes(size: Size, format: Format, depth: Depth) -> u64 {
    let samples = size.area() * 3;
    let bytes = match format {
        Format::Jpeg => samples / 2,
        _ => samples * u64::from(depth.bits()) / 8,
    };
    bytes + bytes / 50 + 1_000_000
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::stand_in;
    use rstest::rstest;

    fn check(size: Size, format: Format, depth: Depth, free: Option<u64>) -> Result<(), LimitError> {
        let settings = OutputSettings { depth, ..OutputSettings::new(format) };
        Limits::default().check_output(&stand_in::facts(Size::new(96, 64)), size, settings, free)
    }

    #[rstest]
    #[case(Size::new(65_535, 10), Format::Jpeg, Depth::Eight, true)]
    #[case(Size::new(65_536, 10), Format::Jpeg, Depth::Eight, false)]
    #[case(Size::new(65_536, 10), Format::Tiff, Depth::Sixteen, true)]
    #[case(Size::new(1000, 1000), Format::Jpeg, Depth::Sixteen, false)]
    #[case(Size::new(50_000, 50_000), Format::Tiff, Depth::Eight, false)]
    fn results_are_checked_against_their_format(
        #[case] size: Size,
        #[case] format: Format,
        #[case] depth: Depth,
        #[case] fits: bool,
    ) {
        assert_eq!(check(size, format, depth, None).is_ok(), fits);
    }

    #[test]
    fn the_nearest_size_that_is_offered_is_accepted() {
        let size = Size::new(60_000, 40_000);
        let Err(LimitError::OutputPixels { nearest, .. }) = check(size, Format::Tiff, Depth::Eight, None) else {
            panic!("must be refused");
        };
        let offered = Size::new(nearest, (f64::from(nearest) / 1.5) as u32);
        assert!(check(offered, Format::Tiff, Depth::Eight, None).is_ok());
    }

    #[test]
    fn a_full_disk_is_noticed_before_the_work() {
        let refused = check(Size::new(4000, 3000), Format::Tiff, Depth::Sixteen, Some(1 << 20));
        assert!(matches!(refused, Err(LimitError::DiskSpace { .. })));
    }

    #[rstest]
    #[case("DNG", Size::new(6000, 4000), Depth::Sixteen, "")]
    #[case("Camera raw", Size::new(6000, 4000), Depth::Sixteen, "")]
    #[case("JPEG", Size::new(6000, 4000), Depth::Sixteen, "from a camera's raw file alone, and this is one of JPEG")]
    #[case("DNG", Size::new(6000, 4000), Depth::Eight, "DNG holds 16 bits per channel only")]
    #[case("DNG", Size::new(20_000, 15_000), Depth::Sixteen, "DNG is written up to 250")]
    fn a_dng_is_made_of_a_raw_file_alone(
        #[case] original: &str,
        #[case] size: Size,
        #[case] depth: Depth,
        #[case] refused: &str,
    ) {
        let facts = Facts { format: original.to_owned(), ..stand_in::facts(Size::new(96, 64)) };
        let settings = OutputSettings { depth, ..OutputSettings::new(Format::Dng) };
        let outcome = Limits::default().check_output(&facts, size, settings, None);
        let said = outcome.err().map(|error| error.to_string()).unwrap_or_default();
        assert!(said.contains(refused) && said.is_empty() == refused.is_empty(), "{said}");
    }
}
