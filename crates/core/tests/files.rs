//! Real files in and out: formats, depths, profiles, orientation, resolution, and everything that is refused.

use std::fs;
use std::io::Cursor;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use dettaglio_core::codec::{CodecError, Decoded, Format, OutputSettings, PictureWriter, read};
use dettaglio_core::colour::ColourProfile;
use dettaglio_core::hash::ContentHash;
use dettaglio_core::limits::Limits;
use dettaglio_core::picture::{Channels, Depth, Planes, Size};
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
    let mut writer = PictureWriter::create(&path, planes.size(), channels, settings, profile).expect("a writer");
    for (y, rows) in [(0, 7), (7, 130), (137, 64)] {
        writer.write(&planes.cut(dettaglio_core::picture::Region::new(0, y, 150, rows))).expect("rows");
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
    assert_eq!((decoded.facts.size, decoded.facts.depth, decoded.facts.channels), (planes.size(), depth, channels));
    let embedded = decoded.original.profile().map(|p| p.bytes().to_vec());
    assert_eq!(embedded, profile.map(|p| p.bytes().to_vec()), "the profile, byte for byte");

    let got = decoded.original.region(planes.size().whole());
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
    let planes = decoded.original.region(size.whole());
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
    let planes = decoded.original.region(decoded.original.size().whole());
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
        let planes = decoded.original.region(decoded.original.size().whole());
        assert_eq!((planes.row(0, 3)[39] * 65535.0).round() as u32, 39 * 1601);
    }
}
