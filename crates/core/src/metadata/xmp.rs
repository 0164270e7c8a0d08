//! XMP packets (ISO 16684-1): what is added to one, taken out of it, and set right in it.
//!
//! A packet is copied event by event: what nothing is done to stays as it stood.

use std::collections::HashSet;
use std::io;

use quick_xml::escape::partial_escape;
use quick_xml::events::attributes::Attribute;
use quick_xml::events::{BytesEnd, BytesStart, BytesText, Event};
use quick_xml::name::{LocalName, Namespace, NamespaceResolver, ResolveResult};
use quick_xml::{NsReader, Writer};

/// The namespace that ISO 16684-1 puts before a packet in a JPEG segment, and its name for a PNG text.
pub(crate) const SEGMENT: &[u8] = b"http://ns.adobe.com/xap/1.0/\0";
pub(crate) const TEXT: &str = "XML:com.adobe.xmp";

/// The tag that holds a packet in a TIFF.
pub(crate) const TIFF_TAG: u16 = 700;

const EMPTY: &str = "<?xpacket begin=\"\u{feff}\" id=\"W5M0MpCehiHzreSzNTczkc9d\"?>\
    <x:xmpmeta xmlns:x=\"adobe:ns:meta/\"><rdf:RDF xmlns:rdf=\"http://www.w3.org/1999/02/22-rdf-syntax-ns#\">\
    </rdf:RDF></x:xmpmeta><?xpacket end=\"w\"?>";

/// A namespace and the prefix that is usual for it, which some files use without saying what it means.
#[derive(Clone, Copy)]
pub(crate) struct Known {
    pub(crate) prefix: &'static str,
    pub(crate) uri: &'static str,
}

const RDF: Known = Known { prefix: "rdf", uri: "http://www.w3.org/1999/02/22-rdf-syntax-ns#" };
const META: Known = Known { prefix: "x", uri: "adobe:ns:meta/" };
const TIFF: Known = Known { prefix: "tiff", uri: "http://ns.adobe.com/tiff/1.0/" };

impl Known {
    fn is(self, (space, local): &(ResolveResult<'_>, LocalName<'_>), name: &str) -> bool {
        let here = match space {
            ResolveResult::Bound(Namespace(uri)) => *uri == self.uri.as_bytes(),
            ResolveResult::Unknown(prefix) => prefix == self.prefix.as_bytes(),
            ResolveResult::Unbound => false,
        };
        here && local.as_ref() == name.as_bytes()
    }
}

/// A packet with an RDF description in it, after all that it said; one that is no XMP is replaced.
///
/// `description` is an element of RDF that declares its own namespaces.
pub(crate) fn with_description(packet: Option<Vec<u8>>, description: &str) -> Vec<u8> {
    let added = packet.and_then(|packet| added(&packet, description));
    added.or_else(|| self::added(EMPTY.as_bytes(), description)).unwrap_or_default()
}

/// A packet that says that the picture stands upright; one that cannot be read is left as it is.
pub(crate) fn upright(packet: Vec<u8>) -> Vec<u8> {
    const NAME: &str = "Orientation";
    let mut in_orientation = false;
    let edited = edited(&packet, |names, event| match event {
        Event::Start(element) => {
            in_orientation = TIFF.is(&names.resolve_element(element.name()), NAME);
            instead(with_attribute(names, element, TIFF, NAME, "1").map(Event::Start))
        }
        Event::Empty(element) => instead(with_attribute(names, element, TIFF, NAME, "1").map(Event::Empty)),
        Event::Text(_) if std::mem::take(&mut in_orientation) => {
            instead(Some(Event::Text(BytesText::from_escaped("1"))))
        }
        _ => Instead::Same,
    });
    edited.unwrap_or(packet)
}

/// A packet without the properties of a namespace that are elements, and without descriptions that declare nothing else; one that
/// cannot be read is left as it is.
pub(crate) fn without(packet: Vec<u8>, uri: &str) -> Vec<u8> {
    // How many elements are open since one that is left out, that one counted too.
    let mut depth_left_out = 0_usize;
    let edited = edited(&packet, |names, event| {
        let goes = match event {
            Event::Start(element) | Event::Empty(element) => {
                depth_left_out > 0 || is_of(names, element, uri) || declares_only(element, uri)
            }
            _ => depth_left_out > 0,
        };
        match event {
            Event::Start(_) if goes => depth_left_out += 1,
            Event::End(_) if goes => depth_left_out -= 1,
            _ => {}
        }
        if goes { Instead::These(Vec::new()) } else { Instead::Same }
    });
    edited.unwrap_or(packet)
}

/// The properties that a packet says something of.
pub(crate) struct Said(HashSet<(Vec<u8>, Vec<u8>)>);

impl Said {
    /// Nothing, if there is no packet or it cannot be read.
    pub(crate) fn of(packet: Option<&[u8]>) -> Self {
        let mut found = HashSet::new();
        let read = walked(packet.unwrap_or_default(), |names, event| {
            let (Event::Start(element) | Event::Empty(element)) = &event else { return Some(()) };
            let attributes = element.attributes().flatten().map(|a| names.resolve_attribute(a.key));
            for (space, local) in attributes.chain([names.resolve_element(element.name())]) {
                let space = match space {
                    ResolveResult::Bound(Namespace(uri)) => uri.to_vec(),
                    ResolveResult::Unknown(prefix) => prefix,
                    ResolveResult::Unbound => continue,
                };
                found.insert((space, local.as_ref().to_vec()));
            }
            Some(())
        });
        Self(read.map(|()| found).unwrap_or_default())
    }

    /// Whether it says something of a property of a namespace.
    pub(crate) fn names(&self, space: Known, name: &str) -> bool {
        let is_there = |space: &str| self.0.contains(&(space.as_bytes().to_vec(), name.as_bytes().to_vec()));
        is_there(space.uri) || is_there(space.prefix)
    }
}

/// What a property says, in the forms of ISO 16684-1.
pub(crate) enum Value {
    /// One text.
    Text(String),
    /// One text in the language that is taken when no other is asked for.
    Language(String),
    /// Several, in order.
    List(Vec<String>),
    /// Several, in no order.
    Bag(Vec<String>),
}

/// A property of a picture.
pub(crate) struct Property {
    pub(crate) space: Known,
    pub(crate) name: &'static str,
    pub(crate) value: Value,
}

/// An RDF description of some properties, which declares their namespaces.
pub(crate) fn description(properties: &[Property]) -> String {
    let mut spaces: Vec<Known> = Vec::new();
    for property in properties {
        if !spaces.iter().any(|space| space.uri == property.space.uri) {
            spaces.push(property.space);
        }
    }
    let mut element = BytesStart::new("rdf:Description");
    element.push_attribute(("rdf:about", ""));
    for space in spaces {
        element.push_attribute((format!("xmlns:{}", space.prefix).as_str(), space.uri));
    }
    let end = element.to_end().into_owned();
    let mut writer = Writer::new(Vec::new());
    let written = (|| {
        writer.write_event(Event::Start(element.borrow()))?;
        properties.iter().try_for_each(|property| write_property(&mut writer, property))?;
        writer.write_event(Event::End(end))
    })();
    // A vector takes whatever is written.
    debug_assert!(written.is_ok());
    String::from_utf8(writer.into_inner()).unwrap_or_default()
}

fn write_property(writer: &mut Writer<Vec<u8>>, property: &Property) -> io::Result<()> {
    let element = writer.create_element(format!("{}:{}", property.space.prefix, property.name));
    let (kind, values) = match &property.value {
        Value::Text(value) => return element.write_text_content(text(value)).map(drop),
        Value::Language(value) => ("rdf:Alt", std::slice::from_ref(value)),
        Value::List(values) => ("rdf:Seq", &values[..]),
        Value::Bag(values) => ("rdf:Bag", &values[..]),
    };
    let language = matches!(property.value, Value::Language(_)).then_some(("xml:lang", "x-default"));
    element.write_inner_content(|writer| {
        let items = writer.create_element(kind);
        items.write_inner_content(|writer| {
            values.iter().try_for_each(|value| {
                writer.create_element("rdf:li").with_attributes(language).write_text_content(text(value)).map(drop)
            })
        })?;
        Ok(())
    })?;
    Ok(())
}

/// Text that may stand between tags; what XML forbids is left out.
fn text(text: &str) -> BytesText<'static> {
    let allowed = |c: &char| !c.is_control() || matches!(c, '\t' | '\n' | '\r');
    let text: String = text.chars().filter(allowed).collect();
    BytesText::from_escaped(partial_escape(text).into_owned())
}

/// What is written in the place of an event.
enum Instead<'e> {
    Same,
    These(Vec<Event<'e>>),
}

fn instead(event: Option<Event<'_>>) -> Instead<'_> {
    event.map_or(Instead::Same, |event| Instead::These(vec![event]))
}

/// Each event of a packet in turn, up to the first that is not wanted; nothing when it is no XMP, or not read to its end.
fn walked<'p>(packet: &'p [u8], mut each: impl FnMut(&NamespaceResolver, Event<'p>) -> Option<()>) -> Option<()> {
    let mut reader = NsReader::from_reader(packet);
    let (mut depth, mut is_xmp) = (0_usize, false);
    loop {
        let event = reader.read_event().ok()?;
        if let (0, Event::Start(element) | Event::Empty(element)) = (depth, &event) {
            let name = reader.resolver().resolve_element(element.name());
            is_xmp |= META.is(&name, "xmpmeta") || RDF.is(&name, "RDF");
        }
        match &event {
            Event::Eof => return (is_xmp && depth == 0).then_some(()),
            Event::Start(_) => depth += 1,
            Event::End(_) => depth = depth.checked_sub(1)?,
            _ => {}
        }
        each(reader.resolver(), event)?;
    }
}

/// A packet copied event by event, with something else in the place of some; nothing when it is no XMP.
fn edited<'p>(
    packet: &'p [u8],
    mut in_place_of: impl FnMut(&NamespaceResolver, &Event<'p>) -> Instead<'p>,
) -> Option<Vec<u8>> {
    let mut writer = Writer::new(Vec::with_capacity(packet.len()));
    walked(packet, |names, event| match in_place_of(names, &event) {
        Instead::Same => writer.write_event(event).ok(),
        Instead::These(events) => events.into_iter().try_for_each(|event| writer.write_event(event)).ok(),
    })?;
    Some(writer.into_inner())
}

/// A packet with a description at the end of its first list of descriptions.
fn added(packet: &[u8], description: &str) -> Option<Vec<u8>> {
    let mut is_added = false;
    let edited = edited(packet, |names, event| {
        let name = match event {
            Event::End(element) => names.resolve_element(element.name()),
            Event::Empty(element) => names.resolve_element(element.name()),
            _ => return Instead::Same,
        };
        let (is_list, is_outer) = (RDF.is(&name, "RDF"), META.is(&name, "xmpmeta"));
        if is_added || !(is_list || is_outer) {
            return Instead::Same;
        }
        is_added = true;
        // Written between tags as it is: it is XML already.
        let mut events = vec![Event::Text(BytesText::from_escaped(description.to_owned()))];
        if is_outer {
            // Descriptions that stand there without the list that they belong into are left as they are.
            let list = BytesStart::new("rdf:RDF").with_attributes([("xmlns:rdf", RDF.uri)]);
            events.insert(0, Event::Start(list));
            events.push(Event::End(BytesEnd::new("rdf:RDF")));
        }
        match event {
            Event::Empty(element) => {
                events.insert(0, Event::Start(element.clone()));
                events.push(Event::End(element.to_end().into_owned()));
            }
            end => events.push(end.clone()),
        }
        Instead::These(events)
    });
    edited.filter(|_| is_added)
}

/// An element with another value of an attribute; nothing when it does not have that attribute.
fn with_attribute(
    names: &NamespaceResolver,
    element: &BytesStart<'_>,
    space: Known,
    name: &str,
    value: &str,
) -> Option<BytesStart<'static>> {
    let is_it = |attribute: &Attribute<'_>| space.is(&names.resolve_attribute(attribute.key), name);
    if !element.attributes().flatten().any(|attribute| is_it(&attribute)) {
        return None;
    }
    let mut changed = BytesStart::new(String::from_utf8_lossy(element.name().as_ref()).into_owned());
    for attribute in element.attributes().flatten() {
        let key = String::from_utf8_lossy(attribute.key.as_ref());
        let kept = || String::from_utf8_lossy(&attribute.value).replace('"', "&quot;");
        let value = if is_it(&attribute) { value.to_owned() } else { kept() };
        changed.push_attribute((key.as_bytes(), value.as_bytes()));
    }
    Some(changed)
}

/// Whether an element belongs to a namespace.
fn is_of(names: &NamespaceResolver, element: &BytesStart<'_>, uri: &str) -> bool {
    names.resolve_element(element.name()).0 == ResolveResult::Bound(Namespace(uri.as_bytes()))
}

/// Whether a description is one of a namespace's properties alone: it declares this one, no other, and has no property itself.
fn declares_only(element: &BytesStart<'_>, uri: &str) -> bool {
    let mut declares = false;
    for attribute in element.attributes().flatten() {
        match attribute.key.as_ref() {
            key if key.starts_with(b"xmlns") && *attribute.value == *uri.as_bytes() => declares = true,
            b"rdf:about" => {}
            _ => return false,
        }
    }
    declares
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    const TITLE: &str = "<rdf:Description rdf:about=\"\" dc:title=\"Vases &amp; bowls\"/>";

    #[test]
    fn what_a_packet_said_stays_before_what_is_added() {
        let packet = EMPTY.replace("</rdf:RDF>", &format!("{TITLE}</rdf:RDF>")).into_bytes();
        let text = String::from_utf8(with_description(Some(packet), "<rdf:Description/>")).unwrap();
        assert!(
            text.ends_with(&format!("{TITLE}<rdf:Description/></rdf:RDF></x:xmpmeta><?xpacket end=\"w\"?>")),
            "{text}"
        );
    }

    #[test]
    fn a_packet_without_a_list_gets_one_for_what_is_added() {
        let packet = format!("<x:xmpmeta xmlns:x='adobe:ns:meta/'>{TITLE}</x:xmpmeta>").into_bytes();
        let text = String::from_utf8(with_description(Some(packet), "<rdf:Description/>")).unwrap();
        assert!(text.contains(TITLE) && text.contains("<rdf:Description/></rdf:RDF></x:xmpmeta>"), "{text}");
    }

    #[test]
    fn what_is_no_packet_is_replaced() {
        for packet in [vec![0xff, 0xfe, 0x00], b"hello".to_vec(), Vec::new()] {
            let text = String::from_utf8(with_description(Some(packet), TITLE)).unwrap();
            assert!(text.contains(TITLE) && text.contains("<rdf:RDF"), "{text}");
        }
    }

    #[test]
    fn controls_that_xml_forbids_are_left_out() {
        assert_eq!(&*text("a\u{0}b\u{1b}\tc < d & e"), b"ab\tc &lt; d &amp; e");
    }

    #[rstest]
    #[case::element("<a:Orientation>6</a:Orientation>", "<a:Orientation>1</a:Orientation>")]
    #[case::attribute("<b a:Orientation='8' c='\"d\"'/>", "<b a:Orientation=\"1\" c=\"&quot;d&quot;\"/>")]
    #[case::other_namespace(
        "<Orientation>6</Orientation><b Orientation='6'/>",
        "<Orientation>6</Orientation><b Orientation='6'/>"
    )]
    #[case::in_words("<b>tiff:Orientation=\"6\" &amp; more</b>", "<b>tiff:Orientation=\"6\" &amp; more</b>")]
    fn the_orientation_is_set_wherever_it_stands(#[case] before: &str, #[case] after: &str) {
        let packet =
            |inner: &str| format!("<x:xmpmeta xmlns:x='adobe:ns:meta/' xmlns:a='{}'>{inner}</x:xmpmeta>", TIFF.uri);
        assert_eq!(String::from_utf8(upright(packet(before).into_bytes())).unwrap(), packet(after));
    }

    #[test]
    fn a_packet_that_breaks_off_is_left_as_it_is() {
        let broken = b"<x:xmpmeta xmlns:x='adobe:ns:meta/'><b tiff:Orientation='6'>".to_vec();
        assert_eq!(upright(broken.clone()), broken);
        assert_eq!(without(broken.clone(), TIFF.uri), broken);
        assert!(!Said::of(Some(&broken)).names(TIFF, "Orientation"));
    }

    #[test]
    fn a_namespace_is_taken_out_and_nothing_else() {
        let own = "<rdf:Description rdf:about=\"\" xmlns:d=\"urn:own#\"><d:A>1</d:A><d:B><i/></d:B></rdf:Description>";
        let shared =
            |inner: &str| format!("<rdf:Description xmlns:d=\"urn:own#\" e=\"1\">{inner}<e/></rdf:Description>");
        let packet = |inner: &str| EMPTY.replace("</rdf:RDF>", &format!("{inner}</rdf:RDF>"));
        let before = packet(&format!("{own}{}", shared("<d:A>2</d:A>")));
        let after = String::from_utf8(without(before.into_bytes(), "urn:own#")).unwrap();
        assert_eq!(after, packet(&shared("")));
    }

    #[test]
    fn a_list_that_is_empty_takes_a_description() {
        let packet = format!("<rdf:RDF xmlns:rdf='{}'/>", RDF.uri).into_bytes();
        let text = String::from_utf8(with_description(Some(packet), "<rdf:Description/>")).unwrap();
        assert!(text.ends_with("'><rdf:Description/></rdf:RDF>"), "{text}");
    }
}
