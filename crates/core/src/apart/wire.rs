//! How parent and helper talk over a socket: open files, messages in JSON, and bytes.

use std::fs::File;
use std::io::{self, IoSlice, IoSliceMut, Read, Write};
use std::mem::MaybeUninit;
use std::os::fd::{AsFd, OwnedFd};
use std::os::unix::net::UnixStream;

use rustix::net::{
    RecvAncillaryBuffer, RecvAncillaryMessage, RecvFlags, SendAncillaryBuffer, SendAncillaryMessage, SendFlags,
    recvmsg, sendmsg,
};
use serde::Serialize;
use serde::de::DeserializeOwned;

/// The longest message in bytes; pictures and metadata follow messages and are not part of them.
const LONGEST_MESSAGE: u32 = 1 << 20;

/// The most bytes of a profile, or of one kind of metadata.
const LONGEST_PART: u64 = 32 << 20;

/// Hands over an open file.
pub(crate) fn send_file(socket: &UnixStream, file: &File) -> io::Result<()> {
    let files = [file.as_fd()];
    let mut space = [MaybeUninit::uninit(); rustix::cmsg_space!(ScmRights(1))];
    let mut ancillary = SendAncillaryBuffer::new(&mut space);
    ancillary.push(SendAncillaryMessage::ScmRights(&files));
    sendmsg(socket, &[IoSlice::new(&[1])], &mut ancillary, SendFlags::NOSIGNAL)?;
    Ok(())
}

/// The next file; nothing when the other side has ended.
pub(crate) fn receive_file(socket: &UnixStream) -> io::Result<Option<File>> {
    let mut space = [MaybeUninit::uninit(); rustix::cmsg_space!(ScmRights(1))];
    let mut ancillary = RecvAncillaryBuffer::new(&mut space);
    let mut byte = [0];
    recvmsg(socket, &mut [IoSliceMut::new(&mut byte)], &mut ancillary, RecvFlags::CMSG_CLOEXEC)?;
    let mut received: Option<OwnedFd> = None;
    for message in ancillary.drain() {
        if let RecvAncillaryMessage::ScmRights(files) = message {
            received = files.last();
        }
    }
    Ok(received.map(File::from))
}

pub(crate) fn send(socket: &mut UnixStream, message: &impl Serialize) -> io::Result<()> {
    let text = serde_json::to_vec(message)?;
    socket.write_all(&(text.len() as u32).to_le_bytes())?;
    socket.write_all(&text)
}

pub(crate) fn receive<T: DeserializeOwned>(socket: &mut UnixStream) -> io::Result<T> {
    let mut length = [0; 4];
    socket.read_exact(&mut length)?;
    let length = u32::from_le_bytes(length);
    if length > LONGEST_MESSAGE {
        return Err(io::Error::other("a message beyond all measure"));
    }
    let mut text = vec![0; length as usize];
    socket.read_exact(&mut text)?;
    Ok(serde_json::from_slice(&text)?)
}

fn receive_length(socket: &mut UnixStream) -> io::Result<u64> {
    let mut length = [0; 8];
    socket.read_exact(&mut length)?;
    Ok(u64::from_le_bytes(length))
}

/// Bytes that may be missing; what is too long counts as missing.
pub(crate) fn send_bytes(socket: &mut UnixStream, bytes: Option<&[u8]>) -> io::Result<()> {
    let bytes = bytes.filter(|bytes| bytes.len() as u64 <= LONGEST_PART);
    let length = bytes.map_or(u64::MAX, |bytes| bytes.len() as u64);
    socket.write_all(&length.to_le_bytes())?;
    socket.write_all(bytes.unwrap_or_default())
}

pub(crate) fn receive_bytes(socket: &mut UnixStream) -> io::Result<Option<Vec<u8>>> {
    match receive_length(socket)? {
        u64::MAX => Ok(None),
        length if length > LONGEST_PART => Err(io::Error::other("a part beyond all measure")),
        length => {
            let mut bytes = vec![0; length as usize];
            socket.read_exact(&mut bytes)?;
            Ok(Some(bytes))
        }
    }
}

/// Numbers in the machine's own form.
pub(crate) fn send_numbers(socket: &mut UnixStream, values: &[f32]) -> io::Result<()> {
    socket.write_all(&(values.len() as u64).to_le_bytes())?;
    socket.write_all(bytemuck::cast_slice(values))
}

/// Numbers, `most` of them at most.
pub(crate) fn receive_numbers(socket: &mut UnixStream, most: usize) -> io::Result<Vec<f32>> {
    let length = usize::try_from(receive_length(socket)?).unwrap_or(usize::MAX);
    if length > most {
        return Err(io::Error::other("more numbers than there can be"));
    }
    let mut values = vec![0.0_f32; length];
    socket.read_exact(bytemuck::cast_slice_mut(&mut values))?;
    Ok(values)
}
