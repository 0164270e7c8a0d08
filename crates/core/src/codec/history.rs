//! What was done to a picture, written into the result's XMP packet beside what the original's own packet says.

use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::reading::Reading;
use dettaglio_domain::treatment::Treatment;

use crate::metadata::xmp::{self, Known, Property, Value};

/// The namespace of the properties.
pub const NAMESPACE: &str = "urn:dettaglio:record:1#";

const DTL: Known = Known { prefix: "dtl", uri: NAMESPACE };

/// What was done to which original.
#[derive(Clone, Debug)]
pub struct History {
    /// Names of properties and what they say.
    done: [(&'static str, String); 4],
    reading: Option<String>,
}

impl History {
    /// The treatment and, where it was measured, the reading: both as JSON, so that the result can be made again.
    pub fn new(original: ContentHash, treatment: &Treatment, reading: Option<&Reading>) -> Self {
        let json = |value: serde_json::Result<String>| value.unwrap_or_default();
        let done = [
            ("Program", format!("Dettaglio {}", env!("CARGO_PKG_VERSION"))),
            ("OriginalSha256", original.to_string()),
            ("TreatmentHash", treatment.hash().to_string()),
            ("Treatment", json(serde_json::to_string(treatment))),
        ];
        Self { done, reading: reading.map(|reading| json(serde_json::to_string(reading))) }
    }

    /// The same without the reading, which can be taken again: for packets that would grow too long.
    pub(super) fn without_reading(&self) -> Self {
        Self { done: self.done.clone(), reading: None }
    }

    /// A packet with this in it, after all that `packet` said; one that is no XMP is replaced.
    ///
    /// A result that became an original again has a history of its own, which this one takes the place of.
    pub(super) fn added_to(&self, packet: Option<Vec<u8>>) -> Vec<u8> {
        let packet = packet.map(|packet| xmp::without(packet, NAMESPACE));
        let reading = self.reading.iter().map(|reading| ("Reading", reading.clone()));
        let properties: Vec<Property> = (self.done.iter().cloned().chain(reading))
            .map(|(name, value)| Property { space: DTL, name, value: Value::Text(value) })
            .collect();
        xmp::with_description(packet, &xmp::description(&properties))
    }
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
