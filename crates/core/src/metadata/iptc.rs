//! IPTC-IIM records (Information Interchange Model 4.2): captions, credits and keywords that agencies and archives write.
//!
//! JPEG wraps them in APP13 segments and TIFF has a tag for them. PNG and WebP have no place for them: there they are told as
//! XMP, property by property as the IPTC Photo Metadata Standard maps them.

use super::xmp::{Known, Property, Said, Value, description};
use crate::codec::jpeg_segments::SEGMENT_BYTES;

/// The tag that holds the records in a TIFF.
pub(crate) const TIFF_TAG: u16 = 33723;

/// What the segments begin with that hold resources of this kind.
const SEGMENT: &[u8] = b"Photoshop 3.0\0";

/// What each resource begins with, and the number of the one that holds IPTC records.
const RESOURCE: &[u8] = b"8BIM";
const RECORDS: u16 = 0x0404;

/// The most that one segment holds besides its beginning.
const SEGMENT_ROOM: usize = SEGMENT_BYTES - SEGMENT.len();

/// The records in a JPEG's APP13 segments, bare.
pub(crate) fn of_segments(segments: &[Vec<u8>]) -> Option<Vec<u8>> {
    // Resources go on from segment to segment.
    let resources: Vec<u8> = segments.iter().filter_map(|s| s.strip_prefix(SEGMENT)).flatten().copied().collect();
    let mut rest = &resources[..];
    while let Some((number, content, after)) = resource(rest) {
        if number == RECORDS && !content.is_empty() {
            return Some(content.to_vec());
        }
        rest = after;
    }
    None
}

/// A resource's number and content, and what follows it: sides and names are filled up to even lengths.
fn resource(bytes: &[u8]) -> Option<(u16, &[u8], &[u8])> {
    let rest = bytes.strip_prefix(RESOURCE)?;
    let (number, rest) = rest.split_first_chunk()?;
    let name = usize::from(*rest.first()?) + 1;
    let (length, rest) = rest.get(name.next_multiple_of(2)..)?.split_first_chunk()?;
    let length = u32::from_be_bytes(*length) as usize;
    let content = rest.get(..length)?;
    Some((u16::from_be_bytes(*number), content, rest.get(length.next_multiple_of(2)..).unwrap_or(&[])))
}

/// Bare records wrapped as a JPEG's APP13 segments.
pub(crate) fn segments(records: &[u8]) -> Vec<Vec<u8>> {
    let mut all = [RESOURCE, &RECORDS.to_be_bytes(), &[0, 0], &(records.len() as u32).to_be_bytes(), records].concat();
    all.resize(all.len().next_multiple_of(2), 0);
    all.chunks(SEGMENT_ROOM).map(|part| [SEGMENT, part].concat()).collect()
}

/// One entry of the records.
struct DataSet<'a> {
    record: u8,
    number: u8,
    value: &'a [u8],
}

/// The entries, up to the first one that is damaged.
fn data_sets(records: &[u8]) -> Vec<DataSet<'_>> {
    fn first(bytes: &[u8]) -> Option<(DataSet<'_>, &[u8])> {
        let (&[0x1c, record, number, high, low], rest) = bytes.split_first_chunk()? else { return None };
        let length = u16::from_be_bytes([high, low]);
        // A set bit says how many bytes of length follow.
        let (length, rest) = if length & 0x8000 == 0 {
            (usize::from(length), rest)
        } else {
            let (digits, rest) = rest.split_at_checked(usize::from(length & 0x7fff)).filter(|(d, _)| d.len() <= 4)?;
            (digits.iter().fold(0, |sum, digit| sum << 8 | usize::from(*digit)), rest)
        };
        let (value, rest) = rest.split_at_checked(length)?;
        Some((DataSet { record, number, value }, rest))
    }
    let mut found = Vec::new();
    let mut rest = records;
    while let Some((set, after)) = first(rest) {
        found.push(set);
        rest = after;
    }
    found
}

/// How a property holds its values.
#[derive(Clone, Copy)]
enum Shape {
    /// One text.
    Text,
    /// One text, in the language that is taken when no other is asked for.
    Language,
    /// Several, in order.
    List,
    /// Several, in no order.
    Bag,
    /// A day, written CCYYMMDD there and CCYY-MM-DD here.
    Day,
}

const DC: Known = Known { prefix: "dc", uri: "http://purl.org/dc/elements/1.1/" };
const PHOTOSHOP: Known = Known { prefix: "photoshop", uri: "http://ns.adobe.com/photoshop/1.0/" };
const IPTC: Known = Known { prefix: "Iptc4xmpCore", uri: "http://iptc.org/std/Iptc4xmpCore/1.0/xmlns/" };

/// Entries of record 2 and the XMP properties that the IPTC Photo Metadata Standard maps them to.
const PROPERTIES: [(u8, Known, &str, Shape); 18] = [
    (5, DC, "title", Shape::Language),
    (25, DC, "subject", Shape::Bag),
    (40, PHOTOSHOP, "Instructions", Shape::Text),
    (55, PHOTOSHOP, "DateCreated", Shape::Day),
    (80, DC, "creator", Shape::List),
    (85, PHOTOSHOP, "AuthorsPosition", Shape::Text),
    (90, PHOTOSHOP, "City", Shape::Text),
    (92, IPTC, "Location", Shape::Text),
    (95, PHOTOSHOP, "State", Shape::Text),
    (100, IPTC, "CountryCode", Shape::Text),
    (101, PHOTOSHOP, "Country", Shape::Text),
    (103, PHOTOSHOP, "TransmissionReference", Shape::Text),
    (105, PHOTOSHOP, "Headline", Shape::Text),
    (110, PHOTOSHOP, "Credit", Shape::Text),
    (115, PHOTOSHOP, "Source", Shape::Text),
    (116, DC, "rights", Shape::Language),
    (120, DC, "description", Shape::Language),
    (122, PHOTOSHOP, "CaptionWriter", Shape::Text),
];

/// What the records say, as an RDF description; what `packet` says already is left out, and nothing is said twice.
pub(crate) fn as_description(records: &[u8], packet: Option<&[u8]>) -> Option<String> {
    let sets = data_sets(records);
    // Entry 1:90 names the character set by an escape sequence of ISO 2022; this one is UTF-8.
    let utf8 = sets.iter().any(|s| s.record == 1 && s.number == 90 && s.value == b"\x1b%G");
    let said = Said::of(packet);
    let properties: Vec<Property> = PROPERTIES
        .iter()
        .filter(|(_, space, name, _)| !said.names(*space, name))
        .filter_map(|&(number, space, name, shape)| {
            let values = sets.iter().filter(|s| s.record == 2 && s.number == number).map(|s| text(s.value, utf8));
            let values: Vec<String> = values.filter(|v| !v.trim().is_empty()).collect();
            let first = values.first()?.clone();
            let value = match shape {
                Shape::Text => Value::Text(first),
                Shape::Language => Value::Language(first),
                Shape::List => Value::List(values),
                Shape::Bag => Value::Bag(values),
                Shape::Day => Value::Text(day(first)),
            };
            Some(Property { space, name, value })
        })
        .collect();
    (!properties.is_empty()).then(|| description(&properties))
}

/// CCYYMMDD as CCYY-MM-DD; anything else as it is.
fn day(text: String) -> String {
    match text.as_str() {
        day if day.len() == 8 && day.is_ascii() => format!("{}-{}-{}", &day[..4], &day[4..6], &day[6..]),
        _ => text,
    }
}

/// A value's characters: UTF-8 where the records say so or it can be nothing else, else ISO 8859-1, whose bytes are code points.
fn text(value: &[u8], utf8: bool) -> String {
    match std::str::from_utf8(value) {
        Ok(text) => text.to_owned(),
        Err(_) if utf8 => String::from_utf8_lossy(value).into_owned(),
        Err(_) => value.iter().copied().map(char::from).collect(),
    }
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    fn set(record: u8, number: u8, value: &[u8]) -> Vec<u8> {
        [&[0x1c, record, number][..], &(value.len() as u16).to_be_bytes(), value].concat()
    }

    #[rstest]
    #[case(1)]
    #[case(2)]
    #[case(70_000)]
    fn records_come_out_of_segments_as_they_went_in(#[case] length: usize) {
        let records: Vec<u8> = (0..length).map(|i| i as u8).collect();
        let wrapped = segments(&records);
        assert!(wrapped.iter().all(|segment| segment.len() <= 65_533));
        assert_eq!(of_segments(&wrapped), Some(records));
    }

    #[test]
    fn resources_before_the_records_are_passed_over() {
        let other = b"8BIM\x04\x0c\x03eye\0\0\0\x03abc\0";
        let mut wrapped = segments(b"records");
        wrapped[0].splice(SEGMENT.len()..SEGMENT.len(), other.iter().copied());
        assert_eq!(of_segments(&wrapped).as_deref(), Some(&b"records"[..]));
    }

    #[rstest]
    #[case::nothing(b"")]
    #[case::something_else(b"captions in a wrapping of their own")]
    #[case::only_the_beginning(b"Photoshop 3.0\08BIM")]
    #[case::a_length_beyond_the_end(b"Photoshop 3.0\08BIM\x04\x04\0\0\xff\xff\xff\xffabc")]
    fn damaged_segments_hold_no_records(#[case] segment: &[u8]) {
        assert_eq!(of_segments(&[segment.to_vec()]), None);
    }

    #[test]
    fn each_entry_becomes_its_property() {
        let records = [
            set(2, 5, b"Furnace <1>"),
            set(2, 25, b"glass"),
            set(2, 25, "Onda cinquantatr\u{e9}".as_bytes()),
            set(2, 55, b"20260504"),
            set(2, 80, b"B. Ortolan"),
            set(2, 116, b"Ombralunga"),
            set(2, 120, b"  "),
        ]
        .concat();
        let told = as_description(&records, None).unwrap();
        for part in [
            "<dc:title><rdf:Alt><rdf:li xml:lang=\"x-default\">Furnace &lt;1&gt;</rdf:li></rdf:Alt></dc:title>",
            "<dc:subject><rdf:Bag><rdf:li>glass</rdf:li><rdf:li>Onda cinquantatr\u{e9}</rdf:li></rdf:Bag></dc:subject>",
            "<photoshop:DateCreated>2026-05-04</photoshop:DateCreated>",
            "<dc:creator><rdf:Seq><rdf:li>B. Ortolan</rdf:li></rdf:Seq></dc:creator>",
        ] {
            assert!(told.contains(part), "{part} in {told}");
        }
        assert!(!told.contains("dc:description"), "an empty entry says nothing: {told}");
    }

    #[test]
    fn what_the_packet_says_already_is_not_said_again() {
        let records = [set(2, 5, b"Furnace"), set(2, 116, b"Ombralunga")].concat();
        let packet = b"<x:xmpmeta><dc:title>Fornace</dc:title></x:xmpmeta>";
        let told = as_description(&records, Some(packet)).unwrap();
        assert!(!told.contains("dc:title") && told.contains("dc:rights"), "{told}");
        assert_eq!(as_description(&set(2, 5, b"Furnace"), Some(packet)), None);
    }

    #[rstest]
    #[case::latin(b"Murano caff\xe8", false, "Murano caff\u{e8}")]
    #[case::utf8("Murano caff\u{e8}".as_bytes(), true, "Murano caff\u{e8}")]
    #[case::utf8_that_is_not_said("Murano caff\u{e8}".as_bytes(), false, "Murano caff\u{e8}")]
    fn characters_are_read_in_their_own_set(#[case] value: &[u8], #[case] says_so: bool, #[case] expected: &str) {
        let charset = if says_so { set(1, 90, b"\x1b%G") } else { Vec::new() };
        let told = as_description(&[charset, set(2, 105, value)].concat(), None).unwrap();
        assert!(told.contains(&format!("<photoshop:Headline>{expected}<")), "{told}");
    }

    #[test]
    fn entries_after_a_damaged_one_are_left() {
        let records = [set(2, 5, b"Furnace"), vec![0x1c, 2, 116, 0xff, 0xff, 1, 2]].concat();
        let told = as_description(&records, None).unwrap();
        assert!(told.contains("Furnace") && !told.contains("dc:rights"), "{told}");
    }

    #[test]
    fn a_long_entry_states_how_long_its_length_is() {
        let long = vec![b'a'; 40_000];
        let records = [&[0x1c, 2, 120, 0x80, 4, 0, 0, 0x9c, 0x40][..], &long].concat();
        assert!(as_description(&records, None).unwrap().contains(&"a".repeat(40_000)));
    }
}
