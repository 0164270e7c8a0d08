//! Rules of drawings that are traced into shapes.

/// The fewest colours that a drawing is traced in: its ground and an ink.
pub const LEAST_COLOURS: usize = 2;

/// The most colours that are told apart in one picture.
pub const MOST_COLOURS: usize = 32;
