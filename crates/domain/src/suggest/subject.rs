//! Subjects that the rules of suggesting know by name.

/// The subject of models made for lettering and line work.
pub const LETTERING: &str = "lettering";

/// The subject of models made for texture.
pub const FOLIAGE: &str = "foliage";

/// The subject of models made for scans of old prints.
pub const PRINTS: &str = "prints";
