//! Writing: row bands go to an encoder on its own thread, and the file appears only when it is whole.
//!
//! The encoders of `tiff`, `png` and `jpeg-encoder` each want to drive the work themselves. A channel of
//! two bands turns that round: the renderer pushes bands, the encoder pulls them, and both run at once.

use std::cell::RefCell;
use std::fs::File;
use std::io::{BufWriter, Seek, Write};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::mpsc::{Receiver, SyncSender, sync_channel};
use std::thread::JoinHandle;

use dettaglio_domain::file::{Channels, Chroma, Compression, Depth, Format, OutputSettings};
use dettaglio_domain::geometry::Size;
use flate2::write::ZlibEncoder;
use jpeg_encoder::{Density, Encoder as JpegEncoder, ImageBuffer, JpegColorType, SamplingFactor};
use rayon::prelude::*;
use tempfile::NamedTempFile;
use tiff::Directory;
use tiff::encoder::{DirectoryEncoder, Rational, TiffEncoder, TiffKind, TiffKindBig, TiffKindStandard};
use tiff::tags::{CompressionMethod, PhotometricInterpretation, Predictor, ResolutionUnit, Tag, Type};

use super::error::CodecError;
use super::history::History;
use super::jpeg_segments::SEGMENT_BYTES;
use crate::colour::{ColourProfile, Conversion};
use crate::metadata::{Metadata, iptc, tiff_value, xmp};
use crate::picture::{Original, Planes, Samples};

pub(super) const SOFTWARE: &str = concat!("Dettaglio ", env!("CARGO_PKG_VERSION"));
const ICC_PROFILE_TAG: u16 = 34675;

const STRIP_ROWS: u32 = 64;

/// Above this many bytes of pixels a TIFF is written as BigTIFF: the classic format ends at 4 GiB.
const CLASSIC_TIFF_BYTES: u64 = 4_000_000_000;

/// What an encoder needs to know before the first row.
struct Spec {
    size: Size,
    channels: Channels,
    settings: OutputSettings,
    carried: Carried,
}

/// What goes into a result besides its pixels.
#[derive(Clone, Debug, Default)]
pub struct Carried {
    /// The profile of the rendered values.
    pub profile: Option<Arc<ColourProfile>>,
    /// What the original's file says about itself.
    pub metadata: Option<Arc<Metadata>>,
    /// What was done to it.
    pub history: Option<History>,
}

impl Carried {
    /// All that an original has.
    pub fn from(original: &Original) -> Self {
        Self { profile: original.profile().cloned(), metadata: original.metadata().cloned(), history: None }
    }

    /// The packets that may go into a file of this format, the fullest first: a format takes the first that has room.
    fn xmp_packets(&self, format: Format) -> impl Iterator<Item = Vec<u8>> {
        let told = self.metadata.as_deref().and_then(|metadata| metadata.xmp_packet(format));
        let histories = self.history.iter().flat_map(|history| [history.clone(), history.without_reading()]);
        let added = {
            let told = told.clone();
            histories.map(move |history| history.added_to(told.clone()))
        };
        added.chain(told)
    }

    fn xmp_packet(&self, format: Format) -> Option<Vec<u8>> {
        self.xmp_packets(format).next()
    }
}

impl Spec {
    fn pixel_bytes(&self) -> u64 {
        self.size.area() * self.channels.count() as u64 * u64::from(self.settings.depth.bits() / 8)
    }
}

/// The folder that a file lies in.
fn folder_of(path: &Path) -> &Path {
    path.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."))
}

/// A file beside `path` that is not whole yet; dropped before [`place`], it leaves nothing behind.
pub(super) fn unfinished(path: &Path) -> Result<NamedTempFile, CodecError> {
    Ok(tempfile::Builder::new().prefix(".dettaglio-").suffix(".part").tempfile_in(folder_of(path))?)
}

/// Gives a file that is whole its name, replacing one that has it already.
pub(super) fn place(file: NamedTempFile, path: &Path) -> Result<(), CodecError> {
    file.as_file().sync_all()?;
    let file = file.persist(path).map_err(|e| e.error)?;
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt;
        file.set_permissions(std::fs::Permissions::from_mode(0o644))?;
    }
    // The name itself must survive a power cut too; not every file system allows this.
    let _ = File::open(folder_of(path)).and_then(|folder| folder.sync_all());
    Ok(())
}

/// A result on its way to disk.
///
/// Dropped before [`finish`](Self::finish), it leaves nothing behind.
pub struct PictureWriter {
    size: Size,
    channels: Channels,
    depth: Depth,
    conversion: Option<Conversion>,
    rows_given: u32,
    bands: Option<SyncSender<Samples>>,
    encoder: Option<JoinHandle<Result<NamedTempFile, CodecError>>>,
    path: PathBuf,
}

impl PictureWriter {
    /// Opens a temporary file beside `path` for a picture of `size`.
    ///
    /// The picture must be within the limits of its format ([`Limits::check_output`](dettaglio_domain::limits::Limits::check_output)).
    /// With one channel, the luminance of the planes is written. Colours are converted where the settings name another
    /// profile than the original's.
    pub fn create(
        path: &Path,
        size: Size,
        channels: Channels,
        settings: OutputSettings,
        mut carried: Carried,
    ) -> Result<Self, CodecError> {
        let mut conversion = None;
        // Grey stays grey, in its own profile.
        if let (Channels::Colour, Some(wanted)) = (channels, ColourProfile::standard(settings.profile)) {
            conversion = wanted.conversion_from(carried.profile.as_deref());
            if conversion.is_none() {
                let name = carried.profile.as_deref().map_or_else(String::new, ColourProfile::name);
                return Err(CodecError::Encode(format!(
                    "colours cannot be converted from the original's profile ({name}): keep the original's own profile"
                )));
            }
            carried.profile = Some(Arc::new(wanted));
        }
        let file = unfinished(path)?;
        let spec = Spec { size, channels, settings, carried };
        let (bands, receiver) = sync_channel(2);
        let encoder = std::thread::Builder::new().name("encoder".to_owned()).spawn(move || {
            let mut out = BufWriter::with_capacity(1 << 20, file);
            encode(&mut out, &spec, receiver)?;
            Ok(out.into_inner().map_err(|e| e.into_error())?)
        })?;
        Ok(Self {
            size,
            channels,
            depth: settings.depth,
            conversion,
            rows_given: 0,
            bands: Some(bands),
            encoder: Some(encoder),
            path: path.to_owned(),
        })
    }

    /// Adds the next rows, over the full width.
    ///
    /// # Panics
    /// When the band is not as wide as the picture, or more rows come than it has.
    pub fn write(&mut self, band: &Planes) -> Result<(), CodecError> {
        assert_eq!(band.size().width, self.size.width, "a band as wide as the picture");
        self.rows_given += band.size().height;
        assert!(self.rows_given <= self.size.height, "no more rows than the picture has");
        let samples = match &self.conversion {
            None => interleave(band, self.channels, self.depth),
            Some(conversion) => converted(band, conversion, self.depth),
        };
        let sent = self.bands.as_ref().is_some_and(|bands| bands.send(samples).is_ok());
        if sent { Ok(()) } else { Err(self.encoder_error()) }
    }

    /// Waits for the encoder and gives the file its name, replacing one that has it already.
    pub fn finish(mut self) -> Result<(), CodecError> {
        assert_eq!(self.rows_given, self.size.height, "all rows of the picture");
        drop(self.bands.take());
        place(self.join()?, &self.path)
    }

    fn join(&mut self) -> Result<NamedTempFile, CodecError> {
        match self.encoder.take().map(JoinHandle::join) {
            Some(Ok(outcome)) => outcome,
            Some(Err(_)) | None => Err(CodecError::Encode("the encoder stopped".to_owned())),
        }
    }

    fn encoder_error(&mut self) -> CodecError {
        match self.join() {
            Err(error) => error,
            Ok(_) => CodecError::Encode("the encoder stopped early".to_owned()),
        }
    }
}

impl Drop for PictureWriter {
    /// Waits for the encoder to notice and to remove its temporary file.
    fn drop(&mut self) {
        drop(self.bands.take());
        if self.encoder.is_some() {
            let _ = self.join();
        }
    }
}

/// Samples in another profile: converted in 16 bits, whatever the file's depth.
fn converted(band: &Planes, conversion: &Conversion, depth: Depth) -> Samples {
    let Samples::Sixteen(samples) = interleave(band, Channels::Colour, Depth::Sixteen) else {
        unreachable!("sixteen bits were asked for");
    };
    let row = 3 * band.size().width as usize;
    let samples: Vec<u16> = samples.par_chunks(row).flat_map_iter(|row| conversion.apply(row)).collect();
    match depth {
        Depth::Sixteen => Samples::Sixteen(samples),
        Depth::Eight => Samples::Eight(samples.into_iter().map(|v| ((u32::from(v) + 128) / 257) as u8).collect()),
    }
}

/// Rounds planes to a file's samples, channels interleaved.
pub(crate) fn interleave(planes: &Planes, channels: Channels, depth: Depth) -> Samples {
    fn gather<T: Copy + Default + Send>(
        planes: &Planes,
        channels: Channels,
        level: impl Fn(f32) -> T + Sync,
    ) -> Vec<T> {
        match channels {
            Channels::Grey => planes.luminance().into_iter().map(level).collect(),
            Channels::Colour => {
                let width = planes.size().width as usize;
                let mut samples = vec![T::default(); planes.values().len()];
                samples.par_chunks_mut(3 * width).enumerate().for_each(|(y, out)| {
                    let [r, g, b] = [0, 1, 2].map(|channel| planes.row(channel, y as u32));
                    for ((pixel, r), (g, b)) in out.chunks_exact_mut(3).zip(r).zip(g.iter().zip(b)) {
                        pixel.copy_from_slice(&[level(*r), level(*g), level(*b)]);
                    }
                });
                samples
            }
        }
    }
    // A cast from float to integer saturates, so only the rounding has to be done by hand.
    match depth {
        Depth::Eight => Samples::Eight(gather(planes, channels, |v| (v * 255.0 + 0.5) as u8)),
        Depth::Sixteen => Samples::Sixteen(gather(planes, channels, |v| (v * 65535.0 + 0.5) as u16)),
    }
}

fn encode<W: Write + Seek>(out: W, spec: &Spec, bands: Receiver<Samples>) -> Result<(), CodecError> {
    match spec.settings.format {
        Format::Tiff if spec.pixel_bytes() > CLASSIC_TIFF_BYTES => encode_tiff::<W, TiffKindBig>(out, spec, bands),
        Format::Tiff => encode_tiff::<W, TiffKindStandard>(out, spec, bands),
        Format::Png => encode_png(out, spec, bands),
        Format::Jpeg => encode_jpeg(out, spec, bands),
        Format::WebP => encode_webp(out, spec, bands),
    }
}

fn refusal(error: impl std::fmt::Display) -> CodecError {
    CodecError::Encode(error.to_string())
}

/// A disk that is full is the disk's error, not the encoder's.
fn tiff_refusal(error: tiff::TiffError) -> CodecError {
    match error {
        tiff::TiffError::IoError(e) => CodecError::Io(e),
        other => refusal(other),
    }
}

fn png_refusal(error: png::EncodingError) -> CodecError {
    match error {
        png::EncodingError::IoError(e) => CodecError::Io(e),
        other => refusal(other),
    }
}

/// One directory of strips, each compressed on its own after taking differences between neighbours.
///
/// `tiff` compresses only pictures that it is given whole, so the strips are compressed here and it
/// keeps the book: header, offsets and tags.
fn encode_tiff<W: Write + Seek, K: TiffKind>(out: W, spec: &Spec, bands: Receiver<Samples>) -> Result<(), CodecError> {
    let mut file = TiffEncoder::<W, K>::new_generic(out).map_err(tiff_refusal)?;
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
fn write_exif_directories<W: Write + Seek, K: TiffKind>(
    file: &mut TiffEncoder<W, K>,
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
fn describe_tiff<W: Write + Seek, K: TiffKind>(
    directory: &mut DirectoryEncoder<'_, W, K>,
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

fn abandoned() -> CodecError {
    CodecError::Encode("the work was given up before the last row".to_owned())
}

fn encode_png<W: Write>(out: W, spec: &Spec, bands: Receiver<Samples>) -> Result<(), CodecError> {
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

fn encode_jpeg<W: Write>(out: W, spec: &Spec, bands: Receiver<Samples>) -> Result<(), CodecError> {
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

/// WebP is only encoded whole: the picture is collected first, at most 16,383 px a side.
fn encode_webp<W: Write>(out: W, spec: &Spec, bands: Receiver<Samples>) -> Result<(), CodecError> {
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

/// Planes as an 8-bit RGB PNG in memory, encoded for speed: what a screen is shown.
pub fn png_bytes(planes: &Planes) -> Vec<u8> {
    in_memory(planes, OutputSettings::new(Format::Png))
}

/// How many bytes planes take in a format, for forecasts.
pub fn encoded_len(planes: &Planes, settings: OutputSettings) -> u64 {
    in_memory(planes, settings).len() as u64
}

fn in_memory(planes: &Planes, settings: OutputSettings) -> Vec<u8> {
    let spec = Spec { size: planes.size(), channels: Channels::Colour, settings, carried: Carried::default() };
    let (sender, receiver) = sync_channel(1);
    // One band into a channel of one: neither side waits for the other.
    let _ = sender.send(interleave(planes, Channels::Colour, settings.depth));
    drop(sender);
    let mut out = std::io::Cursor::new(Vec::new());
    encode(&mut out, &spec, receiver).expect("memory takes any encoded picture");
    out.into_inner()
}
