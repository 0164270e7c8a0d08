//! The ordered, saved settings for one picture, with everything resolved: the same treatment of the
//! same original is the same result anywhere.

use serde::{Deserialize, Serialize};

use crate::affine::space;
use crate::clean::{Clean, NoiseCurve};
use crate::face::{CANVAS, Face, MOST_FACES};
use crate::finish::Finish;
use crate::frame::{Frame, FrameError};
use crate::geometry::{Region, Size};
use crate::halftone::Halftone;
use crate::hash::ContentHash;
use crate::kernel::Kernel;
use crate::mask::{MOST_AREAS, Mask, MaskError, Shape};
use crate::model::{Card, Catalogue, CatalogueError, EVERYDAY, Grade, LETTERING, ModelRef};
use crate::repair::{Fade, Repair, Wear};
use crate::trace::{Tracing, TracingError, traced_at};

/// What is done to an original, in the order in which it is done.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Treatment {
    /// Turned and cropped.
    #[serde(default)]
    pub frame: Frame,
    /// What time has done to it and is mended; of areas too.
    #[serde(default, skip_serializing_if = "Repair::is_off")]
    pub repair: Repair,
    /// What is taken out.
    #[serde(default)]
    pub clean: Clean,
    /// How it is made larger.
    pub enlarge: Enlarge,
    /// The faces of the picture: those that are restored, and those that the Finish step is to know of.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub faces: Vec<TreatedFace>,
    /// What is done at the print's scale.
    #[serde(default)]
    pub finish: Finish,
    /// Parts of the picture that are treated otherwise; a later one lies over an earlier one.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub areas: Vec<TreatedArea>,
    /// Pixels of the picture in the result.
    pub size: Size,
    /// What lies around it.
    #[serde(default)]
    pub margin: Margin,
}

/// A part of the picture with settings of its own.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct TreatedArea {
    /// Which part.
    pub mask: Mask,
    /// What is taken out there.
    #[serde(default)]
    pub clean: Clean,
    /// How it is made larger.
    pub enlarge: Enlarge,
    /// What is done at the print's scale.
    #[serde(default)]
    pub finish: Finish,
}

/// A face of the picture, and what is done to it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct TreatedFace {
    /// Where it is.
    pub face: Face,
    /// How it is restored; left to the enlarging model where nothing is said.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub restore: Option<Restore>,
}

/// How a face is restored.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Restore {
    /// By which model.
    pub model: ModelRef,
    /// The share of the restored face, 0 to 1.
    pub strength: f32,
}

/// The steps of the whole or of an area.
#[derive(Clone, Copy, Debug)]
pub struct Part<'a> {
    /// What is taken out.
    pub clean: &'a Clean,
    /// How it is made larger.
    pub enlarge: &'a Enlarge,
    /// What is done at the print's scale.
    pub finish: &'a Finish,
    /// The square pixels of the original that it is done to at most; all where nothing is said.
    pub extent: Option<f64>,
}

/// The Enlarge step.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase", tag = "by")]
pub enum Enlarge {
    /// Plain resampling.
    Plain {
        /// How.
        kernel: Kernel,
    },
    /// A chain of learned passes, then one plain resampling down to the exact size.
    Learned {
        /// In the order in which they run; at least one.
        passes: Vec<Pass>,
        /// The share of the learned result, 0 to 1; the rest is what `over` gives.
        #[serde(default = "whole")]
        strength: f32,
        /// What the learned result is laid over: a chain of passes, where it is a texture model's and what it draws is to be
        /// blended with what is known; Lanczos 3 where there is none.
        #[serde(default, skip_serializing_if = "Vec::is_empty")]
        over: Vec<Pass>,
    },
    /// As shapes, traced from what the passes make of the picture.
    Traced {
        /// In the order in which they run; none where nothing on the shelf enlarges lettering and line.
        passes: Vec<Pass>,
        /// In which colours.
        #[serde(flatten)]
        tracing: Tracing,
    },
}

fn whole() -> f32 {
    1.0
}

/// One learned pass.
#[derive(Clone, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Pass {
    /// By which model.
    #[serde(flatten)]
    pub model: ModelRef,
    /// Output side / input side.
    pub factor: u32,
}

/// What lies around the picture on the sheet.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(default)]
pub struct Margin {
    /// Pixels to the left.
    pub left: u32,
    /// Pixels above.
    pub top: u32,
    /// Pixels to the right.
    pub right: u32,
    /// Pixels below.
    pub bottom: u32,
    /// What it is filled with.
    pub fill: Fill,
}

impl Margin {
    /// So many pixels on every side.
    pub fn around(pixels: u32, fill: Fill) -> Self {
        Self { left: pixels, top: pixels, right: pixels, bottom: pixels, fill }
    }

    /// The sheet with a picture of this size.
    pub fn sheet(&self, picture: Size) -> Size {
        Size::new(picture.width + self.left + self.right, picture.height + self.top + self.bottom)
    }
}

/// What a margin is filled with.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum Fill {
    /// Bare paper.
    #[default]
    White,
    /// Black.
    Black,
    /// The picture goes on as its own mirror image: for a bleed, or the sides of a stretched canvas.
    Mirror,
}

/// Why a treatment cannot be carried out.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum TreatmentError {
    /// The frame does not suit the original.
    #[error(transparent)]
    Frame(#[from] FrameError),
    /// The waves of a halftone's dots are none.
    #[error(
        "Halftone: the waves of its dots must be 1 to {} in number, -0.5 to 0.5 cycles a pixel each way, and no longer than {:.0} px",
        Halftone::MOST_WAVES, 1.0 / Halftone::COARSEST
    )]
    Waves,
    /// An area makes no sense.
    #[error(transparent)]
    Mask(#[from] MaskError),
    /// More areas than one treatment can have.
    #[error("{0} areas: a treatment can have {MOST_AREAS}")]
    TooManyAreas(usize),
    /// More faces than one treatment can have.
    #[error("{0} faces: a treatment can have {MOST_FACES}")]
    TooManyFaces(usize),
    /// A face whose eyes and mouth cannot be those of a face.
    #[error("the eyes and the mouth of face {0} fall together, or are no places at all: draw it again")]
    NoFace(usize),
    /// A drawing cannot be traced so.
    #[error(transparent)]
    Tracing(#[from] TracingError),
    /// A setting is not a number, or outside its range.
    #[error("{what} is {value}: {least} to {most} can be set")]
    Setting {
        /// Which setting.
        what: &'static str,
        /// What it is.
        value: f32,
        /// The least.
        least: f32,
        /// The most.
        most: f32,
    },
    /// Sides are not in the original's proportions.
    #[error("{size} would stretch a picture of {kept}: a crop or a margin keeps its proportions")]
    Stretched {
        /// What was kept of the original.
        kept: Size,
        /// What it was to become.
        size: Size,
    },
    /// A mirrored margin that is wider than the picture it mirrors.
    #[error(
        "a mirrored margin of {margin} px is wider than the picture itself ({size}): choose a smaller one, or white"
    )]
    MarginTooWide {
        /// The widest margin.
        margin: u32,
        /// The picture.
        size: Size,
    },
}

impl Treatment {
    /// Plain resampling to `size`.
    pub fn plain(kernel: Kernel, size: Size) -> Self {
        Self {
            frame: Frame::default(),
            repair: Repair::default(),
            clean: Clean::default(),
            enlarge: Enlarge::Plain { kernel },
            faces: Vec::new(),
            finish: Finish::default(),
            areas: Vec::new(),
            size,
            margin: Margin::default(),
        }
    }

    /// The smallest chain of a subject's models that covers the way from `kept`, the framed original, to `size`.
    ///
    /// Plain Lanczos 3 where no model is needed: for a result no larger than the original.
    pub fn learned(catalogue: &Catalogue, subject: &str, grade: Grade, kept: Size, size: Size) -> Self {
        Self { enlarge: Enlarge::learned(catalogue, subject, grade, kept, size), ..Self::plain(Kernel::Lanczos3, size) }
    }

    /// As [`learned`](Self::learned), for the subject and grade of the model with this id.
    pub fn with_model(catalogue: &Catalogue, id: &str, kept: Size, size: Size) -> Result<Self, CatalogueError> {
        let card = catalogue.card(id)?;
        Ok(Self::learned(catalogue, &card.subject, card.grade, kept, size))
    }

    /// Names it in cache keys and addresses.
    pub fn hash(&self) -> ContentHash {
        ContentHash::of_step(&ContentHash::of(b"treatment 2"), self)
    }

    /// Pixels of the whole result: the picture and its margin.
    pub fn sheet(&self) -> Size {
        self.margin.sheet(self.size)
    }

    /// Where the picture lies on the sheet.
    pub fn place(&self) -> Region<space::Sheet> {
        Region::of(self.margin.left, self.margin.top, self.size.width, self.size.height)
    }

    /// What a part of the sheet shows of the picture; nothing where it shows bare paper alone.
    pub fn picture_in(&self, part: Region<space::Sheet>) -> Option<Region<space::Result>> {
        part.intersection(self.place()).map(|shown| shown.inside(self.place()).seen_as())
    }

    /// The same picture by plain resampling and nothing else, for comparison.
    pub fn untreated(&self, kernel: Kernel) -> Self {
        Self { frame: self.frame, margin: self.margin, ..Self::plain(kernel, self.size) }
    }

    /// The same for another encoding of the original, in which noise measures `now` what measured `before` in that it was worked out for.
    pub fn encoded_anew(mut self, before: &NoiseCurve, now: &NoiseCurve) -> Self {
        let cleans = std::iter::once(&mut self.clean).chain(self.areas.iter_mut().map(|area| &mut area.clean));
        for noise in cleans.filter_map(|clean| clean.noise.as_mut()) {
            noise.level = noise.level.encoded_anew(before, now);
        }
        self
    }

    /// The learned enlarging passes of the whole; none for plain resampling.
    pub fn passes(&self) -> &[Pass] {
        self.enlarge.passes()
    }

    /// What enlarges it, for file names: the last model's id, or the plain kernel in small letters ("lanczos3").
    pub fn method(&self) -> String {
        match &self.enlarge {
            Enlarge::Plain { kernel } => kernel.to_string().to_lowercase().replace(' ', ""),
            Enlarge::Learned { passes, .. } => passes.last().map_or_else(String::new, |pass| pass.model.model.clone()),
            Enlarge::Traced { .. } => "traced".to_owned(),
        }
    }

    /// The whole's steps, then each area's.
    pub fn parts(&self) -> impl Iterator<Item = Part<'_>> {
        let whole = Part { clean: &self.clean, enlarge: &self.enlarge, finish: &self.finish, extent: None };
        let areas = self.areas.iter().map(|area| {
            let TreatedArea { mask, clean, enlarge, finish } = area;
            Part { clean, enlarge, finish, extent: mask.extent() }
        });
        std::iter::once(whole).chain(areas)
    }

    /// The treatment that an area gets, as if it were the whole.
    pub fn in_area(&self, area: &TreatedArea) -> Self {
        let TreatedArea { clean, enlarge, finish, .. } = area.clone();
        let (frame, faces, size, margin) = (self.frame, self.faces.clone(), self.size, self.margin);
        Self { frame, repair: self.repair.clone(), clean, enlarge, faces, finish, areas: Vec::new(), size, margin }
    }

    /// The models of all passes, of the whole and of areas; some of them several times. Those of faces are not among them.
    pub fn models(&self) -> impl Iterator<Item = &ModelRef> {
        let repairing = self.repair.wear.iter().flat_map(Wear::models);
        repairing.chain(self.parts().flat_map(|part| {
            let enlarging = part.enlarge.passes().iter().chain(part.enlarge.under());
            part.clean.passes().into_iter().map(|(model, _)| model).chain(enlarging.map(|pass| &pass.model))
        }))
    }

    /// Whether any model runs.
    pub fn needs_model(&self) -> bool {
        self.mends() || self.parts().any(|part| !part.enlarge.passes().is_empty()) || self.restored().count() > 0
    }

    /// Whether any model runs before the picture is enlarged: such a treatment needs one even where it is seen from afar.
    pub fn mends(&self) -> bool {
        self.repair.wear.is_some() || self.parts().any(|part| !part.clean.is_off())
    }

    /// The faces that are restored.
    pub fn restored(&self) -> impl Iterator<Item = (&Face, &Restore)> {
        self.faces.iter().filter_map(|f| Some((&f.face, f.restore.as_ref()?)))
    }

    /// Pixels that go into each pass of a model, cleaners first, in order, for the whole and then for each area: what
    /// the time depends on. An area that differs only in what is blended shares the passes.
    pub fn model_inputs(&self, kept: Size) -> Vec<(&str, u64)> {
        let mut inputs = Vec::new();
        // Filling runs only where something was found: on all of it at most.
        inputs.extend(self.repair.wear.iter().flat_map(Wear::models).map(|m| (m.model.as_str(), kept.area())));
        let same = |a: &Part<'_>, b: &Part<'_>| {
            a.clean.passes() == b.clean.passes()
                && a.enlarge.passes() == b.enlarge.passes()
                && a.enlarge.under() == b.enlarge.under()
        };
        for (i, part) in self.parts().enumerate() {
            if self.parts().take(i).any(|earlier| earlier.extent.is_none() && same(&earlier, &part)) {
                continue;
            }
            let area = kept.area() as f64;
            let pixels = part.extent.map_or(area, |extent| extent.min(area)) as u64;
            inputs.extend(part.clean.passes().into_iter().map(|(model, _)| (model.model.as_str(), pixels)));
            for chain in [part.enlarge.passes(), part.enlarge.under()] {
                let mut sides = 1_u64;
                inputs.extend(chain.iter().map(|pass| {
                    let pixels = pixels * sides * sides;
                    sides *= u64::from(pass.factor);
                    (pass.model.model.as_str(), pixels)
                }));
            }
        }
        inputs.extend(self.restored().map(|(_, restore)| (restore.model.model.as_str(), CANVAS.area())));
        inputs
    }

    /// Whether it can be carried out on an original of this size; every refusal says what can be done instead.
    pub fn check(&self, original: Size) -> Result<(), TreatmentError> {
        let kept = self.frame.size(original)?;
        if self.areas.len() > MOST_AREAS {
            return Err(TreatmentError::TooManyAreas(self.areas.len()));
        }
        self.areas.iter().try_for_each(|area| area.mask.check())?;
        check_repair(&self.repair)?;
        self.parts().try_for_each(|part| part.check())?;
        if self.faces.len() > MOST_FACES {
            return Err(TreatmentError::TooManyFaces(self.faces.len()));
        }
        if let Some(odd) = self.faces.iter().position(|f| !f.face.is_usable()) {
            return Err(TreatmentError::NoFace(odd + 1));
        }
        self.restored().try_for_each(|(_, r)| within("the strength of a face", r.strength, 0.0, 1.0))?;
        // Rounding either side to whole pixels shifts the proportion by up to a pixel.
        let due = f64::from(self.size.width) * f64::from(kept.height) / f64::from(kept.width);
        if (due - f64::from(self.size.height)).abs() > 1.0 + due * 0.005 {
            return Err(TreatmentError::Stretched { kept, size: self.size });
        }
        let Margin { left, top, right, bottom, fill } = self.margin;
        let widest =
            left.max(right).saturating_sub(self.size.width).max(top.max(bottom).saturating_sub(self.size.height));
        if fill == Fill::Mirror && widest > 0 {
            return Err(TreatmentError::MarginTooWide {
                margin: left.max(right).max(top).max(bottom),
                size: self.size,
            });
        }
        Ok(())
    }

    /// In words for a record: "Camera noise, draft; Everyday x4, draft at 90 %; edges 0.8 at 1.2 px, to 5669 x 3780 px".
    pub fn describe(&self, catalogue: &Catalogue) -> String {
        let mut steps = Vec::new();
        if !self.frame.is_plain() {
            steps.push("cropped or turned".to_owned());
        }
        steps.extend(self.repair.describe().map(|words| match self.repair.wear {
            Some(_) if !self.faces.is_empty() => format!("{words}; eyes and mouths left alone"),
            _ => words,
        }));
        let mut parts = self.parts().map(|part| part.describe(catalogue));
        steps.extend(parts.next());
        steps.extend(match self.restored().count() {
            0 => None,
            1 => Some("a face restored".to_owned()),
            count => Some(format!("{count} faces restored")),
        });
        steps.extend(parts.enumerate().map(|(i, words)| format!("in area {}: {words}", i + 1)));
        format!("{}, to {}", steps.join("; "), self.sheet())
    }
}

pub(crate) fn within(what: &'static str, value: f32, least: f32, most: f32) -> Result<(), TreatmentError> {
    let inside = value.is_finite() && (least..=most).contains(&value);
    if inside { Ok(()) } else { Err(TreatmentError::Setting { what, value, least, most }) }
}

fn check_repair(repair: &Repair) -> Result<(), TreatmentError> {
    if let Some(halftone) = &repair.halftone {
        if !halftone.has_usable_waves() {
            return Err(TreatmentError::Waves);
        }
        within("the strength of Halftone", halftone.strength, 0.0, 1.0)?;
    }
    if let Some(wear) = &repair.wear {
        within("the sensitivity of Repair", wear.sensitivity, 0.0, 1.0)?;
        if !wear.strokes.is_empty() {
            Mask { shape: Shape::Painted { strokes: wear.strokes.clone() }, inverted: false }.check()?;
        }
    }
    if let Some(fade) = &repair.fade {
        let all = |what, values: [f32; 3], least, most| values.iter().try_for_each(|v| within(what, *v, least, most));
        all("the black of Faded tone", fade.black, 0.0, Fade::BLACKEST)?;
        all("the white of Faded tone", fade.white, Fade::WHITEST, 1.0)?;
        all("the middle of Faded tone", fade.gamma, Fade::LEAST_GAMMA, Fade::MOST_GAMMA)?;
        within("the strength of Faded tone", fade.strength, 0.0, 1.0)?;
    }
    Ok(())
}

impl Part<'_> {
    fn check(&self) -> Result<(), TreatmentError> {
        if let Some(marks) = &self.clean.marks {
            within("the quality of compression", marks.quality, 1.0, 100.0)?;
            within("the strength of Compression marks", marks.strength, 0.0, 1.0)?;
        }
        if let Some(noise) = &self.clean.noise {
            noise.level.0.iter().try_for_each(|sigma| within("a point of the noise level", *sigma, 0.0, 128.0))?;
            within("Grain", noise.grain, 0.0, 1.0)?;
            within("Colour speckle", noise.speckle, 0.0, 1.0)?;
            within("Keep texture", noise.keep_texture, 0.0, 1.0)?;
            within("Keep lines", noise.keep_lines, 0.0, 1.0)?;
        }
        if let Some(softness) = &self.clean.softness {
            within("the spread of Softness", softness.sigma, 0.0, 3.0)?;
            within("the strength of Softness", softness.strength, 0.0, 1.0)?;
        }
        match self.enlarge {
            Enlarge::Plain { .. } => {}
            Enlarge::Learned { strength, .. } => within("the strength of Enlarge", *strength, 0.0, 1.0)?,
            Enlarge::Traced { tracing, .. } => tracing.check()?,
        }
        if let Some(edges) = &self.finish.edges {
            within("Edge strength", edges.strength, 0.0, 3.0)?;
            within("Edge width", edges.width, 0.3, 12.0)?;
            within("Halo guard", edges.halo_guard, 0.0, 1.0)?;
            within("Leave flat tone", edges.leave_flat, 0.0, 1.0)?;
            within("Leave skin", edges.leave_skin, 0.0, 1.0)?;
        }
        if let Some(grain) = &self.finish.grain {
            within("Print grain", grain.amount, 0.0, 2.0)?;
            within("the size of Print grain", grain.size, 1.0, 12.0)?;
            grain.level.0.iter().try_for_each(|sigma| within("a point of Print grain", *sigma, 0.0, 64.0))?;
        }
        Ok(())
    }

    fn describe(&self, catalogue: &Catalogue) -> String {
        let title = |model: &ModelRef| catalogue.card(&model.model).map_or_else(|_| model.model.clone(), Card::title);
        let percent = |share: f32| if share < 1.0 { format!(" at {:.0} %", share * 100.0) } else { String::new() };
        let mut steps = Vec::new();
        if let Some(marks) = &self.clean.marks {
            steps.push(format!("{}{}", title(&marks.model), percent(marks.strength)));
        }
        if let Some(noise) = &self.clean.noise {
            steps.push(format!("{}{}", title(&noise.model), percent(noise.grain)));
        }
        if let Some(softness) = &self.clean.softness {
            steps.push(format!("{}{}", title(&softness.model), percent(softness.strength)));
        }
        steps.push(match self.enlarge {
            Enlarge::Plain { kernel } => kernel.to_string(),
            Enlarge::Traced { tracing, .. } => format!("traced as shapes in up to {} colours", tracing.colours),
            Enlarge::Learned { passes, strength, .. } => {
                let names: Vec<String> = passes.iter().map(|pass| title(&pass.model)).collect();
                format!("{}{}", names.join(", then "), percent(*strength))
            }
        });
        if let Some(edges) = &self.finish.edges {
            steps.push(format!("edges {:.1} at {:.1} px", edges.strength, edges.width));
        }
        if let Some(grain) = &self.finish.grain {
            steps.push(format!("print grain{}", percent(grain.amount)));
        }
        steps.join("; ")
    }
}

impl Enlarge {
    /// The learned passes; none for plain resampling.
    pub fn passes(&self) -> &[Pass] {
        match self {
            Self::Plain { .. } => &[],
            Self::Learned { passes, .. } | Self::Traced { passes, .. } => passes,
        }
    }

    /// The passes that are blended in besides: none at full strength, nor over plain resampling.
    pub fn under(&self) -> &[Pass] {
        match self {
            Self::Learned { strength, over, .. } if *strength < 1.0 => over,
            _ => &[],
        }
    }

    /// Traced: from the picture enlarged by the thorough models for lettering and line, where there are some.
    pub fn traced(catalogue: &Catalogue, tracing: Tracing, kept: Size) -> Self {
        let passes = Self::learned(catalogue, LETTERING, Grade::Fine, kept, traced_at(kept)).passes().to_vec();
        Self::Traced { passes, tracing }
    }

    /// The smallest chain of a subject's models that covers the way; plain Lanczos 3 where no model is needed.
    ///
    /// What draws texture is laid over Everyday, thorough where there is one.
    pub fn learned(catalogue: &Catalogue, subject: &str, grade: Grade, kept: Size, size: Size) -> Self {
        let factor = f64::from(size.width) / f64::from(kept.width);
        let factor = factor.max(f64::from(size.height) / f64::from(kept.height));
        let pass = |card: &Card| Pass { model: ModelRef::of(card), factor: card.factor() };
        let cards = catalogue.chain(subject, grade, factor);
        if cards.is_empty() {
            return Self::Plain { kernel: Kernel::Lanczos3 };
        }
        let chain = |cards: Vec<&Card>| cards.into_iter().map(pass).collect();
        let draws = cards.iter().any(|card| card.draws());
        let over = if draws { chain(catalogue.chain(EVERYDAY, Grade::Fine, factor)) } else { Vec::new() };
        Self::Learned { passes: chain(cards), strength: 1.0, over }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::finish::Edges;
    use crate::geometry::Place;
    use crate::mask::{Shape, Stroke};
    use rstest::rstest;

    const ORIGINAL: Size = Size::new(300, 200);

    fn plain(width: u32, height: u32) -> Treatment {
        Treatment::plain(Kernel::Bicubic, Size::new(width, height))
    }

    #[rstest]
    #[case::kept(plain(600, 400), true)]
    #[case::rounded(plain(1000, 667), true)]
    #[case::stretched(plain(600, 420), false)]
    #[case::cropped(Treatment { frame: Frame { crop: Some(Region::of(0, 0, 200, 200)), ..Frame::default() }, ..plain(400, 400) }, true)]
    #[case::turned(Treatment { frame: Frame { quarter_turns: 1, ..Frame::default() }, ..plain(200, 300) }, true)]
    #[case::mirrored_too_far(Treatment { margin: Margin::around(401, Fill::Mirror), ..plain(600, 400) }, false)]
    #[case::wide_paper(Treatment { margin: Margin::around(401, Fill::White), ..plain(600, 400) }, true)]
    fn only_what_can_be_carried_out_is_accepted(#[case] treatment: Treatment, #[case] accepted: bool) {
        assert_eq!(treatment.check(ORIGINAL).is_ok(), accepted, "{:?}", treatment.check(ORIGINAL));
    }

    #[rstest]
    #[case(Some(f32::NAN), Fade::NONE, "sensitivity")]
    #[case(Some(0.5), Fade { black: [0.2, 0.6, 0.1], ..Fade::NONE }, "black")]
    #[case(None, Fade { white: [0.2, 0.9, 0.9], ..Fade::NONE }, "white")]
    #[case(None, Fade { gamma: [9.0, 1.0, 1.0], ..Fade::NONE }, "middle")]
    #[case(None, Fade { strength: 1.5, ..Fade::NONE }, "strength")]
    fn a_repair_outside_its_range_is_named(#[case] sensitivity: Option<f32>, #[case] fade: Fade, #[case] word: &str) {
        let model = || ModelRef::of(&crate::stand_in::finder_card());
        let wear = sensitivity.map(|sensitivity| Wear { sensitivity, ..Wear::usual(model(), model()) });
        let size = Size::new(30, 20);
        let treatment = Treatment {
            repair: Repair { wear, fade: Some(fade), ..Repair::default() },
            ..Treatment::plain(Kernel::Nearest, size)
        };
        assert!(treatment.check(size).unwrap_err().to_string().contains(word));
    }

    #[rstest]
    #[case(f32::NAN)]
    #[case(-0.1)]
    #[case(1e9)]
    fn settings_outside_their_range_are_named(#[case] strength: f32) {
        let edges = Edges { strength, width: 1.0, halo_guard: 0.5, leave_flat: 0.5, leave_skin: 0.0 };
        let treatment = Treatment { finish: Finish { edges: Some(edges), grain: None }, ..plain(600, 400) };
        assert!(matches!(treatment.check(ORIGINAL), Err(TreatmentError::Setting { what: "Edge strength", .. })));
    }

    fn painted(x: f32, y: f32, radius: f32) -> TreatedArea {
        let stroke = Stroke { points: vec![Place::new(x, y)], radius, feather: 0.5, erases: false };
        let mask = Mask { shape: Shape::Painted { strokes: vec![stroke] }, inverted: false };
        let enlarge = Enlarge::Plain { kernel: Kernel::Lanczos3 };
        TreatedArea { mask, clean: Clean::default(), enlarge, finish: Finish::default() }
    }

    #[test]
    fn areas_are_checked_and_counted() {
        let with = |areas| Treatment { areas, ..plain(600, 400) };
        assert_eq!(with(vec![painted(10.0, 10.0, 5.0); 8]).check(ORIGINAL), Ok(()));
        assert_eq!(with(vec![painted(10.0, 10.0, 5.0); 9]).check(ORIGINAL), Err(TreatmentError::TooManyAreas(9)));
        let refused = with(vec![painted(10.0, f32::INFINITY, 5.0)]).check(ORIGINAL);
        assert_eq!(refused, Err(TreatmentError::Mask(MaskError::NotANumber)));
        let mut wild = painted(10.0, 10.0, 5.0);
        wild.finish.edges =
            Some(Edges { strength: 9.0, width: 1.0, halo_guard: 0.5, leave_flat: 0.5, leave_skin: 0.0 });
        assert!(matches!(with(vec![wild]).check(ORIGINAL), Err(TreatmentError::Setting { .. })));
    }

    #[test]
    fn an_area_costs_what_it_adds() {
        let passes = |id: &str| {
            let model = ModelRef { model: id.to_owned(), sha256: ContentHash::of(id.as_bytes()) };
            Enlarge::Learned { passes: vec![Pass { model, factor: 2 }], strength: 1.0, over: Vec::new() }
        };
        let whole = Treatment { enlarge: passes("a"), ..plain(600, 400) };
        let with =
            |enlarge| Treatment { areas: vec![TreatedArea { enlarge, ..painted(50.0, 50.0, 10.0) }], ..whole.clone() };
        assert_eq!(with(passes("a")).model_inputs(ORIGINAL), [("a", 60_000)]);
        assert_eq!(with(passes("b")).model_inputs(ORIGINAL), [("a", 60_000), ("b", 400)]);
    }

    #[test]
    fn a_restored_face_costs_a_canvas_and_is_checked() {
        let at = |x: f32| Place::new(x, 50.0);
        let model = ModelRef { model: "faces".to_owned(), sha256: ContentHash::of(b"faces") };
        let restored = |face, strength| {
            let restore = Some(Restore { model: model.clone(), strength });
            Treatment { faces: vec![TreatedFace { face, restore }], ..plain(600, 400) }
        };
        let face = Face::of_eyes(at(40.0), at(80.0));
        let treatment = restored(face, 0.5);
        assert_eq!(treatment.check(ORIGINAL), Ok(()));
        assert_eq!(treatment.model_inputs(ORIGINAL), [("faces", 256 * 320)]);
        assert!(treatment.needs_model() && treatment.describe(&Catalogue::default()).contains("a face restored"));
        assert!(matches!(restored(face, 1.5).check(ORIGINAL), Err(TreatmentError::Setting { .. })));
        let nowhere = Face::of_eyes(at(40.0), at(40.0));
        assert_eq!(restored(nowhere, 0.5).check(ORIGINAL), Err(TreatmentError::NoFace(1)));
        let many = Treatment { faces: vec![TreatedFace { face, restore: None }; 65], ..plain(600, 400) };
        assert_eq!(many.check(ORIGINAL), Err(TreatmentError::TooManyFaces(65)));
    }

    #[test]
    fn a_treatment_written_before_there_were_other_steps_is_still_read() {
        let old = r#"{"enlarge": {"by": "plain", "kernel": "bicubic"}, "size": {"width": 600, "height": 400}}"#;
        assert_eq!(serde_json::from_str::<Treatment>(old).unwrap(), plain(600, 400));
    }
}
