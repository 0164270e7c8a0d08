//! XMP packets (ISO 16684-1): what is added to one, and what is set right in it.

/// The namespace that ISO 16684-1 puts before a packet in a JPEG segment, and its name for a PNG text.
pub(crate) const SEGMENT: &[u8] = b"http://ns.adobe.com/xap/1.0/\0";
pub(crate) const TEXT: &str = "XML:com.adobe.xmp";

/// The tag that holds a packet in a TIFF.
pub(crate) const TIFF_TAG: u16 = 700;

const EMPTY: &str = "<?xpacket begin=\"\u{feff}\" id=\"W5M0MpCehiHzreSzNTczkc9d\"?>\
    <x:xmpmeta xmlns:x=\"adobe:ns:meta/\"><rdf:RDF xmlns:rdf=\"http://www.w3.org/1999/02/22-rdf-syntax-ns#\">\
    </rdf:RDF></x:xmpmeta><?xpacket end=\"w\"?>";

const END: &str = "</rdf:RDF>";

const OUTER_END: &str = "</x:xmpmeta>";

/// A packet with an RDF description in it, after all that it said; one that is no XMP is replaced.
pub(crate) fn with_description(packet: Option<Vec<u8>>, description: &str) -> Vec<u8> {
    let packet = packet.and_then(|bytes| String::from_utf8(bytes).ok());
    let packet = packet.filter(|text| text.contains(OUTER_END)).unwrap_or_else(|| EMPTY.to_owned());
    let joined = match (packet.rfind(END), packet.rfind(OUTER_END)) {
        (Some(at), _) => [&packet[..at], description, &packet[at..]].concat(),
        // Descriptions that stand there without the list that they belong into are left as they are.
        (None, at) => {
            let (before, after) = packet.split_at(at.unwrap_or(0));
            let list = "<rdf:RDF xmlns:rdf=\"http://www.w3.org/1999/02/22-rdf-syntax-ns#\">";
            [before, list, description, END, after].concat()
        }
    };
    joined.into_bytes()
}

/// A packet that says that the picture stands upright.
pub(crate) fn upright(mut packet: Vec<u8>) -> Vec<u8> {
    for name in [&b"tiff:Orientation=\""[..], b"tiff:Orientation='", b"<tiff:Orientation>"] {
        let places: Vec<usize> =
            packet.windows(name.len() + 1).enumerate().filter(|(_, w)| w.starts_with(name)).map(|(i, _)| i).collect();
        places.into_iter().for_each(|at| {
            if packet[at + name.len()].is_ascii_digit() {
                packet[at + name.len()] = b'1';
            }
        });
    }
    packet
}

/// Text that may stand between tags.
pub(crate) fn escaped(text: &str) -> String {
    let allowed = |c: &char| !c.is_control() || matches!(c, '\t' | '\n' | '\r');
    text.chars().filter(allowed).collect::<String>().replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;")
}

#[cfg(test)]
mod tests {
    use super::*;

    const TITLE: &str = "<rdf:Description rdf:about=\"\" dc:title=\"Vases &amp; bowls\"/>";

    #[test]
    fn what_a_packet_said_stays_before_what_is_added() {
        let packet = EMPTY.replace(END, &format!("{TITLE}</rdf:RDF>")).into_bytes();
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
        assert_eq!(escaped("a\u{0}b\u{1b}\tc < d & e"), "ab\tc &lt; d &amp; e");
    }
}
