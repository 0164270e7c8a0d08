//! Looking over a run before it is started: what would stop it, and what a person would want to know first.

use serde::{Deserialize, Serialize};

use crate::file::{Facts, Format, OutputSettings};
use crate::frame::Frame;
use crate::limits::{LimitError, Limits};
use crate::reading::Reading;
use crate::recipe::Worked;
use crate::size::{Paper, Target, eye_ppi, sharp_from_m};
use crate::words;

/// From this share of what the eye can use upwards, a print passes for fair.
pub const FAIR: f64 = 0.6;

/// How much a finding weighs.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum Weight {
    /// Worth knowing.
    Note,
    /// To be accepted or mended.
    Warning,
    /// It cannot be run like this.
    Stop,
}

/// What would mend it.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case", tag = "by")]
pub enum Fix {
    /// Another size.
    Target {
        /// This one.
        target: Target,
    },
    /// Another format.
    Format {
        /// This one.
        format: Format,
    },
    /// Plain resampling instead of a model.
    Plain,
    /// Another frame.
    Frame {
        /// This one.
        frame: Frame,
    },
}

impl Fix {
    /// As a button says it.
    pub fn in_words(self) -> String {
        match self {
            Fix::Plain => "Without a model".to_owned(),
            Fix::Format { format } => format!("As {format}"),
            Fix::Target { target } => words::target(&target),
            Fix::Frame { .. } => "Cut it off".to_owned(),
        }
    }
}

/// What would mend a finding, and how a button says it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Mend {
    /// What.
    #[serde(flatten)]
    pub fix: Fix,
    /// As a button says it.
    pub words: String,
}

impl From<Fix> for Mend {
    fn from(fix: Fix) -> Self {
        Self { fix, words: fix.in_words() }
    }
}

/// Something that was found.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Finding {
    /// How much it weighs.
    pub weight: Weight,
    /// What it is, in a sentence.
    pub text: String,
    /// What would mend it, where something would.
    pub fix: Option<Mend>,
}

/// What is to be run.
#[derive(Clone, Copy, Debug)]
pub struct Planned<'a> {
    /// What was asked for.
    pub target: Target,
    /// What it means.
    pub worked: &'a Worked,
    /// The file.
    pub settings: OutputSettings,
    /// What is known of the original's file.
    pub facts: &'a Facts,
    /// What was measured on the original.
    pub reading: &'a Reading,
    /// From how far it is seen, in metres; the usual distance when not given.
    pub distance_m: Option<f64>,
    /// The least ppi that the original's own pixels are to give on the print.
    pub least_ppi: Option<f64>,
    /// What its suggestion is unsure of, where it is treated as suggested.
    pub doubts: &'a [String],
}

impl Planned<'_> {
    /// All that is to be said before the run, what weighs most first. `free` is what the disk has, where known.
    pub fn findings(&self, limits: &Limits, free: Option<u64>) -> Vec<Finding> {
        let mut found: Vec<Finding> = [
            self.limit(limits, free),
            self.few_pixels(),
            self.soft(),
            self.unsure(),
            self.made_up(),
            self.border(),
            self.no_gain(),
        ]
        .into_iter()
        .flatten()
        .collect();
        found.sort_by_key(|finding| std::cmp::Reverse(finding.weight));
        found
    }

    fn limit(&self, limits: &Limits, free: Option<u64>) -> Option<Finding> {
        let sheet = self.worked.treatment.sheet();
        let error = limits.check_output(self.facts, sheet, self.settings, free).err()?;
        let fix = match &error {
            LimitError::FormatSide { .. }
            | LimitError::FormatDepth { .. }
            | LimitError::FormatPixels { .. }
            | LimitError::FormatOrigin { .. } => Some(Fix::Format { format: Format::Tiff }),
            LimitError::OutputPixels { nearest, .. } => Some(Fix::Target { target: Target::LongEdge { px: *nearest } }),
            _ => None,
        };
        Some(Finding { weight: Weight::Stop, text: error.to_string(), fix: fix.map(Mend::from) })
    }

    /// What is suggested for it should be looked at.
    fn unsure(&self) -> Option<Finding> {
        let doubts = self.doubts.join("; ");
        let text = format!("what is suggested for it is unsure, look at it first: {doubts}");
        (!doubts.is_empty()).then_some(Finding { weight: Weight::Warning, text, fix: None })
    }

    /// Eyes or a mouth would be filled with what was never there.
    fn made_up(&self) -> Option<Finding> {
        let treatment = &self.worked.treatment;
        let wear = treatment.repair.wear.as_ref()?;
        let faces = treatment.faces.iter().filter(|treated| wear.covers_likeness(&treated.face)).count();
        let of = if faces == 1 { "a face" } else { "faces" };
        let text = format!("what was marked by hand covers eyes or mouth of {of}: what is filled in there is made up");
        (faces > 0).then_some(Finding { weight: Weight::Warning, text, fix: None })
    }

    /// The paper around the picture would be printed with it.
    fn border(&self) -> Option<Finding> {
        let border = self.reading.border.filter(|_| self.worked.treatment.frame.is_plain())?;
        let writing = if border.writing { ", with what is written on it," } else { "" };
        let text = format!("the paper around the picture{writing} is printed with it");
        Some(Finding { weight: Weight::Note, text, fix: Some(Fix::Frame { frame: border.frame }.into()) })
    }

    /// The original's own pixels are fewer than the product asks for.
    fn few_pixels(&self) -> Option<Finding> {
        let (print, least) = (self.worked.resolved.print?, self.least_ppi?);
        // A size is rounded to whole pixels: half a pixel an inch is nobody's fault.
        if print.original_ppi >= least - 0.5 {
            return None;
        }
        let share = print.original_ppi / least;
        let side = |length: f64| (length * share * 10.0).floor() / 10.0;
        let paper = Paper { width: side(print.paper.width), height: side(print.paper.height), unit: print.paper.unit };
        let fits = paper.width > 0.0 && paper.height > 0.0;
        let text = format!(
            "its own pixels give {:.0} ppi at this size and {least:.0} are asked for: up to {paper} it has them",
            print.original_ppi
        );
        let fix = fits.then_some(Fix::Target { target: Target::Print { paper, ppi: print.ppi } });
        Some(Finding { weight: Weight::Warning, text, fix: fix.map(Mend::from) })
    }

    /// The print is larger than the picture's real detail carries.
    fn soft(&self) -> Option<Finding> {
        let print = self.worked.resolved.print?;
        let distance = self.distance_m.unwrap_or_else(|| print.usual_distance_m());
        let (detail, eye) = (self.reading.detail_ppi(print.original_ppi), eye_ppi(distance));
        if detail >= FAIR * eye {
            return None;
        }
        let text = format!(
            "its real detail gives {detail:.0} ppi and from {distance:.1} m the eye uses {eye:.0}: it will look soft nearer than {:.1} m",
            FAIR * sharp_from_m(detail)
        );
        Some(Finding { weight: Weight::Warning, text, fix: None })
    }

    /// A model would add nothing that could be seen.
    fn no_gain(&self) -> Option<Finding> {
        let treatment = &self.worked.treatment;
        if treatment.passes().is_empty() {
            return None;
        }
        let print = self.worked.resolved.print?;
        let distance = self.distance_m.unwrap_or_else(|| print.usual_distance_m());
        let (detail, eye) = (self.reading.detail_ppi(print.original_ppi), eye_ppi(distance));
        (detail >= eye).then(|| Finding {
            weight: Weight::Note,
            text: format!(
                "its own detail gives {detail:.0} ppi and from {distance:.1} m the eye uses {eye:.0}: it gains nothing from a model"
            ),
            fix: Some(Fix::Plain.into()),
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::face::Face;
    use crate::geometry::{Place, Size};
    use crate::hash::ContentHash;
    use crate::mask::Stroke;
    use crate::model::{Catalogue, Grade, ModelRef};
    use crate::reading::Border;
    use crate::recipe::{Choice, Recipe, Steps, Surround};
    use crate::repair::Wear;
    use crate::stand_in;
    use crate::treatment::TreatedFace;
    use rstest::rstest;

    fn catalogue() -> Catalogue {
        let make = |factor| stand_in::card(factor, Grade::Draft);
        Catalogue::of(vec![make(2), make(4)])
    }

    fn reading(usable: f32) -> Reading {
        let mut reading = stand_in::reading(Size::new(96, 64));
        reading.detail.usable = usable;
        reading
    }

    fn plan<'a>(
        target: Target,
        worked: &'a Worked,
        settings: OutputSettings,
        facts: &'a Facts,
        reading: &'a Reading,
    ) -> Planned<'a> {
        Planned { target, worked, settings, facts, reading, distance_m: None, least_ppi: None, doubts: &[] }
    }

    fn findings(original: Size, target: Target, format: Format, usable: f32, least_ppi: Option<f64>) -> Vec<Finding> {
        let steps = Steps {
            repair: Default::default(),
            clean: Default::default(),
            enlarge: Choice::Learned { subject: "everyday".to_owned(), grade: Grade::Draft, strength: 1.0 },
            faces: None,
            finish: Default::default(),
        };
        let recipe =
            Recipe { frame: Frame::default(), steps, areas: Vec::new(), own_faces: None, surround: Surround::None };
        let worked = recipe.work_out(&catalogue(), original, target).unwrap();
        let reading = reading(usable);
        let settings = OutputSettings::new(format);
        let facts = stand_in::facts(original);
        let planned = Planned { least_ppi, ..plan(target, &worked, settings, &facts, &reading) };
        planned.findings(&Limits::default(), None)
    }

    fn print(paper: &str) -> Target {
        Target::Print { paper: paper.parse().unwrap(), ppi: 200.0 }
    }

    #[test]
    fn a_sound_print_leaves_nothing_to_say() {
        // 1500 px on 60 cm are 63.5 ppi; 1.5 diagonals away, 1.08 m, the eye uses 81.
        assert_eq!(findings(Size::new(1500, 1000), print("60x40cm"), Format::Tiff, 1.0, Some(60.0)), []);
    }

    #[rstest]
    #[case(0.5, Some("will look soft"))]
    #[case(0.8, None)]
    fn a_print_beyond_its_real_detail_is_pointed_out(#[case] usable: f32, #[case] due: Option<&str>) {
        let found = findings(Size::new(1500, 1000), print("60x40cm"), Format::Tiff, usable, None);
        assert_eq!(found.len(), usize::from(due.is_some()), "{found:?}");
        assert!(due.is_none_or(|text| found[0].text.contains(text) && found[0].weight == Weight::Warning));
    }

    /// What would mend the first finding.
    fn fix_of(found: &[Finding]) -> Option<Fix> {
        found[0].fix.as_ref().map(|mend| mend.fix)
    }

    #[test]
    fn too_few_pixels_come_with_the_size_that_has_enough() {
        let original = Size::new(1500, 1000);
        let found = findings(original, print("60x40cm"), Format::Tiff, 1.0, Some(100.0));
        let Some(Fix::Target { target }) = fix_of(&found) else { panic!("{found:?}") };
        let smaller = findings(original, target, Format::Tiff, 1.0, Some(100.0));
        assert!(smaller.iter().all(|f| f.weight < Weight::Warning), "{smaller:?}");
        let Target::Print { paper, .. } = target else { panic!("{target:?}") };
        assert!((38.0..38.11).contains(&paper.width), "1500 px at 100 ppi are 38.1 cm: {paper}");
    }

    #[test]
    fn a_sharp_picture_on_a_small_print_gains_nothing() {
        let found = findings(Size::new(4000, 3000), print("100x75cm"), Format::Tiff, 1.0, None);
        assert_eq!((found.len(), found[0].weight, fix_of(&found)), (1, Weight::Note, Some(Fix::Plain)), "{found:?}");
    }

    #[test]
    fn paper_around_the_picture_is_pointed_out_until_it_is_cut_off() {
        let target = Target::Factor { factor: 1.0 };
        let recipe = Recipe::only(Choice::Plain { kernel: crate::kernel::Kernel::Bicubic });
        let size = Size::new(400, 300);
        let mut worked = recipe.work_out(&catalogue(), size, target).unwrap();
        let frame = Frame { crop: Some(crate::geometry::Region::of(20, 20, 360, 240)), ..Frame::default() };
        let mut reading = reading(1.0);
        reading.border = Some(Border { frame, writing: true });
        let (settings, facts) = (OutputSettings::new(Format::Tiff), stand_in::facts(size));
        let said =
            |worked: &Worked| plan(target, worked, settings, &facts, &reading).findings(&Limits::default(), None);
        let found = said(&worked);
        assert_eq!((found.len(), found[0].weight, fix_of(&found)), (1, Weight::Note, Some(Fix::Frame { frame })));
        assert!(found[0].text.contains("written on it"));
        worked.treatment.frame = frame;
        assert_eq!(said(&worked), []);
    }

    #[test]
    fn an_eye_that_is_filled_is_pointed_out() {
        let target = Target::Factor { factor: 1.0 };
        let recipe = Recipe::only(Choice::Plain { kernel: crate::kernel::Kernel::Bicubic });
        let mut worked = recipe.work_out(&catalogue(), Size::new(400, 300), target).unwrap();
        let eyes = (Place::new(100.0, 100.0), Place::new(200.0, 100.0));
        worked.treatment.faces = vec![TreatedFace { face: Face::of_eyes(eyes.0, eyes.1), restore: None }];
        let stroke = Stroke { points: vec![eyes.1], radius: 9.0, feather: 0.0, erases: false };
        let model = |name: &str| ModelRef { model: name.to_owned(), sha256: ContentHash::of(name.as_bytes()) };
        let said = |wear: Option<Wear>, worked: &mut Worked| {
            worked.treatment.repair.wear = wear;
            let (reading, settings) = (reading(1.0), OutputSettings::new(Format::Tiff));
            let facts = stand_in::facts(Size::new(400, 300));
            plan(target, worked, settings, &facts, &reading).findings(&Limits::default(), None)
        };
        let wear = Wear { strokes: vec![stroke], ..Wear::usual(model("finder"), model("filler")) };
        let found = said(Some(wear.clone()), &mut worked);
        assert_eq!((found.len(), found[0].weight), (1, Weight::Warning), "{found:?}");
        assert!(found[0].text.contains("made up"));
        assert_eq!(said(Some(Wear { strokes: Vec::new(), ..wear }), &mut worked), []);
        assert_eq!(said(None, &mut worked), []);
    }

    #[test]
    fn what_cannot_be_written_is_stopped_first() {
        let found = findings(Size::new(3000, 100), Target::Factor { factor: 22.0 }, Format::Jpeg, 1.0, None);
        assert_eq!((found[0].weight, fix_of(&found)), (Weight::Stop, Some(Fix::Format { format: Format::Tiff })));
        assert_eq!(found[0].fix.as_ref().unwrap().words, "As TIFF");
        let found = findings(Size::new(1500, 1000), print("60x40cm"), Format::Dng, 1.0, None);
        assert_eq!((found[0].weight, fix_of(&found)), (Weight::Stop, Some(Fix::Format { format: Format::Tiff })));
    }
}
