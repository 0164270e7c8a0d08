//! What is compared between what a candidate made and the truth.

use dettaglio_domain::rehearsal::{EQUAL, Figures};

use crate::compare::{drift, psnr, sharpness, ssim};
use crate::picture::Planes;
use crate::reading::softness;
use crate::screen::screen;

/// Between a result and the truth, of one size of at least 16 px a side; `own_screen` is the truth's, `perceived` how far the result lies
/// from it to a network that sees.
pub fn between(
    result: &Planes,
    truth: &Planes,
    factor: u32,
    own_screen: Option<f64>,
    perceived: Option<f64>,
) -> Figures {
    Figures {
        psnr: psnr(result, truth, 0).min(EQUAL),
        ssim: ssim(result, truth, 0),
        perceived,
        screen: screen(result, factor, 0),
        own_screen,
        drift: drift(result, truth),
        sharpness: sharpness(result, truth, 0),
        overshoot: overshoot(result),
    }
}

/// How far the edges of a picture overshoot, as a share of their height; nothing where there are too few edges.
pub(crate) fn overshoot(planes: &Planes) -> Option<f32> {
    softness::read(&planes.luminance(), planes.size().width as usize, 0.0).map(|read| read.overshoot)
}
