//! Areas laid over the whole, each by its mask.

use dettaglio_domain::geometry::{Region, Size};
use dettaglio_domain::kernel::Kernel;
use dettaglio_domain::mask::Mask;
use dettaglio_domain::treatment::Treatment;

use super::pace::RenderError;
use super::renderer::{Window, Work};
use super::weights::{mix, reached};
use crate::area;
use crate::enlarge::{Averaging, Source, resample_in, source_region};
use crate::picture::Planes;

/// Weights so close to nothing or all are taken for it: half a level of 255.
const NEGLIGIBLE: f32 = 0.002;

impl Work<'_> {
    /// What `step` makes of a region of the picture at `size`, for the whole and for each area, one over the other.
    ///
    /// Only what an area's mask reaches is computed for it, and nothing is computed below an area that hides it.
    pub(super) fn laid_over<S>(
        &self,
        size: Size,
        region: Region<S>,
        step: impl Fn(&Work<'_>, Region<S>) -> Result<Planes, RenderError>,
    ) -> Result<Planes, RenderError> {
        if self.treatment.areas.is_empty() {
            return step(self, region);
        }
        let mut layers: Vec<(Treatment, Region<S>, Vec<f32>)> = Vec::new();
        for area in &self.treatment.areas {
            let weights = weights(self, &area.mask, size, region);
            if weights.iter().all(|w| *w == 1.0) {
                layers.clear();
            }
            if let Some(part) = reached(&weights, region) {
                layers.push((self.treatment.in_area(area), part, weights));
            }
        }
        let hidden = layers.first().is_some_and(|(_, _, weights)| weights.iter().all(|w| *w == 1.0));
        let mut planes = if hidden { Planes::black(region.size()) } else { step(self, region)? };
        for (treatment, part, weights) in &layers {
            let inner = Work { treatment, framed: self.framed.clone(), ..*self };
            mix(&mut planes, region, &step(&inner, *part)?, *part, weights);
        }
        Ok(planes)
    }
}

/// The mask's weights in a region of the picture at `size`.
fn weights<S>(work: &Work<'_>, mask: &Mask, size: Size, region: Region<S>) -> Vec<f32> {
    let kept = work.framed.size();
    let mut weights = if size == kept {
        area::weights(mask, &work.framed, region.seen_as())
    } else {
        let part = source_region(kept, size, region, Kernel::Bicubic);
        let weights = area::weights(mask, &work.framed, part);
        let planes = Planes::from_values(part.size(), [&weights[..], &weights[..], &weights[..]].concat());
        let window = Window { whole: kept, part, planes };
        resample_in(&window, size, region, Kernel::Bicubic, Averaging::Encoded).plane(0).to_vec()
    };
    for weight in &mut weights {
        *weight = match *weight {
            w if w < NEGLIGIBLE => 0.0,
            w if w > 1.0 - NEGLIGIBLE => 1.0,
            w => w,
        };
    }
    weights
}
