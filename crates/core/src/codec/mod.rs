//! Files in and out: a whole original is read, a result is written row band by row band.

mod announce;
mod camera;
mod container;
mod decoders;
mod demosaic;
mod develop;
mod error;
mod facts;
#[cfg(fuzzing)]
pub(crate) mod fuzzing;
mod history;
mod jpeg_blocks;
mod jpeg_end;
pub(crate) mod jpeg_segments;
mod points;
mod raw;
mod read;
mod write;

pub use camera::{CameraColours, CameraPicture, LinearWriter, read_camera};
pub(crate) use decoders::{DECODE_COMMAND, serve as decode};
pub use decoders::{Decoders, DecodingMemory};
pub use error::CodecError;
pub use history::History;
pub use read::{Decoded, read, read_thumbnail, thumbnail};
pub(crate) use write::interleave;
pub use write::{Carried, PictureWriter, encoded_len, png_bytes};
