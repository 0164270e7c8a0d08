//! Children that decode, kept for the next file, within two budgets of memory: theirs, and that of the pictures that are open here.

use std::fs::File;
use std::io::{self, Write};
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex};
use std::time::Duration;

use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::limits::Limits;

use super::child::DECODE_COMMAND;
use super::messages::{Announced, Answer, Colours, Failure, GO_ON, NO_ROOM, Request};
use super::transfer::received;
use crate::apart::{Helper, wire};
use crate::budget::Budget;
use crate::codec::camera::{CameraColours, CameraPicture, hash_in_camera_colours};
use crate::codec::error::CodecError;
use crate::codec::read::Decoded;

/// How long a child may take from one word to the next: the largest picture that is read takes a minute on a slow machine.
const PATIENCE: Duration = Duration::from_secs(180);

/// How long it may take until it knows what the file holds.
const HEAD_PATIENCE: Duration = Duration::from_secs(30);

/// How long a picture waits for memory that others have that are in use.
const ROOM_PATIENCE: Duration = Duration::from_secs(60);

/// A child is replaced after so many files: what a decoder leaves behind does not add up.
const FILES_OF_A_CHILD: usize = 200;

/// Memory that a child may hold before it has announced a picture, beyond twice the file.
const HEAD_BYTES: u64 = 1 << 30;

/// What pictures may take together, in bytes; one that takes more waits until it is alone.
#[derive(Clone, Copy, Debug)]
pub struct DecodingMemory {
    /// While they are being decoded, in the children.
    pub decoding: u64,
    /// While they are open.
    pub open: u64,
}

/// Reads files in child processes, a few at a time, within a budget of memory.
#[derive(Debug)]
pub struct Decoders {
    program: PathBuf,
    limits: Limits,
    head_bytes: u64,
    idle: Mutex<Vec<Kept>>,
    decoding: Arc<Budget>,
    open: Arc<Budget>,
    /// How many children work at once.
    turns: Arc<Budget>,
}

impl Decoders {
    /// `program` calls [`helper_main`](crate::helper_main) first of all.
    pub fn new(program: &Path, memory: DecodingMemory, limits: Limits) -> Self {
        let at_once = std::thread::available_parallelism().map_or(1, usize::from) as u64;
        Self {
            program: program.to_owned(),
            limits,
            head_bytes: HEAD_BYTES,
            idle: Mutex::default(),
            decoding: Budget::new(memory.decoding),
            open: Budget::new(memory.open),
            turns: Budget::new(at_once),
        }
    }

    /// With other room for a child that has not announced a picture yet: for tests, in which a file is to be too much.
    pub fn with_head_bytes(self, head_bytes: u64) -> Self {
        Self { head_bytes, ..self }
    }

    /// Reads a file whose content has the given hash; its picture's memory is held until the picture is dropped.
    ///
    /// Waits for its turn, and until there is memory; while that is short, `close_some` is asked to drop pictures of so many bytes
    /// that nobody uses.
    ///
    /// # Errors
    /// As [`read`](crate::codec::read()), and [`CodecError::Harmful`] when the child died of the file or took too long,
    /// [`CodecError::NoRoom`] when pictures that are in use left no memory for this one.
    pub fn read(&self, path: &Path, hash: ContentHash, close_some: &dyn Fn(u64)) -> Result<Decoded, CodecError> {
        self.read_in(Colours::Finished, path, hash, close_some).map(|(decoded, _)| decoded)
    }

    /// Reads a raw file in its camera's own colours, as [`read`](Self::read) reads a picture.
    ///
    /// # Errors
    /// As [`read`](Self::read), and as [`read_camera`](crate::codec::read_camera) for what is no raw file.
    pub fn read_camera(
        &self,
        path: &Path,
        hash: ContentHash,
        close_some: &dyn Fn(u64),
    ) -> Result<CameraPicture, CodecError> {
        match self.read_in(Colours::Camera, path, hash, close_some)? {
            (decoded, Some(colours)) => Ok(CameraPicture { decoded, colours }),
            (_, None) => Err(CodecError::Damaged("its camera's colours were not told".to_owned())),
        }
    }

    fn read_in(
        &self,
        colours: Colours,
        path: &Path,
        hash: ContentHash,
        close_some: &dyn Fn(u64),
    ) -> Result<(Decoded, Option<CameraColours>), CodecError> {
        let file = File::open(path)?;
        self.limits.check_file(file.metadata()?.len())?;
        let _turn = self.turns.take(1);
        let mut child = self.child()?;
        match self.ask(&mut child, file, hash, colours, close_some) {
            Ok(read) => {
                self.put_back(child);
                read
            }
            Err(why) => Err(CodecError::Harmful(child.helper.end_of(&why))),
        }
    }

    /// The outer error is the conversation's: the child is of no more use.
    fn ask(
        &self,
        child: &mut Kept,
        file: File,
        hash: ContentHash,
        colours: Colours,
        close_some: &dyn Fn(u64),
    ) -> io::Result<Result<(Decoded, Option<CameraColours>), CodecError>> {
        let socket = &mut child.helper.socket;
        socket.set_read_timeout(Some(HEAD_PATIENCE))?;
        let head_bytes = self.head_bytes + 2 * file.metadata()?.len();
        wire::send_file(socket, &file)?;
        wire::send(socket, &Request { hash, colours, limits: self.limits, head_bytes })?;
        let announced: Result<Announced, Failure> = wire::receive(socket)?;
        let announced = match announced {
            Ok(announced) => announced,
            Err(failure) => return Ok(Err(failure.into())),
        };
        // Children end by themselves what they do, so this one's turn comes; a picture may be in use for long.
        let _decoding = self.decoding.take(announced.memory.decoding);
        let Some(open) = self.open.take_within(announced.memory.open, ROOM_PATIENCE, close_some) else {
            socket.write_all(&[NO_ROOM])?;
            let _: Result<Answer, Failure> = wire::receive(socket)?;
            return Ok(Err(CodecError::NoRoom));
        };
        socket.set_read_timeout(Some(PATIENCE))?;
        socket.write_all(&[GO_ON])?;
        let answer: Result<Answer, Failure> = wire::receive(socket)?;
        match answer {
            Ok(Answer { facts, camera }) => {
                let hash = if camera.is_some() { hash_in_camera_colours(hash) } else { hash };
                let Decoded { original, facts } = received(socket, facts, hash)?;
                Ok(Ok((Decoded { original: original.holding(open), facts }, camera)))
            }
            Err(failure) => Ok(Err(failure.into())),
        }
    }

    fn child(&self) -> Result<Kept, CodecError> {
        let kept = self.idle.lock().unwrap_or_else(|e| e.into_inner()).pop();
        // One that has ended meanwhile, killed from outside say, is replaced.
        match kept.filter(|kept| kept.helper.is_alive()) {
            Some(kept) => Ok(kept),
            None => Ok(Kept { helper: Helper::start(&self.program, DECODE_COMMAND)?, files: 0 }),
        }
    }

    fn put_back(&self, mut child: Kept) {
        child.files += 1;
        if child.files < FILES_OF_A_CHILD {
            self.idle.lock().unwrap_or_else(|e| e.into_inner()).push(child);
        }
    }
}

/// A decoder that waits for a file.
#[derive(Debug)]
struct Kept {
    helper: Helper,
    /// How many it has read.
    files: usize,
}

#[cfg(test)]
mod tests {
    use std::os::unix::fs::PermissionsExt;

    use super::*;

    const MEMORY: DecodingMemory = DecodingMemory { decoding: 1 << 30, open: 1 << 30 };

    /// Reads a small file through a program that is this script, which speaks to its parent by its standard input.
    fn read_through(script: &str) -> CodecError {
        let folder = tempfile::tempdir().unwrap();
        let (program, file) = (folder.path().join("decoder"), folder.path().join("file"));
        std::fs::write(&program, format!("#!/bin/sh\n{script}\n")).unwrap();
        std::fs::set_permissions(&program, std::fs::Permissions::from_mode(0o700)).unwrap();
        std::fs::write(&file, "Isola Brina").unwrap();
        let decoders = Decoders::new(&program, MEMORY, Limits::default());
        decoders.read(&file, ContentHash::of(b"Isola Brina"), &|_| {}).unwrap_err()
    }

    #[test]
    fn a_file_that_its_decoder_dies_of_is_told_from_a_decoder_that_does_not_start() {
        let died = read_through("printf '\\001' >&0; /bin/kill -9 $$");
        assert!(matches!(&died, CodecError::Harmful(how) if how.contains("signal: 9")), "{died}");
        let never_began = read_through("exit 3");
        assert!(matches!(&never_began, CodecError::Io(_)), "{never_began}");
        let missing = Decoders::new(Path::new("/no/such/program"), MEMORY, Limits::default());
        let outcome = missing.read(Path::new("/etc/hostname"), ContentHash::of(b""), &|_| {});
        assert!(matches!(outcome, Err(CodecError::Io(_))));
    }

    #[test]
    fn an_answer_beyond_measure_is_not_believed() {
        let error = read_through("printf '\\001\\377\\377\\377\\377' >&0; /bin/sleep 5");
        assert!(matches!(error, CodecError::Harmful(_)), "{error}");
    }
}
