//! From what is wanted to what computes.

use std::path::{Path, PathBuf};

use dettaglio_domain::device::{Device, Wanted};

use super::kept::KeptDevices;
use super::survey::{Survey, survey};
use crate::model::engine::Engine;

/// Everything that choosing a device needs: the runtime with its plug-ins, and where what was found is kept.
#[derive(Clone, Debug)]
pub struct Devices {
    plugins: Vec<PathBuf>,
    program: PathBuf,
    models: PathBuf,
    kept: KeptDevices,
}

impl Devices {
    /// `program` calls [`helper_main`](crate::helper_main) first of all; `models` is the folder of the shipped models, `data` that of what is kept.
    pub fn new(plugins: Vec<PathBuf>, program: &Path, models: &Path, data: &Path) -> Self {
        Self { plugins, program: program.to_owned(), models: models.to_owned(), kept: KeptDevices::within(data) }
    }

    /// Whether there may be any besides the processor.
    pub fn has_plugins(&self) -> bool {
        !self.plugins.is_empty()
    }

    /// What a person wants, where somebody has said so.
    pub fn wanted(&self) -> Option<Wanted> {
        self.kept.wanted()
    }

    /// What was found before, if nothing has changed since; where there are no plug-ins, nothing can be.
    pub fn known(&self) -> Option<Survey> {
        if self.has_plugins() { self.kept.survey(&self.libraries()) } else { Some(Survey::default()) }
    }

    /// Tries all devices, which takes some seconds for each, and keeps what came of it.
    pub fn try_all(&self) -> Survey {
        let found = survey(&self.program, &self.models, &self.plugins);
        // Where it cannot be kept it is found anew next time.
        let _ = self.kept.found(&self.libraries(), &found);
        found
    }

    /// Computes on what is wanted from now on; answers what that is, none for the reference. Networks that are open stay where they are.
    ///
    /// # Errors
    ///
    /// In words, where a device is asked for that is not there or may not be used. Of all that serve, one that does not load any more is passed over.
    pub fn compute_on(&self, wanted: &Wanted, survey: &Survey) -> Result<Option<Device>, String> {
        let Some((plugin, device)) = survey.choose(wanted)? else {
            // Whoever computes nothing does without the runtime.
            Engine::compute_by_reference();
            return Ok(None);
        };
        let engine = Engine::load().map_err(|e| e.to_string());
        match engine.and_then(|engine| engine.compute_on(plugin, device)) {
            Ok(()) => Ok(Some(device.clone())),
            Err(_) if *wanted == Wanted::Auto => {
                Engine::compute_by_reference();
                Ok(None)
            }
            Err(why) => Err(why),
        }
    }

    /// [`compute_on`](Self::compute_on), and keeps that it is wanted.
    pub fn want(&self, wanted: &Wanted, survey: &Survey) -> Result<Option<Device>, String> {
        let chosen = self.compute_on(wanted, survey)?;
        self.kept.want(wanted).map_err(|e| format!("that {wanted} is wanted cannot be kept: {e}"))?;
        Ok(chosen)
    }

    /// The runtime's library and the plug-ins.
    fn libraries(&self) -> Vec<PathBuf> {
        let own = Engine::load().map(|engine| engine.library().to_owned());
        own.into_iter().chain(self.plugins.iter().cloned()).collect()
    }
}
