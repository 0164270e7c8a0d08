//! What is compared between what a candidate made and the truth.

use serde::{Deserialize, Serialize};

use crate::compare::{drift, psnr, sharpness, ssim};
use crate::model::MOST_SCREEN;
use crate::picture::Planes;
use crate::reading::softness;
use crate::screen::screen;

/// A signal-to-noise ratio beyond which pictures count as equal, in dB: infinity has no place in a file.
const EQUAL: f64 = 99.0;

/// Figures of one candidate, on one part or over several.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Figures {
    /// Peak signal-to-noise ratio of luminance in dB, 99 at most; more is nearer to the truth.
    pub psnr: f64,
    /// Structural similarity of luminance, up to 1; more is nearer.
    pub ssim: f64,
    /// How far it lies from the truth to a general network that has learned to see; less is nearer. Nothing where there is none.
    pub perceived: Option<f64>,
    /// Most energy on the lattice of the factor over that around it: photographs have 1 to 4, a visible screen more than 10.
    pub screen: Option<f64>,
    /// The same of the truth: type, weaves and tiles have lattices of their own.
    pub own_screen: Option<f64>,
    /// Mean CIEDE2000 of 8 px averages: colour and tone that moved.
    pub drift: f64,
    /// Mean gradient over the truth's: below 1 softer, above 1 sharper or noisier.
    pub sharpness: f64,
    /// How far edges overshoot, as a share of their height; nothing where there are too few edges.
    pub overshoot: Option<f32>,
}

impl Figures {
    /// Between a result and the truth, of one size of at least 16 px a side; `own_screen` is the truth's.
    pub fn of(result: &Planes, truth: &Planes, factor: u32, own_screen: Option<f64>) -> Self {
        Self {
            psnr: psnr(result, truth, 0).min(EQUAL),
            ssim: ssim(result, truth, 0),
            perceived: None,
            screen: screen(result, factor, 0),
            own_screen,
            drift: drift(result, truth),
            sharpness: sharpness(result, truth, 0),
            overshoot: overshoot(result),
        }
    }

    /// Whether it draws a pattern on the lattice of the factor that the truth has not.
    pub fn draws_screen(&self) -> bool {
        self.screen.is_some_and(|screen| screen > MOST_SCREEN.max(2.0 * self.own_screen.unwrap_or_default()))
    }
}

/// How far the edges of a picture overshoot, as a share of their height; nothing where there are too few edges.
pub(crate) fn overshoot(planes: &Planes) -> Option<f32> {
    softness::read(&planes.luminance(), planes.size().width as usize, 0.0).map(|read| read.overshoot)
}

/// Figures over several parts.
#[derive(Clone, Debug, Default)]
pub struct Tally(Vec<Figures>);

impl Tally {
    /// Takes in one more part.
    pub fn add(&mut self, figures: Figures) {
        self.0.push(figures);
    }

    /// How many parts there are.
    pub fn parts(&self) -> usize {
        self.0.len()
    }

    /// Over all parts, each of the same weight: signal-to-noise by the mean squared error, the screen by its most, the others by their
    /// mean. Nothing of no parts.
    pub fn over_all(&self) -> Option<Figures> {
        if self.0.is_empty() {
            return None;
        }
        let mean = |of: fn(&Figures) -> f64| self.0.iter().map(of).sum::<f64>() / self.0.len() as f64;
        let known = |of: fn(&Figures) -> Option<f64>| {
            let values: Vec<f64> = self.0.iter().filter_map(of).collect();
            (!values.is_empty()).then(|| values.iter().sum::<f64>() / values.len() as f64)
        };
        let error = mean(|f| 10_f64.powf(-f.psnr / 10.0));
        Some(Figures {
            psnr: (-10.0 * error.log10()).min(EQUAL),
            ssim: mean(|f| f.ssim),
            perceived: known(|f| f.perceived),
            screen: self.0.iter().filter_map(|f| f.screen).max_by(f64::total_cmp),
            own_screen: self.0.iter().filter_map(|f| f.own_screen).max_by(f64::total_cmp),
            drift: mean(|f| f.drift),
            sharpness: mean(|f| f.sharpness),
            overshoot: known(|f| f.overshoot.map(f64::from)).map(|v| v as f32),
        })
    }
}
