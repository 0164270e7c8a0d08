//! A decoded picture on its way from the child to the parent.

use std::io::{self, Read, Write};
use std::os::unix::net::UnixStream;

use dettaglio_domain::file::{Depth, Facts};
use dettaglio_domain::hash::ContentHash;

use crate::apart::wire;
use crate::codec::read::Decoded;
use crate::colour::ColourProfile;
use crate::metadata::Metadata;
use crate::picture::{Original, Samples};

/// The pixels and everything else that follow an answer.
pub(super) fn received(socket: &mut UnixStream, facts: Facts, hash: ContentHash) -> io::Result<Decoded> {
    let count = facts.size.area() as usize * facts.channels.count();
    let samples = match facts.depth {
        Depth::Eight => {
            let mut samples = vec![0_u8; count];
            socket.read_exact(&mut samples)?;
            Samples::Eight(samples)
        }
        Depth::Sixteen => {
            let mut samples = vec![0_u16; count];
            socket.read_exact(bytemuck::cast_slice_mut(&mut samples))?;
            Samples::Sixteen(samples)
        }
    };
    let profile = wire::receive_bytes(socket)?;
    let exif = wire::receive_bytes(socket)?;
    let xmp = wire::receive_bytes(socket)?;
    let iptc = wire::receive_bytes(socket)?;
    let profile = profile.and_then(|bytes| ColourProfile::parse(bytes, facts.channels));
    let metadata = Metadata { fields: exif.map(Metadata::fields_of_block).unwrap_or_default(), xmp, iptc };
    let original = Original::new(hash, facts.size, facts.channels, samples, profile).with_metadata(metadata);
    Ok(Decoded { original, facts })
}

/// Sends a decoded picture: the counterpart of [`received`].
pub(super) fn send_picture(socket: &mut UnixStream, decoded: &Decoded) -> io::Result<()> {
    let original = &decoded.original;
    match original.samples() {
        Samples::Eight(samples) => socket.write_all(samples)?,
        Samples::Sixteen(samples) => socket.write_all(bytemuck::cast_slice(samples))?,
    }
    let metadata = original.metadata();
    wire::send_bytes(socket, original.profile().map(|profile| profile.bytes()))?;
    wire::send_bytes(socket, metadata.and_then(|m| m.block_of_fields()).as_deref())?;
    wire::send_bytes(socket, metadata.and_then(|m| m.xmp.as_deref()))?;
    wire::send_bytes(socket, metadata.and_then(|m| m.iptc.as_deref()))
}
