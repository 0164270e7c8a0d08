//! What a target means for a picture, before anything is computed.

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use dettaglio_core::affine::Affine;
use dettaglio_core::codec::{Format, OutputSettings};
use dettaglio_core::enlarge::Kernel;
use dettaglio_core::forecast;
use dettaglio_core::frame::Frame;
use dettaglio_core::hash::ContentHash;
use dettaglio_core::model::Shelf;
use dettaglio_core::picture::{Region, Size};
use dettaglio_core::recipe::{Area, Recipe, RecipeError, Steps, Surround, Ticket, Worked};
use dettaglio_core::size::{Resolved, Target, eye_ppi, sharp_from_m};
use dettaglio_core::treatment::{Treatment, TreatmentError};
use dettaglio_store::access::Role;
use dettaglio_store::orders::OriginalRow;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};

use super::faces::{FoundFace, faces_of};
use super::house::steps_of;
use super::reading::{SuggestionFor, reading_of};
use super::{Address, Body, Question};
use crate::access::Who;
use crate::app::App;
use crate::problem::Problem;
use crate::studio::Lane;

/// What is asked for.
#[derive(Clone, Debug, Deserialize, Serialize, ToSchema)]
pub struct Wish {
    /// How large.
    pub target: Target,
    /// What is done to it.
    #[serde(flatten)]
    pub recipe: Recipe,
    /// Into what kind of file; a resolution that the target states goes before one given here.
    pub output: OutputSettings,
    /// The letter of these steps, beside those that they are compared with.
    #[serde(default)]
    pub letter: Letter,
    /// Other treatments of the same picture for the same print.
    #[serde(default)]
    pub alternatives: Vec<Alternative>,
    /// From how far it will be seen, in metres; 1.5 times the print's diagonal when not given.
    #[serde(default)]
    pub distance_m: Option<f64>,
}

/// What a treatment is called while it is compared with others.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Deserialize, Serialize, ToSchema)]
#[allow(missing_docs, reason = "letters")]
pub enum Letter {
    #[default]
    A,
    B,
    C,
    D,
    E,
    F,
}

/// Another treatment of the same picture.
#[derive(Clone, Debug, Deserialize, Serialize, ToSchema)]
pub struct Alternative {
    /// Its letter.
    pub letter: Letter,
    /// What is done to the whole.
    #[serde(flatten)]
    pub steps: Steps,
    /// Parts with settings of their own.
    #[serde(default)]
    pub areas: Vec<Area>,
}

/// What an order says of all its pictures.
#[derive(Clone, Debug, Default)]
pub struct Usual {
    /// How large, and what lies around.
    pub print: Option<Ticket>,
    /// How they are treated.
    pub steps: Option<Steps>,
}

impl Usual {
    /// Of an order.
    pub async fn of(app: &App, order: u64) -> Result<Self, Problem> {
        let details = app.store.order(order).await?.details;
        let steps = match details.house_treatment_id {
            Some(id) => steps_of(app, id).await?,
            None => None,
        };
        Ok(Self { print: details.print, steps })
    }
}

/// How large, when nothing was said: the print that the picture came in with, or twice its size.
const FIRST_FACTOR: f64 = 2.0;

impl Wish {
    /// What is asked for when nothing was said yet: what the order says, or else all that is suggested; as TIFF of the
    /// original's depth.
    pub async fn first_of(app: &App, row: &OriginalRow) -> Result<Self, Problem> {
        let usual = Usual::of(app, row.order_id).await?;
        let row = &OriginalRow { faces: Some(faces_of(app, row).await?), ..row.clone() };
        let ordered = usual.print.map(|print| print.target);
        let target = row.target.or(ordered).unwrap_or(Target::Factor { factor: FIRST_FACTOR });
        let surround = usual.print.map_or(Surround::None, |print| print.surround);
        let wanted = SuggestionFor { target, frame: Frame::default(), surround, distance_m: None };
        let recipe = match &usual.steps {
            None => wanted.tried(app, row).await?.recipe,
            // The order says what is done: nothing needs to be tried.
            Some(steps) => {
                let reading = reading_of(app, row).await?;
                let recipe = wanted.suggest(row, &reading, None, &app.studio.renderer().shelf())?.recipe;
                Recipe { steps: steps.for_reading(&reading, row.facts.iso), ..recipe }
            }
        };
        let output = OutputSettings { depth: row.facts.depth, ..OutputSettings::new(Format::Tiff) };
        Ok(Self { target, recipe, output, letter: Letter::A, alternatives: Vec::new(), distance_m: None })
    }

    /// What was last asked for, or else what comes first; a wish of an earlier version counts as none.
    pub async fn of(app: &App, row: &OriginalRow) -> Result<Self, Problem> {
        match row.wish.clone().and_then(|wish| serde_json::from_value(wish).ok()) {
            Some(wish) => Ok(wish),
            None => Self::first_of(app, row).await,
        }
    }

    /// The steps that are suggested for its print.
    pub async fn suggested_steps(&self, app: &App, row: &OriginalRow) -> Result<Steps, Problem> {
        let (target, frame, surround) = (self.target, self.recipe.frame, self.recipe.surround);
        let wanted = SuggestionFor { target, frame, surround, distance_m: self.distance_m };
        Ok(wanted.tried(app, row).await?.recipe.steps)
    }

    /// The recipe, with the faces that were found where nothing else is said of them.
    fn recipe_for(&self, row: &OriginalRow) -> Recipe {
        self.recipe.clone().knowing(row.faces.as_deref().unwrap_or_default())
    }

    /// What its steps come to for a picture.
    pub fn worked_out(&self, shelf: &Shelf, row: &OriginalRow) -> Result<Worked, RecipeError> {
        self.recipe_for(row).work_out(shelf, row.facts.size, self.target)
    }

    /// What another of its treatments comes to.
    pub fn other(&self, alternative: &Alternative, shelf: &Shelf, row: &OriginalRow) -> Result<Worked, RecipeError> {
        let Alternative { steps, areas, .. } = alternative.clone();
        Recipe { steps, areas, ..self.recipe_for(row) }.work_out(shelf, row.facts.size, self.target)
    }

    /// The output settings with the resolution that the target states.
    pub fn settings(&self) -> OutputSettings {
        let ppi = match self.target {
            Target::Print { ppi, .. } => Some(ppi),
            _ => self.output.ppi,
        };
        OutputSettings { ppi, ..self.output }
    }

    /// The treatment that it means for an original, within the limits of its format.
    ///
    /// `free` is what the disk has, where that counts.
    pub fn work_out(&self, app: &App, row: &OriginalRow, free: Option<u64>) -> Result<Worked, Problem> {
        let worked = self.worked_out(&app.studio.renderer().shelf(), row)?;
        let settings = self.settings();
        app.studio.limits().check_output(worked.treatment.sheet(), settings.format, settings.depth, free)?;
        Ok(worked)
    }
}

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
    /// The treatment in words.
    pub description: String,
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
    pub place: Affine,
    /// Seconds that the run will take, once the models' speed was measured.
    pub seconds: Option<f64>,
    /// Seconds of that for the Clean step.
    pub clean_seconds: Option<f64>,
    /// What the print is worth to the eye, when there is one.
    pub verdict: Option<Verdict>,
    /// What keeps it from being run as it is.
    pub problem: Option<Problem>,
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
    pub part: Option<Region>,
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

/// Whether a wish is meant.
#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct Remembering {
    /// Remember it as what is asked for; without, it is only tried out.
    #[serde(default = "Remembering::usual")]
    remember: bool,
}

impl Remembering {
    fn usual() -> bool {
        true
    }
}

/// Works out size, time, limits and verdict of a wish, remembers it, and keeps the treatment for its tiles.
#[utoipa::path(post, path = "/originals/{id}/plan", tag = "plan", params(("id" = u64, Path), Remembering), request_body = Wish,
    responses((status = OK, body = Plan), (status = 422, body = Problem)))]
pub async fn plan(
    State(app): State<App>,
    who: Who,
    Address(id): Address<u64>,
    Question(Remembering { remember }): Question<Remembering>,
    Body(wish): Body<Wish>,
) -> Result<Json<Plan>, Problem> {
    let mut row = app.store.original(id).await?;
    if wish.recipe.steps.faces.is_some() {
        row.faces = Some(faces_of(&app, &row).await?);
    }
    let shelf = app.studio.renderer().shelf();
    let Worked { kept, resolved, treatment } = wish.worked_out(&shelf, &row)?;
    let problem = wish.work_out(&app, &row, app.files.free_bytes()).err();
    let verdict = resolved.print.map(|print| {
        let distance_m = wish.distance_m.filter(|m| *m > 0.0).unwrap_or_else(|| print.usual_distance_m());
        let detail_ppi = row.reading.as_ref().map_or(print.original_ppi, |r| r.detail_ppi(print.original_ppi));
        Verdict {
            distance_m,
            eye_ppi: eye_ppi(distance_m),
            original_ppi: print.original_ppi,
            detail_ppi,
            sharp_from_m: sharp_from_m(detail_ppi),
        }
    });
    // Who may only look tries things out, and nothing of it is remembered.
    if remember && who.role == Role::Technician {
        app.store.set_wish(id, Some(&wish)).await?;
    }
    let rates = app.studio.rates();
    let mut alternatives = Vec::new();
    for alternative in &wish.alternatives {
        let letter = alternative.letter;
        alternatives.push(match wish.other(alternative, &shelf, &row) {
            Ok(Worked { kept, treatment, .. }) => AlternativePlan {
                letter,
                description: treatment.describe(&shelf),
                seconds: rates.seconds(kept, &treatment),
                treatment: Some(app.studio.offer(treatment)),
                problem: None,
            },
            Err(error) => AlternativePlan {
                letter,
                treatment: None,
                description: String::new(),
                seconds: None,
                problem: Some(error.into()),
            },
        });
    }
    let plain = |kernel| app.studio.offer(treatment.untreated(kernel));
    let plain =
        Plain { nearest: plain(Kernel::Nearest), bicubic: plain(Kernel::Bicubic), lanczos3: plain(Kernel::Lanczos3) };
    let (left, top) = (f64::from(treatment.margin.left), f64::from(treatment.margin.top));
    let to_kept = wish.recipe.frame.to_kept(row.facts.size).map_err(TreatmentError::from)?;
    let place = to_kept.then(&Affine::shift(left / resolved.factor, top / resolved.factor));
    let to_sheet = {
        let scale = f64::from(treatment.size.width) / f64::from(kept.width);
        let grown = to_kept.then(&Affine { xx: scale, yy: scale, ..Affine::IDENTITY });
        grown.then(&Affine::shift(f64::from(treatment.margin.left), f64::from(treatment.margin.top)))
    };
    let faces = wish.recipe_for(&row).own_faces.unwrap_or_default();
    let faces = faces.iter().map(|own| PlannedFace {
        found: own.face.into(),
        restored: treatment.faces.iter().position(|f| f.face == own.face && f.restore.is_some()),
        part: own.face.mapped(&to_sheet).around(treatment.sheet()),
    });
    let unrestored = match treatment.restored().next() {
        Some(_) => {
            let mut without = treatment.clone();
            without.faces.iter_mut().for_each(|f| f.restore = None);
            Some(app.studio.offer(without))
        }
        None => None,
    };
    let cleaned_only = Treatment { clean: treatment.clean.clone(), ..treatment.untreated(Kernel::Lanczos3) };
    let seconds = |treatment: &Treatment| rates.seconds(kept, treatment);
    Ok(Json(Plan {
        resolved,
        kept,
        sheet: treatment.sheet(),
        treatment: app.studio.offer(treatment.clone()),
        description: treatment.describe(&shelf),
        passes: treatment.passes().len(),
        plain,
        alternatives,
        faces: faces.collect(),
        unrestored,
        place,
        seconds: seconds(&treatment),
        clean_seconds: seconds(&cleaned_only)
            .zip(seconds(&treatment.untreated(Kernel::Lanczos3)))
            .map(|(cleaned, plain)| cleaned - plain),
        verdict,
        problem,
    }))
}

/// All that was last asked for, or else what is suggested.
#[utoipa::path(get, path = "/originals/{id}/wish", tag = "plan", params(("id" = u64, Path)),
    responses((status = OK, body = Wish), (status = 404, body = Problem)))]
pub async fn wish(State(app): State<App>, Address(id): Address<u64>) -> Result<Json<Wish>, Problem> {
    let row = app.store.original(id).await?;
    Ok(Json(Wish::of(&app, &row).await?))
}

/// Asks for something else: what was asked for before is replaced.
#[utoipa::path(put, path = "/originals/{id}/wish", tag = "plan", params(("id" = u64, Path)), request_body = Wish,
    responses((status = NO_CONTENT), (status = 404, body = Problem)))]
pub async fn set_wish(
    State(app): State<App>,
    Address(id): Address<u64>,
    Body(wish): Body<Wish>,
) -> Result<StatusCode, Problem> {
    app.store.original(id).await?;
    app.store.set_wish(id, Some(&wish)).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Forgets what was asked for: the picture starts again from its suggestion.
#[utoipa::path(delete, path = "/originals/{id}/wish", tag = "plan", params(("id" = u64, Path)),
    responses((status = NO_CONTENT), (status = 404, body = Problem)))]
pub async fn forget_wish(State(app): State<App>, Address(id): Address<u64>) -> Result<StatusCode, Problem> {
    app.store.original(id).await?;
    app.store.set_wish(id, None::<&Wish>).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// How large the file will be.
#[derive(Debug, Serialize, ToSchema)]
pub struct SizeForecast {
    /// Bytes, from patches of the result itself.
    pub bytes: u64,
}

/// Forecasts the size of the file, by encoding a few patches of the result.
#[utoipa::path(post, path = "/originals/{id}/forecast", tag = "plan", params(("id" = u64, Path)), request_body = Wish,
    responses((status = OK, body = SizeForecast), (status = 422, body = Problem)))]
pub async fn forecast(
    State(app): State<App>,
    Address(id): Address<u64>,
    Body(wish): Body<Wish>,
) -> Result<Json<SizeForecast>, Problem> {
    let row = app.store.original(id).await?;
    let treatment = wish.work_out(&app, &row, None)?.treatment;
    let settings = wish.settings();
    let original = app.studio.original(row.hash).await?;
    let lane = if treatment.needs_model() { Lane::Model } else { Lane::Plain };
    let bytes = app
        .studio
        .view(lane, move |studio, pace| forecast::bytes(studio.renderer(), &original, &treatment, settings, pace))
        .await??;
    Ok(Json(SizeForecast { bytes }))
}
