//! TIFF 6.0 and BigTIFF.

use std::io::Write;
use std::sync::mpsc::Receiver;

use dettaglio_domain::file::{Channels, Compression};
use flate2::write::ZlibEncoder;
use tiff::Directory;
use tiff::encoder::{DirectoryEncoder, Rational, TiffEncoder, TiffKind};
use tiff::tags::{CompressionMethod, PhotometricInterpretation, Predictor, ResolutionUnit, Tag, Type};

use super::{SOFTWARE, Sink, Spec, abandoned, refusal};
use crate::codec::error::CodecError;
use crate::metadata::{iptc, tiff_value, xmp};
use crate::picture::Samples;

const ICC_PROFILE_TAG: u16 = 34675;

const STRIP_ROWS: u32 = 64;

/// One directory of strips, each compressed on its own after taking differences between neighbours.
///
/// `tiff` compresses only pictures that it is given whole, so the strips are compressed here and it
/// keeps the book: header, offsets and tags.
pub(super) fn encode<K: TiffKind>(out: &mut Sink, spec: &Spec, bands: Receiver<Samples>) -> Result<(), CodecError> {
    let mut file = TiffEncoder::<_, K>::new_generic(out).map_err(tiff_refusal)?;
    let notes = write_exif_directories(&mut file, spec).map_err(tiff_refusal)?;
    let mut directory = file.image_directory().map_err(tiff_refusal)?;
    let channels = spec.channels.count();
    let row_bytes = spec.size.width as usize * channels * usize::from(spec.settings.depth.bits() / 8);
    let (mut offsets, mut counts) = (Vec::new(), Vec::new());
    let mut waiting: Vec<u8> = Vec::new();
    let mut rows_left = spec.size.height as usize;
    while rows_left > 0 {
        let rows = rows_left.min(STRIP_ROWS as usize);
        while waiting.len() < rows * row_bytes {
            let band = bands.recv().map_err(|_| abandoned())?;
            let predicted = spec.settings.compression != Compression::None;
            let row_samples = spec.size.width as usize * channels;
            waiting.extend(if predicted { differences(&band, row_samples, channels) } else { native_bytes(&band) });
        }
        let strip = compress(&waiting[..rows * row_bytes], spec.settings.compression)?;
        waiting.drain(..rows * row_bytes);
        let offset = directory.write_data(&strip[..]).map_err(tiff_refusal)?;
        offsets.push(K::convert_offset(offset).map_err(tiff_refusal)?);
        counts.push(K::convert_offset(strip.len() as u64).map_err(tiff_refusal)?);
        rows_left -= rows;
    }

    describe_tiff(&mut directory, spec, &offsets, &counts).map_err(tiff_refusal)?;
    directory.extend_from(&notes);
    directory.finish().map_err(tiff_refusal)
}

fn compress(strip: &[u8], compression: Compression) -> Result<Vec<u8>, CodecError> {
    Ok(match compression {
        Compression::Deflate => {
            let mut compressor = ZlibEncoder::new(Vec::new(), flate2::Compression::fast());
            compressor.write_all(strip)?;
            compressor.finish()?
        }
        Compression::Lzw => {
            weezl::encode::Encoder::with_tiff_size_switch(weezl::BitOrder::Msb, 8).encode(strip).map_err(refusal)?
        }
        Compression::None => strip.to_vec(),
    })
}

/// Samples in the machine's byte order, which the file is written in.
fn native_bytes(band: &Samples) -> Vec<u8> {
    match band {
        Samples::Eight(values) => values.clone(),
        Samples::Sixteen(values) => values.iter().flat_map(|v| v.to_ne_bytes()).collect(),
    }
}

/// Writes the EXIF and GPS directories, and answers the entries of the main one that name them and what it carries.
fn write_exif_directories<K: TiffKind>(
    file: &mut TiffEncoder<&mut Sink, K>,
    spec: &Spec,
) -> tiff::TiffResult<Directory> {
    let mut entries = Directory::empty();
    if let Some(packet) = spec.carried.xmp_packet(spec.settings.format) {
        let mut main = file.extra_directory()?;
        entries.extend([(Tag::Unknown(xmp::TIFF_TAG), main.write_entry_bytes(Type::BYTE, &packet)?)]);
    }
    let Some(metadata) = &spec.carried.metadata else { return Ok(entries) };
    for (context, pointer) in [(exif::Context::Exif, 34665), (exif::Context::Gps, 34853)] {
        let values: Vec<_> = metadata
            .fields
            .iter()
            .filter(|f| f.tag.context() == context)
            .filter_map(|f| Some((Tag::from_u16_exhaustive(f.tag.number()), tiff_value(&f.value)?)))
            .collect();
        if values.is_empty() {
            continue;
        }
        let mut directory = file.extra_directory()?;
        for (tag, (kind, bytes)) in values {
            let entry = directory.write_entry_bytes(kind, &bytes)?;
            let mut one = Directory::empty();
            one.extend([(tag, entry)]);
            directory.extend_from(&one);
        }
        let offset = directory.finish_with_offsets()?;
        let mut main = file.extra_directory()?;
        let entry = main.write_entry(offset.offset)?;
        entries.extend([(Tag::Unknown(pointer), entry)]);
    }
    let mut main = file.extra_directory()?;
    for field in
        metadata.fields.iter().filter(|f| f.tag.context() == exif::Context::Tiff && f.tag != exif::Tag::Software)
    {
        if let Some((kind, bytes)) = tiff_value(&field.value) {
            let entry = main.write_entry_bytes(kind, &bytes)?;
            entries.extend([(Tag::from_u16_exhaustive(field.tag.number()), entry)]);
        }
    }
    if let Some(records) = &metadata.iptc {
        entries.extend([(Tag::Unknown(iptc::TIFF_TAG), main.write_entry_bytes(Type::UNDEFINED, records)?)]);
    }
    Ok(entries)
}

/// The tags of TIFF 6.0 for a picture in compressed strips.
fn describe_tiff<K: TiffKind>(
    directory: &mut DirectoryEncoder<'_, &mut Sink, K>,
    spec: &Spec,
    offsets: &[K::OffsetType],
    counts: &[K::OffsetType],
) -> tiff::TiffResult<()> {
    let channels = spec.channels.count();
    let photometric = match spec.channels {
        Channels::Grey => PhotometricInterpretation::BlackIsZero,
        Channels::Colour => PhotometricInterpretation::RGB,
    };
    directory.write_tag(Tag::ImageWidth, spec.size.width)?;
    directory.write_tag(Tag::ImageLength, spec.size.height)?;
    directory.write_tag(Tag::BitsPerSample, &[u16::from(spec.settings.depth.bits()); 3][..channels])?;
    let (method, predictor) = match spec.settings.compression {
        Compression::Deflate => (CompressionMethod::Deflate, Predictor::Horizontal),
        Compression::Lzw => (CompressionMethod::LZW, Predictor::Horizontal),
        Compression::None => (CompressionMethod::None, Predictor::None),
    };
    directory.write_tag(Tag::Compression, method.to_u16())?;
    directory.write_tag(Tag::PhotometricInterpretation, photometric.to_u16())?;
    directory.write_tag(Tag::SamplesPerPixel, channels as u16)?;
    directory.write_tag(Tag::RowsPerStrip, STRIP_ROWS)?;
    directory.write_tag(Tag::StripOffsets, K::convert_slice(offsets))?;
    directory.write_tag(Tag::StripByteCounts, K::convert_slice(counts))?;
    directory.write_tag(Tag::Predictor, predictor.to_u16())?;
    directory.write_tag(Tag::Orientation, 1_u16)?;
    directory.write_tag(Tag::Software, SOFTWARE)?;
    if let Some(ppi) = spec.settings.ppi {
        let ratio = || Rational { n: (ppi * 1000.0).round() as u32, d: 1000 };
        directory.write_tag(Tag::XResolution, ratio())?;
        directory.write_tag(Tag::YResolution, ratio())?;
        directory.write_tag(Tag::ResolutionUnit, ResolutionUnit::Inch.to_u16())?;
    }
    if let Some(profile) = &spec.carried.profile {
        directory.write_tag(Tag::Unknown(ICC_PROFILE_TAG), profile.bytes())?;
    }
    Ok(())
}

/// Rows of samples as the differences from the pixel to the left (TIFF 6.0, section 14), in the byte order of the file.
fn differences(band: &Samples, row_samples: usize, channels: usize) -> Vec<u8> {
    fn rows<T: Copy, const BYTES: usize>(
        values: &[T],
        row_samples: usize,
        channels: usize,
        minus: impl Fn(T, T) -> T,
        bytes: impl Fn(T) -> [u8; BYTES],
    ) -> Vec<u8> {
        let mut out = Vec::with_capacity(values.len() * BYTES);
        for row in values.chunks_exact(row_samples) {
            row[..channels].iter().for_each(|v| out.extend(bytes(*v)));
            row[channels..].iter().zip(row).for_each(|(v, left)| out.extend(bytes(minus(*v, *left))));
        }
        out
    }
    match band {
        Samples::Eight(values) => rows(values, row_samples, channels, u8::wrapping_sub, |v| [v]),
        Samples::Sixteen(values) => rows(values, row_samples, channels, u16::wrapping_sub, u16::to_ne_bytes),
    }
}

/// A disk that is full is the disk's error, not the encoder's.
fn tiff_refusal(error: tiff::TiffError) -> CodecError {
    match error {
        tiff::TiffError::IoError(e) => CodecError::Io(e),
        other => refusal(other),
    }
}
