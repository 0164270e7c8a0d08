//! What an intent means for a picture, before anything is computed.

use dettaglio_core::render::own_levels;
use dettaglio_domain::affine::{self, Affine, space};
use dettaglio_domain::face::OwnFace;
use dettaglio_domain::forecast::{Rates, SpentOn};
use dettaglio_domain::geometry::{Region, Size};
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::intent::{Alternative, Intent, Letter};
use dettaglio_domain::kernel::Kernel;
use dettaglio_domain::model::{Card, Catalogue};
use dettaglio_domain::reading::Reading;
use dettaglio_domain::recipe::Worked;
use dettaglio_domain::size::{Paper, PrintFigures, Resolved, eye_ppi, sharp_from_m};
use dettaglio_domain::treatment::{Treatment, TreatmentError};
use dettaglio_domain::words::{InWords, Known, StepsInWords};
use dettaglio_store::orders::OriginalRow;
use serde::Serialize;
use utoipa::ToSchema;

use super::faces::{FoundFace, faces_of};
use super::intents;
use super::state::App;
use crate::compute::studio::Opening;
use crate::problem::Problem;

/// What it means.
#[derive(Debug, Serialize, ToSchema)]
pub struct Plan {
    /// Pixels, factor, print.
    pub resolved: Resolved,
    /// What the frame keeps of the original, in pixels.
    pub kept: Size,
    /// Pixels of the file: the picture with what lies around it.
    pub sheet: Size,
    /// Hash of the treatment, for the addresses of tiles.
    #[schema(value_type = String)]
    pub treatment: ContentHash,
    /// The same by draft models, to be shown of a view until its own tiles are there; nothing where that is no quicker.
    #[schema(value_type = Option<String>)]
    pub draft: Option<ContentHash>,
    /// Whether the view with which the picture opens was computed already: no draft is needed of it.
    pub is_there: bool,
    /// How many levels of a view show what enlarging adds, from the result's own on; beyond them one sees the original's pixels.
    pub own_levels: u32,
    /// The picture's size on paper that it leaves partly empty.
    pub on_paper: Option<Paper>,
    /// The treatment in words.
    pub description: String,
    /// The steps in a few words each.
    pub in_words: InWords,
    /// How many enlarging passes of models it takes.
    pub passes: usize,
    /// The same picture by plain resampling alone, to compare with.
    pub plain: Plain,
    /// The other treatments.
    pub alternatives: Vec<AlternativePlan>,
    /// The faces of the picture.
    pub faces: Vec<PlannedFace>,
    /// The same treatment without any face restored, to compare with; nothing where none is.
    #[schema(value_type = Option<String>)]
    pub unrestored: Option<ContentHash>,
    /// From places on the original to places on the sheet, both in pixels of the original.
    #[schema(value_type = affine::Numbers)]
    pub place: Affine<space::Original, space::UnscaledSheet>,
    /// Seconds that the run will take, once the models' speed was measured.
    pub seconds: Option<f64>,
    /// Where they go, in the order of the work; empty until the models' speed was measured.
    pub spent: Vec<Spent>,
    /// Seconds of that for the Clean step.
    pub clean_seconds: Option<f64>,
    /// What the print is worth to the eye, when there is one.
    pub verdict: Option<Verdict>,
    /// What keeps it from being run as it is.
    pub problem: Option<Problem>,
}

/// A part of a run's time.
#[derive(Debug, Serialize, ToSchema)]
pub struct Spent {
    /// What it goes into, in words: a model by its title, the finish, or the file.
    pub on: String,
    /// Seconds.
    pub seconds: f64,
}

/// A face of the picture in a plan.
#[derive(Debug, Serialize, ToSchema)]
pub struct PlannedFace {
    /// Where it is, and whether its size is one that can be restored.
    #[serde(flatten)]
    pub found: FoundFace,
    /// Which of the treatment's faces it is, where it is restored.
    pub restored: Option<usize>,
    /// The part of the sheet that holds the head; nothing where the frame leaves it out.
    #[schema(value_type = Option<Region>)]
    pub part: Option<Region<space::Sheet>>,
}

/// Hashes of plain resampling.
#[derive(Debug, Serialize, ToSchema)]
pub struct Plain {
    /// The original's own pixels.
    #[schema(value_type = String)]
    pub nearest: ContentHash,
    /// By bicubic resampling.
    #[schema(value_type = String)]
    pub bicubic: ContentHash,
    /// By Lanczos 3.
    #[schema(value_type = String)]
    pub lanczos3: ContentHash,
}

/// What another treatment means.
#[derive(Debug, Serialize, ToSchema)]
pub struct AlternativePlan {
    /// Its letter.
    pub letter: Letter,
    /// Hash of the treatment, when it can be carried out.
    #[schema(value_type = Option<String>)]
    pub treatment: Option<ContentHash>,
    /// In words.
    pub description: String,
    /// What tells it from the others, in a few words.
    pub name: String,
    /// Seconds that its run would take.
    pub seconds: Option<f64>,
    /// Why it cannot be carried out.
    pub problem: Option<Problem>,
}

/// What a print is worth to the eye, by the detail that was measured in the original.
#[derive(Debug, Serialize, ToSchema)]
pub struct Verdict {
    /// From how far it will be seen, in metres.
    pub distance_m: f64,
    /// The ppi that the eye can use from there.
    pub eye_ppi: f64,
    /// The ppi that the original's own pixels give.
    pub original_ppi: f64,
    /// The ppi that its real detail gives.
    pub detail_ppi: f64,
    /// From where on its real detail satisfies the eye, in metres.
    pub sharp_from_m: f64,
}

/// Works out size, time, limits and verdict of an intent, and has its treatments at hand for their tiles. Nothing is written down.
pub async fn plan(app: &App, mut row: OriginalRow, intent: &Intent) -> Result<Plan, Problem> {
    if intent.recipe.steps.faces.is_some() {
        row.faces = Some(faces_of(app, &row).await?);
    }
    let shelf = app.studio.renderer().shelf();
    let worked = intents::worked_out(intent, &shelf, &row)?;
    let problem = intents::check(intent, app, &row, &worked, app.files.free_bytes()).err().map(Problem::from);
    let places = Places::of(intent, &row, &worked)?;
    let draft = draft_of(intent, &worked.treatment, &shelf, &row);
    let Worked { kept, resolved, treatment } = worked;
    // What is shown first is opened first, and nothing beside it.
    let first = draft.as_ref().unwrap_or(&treatment);
    app.studio.make_ready(row.hash, first, Opening::Now);
    if draft.is_some() {
        app.studio.make_ready(row.hash, &treatment, Opening::AfterViews);
    }
    let plain = |kernel| app.studio.offer(treatment.untreated(kernel));
    let plain =
        Plain { nearest: plain(Kernel::Nearest), bicubic: plain(Kernel::Bicubic), lanczos3: plain(Kernel::Lanczos3) };
    let faces = planned_faces(intent, &row, &treatment, &places);
    let known = Known {
        passes: treatment.passes().len(),
        faces: faces.len(),
        restored: faces.iter().filter(|face| face.restored.is_some()).count(),
    };
    let times = Times::of(&app.studio.rates(), &shelf, kept, &treatment);
    Ok(Plan {
        resolved,
        kept,
        sheet: treatment.sheet(),
        treatment: app.studio.offer(treatment.clone()),
        draft: draft.map(|draft| app.studio.offer(draft)),
        is_there: app.ahead.has(treatment.hash()),
        own_levels: own_levels(&treatment, kept),
        on_paper: resolved.print.filter(|_| treatment.sheet() == resolved.size).and_then(|print| print.leaving_empty()),
        description: treatment.describe(&shelf),
        in_words: InWords::of(intent, &shelf, known),
        passes: known.passes,
        plain,
        alternatives: intent.alternatives.iter().map(|other| planned(app, intent, other, &shelf, &row)).collect(),
        faces,
        unrestored: unrestored(&treatment).map(|without| app.studio.offer(without)),
        place: places.unscaled,
        seconds: times.seconds,
        spent: times.spent,
        clean_seconds: times.clean_seconds,
        verdict: resolved.print.map(|print| Verdict::of(&print, intent.distance_m, row.reading.as_ref())),
        problem,
    })
}

/// How places on the original and on the sheet belong together.
struct Places {
    unscaled: Affine<space::Original, space::UnscaledSheet>,
    to_sheet: Affine<space::Original, space::Sheet>,
}

impl Places {
    fn of(intent: &Intent, row: &OriginalRow, worked: &Worked) -> Result<Self, Problem> {
        let Worked { kept, resolved, treatment } = worked;
        let (left, top) = (f64::from(treatment.margin.left), f64::from(treatment.margin.top));
        let to_kept = intent.recipe.frame.to_kept(row.facts.size).map_err(TreatmentError::from)?;
        let scale = f64::from(treatment.size.width) / f64::from(kept.width);
        let grow: Affine<space::Kept, space::Result> = Affine::scale(scale, scale);
        let lay: Affine<space::Result, space::Sheet> = Affine::shift(left, top);
        Ok(Self {
            unscaled: to_kept.then(&Affine::shift(left / resolved.factor, top / resolved.factor)),
            to_sheet: to_kept.then(&grow).then(&lay),
        })
    }
}

/// The same by draft models; nothing where that is no other treatment.
fn draft_of(intent: &Intent, treatment: &Treatment, catalogue: &Catalogue, row: &OriginalRow) -> Option<Treatment> {
    let recipe = intent.recipe.in_draft(catalogue)?;
    let draft = intents::worked_out(&Intent { recipe, ..intent.clone() }, catalogue, row).ok()?.treatment;
    (draft != *treatment).then_some(draft)
}

/// Another treatment of the same intent.
fn planned(
    app: &App,
    intent: &Intent,
    other: &Alternative,
    catalogue: &Catalogue,
    row: &OriginalRow,
) -> AlternativePlan {
    let letter = other.letter;
    let name = |passes| StepsInWords::of(&other.steps, catalogue, passes).named(letter);
    match intents::other(intent, other, catalogue, row) {
        Ok(Worked { kept, treatment, .. }) => AlternativePlan {
            letter,
            name: name(Some(treatment.passes().len())),
            description: treatment.describe(catalogue),
            seconds: app.studio.rates().seconds(kept, &treatment),
            treatment: Some(app.studio.offer(treatment)),
            problem: None,
        },
        Err(error) => AlternativePlan {
            letter,
            name: name(None),
            treatment: None,
            description: String::new(),
            seconds: None,
            problem: Some(error.into()),
        },
    }
}

/// The faces of a picture, and which of them a treatment restores.
fn planned_faces(intent: &Intent, row: &OriginalRow, treatment: &Treatment, places: &Places) -> Vec<PlannedFace> {
    let found = row.faces.as_deref().unwrap_or_default();
    let own = intent.recipe.clone().knowing(found).own_faces.unwrap_or_default();
    let face = |own: &OwnFace| PlannedFace {
        found: own.face.into(),
        restored: treatment.faces.iter().position(|f| f.face == own.face && f.restore.is_some()),
        part: own.face.mapped(&places.to_sheet).around(treatment.sheet()),
    };
    own.iter().map(face).collect()
}

/// A treatment without any face restored; nothing where none is.
fn unrestored(treatment: &Treatment) -> Option<Treatment> {
    treatment.restored().next()?;
    let mut without = treatment.clone();
    without.faces.iter_mut().for_each(|face| face.restore = None);
    Some(without)
}

impl Verdict {
    /// Of a print that is seen from a distance in metres, or from the usual one, by what was measured on its original.
    fn of(print: &PrintFigures, distance_m: Option<f64>, reading: Option<&Reading>) -> Self {
        let distance_m = distance_m.filter(|m| *m > 0.0).unwrap_or_else(|| print.usual_distance_m());
        let detail_ppi = reading.map_or(print.original_ppi, |reading| reading.detail_ppi(print.original_ppi));
        Self {
            distance_m,
            eye_ppi: eye_ppi(distance_m),
            original_ppi: print.original_ppi,
            detail_ppi,
            sharp_from_m: sharp_from_m(detail_ppi),
        }
    }
}

/// How long a run takes, as far as the models' speed was measured.
struct Times {
    seconds: Option<f64>,
    spent: Vec<Spent>,
    clean_seconds: Option<f64>,
}

impl Times {
    fn of(rates: &Rates, catalogue: &Catalogue, kept: Size, treatment: &Treatment) -> Self {
        let plain = treatment.untreated(Kernel::Lanczos3);
        let cleaned_only = Treatment { clean: treatment.clean.clone(), ..plain.clone() };
        let clean_seconds = rates.seconds(kept, &cleaned_only).zip(rates.seconds(kept, &plain));
        let spent = rates.spent(kept, treatment);
        let on = |on| match on {
            SpentOn::Model(id) => catalogue.card(id).map_or_else(|_| id.to_owned(), Card::title),
            SpentOn::Shapes => "Tracing".to_owned(),
            SpentOn::Finish => "Finish".to_owned(),
            SpentOn::File => "Resampling and the file".to_owned(),
        };
        Self {
            seconds: spent.as_ref().map(|spent| spent.iter().map(|(_, seconds)| seconds).sum()),
            spent: spent.into_iter().flatten().map(|(what, seconds)| Spent { on: on(what), seconds }).collect(),
            clean_seconds: clean_seconds.map(|(cleaned, plain)| cleaned - plain),
        }
    }
}
