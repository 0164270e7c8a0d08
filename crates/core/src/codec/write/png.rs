//! PNG.

use std::io::Write;
use std::sync::mpsc::Receiver;

use dettaglio_domain::file::{Channels, Depth};

use super::{SOFTWARE, Sink, Spec, abandoned, refusal};
use crate::codec::error::CodecError;
use crate::metadata::xmp;
use crate::picture::Samples;

pub(super) fn encode(out: &mut Sink, spec: &Spec, bands: Receiver<Samples>) -> Result<(), CodecError> {
    let mut info = png::Info::with_size(spec.size.width, spec.size.height);
    info.color_type = match spec.channels {
        Channels::Grey => png::ColorType::Grayscale,
        Channels::Colour => png::ColorType::Rgb,
    };
    info.bit_depth = match spec.settings.depth {
        Depth::Eight => png::BitDepth::Eight,
        Depth::Sixteen => png::BitDepth::Sixteen,
    };
    info.icc_profile = spec.carried.profile.as_ref().map(|profile| profile.bytes().to_vec().into());
    info.pixel_dims = spec.settings.ppi.map(|ppi| {
        let per_metre = (ppi * 1000.0 / dettaglio_domain::size::MM_PER_INCH).round() as u32;
        png::PixelDimensions { xppu: per_metre, yppu: per_metre, unit: png::Unit::Meter }
    });
    let metadata = spec.carried.metadata.as_deref();
    info.exif_metadata = metadata.and_then(|m| m.exif_block(spec.size)).map(Into::into);
    let mut encoder = png::Encoder::with_info(out, info).map_err(png_refusal)?;
    encoder.set_compression(png::Compression::Fast);
    encoder.add_text_chunk("Software".to_owned(), SOFTWARE.to_owned()).map_err(png_refusal)?;
    if let Some(packet) = spec.carried.xmp_packet(spec.settings.format).and_then(|p| String::from_utf8(p).ok()) {
        encoder.add_itxt_chunk(xmp::TEXT.to_owned(), packet).map_err(png_refusal)?;
    }
    let mut header = encoder.write_header().map_err(png_refusal)?;
    let mut stream = header.stream_writer_with_size(1 << 18).map_err(png_refusal)?;
    let mut left = spec.pixel_bytes();
    while left > 0 {
        let bytes = match bands.recv().map_err(|_| abandoned())? {
            Samples::Eight(values) => values,
            Samples::Sixteen(values) => values.iter().flat_map(|v| v.to_be_bytes()).collect(),
        };
        stream.write_all(&bytes)?;
        left -= bytes.len() as u64;
    }
    stream.finish().map_err(png_refusal)?;
    header.finish().map_err(png_refusal)
}

fn png_refusal(error: png::EncodingError) -> CodecError {
    match error {
        png::EncodingError::IoError(e) => CodecError::Io(e),
        other => refusal(other),
    }
}
