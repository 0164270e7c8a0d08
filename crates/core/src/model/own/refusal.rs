//! Why a file cannot be used as a model.

use serde::{Deserialize, Serialize};

/// Why a file cannot be used as a model; each says what would help.
#[derive(Clone, Debug, PartialEq, thiserror::Error, Serialize, Deserialize)]
pub enum Refusal {
    /// Not an ONNX file at all.
    #[error("this is not an ONNX file: export the model as ONNX first")]
    NotOnnx,
    /// It begins like one.
    #[error("this ONNX file is cut short or damaged: copy or export it again")]
    Damaged,
    /// Too large to be read.
    #[error("the file has {megabytes} MB; models of up to {limit} MB are run here")]
    TooLarge {
        /// Of the file.
        megabytes: u64,
        /// Allowed.
        limit: u64,
    },
    /// More parts than any network for pictures has.
    #[error("it has {parts} parts (nodes, weights and values); networks of up to {limit} are run here")]
    TooManyParts {
        /// Of the graph and what it holds.
        parts: usize,
        /// Allowed.
        limit: usize,
    },
    /// Its weights lie elsewhere.
    #[error("its weights are in another file: export it again with the weights inside (no external data)")]
    ExternalData,
    /// The runtime lacks an operator.
    #[error("it needs an operator that the runtime does not have, and no operator libraries are loaded here: {why}")]
    Operator {
        /// The runtime's words.
        why: String,
    },
    /// The runtime refuses it for some other reason.
    #[error("the runtime does not open it: {why}")]
    Unopened {
        /// The runtime's words.
        why: String,
    },
    /// Not exactly one input.
    #[error("it asks for {} inputs ({}) and a picture is one: export it with its other inputs fixed", names.len(), names.join(", "))]
    Inputs {
        /// Their names.
        names: Vec<String>,
    },
    /// Its input is no tensor.
    #[error("its input is no tensor of numbers")]
    NoPictureIn,
    /// Numbers of another type.
    #[error("its input is of type {element}: export it with 32-bit floats or 8-bit unsigned numbers")]
    Element {
        /// The type.
        element: String,
    },
    /// No four axes.
    #[error("its input has {rank} axes; a picture has four: batch, channels, height, width")]
    Rank {
        /// How many.
        rank: usize,
    },
    /// More pictures than one at a time.
    #[error("it wants {batch} pictures at once: export it for a batch of 1, or a free one")]
    Batch {
        /// How many.
        batch: i64,
    },
    /// Neither colour nor brightness.
    #[error("its input of shape {shape:?} has neither 1 nor 3 channels")]
    Channels {
        /// Declared, -1 where free.
        shape: Vec<i64>,
    },
    /// One size only.
    #[error("it takes only pictures of {width} x {height}: export it with free height and width")]
    FixedSize {
        /// Pixels, -1 where free.
        width: i64,
        /// Pixels, -1 where free.
        height: i64,
    },
    /// The answer is something else.
    #[error("its answer is no picture: {answer}")]
    NoPictureOut {
        /// What it is.
        answer: String,
    },
    /// Not a whole factor.
    #[error("it answers {output} to {input}: only whole factors from 1 to 8, the same both ways, are used")]
    Factor {
        /// Given.
        input: String,
        /// Answered.
        output: String,
    },
    /// Another picture than the one given.
    #[error(
        "its answer does not resemble the picture it was given (PSNR {likeness:.1} dB): it neither enlarges nor cleans"
    )]
    Unlike {
        /// Against plain enlarging, dB.
        likeness: f64,
    },
    /// It looks at everything at once.
    #[error(
        "its answer depends on the whole picture at once: done in tiles it would differ by {levels:.1} of 255 levels, and seams would show"
    )]
    Seams {
        /// The largest difference, 8-bit levels.
        levels: f32,
    },
    /// Not in a person's patience.
    #[error("it is too slow here: 12 megapixels would take {hours:.0} hours")]
    TooSlow {
        /// For 12 megapixels.
        hours: f64,
    },
    /// Not in this machine's memory.
    #[error("it needs {gigabytes:.1} GB for a tile of 256 px; {limit:.1} GB are given to a model")]
    Memory {
        /// Needed.
        gigabytes: f64,
        /// Given.
        limit: f64,
    },
    /// The trial took too long.
    #[error("its trial run did not end in {seconds} s: it is too slow for this machine")]
    TimedOut {
        /// Allowed.
        seconds: u64,
    },
    /// The trial's process died.
    #[error("its trial run ended the process ({how}): it needs more memory than a model is given, or is faulty")]
    Crashed {
        /// The exit status.
        how: String,
    },
    /// The trial could not be made at all.
    #[error("the trial run could not be made: {why}")]
    NotTried {
        /// Why.
        why: String,
    },
}
