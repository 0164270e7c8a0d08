//! What a target means for a picture, before anything is computed.

use axum::Json;
use axum::extract::State;
use dettaglio_core::codec::OutputSettings;
use dettaglio_core::enlarge::Kernel;
use dettaglio_core::forecast;
use dettaglio_core::hash::ContentHash;
use dettaglio_core::picture::Size;
use dettaglio_core::recipe::{Recipe, Worked};
use dettaglio_core::size::{Resolved, Target, eye_ppi, sharp_from_m};
use dettaglio_core::treatment::Treatment;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::{Address, Body};
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

    /// The treatment that it means for an original of this size, within the limits of its format.
    ///
    /// `free` is what the disk has, where that counts.
    pub fn work_out(&self, app: &App, original: Size, free: Option<u64>) -> Result<Worked, Problem> {
        let worked = self.recipe.work_out(&app.studio.renderer().shelf(), original, self.target)?;
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
    /// Hash of the same picture by plain resampling alone, to compare with.
    #[schema(value_type = String)]
    pub before: ContentHash,
    /// Seconds that the run will take, once the models' speed was measured.
    pub seconds: Option<f64>,
    /// Seconds of that for the Clean step.
    pub clean_seconds: Option<f64>,
    /// What the print is worth to the eye, when there is one.
    pub verdict: Option<Verdict>,
    /// What keeps it from being run as it is.
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

/// Works out size, time, limits and verdict of a wish, remembers it, and keeps the treatment for its tiles.
#[utoipa::path(post, path = "/originals/{id}/plan", tag = "plan", params(("id" = u64, Path)), request_body = Wish,
    responses((status = OK, body = Plan), (status = 422, body = Problem)))]
pub async fn plan(
    State(app): State<App>,
    Address(id): Address<u64>,
    Body(wish): Body<Wish>,
) -> Result<Json<Plan>, Problem> {
    let row = app.store.original(id).await?;
    let shelf = app.studio.renderer().shelf();
    let Worked { kept, resolved, treatment } = wish.recipe.work_out(&shelf, row.facts.size, wish.target)?;
    let problem = wish.work_out(&app, row.facts.size, app.files.free_bytes()).err();
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
    app.store.set_wish(id, Some(&wish)).await?;
    let rates = app.studio.rates();
    let cleaned_only = Treatment { clean: treatment.clean.clone(), ..treatment.untreated(Kernel::Lanczos3) };
    let seconds = |treatment: &Treatment| rates.seconds(kept, treatment);
    Ok(Json(Plan {
        resolved,
        kept,
        sheet: treatment.sheet(),
        treatment: app.store.add_treatment(&treatment).await?,
        description: treatment.describe(&shelf),
        passes: treatment.passes().len(),
        before: app.store.add_treatment(&treatment.untreated(wish.before)).await?,
        seconds: seconds(&treatment),
        clean_seconds: seconds(&cleaned_only)
            .zip(seconds(&treatment.untreated(Kernel::Lanczos3)))
            .map(|(cleaned, plain)| cleaned - plain),
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
    let treatment = wish.work_out(&app, row.facts.size, None)?.treatment;
    let settings = wish.settings();
    let original = app.studio.original(row.hash).await?;
    let lane = if treatment.needs_model() { Lane::Model } else { Lane::Plain };
    let bytes = app
        .studio
        .view(lane, move |studio, pace| forecast::bytes(studio.renderer(), &original, &treatment, settings, pace))
        .await??;
    Ok(Json(SizeForecast { bytes }))
}
