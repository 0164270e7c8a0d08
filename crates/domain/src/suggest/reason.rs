//! Why something is suggested, for which step and which print.

use serde::{Deserialize, Serialize};

/// A step of the work.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum Step {
    /// Dust, scratches and faded tone of a print.
    Repair,
    /// Noise, compression marks, softness.
    Clean,
    /// Larger.
    Enlarge,
    /// Faces.
    Faces,
    /// Edges and grain.
    Finish,
}

/// Why something is suggested.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Reason {
    /// For which step.
    pub step: Step,
    /// In one sentence, with the figure.
    pub text: String,
}

/// What is known of the print.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct PrintFacts {
    /// Result side / framed original side.
    pub factor: f64,
    /// Resolution of the print, where there is one.
    pub ppi: Option<f64>,
    /// From how far it is seen in metres, where there is a print.
    pub distance_m: Option<f64>,
}
