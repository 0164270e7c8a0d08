//! Raw in, raw out: a camera's own colours are enlarged before anything is decided about them, and written as a linear DNG.
//!
//! The mosaic is made into three colours and nothing else: no white balance, no matrix, no tone curve. For the networks, which know finished
//! photographs, the colours are balanced and encoded, reversibly ([`Balance`]); the result goes back the same way, and is
//! written with the camera's matrices and white balance beside it (Digital Negative Specification 1.4).

use std::collections::HashMap;
use std::fs::File;
use std::io::{BufReader, BufWriter, Seek, Write};
use std::path::Path;

use dettaglio_domain::file::{Channels, Depth};
use dettaglio_domain::geometry::Size;
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::limits::Limits;
use image::{DynamicImage, ImageBuffer, Rgb};
use rawler::decoders::{Camera, Orientation as SensorOrientation, RawMetadata};
use rawler::dng::writer::DngWriter;
use rawler::dng::{CropMode, DNG_VERSION_V1_4, DngCompression, DngPhotometricConversion};
use rawler::imgop::develop::{Intermediate, ProcessingStep};
use rawler::imgop::xyz::Illuminant;
use rawler::rawimage::{BlackLevel, RawImage, RawImageData, RawPhotometricInterpretation, WhiteLevel};
use rawler::tags::{ExifTag, TiffCommonTag};
use serde::{Deserialize, Serialize};

use super::announce::Announce;
use super::demosaic::{demosaiced, gains_of, stepped};
use super::develop::developed;
use super::error::CodecError;
use super::history::History;
use super::raw::Sensor;
use super::read::{Checked, Decoded, caught, checked, upright};
use super::write::{SOFTWARE, interleave, place, unfinished};
use crate::colour::{encode, linearise};
use crate::picture::{Planes, Samples};

/// The longer side of the small picture in the file, in pixels.
const PREVIEW: u32 = 1024;

/// Of that picture's JPEG, 0 to 1.
const PREVIEW_QUALITY: f32 = 0.8;

/// A raw file in its camera's own colours.
#[derive(Debug)]
pub struct CameraPicture {
    /// Upright, balanced and encoded by [`Balance`]; and the facts about the file.
    pub decoded: Decoded,
    /// What its file says of the camera.
    pub colours: CameraColours,
}

/// What a raw file says of its camera that a DNG repeats.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct CameraColours {
    make: String,
    model: String,
    balance: Balance,
    /// From CIE XYZ to the camera's colours, row by row, by the light they hold for (EXIF's numbers): one or two.
    matrices: Vec<(u16, Vec<f32>)>,
    /// Exposure, lens and time.
    metadata: RawMetadata,
}

/// How a camera's colours are encoded for networks, and back.
///
/// Linear values are balanced, so that grey is grey; up to what all three colours can hold they are encoded as sRGB over the lower
/// [`Balance::KNEE`] of the range, and what a single colour holds beyond that by its logarithm over the rest.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
struct Balance {
    /// What each colour is multiplied by, at least 1.
    gains: [f32; 3],
}

impl Balance {
    const KNEE: f32 = 0.92;

    fn of(coefficients: [f32; 4]) -> Self {
        Self { gains: gains_of(coefficients) }
    }

    fn most(&self) -> f32 {
        self.gains.into_iter().fold(1.0, f32::max)
    }

    /// A linear value of a channel, 0 to 1, as networks see it, 0 to 1.
    fn encoded(&self, channel: usize, linear: f32) -> f32 {
        let light = linear.clamp(0.0, 1.0) * self.gains[channel];
        if light <= 1.0 {
            return Self::KNEE * encode(light);
        }
        Self::KNEE + (1.0 - Self::KNEE) * light.ln() / self.most().ln()
    }

    /// The inverse of [`encoded`](Self::encoded).
    fn linear(&self, channel: usize, encoded: f32) -> f32 {
        let light = if encoded <= Self::KNEE {
            linearise(encoded.max(0.0) / Self::KNEE)
        } else {
            self.most().powf((encoded - Self::KNEE) / (1.0 - Self::KNEE))
        };
        (light / self.gains[channel]).clamp(0.0, 1.0)
    }
}

/// Reads a raw file in its camera's own colours, in this process.
///
/// # Errors
/// As [`read`](super::read); besides when it is no raw file, or says nothing of its camera's colours.
///
/// A file of a stranger's is read by [`Decoders`](super::Decoders).
pub fn read_camera(path: &Path, hash: ContentHash, limits: &Limits) -> Result<CameraPicture, CodecError> {
    read_camera_opened(File::open(path)?, hash, limits, &mut |_, _| Ok(()))
}

/// As [`read_camera`], a file that is open already; `announced` as for [`read_opened`](super::read::read_opened).
pub(super) fn read_camera_opened(
    file: File,
    hash: ContentHash,
    limits: &Limits,
    announced: &mut Announce,
) -> Result<CameraPicture, CodecError> {
    caught(|| read_inner(file, hash, limits, announced))
}

/// What a raw file of this content is known by in its camera's colours.
pub(super) fn hash_in_camera_colours(hash: ContentHash) -> ContentHash {
    ContentHash::of_step(&hash, &"camera colours 2")
}

fn read_inner(
    file: File,
    hash: ContentHash,
    limits: &Limits,
    announced: &mut Announce,
) -> Result<CameraPicture, CodecError> {
    let mut file = BufReader::with_capacity(1 << 16, file);
    let Checked { bytes, format, raw } = checked(&mut file, limits)?;
    let raw = raw.ok_or_else(|| match format {
        Some(_) => not_from("a finished picture, no raw file"),
        None => CodecError::NotAPicture,
    })?;
    let sensor = raw.sensor(limits, announced)?;
    if sensor.raw.color_matrix.is_empty() {
        return Err(not_from("a raw file that says nothing of its camera's colours"));
    }
    let Intermediate::ThreeColor(linear) = stepped(&demosaiced(&sensor.raw)?, &[ProcessingStep::CropDefault])? else {
        return Err(not_from("a raw file whose sensor does not see three colours"));
    };
    let balance = Balance::of(sensor.raw.wb_coeffs);
    let samples: Vec<u16> = linear
        .data
        .iter()
        .flat_map(|pixel| [0, 1, 2].map(|c| (balance.encoded(c, pixel[c]) * 65535.0 + 0.5) as u16))
        .collect();
    let picture: ImageBuffer<Rgb<u16>, _> = ImageBuffer::from_raw(linear.width as u32, linear.height as u32, samples)
        .ok_or_else(|| CodecError::Damaged("it has no pixels".to_owned()))?;
    let picture = DynamicImage::ImageRgb16(picture);
    let decoded = upright(picture, hash_in_camera_colours(hash), &raw, &sensor, &mut file, bytes)?;
    let Sensor { raw, metadata } = sensor;
    let metadata = metadata.ok_or_else(|| not_from("a raw file that says nothing of how it was taken"))?;
    let matrices = two_lights(raw.color_matrix);
    let colours = CameraColours { make: raw.clean_make, model: raw.clean_model, balance, matrices, metadata };
    Ok(CameraPicture { decoded, colours })
}

/// A camera's matrices for two lights at most, as a DNG has room for: lamplight, and what comes nearest to daylight.
fn two_lights(matrices: HashMap<Illuminant, Vec<f32>>) -> Vec<(u16, Vec<f32>)> {
    const BY_DAYLIGHT: [Illuminant; 6] = [
        Illuminant::D65,
        Illuminant::Daylight,
        Illuminant::D55,
        Illuminant::D50,
        Illuminant::FineWeather,
        Illuminant::D75,
    ];
    let rank = |light: Illuminant| BY_DAYLIGHT.iter().position(|known| *known == light).unwrap_or(BY_DAYLIGHT.len());
    let mut all: Vec<(Illuminant, Vec<f32>)> = matrices.into_iter().collect();
    all.sort_by_key(|(light, _)| (*light != Illuminant::A, rank(*light), *light));
    let most = if all.first().is_some_and(|(light, _)| *light == Illuminant::A) { 2 } else { 1 };
    all.truncate(most);
    all.into_iter().map(|(light, matrix)| (light.into(), matrix)).collect()
}

fn not_from(what: &str) -> CodecError {
    CodecError::Unsupported(format!("{what}: a DNG is written from a camera's raw file alone; choose another format"))
}

/// A result in a camera's colours, on its way into a file.
pub struct LinearWriter<'a> {
    colours: &'a CameraColours,
    size: Size,
    samples: Vec<u16>,
}

impl<'a> LinearWriter<'a> {
    /// For a result of `size`, which is within the limits of its format
    /// ([`Limits::check_output`](dettaglio_domain::limits::Limits::check_output)).
    pub fn new(colours: &'a CameraColours, size: Size) -> Self {
        Self { colours, size, samples: Vec::with_capacity(3 * size.area() as usize) }
    }

    /// Adds the next rows, over the full width: encoded as the camera's picture was.
    pub fn write(&mut self, band: &Planes) {
        let area = band.size().area() as usize;
        let balance = self.colours.balance;
        let linear = band.values().iter().enumerate().map(|(i, v)| balance.linear(i / area, *v)).collect();
        match interleave(&Planes::from_values(band.size(), linear), Channels::Colour, Depth::Sixteen) {
            Samples::Sixteen(samples) => self.samples.extend(samples),
            Samples::Eight(_) => unreachable!("sixteen bits were asked for"),
        }
    }

    /// Writes the file, which appears only when it is whole.
    pub fn finish(self, path: &Path, history: &History) -> Result<(), CodecError> {
        let Self { colours, size, samples } = self;
        assert_eq!(samples.len() as u64, 3 * size.area(), "all rows of the picture");
        let small = preview(colours, size, &samples)?;
        let raw = colours.image(size, samples);
        let mut out = BufWriter::with_capacity(1 << 20, unfinished(path)?);
        written(&mut out, &raw, &colours.metadata, &small, history)
            .map_err(|error| CodecError::Encode(error.to_string()))?;
        place(out.into_inner().map_err(|e| e.into_error())?, path)
    }
}

/// The file: a thumbnail with all that is told of the picture, the picture, and a small one that is developed.
fn written(
    out: &mut (impl Write + Seek),
    raw: &RawImage,
    metadata: &RawMetadata,
    small: &DynamicImage,
    history: &History,
) -> rawler::dng::writer::Result<()> {
    let mut dng = DngWriter::new(out, DNG_VERSION_V1_4)?;
    dng.load_base_tags(raw)?;
    dng.load_metadata(metadata)?;
    dng.root_ifd_mut().add_tag(TiffCommonTag::Software, SOFTWARE);
    // It was turned upright.
    dng.root_ifd_mut().add_tag(ExifTag::Orientation, SensorOrientation::Normal.to_u16());
    dng.xpacket(history.added_to(None))?;
    dng.thumbnail(small)?;
    let mut frame = dng.subframe(0);
    frame.raw_image(raw, CropMode::None, DngCompression::Lossless, DngPhotometricConversion::Linear, 1)?;
    frame.finalize()?;
    let mut frame = dng.subframe(1);
    frame.preview(small, PREVIEW_QUALITY)?;
    frame.finalize()?;
    dng.close()
}

impl CameraColours {
    /// A picture in the camera's colours, linear, as it would have come from a sensor of that size.
    fn image(&self, size: Size, samples: Vec<u16>) -> RawImage {
        let Balance { gains: [red, green, blue] } = self.balance;
        let lights =
            self.matrices.iter().filter_map(|(light, matrix)| Some(((*light).try_into().ok()?, matrix.clone())));
        RawImage {
            camera: Camera::new(),
            make: self.make.clone(),
            model: self.model.clone(),
            clean_make: self.make.clone(),
            clean_model: self.model.clone(),
            xyz_to_cam: Default::default(),
            color_matrix: lights.collect(),
            dng_tags: HashMap::new(),
            width: size.width as usize,
            height: size.height as usize,
            cpp: 3,
            bps: 16,
            wb_coeffs: [red, green, blue, f32::NAN],
            whitelevel: WhiteLevel::new([u32::from(u16::MAX); 3]),
            blacklevel: BlackLevel::zero(1, 1, 3),
            photometric: RawPhotometricInterpretation::LinearRaw,
            active_area: None,
            crop_area: None,
            blackareas: Vec::new(),
            orientation: SensorOrientation::Normal,
            data: RawImageData::Integer(samples),
            fuji_rotation_width: None,
        }
    }
}

/// A small picture, developed: every so many pixels of the result.
fn preview(colours: &CameraColours, size: Size, samples: &[u16]) -> Result<DynamicImage, CodecError> {
    let step = size.long_edge().div_ceil(PREVIEW).max(1);
    let small = Size::new(size.width.div_ceil(step), size.height.div_ceil(step));
    let places = (0..small.height).flat_map(|y| (0..small.width).map(move |x| (x * step, y * step)));
    let picked = places.flat_map(|(x, y)| {
        let at = 3 * (y as usize * size.width as usize + x as usize);
        &samples[at..at + 3]
    });
    let raw = colours.image(small, picked.copied().collect());
    developed(&raw)
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    proptest! {
        #[test]
        fn what_is_encoded_comes_back(linear in 0.0_f32..=1.0, red in 0.4_f32..3.0, blue in 0.4_f32..3.0, channel in 0_usize..3) {
            let balance = Balance::of([red, 1.0, blue, f32::NAN]);
            let encoded = balance.encoded(channel, linear);
            prop_assert!((0.0..=1.0).contains(&encoded));
            let back = balance.linear(channel, (encoded * 65535.0).round() / 65535.0);
            prop_assert!((back - linear).abs() <= 2e-4 * linear + 2e-5, "{linear} -> {encoded} -> {back}");
        }
    }

    #[test]
    fn grey_is_grey_and_what_one_colour_holds_beyond_white_is_kept_apart() {
        let balance = Balance::of([2.0, 1.0, 1.6, f32::NAN]);
        let grey = [0.25, 0.5, 0.3125];
        let seen: Vec<f32> = (0..3).map(|c| balance.encoded(c, grey[c])).collect();
        assert!((seen[0] - seen[1]).abs() < 1e-5 && (seen[1] - seen[2]).abs() < 1e-5, "{seen:?}");
        assert!(balance.encoded(0, 0.6) > Balance::KNEE && balance.encoded(0, 0.9) > balance.encoded(0, 0.6));
        assert!(balance.encoded(1, 1.0) <= Balance::KNEE + 1e-6);
    }

    #[test]
    fn without_coefficients_nothing_is_balanced() {
        assert_eq!(Balance::of([f32::NAN; 4]).gains, [1.0; 3]);
        assert_eq!(Balance::of([0.0, 1.0, 1.0, 0.0]).gains, [1.0; 3]);
    }
}
