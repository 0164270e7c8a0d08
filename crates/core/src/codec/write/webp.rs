//! Lossless WebP.

use std::sync::mpsc::Receiver;

use dettaglio_domain::file::Channels;

use super::{Sink, Spec, abandoned, refusal};
use crate::codec::error::CodecError;
use crate::picture::Samples;

/// WebP is only encoded whole: the picture is collected first, at most 16,383 px a side.
pub(super) fn encode(out: &mut Sink, spec: &Spec, bands: Receiver<Samples>) -> Result<(), CodecError> {
    let due = spec.pixel_bytes() as usize;
    let mut pixels = Vec::with_capacity(due);
    while pixels.len() < due {
        match bands.recv().map_err(|_| abandoned())? {
            Samples::Eight(band) => pixels.extend(band),
            Samples::Sixteen(_) => return Err(refusal("WebP holds 8 bits")),
        }
    }
    let colour = match spec.channels {
        Channels::Grey => image_webp::ColorType::L8,
        Channels::Colour => image_webp::ColorType::Rgb8,
    };
    let mut encoder = image_webp::WebPEncoder::new(out);
    if let Some(profile) = &spec.carried.profile {
        encoder.set_icc_profile(profile.bytes().to_vec());
    }
    if let Some(metadata) = &spec.carried.metadata {
        encoder.set_exif_metadata(metadata.exif_block(spec.size).unwrap_or_default());
    }
    encoder.set_xmp_metadata(spec.carried.xmp_packet(spec.settings.format).unwrap_or_default());
    encoder.encode(&pixels, spec.size.width, spec.size.height, colour).map_err(|e| match e {
        image_webp::EncodingError::IoError(e) => CodecError::Io(e),
        other => refusal(other),
    })
}
