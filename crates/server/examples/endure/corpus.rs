//! Hostile files: sound ones of every kind that is read, changed at random.

use std::io::{Cursor, Write};
use std::path::Path;

use anyhow::Context;
use image::codecs::jpeg::JpegEncoder;
use image::{DynamicImage, ImageFormat};
use rand::rngs::StdRng;
use rand::{Rng, SeedableRng};
use zip::write::SimpleFileOptions;

use super::bed::picture_of;

/// A file that is sent: its name and bytes.
pub type Sent = (String, Vec<u8>);

/// So many pictures and archives, the same ones for the same seed.
pub fn pictures(count: usize, seed: u64) -> anyhow::Result<Vec<Sent>> {
    let sound = sound_pictures()?;
    let mut random = StdRng::seed_from_u64(seed);
    Ok((0..count)
        .map(|number| {
            let (ending, bytes) = &sound[number % sound.len()];
            (format!("{number}.{ending}"), changed(bytes, &mut random))
        })
        .collect())
}

/// So many models.
pub fn models(folder: &Path, count: usize, seed: u64) -> anyhow::Result<Vec<Sent>> {
    let mut sound = Vec::new();
    for entry in std::fs::read_dir(folder)? {
        sound.push(std::fs::read(entry?.path())?);
    }
    anyhow::ensure!(!sound.is_empty(), "{} holds no models", folder.display());
    let mut random = StdRng::seed_from_u64(seed);
    Ok((0..count)
        .map(|number| (format!("{number}.onnx"), changed(&sound[number % sound.len()], &mut random)))
        .collect())
}

/// One of each kind, small.
fn sound_pictures() -> anyhow::Result<Vec<(&'static str, Vec<u8>)>> {
    let colour = DynamicImage::ImageRgb8(picture_of(7, 96, 64));
    let deep = DynamicImage::ImageRgb16(colour.to_rgb16());
    let see_through = DynamicImage::ImageRgba16(colour.to_rgba16());
    let grey = DynamicImage::ImageLuma8(colour.to_luma8());
    let mut jpeg = Vec::new();
    JpegEncoder::new_with_quality(&mut jpeg, 80).encode_image(&colour)?;
    let mut files = vec![("jpg", jpeg)];
    for picture in [&colour, &deep, &see_through, &grey] {
        for (ending, format) in [("png", ImageFormat::Png), ("tif", ImageFormat::Tiff)] {
            files.push((ending, encoded(picture, format)?));
        }
    }
    files.push(("webp", encoded(&colour, ImageFormat::WebP)?));
    let mut archive = zip::ZipWriter::new(Cursor::new(Vec::new()));
    for (name, bytes) in [("room 2/vase.png", &files[1].1), ("room 2/bowl.jpg", &files[0].1)] {
        archive.start_file(name, SimpleFileOptions::default())?;
        archive.write_all(bytes)?;
    }
    files.push(("zip", archive.finish()?.into_inner()));
    Ok(files)
}

fn encoded(picture: &DynamicImage, format: ImageFormat) -> anyhow::Result<Vec<u8>> {
    let mut bytes = Cursor::new(Vec::new());
    picture.write_to(&mut bytes, format).context("a picture")?;
    Ok(bytes.into_inner())
}

/// A file with one to four changes: bytes turned, numbers made extreme, parts left out, doubled or swapped, the end cut off.
fn changed(bytes: &[u8], random: &mut StdRng) -> Vec<u8> {
    let mut bytes = bytes.to_vec();
    for _ in 0..random.random_range(1..=4) {
        if bytes.len() < 16 {
            break;
        }
        // Heads are where the structure is.
        let reach = if random.random_bool(0.6) { bytes.len().min(400) } else { bytes.len() };
        let at = random.random_range(0..reach - 8);
        let length = random.random_range(1..(bytes.len() - at).min(200));
        match random.random_range(0..7) {
            0 => bytes[at] ^= 1 << random.random_range(0..8),
            1 => bytes[at] = random.random(),
            2 => bytes[at..at + 4].fill([0x00, 0x7F, 0xFF][random.random_range(0..3)]),
            3 => drop(bytes.drain(at..at + length)),
            4 => {
                let again = bytes[at..at + length].to_vec();
                bytes.splice(at..at, again);
            }
            5 => bytes.truncate(at + 8),
            _ => {
                let to = random.random_range(0..bytes.len() - 8);
                for i in 0..4 {
                    bytes.swap(at + i, to + i);
                }
            }
        }
    }
    bytes
}
