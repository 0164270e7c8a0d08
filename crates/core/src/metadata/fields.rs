//! What a file says about itself, carried over into the result: EXIF, XMP, IPTC.
//!
//! The result stands upright and has a size of its own, so what the original said of these is set right. Left out
//! are a camera's private notes, whose inner offsets do not survive a move, and its thumbnail.

use std::io::Cursor;

use dettaglio_domain::file::Format;
use dettaglio_domain::geometry::Size;
use exif::{Context, Field, In, Tag, Value};
use tiff::tags::Type;

use super::{iptc, xmp};

/// What is carried over.
#[derive(Default)]
pub struct Metadata {
    /// The EXIF fields that go into a result.
    pub(crate) fields: Vec<Field>,
    pub(crate) xmp: Option<Vec<u8>>,
    /// IPTC-IIM records, bare as TIFF holds them.
    pub(crate) iptc: Option<Vec<u8>>,
}

impl std::fmt::Debug for Metadata {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        let (exif, xmp, iptc) = (self.fields.len(), self.xmp.is_some(), self.iptc.is_some());
        write!(f, "Metadata({exif} exif fields, xmp {xmp}, iptc {iptc})")
    }
}

/// Of the main directory only what describes the picture; the rest describes the old file.
const KEPT_OF_MAIN: [Tag; 7] =
    [Tag::ImageDescription, Tag::Make, Tag::Model, Tag::DateTime, Tag::Artist, Tag::Copyright, Tag::Software];

impl Metadata {
    /// The fields of a file's EXIF that describe the picture.
    pub(crate) fn kept_fields(exif: &exif::Exif) -> Vec<Field> {
        let kept = |field: &&Field| {
            field.ifd_num == In::PRIMARY
                && match field.tag.context() {
                    Context::Tiff => KEPT_OF_MAIN.contains(&field.tag),
                    Context::Exif => ![Tag::MakerNote, Tag::PixelXDimension, Tag::PixelYDimension].contains(&field.tag),
                    Context::Gps => true,
                    _ => false,
                }
                && is_sound(&field.value)
        };
        exif.fields()
            .filter(kept)
            .map(|field| Field { tag: field.tag, ifd_num: field.ifd_num, value: field.value.clone() })
            .collect()
    }

    /// A whole EXIF block for a result of this size; nothing when the original had none.
    pub(crate) fn exif_block(&self, size: Size) -> Option<Vec<u8>> {
        if self.fields.is_empty() {
            return None;
        }
        let set = |tag, value| Field { tag, ifd_num: In::PRIMARY, value };
        let own = [
            set(Tag::Orientation, Value::Short(vec![1])),
            set(Tag::PixelXDimension, Value::Long(vec![size.width])),
            set(Tag::PixelYDimension, Value::Long(vec![size.height])),
        ];
        block(self.fields.iter().chain(&own))
    }

    /// The EXIF fields as a block, from which [`fields_of_block`](Self::fields_of_block) has them again.
    pub(crate) fn block_of_fields(&self) -> Option<Vec<u8>> {
        if self.fields.is_empty() { None } else { block(&self.fields) }
    }

    /// The EXIF fields of a block.
    pub(crate) fn fields_of_block(bytes: Vec<u8>) -> Vec<Field> {
        exif::Reader::new().read_raw(bytes).map(|exif| Self::kept_fields(&exif)).unwrap_or_default()
    }

    /// The XMP packet for a format, saying that the picture stands upright and what the format has no other place for.
    pub(crate) fn xmp_packet(&self, format: Format) -> Option<Vec<u8>> {
        let packet = self.xmp.clone().map(xmp::upright);
        let homeless = self.iptc.as_ref().filter(|_| matches!(format, Format::Png | Format::WebP));
        match homeless.and_then(|records| iptc::as_description(records, packet.as_deref())) {
            Some(description) => Some(xmp::with_description(packet, &description)),
            None => packet,
        }
    }
}

fn block<'a>(fields: impl IntoIterator<Item = &'a Field>) -> Option<Vec<u8>> {
    let mut writer = exif::experimental::Writer::new();
    fields.into_iter().for_each(|field| writer.push_field(field));
    let mut out = Cursor::new(Vec::new());
    writer.write(&mut out, true).ok()?;
    Some(out.into_inner())
}

/// Whether a value can be written again: a file may claim fields without values, or absurdly long ones.
fn is_sound(value: &Value) -> bool {
    const LONGEST: usize = 16_384;
    let length = match value {
        Value::Ascii(texts) => texts.iter().map(|t| t.len() + 1).sum(),
        Value::Undefined(bytes, _) => bytes.len(),
        Value::Unknown(..) => 0,
        Value::Byte(v) => v.len(),
        Value::SByte(v) => v.len(),
        Value::Short(v) => v.len() * 2,
        Value::SShort(v) => v.len() * 2,
        Value::Long(v) => v.len() * 4,
        Value::SLong(v) => v.len() * 4,
        Value::Rational(v) => v.len() * 8,
        Value::SRational(v) => v.len() * 8,
        Value::Float(v) => v.len() * 4,
        Value::Double(v) => v.len() * 8,
    };
    (1..=LONGEST).contains(&length)
}

/// A field's value as a TIFF directory holds it: its type and its bytes in the machine's order.
///
/// Nothing for types that EXIF does not use.
pub(crate) fn tiff_value(value: &Value) -> Option<(Type, Vec<u8>)> {
    Some(match value {
        Value::Ascii(texts) => {
            let mut bytes = texts.join(&0);
            bytes.push(0);
            (Type::ASCII, bytes)
        }
        Value::Byte(v) => (Type::BYTE, v.clone()),
        Value::Undefined(v, _) => (Type::UNDEFINED, v.clone()),
        Value::Short(v) => (Type::SHORT, v.iter().flat_map(|n| n.to_ne_bytes()).collect()),
        Value::Long(v) => (Type::LONG, v.iter().flat_map(|n| n.to_ne_bytes()).collect()),
        Value::Rational(v) => {
            (Type::RATIONAL, v.iter().flat_map(|r| [r.num.to_ne_bytes(), r.denom.to_ne_bytes()]).flatten().collect())
        }
        Value::SRational(v) => {
            (Type::SRATIONAL, v.iter().flat_map(|r| [r.num.to_ne_bytes(), r.denom.to_ne_bytes()]).flatten().collect())
        }
        _ => return None,
    })
}
