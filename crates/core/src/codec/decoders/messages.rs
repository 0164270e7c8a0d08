//! What parent and decoder say to each other.

use std::io;

use dettaglio_domain::file::Facts;
use dettaglio_domain::geometry::Size;
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::limits::{LimitError, Limits};
use serde::{Deserialize, Serialize};

use crate::codec::announce::Memory;
use crate::codec::camera::CameraColours;
use crate::codec::error::CodecError;

/// The byte with which a parent lets a child go on that has announced a picture.
pub(super) const GO_ON: u8 = 1;

/// The byte with which it has the child leave the picture.
pub(super) const NO_ROOM: u8 = 0;

/// In which colours a file is read.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub(super) enum Colours {
    /// Those of a finished picture; a raw file is developed.
    Finished,
    /// The camera's own, of a raw file alone.
    Camera,
}

/// What is to be read; the file's descriptor goes before it.
#[derive(Debug, Serialize, Deserialize)]
pub(super) struct Request {
    pub hash: ContentHash,
    pub colours: Colours,
    pub limits: Limits,
    /// Memory that may be held until a picture is announced.
    pub head_bytes: u64,
}

/// What the file holds.
#[derive(Debug, Serialize, Deserialize)]
pub(super) struct Announced {
    pub size: Size,
    pub memory: Memory,
}

/// What was read; the samples in the machine's byte order, profile, EXIF, XMP and IPTC follow.
#[derive(Debug, Serialize, Deserialize)]
pub(super) struct Answer {
    pub facts: Facts,
    /// Where the camera's own colours were asked for.
    pub camera: Option<CameraColours>,
}

/// Why nothing was read: [`CodecError`], as it travels.
#[derive(Debug, Serialize, Deserialize)]
pub(super) enum Failure {
    NotAPicture,
    Truncated,
    Damaged(String),
    Unsupported(String),
    Limit(LimitError),
    Other(String),
}

impl From<CodecError> for Failure {
    fn from(error: CodecError) -> Self {
        match error {
            CodecError::NotAPicture => Self::NotAPicture,
            CodecError::Truncated => Self::Truncated,
            CodecError::Damaged(why) => Self::Damaged(why),
            CodecError::Unsupported(what) => Self::Unsupported(what),
            CodecError::Limit(limit) => Self::Limit(limit),
            other => Self::Other(other.to_string()),
        }
    }
}

impl From<Failure> for CodecError {
    fn from(failure: Failure) -> Self {
        match failure {
            Failure::NotAPicture => Self::NotAPicture,
            Failure::Truncated => Self::Truncated,
            Failure::Damaged(why) => Self::Damaged(why),
            Failure::Unsupported(what) => Self::Unsupported(what),
            Failure::Limit(limit) => Self::Limit(limit),
            Failure::Other(why) => Self::Io(io::Error::other(why)),
        }
    }
}
