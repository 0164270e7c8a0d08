//! The child's side: reads one file after another for its parent, until that ends.

use std::io::{self, Read, Write};
use std::os::fd::AsFd;
use std::os::unix::net::UnixStream;

use dettaglio_domain::geometry::Size;

use super::messages::{Announced, Answer, Colours, Failure, GO_ON, NO_ROOM, Request};
use super::transfer::send_picture;
use crate::apart::{Confined, allow_memory, wire};
use crate::codec::announce::Memory;
use crate::codec::camera::{CameraColours, CameraPicture, read_camera_opened};
use crate::codec::error::CodecError;
use crate::codec::read::{Decoded, read_opened};

/// The hidden command with which a program runs itself as a decoder.
pub(crate) const DECODE_COMMAND: &str = "decode-apart";

/// Seconds of computing in a decoder's whole life; one that outlives its parent in a loop ends by this.
const SECONDS: u64 = 3600;

/// Bytes that a decoder may take beyond what was foreseen: tables, rows, and what the allocator does not give back.
const DECODING_SLACK: u64 = 128 << 20;

/// Answers a parent on the standard input until that ends; whatever ends the conversation ends the decoder.
pub(crate) fn serve() -> io::Result<()> {
    let mut socket = UnixStream::from(io::stdin().as_fd().try_clone_to_owned()?);
    let mut confined = Confined::new(SECONDS);
    socket.write_all(&[1])?;
    while let Some(file) = wire::receive_file(&socket)? {
        let Request { hash, colours, limits, head_bytes } = wire::receive(&mut socket)?;
        let allowed = confined.memory_in_use() + head_bytes;
        allow_memory(allowed);
        let mut conversation = Conversation { socket: &mut socket, allowed, announced: false };
        let announce = &mut |size, memory| conversation.announce(size, memory);
        let outcome = match colours {
            Colours::Finished => read_opened(file, hash, &limits, announce).map(|decoded| (decoded, None)),
            Colours::Camera => read_camera_opened(file, hash, &limits, announce)
                .map(|CameraPicture { decoded, colours }| (decoded, Some(colours))),
        };
        let announced = conversation.announced;
        tell(&mut socket, announced, outcome)?;
    }
    Ok(())
}

struct Conversation<'a> {
    socket: &'a mut UnixStream,
    allowed: u64,
    announced: bool,
}

impl Conversation<'_> {
    /// Says what the picture needs, and waits until there is that much.
    fn announce(&mut self, size: Size, memory: Memory) -> Result<(), CodecError> {
        wire::send(self.socket, &Ok::<_, Failure>(Announced { size, memory }))?;
        self.announced = true;
        let mut word = [NO_ROOM];
        self.socket.read_exact(&mut word)?;
        if word != [GO_ON] {
            return Err(CodecError::NoRoom);
        }
        allow_memory(self.allowed + memory.decoding + DECODING_SLACK);
        Ok(())
    }
}

fn tell(
    socket: &mut UnixStream,
    announced: bool,
    outcome: Result<(Decoded, Option<CameraColours>), CodecError>,
) -> io::Result<()> {
    match outcome {
        Ok((decoded, camera)) => {
            wire::send(socket, &Ok::<_, Failure>(Answer { facts: decoded.facts.clone(), camera }))?;
            send_picture(socket, &decoded)
        }
        Err(error) if announced => wire::send(socket, &Err::<Answer, _>(Failure::from(error))),
        Err(error) => wire::send(socket, &Err::<Announced, _>(Failure::from(error))),
    }
}
