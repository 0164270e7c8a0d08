//! Camera raw files: known by their content, developed into sRGB of 16 bits.
//!
//! Formats and the colours of cameras are the crate `rawler`'s. The developing is neutral: the camera's own white
//! balance and nothing else, no tone curve and no sharpening, so that what is measured and enlarged is what the sensor saw.

use std::io::{Read, Seek};
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::sync::Arc;

use dettaglio_domain::geometry::Size;
use dettaglio_domain::limits::Limits;
use image::DynamicImage;
use image::metadata::Orientation;
use rawler::decoders::{RawDecodeParams, RawMetadata};
use rawler::rawimage::RawImage;
use rawler::rawsource::RawSource;

use super::announce::{Announce, Memory};
use super::container::TiffFacts;
use super::develop;
use super::error::{CodecError, raw_refusal};

/// Memory that developing takes a pixel: the mosaic in two depths, three colours as numbers four times over, and the result.
const BYTES_OF_PIXEL: u64 = 60;

/// Three channels of 16 bits.
const OPEN_BYTES_OF_PIXEL: u64 = 6;

/// A file that holds what a sensor saw.
pub(super) struct RawFile {
    source: RawSource,
    /// "DNG" or "Camera raw".
    pub format: &'static str,
}

/// What a sensor saw, not developed yet, and what the file says besides.
pub(super) struct Sensor {
    /// The mosaic.
    pub raw: RawImage,
    /// Exposure, lens and time.
    pub metadata: Option<RawMetadata>,
}

impl RawFile {
    /// The file, if it is one of a kind that is known; `directories` is what those of a TIFF tell, which most of them are.
    ///
    /// A TIFF with a finished picture is none, whatever camera it came from.
    pub fn open(file: &mut (impl Read + Seek), directories: Option<TiffFacts>) -> Result<Option<Self>, CodecError> {
        if directories.is_some_and(|facts| !facts.holds_raw) && !marked_at_eight(file)? {
            return Ok(None);
        }
        if takes_memory_unasked(file)? {
            return Ok(None);
        }
        file.rewind()?;
        let mut bytes = Vec::new();
        file.read_to_end(&mut bytes)?;
        let source = RawSource::new_from_shared_vec(Arc::new(bytes));
        let format = match directories {
            Some(facts) if facts.is_dng => Some("DNG"),
            Some(_) => Some("Camera raw"),
            // The parsers may trip over bytes that are no such file at all.
            None => catch_unwind(AssertUnwindSafe(|| rawler::get_decoder(&source).is_ok().then_some("Camera raw")))
                .ok()
                .flatten(),
        };
        Ok(format.map(|format| Self { source, format }))
    }

    /// Decodes it; limits are checked, and its size `announced`, before any pixel is.
    pub fn sensor(&self, limits: &Limits, announced: &mut Announce) -> Result<Sensor, CodecError> {
        let decoder = rawler::get_decoder(&self.source).map_err(raw_refusal)?;
        let which = RawDecodeParams::default();
        let head = decoder.raw_image(&self.source, &which, true).map_err(raw_refusal)?;
        let side = |px: usize| u32::try_from(px).unwrap_or(u32::MAX);
        let size = Size::new(side(head.width), side(head.height));
        limits.check_input(size)?;
        announced(size, Memory { decoding: size.area() * BYTES_OF_PIXEL, open: size.area() * OPEN_BYTES_OF_PIXEL })?;
        let raw = decoder.raw_image(&self.source, &which, false).map_err(raw_refusal)?;
        Ok(Sensor { raw, metadata: decoder.raw_metadata(&self.source, &which).ok() })
    }
}

impl Sensor {
    /// sRGB, 16 bits, as the sensor lay.
    pub fn developed(&self) -> Result<DynamicImage, CodecError> {
        develop::developed(&self.raw)
    }

    /// How to turn it.
    pub fn orientation(&self) -> Orientation {
        let number = u8::try_from(self.raw.orientation.to_u16()).ok();
        number.and_then(Orientation::from_exif).unwrap_or(Orientation::NoTransforms)
    }

    /// Maker and model.
    pub fn camera(&self) -> Option<String> {
        let camera = format!("{} {}", self.raw.clean_make, self.raw.clean_model).trim().to_owned();
        (!camera.is_empty()).then_some(camera)
    }

    /// ISO sensitivity.
    pub fn iso(&self) -> Option<u32> {
        let exif = &self.metadata.as_ref()?.exif;
        exif.iso_speed.or(exif.iso_speed_ratings.map(u32::from)).filter(|iso| *iso > 0)
    }

    /// When it was taken, as the camera wrote it.
    pub fn taken(&self) -> Option<String> {
        self.metadata.as_ref()?.exif.date_time_original.clone()
    }
}

/// Whether it begins as files of a camera do whose decoder takes memory for the size that they announce before it can be asked what
/// that is. They hold at most 640 x 480 px, and are from before 1996.
fn takes_memory_unasked(file: &mut (impl Read + Seek)) -> std::io::Result<bool> {
    let mut head = [0; 3];
    file.rewind()?;
    Ok(file.read_exact(&mut head).is_ok() && head == *b"qkt")
}

/// Whether it is a raw file that says so at its ninth byte and describes its pixels in no directory.
fn marked_at_eight(file: &mut (impl Read + Seek)) -> std::io::Result<bool> {
    let mut head = [0; 10];
    file.rewind()?;
    Ok(file.read_exact(&mut head).is_ok() && head[8..] == *b"CR")
}
