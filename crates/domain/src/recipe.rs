//! A recipe: the settings of a treatment before they are worked out for one picture and one size.
//!
//! What a person chooses ("Everyday, fine, on a sheet of 60 x 40 cm with a border") becomes a [`Treatment`], in which
//! every pixel count and every model file is fixed.

use serde::{Deserialize, Serialize};

use crate::clean::{Clean, Marks, Noise, Softness};
use crate::face::{Face, Faces, OwnFace};
use crate::finish::{Finish, PrintGrain};
use crate::frame::Frame;
use crate::geometry::Size;
use crate::halftone::Halftone;
use crate::kernel::Kernel;
use crate::mask::Mask;
use crate::model::{Catalogue, CatalogueError, Grade, Kind, ModelRef};
use crate::reading::{BEYOND_HELP, MARKED_QUALITY, Reading, SOFT};
use crate::repair::{Fade, Repair, Wear};
use crate::size::{MM_PER_INCH, Resolved, SizeError, Target};
use crate::trace::Tracing;
use crate::treatment::{Enlarge, Fill, Margin, Restore, TreatedArea, TreatedFace, Treatment, TreatmentError, within};

/// What a person chooses for one picture and print.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Recipe {
    /// Turned and cropped.
    #[serde(default)]
    pub frame: Frame,
    /// What is done to the whole of it.
    #[serde(flatten)]
    pub steps: Steps,
    /// Parts with settings of their own; a later one lies over an earlier one.
    #[serde(default)]
    pub areas: Vec<Area>,
    /// The faces of this picture and what is particular to each; those that were found where nothing is said.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub own_faces: Option<Vec<OwnFace>>,
    /// What lies around the picture.
    #[serde(default)]
    pub surround: Surround,
}

/// What is to be printed: how large, and what lies around the picture. An order's usual print, or a product's.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Ticket {
    /// How large.
    pub target: Target,
    /// What lies around it.
    #[serde(default)]
    pub surround: Surround,
}

/// The steps that make the difference between one treatment and another of the same print.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Steps {
    /// What time has done to it and is mended. In an area, what the whole says holds.
    #[serde(default, skip_serializing_if = "Repair::is_off")]
    pub repair: Repair,
    /// What is taken out.
    #[serde(default)]
    pub clean: Clean,
    /// How it is made larger.
    pub enlarge: Choice,
    /// How far faces are restored; not at all where nothing is said. In an area, what the whole says holds.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub faces: Option<Faces>,
    /// What is done at the print's scale.
    #[serde(default)]
    pub finish: Finish,
}

/// A part of the picture with steps of its own.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Area {
    /// What the person calls it.
    pub name: String,
    /// Which part.
    pub mask: Mask,
    /// What is done there.
    pub steps: Steps,
}

impl Steps {
    /// The same for another picture: models, strengths and what is off are kept; what was measured on the picture that
    /// they come from is replaced by this one's own. A cleaner for something that this picture has not is left out; `iso` is what its
    /// camera says, as for [`Reading::is_noisy`].
    pub fn for_reading(&self, reading: &Reading, iso: Option<u32>) -> Self {
        let mut steps = self.clone();
        // What was marked by hand lies on the other picture.
        if let Some(wear) = &mut steps.repair.wear {
            wear.strokes.clear();
        }
        steps.repair.halftone = (steps.repair.halftone)
            .and_then(|halftone| Some(Halftone { strength: halftone.strength, ..reading.halftone()? }));
        steps.repair.fade =
            steps.repair.fade.and_then(|fade| Some(Fade { strength: fade.strength, ..Fade::suggested(reading)? }));
        let Clean { marks, noise, softness } = &mut steps.clean;
        *marks = marks.take().and_then(|marks| {
            let quality = reading.worst_quality().filter(|q| *q < MARKED_QUALITY)?;
            Some(Marks { quality, ..marks })
        });
        *noise =
            noise.take().filter(|_| reading.is_noisy(iso)).map(|noise| Noise { level: reading.noise.level, ..noise });
        *softness = softness.take().and_then(|softness| {
            let sigma = reading.softness.map(|s| s.sigma).filter(|s| (SOFT..BEYOND_HELP).contains(s))?;
            Some(Softness { sigma, ..softness })
        });
        if let Some(grain) = &mut steps.finish.grain {
            grain.level = reading.noise.level.at_most(PrintGrain::STRONGEST);
        }
        steps
    }
}

/// How a picture is to be made larger.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase", tag = "by")]
pub enum Choice {
    /// With a subject's models.
    Learned {
        /// "everyday", ...
        subject: String,
        /// Fast or thorough.
        grade: Grade,
        /// The learned share; the rest is Lanczos 3. 0 to 1.
        #[serde(default = "Choice::whole")]
        strength: f32,
    },
    /// Without a model.
    Plain {
        /// How.
        kernel: Kernel,
    },
    /// As shapes, which are sharp at any size: what was drawn in a few plain colours.
    Traced(Tracing),
}

impl Choice {
    /// Whether both enlarge by the same models, at whatever strength, or both by the same plain method.
    pub fn is_by_same(&self, other: &Self) -> bool {
        match (self, other) {
            (
                Self::Learned { subject, grade, .. },
                Self::Learned { subject: other_subject, grade: other_grade, .. },
            ) => subject == other_subject && grade == other_grade,
            _ => self == other,
        }
    }

    fn whole() -> f32 {
        1.0
    }
}

/// What lies around the picture on its sheet.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase", tag = "kind")]
pub enum Surround {
    /// Nothing: the file is the picture.
    #[default]
    None,
    /// Bare paper up to the sheet's edges, where its shape differs from the picture's.
    Border,
    /// The picture goes on past the sheet's edges, to be cut or folded away.
    Bleed {
        /// So far on every side, in millimetres.
        mm: f64,
        /// With what.
        fill: Fill,
    },
}

/// The widest bleed, in millimetres: the side of a stretched canvas.
pub const WIDEST_BLEED_MM: f64 = 100.0;

impl Surround {
    /// In pixels, for a target that was worked out; nothing where there is no print to surround.
    pub fn margin(self, resolved: &Resolved) -> Margin {
        let Some(print) = resolved.print else { return Margin::default() };
        match self {
            Surround::None => Margin::default(),
            Surround::Border => {
                let (width, height) = print.paper.inches();
                let spare = |inches: f64, px: u32| ((inches * print.ppi).round() as u32).saturating_sub(px);
                let (across, down) = (spare(width, resolved.size.width), spare(height, resolved.size.height));
                Margin {
                    left: across / 2,
                    right: across - across / 2,
                    top: down / 2,
                    bottom: down - down / 2,
                    fill: Fill::White,
                }
            }
            Surround::Bleed { mm, fill } => {
                let mm = if mm.is_finite() { mm.clamp(0.0, WIDEST_BLEED_MM) } else { 0.0 };
                Margin::around((mm / MM_PER_INCH * print.ppi).round() as u32, fill)
            }
        }
    }
}

/// Why a recipe cannot be worked out.
#[derive(Clone, Debug, thiserror::Error)]
pub enum RecipeError {
    /// The target makes no sense for this picture.
    #[error(transparent)]
    Size(#[from] SizeError),
    /// A setting is out of range, or the frame does not suit the picture.
    #[error(transparent)]
    Treatment(#[from] TreatmentError),
    /// A model is missing, or is another than the one that is meant.
    #[error(transparent)]
    Model(#[from] CatalogueError),
    /// No model was made for this subject.
    #[error("there are no models for the subject \"{subject}\"; there are: {}", known.join(", "))]
    UnknownSubject {
        /// What was asked for.
        subject: String,
        /// What there is.
        known: Vec<String>,
    },
}

/// A recipe worked out for one picture.
#[derive(Clone, Debug, PartialEq)]
pub struct Worked {
    /// What the frame keeps of the original.
    pub kept: Size,
    /// Size and print.
    pub resolved: Resolved,
    /// All settings.
    pub treatment: Treatment,
}

impl Recipe {
    /// Only enlarging, with a subject's models.
    pub fn learned(subject: &str, grade: Grade) -> Self {
        Self::only(Choice::Learned { subject: subject.to_owned(), grade, strength: 1.0 })
    }

    /// Only enlarging.
    pub fn only(enlarge: Choice) -> Self {
        let steps = Steps {
            repair: Repair::default(),
            clean: Clean::default(),
            enlarge,
            faces: None,
            finish: Finish::default(),
        };
        Self { frame: Frame::default(), steps, areas: Vec::new(), own_faces: None, surround: Surround::None }
    }

    /// The same, knowing which faces were found: they are the picture's where nothing else is said.
    pub fn knowing(mut self, found: &[Face]) -> Self {
        self.own_faces.get_or_insert_with(|| found.iter().copied().map(OwnFace::usual).collect());
        self
    }

    /// The faces with what is done to each.
    fn treated_faces(&self, catalogue: &Catalogue) -> Vec<TreatedFace> {
        let model = catalogue.restorer().map(ModelRef::of);
        let treated = |own: &OwnFace| {
            let strength = own.strength.or(self.steps.faces.map(|f| f.strength));
            let wanted = self.steps.faces.is_some() && own.on && own.face.left_for_size().is_none();
            let strength = strength.filter(|strength| wanted && *strength > 0.0);
            let restore = model.clone().zip(strength).map(|(model, strength)| Restore { model, strength });
            TreatedFace { face: own.face, restore }
        };
        let faces: Vec<TreatedFace> = self.own_faces.iter().flatten().map(treated).collect();
        let spared = self.steps.finish.edges.is_some_and(|e| e.leave_skin > 0.0)
            || self.areas.iter().any(|a| a.steps.finish.edges.is_some_and(|e| e.leave_skin > 0.0))
            // Eyes and mouths are no wear.
            || self.steps.repair.wear.is_some();
        // Faces to which nothing is done are left out, so that the same result keeps the same name.
        faces.into_iter().filter(|f| spared || f.restore.is_some()).collect()
    }

    /// Works it out for an original of this size.
    pub fn work_out(&self, catalogue: &Catalogue, original: Size, target: Target) -> Result<Worked, RecipeError> {
        let kept = self.frame.size(original).map_err(TreatmentError::from)?;
        if let Some(Faces { strength }) = self.steps.faces {
            // Said even where nobody is in the picture.
            within("the strength of Faces", strength, 0.0, 1.0)?;
        }
        let resolved = target.resolve(kept)?;
        let enlarge = |steps: &Steps| steps.enlarge.work_out(catalogue, kept, resolved.size);
        let area = |area: &Area| {
            let Steps { clean, finish, .. } = area.steps.clone();
            Ok(TreatedArea { mask: area.mask.clone(), clean, enlarge: enlarge(&area.steps)?, finish })
        };
        let treatment = Treatment {
            frame: self.frame,
            repair: self.steps.repair.clone(),
            clean: self.steps.clean.clone(),
            enlarge: enlarge(&self.steps)?,
            faces: self.treated_faces(catalogue),
            finish: self.steps.finish,
            areas: self.areas.iter().map(area).collect::<Result<_, RecipeError>>()?,
            size: resolved.size,
            margin: self.surround.margin(&resolved),
        };
        treatment.check(original)?;
        for model in treatment.repair.wear.iter().flat_map(Wear::models) {
            catalogue.card_of(model)?;
        }
        for part in treatment.parts() {
            for (model, _) in part.clean.passes() {
                catalogue.card_of(model)?;
            }
        }
        Ok(Worked { kept, resolved, treatment })
    }
}

impl Choice {
    fn work_out(&self, catalogue: &Catalogue, kept: Size, size: Size) -> Result<Enlarge, RecipeError> {
        match self {
            Choice::Plain { kernel } => Ok(Enlarge::Plain { kernel: *kernel }),
            Choice::Traced(tracing) => Ok(Enlarge::traced(catalogue, tracing.clone(), kept)),
            Choice::Learned { subject, grade, strength } => {
                let all = catalogue.listed().iter().map(|listed| &listed.card);
                let enlargers = || all.clone().filter(|card| card.kind() == Kind::Enlarge);
                if !enlargers().any(|card| card.subject == *subject) {
                    let mut known: Vec<String> = enlargers().map(|card| card.subject.clone()).collect();
                    known.dedup();
                    return Err(RecipeError::UnknownSubject { subject: subject.clone(), known });
                }
                let mut enlarge = Enlarge::learned(catalogue, subject, *grade, kept, size);
                if let Enlarge::Learned { strength: share, .. } = &mut enlarge {
                    *share = *strength;
                }
                Ok(enlarge)
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::clean::NoiseCurve;
    use crate::finish::Edges;
    use crate::geometry::Place;
    use crate::geometry::Region;
    use crate::model::{LETTERING, ModelRef};
    use crate::stand_in;
    use rstest::rstest;

    fn catalogue() -> Catalogue {
        let make = |factor| stand_in::card(factor, Grade::Draft);
        Catalogue::of(vec![make(2), make(4)])
    }

    fn face(eyes: f32) -> Face {
        let at = |x: f32| Place::new(x, 50.0);
        Face::of_eyes(at(100.0), at(100.0 + eyes))
    }

    /// Strengths at which the faces of a recipe are restored; nothing for one that is not.
    fn strengths(recipe: &Recipe) -> Vec<Option<f32>> {
        let restorer = stand_in::restorer_card();
        let model = stand_in::card(2, Grade::Draft);
        let catalogue = Catalogue::of(vec![model, restorer]);
        let worked = recipe.work_out(&catalogue, Size::new(300, 200), Target::Factor { factor: 2.0 }).unwrap();
        worked.treatment.faces.iter().map(|f| f.restore.as_ref().map(|r| r.strength)).collect()
    }

    #[test]
    fn faces_are_restored_as_the_step_and_each_of_them_says() {
        let found = [face(40.0), face(12.0), face(150.0)];
        let with = |faces| {
            let mut recipe = Recipe::learned("everyday", Grade::Draft);
            recipe.steps.faces = faces;
            recipe.knowing(&found)
        };
        let on = with(Some(Faces { strength: 0.6 }));
        assert_eq!(strengths(&on), [Some(0.6)], "too small and large enough are left alone");
        assert_eq!(strengths(&with(None)), []);
        let own = |on: bool, strength| {
            let list = vec![OwnFace { on, strength, ..OwnFace::usual(face(40.0)) }];
            Recipe { own_faces: Some(list), ..with(Some(Faces { strength: 0.6 })) }.knowing(&found)
        };
        assert_eq!(strengths(&own(true, Some(0.2))), [Some(0.2)], "what is said of a face goes first");
        assert_eq!(strengths(&own(false, Some(0.2))), []);
        let mut portrait = with(None);
        portrait.steps.finish.edges =
            Some(Edges { strength: 1.0, width: 1.0, halo_guard: 0.8, leave_flat: 0.8, leave_skin: 0.9 });
        assert_eq!(strengths(&portrait), [None, None, None], "whose skin is spared is known all the same");
    }

    #[test]
    fn a_strength_that_makes_no_sense_is_refused_though_nobody_is_there() {
        let mut recipe = Recipe::learned("everyday", Grade::Draft);
        recipe.steps.faces = Some(Faces { strength: 1.4 });
        let refused = recipe.work_out(&catalogue(), Size::new(300, 200), Target::Factor { factor: 2.0 });
        assert!(matches!(refused, Err(RecipeError::Treatment(TreatmentError::Setting { .. }))), "{refused:?}");
    }

    #[test]
    fn the_step_and_the_faces_are_kept_apart_in_json() {
        let mut recipe = Recipe::learned("everyday", Grade::Draft);
        recipe.steps.faces = Some(Faces { strength: 0.5 });
        let recipe = recipe.knowing(&[face(40.0)]);
        let text = serde_json::to_string(&recipe).unwrap();
        assert_eq!(serde_json::from_str::<Recipe>(&text).unwrap(), recipe);
        let old = r#"{"enlarge": {"by": "learned", "subject": "everyday", "grade": "draft"}}"#;
        assert_eq!(serde_json::from_str::<Recipe>(old).unwrap(), Recipe::learned("everyday", Grade::Draft));
    }

    #[test]
    fn what_is_traced_is_enlarged_fourfold_for_it_whatever_the_print() {
        let lettering = crate::model::Card { subject: LETTERING.to_owned(), ..stand_in::card(4, Grade::Fine) };
        let recipe = Recipe::only(Choice::Traced(Tracing::usual()));
        for factor in [1.0, 9.0] {
            let catalogue = Catalogue::of(vec![lettering.clone()]);
            let worked = recipe.work_out(&catalogue, Size::new(260, 200), Target::Factor { factor }).unwrap();
            assert_eq!(worked.treatment.passes().iter().map(|pass| pass.factor).collect::<Vec<_>>(), [4]);
            assert_eq!(worked.treatment.method(), "traced");
        }
        let worked = recipe.work_out(&catalogue(), Size::new(260, 200), Target::Factor { factor: 2.0 }).unwrap();
        assert_eq!(worked.treatment.passes(), [], "no model for lettering");
        let few = Recipe::only(Choice::Traced(Tracing { colours: 1, ..Tracing::usual() }));
        let refused = few.work_out(&catalogue(), Size::new(260, 200), Target::Factor { factor: 2.0 }).unwrap_err();
        assert!(refused.to_string().contains("2 to 32 colours"), "{refused}");
        let kept = serde_json::to_value(&recipe.steps.enlarge).unwrap();
        assert_eq!(kept, serde_json::json!({ "by": "traced", "colours": 32 }));
    }

    fn cleaned_by_what_is_not_there() -> Recipe {
        let mut recipe = Recipe::learned("everyday", Grade::Draft);
        let model = ModelRef::of(&stand_in::cleaner_card());
        recipe.steps.clean.marks = Some(Marks { model, quality: 40.0, strength: 1.0 });
        recipe
    }

    const SHEET: &str = "40x40cm";

    fn on_sheet(surround: Surround, frame: Frame) -> Worked {
        let recipe = Recipe { surround, frame, ..Recipe::learned("everyday", Grade::Draft) };
        let target = Target::Print { paper: SHEET.parse().unwrap(), ppi: 254.0 };
        recipe.work_out(&catalogue(), Size::new(1500, 1000), target).unwrap()
    }

    #[test]
    fn a_border_fills_the_sheet() {
        let worked = on_sheet(Surround::Border, Frame::default());
        assert_eq!(worked.treatment.size, Size::new(4000, 2667));
        assert_eq!(worked.treatment.sheet(), Size::new(4000, 4000));
        assert_eq!(worked.treatment.place().y, 666);
    }

    #[test]
    fn a_bleed_goes_past_it() {
        let worked = on_sheet(Surround::Bleed { mm: 10.0, fill: Fill::Mirror }, Frame::default());
        assert_eq!(worked.treatment.sheet(), Size::new(4200, 2867));
    }

    #[test]
    fn a_crop_decides_the_shape() {
        let frame = Frame { crop: Some(Region::of(0, 0, 1000, 1000)), ..Frame::default() };
        let worked = on_sheet(Surround::None, frame);
        assert_eq!((worked.kept, worked.treatment.size), (Size::new(1000, 1000), Size::new(4000, 4000)));
        assert_eq!(worked.treatment.passes().len(), 1);
    }

    #[rstest]
    #[case(
        Recipe::learned("clouds", Grade::Draft),
        "there are no models for the subject \"clouds\"; there are: everyday"
    )]
    #[case(
        Recipe { frame: Frame { degrees: 40.0, ..Frame::default() }, ..Recipe::learned("everyday", Grade::Draft) },
        "40 degrees"
    )]
    #[case(cleaned_by_what_is_not_there(), "there is no model \"camera-noise-draft\"")]
    fn what_cannot_be_done_is_said(#[case] recipe: Recipe, #[case] words: &str) {
        let refused = recipe.work_out(&catalogue(), Size::new(300, 200), Target::Factor { factor: 2.0 }).unwrap_err();
        assert!(refused.to_string().contains(words), "{refused}");
    }

    #[test]
    fn a_recipe_can_be_written_in_a_few_words() {
        let text =
            r#"{"enlarge": {"by": "learned", "subject": "everyday", "grade": "fine"}, "surround": {"kind": "border"}}"#;
        let recipe: Recipe = serde_json::from_str(text).unwrap();
        assert_eq!(recipe, Recipe { surround: Surround::Border, ..Recipe::learned("everyday", Grade::Fine) });
    }

    #[test]
    fn an_area_has_steps_of_its_own() {
        let text = r#"{"enlarge": {"by": "learned", "subject": "everyday", "grade": "draft"}, "areas": [
            {"name": "Sky", "mask": {"by": "gradient", "from": {"x": 0, "y": 10}, "to": {"x": 0, "y": 60}},
             "steps": {"enlarge": {"by": "plain", "kernel": "bicubic"}}}]}"#;
        let recipe: Recipe = serde_json::from_str(text).unwrap();
        let worked = recipe.work_out(&catalogue(), Size::new(300, 200), Target::Factor { factor: 4.0 }).unwrap();
        assert_eq!(worked.treatment.areas.len(), 1);
        assert_eq!(worked.treatment.areas[0].enlarge, Enlarge::Plain { kernel: Kernel::Bicubic });
        assert_eq!(worked.treatment.passes().len(), 1);
        let back: Recipe = serde_json::from_str(&serde_json::to_string(&recipe).unwrap()).unwrap();
        assert_eq!(back, recipe);
    }

    /// A reading of a picture with this much noise, quality and spread of edges.
    fn reading(sigma: f32, quality: f32, spread: f32) -> Reading {
        let text = format!(
            r#"{{"noise": {{"level": [{sigma},{sigma},{sigma},{sigma},{sigma},{sigma},{sigma},{sigma}], "sigma": {sigma},
                "colour": 0, "luminance": 0}}, "jpeg_quality": {quality}, "former_jpeg": null,
                "softness": {{"sigma": {spread}, "shake": null, "overshoot": 0, "edges": 100}},
                "detail": {{"usable": 1, "size": {{"width": 300, "height": 200}}, "enlarged": null, "ends_abruptly": false}},
                "content": {{"flat": 0, "texture": 0, "lettering": 0, "clipped_shadows": 0, "clipped_highlights": 0,
                "brightness": 0.5}}}}"#
        );
        serde_json::from_str(&text).unwrap()
    }

    #[test]
    fn on_another_picture_what_was_measured_is_that_ones_own() {
        let mut steps = cleaned_by_what_is_not_there().steps;
        let model = ModelRef::of(&stand_in::cleaner_card());
        let level = NoiseCurve::flat(20.0);
        steps.clean.noise =
            Some(Noise { model: model.clone(), level, grain: 0.7, speckle: 1.0, keep_texture: 0.2, keep_lines: 0.0 });
        steps.clean.softness = Some(Softness { model, sigma: 1.5, strength: 0.5 });
        let there = steps.for_reading(&reading(6.0, 55.0, 1.2), None).clean;
        assert_eq!(there.marks.as_ref().map(|m| (m.quality, m.strength)), Some((55.0, 1.0)));
        assert_eq!(there.noise.as_ref().map(|n| (n.level, n.grain)), Some((NoiseCurve::flat(6.0), 0.7)));
        assert_eq!(there.softness.as_ref().map(|s| (s.sigma, s.strength)), Some((1.2, 0.5)));
        let sound = steps.for_reading(&reading(0.5, 96.0, 0.6), None);
        assert!(sound.clean.is_off(), "nothing of it is wrong with that picture");
        // Where only texture was to be seen, the figure is an upper bound.
        let mut hidden = reading(6.0, 96.0, 0.6);
        hidden.noise.hidden = true;
        assert!(steps.for_reading(&hidden, Some(100)).clean.noise.is_none());
        assert!(steps.for_reading(&hidden, Some(6400)).clean.noise.is_some());
    }
}
