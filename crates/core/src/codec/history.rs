//! What was done to a picture, written into the result's XMP packet beside what the original's own packet says.

use crate::hash::ContentHash;
use crate::reading::Reading;
use crate::treatment::Treatment;

/// The namespace of the properties.
pub const NAMESPACE: &str = "urn:dettaglio:record:1#";

const EMPTY: &str = "<?xpacket begin=\"\u{feff}\" id=\"W5M0MpCehiHzreSzNTczkc9d\"?>\
    <x:xmpmeta xmlns:x=\"adobe:ns:meta/\"><rdf:RDF xmlns:rdf=\"http://www.w3.org/1999/02/22-rdf-syntax-ns#\">\
    </rdf:RDF></x:xmpmeta><?xpacket end=\"w\"?>";

const END: &str = "</rdf:RDF>";

const OUTER_END: &str = "</x:xmpmeta>";

/// What was done to which original, as an RDF description.
#[derive(Clone, Debug)]
pub struct History(String);

impl History {
    /// The treatment and, where it was measured, the reading: both as JSON, so that the result can be made again.
    pub fn new(original: ContentHash, treatment: &Treatment, reading: Option<&Reading>) -> Self {
        let json = |value: serde_json::Result<String>| escaped(&value.unwrap_or_default());
        let reading = reading.map_or_else(String::new, |reading| {
            format!("<dtl:Reading>{}</dtl:Reading>", json(serde_json::to_string(reading)))
        });
        Self(format!(
            "<rdf:Description rdf:about=\"\" xmlns:dtl=\"{NAMESPACE}\"><dtl:Program>Dettaglio {}</dtl:Program>\
             <dtl:OriginalSha256>{original}</dtl:OriginalSha256><dtl:TreatmentHash>{}</dtl:TreatmentHash>\
             <dtl:Treatment>{}</dtl:Treatment>{reading}</rdf:Description>",
            env!("CARGO_PKG_VERSION"),
            treatment.hash(),
            json(serde_json::to_string(treatment)),
        ))
    }

    /// A packet with this in it, after all that `packet` said; one that is no XMP is replaced.
    pub(super) fn added_to(&self, packet: Option<Vec<u8>>) -> Vec<u8> {
        let packet = packet.and_then(|bytes| String::from_utf8(bytes).ok()).map(without_earlier);
        let packet = packet.filter(|text| text.contains(OUTER_END)).unwrap_or_else(|| EMPTY.to_owned());
        let joined = match (packet.rfind(END), packet.rfind(OUTER_END)) {
            (Some(at), _) => [&packet[..at], &self.0, &packet[at..]].concat(),
            // Descriptions that stand there without the list that they belong into are left as they are.
            (None, at) => {
                let (before, after) = packet.split_at(at.unwrap_or(0));
                [before, "<rdf:RDF xmlns:rdf=\"http://www.w3.org/1999/02/22-rdf-syntax-ns#\">", &self.0, END, after]
                    .concat()
            }
        };
        joined.into_bytes()
    }
}

/// A result that became an original again has a history of its own, which the new one takes the place of.
fn without_earlier(mut packet: String) -> String {
    const CLOSE: &str = "</rdf:Description>";
    let open = format!("<rdf:Description rdf:about=\"\" xmlns:dtl=\"{NAMESPACE}\">");
    while let Some(start) = packet.find(&open) {
        let Some(length) = packet[start..].find(CLOSE) else { break };
        packet.replace_range(start..start + length + CLOSE.len(), "");
    }
    packet
}

fn escaped(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;")
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::enlarge::Kernel;
    use crate::picture::Size;

    fn history(width: u32) -> History {
        History::new(ContentHash::of(b"vases"), &Treatment::plain(Kernel::Lanczos3, Size::new(width, 40)), None)
    }

    #[test]
    fn what_the_original_said_stays() {
        let packet = EMPTY.replace(END, "<rdf:Description rdf:about=\"\" dc:title=\"Vases &amp; bowls\"/></rdf:RDF>");
        let text = String::from_utf8(history(60).added_to(Some(packet.into_bytes()))).unwrap();
        assert!(text.contains("Vases &amp; bowls") && text.contains("<dtl:Treatment>{\""), "{text}");
        assert!(text.ends_with("</rdf:RDF></x:xmpmeta><?xpacket end=\"w\"?>"), "{text}");
    }

    #[test]
    fn only_the_last_history_is_kept() {
        let once = history(60).added_to(None);
        let twice = String::from_utf8(history(90).added_to(Some(once))).unwrap();
        assert_eq!(twice.matches("<dtl:Program>").count(), 1);
        assert!(twice.contains("\"width\":90") && !twice.contains("\"width\":60"), "{twice}");
    }

    #[test]
    fn a_packet_that_is_no_xmp_is_replaced() {
        for packet in [vec![0xff, 0xfe, 0x00], b"hello".to_vec(), Vec::new()] {
            let text = String::from_utf8(history(60).added_to(Some(packet))).unwrap();
            assert!(text.contains("<dtl:OriginalSha256>") && text.contains("<rdf:RDF"), "{text}");
        }
    }
}
