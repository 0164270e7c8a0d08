//! Camera raw files: known by their content, developed into sRGB of 16 bits.
//!
//! Formats, demosaicing and the colours of cameras are the crate `rawler`'s. The developing is neutral: the camera's own white
//! balance and nothing else, no tone curve and no sharpening, so that what is measured and enlarged is what the sensor saw.

use std::panic::{AssertUnwindSafe, catch_unwind};
use std::path::Path;

use image::metadata::Orientation;
use image::{DynamicImage, ImageBuffer};
use rawler::RawlerError;
use rawler::decoders::RawDecodeParams;
use rawler::formats::tiff::GenericTiffReader;
use rawler::formats::tiff::reader::TiffReader;
use rawler::imgop::develop::{Intermediate, RawDevelop};
use rawler::rawsource::RawSource;
use rawler::tags::{DngTag, TiffCommonTag};

use super::CodecError;
use crate::limits::Limits;
use crate::picture::Size;

/// Values of a TIFF's PhotometricInterpretation that say raw: one colour a pixel, or linear (DNG specification 1.7, chapter 4).
const RAW_PHOTOMETRIC: [u32; 2] = [32_803, 34_892];

/// A file that holds what a sensor saw.
pub(super) struct RawFile {
    source: RawSource,
    /// "DNG" or "Camera raw".
    pub format: &'static str,
}

/// What came of it.
pub(super) struct Developed {
    /// sRGB, 16 bits, as the sensor lay.
    pub picture: DynamicImage,
    /// How to turn it.
    pub orientation: Orientation,
    /// Maker and model.
    pub camera: Option<String>,
    /// ISO sensitivity.
    pub iso: Option<u32>,
    /// When it was taken, as the camera wrote it.
    pub taken: Option<String>,
}

impl RawFile {
    /// The file, if it is one of a kind that is known; `is_tiff` where it begins as a TIFF, which most of them do.
    pub fn open(path: &Path, is_tiff: bool) -> Result<Option<Self>, CodecError> {
        let source = RawSource::new(path)?;
        // The parsers may trip over bytes that are no such file at all.
        let format = catch_unwind(AssertUnwindSafe(|| match is_tiff {
            true => raw_tiff(&source),
            false => rawler::get_decoder(&source).is_ok().then_some("Camera raw"),
        }));
        Ok(format.ok().flatten().map(|format| Self { source, format }))
    }

    /// Decodes and develops it; limits are checked before any pixel is decoded.
    pub fn develop(&self, limits: &Limits) -> Result<Developed, CodecError> {
        let decoder = rawler::get_decoder(&self.source).map_err(refusal)?;
        let which = RawDecodeParams::default();
        let announced = decoder.raw_image(&self.source, &which, true).map_err(refusal)?;
        let side = |px: usize| u32::try_from(px).unwrap_or(u32::MAX);
        limits.check_input(Size::new(side(announced.width), side(announced.height)))?;
        let raw = decoder.raw_image(&self.source, &which, false).map_err(refusal)?;
        let picture = sixteen_bits(RawDevelop::default().develop_intermediate(&raw).map_err(refusal)?)?;
        let told = decoder.raw_metadata(&self.source, &which).ok();
        let exif = told.as_ref().map(|told| &told.exif);
        let camera = format!("{} {}", raw.clean_make, raw.clean_model).trim().to_owned();
        Ok(Developed {
            picture,
            orientation: u8::try_from(raw.orientation.to_u16())
                .ok()
                .and_then(Orientation::from_exif)
                .unwrap_or(Orientation::NoTransforms),
            camera: (!camera.is_empty()).then_some(camera),
            iso: exif.and_then(|e| e.iso_speed.or(e.iso_speed_ratings.map(u32::from))).filter(|iso| *iso > 0),
            taken: exif.and_then(|e| e.date_time_original.clone()),
        })
    }
}

/// What kind of raw a TIFF is; nothing for one that holds a finished picture, whatever camera it came from.
fn raw_tiff(source: &RawSource) -> Option<&'static str> {
    const AT_EIGHT: &[u8] = b"CR";
    if source.buf().get(8..10) == Some(AT_EIGHT) {
        return Some("Camera raw");
    }
    let tiff = GenericTiffReader::new(&mut source.reader(), 0, 0, None, &[]).ok()?;
    let holds_raw = tiff.find_ifds_with_tag(TiffCommonTag::PhotometricInt).iter().any(|directory| {
        directory
            .get_entry(TiffCommonTag::PhotometricInt)
            .is_some_and(|entry| entry.count() > 0 && RAW_PHOTOMETRIC.contains(&entry.force_u32(0)))
    });
    match holds_raw {
        true if tiff.has_entry(DngTag::DNGVersion) => Some("DNG"),
        true => Some("Camera raw"),
        false => None,
    }
}

fn sixteen_bits(developed: Intermediate) -> Result<DynamicImage, CodecError> {
    let sample = |value: f32| (value.clamp(0.0, 1.0) * f32::from(u16::MAX) + 0.5) as u16;
    let (size, picture) = match developed {
        Intermediate::Monochrome(grey) => {
            let samples = grey.data.iter().map(|v| sample(*v)).collect();
            let side = (grey.width as u32, grey.height as u32);
            (side, ImageBuffer::from_raw(side.0, side.1, samples).map(DynamicImage::ImageLuma16))
        }
        Intermediate::ThreeColor(colour) => {
            let samples = colour.data.iter().flatten().map(|v| sample(*v)).collect();
            let side = (colour.width as u32, colour.height as u32);
            (side, ImageBuffer::from_raw(side.0, side.1, samples).map(DynamicImage::ImageRgb16))
        }
        Intermediate::FourColor(_) => {
            return Err(CodecError::Unsupported("a raw file of a sensor with four colours".to_owned()));
        }
    };
    let whole = picture.filter(|_| size.0 > 0 && size.1 > 0);
    whole.ok_or_else(|| CodecError::Damaged("it has no pixels".to_owned()))
}

/// What the crate's complaint means to the person.
fn refusal(error: RawlerError) -> CodecError {
    match error {
        RawlerError::Unsupported { what, model, make, .. } => {
            let camera = format!("{make} {model}");
            CodecError::Unsupported(format!("a raw file of the camera {} ({what}); convert it to DNG", camera.trim()))
        }
        RawlerError::DecoderFailed(reason)
            if reason.contains("fill whole buffer") || reason.contains("end of file") =>
        {
            CodecError::Truncated
        }
        RawlerError::DecoderFailed(reason) => CodecError::Damaged(reason),
    }
}
