//! What a file says of its picture: in its head, and in EXIF.

use dettaglio_domain::file::{Channels, Depth, Facts};
use dettaglio_domain::geometry::Size;
use image::metadata::Orientation;

/// The most characters of a fact: a camera's name is short, and a field may hold megabytes.
const LONGEST_TEXT: usize = 200;

/// What every kind of file tells in the same way: its size, and its EXIF.
pub(super) fn common(
    format: &str,
    bytes: u64,
    size: Size,
    channels: Channels,
    depth: Depth,
    orientation: Orientation,
    exif: Option<&exif::Exif>,
) -> Facts {
    Facts {
        format: format.to_owned(),
        bytes,
        size,
        depth,
        channels,
        profile: None,
        turned: orientation != Orientation::NoTransforms,
        had_transparency: false,
        camera: exif.and_then(camera),
        iso: exif.and_then(iso_of),
        taken: exif.and_then(|e| text(e, exif::Tag::DateTimeOriginal)),
        exposure: exif.and_then(exposure),
        jpeg_quality: None,
    }
}

/// Exposure time, aperture, focal length and lens, as far as they are there.
fn exposure(exif: &exif::Exif) -> Option<String> {
    let shown = |tag| {
        let field = exif.get_field(tag, exif::In::PRIMARY)?;
        Some(field.display_value().with_unit(exif).to_string())
    };
    let parts: Vec<String> = [exif::Tag::ExposureTime, exif::Tag::FNumber, exif::Tag::FocalLength]
        .into_iter()
        .filter_map(shown)
        .chain(text(exif, exif::Tag::LensModel))
        .filter(|part| part.len() < 80)
        .collect();
    (!parts.is_empty()).then(|| parts.join(", "))
}

fn iso_of(exif: &exif::Exif) -> Option<u32> {
    exif.get_field(exif::Tag::PhotographicSensitivity, exif::In::PRIMARY)?.value.get_uint(0)
}

fn camera(exif: &exif::Exif) -> Option<String> {
    let (make, model) = (text(exif, exif::Tag::Make), text(exif, exif::Tag::Model)?);
    match make {
        Some(make) if !model.starts_with(&make) => Some(format!("{make} {model}")),
        _ => Some(model),
    }
}

fn text(exif: &exif::Exif, tag: exif::Tag) -> Option<String> {
    let field = exif.get_field(tag, exif::In::PRIMARY)?;
    let exif::Value::Ascii(lines) = &field.value else {
        return None;
    };
    let text = String::from_utf8_lossy(lines.first()?).trim().chars().take(LONGEST_TEXT).collect::<String>();
    (!text.is_empty()).then_some(text)
}
