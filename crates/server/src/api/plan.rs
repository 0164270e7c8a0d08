//! What a target means for a picture, before anything is computed.

use axum::Json;
use axum::extract::State;
use dettaglio_core::codec::OutputSettings;
use dettaglio_core::enlarge::Kernel;
use dettaglio_core::forecast;
use dettaglio_core::hash::ContentHash;
use dettaglio_core::model::Grade;
use dettaglio_core::picture::Size;
use dettaglio_core::size::{Resolved, Target, eye_ppi, sharp_from_m};
use dettaglio_core::treatment::Treatment;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::{Address, Body};
use crate::app::App;
use crate::problem::Problem;
use crate::studio::Lane;

/// How a picture is to be made larger.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "lowercase", tag = "by")]
pub enum Choice {
    /// With a subject's models.
    Learned {
        /// "everyday", ...
        subject: String,
        /// Fast or thorough.
        grade: Grade,
    },
    /// Without a model.
    Plain {
        /// How.
        kernel: Kernel,
    },
}

impl Choice {
    /// The treatment that this means for one picture and size.
    pub fn treatment(&self, app: &App, original: Size, size: Size) -> Result<Treatment, Problem> {
        match self {
            Choice::Plain { kernel } => Ok(Treatment::plain(*kernel, size)),
            Choice::Learned { subject, grade } => {
                let shelf = app.studio.renderer().shelf();
                if !shelf.models().iter().any(|m| m.card().subject == *subject) {
                    let detail = format!("there are no models for the subject \"{subject}\"");
                    return Err(Problem::refused("model.unknown-subject", detail).field("enlarge"));
                }
                Ok(Treatment::learned(shelf, subject, *grade, original, size))
            }
        }
    }
}

/// What is asked for.
#[derive(Clone, Debug, Deserialize, ToSchema)]
pub struct Wish {
    /// How large.
    pub target: Target,
    /// How.
    pub enlarge: Choice,
    /// Into what kind of file; a resolution that the target states goes before one given here.
    pub output: OutputSettings,
    /// What to compare with; bicubic when not given.
    #[serde(default = "Wish::default_before")]
    pub before: Kernel,
    /// From how far it will be seen, in metres; 1.5 times the print's diagonal when not given.
    #[serde(default)]
    pub distance_m: Option<f64>,
}

impl Wish {
    fn default_before() -> Kernel {
        Kernel::Bicubic
    }

    /// The output settings with the resolution that the target states.
    pub fn settings(&self) -> OutputSettings {
        let ppi = match self.target {
            Target::Print { ppi, .. } => Some(ppi),
            _ => self.output.ppi,
        };
        OutputSettings { ppi, ..self.output }
    }
}

/// What it means.
#[derive(Debug, Serialize, ToSchema)]
pub struct Plan {
    /// Pixels, factor, print.
    pub resolved: Resolved,
    /// Hash of the treatment, for the addresses of tiles.
    #[schema(value_type = String)]
    pub treatment: ContentHash,
    /// The treatment in words.
    pub description: String,
    /// How many passes of models it takes.
    pub passes: usize,
    /// Hash of the plain treatment to compare with.
    #[schema(value_type = String)]
    pub before: ContentHash,
    /// Seconds that the run will take, once the models' speed was measured.
    pub seconds: Option<f64>,
    /// What the print is worth to the eye, when there is one.
    pub verdict: Option<Verdict>,
    /// What keeps it from being run as it is.
    pub problem: Option<Problem>,
}

/// What a print is worth to the eye, by the original's own pixels.
#[derive(Debug, Serialize, ToSchema)]
pub struct Verdict {
    /// From how far it will be seen, in metres.
    pub distance_m: f64,
    /// The ppi that the eye can use from there.
    pub eye_ppi: f64,
    /// The ppi that the original's own pixels give.
    pub original_ppi: f64,
    /// From where on the original's own pixels satisfy the eye, in metres.
    pub sharp_from_m: f64,
}

/// Works out size, time, limits and verdict of a wish, and keeps the treatment for its tiles.
#[utoipa::path(post, path = "/originals/{id}/plan", tag = "plan", params(("id" = u64, Path)), request_body = Wish,
    responses((status = OK, body = Plan), (status = 422, body = Problem)))]
pub async fn plan(
    State(app): State<App>,
    Address(id): Address<u64>,
    Body(wish): Body<Wish>,
) -> Result<Json<Plan>, Problem> {
    let row = app.store.original(id).await?;
    let resolved = wish.target.resolve(row.facts.size)?;
    let settings = wish.settings();
    let limits = app.studio.limits();
    let problem = limits
        .check_output(resolved.size, settings.format, settings.depth, app.files.free_bytes())
        .err()
        .map(Problem::from);
    let treatment = wish.enlarge.treatment(&app, row.facts.size, resolved.size)?;
    let verdict = resolved.print.map(|print| {
        let distance_m = wish.distance_m.filter(|m| *m > 0.0).unwrap_or_else(|| print.usual_distance_m());
        Verdict {
            distance_m,
            eye_ppi: eye_ppi(distance_m),
            original_ppi: print.original_ppi,
            sharp_from_m: sharp_from_m(print.original_ppi),
        }
    });
    app.store.set_target(id, &wish.target).await?;
    Ok(Json(Plan {
        resolved,
        treatment: app.store.add_treatment(&treatment).await?,
        description: treatment.describe(app.studio.renderer().shelf()),
        passes: treatment.passes().len(),
        before: app.store.add_treatment(&Treatment::plain(wish.before, resolved.size)).await?,
        seconds: app.studio.rates().seconds(row.facts.size, &treatment),
        verdict,
        problem,
    }))
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
    let resolved = wish.target.resolve(row.facts.size)?;
    let settings = wish.settings();
    app.studio.limits().check_output(resolved.size, settings.format, settings.depth, None)?;
    let treatment = wish.enlarge.treatment(&app, row.facts.size, resolved.size)?;
    let original = app.studio.original(row.hash).await?;
    let lane = if treatment.passes().is_empty() { Lane::Plain } else { Lane::Model };
    let bytes = app
        .studio
        .view(lane, move |studio, pace| forecast::bytes(studio.renderer(), &original, &treatment, settings, pace))
        .await??;
    Ok(Json(SizeForecast { bytes }))
}
