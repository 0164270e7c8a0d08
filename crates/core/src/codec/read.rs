//! Reading: any accepted file becomes an upright [`Original`] and the facts about it.

use std::fs::File;
use std::io::{BufReader, Cursor, Read, Seek};
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::path::Path;

use dettaglio_domain::file::{Channels, Facts};
use dettaglio_domain::geometry::Size;
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::kernel::Kernel;
use dettaglio_domain::limits::Limits;
use image::codecs::png::PngDecoder;
use image::error::{ImageError, LimitErrorKind};
use image::metadata::Orientation;
use image::{ColorType, DynamicImage, ImageDecoder, ImageFormat, ImageReader};

use super::announce::{Announce, Memory};
use super::error::CodecError;
use super::facts::common;
use super::raw::{RawFile, Sensor};
use super::write::png_bytes;
use super::{container, jpeg_blocks, jpeg_end, jpeg_segments};
use crate::colour::ColourProfile;
use crate::enlarge;
use crate::metadata::{Metadata, iptc, xmp};
use crate::picture::{Original, Planes, Samples};
use crate::reading::compression::quality_of_table;

/// An original and the facts about its file.
#[derive(Debug)]
pub struct Decoded {
    /// The pixels.
    pub original: Original,
    /// The facts.
    pub facts: Facts,
}

/// Reads a file whose content has the given hash.
///
/// The whole picture is decoded, turned upright and laid on white where it is transparent. The file is
/// opened read-only. Whatever the file holds, the answer is a picture or an error, never a panic.
///
/// A decoder may still take more memory than there is, or never end: a file of a stranger's is read in a process of its own, by
/// [`Decoders`](super::Decoders).
pub fn read(path: &Path, hash: ContentHash, limits: &Limits) -> Result<Decoded, CodecError> {
    read_opened(File::open(path)?, hash, limits, &mut |_, _| Ok(()))
}

/// Bytes a pixel that the decoders of lossy pictures take for coefficients, besides what they hand over.
const COEFFICIENT_BYTES: u64 = 12;

/// As [`read`], a file that is open already; `announced` is told the picture's size before any pixel is decoded, and may refuse.
pub(super) fn read_opened(
    file: File,
    hash: ContentHash,
    limits: &Limits,
    announced: &mut Announce,
) -> Result<Decoded, CodecError> {
    caught(|| read_inner(file, hash, limits, announced))
}

/// What decoding comes to: the decoders are safe code, but an unforeseen file may still trip an assertion in one of them.
pub(super) fn caught<T>(decoding: impl FnOnce() -> Result<T, CodecError>) -> Result<T, CodecError> {
    catch_unwind(AssertUnwindSafe(decoding))
        .unwrap_or_else(|_| Err(CodecError::Damaged("the decoder gave up on it".to_owned())))
}

/// A file whose structure was found sound.
pub(super) struct Checked {
    /// How long it is.
    pub bytes: u64,
    /// The format that its first bytes tell.
    pub format: Option<ImageFormat>,
    /// The raw file that it is, if it is one.
    pub raw: Option<RawFile>,
}

/// Checks a file's length and structure before any decoder sees it.
pub(super) fn checked(file: &mut BufReader<File>, limits: &Limits) -> Result<Checked, CodecError> {
    let bytes = file.get_ref().metadata()?.len();
    limits.check_file(bytes)?;
    let format = ImageReader::new(&mut *file).with_guessed_format()?.format();
    let directories = container::check(file, bytes)?;
    let raw = match format {
        None | Some(ImageFormat::Tiff) => RawFile::open(file, directories.filter(|_| format.is_some()))?,
        Some(_) => None,
    };
    Ok(Checked { bytes, format, raw })
}

/// What a file says before its pixels.
struct Head {
    segments: jpeg_segments::Segments,
    iptc: Option<Vec<u8>>,
    /// Of a TIFF; other decoders hand it out themselves.
    xmp: Option<Vec<u8>>,
    exif: Option<exif::Exif>,
}

impl Head {
    /// Refuses a JPEG that ends too early, and printing inks.
    fn read(file: &mut BufReader<File>, format: ImageFormat) -> Result<Self, CodecError> {
        let (is_jpeg, is_tiff) = (format == ImageFormat::Jpeg, format == ImageFormat::Tiff);
        file.rewind()?;
        if is_jpeg && !jpeg_end::is_complete(&mut *file)? {
            return Err(CodecError::Truncated);
        }
        file.rewind()?;
        let segments = if is_jpeg { jpeg_segments::read(&mut *file).unwrap_or_default() } else { Default::default() };
        if segments.channels == 4 {
            return Err(CodecError::Unsupported(INKS.to_owned()));
        }
        let iptc = if is_tiff { tiff_bytes(file, iptc::TIFF_TAG) } else { iptc::of_segments(&segments.app13) };
        // The decoder takes tags of a TIFF only up to a share of what its pixels take.
        let xmp = is_tiff.then(|| tiff_bytes(file, xmp::TIFF_TAG)).flatten();
        file.rewind()?;
        let exif = exif::Reader::new().read_from_container(file).ok();
        Ok(Self { segments, iptc, xmp, exif })
    }
}

fn read_inner(file: File, hash: ContentHash, limits: &Limits, announced: &mut Announce) -> Result<Decoded, CodecError> {
    let mut file = BufReader::with_capacity(1 << 16, file);
    let Checked { bytes, format, raw } = checked(&mut file, limits)?;
    if let Some(raw) = raw {
        let sensor = raw.sensor(limits, announced)?;
        return upright(sensor.developed()?, hash, &raw, &sensor, &mut file, bytes);
    }
    let format = format.ok_or(CodecError::NotAPicture)?;
    let head = Head::read(&mut file, format)?;
    file.rewind()?;
    let mut decoder = ImageReader::with_format(&mut file, format).into_decoder().map_err(refusal)?;
    let (width, height) = decoder.dimensions();
    if width == 0 || height == 0 {
        return Err(CodecError::Damaged("it has no pixels".to_owned()));
    }
    let size = Size::new(width, height);
    limits.check_input(size)?;
    let orientation = decoder.orientation().unwrap_or(Orientation::NoTransforms);
    announced(size, memory_of(format, size, bytes, decoder.color_type(), orientation))?;
    let mut memory = image::Limits::no_limits();
    memory.max_alloc = Some(limits.input_pixels * 16);
    decoder.set_limits(memory).map_err(refusal)?;
    use image::ExtendedColorType::{Cmyk8, Cmyk16};
    if [Cmyk8, Cmyk16].contains(&decoder.original_color_type()) {
        return Err(CodecError::Unsupported(INKS.to_owned()));
    }
    let packet = head.xmp.or_else(|| decoder.xmp_metadata().unwrap_or(None));
    let icc = decoder.icc_profile().unwrap_or(None);
    let mut picture = DynamicImage::from_decoder(decoder).map_err(refusal)?;
    let may_be_cut = format == ImageFormat::Jpeg
        && (head.segments.in_first_scan != head.segments.channels || jpeg_blocks::ends_alike(&picture));
    if may_be_cut && !holds_all_blocks(&mut file)? {
        return Err(CodecError::Truncated);
    }
    picture.apply_orientation(orientation);

    let had_transparency = picture.color().has_alpha();
    let (size, channels, samples) = flatten(picture);
    let profile = icc.and_then(|bytes| ColourProfile::parse(bytes, channels));
    let profile_name = profile.as_ref().map(ColourProfile::name);
    let facts = Facts {
        profile: profile_name,
        had_transparency,
        jpeg_quality: head.segments.quantisation.as_ref().map(quality_of_table),
        ..common(format_name(format), bytes, size, channels, samples.depth(), orientation, head.exif.as_ref())
    };
    let fields = head.exif.as_ref().map(Metadata::kept_fields).unwrap_or_default();
    let metadata = Metadata { fields, xmp: packet, iptc: head.iptc };
    let original = Original::new(hash, size, channels, samples, profile).with_metadata(metadata);
    Ok(Decoded { original, facts })
}

/// Whether a JPEG's data goes to its picture's end.
fn holds_all_blocks(file: &mut BufReader<File>) -> std::io::Result<bool> {
    let mut bytes = Vec::new();
    file.rewind()?;
    file.read_to_end(&mut bytes)?;
    Ok(jpeg_blocks::are_all_there(&bytes))
}

/// What it takes to decode a file of `bytes` into a picture, and to keep it open.
fn memory_of(format: ImageFormat, size: Size, bytes: u64, colour: ColorType, orientation: Orientation) -> Memory {
    let handed_over = size.area() * u64::from(colour.bytes_per_pixel());
    let decoder = match format {
        ImageFormat::Jpeg | ImageFormat::WebP => size.area() * COEFFICIENT_BYTES,
        // Its decoder has the samples a second time.
        ImageFormat::Tiff => handed_over,
        _ => 0,
    };
    let turned = if orientation == Orientation::NoTransforms { 0 } else { handed_over };
    // Floating-point samples become 16 bits in a copy of their own.
    let (kept, copied) = match colour {
        ColorType::L8 | ColorType::La8 => (1, 0),
        ColorType::L16 | ColorType::La16 => (2, 0),
        ColorType::Rgb8 | ColorType::Rgba8 => (3, 0),
        ColorType::Rgb16 | ColorType::Rgba16 => (6, 0),
        _ => (6, 6),
    };
    let decoding = handed_over + decoder.max(turned) + copied * size.area() + bytes;
    Memory { decoding, open: kept * size.area() }
}

/// A picture that was made of what a sensor saw, turned upright, with what its file says of itself.
pub(super) fn upright(
    mut picture: DynamicImage,
    hash: ContentHash,
    raw: &RawFile,
    sensor: &Sensor,
    file: &mut BufReader<File>,
    bytes: u64,
) -> Result<Decoded, CodecError> {
    let orientation = sensor.orientation();
    picture.apply_orientation(orientation);
    let (size, channels, samples) = flatten(picture);
    file.rewind()?;
    let exif = exif::Reader::new().read_from_container(file).ok();
    let exif = exif.as_ref();
    let mut facts = common(raw.format, bytes, size, channels, samples.depth(), orientation, exif);
    facts.camera = facts.camera.or_else(|| sensor.camera());
    facts.iso = facts.iso.or_else(|| sensor.iso());
    facts.taken = facts.taken.or_else(|| sensor.taken());
    let metadata = Metadata { fields: exif.map(Metadata::kept_fields).unwrap_or_default(), ..Metadata::default() };
    let original = Original::new(hash, size, channels, samples, None).with_metadata(metadata);
    Ok(Decoded { original, facts })
}

/// A small sRGB picture of an original, as PNG: its longer side is `long_edge` pixels or its own, if smaller.
pub fn thumbnail(original: &Original, long_edge: u32) -> Vec<u8> {
    let size = original.size();
    let scale = (f64::from(long_edge) / f64::from(size.long_edge())).min(1.0);
    let side = |px: u32| (f64::from(px) * scale).round().max(1.0) as u32;
    let target = Size::new(side(size.width), side(size.height));
    let small = enlarge::resample(original, target, target.whole(), Kernel::Lanczos3);
    png_bytes(&original.to_srgb(small))
}

/// A thumbnail's pixels, encoded in sRGB, out of the file that [`thumbnail`] made of it.
///
/// # Errors
/// [`CodecError::Damaged`] where it is no such file. For files of our own alone, of a few thousand pixels: strangers' are read by
/// [`Decoders`](super::Decoders).
pub fn read_thumbnail(png: &[u8]) -> Result<Planes, CodecError> {
    // The one decoder that it takes: asked by its format, all would be compiled once more.
    let picture = PngDecoder::new(Cursor::new(png))
        .and_then(DynamicImage::from_decoder)
        .map_err(|e| CodecError::Damaged(e.to_string()))?;
    let (size, channels, samples) = flatten(picture);
    Ok(Original::new(ContentHash::of(png), size, channels, samples, None).planes())
}

fn format_name(format: ImageFormat) -> &'static str {
    match format {
        ImageFormat::Jpeg => "JPEG",
        ImageFormat::Png => "PNG",
        ImageFormat::Tiff => "TIFF",
        _ => "WebP",
    }
}

/// Interleaved samples of grey or colour in 8 or 16 bits; transparency is laid on white.
fn flatten(picture: DynamicImage) -> (Size, Channels, Samples) {
    let size = Size::new(picture.width(), picture.height());
    let (channels, samples) = match picture {
        DynamicImage::ImageLuma8(p) => (Channels::Grey, Samples::Eight(p.into_raw())),
        DynamicImage::ImageLuma16(p) => (Channels::Grey, Samples::Sixteen(p.into_raw())),
        DynamicImage::ImageLumaA8(p) => (Channels::Grey, Samples::Eight(on_white::<2, _>(p.into_raw(), u8::MAX))),
        DynamicImage::ImageLumaA16(p) => (Channels::Grey, Samples::Sixteen(on_white::<2, _>(p.into_raw(), u16::MAX))),
        DynamicImage::ImageRgb8(p) => (Channels::Colour, Samples::Eight(p.into_raw())),
        DynamicImage::ImageRgba8(p) => (Channels::Colour, Samples::Eight(on_white::<4, _>(p.into_raw(), u8::MAX))),
        DynamicImage::ImageRgba16(p) => (Channels::Colour, Samples::Sixteen(on_white::<4, _>(p.into_raw(), u16::MAX))),
        other => (Channels::Colour, Samples::Sixteen(other.into_rgb16().into_raw())),
    };
    (size, channels, samples)
}

/// Pixels of `N` samples, the last of them opacity, laid on white; in place, as there may be gigabytes of them.
fn on_white<const N: usize, T: Copy + Into<u64> + TryFrom<u64>>(mut samples: Vec<T>, white: T) -> Vec<T> {
    let full: u64 = white.into();
    let pixels = samples.len() / N;
    for pixel in 0..pixels {
        let opacity: u64 = samples[N * pixel + N - 1].into();
        for channel in 0..N - 1 {
            let value: u64 = samples[N * pixel + channel].into();
            let laid = (value * opacity + full * (full - opacity) + full / 2) / full;
            samples[(N - 1) * pixel + channel] = T::try_from(laid).unwrap_or(white);
        }
    }
    samples.truncate((N - 1) * pixels);
    samples.shrink_to_fit();
    samples
}

/// Why a file in printing inks is refused: turned into light by a rule of thumb, its colours would be wrong.
const INKS: &str = "it holds printing inks (CMYK), whose colours depend on the press: save it as RGB first";

/// The most that a tag may hold; an absurd claim is not followed.
const TAG_BYTES: usize = 16 << 20;

/// The bytes of a TIFF's tag, when it holds bytes.
fn tiff_bytes(file: &mut (impl std::io::Read + Seek), tag: u16) -> Option<Vec<u8>> {
    file.rewind().ok()?;
    let mut limits = tiff::decoder::Limits::default();
    limits.ifd_value_size = TAG_BYTES;
    let mut decoder = tiff::decoder::Decoder::new(file).ok()?.with_limits(limits);
    decoder.find_tag(tiff::tags::Tag::Unknown(tag)).ok()??.into_u8_vec().ok()
}

/// What a decoder's complaint means to the person.
fn refusal(error: ImageError) -> CodecError {
    match error {
        ImageError::Limits(limit) => match limit.kind() {
            LimitErrorKind::InsufficientMemory => CodecError::Unsupported("it would need too much memory".to_owned()),
            kind => CodecError::Unsupported(format!("{kind:?}")),
        },
        ImageError::Unsupported(what) => CodecError::Unsupported(what.to_string()),
        ImageError::IoError(e) if e.kind() == std::io::ErrorKind::UnexpectedEof => CodecError::Truncated,
        // What the disk does not say, the decoder does: of data that cannot be unpacked.
        ImageError::IoError(e) if e.raw_os_error().is_none() => CodecError::Damaged(e.to_string()),
        ImageError::IoError(e) => CodecError::Io(e),
        other if ends_early(&other) => CodecError::Truncated,
        other => CodecError::Damaged(other.to_string()),
    }
}

/// Some decoders wrap the end of the file in an error of their own.
fn ends_early(error: &ImageError) -> bool {
    let mut cause: Option<&(dyn std::error::Error + 'static)> = Some(error);
    while let Some(e) = cause {
        let io = e.downcast_ref::<std::io::Error>().map(std::io::Error::kind);
        if io == Some(std::io::ErrorKind::UnexpectedEof) || e.to_string().contains("unexpected end of file") {
            return true;
        }
        cause = e.source();
    }
    false
}
