//! What is private and takes strangers' bytes, open to the fuzz targets.

use std::io::Cursor;

pub use crate::codec::fuzzing::{blocks, container};
use crate::metadata::{iptc, xmp};
pub use crate::model::own::parts::count as parts;

/// Records and a packet as a file holds them, carried over into a result.
pub fn metadata(bytes: &[u8]) {
    let middle = bytes.len() / 2;
    let (records, packet) = bytes.split_at(middle);
    let found = iptc::of_segments(&[records.to_vec()]);
    for records in found.as_deref().into_iter().chain([records]) {
        assert!(iptc::segments(records).iter().all(|segment| segment.len() <= 65_533));
        let description = iptc::as_description(records, Some(packet));
        let described = xmp::with_description(Some(packet.to_vec()), &description.unwrap_or_default());
        xmp::upright(described);
    }
    let _ = exif::Reader::new().read_from_container(&mut Cursor::new(bytes));
}
