//! Real files in and out: formats, depths, profiles, orientation, resolution, and everything that is refused.

use std::fs;
use std::io::Cursor;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use dettaglio_core::codec::{Carried, CodecError, Decoded, PictureWriter, read};
use dettaglio_core::colour::ColourProfile;
use dettaglio_core::picture::Planes;
use dettaglio_core::reading;
use dettaglio_domain::file::{Channels, Chroma, Compression, Depth, Format, OutputProfile, OutputSettings};
use dettaglio_domain::geometry::Size;
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::limits::Limits;
use image::{DynamicImage, ImageEncoder as _, ImageFormat, RgbImage, RgbaImage};
use rstest::rstest;

fn open(path: &Path) -> Result<Decoded, CodecError> {
    read(path, ContentHash::of_file(path).expect("a file"), &Limits::default())
}

fn gradient(size: Size) -> Planes {
    let mut planes = Planes::black(size);
    for channel in 0..3 {
        for y in 0..size.height {
            for (x, value) in planes.row_mut(channel, y).iter_mut().enumerate() {
                *value = match channel {
                    0 => x as f32 / size.width as f32,
                    1 => y as f32 / size.height as f32,
                    _ => 0.5 + 0.4 * (x as f32 * 0.3).sin(),
                };
            }
        }
    }
    planes
}

fn wide_profile() -> Arc<ColourProfile> {
    let bytes = moxcms::ColorProfile::new_display_p3().encode().expect("a profile");
    Arc::new(ColourProfile::parse(bytes, Channels::Colour).expect("for colour"))
}

fn write(folder: &Path, settings: OutputSettings, channels: Channels, profile: Option<Arc<ColourProfile>>) -> PathBuf {
    let planes = gradient(Size::new(150, 201));
    let path = folder.join("out").with_extension(settings.format.extension());
    let carried = Carried { profile, ..Carried::default() };
    let mut writer = PictureWriter::create(&path, planes.size(), channels, settings, carried).expect("a writer");
    for (y, rows) in [(0, 7), (7, 130), (137, 64)] {
        writer.write(&planes.cut(dettaglio_domain::geometry::Region::new(0, y, 150, rows))).expect("rows");
    }
    assert!(!path.exists(), "nothing to be seen before it is whole");
    writer.finish().expect("a file");
    path
}

#[rstest]
#[case(Format::Tiff, Depth::Eight)]
#[case(Format::Tiff, Depth::Sixteen)]
#[case(Format::Png, Depth::Eight)]
#[case(Format::Png, Depth::Sixteen)]
#[case(Format::Jpeg, Depth::Eight)]
#[case(Format::WebP, Depth::Eight)]
fn what_is_written_is_read_again(
    #[case] format: Format,
    #[case] depth: Depth,
    #[values(Channels::Colour, Channels::Grey)] channels: Channels,
) {
    let folder = tempfile::tempdir().unwrap();
    let settings = OutputSettings { depth, ppi: Some(240.0), quality: 98, ..OutputSettings::new(format) };
    let profile = (channels == Channels::Colour).then(wide_profile);
    let path = write(folder.path(), settings, channels, profile.clone());
    assert_eq!(fs::read_dir(folder.path()).unwrap().count(), 1, "no temporary file stays");

    let decoded = open(&path).unwrap();
    let planes = gradient(Size::new(150, 201));
    assert_eq!((decoded.facts.size, decoded.facts.depth), (planes.size(), depth));
    // WebP has no grey of its own.
    assert!(decoded.facts.channels == channels || format == Format::WebP);
    let embedded = decoded.original.profile().map(|p| p.bytes().to_vec());
    assert_eq!(embedded, profile.map(|p| p.bytes().to_vec()), "the profile, byte for byte");

    let got = decoded.original.region(planes.size().whole().seen_as());
    let due = match channels {
        Channels::Colour => planes.values().to_vec(),
        Channels::Grey => planes.luminance().repeat(3),
    };
    let tolerance = match (format, depth) {
        (Format::Jpeg, _) => 0.03,
        (_, Depth::Eight) => 0.5 / 255.0 + 1e-6,
        (_, Depth::Sixteen) => 0.5 / 65535.0 + 1e-6,
    };
    let worst = got.values().iter().zip(&due).map(|(a, b)| (a - b).abs()).fold(0.0, f32::max);
    assert!(worst <= tolerance, "{worst}");
}

#[rstest]
#[case(Format::Tiff)]
#[case(Format::Png)]
#[case(Format::Jpeg)]
fn the_resolution_is_stated_in_the_file(#[case] format: Format) {
    let folder = tempfile::tempdir().unwrap();
    let settings = OutputSettings { ppi: Some(240.0), ..OutputSettings::new(format) };
    let path = write(folder.path(), settings, Channels::Colour, None);
    let bytes = fs::read(&path).unwrap();
    match format {
        Format::Tiff => {
            let mut decoder = tiff::decoder::Decoder::new(Cursor::new(bytes)).unwrap();
            let value = decoder.get_tag(tiff::tags::Tag::XResolution).unwrap();
            assert_eq!(value, tiff::decoder::ifd::Value::Rational(240_000, 1000));
        }
        Format::Png => {
            let reader = png::Decoder::new(Cursor::new(bytes)).read_info().unwrap();
            assert_eq!(reader.info().pixel_dims.unwrap().xppu, 9449, "240 per inch in pixels per metre");
        }
        // JFIF: unit 1 is inches, then the density across and down.
        Format::Jpeg => assert_eq!(bytes[13..18], [1, 0, 240, 0, 240]),
        Format::WebP | Format::Dng => unreachable!("it has no place for a resolution"),
    }
}

fn encoded(picture: &DynamicImage, format: ImageFormat) -> Vec<u8> {
    let mut bytes = Cursor::new(Vec::new());
    picture.write_to(&mut bytes, format).unwrap();
    bytes.into_inner()
}

fn photo() -> DynamicImage {
    DynamicImage::ImageRgb8(RgbImage::from_fn(120, 80, |x, y| {
        image::Rgb([(x * 2) as u8, (y * 3) as u8, (x * y) as u8])
    }))
}

fn opened(bytes: &[u8]) -> Result<Decoded, CodecError> {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("picture");
    fs::write(&path, bytes).unwrap();
    open(&path)
}

#[rstest]
#[case(1, false, (0, 0))]
#[case(3, false, (1, 1))]
#[case(6, true, (1, 0))]
#[case(8, true, (0, 1))]
fn the_camera_may_have_been_held_any_way(#[case] orientation: u8, #[case] upright: bool, #[case] dark: (u32, u32)) {
    // Dark only in the stored picture's upper left quarter.
    let stored = RgbImage::from_fn(64, 32, |x, y| image::Rgb([if x < 32 && y < 16 { 0 } else { 255 }; 3]));
    let mut jpeg = Vec::new();
    let mut encoder = image::codecs::jpeg::JpegEncoder::new_with_quality(&mut jpeg, 95);
    #[rustfmt::skip]
    let exif = vec![
        b'M', b'M', 0, 42, 0, 0, 0, 8, 0, 1, // big-endian TIFF with one directory of one entry:
        0x01, 0x12, 0, 3, 0, 0, 0, 1, 0, orientation, 0, 0, 0, 0, 0, 0,
    ];
    encoder.set_exif_metadata(exif).unwrap();
    encoder.encode_image(&stored).unwrap();

    let decoded = opened(&jpeg).unwrap();
    let size = decoded.original.size();
    assert_eq!(size, if upright { Size::new(32, 64) } else { Size::new(64, 32) });
    assert_eq!(decoded.facts.turned, orientation != 1);
    let planes = decoded.original.region(size.whole().seen_as());
    let quarter =
        |(cx, cy): (u32, u32)| planes.row(0, size.height * (1 + 2 * cy) / 4)[(size.width * (1 + 2 * cx) / 4) as usize];
    for corner in [(0, 0), (1, 0), (0, 1), (1, 1)] {
        assert_eq!(quarter(corner) < 0.5, corner == dark, "{corner:?}");
    }
}

#[test]
fn transparency_is_laid_on_white() {
    let picture =
        RgbaImage::from_fn(
            2,
            1,
            |x, _| {
                if x == 0 { image::Rgba([10, 20, 30, 0]) } else { image::Rgba([0, 0, 0, 128]) }
            },
        );
    let decoded = opened(&encoded(&DynamicImage::ImageRgba8(picture), ImageFormat::Png)).unwrap();
    assert!(decoded.facts.had_transparency);
    let planes = decoded.original.planes();
    assert_eq!(planes.row(0, 0)[0], 1.0);
    assert!((planes.row(1, 0)[1] - 127.0 / 255.0).abs() < 1e-6);
}

#[rstest]
#[case(ImageFormat::Jpeg)]
#[case(ImageFormat::Png)]
#[case(ImageFormat::Tiff)]
#[case(ImageFormat::WebP)]
fn a_file_cut_anywhere_is_refused_and_never_a_panic(#[case] format: ImageFormat) {
    let whole = encoded(&photo(), format);
    assert!(opened(&whole).is_ok());
    for share in [0, 1, 5, 20, 50, 80, 95, 99] {
        let cut = &whole[..whole.len() * share / 100];
        let error = opened(cut).expect_err(&format!("{share} % of it"));
        assert!(!error.to_string().is_empty());
    }
}

#[rstest]
#[case(ImageFormat::Jpeg)]
#[case(ImageFormat::Png)]
#[case(ImageFormat::Tiff)]
#[case(ImageFormat::WebP)]
fn scrambled_bytes_are_a_picture_or_an_error_but_never_a_panic(#[case] format: ImageFormat) {
    let whole = encoded(&photo(), format);
    let mut state = 12345_u32;
    for _ in 0..200 {
        let mut bytes = whole.clone();
        for _ in 0..4 {
            state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            let place = (state >> 8) as usize % bytes.len();
            bytes[place] ^= (state >> 3) as u8 | 1;
        }
        let _ = opened(&bytes);
    }
}

#[rstest]
#[case(b"")]
#[case(b"Glassworks of Isola Brina, price list")]
#[case(b"GIF89a\x01\x00\x01\x00\x00\x00\x00;")]
#[case::its_decoder_would_take_gigabytes(b"qktk\x00\x00\x00\x00\xFF\xFF\xFF\xFF\xFF\xFF\xFF\xFF")]
fn what_is_no_picture_is_refused(#[case] bytes: &[u8]) {
    assert!(matches!(opened(bytes), Err(CodecError::NotAPicture | CodecError::Unsupported(_))));
}

#[test]
fn a_picture_beyond_the_limits_is_refused_before_it_is_decoded() {
    // A PNG of 60,000 x 60,000 px that says so in its header and holds nothing.
    let mut bytes = Vec::new();
    let mut encoder = png::Encoder::new(&mut bytes, 60_000, 60_000);
    encoder.set_color(png::ColorType::Rgb);
    let mut writer = encoder.write_header().unwrap();
    writer.write_chunk(png::chunk::IDAT, &[0x78, 0x9C, 0x03, 0, 0, 0, 0, 1]).unwrap();
    drop(writer);
    let error = opened(&bytes).unwrap_err();
    assert!(matches!(error, CodecError::Limit(_)), "{error}");
    assert!(error.to_string().contains("60000 x 60000"), "{error}");
}

#[test]
fn sixteen_bits_stay_sixteen() {
    let picture = image::ImageBuffer::from_fn(40, 30, |x, y| image::Rgb([(x * 1601) as u16, (y * 2003) as u16, 777]));
    for format in [ImageFormat::Png, ImageFormat::Tiff] {
        let decoded = opened(&encoded(&DynamicImage::ImageRgb16(picture.clone()), format)).unwrap();
        assert_eq!(decoded.facts.depth, Depth::Sixteen);
        let planes = decoded.original.planes();
        assert_eq!((planes.row(0, 3)[39] * 65535.0).round() as u32, 39 * 1601);
    }
}

#[rstest]
#[case(Compression::Deflate)]
#[case(Compression::Lzw)]
#[case(Compression::None)]
fn every_compression_of_a_tiff_holds_the_same_pixels(#[case] compression: Compression, #[values(8, 16)] bits: u8) {
    let folder = tempfile::tempdir().unwrap();
    let depth = Depth::try_from(bits).unwrap();
    let settings = OutputSettings { depth, compression, ..OutputSettings::new(Format::Tiff) };
    let got = open(&write(folder.path(), settings, Channels::Colour, None)).unwrap().original;
    let planes = got.planes();
    let due = gradient(got.size());
    let worst = planes.values().iter().zip(due.values()).map(|(a, b)| (a - b).abs()).fold(0.0, f32::max);
    assert!(worst <= 0.5 / (2_f32.powi(bits.into()) - 1.0) + 1e-6, "{worst}");
}

/// A TIFF of 64 x 64 px in one strip of such data: 8 bits a pixel, or one in compressions made for fax machines.
fn tiff_of(compression: u16, data: &[u8]) -> Vec<u8> {
    let bits = if (2..=4).contains(&compression) { 1 } else { 8 };
    let length = u32::try_from(data.len()).unwrap();
    let entries: [(u16, u16, u32); 9] = [
        (256, 3, 64),
        (257, 3, 64),
        (258, 3, bits),
        (259, 3, u32::from(compression)),
        (262, 3, 1),
        (273, 4, 8 + 2 + 9 * 12 + 4),
        (277, 3, 1),
        (278, 3, 64),
        (279, 4, length),
    ];
    let mut file = b"II*\0\x08\0\0\0\x09\0".to_vec();
    for (tag, kind, value) in entries {
        file.extend(tag.to_le_bytes());
        file.extend(kind.to_le_bytes());
        file.extend(1_u32.to_le_bytes());
        file.extend(value.to_le_bytes());
    }
    file.extend([0; 4]);
    file.extend(data);
    file
}

#[rstest]
fn a_tiff_whose_data_cannot_be_unpacked_is_damaged_and_no_failure_of_ours(
    // Fax of three kinds, LZW, JPEG, Deflate of two kinds, PackBits.
    #[values(2, 3, 4, 5, 7, 8, 32_946, 32_773)] compression: u16,
    #[values(0x00, 0x55, 0xFF)] fill: u8,
) {
    let scrambled: Vec<u8> = (0..400_u32).map(|i| (i.wrapping_mul(2_654_435_761) >> 21) as u8 ^ fill).collect();
    for data in [vec![fill; 400], scrambled, vec![fill; 3]] {
        match opened(&tiff_of(compression, &data)) {
            Ok(decoded) => assert_eq!(decoded.facts.size, Size::new(64, 64)),
            Err(CodecError::Damaged(_) | CodecError::Truncated | CodecError::Unsupported(_)) => {}
            Err(other) => panic!("{compression}, {fill:x}: {other:?}"),
        }
    }
}

#[test]
fn a_jpeg_without_its_last_rows_is_incomplete_though_an_end_is_set_behind() {
    let whole = encoded(&photo(), ImageFormat::Jpeg);
    assert!(opened(&whole).is_ok());
    for share in [50, 75, 95] {
        let mut cut = whole[..whole.len() * share / 100].to_vec();
        cut.extend([0xFF, 0xD9]);
        assert!(matches!(opened(&cut), Err(CodecError::Truncated)), "{share} % of it");
    }
}

#[test]
fn half_chroma_takes_less_room() {
    let folder = tempfile::tempdir().unwrap();
    let bytes = |chroma| {
        let settings = OutputSettings { chroma, quality: 95, ..OutputSettings::new(Format::Jpeg) };
        let path = write(folder.path(), settings, Channels::Colour, None);
        let bytes = fs::metadata(&path).unwrap().len();
        fs::remove_file(path).unwrap();
        bytes
    };
    assert!(bytes(Chroma::Half) < bytes(Chroma::Full));
    assert_eq!(bytes(Chroma::Auto), bytes(Chroma::Full));
}

#[rstest]
#[case(OutputProfile::Srgb, "sRGB")]
#[case(OutputProfile::P3, "P3")]
#[case(OutputProfile::OpRgb, "opRGB")]
#[case(OutputProfile::Romm, "ROMM")]
fn colours_are_converted_and_stay_the_same_colours(#[case] profile: OutputProfile, #[case] name: &str) {
    let folder = tempfile::tempdir().unwrap();
    let settings = OutputSettings { profile, depth: Depth::Sixteen, ..OutputSettings::new(Format::Tiff) };
    // From sRGB, whose colours all of them hold.
    let decoded = open(&write(folder.path(), settings, Channels::Colour, None)).unwrap();
    assert!(decoded.facts.profile.as_ref().is_some_and(|p| p.contains(name)), "{:?}", decoded.facts.profile);
    let size = decoded.original.size();
    let shown = decoded.original.profile().unwrap().to_srgb(&decoded.original.region(size.whole().seen_as()));
    let due = gradient(size);
    let worst = shown.values().iter().zip(due.values()).map(|(a, b)| (a - b).abs()).fold(0.0, f32::max);
    assert!(worst < 0.006, "{worst}");
}

/// IPTC-IIM records: an object name, as agencies write it.
const CAPTION: &[u8] = b"\x1c\x02\x05\0\x0eFurnace, dusk.";

/// A JPEG that lay on its side in the camera, with everything that a file may say about itself.
fn talkative_jpeg() -> Vec<u8> {
    use exif::{Field, In, Rational, Tag, Value};
    let set = |tag, value| Field { tag, ifd_num: In::PRIMARY, value };
    let fields = [
        set(Tag::Make, Value::Ascii(vec![b"Brina".to_vec()])),
        set(Tag::Model, Value::Ascii(vec![b"Lagoon 2".to_vec()])),
        set(Tag::Orientation, Value::Short(vec![6])),
        set(Tag::Copyright, Value::Ascii(vec![b"Ombralunga".to_vec()])),
        set(Tag::ExposureTime, Value::Rational(vec![Rational { num: 1, denom: 250 }])),
        set(Tag::PhotographicSensitivity, Value::Short(vec![3200])),
        set(Tag::DateTimeOriginal, Value::Ascii(vec![b"2026:05:04 06:12:00".to_vec()])),
        set(Tag::PixelXDimension, Value::Long(vec![120])),
        set(Tag::GPSLatitudeRef, Value::Ascii(vec![b"N".to_vec()])),
    ];
    let mut writer = exif::experimental::Writer::new();
    fields.iter().for_each(|field| writer.push_field(field));
    let mut block = Cursor::new(Vec::new());
    writer.write(&mut block, false).unwrap();
    let xmp = b"<x:xmpmeta xmlns:x='adobe:ns:meta/'><rdf:Description tiff:Orientation=\"6\" dc:rights='Ombralunga'/></x:xmpmeta>";
    let mut bytes = Vec::new();
    let mut encoder = jpeg_encoder::Encoder::new(&mut bytes, 75);
    encoder.add_app_segment(1, &[b"Exif\0\0", block.get_ref().as_slice()].concat()).unwrap();
    encoder.add_app_segment(1, &[b"http://ns.adobe.com/xap/1.0/\0", xmp.as_slice()].concat()).unwrap();
    let records = [&b"Photoshop 3.0\08BIM\x04\x04\0\0\0\0\0"[..], &[CAPTION.len() as u8], CAPTION, &[0]].concat();
    encoder.add_app_segment(13, &records).unwrap();
    encoder.encode(photo().as_bytes(), 120, 80, jpeg_encoder::ColorType::Rgb).unwrap();
    bytes
}

#[rstest]
#[case(Format::Jpeg)]
#[case(Format::Tiff)]
#[case(Format::Png)]
#[case(Format::WebP)]
fn what_a_file_says_about_itself_goes_with_it(#[case] format: Format) {
    use exif::{In, Tag};
    let folder = tempfile::tempdir().unwrap();
    let before = opened(&talkative_jpeg()).unwrap();
    assert_eq!(before.facts.size, Size::new(80, 120), "stood upright");
    assert_eq!(before.facts.jpeg_quality, Some(75.0));
    assert!(before.facts.exposure.as_ref().unwrap().starts_with("1/250 s"), "{:?}", before.facts.exposure);

    let path = folder.path().join("out").with_extension(format.extension());
    let size = before.original.size();
    let carried = Carried::from(&before.original);
    let mut writer =
        PictureWriter::create(&path, size, Channels::Colour, OutputSettings::new(format), carried).unwrap();
    writer.write(&before.original.region(size.whole().seen_as())).unwrap();
    writer.finish().unwrap();

    let after = open(&path).unwrap();
    assert_eq!(after.facts.size, size, "it is not turned a second time");
    let facts = |d: &Decoded| (d.facts.camera.clone(), d.facts.iso, d.facts.taken.clone(), d.facts.exposure.clone());
    assert_eq!(facts(&after), facts(&before));
    let bytes = fs::read(&path).unwrap();
    let exif = exif::Reader::new().read_from_container(&mut Cursor::new(&bytes)).unwrap();
    let text = |tag| exif.get_field(tag, In::PRIMARY).map(|f| f.display_value().to_string());
    assert_eq!(text(Tag::Copyright).as_deref(), Some("\"Ombralunga\""));
    assert_eq!(text(Tag::GPSLatitudeRef).as_deref(), Some("N"));
    assert_eq!(exif.get_field(Tag::Orientation, In::PRIMARY).unwrap().value.get_uint(0), Some(1));
    let holds = |part: &[u8]| bytes.windows(part.len()).any(|w| w == part);
    assert!(holds(b"tiff:Orientation=\"1\" dc:rights=\"Ombralunga\""), "XMP, upright");
    let told = b"<dc:title><rdf:Alt><rdf:li xml:lang=\"x-default\">Furnace, dusk.</rdf:li>";
    match format {
        Format::Jpeg | Format::Tiff => assert!(holds(CAPTION) && !holds(told), "the records themselves"),
        Format::Png | Format::WebP => assert!(holds(told), "the records' properties as XMP"),
        Format::Dng => unreachable!("it is written from a camera's raw file alone"),
    }
    // Whatever they were told in, the words are still there in the next generation.
    let path = folder.path().join("next.jpg");
    write_all(&path, &after, OutputSettings::new(Format::Jpeg));
    let bytes = fs::read(&path).unwrap();
    assert!(bytes.windows(14).any(|w| w == b"Furnace, dusk."));
}

fn write_all(path: &Path, picture: &Decoded, settings: OutputSettings) {
    let (size, carried) = (picture.original.size(), Carried::from(&picture.original));
    let mut writer = PictureWriter::create(path, size, picture.original.channels(), settings, carried).unwrap();
    writer.write(&picture.original.region(size.whole().seen_as())).unwrap();
    writer.finish().unwrap();
}

/// A small TIFF with a long packet.
fn tiff_with_packet(packet: &[u8]) -> Vec<u8> {
    let mut out = Cursor::new(Vec::new());
    let mut encoder = tiff::encoder::TiffEncoder::new(&mut out).unwrap();
    let mut picture = encoder.new_image::<tiff::encoder::colortype::RGB8>(8, 8).unwrap();
    picture.encoder().write_tag(tiff::tags::Tag::Unknown(700), packet).unwrap();
    picture.write_data(&[90; 192]).unwrap();
    out.into_inner()
}

#[rstest]
#[case::short(1_000, true)]
#[case::as_long_as_an_archive_writes_it(300_000, true)]
#[case::absurd(40_000_000, false)]
fn a_small_tiff_may_say_much_about_itself(#[case] length: usize, #[case] kept: bool) {
    let words = format!("<x:xmpmeta xmlns:x='adobe:ns:meta/'>Ombralunga{}</x:xmpmeta>", " ".repeat(length));
    let original = opened(&tiff_with_packet(words.as_bytes())).unwrap();
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("out.png");
    write_all(&path, &original, OutputSettings::new(Format::Png));
    let bytes = fs::read(&path).unwrap();
    assert_eq!(bytes.windows(10).any(|w| w == b"Ombralunga"), kept);
}

#[test]
fn a_packet_too_long_for_a_jpeg_gives_way_to_the_treatment_alone() {
    use dettaglio_core::codec::History;
    use dettaglio_domain::kernel::Kernel;

    use dettaglio_domain::treatment::Treatment;
    let length = |json: serde_json::Result<String>| json.unwrap().len();
    let padded = |spaces: usize| format!("<x:xmpmeta xmlns:x='adobe:ns:meta/'>{}</x:xmpmeta>", " ".repeat(spaces));
    let Decoded { original, facts } = opened(&tiff_with_packet(padded(10).as_bytes())).unwrap();
    let reading = reading::measure(&original, &facts);
    let treatment = Treatment::plain(Kernel::Bicubic, original.size());
    let room = length(serde_json::to_string(&treatment)) + 500 + length(serde_json::to_string(&reading)) / 2;
    let original = opened(&tiff_with_packet(padded(65_500 - room).as_bytes())).unwrap().original;
    let size = original.size();
    let history = History::new(original.hash(), &treatment, Some(&reading));
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("out.jpg");
    let carried = Carried { history: Some(history), ..Carried::from(&original) };
    let mut writer =
        PictureWriter::create(&path, size, Channels::Colour, OutputSettings::new(Format::Jpeg), carried).unwrap();
    writer.write(&original.region(size.whole().seen_as())).unwrap();
    writer.finish().unwrap();
    let bytes = fs::read(&path).unwrap();
    let holds = |part: &[u8]| bytes.windows(part.len()).any(|w| w == part);
    assert_eq!([holds(b"<dtl:Treatment>"), holds(b"<dtl:Reading>")], [true, false]);
}

#[rstest]
#[case(jpeg_encoder::ColorType::Cmyk)]
fn printing_inks_are_refused_with_the_reason(#[case] inks: jpeg_encoder::ColorType) {
    let mut bytes = Vec::new();
    jpeg_encoder::Encoder::new(&mut bytes, 90).encode(&[40; 4 * 64], 8, 8, inks).unwrap();
    let refused = opened(&bytes).expect_err("no rule of thumb");
    assert!(refused.to_string().contains("save it as RGB"), "{refused}");
}

#[test]
fn a_palette_is_looked_up() {
    let mut bytes = Vec::new();
    let mut encoder = png::Encoder::new(&mut bytes, 2, 1);
    encoder.set_color(png::ColorType::Indexed);
    encoder.set_palette(vec![255, 0, 0, 0, 0, 255]);
    encoder.write_header().unwrap().write_image_data(&[1, 0]).unwrap();
    let planes = opened(&bytes).unwrap().original.region(Size::new(2, 1).whole().seen_as());
    assert_eq!(planes.values(), &[0.0, 1.0, 0.0, 0.0, 1.0, 0.0]);
}

#[test]
fn a_ramp_in_sixteen_bits_comes_out_with_more_than_256_levels() {
    use dettaglio_core::render::{Destination, Renderer, Unhurried, run};
    use dettaglio_domain::kernel::Kernel;
    use dettaglio_domain::treatment::Treatment;
    let folder = tempfile::tempdir().unwrap();
    let ramp = Planes::from_values(Size::new(1000, 4), (0..12_000).map(|i| (i % 1000) as f32 / 4000.0 + 0.3).collect());
    let original = dettaglio_core::picture::Original::from_planes(&ramp);
    let treatment = Treatment::plain(Kernel::Lanczos3, Size::new(2000, 8));
    let settings = OutputSettings { depth: Depth::Sixteen, ..OutputSettings::new(Format::Tiff) };
    let path = folder.path().join("ramp.tif");
    let renderer = Renderer::new(dettaglio_core::model::Shelf::default(), 1 << 20);
    let to = Destination { path: &path, settings, reading: None };
    run(&renderer, &original, &treatment, to, &Unhurried, &|_| {}).unwrap();
    let out = open(&path).unwrap().original;
    let row = out.region(dettaglio_domain::geometry::Region::of(0, 4, 2000, 1));
    let levels: std::collections::HashSet<u32> = row.plane(0).iter().map(|v| (v * 65535.0).round() as u32).collect();
    assert!(levels.len() > 1900, "{}", levels.len());
}

#[rstest]
fn a_result_says_in_its_xmp_what_was_done_to_which_original(
    #[values(Format::Tiff, Format::Png, Format::Jpeg, Format::WebP)] format: Format,
) {
    use dettaglio_core::render::{Destination, Renderer, Unhurried, run};
    use dettaglio_domain::file::Facts;
    use dettaglio_domain::kernel::Kernel;
    use dettaglio_domain::reading::Reading;
    use dettaglio_domain::treatment::Treatment;
    use image::ImageDecoder;
    let vases =
        DynamicImage::ImageRgb8(RgbImage::from_fn(60, 40, |x, y| image::Rgb([(x * 4) as u8, (y * 6) as u8, 90])));
    let Decoded { original, facts } = opened(&encoded(&vases, ImageFormat::Png)).unwrap();
    let reading = reading::measure(&original, &Facts { iso: Some(200), ..facts });
    // The decoder of this test takes tags of a TIFF only up to a part of what its pixels take.
    let treatment = Treatment::plain(Kernel::Bicubic, Size::new(720, 480));
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("out").with_extension(format.extension());
    let to = Destination { path: &path, settings: OutputSettings::new(format), reading: Some(&reading) };
    let renderer = Renderer::new(dettaglio_core::model::Shelf::default(), 1 << 20);
    run(&renderer, &original, &treatment, to, &Unhurried, &|_| {}).unwrap();

    let mut reader = image::ImageReader::open(&path).unwrap();
    reader.no_limits();
    let mut decoder = reader.into_decoder().unwrap();
    let packet = String::from_utf8(decoder.xmp_metadata().unwrap().expect("a packet")).unwrap();
    let property = |name: &str| {
        let (_, after) = packet.split_once(&format!("<dtl:{name}>")).unwrap_or_else(|| panic!("{name} in {packet}"));
        after
            .split_once(&format!("</dtl:{name}>"))
            .unwrap()
            .0
            .replace("&lt;", "<")
            .replace("&gt;", ">")
            .replace("&amp;", "&")
    };
    assert_eq!(property("OriginalSha256"), original.hash().to_string());
    let again: Treatment = serde_json::from_str(&property("Treatment")).unwrap();
    assert_eq!((again.hash().to_string(), again), (property("TreatmentHash"), treatment), "it can be made again");
    let read: Reading = serde_json::from_str(&property("Reading")).unwrap();
    assert_eq!(read.noise.sigma, reading.noise.sigma);
}

#[rstest]
#[case(1, 1)]
#[case(1, 20_000)]
#[case(20_000, 1)]
#[case(2, 3)]
fn pictures_of_any_shape_go_through_every_step(#[case] width: u32, #[case] height: u32) {
    use dettaglio_core::model::Shelf;
    use dettaglio_core::render::{Destination, Renderer, Unhurried, run};

    use dettaglio_domain::recipe::Surround;
    use dettaglio_domain::size::Target;
    use dettaglio_domain::suggest::{PrintFacts, Suggestion};
    let noisy = DynamicImage::ImageRgb8(RgbImage::from_fn(width, height, |x, y| {
        image::Rgb([(x * 37 % 90) as u8 + 80, (y * 53 % 90) as u8 + 80, ((x + y) * 71 % 90) as u8 + 80])
    }));
    let decoded = opened(&encoded(&noisy, ImageFormat::Png)).unwrap();
    let shelf = Shelf::open(&Path::new(env!("CARGO_MANIFEST_DIR")).join("../../models")).unwrap();
    let reading = reading::measure(&decoded.original, &decoded.facts);
    let print = PrintFacts { factor: 2.0, ppi: None, distance_m: None };
    let mut suggestion = Suggestion::of(&reading, None, &[], &decoded.facts, &shelf, print);
    // Every step on, whatever the reading of so little says.
    let card = shelf.get("camera-noise-draft").unwrap().card();
    let model = dettaglio_domain::model::ModelRef::of(card);
    let level = dettaglio_domain::clean::NoiseCurve::flat(20.0);
    let noise =
        dettaglio_domain::clean::Noise { model, level, grain: 0.8, speckle: 1.0, keep_texture: 0.5, keep_lines: 0.0 };
    suggestion.clean.noise = Some(noise);
    let recipe = suggestion.recipe(dettaglio_domain::frame::Frame::default(), Surround::None);
    let worked = recipe.work_out(&shelf, decoded.original.size(), Target::Factor { factor: 2.0 }).unwrap();
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("out.tif");
    let settings = OutputSettings::new(Format::Tiff);
    let to = Destination { path: &path, settings, reading: None };
    run(&Renderer::new(shelf, 1 << 24), &decoded.original, &worked.treatment, to, &Unhurried, &|_| {}).unwrap();
    assert_eq!(open(&path).unwrap().facts.size, Size::new(2 * width, 2 * height));
}

#[test]
fn a_picture_that_is_too_wide_is_refused_with_the_limit() {
    let wide = DynamicImage::ImageLuma8(image::GrayImage::new(65_536, 1));
    let refused = opened(&encoded(&wide, ImageFormat::Png)).unwrap_err();
    assert!(refused.to_string().contains("65535 px a side"), "{refused}");
}

#[test]
fn a_tiff_of_floats_that_are_no_numbers_is_a_sound_picture_or_an_error() {
    let mut bytes = Cursor::new(Vec::new());
    let values = [f32::NAN, f32::INFINITY, -5.0, 0.5, 1.0, f32::NEG_INFINITY, 0.25, 1e30, -0.0, 0.0, 0.75, f32::NAN];
    let mut encoder = tiff::encoder::TiffEncoder::new(&mut bytes).unwrap();
    encoder.write_image::<tiff::encoder::colortype::RGB32Float>(2, 2, &values).unwrap();
    if let Ok(decoded) = opened(bytes.get_ref()) {
        let planes = decoded.original.region(Size::new(2, 2).whole().seen_as());
        assert!(planes.values().iter().all(|v| (0.0..=1.0).contains(v)), "{:?}", planes.values());
    }
}

#[test]
fn a_profile_that_lies_is_not_believed_and_not_carried() {
    let folder = tempfile::tempdir().unwrap();
    let grey = moxcms::ColorProfile::new_gray_with_gamma(2.2).encode().unwrap();
    for lie in [b"no profile at all".to_vec(), grey, wide_profile().bytes()[..200].to_vec()] {
        let mut bytes = Vec::new();
        let mut encoder = jpeg_encoder::Encoder::new(&mut bytes, 90);
        encoder.add_icc_profile(&lie).unwrap();
        encoder.encode(photo().as_bytes(), 120, 80, jpeg_encoder::ColorType::Rgb).unwrap();
        let decoded = opened(&bytes).unwrap();
        assert_eq!(decoded.facts.profile, None);
        let path = folder.path().join("out.png");
        let size = decoded.original.size();
        let carried = Carried::from(&decoded.original);
        let mut writer =
            PictureWriter::create(&path, size, Channels::Colour, OutputSettings::new(Format::Png), carried).unwrap();
        writer.write(&decoded.original.region(size.whole().seen_as())).unwrap();
        writer.finish().unwrap();
        assert_eq!(open(&path).unwrap().facts.profile, None);
    }
}

/// White balance of a made-up sensor: it sees less red and blue than green.
const SEES: [f32; 3] = [0.5, 1.0, 0.625];

/// A raw file of that sensor: the left half grey, the right half red, black at 512 and white at 16,384.
fn dng(width: u32, height: u32, orientation: u16) -> Vec<u8> {
    use tiff::encoder::{Rational, SRational, TiffEncoder};
    use tiff::tags::Tag::{self, Unknown};
    let colour = |x: u32| if x < width / 2 { [0.25, 0.25, 0.25] } else { [0.5, 0.1, 0.1] };
    let samples: Vec<u16> = (0..height)
        .flat_map(|y| (0..width).map(move |x| (x, y)))
        .map(|(x, y)| {
            let channel = (x % 2 + y % 2) as usize;
            512 + (colour(x)[channel] * SEES[channel] * 15_872.0) as u16
        })
        .collect();
    // From XYZ (D65) to linear sRGB, IEC 61966-2-1, and on to what the sensor sees.
    let to_srgb = [[3.2406, -1.5372, -0.4986], [-0.9689, 1.8758, 0.0415], [0.0557, -0.2040, 1.0570]];
    let matrix: Vec<SRational> = (0..3)
        .flat_map(|row| to_srgb[row].map(|v: f32| SRational { n: (v * SEES[row] * 10_000.0) as i32, d: 10_000 }))
        .collect();
    let neutral = SEES.map(|v| Rational { n: (v * 10_000.0) as u32, d: 10_000 });
    let mut file = Cursor::new(Vec::new());
    let mut encoder = TiffEncoder::new(&mut file).unwrap();
    let mut directory = encoder.image_directory().unwrap();
    let at = directory.write_data(&samples[..]).unwrap();
    directory.write_tag(Tag::NewSubfileType, 0u32).unwrap();
    directory.write_tag(Tag::ImageWidth, width).unwrap();
    directory.write_tag(Tag::ImageLength, height).unwrap();
    directory.write_tag(Tag::BitsPerSample, 16u16).unwrap();
    directory.write_tag(Tag::Compression, 1u16).unwrap();
    directory.write_tag(Tag::PhotometricInterpretation, 32_803u16).unwrap();
    directory.write_tag(Tag::Make, "Brina Ottica").unwrap();
    directory.write_tag(Tag::Model, "BO-6").unwrap();
    directory.write_tag(Tag::StripOffsets, at as u32).unwrap();
    directory.write_tag(Tag::Orientation, orientation).unwrap();
    directory.write_tag(Tag::SamplesPerPixel, 1u16).unwrap();
    directory.write_tag(Tag::RowsPerStrip, height).unwrap();
    directory.write_tag(Tag::StripByteCounts, 2 * samples.len() as u32).unwrap();
    directory.write_tag(Unknown(33_421), &[2u16, 2][..]).unwrap();
    directory.write_tag(Unknown(33_422), &[0u8, 1, 1, 2][..]).unwrap();
    directory.write_tag(Unknown(50_706), &[1u8, 4, 0, 0][..]).unwrap();
    directory.write_tag(Unknown(50_708), "Brina Ottica BO-6").unwrap();
    directory.write_tag(Unknown(50_714), 512u16).unwrap();
    directory.write_tag(Unknown(50_717), 16_384u32).unwrap();
    directory.write_tag(Unknown(50_721), &matrix[..]).unwrap();
    directory.write_tag(Unknown(50_728), &neutral[..]).unwrap();
    directory.write_tag(Unknown(50_778), 21u16).unwrap();
    directory.finish().unwrap();
    file.into_inner()
}

#[test]
fn a_raw_file_is_developed_with_the_cameras_own_white_balance() {
    let Decoded { original, facts } = opened(&dng(96, 64, 1)).unwrap();
    assert_eq!((facts.format.as_str(), facts.size, facts.depth), ("DNG", Size::new(96, 64), Depth::Sixteen));
    assert_eq!(facts.camera.as_deref(), Some("Brina Ottica BO-6"));
    let planes = original.planes();
    let at = |x: usize| [0, 1, 2].map(|channel| planes.row(channel, 32)[x]);
    let encoded = |light: f32| 1.055 * light.powf(1.0 / 2.4) - 0.055;
    for (x, light) in [(20, [0.25, 0.25, 0.25]), (76, [0.5, 0.1, 0.1])] {
        for (got, due) in at(x).into_iter().zip(light.map(encoded)) {
            assert!((got - due).abs() < 0.01, "{:?} at {x}, due {:?}", at(x), light.map(encoded));
        }
    }
}

#[test]
fn a_raw_file_of_a_camera_held_upright_stands_upright() {
    let facts = opened(&dng(96, 64, 6)).unwrap().facts;
    assert_eq!((facts.size, facts.turned), (Size::new(64, 96), true));
}

#[test]
fn a_raw_file_beyond_the_limits_is_refused_before_it_is_decoded() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("large.dng");
    fs::write(&path, dng(96, 64, 1)).unwrap();
    let limits = Limits { input_pixels: 96 * 64 - 1, ..Limits::default() };
    let outcome = read(&path, ContentHash::of_file(&path).unwrap(), &limits);
    assert!(matches!(outcome, Err(CodecError::Limit(_))), "{outcome:?}");
}

#[test]
fn a_raw_file_cut_anywhere_is_refused_and_never_a_panic() {
    let whole = dng(96, 64, 1);
    for share in [3, 10, 40, 70, 95, 99] {
        let cut = &whole[..whole.len() * share / 100];
        assert!(opened(cut).is_err(), "{share} %");
    }
}

/// A result in the camera's own colours is developed to what the developed original becomes.
#[rstest]
#[case::as_it_lies(1, Size::new(96, 64))]
#[case::held_upright(6, Size::new(64, 96))]
fn raw_in_raw_out_keeps_the_cameras_colours(#[case] orientation: u16, #[case] size: Size) {
    use dettaglio_core::codec::read_camera;
    use dettaglio_core::model::Shelf;
    use dettaglio_core::render::{Renderer, Unhurried, run_camera};
    use dettaglio_domain::kernel::Kernel;
    use dettaglio_domain::treatment::Treatment;
    let folder = tempfile::tempdir().unwrap();
    let (from, to) = (folder.path().join("from.dng"), folder.path().join("to.dng"));
    fs::write(&from, dng(96, 64, orientation)).unwrap();
    let hash = ContentHash::of_file(&from).unwrap();
    let camera = read_camera(&from, hash, &Limits::default()).unwrap();
    assert_eq!(camera.decoded.original.size(), size);
    let treatment = Treatment::plain(Kernel::Bicubic, size.times(2));
    let renderer = Renderer::new(Shelf::default(), 1 << 20);
    run_camera(&renderer, &camera, &treatment, &to, None, &Unhurried, &|_| ()).unwrap();

    let again = open(&to).unwrap();
    assert_eq!((again.facts.format.as_str(), again.facts.size, again.facts.turned), ("DNG", size.times(2), false));
    assert_eq!(again.facts.camera.as_deref(), Some("Brina Ottica BO-6"));
    let developed = open(&from).unwrap().original;
    let plain = Renderer::new(Shelf::default(), 1 << 20);
    let due = plain.render(&developed, &treatment, treatment.size.whole().seen_as(), &Unhurried).unwrap();
    let got = again.original.planes();
    let far: Vec<f32> = got.values().iter().zip(due.values()).map(|(g, d)| (g - d).abs() * 255.0).collect();
    let mean = far.iter().sum::<f32>() / far.len() as f32;
    // Where grey borders on red, a kernel rings a little otherwise in other colours.
    assert!(mean < 0.6, "{mean} levels");
    let bytes = fs::read(&to).unwrap();
    assert!(bytes.windows(13).any(|w| w == b"TreatmentHash"), "what was done is in the file");
}

#[test]
fn a_finished_picture_is_no_camera_picture() {
    use dettaglio_core::codec::read_camera;
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("finished.png");
    fs::write(&path, dettaglio_core::codec::png_bytes(&Planes::black(Size::new(8, 8)))).unwrap();
    let refused = read_camera(&path, ContentHash::of_file(&path).unwrap(), &Limits::default()).err().unwrap();
    assert!(refused.to_string().contains("raw file"), "{refused}");
}

/// A finished picture stays what it is, even with a camera's name in it.
#[test]
fn a_tiff_of_a_camera_is_no_raw_file() {
    let mut file = Cursor::new(Vec::new());
    let mut encoder = tiff::encoder::TiffEncoder::new(&mut file).unwrap();
    let mut picture = encoder.new_image::<tiff::encoder::colortype::RGB8>(8, 4).unwrap();
    picture.encoder().write_tag(tiff::tags::Tag::Make, "Canon").unwrap();
    picture.encoder().write_tag(tiff::tags::Tag::Model, "EOS R5").unwrap();
    picture.write_data(&[90u8; 96]).unwrap();
    let facts = opened(&file.into_inner()).unwrap().facts;
    assert_eq!((facts.format.as_str(), facts.size), ("TIFF", Size::new(8, 4)));
}
