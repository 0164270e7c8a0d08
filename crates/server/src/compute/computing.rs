//! What computes the models here: tried while nobody waits, chosen, and told.

use std::sync::{Arc, Mutex, MutexGuard};
use std::time::Duration;

use anyhow::bail;
use dettaglio_core::model::Engine;
use dettaglio_core::model::device::{Devices, Survey};
use dettaglio_domain::device::{Tried, Wanted};
use serde::Serialize;
use tokio_util::sync::CancellationToken;
use utoipa::ToSchema;

use super::studio::{Studio, blocking};
use crate::config::Settings;
use crate::problem::Problem;

/// How long nobody must have been there before devices are tried, which takes the processor for some seconds.
const QUIET: Duration = Duration::from_secs(5);

/// What may compute here, and what does.
#[derive(Debug)]
pub struct Computing {
    devices: Devices,
    state: Mutex<State>,
    /// Devices are tried once at a time.
    trying: tokio::sync::Mutex<()>,
}

#[derive(Debug)]
struct State {
    wanted: Wanted,
    /// What came of trying; nothing before.
    survey: Option<Survey>,
    /// Why what is wanted does not compute.
    trouble: Option<String>,
}

/// What computes the models, and what else could.
#[derive(Debug, Serialize, ToSchema)]
pub struct ComputingView {
    /// What is wanted: "auto", "cpu", "gpu", or a device's name.
    pub wanted: String,
    /// The name of what computes now; "cpu" for the runtime's own code.
    pub computing: String,
    /// Why what is wanted does not compute.
    pub trouble: Option<String>,
    /// Whether plug-ins are there whose devices are still to be tried.
    pub is_to_be_tried: bool,
    /// What came of trying each device.
    pub devices: Vec<DeviceView>,
    /// Plug-ins that could not be tried.
    pub troubles: Vec<String>,
}

/// A device besides the processor's own code.
#[derive(Debug, Serialize, ToSchema)]
pub struct DeviceView {
    /// Which, and what came of trying it.
    #[serde(flatten)]
    pub tried: Tried,
    /// What it is and who made it, in words.
    pub what: String,
    /// What came of it, in words.
    pub in_words: String,
    /// Whether it may be asked for.
    pub may_be_used: bool,
}

impl DeviceView {
    fn of(tried: &Tried) -> Self {
        Self {
            what: tried.device.what(),
            in_words: tried.outcome.to_string(),
            may_be_used: tried.may_be_used(),
            tried: tried.clone(),
        }
    }
}

impl Computing {
    /// Computes at once on what is known to serve. A device that the start asks for by name is tried now, and refused in words.
    pub fn open(settings: &Settings) -> anyhow::Result<Self> {
        let devices = Devices::new(settings.plugins.clone(), &settings.program, &settings.models, &settings.data);
        let asked = settings.device.clone();
        let is_strict = matches!(asked, Some(Wanted::Graphics | Wanted::Named(_)));
        let wanted = asked.or_else(|| devices.wanted()).unwrap_or_default();
        let survey = devices.known().or_else(|| is_strict.then(|| devices.try_all()));
        let trouble = match survey.as_ref().map(|survey| devices.compute_on(&wanted, survey)) {
            Some(Err(why)) if is_strict => bail!("--device {wanted}: {why}"),
            Some(Err(why)) => Some(why),
            Some(Ok(_)) | None => None,
        };
        Ok(Self {
            devices,
            state: Mutex::new(State { wanted, survey, trouble }),
            trying: tokio::sync::Mutex::default(),
        })
    }

    /// Tries the devices that have not been, once nobody is there, and computes on what serves best.
    pub async fn find(self: Arc<Self>, studio: Arc<Studio>, stop: CancellationToken) {
        if self.lock().survey.is_some() {
            return;
        }
        tokio::select! {
            () = stop.cancelled() => return,
            () = studio.quiet(QUIET) => {}
        }
        if let Err(problem) = self.try_all(&studio).await {
            tracing::warn!(detail = problem.detail, "the devices could not be tried");
        }
    }

    /// Tries all devices anew, and computes on what serves best of what is wanted.
    pub async fn try_all(&self, studio: &Arc<Studio>) -> Result<(), Problem> {
        let _turn = self.trying.lock().await;
        let (devices, wanted) = (self.devices.clone(), self.lock().wanted.clone());
        let (survey, trouble) = blocking(move || {
            let survey = devices.try_all();
            let trouble = devices.compute_on(&wanted, &survey).err();
            (survey, trouble)
        })
        .await?;
        for trouble in &survey.troubles {
            tracing::warn!("the plug-in {trouble}");
        }
        {
            let mut state = self.lock();
            (state.survey, state.trouble) = (Some(survey), trouble);
        }
        tracing::info!(device = Engine::device_name(), "models are computed");
        Ok(studio.move_over().await?)
    }

    /// Computes on what a person wants, and keeps that it is wanted.
    pub async fn want(&self, wanted: Wanted, studio: &Arc<Studio>) -> Result<(), Problem> {
        let is_tried = self.lock().survey.is_some();
        if !is_tried {
            self.try_all(studio).await?;
        }
        let (devices, survey, asked) = (self.devices.clone(), self.lock().survey.clone(), wanted.clone());
        let chosen = blocking(move || devices.want(&asked, &survey.unwrap_or_default())).await?;
        chosen.map_err(|why| Problem::refused("device.unusable", why))?;
        {
            let mut state = self.lock();
            (state.wanted, state.trouble) = (wanted, None);
        }
        Ok(studio.move_over().await?)
    }

    /// How things stand.
    pub fn view(&self) -> ComputingView {
        let state = self.lock();
        let failure = Engine::chosen().and_then(|chosen| {
            let why = chosen.failure()?;
            Some(format!("{} failed, and cpu computes since: {why}", chosen.device().name))
        });
        let survey = state.survey.clone();
        ComputingView {
            wanted: state.wanted.to_string(),
            computing: Engine::device_name(),
            trouble: failure.or_else(|| state.trouble.clone()),
            is_to_be_tried: survey.is_none(),
            devices: survey.iter().flat_map(|survey| &survey.found).map(|found| DeviceView::of(&found.tried)).collect(),
            troubles: survey.map_or(Vec::new(), |survey| survey.troubles),
        }
    }

    fn lock(&self) -> MutexGuard<'_, State> {
        self.state.lock().unwrap_or_else(|e| e.into_inner())
    }
}
