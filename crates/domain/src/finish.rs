//! The Finish step, at the print's own scale: edges, and a trace of grain.

use serde::{Deserialize, Serialize};

use crate::clean::{NoiseCurve, is_zero};

/// The settings of the Finish step; each part can be off.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(default)]
pub struct Finish {
    /// Sharper edges.
    pub edges: Option<Edges>,
    /// Grain.
    pub grain: Option<PrintGrain>,
}

/// Unsharp masking of luminance, with a guard against haloes and a mask for flat tone.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Edges {
    /// How much of the difference from the blurred picture is added, 0 to 3.
    pub strength: f32,
    /// Radius of the blur in pixels of the result, 0.3 to 12.
    pub width: f32,
    /// 1 keeps every pixel between the darkest and the lightest of its neighbours, 0 lets it overshoot.
    pub halo_guard: f32,
    /// How far flat tone is left alone, 0 to 1.
    pub leave_flat: f32,
    /// How far the skin of known faces is left alone, 0 to 1; eyes, brows, lashes, mouth and hair are not skin.
    #[serde(default, skip_serializing_if = "is_zero")]
    pub leave_skin: f32,
}

/// Grain that is added to the result.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct PrintGrain {
    /// Its strength as a share of `level`, 0 to 2.
    pub amount: f32,
    /// Standard deviation at each brightness, in 8-bit levels: usually the original's own, measured.
    pub level: NoiseCurve,
    /// The width of a grain in pixels of the result, 1 to 12.
    pub size: f32,
}

impl Finish {
    /// Whether it does nothing.
    pub fn is_off(&self) -> bool {
        self.edges.is_none() && self.grain.is_none()
    }
}

impl Edges {
    /// What edges begin with when they are switched on by hand and nothing is suggested.
    pub fn by_hand() -> Self {
        Self::usual(0.5, 1.0)
    }

    /// For a portrait: stronger than usual where features are, and hardly at all on skin and on soft grounds.
    pub fn for_portrait(self) -> Self {
        Self { strength: self.strength.max(0.9), halo_guard: 0.9, leave_flat: 0.9, leave_skin: 0.9, ..self }
    }

    /// Of this strength and width, otherwise as is usual.
    pub fn usual(strength: f32, width: f32) -> Self {
        Self { strength, width, halo_guard: 0.8, leave_flat: 0.8, leave_skin: 0.0 }
    }
}

impl PrintGrain {
    /// The strongest grain that is laid on a print, in 8-bit levels.
    pub const STRONGEST: f32 = 64.0;
}
