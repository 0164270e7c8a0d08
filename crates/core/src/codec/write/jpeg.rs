//! Baseline JPEG.

use std::cell::RefCell;
use std::sync::mpsc::Receiver;

use dettaglio_domain::file::{Channels, Chroma, Format};
use jpeg_encoder::{Density, Encoder as JpegEncoder, ImageBuffer, JpegColorType, SamplingFactor};

use super::{Sink, Spec, abandoned, refusal};
use crate::codec::error::CodecError;
use crate::codec::jpeg_segments::SEGMENT_BYTES;
use crate::metadata::{iptc, xmp};
use crate::picture::Samples;

/// The rows of a JPEG to be, pulled from the channel as the encoder asks for them.
struct IncomingRows<'a> {
    spec: &'a Spec,
    bands: Receiver<Samples>,
    state: &'a RefCell<PulledRows>,
}

/// The band at hand, and how far it was used.
#[derive(Default)]
struct PulledRows {
    band: Vec<u8>,
    /// Bytes of the band that were given out, the latest row included.
    used: usize,
    latest: Option<u16>,
    abandoned: bool,
}

impl ImageBuffer for IncomingRows<'_> {
    fn get_jpeg_color_type(&self) -> JpegColorType {
        match self.spec.channels {
            Channels::Grey => JpegColorType::Luma,
            Channels::Colour => JpegColorType::Ycbcr,
        }
    }

    fn width(&self) -> u16 {
        self.spec.size.width as u16
    }

    fn height(&self) -> u16 {
        self.spec.size.height as u16
    }

    fn fill_buffers(&self, y: u16, buffers: &mut [Vec<u8>; 4]) {
        let mut state = self.state.borrow_mut();
        let row_bytes = self.spec.size.width as usize * self.spec.channels.count();
        // The encoder asks for the last row again to fill up its last blocks.
        if state.latest.replace(y) != Some(y) {
            if state.used == state.band.len() {
                // The encoder cannot be stopped from here: it is fed black, and the file is thrown away.
                (state.band, state.abandoned) = match self.bands.recv() {
                    Ok(Samples::Eight(band)) => (band, state.abandoned),
                    _ => (vec![0; row_bytes], true),
                };
                state.used = 0;
            }
            state.used += row_bytes;
        }
        let row = &state.band[state.used - row_bytes..state.used];
        match self.spec.channels {
            Channels::Grey => buffers[0].extend_from_slice(row),
            Channels::Colour => {
                for pixel in row.chunks_exact(3) {
                    let (y, cb, cr) = jpeg_encoder::rgb_to_ycbcr(pixel[0], pixel[1], pixel[2]);
                    buffers[0].push(y);
                    buffers[1].push(cb);
                    buffers[2].push(cr);
                }
            }
        }
    }
}

pub(super) fn encode(out: &mut Sink, spec: &Spec, bands: Receiver<Samples>) -> Result<(), CodecError> {
    let quality = spec.settings.quality.clamp(1, 100);
    let mut encoder = JpegEncoder::new(out, quality);
    let full = match spec.settings.chroma {
        Chroma::Auto => quality >= 90,
        Chroma::Full => true,
        Chroma::Half => false,
    };
    encoder.set_sampling_factor(if full { SamplingFactor::R_4_4_4 } else { SamplingFactor::R_4_2_0 });
    if let Some(ppi) = spec.settings.ppi {
        let ppi = ppi.round().clamp(1.0, f64::from(u16::MAX)) as u16;
        encoder.set_density(Density::Inch { x: ppi, y: ppi });
    }
    let metadata = spec.carried.metadata.as_deref();
    let exif = metadata.and_then(|m| m.exif_block(spec.size)).map(|block| (1, [b"Exif\0\0", &block[..]].concat()));
    // A segment ends at 64 KiB: what was done may have to be told without the reading, or not at all.
    let fits = |segment: &Vec<u8>| segment.len() <= SEGMENT_BYTES;
    let mut packets = spec.carried.xmp_packets(Format::Jpeg).map(|packet| [xmp::SEGMENT, &packet].concat());
    let xmp = packets.find(fits).map(|segment| (1, segment));
    let records = metadata.and_then(|m| m.iptc.as_deref());
    let iptc = records.map(iptc::segments).into_iter().flatten().map(|segment| (13, segment));
    for (number, segment) in exif.into_iter().chain(xmp).chain(iptc).filter(|(_, segment)| fits(segment)) {
        encoder.add_app_segment(number, &segment).map_err(refusal)?;
    }
    if let Some(profile) = &spec.carried.profile {
        encoder.add_icc_profile(profile.bytes()).map_err(refusal)?;
    }
    let state = RefCell::new(PulledRows::default());
    encoder.encode_image(IncomingRows { spec, bands, state: &state }).map_err(|e| match e {
        jpeg_encoder::EncodingError::IoError(e) => CodecError::Io(e),
        other => refusal(other),
    })?;
    if state.borrow().abandoned { Err(abandoned()) } else { Ok(()) }
}
