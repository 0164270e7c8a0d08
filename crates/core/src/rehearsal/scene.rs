//! One part of a picture, shrunk as a sensor would, on which candidates perform.

use std::io::Cursor;
use std::sync::OnceLock;

use dettaglio_domain::affine::space;
use dettaglio_domain::clean::{Clean, Marks, NoiseCurve};
use dettaglio_domain::file::{Channels, Depth};
use dettaglio_domain::finish::Finish;
use dettaglio_domain::geometry::{Region, Size};
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::kernel::Kernel;
use dettaglio_domain::model::{LevelKind, ModelRef};
use dettaglio_domain::reading::Reading;
use dettaglio_domain::recipe::{Recipe, RecipeError, Steps};
use dettaglio_domain::rehearsal::Figures;
use dettaglio_domain::size::Target;
use dettaglio_domain::treatment::Treatment;
use image::DynamicImage;
use image::codecs::jpeg::JpegDecoder;

use super::figures::between;
use super::parts::SMALLEST;
use crate::codec::{CodecError, interleave};
use crate::compare::psnr;
use crate::enlarge::{Averaging, resample_in};
use crate::model::sight::Features;
use crate::model::{Corner, Shelf, grain};
use crate::picture::{Original, Planes, Samples};
use crate::render::{Pace, RenderError, Renderer};
use crate::screen::screen;

/// JPEG quality from which on compression leaves nothing to speak of.
pub const MAY_BE_MARKED: f32 = 95.0;

/// Pixels around a part, as far as the picture goes, that are enlarged with it and left out of the figures: a model sees as far.
const SURROUND: u32 = 40;

/// What the shrunk picture gets back of the picture's own damage, which shrinking took away.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct PutBack {
    /// White noise of so much at each brightness.
    pub noise: Option<NoiseCurve>,
    /// Compression to a JPEG of this quality, 1 to 100.
    pub quality: Option<f32>,
}

impl PutBack {
    /// What a reading says that the picture has: noise that is told from texture, and compression.
    pub fn of(reading: &Reading) -> Self {
        // What is told by the camera alone is no noise that was measured.
        let noise = reading.is_noisy(None).then_some(reading.noise.level);
        Self { noise, quality: reading.worst_quality().filter(|quality| *quality < MAY_BE_MARKED) }
    }

    /// What takes the marks out again that are put back, as any treatment would first: the fastest, as all candidates share it.
    pub fn marks(self, shelf: &Shelf) -> Option<Marks> {
        let card = shelf.cleaners(LevelKind::Compression).min_by_key(|card| card.grade)?;
        Some(Marks { model: ModelRef::of(card), quality: self.quality?, strength: 1.0 })
    }
}

/// Why a candidate could not be rehearsed.
#[derive(Debug, thiserror::Error)]
pub enum RehearsalError {
    /// Its settings make no sense for the picture.
    #[error(transparent)]
    Recipe(#[from] RecipeError),
    /// It could not be computed.
    #[error(transparent)]
    Render(#[from] RenderError),
    /// The picture is too small to be shrunk.
    #[error("the picture has {0}: a rehearsal shrinks it, and needs {SMALLEST} px a side")]
    TooSmall(Size),
    /// The compression could not be put back.
    #[error(transparent)]
    Codec(#[from] CodecError),
}

impl RehearsalError {
    /// Whether it was given up on request.
    pub fn is_cancelled(&self) -> bool {
        matches!(self, Self::Render(RenderError::Cancelled(_)))
    }
}

/// One part of a picture, shrunk.
#[derive(Debug)]
pub struct Scene {
    /// The part in pixels of the original.
    pub part: Region<space::Original>,
    /// Result side / side of what it starts from.
    pub factor: u32,
    /// The part as it is.
    truth: Planes,
    /// The truth's own energy on the lattice of the factor, once it was asked for.
    own_screen: OnceLock<Option<f64>>,
    /// What the network that sees makes of the truth, once it was asked.
    seen: OnceLock<Option<Features>>,
    /// Where the part lies in what is made of `small`.
    inner: Region,
    /// What the candidates start from.
    small: Original,
}

impl Scene {
    /// A part of a picture, shrunk in light as a sensor would, rounded to 8 bits.
    ///
    /// The part is cut to whole multiples of the factor.
    pub fn new(
        original: &Original,
        part: Region<space::Original>,
        factor: u32,
        put_back: PutBack,
    ) -> Result<Self, RehearsalError> {
        let size = original.size();
        let even = |px: u32| px / factor * factor;
        let part = Region::of(part.x, part.y, even(part.width), even(part.height));
        if part.width.min(part.height) < SMALLEST {
            return Err(RehearsalError::TooSmall(size));
        }
        // Around the part, by whole multiples: the grid of what it starts from is the part's own.
        let before = |place: u32| even(place.min(SURROUND));
        let after = |end: u32, side: u32| even((side - end).min(SURROUND));
        let (left, top) = (before(part.x), before(part.y));
        let (right, bottom) = (after(part.right(), size.width), after(part.bottom(), size.height));
        let region = Region::of(part.x - left, part.y - top, part.width + left + right, part.height + top + bottom);
        let outer = original.region(region);
        let target = Size::new(region.width / factor, region.height / factor);
        let mut small = resample_in(&outer, target, target.whole(), Kernel::Bicubic, Averaging::Light);
        if let Some(curve) = put_back.noise {
            add_noise(&mut small, &curve);
        }
        let small = match put_back.quality {
            Some(quality) => compressed(&small, quality)?,
            None => as_original(&small),
        };
        let inner = Region::new(left, top, part.width, part.height);
        Ok(Self {
            part,
            factor,
            truth: outer.cut(inner),
            own_screen: OnceLock::new(),
            seen: OnceLock::new(),
            inner,
            small,
        })
    }

    /// The part as it is.
    pub fn truth(&self) -> &Planes {
        &self.truth
    }

    /// What a candidate makes of it, without the surround. The renderer should be one of its own: what it keeps is of no use to others.
    pub fn perform(&self, renderer: &Renderer, steps: &Steps, pace: &dyn Pace) -> Result<Planes, RehearsalError> {
        let treatment = treatment(&renderer.shelf(), steps, self.small.size(), self.factor)?;
        Ok(renderer.render(&self.small, &treatment, self.inner.seen_as(), pace)?)
    }

    /// Loads the networks that a candidate needs, so that its time is that of the work alone.
    pub fn prepare(&self, shelf: &Shelf, steps: &Steps) -> Result<(), RehearsalError> {
        let treatment = treatment(shelf, steps, self.small.size(), self.factor)?;
        for part in treatment.parts() {
            let cleaners = part.clean.passes().into_iter().map(|(model, _)| model);
            let enlargers = part.enlarge.passes().iter().chain(part.enlarge.under()).map(|pass| &pass.model);
            for model in cleaners.chain(enlargers) {
                shelf.network(model).map_err(RenderError::from)?;
            }
        }
        Ok(())
    }

    /// Input pixels of every model pass that a candidate takes, for times.
    pub fn input_pixels(&self) -> u64 {
        self.small.size().area()
    }

    /// Mean squared error of luminance between what a candidate made of it and the part as it is, 1 being full scale.
    pub fn error(&self, result: &Planes) -> f64 {
        10_f64.powf(-psnr(result, &self.truth, 0) / 10.0)
    }

    /// Compares what a candidate made of it with the part as it is; how it is perceived is told where the shelf has a network that sees.
    pub fn figures(&self, result: &Planes, shelf: &Shelf) -> Figures {
        let own_screen = *self.own_screen.get_or_init(|| screen(&self.truth, self.factor, 0));
        between(result, &self.truth, self.factor, own_screen, self.perceived(result, shelf))
    }

    /// How far a result lies from the truth to the network that sees; nothing where there is none, or it fails.
    fn perceived(&self, result: &Planes, shelf: &Shelf) -> Option<f64> {
        let sight = shelf.sight().ok()??;
        let seen = self.seen.get_or_init(|| sight.features(&self.truth).ok()).as_ref()?;
        Some(seen.apart(&sight.features(result).ok()?))
    }
}

/// What steps come to for a picture of this size, enlarged by a whole factor; nobody's face is restored.
pub(crate) fn treatment(shelf: &Shelf, steps: &Steps, size: Size, factor: u32) -> Result<Treatment, RehearsalError> {
    let recipe = Recipe { steps: Steps { faces: None, ..steps.clone() }, ..Recipe::only(steps.enlarge.clone()) };
    Ok(recipe.work_out(shelf, size, Target::Factor { factor: f64::from(factor) })?.treatment)
}

/// The steps as they can be rehearsed: repair and softness are left out, and noise where none is put back, for shrinking takes both.
pub fn as_rehearsed(steps: &Steps, put_back: PutBack) -> Steps {
    let noise = steps.clean.noise.clone().filter(|_| put_back.noise.is_some());
    let marks = steps.clean.marks.clone().filter(|_| put_back.quality.is_some());
    let finish = Finish { grain: None, ..steps.finish };
    let clean = Clean { noise, marks, softness: None };
    Steps { clean, finish, ..Recipe::only(steps.enlarge.clone()).steps }
}

/// White noise, the same on every run.
fn add_noise(planes: &mut Planes, curve: &NoiseCurve) {
    let luminance = planes.luminance();
    let size = planes.size();
    for (channel, plane) in planes.values_mut().chunks_mut(luminance.len()).enumerate() {
        // The sum of four even numbers of variance 1 is close to a normal one of variance 4.
        let four = [0, 1, 2, 3].map(|i| grain(Corner { x: 0, y: (4 * channel as u32 + i) * (1 << 20) }, size));
        for (i, value) in plane.iter_mut().enumerate() {
            let normal = four.iter().map(|values| values[i]).sum::<f32>() / 2.0;
            *value = (*value + normal * curve.at(luminance[i]) / 255.0).clamp(0.0, 1.0);
        }
    }
}

/// As an 8-bit file without a history holds it.
fn as_original(planes: &Planes) -> Original {
    of_samples(planes.size(), eight_bits(planes))
}

fn eight_bits(planes: &Planes) -> Vec<u8> {
    match interleave(planes, Channels::Colour, Depth::Eight) {
        Samples::Eight(samples) => samples,
        Samples::Sixteen(_) => unreachable!("eight bits were asked for"),
    }
}

fn of_samples(size: Size, samples: Vec<u8>) -> Original {
    let hash = ContentHash::of_step(&ContentHash::of(&samples), &size);
    Original::new(hash, size, Channels::Colour, Samples::Eight(samples), None)
}

/// Through a JPEG file of this quality and back.
fn compressed(planes: &Planes, quality: f32) -> Result<Original, CodecError> {
    let size = planes.size();
    let mut bytes = Vec::new();
    let encoder = jpeg_encoder::Encoder::new(&mut bytes, quality.round().clamp(1.0, 100.0) as u8);
    let damaged = |error: &dyn std::fmt::Display| CodecError::Damaged(error.to_string());
    encoder
        .encode(&eight_bits(planes), size.width as u16, size.height as u16, jpeg_encoder::ColorType::Rgb)
        .map_err(|e| damaged(&e))?;
    // A file of our own, of a few thousand pixels: it needs no process of its own.
    let decoded = JpegDecoder::new(Cursor::new(&bytes)).and_then(DynamicImage::from_decoder);
    let picture = decoded.map_err(|e| damaged(&e))?;
    Ok(of_samples(size, picture.into_rgb8().into_raw()))
}
