//! Neutral developing: a sensor's linear colours into sRGB of 16 bits.
//!
//! The camera's own white balance and matrix, and nothing else. What a colour holds beyond white is cut off before the matrix, so that
//! blown light is white whatever its colours held; what lies outside sRGB after it is cut off channel by channel, so that nearly equal
//! colours stay nearly equal.

use image::{DynamicImage, ImageBuffer};
use rawler::imgop::chromatic_adaption::adapt_bradford;
use rawler::imgop::develop::{Intermediate, ProcessingStep};
use rawler::imgop::matrix::{multiply, normalize, pseudo_inverse, transform_1d};
use rawler::imgop::xyz::{Illuminant, SRGB_TO_XYZ_D65};
use rawler::rawimage::RawImage;
use rayon::prelude::*;

use super::demosaic::{Tone, demosaiced, stepped};
use super::error::CodecError;
use crate::colour::encode_fast;

/// What a sensor saw, developed, as it lay.
pub(super) fn developed(raw: &RawImage) -> Result<DynamicImage, CodecError> {
    use ProcessingStep::{Calibrate, CropDefault, SRgb, WhiteBalance};
    let colours = demosaiced(raw)?;
    match stepped(&colours, &[CropDefault])? {
        Intermediate::ThreeColor(linear) => {
            let to_srgb = ToSrgb::of(raw);
            let (width, height) = (linear.width, linear.height);
            let samples = linear.data.into_par_iter().flat_map_iter(|pixel| to_srgb.sixteen_bits(pixel)).collect();
            colour_picture(width, height, samples)
        }
        Intermediate::Monochrome(linear) => {
            let samples = linear.data.iter().map(|light| sixteen_bits(encode_fast(*light))).collect();
            let picture = ImageBuffer::from_raw(linear.width as u32, linear.height as u32, samples);
            whole(picture.map(DynamicImage::ImageLuma16))
        }
        // Of four colours the crate makes three as it gives them their matrix.
        Intermediate::FourColor(_) => match stepped(&colours, &[WhiteBalance, Calibrate, CropDefault, SRgb])? {
            Intermediate::ThreeColor(encoded) => {
                let samples = encoded.data.iter().flatten().map(|value| sixteen_bits(*value)).collect();
                colour_picture(encoded.width, encoded.height, samples)
            }
            _ => Err(CodecError::Unsupported("a raw file of a sensor with four colours".to_owned())),
        },
    }
}

fn colour_picture(width: usize, height: usize, samples: Vec<u16>) -> Result<DynamicImage, CodecError> {
    whole(ImageBuffer::from_raw(width as u32, height as u32, samples).map(DynamicImage::ImageRgb16))
}

fn whole(picture: Option<DynamicImage>) -> Result<DynamicImage, CodecError> {
    let picture = picture.filter(|picture| picture.width() > 0 && picture.height() > 0);
    picture.ok_or_else(|| CodecError::Damaged("it has no pixels".to_owned()))
}

fn sixteen_bits(encoded: f32) -> u16 {
    (encoded.clamp(0.0, 1.0) * f32::from(u16::MAX) + 0.5) as u16
}

/// From a camera's colours to sRGB.
struct ToSrgb {
    tone: Tone,
    /// From balanced to linear sRGB, row by row.
    matrix: [[f32; 3]; 3],
}

impl ToSrgb {
    fn of(raw: &RawImage) -> Self {
        let identity = [[1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, 1.0]];
        // A camera that tells nothing of its colours is taken for one that sees sRGB.
        let matrix = xyz_to_camera(raw)
            .map(|seen| pseudo_inverse(normalize(multiply(&seen, &SRGB_TO_XYZ_D65))))
            .filter(|matrix| matrix.iter().flatten().all(|value| value.is_finite()));
        Self { tone: Tone::of(raw), matrix: matrix.unwrap_or(identity) }
    }

    fn sixteen_bits(&self, linear: [f32; 3]) -> [u16; 3] {
        let balanced = self.tone.balanced(linear).map(|light| light.clamp(0.0, 1.0));
        self.matrix.map(|row| {
            let light = row[0] * balanced[0] + row[1] * balanced[1] + row[2] * balanced[2];
            sixteen_bits(encode_fast(light))
        })
    }
}

/// The camera's matrix for daylight, from CIE XYZ; of another light, adapted.
fn xyz_to_camera(raw: &RawImage) -> Option<[[f32; 3]; 3]> {
    use Illuminant::{A, B, C, D50, D55, D65, D75, Daylight, Flash};
    [D65, Daylight, D55, D50, D75, Flash, A, B, C].into_iter().find_map(|light| {
        let matrix = transform_1d::<3, 3>(raw.color_matrix.get(&light)?)?;
        Some(if light == D65 { matrix } else { adapt_bradford(&light, &D65, &matrix) })
    })
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    /// A camera that sees little red, and whose red spreads into the others.
    const CAMERA: ToSrgb = ToSrgb {
        tone: Tone { gains: [2.0, 1.0, 1.6] },
        matrix: [[1.6, -0.4, -0.2], [-0.2, 1.4, -0.2], [0.0, -0.5, 1.5]],
    };

    #[test]
    fn what_is_blown_is_white_and_grey_is_grey() {
        assert_eq!(CAMERA.sixteen_bits([1.0; 3]), [65_535; 3]);
        let [red, green, blue] = CAMERA.sixteen_bits([0.09, 0.18, 0.1125]);
        assert!(red.abs_diff(green) <= 1 && green.abs_diff(blue) <= 1, "{red} {green} {blue}");
        assert_eq!(CAMERA.sixteen_bits([0.0; 3]), [0; 3]);
    }

    /// Where one colour of sRGB is full, the others go on as they were.
    #[rstest]
    #[case([0.35, 0.03, 0.01])]
    #[case([0.05, 0.75, 0.05])]
    #[case([0.02, 0.05, 0.5])]
    fn strong_colours_change_no_faster_than_light_does(#[case] colour: [f32; 3]) {
        let steps = (0..400).map(|i| CAMERA.sixteen_bits(colour.map(|light| light * (0.8 + i as f32 / 1000.0))));
        let steps: Vec<[u16; 3]> = steps.collect();
        assert!(steps.last().unwrap().contains(&65_535), "it goes beyond what sRGB holds");
        for pair in steps.windows(2) {
            let jump = (0..3).map(|c| pair[0][c].abs_diff(pair[1][c])).max().unwrap();
            assert!(jump < 130, "{pair:?}: half a level of eight bits at most");
        }
    }
}
