//! A batch: which results many pictures come to, in which prints and files, and what is to be said of each before the run.
//!
//! Facts in, plan out: whoever asks has looked up the pictures, the models, the machine's speed and the room on its disk.

use std::collections::HashMap;

use serde::{Deserialize, Serialize};

use crate::face::{Face, Faces};
use crate::file::{Facts, OutputSettings};
use crate::forecast::Rates;
use crate::frame::FrameError;
use crate::geometry::Size;
use crate::id::OriginalId;
use crate::intent::Intent;
use crate::kernel::Kernel;
use crate::limits::{Limits, worst_bytes};
use crate::model::Catalogue;
use crate::naming::{self, UnknownWord, Unlike};
use crate::preflight::{Finding, Fix, Planned, Weight};
use crate::reading::Reading;
use crate::recipe::{Choice, Ticket, Worked};
use crate::size::Target;
use crate::words;

/// The most results of one batch.
pub const MOST: usize = 10_000;

/// What is said of the faces of all pictures at once; without it, each keeps what is set for it.
#[derive(Clone, Copy, Debug, PartialEq, Deserialize, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case", tag = "how")]
pub enum FacesChoice {
    /// Left to the enlarging model.
    Off,
    /// Restored where there are any.
    Restored {
        /// How far, 0 to 1.
        strength: f32,
    },
}

impl FacesChoice {
    /// Sets it in an intent.
    pub fn set(self, intent: &mut Intent) {
        intent.recipe.steps.faces = match self {
            Self::Off => None,
            Self::Restored { strength } => Some(Faces { strength }),
        };
    }
}

/// What is to be made of each picture.
#[derive(Clone, Debug, Default, PartialEq, Deserialize, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(default)]
pub struct Making {
    /// Each picture in each of these prints; in its own without any.
    pub prints: Vec<Ticket>,
    /// Each result as each of these files; as its own without any.
    pub outputs: Vec<OutputSettings>,
    /// Names of the results.
    pub pattern: Option<String>,
    /// What was decided on single results after a look over.
    pub changes: Vec<Change>,
}

impl Making {
    /// How many results so many pictures come to.
    pub fn results_of(&self, pictures: usize) -> usize {
        pictures.saturating_mul(self.prints.len().max(1)).saturating_mul(self.outputs.len().max(1))
    }
}

/// What was decided on a result.
#[derive(Clone, Debug, PartialEq, Deserialize, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Change {
    /// Which, by its key.
    pub key: String,
    /// What mends it.
    pub fix: Option<Fix>,
    /// Whether it is left out.
    #[serde(default)]
    pub skip: bool,
}

/// A result that a batch would make.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct BatchItem {
    /// Names it within the batch.
    pub key: String,
    /// Of which original.
    pub original_id: OriginalId,
    /// What that is called.
    pub name: String,
    /// Name of the result.
    pub file_name: String,
    /// Its pixels.
    pub sheet: Option<Size>,
    /// What is done, in words.
    pub description: String,
    /// Seconds that it is forecast to take.
    pub seconds: Option<f64>,
    /// What is to be known before the run, what weighs most first.
    pub findings: Vec<Finding>,
    /// Whether it is left out.
    pub skipped: bool,
}

impl BatchItem {
    /// What keeps it from being run.
    pub fn stop(&self) -> Option<&Finding> {
        self.findings.first().filter(|finding| finding.weight == Weight::Stop)
    }
}

/// What a batch would make.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct BatchPlan {
    /// Result by result.
    pub items: Vec<BatchItem>,
    /// Its prints in words, in their order.
    pub prints: Vec<String>,
    /// How many would be run.
    pub runs: usize,
    /// How many of those cannot be run as they are.
    pub stopped: usize,
    /// Seconds of all runs together on one worker, where all can be told.
    pub seconds: Option<f64>,
    /// Bytes that the files take at most.
    pub bytes_at_most: u64,
    /// Bytes that the disk has.
    pub bytes_free: Option<u64>,
}

/// A picture of a batch, with all that is known of it.
#[derive(Clone, Debug)]
pub struct Picture {
    /// Its number.
    pub id: OriginalId,
    /// What it is called.
    pub name: String,
    /// What is known of its file.
    pub facts: Facts,
    /// The faces that were found on it.
    pub faces: Vec<Face>,
    /// What was measured on it.
    pub reading: Reading,
    /// What is asked for of it.
    pub intent: Intent,
    /// What its suggestion is unsure of, where it is treated as suggested.
    pub doubts: Vec<String>,
}

/// What is the same for all pictures of a batch.
#[derive(Clone, Copy, Debug)]
pub struct Circumstances<'a> {
    /// The models that there are.
    pub catalogue: &'a Catalogue,
    /// How fast they are here.
    pub rates: &'a Rates,
    /// What is refused.
    pub limits: &'a Limits,
    /// Bytes that the disk has, where known.
    pub free: Option<u64>,
    /// The least ppi that an original's own pixels are to give on its print.
    pub least_ppi: Option<f64>,
}

/// A result that can be run.
#[derive(Clone, Debug)]
pub struct Ready {
    /// Of which original.
    pub original: OriginalId,
    /// What it comes to.
    pub worked: Worked,
    /// The file.
    pub settings: OutputSettings,
    /// What it is called.
    pub file_name: String,
}

impl Circumstances<'_> {
    /// What becomes of pictures, and all of it that can be run and is not left out.
    ///
    /// # Errors
    /// When the pattern for names holds a word that stands for nothing.
    pub fn plan(&self, pictures: &[Picture], making: &Making) -> Result<(BatchPlan, Vec<Ready>), UnknownWord> {
        let changes: HashMap<&str, &Change> =
            making.changes.iter().map(|change| (change.key.as_str(), change)).collect();
        let mut plan = BatchPlan {
            items: Vec::new(),
            prints: making.prints.iter().map(words::ticket).collect(),
            runs: 0,
            stopped: 0,
            seconds: Some(0.0),
            bytes_at_most: 0,
            bytes_free: self.free,
        };
        let (mut ready, mut names) = (Vec::new(), Unlike::default());
        for picture in pictures {
            for (p, print) in each(&making.prints).into_iter().enumerate() {
                for (o, output) in each(&making.outputs).into_iter().enumerate() {
                    let key = format!("{}-{p}-{o}", picture.id);
                    let change = changes.get(key.as_str()).copied();
                    let intent = intended(&picture.intent, print, output, change.and_then(|change| change.fix));
                    let skipped = change.is_some_and(|change| change.skip);
                    let pattern = making.pattern.as_deref();
                    let (item, one) = self.item(picture, &intent, key, skipped, pattern, &mut names)?;
                    plan.add(item, one.as_ref());
                    ready.extend(one.filter(|_| !skipped));
                }
            }
        }
        plan.say_when_the_disk_is_short();
        Ok((plan, ready))
    }

    /// One result: what is to be said of it, and what is needed to run it, where it can be run.
    fn item(
        &self,
        picture: &Picture,
        intent: &Intent,
        key: String,
        skipped: bool,
        pattern: Option<&str>,
        names: &mut Unlike,
    ) -> Result<(BatchItem, Option<Ready>), UnknownWord> {
        let settings = intent.settings();
        let mut item = BatchItem {
            key,
            original_id: picture.id,
            name: picture.name.clone(),
            file_name: String::new(),
            sheet: None,
            description: String::new(),
            seconds: None,
            findings: Vec::new(),
            skipped,
        };
        let worked = match intent.work_out(self.catalogue, picture.facts.size, &picture.faces) {
            Ok(worked) => worked,
            Err(error) => {
                item.findings = vec![Finding { weight: Weight::Stop, text: error.to_string(), fix: None }];
                return Ok((item, None));
            }
        };
        let planned = Planned {
            target: intent.target,
            worked: &worked,
            settings,
            facts: &picture.facts,
            reading: &picture.reading,
            distance_m: intent.distance_m,
            least_ppi: self.least_ppi,
            doubts: &picture.doubts,
        };
        item.findings = planned.findings(self.limits, self.free);
        item.file_name = names.take(naming::of_result(pattern, &picture.name, &worked.treatment, &settings)?);
        item.sheet = Some(worked.treatment.sheet());
        item.description = worked.treatment.describe(self.catalogue);
        item.seconds = self.rates.seconds(worked.kept, &worked.treatment);
        let ready = Ready { original: picture.id, worked, settings, file_name: item.file_name.clone() };
        Ok((item, Some(ready)))
    }
}

impl BatchPlan {
    fn add(&mut self, item: BatchItem, ready: Option<&Ready>) {
        if !item.skipped {
            self.runs += 1;
            self.stopped += usize::from(item.stop().is_some());
            if let Some(Ready { worked, settings, .. }) = ready {
                self.bytes_at_most += worst_bytes(worked.treatment.sheet(), settings.format, settings.depth);
                self.seconds = self.seconds.zip(item.seconds).map(|(sum, one)| sum + one);
            }
        }
        self.items.push(item);
    }

    /// One file may find room where all of them together do not.
    fn say_when_the_disk_is_short(&mut self) {
        let Some(free) = self.bytes_free.filter(|free| self.bytes_at_most > *free) else { return };
        let text = format!(
            "all files together take up to {} GB and the disk has {} GB: choose JPEG or smaller prints, or run a part",
            self.bytes_at_most / 1_000_000_000 + 1,
            free / 1_000_000_000
        );
        if let Some(first) = self.items.iter_mut().find(|item| !item.skipped) {
            first.findings.insert(0, Finding { weight: Weight::Warning, text, fix: None });
        }
    }
}

/// What is asked for of a picture, in a print, as a file, with what mends it.
fn intended(own: &Intent, print: Option<Ticket>, output: Option<OutputSettings>, fix: Option<Fix>) -> Intent {
    let mut intent = own.clone();
    if let Some(Ticket { target, surround }) = print {
        (intent.target, intent.recipe.surround) = (target, surround);
    }
    intent.output = output.unwrap_or(intent.output);
    match fix {
        None => {}
        Some(Fix::Target { target }) => intent.target = target,
        Some(Fix::Format { format }) => intent.output.format = format,
        Some(Fix::Frame { frame }) => intent.recipe.frame = frame,
        Some(Fix::Plain) => intent.recipe.steps.enlarge = Choice::Plain { kernel: Kernel::Lanczos3 },
    }
    intent
}

/// Each of a list, or nothing once.
fn each<T: Copy>(list: &[T]) -> Vec<Option<T>> {
    if list.is_empty() { vec![None] } else { list.iter().copied().map(Some).collect() }
}

/// What is changed of the prints and files of several pictures at once; as before where nothing is said.
#[derive(Clone, Copy, Debug, Default, PartialEq, Deserialize, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Revision {
    /// What is done to faces.
    pub faces: Option<FacesChoice>,
    /// The print.
    pub print: Option<Ticket>,
    /// Whether each is cropped, around its middle, to the shape of its print.
    #[serde(default)]
    pub crop_to_print: bool,
    /// The file.
    pub output: Option<OutputSettings>,
}

impl Revision {
    /// An intent with the change, for an original of this size.
    pub fn of(&self, intent: Intent, original: Size) -> Result<Intent, FrameError> {
        let mut intent = intended(&intent, self.print, self.output, None);
        if let Some(faces) = self.faces {
            faces.set(&mut intent);
        }
        if let (true, Target::Print { paper, .. }) = (self.crop_to_print, intent.target) {
            let (width, height) = paper.inches();
            intent.recipe.frame = intent.recipe.frame.cropped_to_shape(original, width / height)?;
        }
        Ok(intent)
    }
}

#[cfg(test)]
mod tests {
    use rstest::rstest;
    use serde_json::{Value, json};

    use super::*;
    use crate::model::Grade;
    use crate::stand_in;

    fn picture(id: u64, width: u32, height: u32) -> Picture {
        let intent = json!({
            "target": { "by": "factor", "factor": 2.0 },
            "enlarge": { "by": "learned", "subject": "everyday", "grade": "draft" },
            "output": { "format": "tiff", "depth": 8 },
        });
        Picture {
            id: id.into(),
            name: "vases.jpg".to_owned(),
            facts: stand_in::facts(Size::new(width, height)),
            faces: Vec::new(),
            reading: stand_in::reading(Size::new(width, height)),
            intent: serde_json::from_value(intent).unwrap(),
            doubts: Vec::new(),
        }
    }

    fn planned(pictures: &[Picture], making: Value, free: Option<u64>) -> (BatchPlan, Vec<Ready>) {
        let catalogue = Catalogue::of([stand_in::card(2, Grade::Draft), stand_in::card(4, Grade::Draft)]);
        let (rates, limits) = (Rates::default(), Limits::default());
        let known = Circumstances { catalogue: &catalogue, rates: &rates, limits: &limits, free, least_ppi: None };
        known.plan(pictures, &serde_json::from_value(making).unwrap()).unwrap()
    }

    #[test]
    fn each_picture_comes_in_each_print_and_file_under_a_name_of_its_own() {
        let making = json!({
            "prints": [{ "target": { "by": "factor", "factor": 2.0 } }, { "target": { "by": "factor", "factor": 4.0 } }],
            "outputs": [{ "format": "tiff", "depth": 8 }, { "format": "jpeg", "depth": 8 }],
            "pattern": "{name}",
        });
        let (plan, ready) = planned(&[picture(7, 300, 200), picture(9, 300, 200)], making, None);
        let keys: Vec<&str> = plan.items.iter().map(|item| item.key.as_str()).collect();
        assert_eq!(keys, ["7-0-0", "7-0-1", "7-1-0", "7-1-1", "9-0-0", "9-0-1", "9-1-0", "9-1-1"]);
        let names: std::collections::HashSet<&str> = ready.iter().map(|one| one.file_name.as_str()).collect();
        assert_eq!((names.len(), plan.runs, plan.stopped), (8, 8, 0));
        assert_eq!(plan.items[2].sheet, Some(Size::new(1200, 800)));
        assert_eq!(plan.prints, ["2 times", "4 times"]);
        assert_eq!(plan.seconds, None, "the models were not measured yet");
    }

    #[test]
    fn what_was_decided_on_one_result_is_that_ones_alone() {
        let changes = json!([
            { "key": "7-0-0", "fix": { "by": "target", "target": { "by": "factor", "factor": 3.0 } } },
            { "key": "8-0-0", "skip": true },
            { "key": "99-0-0", "skip": true },
        ]);
        let pictures = [picture(7, 300, 200), picture(8, 300, 200), picture(9, 300, 200)];
        let (plan, ready) = planned(&pictures, json!({ "changes": changes }), None);
        assert_eq!(plan.items.iter().map(|item| item.skipped).collect::<Vec<_>>(), [false, true, false]);
        let sheets: Vec<Size> = ready.iter().map(|one| one.worked.treatment.sheet()).collect();
        assert_eq!((sheets, plan.runs), (vec![Size::new(900, 600), Size::new(600, 400)], 2));
    }

    #[test]
    fn what_cannot_be_worked_out_stops_with_its_reason_and_the_others_go_on() {
        let making = json!({ "prints": [{ "target": { "by": "factor", "factor": 99.0 } }, { "target": { "by": "factor", "factor": 2.0 } }] });
        let (plan, ready) = planned(&[picture(7, 300, 200)], making, None);
        assert_eq!((plan.stopped, ready.len()), (1, 1));
        assert!(plan.items[0].stop().unwrap().text.contains("32 times"), "{:?}", plan.items[0].findings);
    }

    #[test]
    fn files_that_find_room_one_by_one_may_not_find_it_together() {
        let pictures: Vec<Picture> = (1..=4).map(|id| picture(id, 1000, 1000)).collect();
        let one = planned(&pictures[..1], json!({}), None).0.bytes_at_most;
        let (plan, _) = planned(&pictures, json!({}), Some(2 * one));
        assert!(plan.items[0].findings[0].text.contains("all files together"));
        assert_eq!(planned(&pictures, json!({}), Some(5 * one)).0.items[0].findings, []);
    }

    #[rstest]
    #[case(json!({}), 0)]
    #[case(json!({ "prints": [{ "target": { "by": "factor", "factor": 2.0 } }] }), 7)]
    fn results_are_counted_before_any_is_worked_out(#[case] making: Value, #[case] pictures: usize) {
        let making: Making = serde_json::from_value(making).unwrap();
        assert_eq!(making.results_of(pictures), pictures);
        assert_eq!(making.results_of(usize::MAX), usize::MAX);
    }

    #[test]
    fn a_revision_changes_what_it_names() {
        let own = picture(7, 300, 300).intent;
        assert_eq!(Revision::default().of(own.clone(), Size::new(300, 300)).unwrap(), own);
        let print = json!({ "target": { "by": "print", "paper": { "width": 60.0, "height": 40.0, "unit": "cm" }, "ppi": 100.0 } });
        let revision: Revision = serde_json::from_value(json!({
            "print": print, "crop_to_print": true, "faces": { "how": "restored", "strength": 0.5 },
        }))
        .unwrap();
        let revised = revision.of(own, Size::new(300, 300)).unwrap();
        assert_eq!(revised.recipe.frame.size(Size::new(300, 300)).unwrap(), Size::new(300, 200));
        assert_eq!(revised.recipe.steps.faces, Some(Faces { strength: 0.5 }));
    }
}
