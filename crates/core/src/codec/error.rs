//! Why a file could not be read or written.

use dettaglio_domain::file::UnknownEnding;
use dettaglio_domain::limits::LimitError;
use rawler::RawlerError;

/// Why a file could not be read or written.
#[derive(Debug, thiserror::Error)]
pub enum CodecError {
    /// The content is no picture in a format that is read.
    #[error("not a picture that can be read here: JPEG, PNG, TIFF, WebP and camera raw are")]
    NotAPicture,
    /// The file ends before the picture does.
    #[error("the file is incomplete: it ends before the picture does; copy it again from where it came")]
    Truncated,
    /// The file's content contradicts itself.
    #[error("the file is damaged: {0}")]
    Damaged(String),
    /// The file brought down, or held up, the process that decoded it.
    #[error(
        "the file brings down what is to read it ({0}): it is damaged, or made to do so; export the picture anew from where it came"
    )]
    Harmful(String),
    /// Pictures that are being worked on left no memory for this one.
    #[error(
        "the pictures that are being worked on take all memory that there is for open pictures: try again in a minute"
    )]
    NoRoom,
    /// The picture uses a variant that is not read.
    #[error("this kind of file is not read: {0}")]
    Unsupported(String),
    /// The picture is beyond the declared limits.
    #[error(transparent)]
    Limit(#[from] LimitError),
    /// A file name whose ending names no format.
    #[error(transparent)]
    UnknownEnding(#[from] UnknownEnding),
    /// The disk or the file system refused.
    #[error("{0}")]
    Io(#[from] std::io::Error),
    /// The encoder refused.
    #[error("the result could not be encoded: {0}")]
    Encode(String),
}

/// What a complaint of the crate that reads raw files means to the person.
pub(super) fn raw_refusal(error: RawlerError) -> CodecError {
    match error {
        RawlerError::Unsupported { what, model, make, .. } => {
            let camera = format!("{make} {model}");
            CodecError::Unsupported(format!("a raw file of the camera {} ({what}); convert it to DNG", camera.trim()))
        }
        RawlerError::DecoderFailed(reason)
            if reason.contains("fill whole buffer") || reason.contains("end of file") =>
        {
            CodecError::Truncated
        }
        RawlerError::DecoderFailed(reason) => CodecError::Damaged(reason),
    }
}
