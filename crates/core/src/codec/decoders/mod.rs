//! Files of strangers, decoded in processes of their own.
//!
//! A decoder may loop, take more memory than there is or abort, and no error handling inside the process can help then. So the
//! server opens a file and hands its descriptor to a child that may do nothing but compute: it opens no files, reaches no network,
//! starts no program and holds no more memory than the announced picture needs. A child that is brought down costs one file.
//! Children are kept for the next file, so that a good one waits for no start.
//!
//! ```text
//! parent                                  child
//!   file descriptor, Request          ->
//!                                     <-  Announced (size, memory needed) or Failure
//!   one byte: go on, or no memory     ->
//!                                     <-  Answer or Failure, then samples, profile, EXIF, XMP, IPTC
//! ```

mod child;
mod messages;
mod pool;
mod transfer;

pub(crate) use child::{DECODE_COMMAND, serve};
pub use pool::{Decoders, DecodingMemory};
