//! What was done to a picture, written into the result's XMP packet beside what the original's own packet says.

use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::reading::Reading;
use dettaglio_domain::treatment::Treatment;

use crate::metadata::xmp::{self, escaped};

/// The namespace of the properties.
pub const NAMESPACE: &str = "urn:dettaglio:record:1#";

/// What was done to which original.
#[derive(Clone, Debug)]
pub struct History {
    done: String,
    reading: String,
}

impl History {
    /// The treatment and, where it was measured, the reading: both as JSON, so that the result can be made again.
    pub fn new(original: ContentHash, treatment: &Treatment, reading: Option<&Reading>) -> Self {
        let json = |value: serde_json::Result<String>| escaped(&value.unwrap_or_default());
        let reading = reading.map_or_else(String::new, |reading| {
            format!("<dtl:Reading>{}</dtl:Reading>", json(serde_json::to_string(reading)))
        });
        let done = format!(
            "<dtl:Program>Dettaglio {}</dtl:Program>\
             <dtl:OriginalSha256>{original}</dtl:OriginalSha256><dtl:TreatmentHash>{}</dtl:TreatmentHash>\
             <dtl:Treatment>{}</dtl:Treatment>",
            env!("CARGO_PKG_VERSION"),
            treatment.hash(),
            json(serde_json::to_string(treatment)),
        );
        Self { done, reading }
    }

    /// The same without the reading, which can be taken again: for packets that would grow too long.
    pub(super) fn without_reading(&self) -> Self {
        Self { done: self.done.clone(), reading: String::new() }
    }

    /// A packet with this in it, after all that `packet` said; one that is no XMP is replaced.
    pub(super) fn added_to(&self, packet: Option<Vec<u8>>) -> Vec<u8> {
        let packet = packet.and_then(|bytes| String::from_utf8(bytes).ok()).map(without_earlier);
        let description = format!(
            "<rdf:Description rdf:about=\"\" xmlns:dtl=\"{NAMESPACE}\">{}{}</rdf:Description>",
            self.done, self.reading
        );
        xmp::with_description(packet.map(String::into_bytes), &description)
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

#[cfg(test)]
mod tests {
    use super::*;
    use dettaglio_domain::geometry::Size;
    use dettaglio_domain::kernel::Kernel;

    fn history(width: u32) -> History {
        History::new(ContentHash::of(b"vases"), &Treatment::plain(Kernel::Lanczos3, Size::new(width, 40)), None)
    }

    #[test]
    fn the_treatment_stands_in_the_packet() {
        let text = String::from_utf8(history(60).added_to(None)).unwrap();
        assert!(text.contains("<dtl:Treatment>{\"") && text.contains("<dtl:OriginalSha256>"), "{text}");
    }

    #[test]
    fn only_the_last_history_is_kept() {
        let once = history(60).added_to(None);
        let twice = String::from_utf8(history(90).added_to(Some(once))).unwrap();
        assert_eq!(twice.matches("<dtl:Program>").count(), 1);
        assert!(twice.contains("\"width\":90") && !twice.contains("\"width\":60"), "{twice}");
    }
}
