//! The plain resampling kernels, by name.

use std::fmt;

use serde::{Deserialize, Serialize};

/// A plain way to resample.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum Kernel {
    /// The nearest pixel's value.
    Nearest,
    /// Cubic convolution with a = -0.5 (Keys 1981).
    Bicubic,
    /// Windowed sinc with three lobes (Duchon 1979).
    Lanczos3,
}

impl fmt::Display for Kernel {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Kernel::Nearest => "nearest",
            Kernel::Bicubic => "bicubic",
            Kernel::Lanczos3 => "Lanczos 3",
        })
    }
}

impl Kernel {
    /// All of them, plainest first.
    pub const ALL: [Kernel; 3] = [Kernel::Nearest, Kernel::Bicubic, Kernel::Lanczos3];
}
