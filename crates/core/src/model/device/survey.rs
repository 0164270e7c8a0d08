//! Which devices there are and what came of trying them: every plug-in in a process of its own.

use std::path::{Path, PathBuf};
use std::process::Command;
use std::time::Duration;

use dettaglio_domain::device::{self, Device, Tried, Wanted};
use serde::{Deserialize, Serialize};

use super::trial;
use crate::apart::said_within;
use crate::model::engine::Engine;

/// The hidden command with which a program tries a plug-in, given its library and the model to try it with.
pub(crate) const TRY_COMMAND: &str = "try-plugin";

/// The model that devices are tried with, in the folder of models.
const TRIED_WITH: &str = "everyday-x4-draft.onnx";

/// How long the trial of a plug-in may take: some compile for every device that they find.
const PATIENCE: Duration = Duration::from_secs(120);

/// A device that was tried, and the plug-in that reaches it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Found {
    /// What came of it.
    #[serde(flatten)]
    pub tried: Tried,
    /// The plug-in's library.
    pub plugin: PathBuf,
}

/// What was found.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Survey {
    /// Devices, by plug-in.
    pub found: Vec<Found>,
    /// Plug-ins that could not be tried, by the names of their files, and why.
    pub troubles: Vec<String>,
}

impl Survey {
    /// The device that is to be used, with its plug-in; none for the reference.
    ///
    /// # Errors
    ///
    /// In words, where one is asked for that is not there or may not be used.
    pub fn choose(&self, wanted: &Wanted) -> Result<Option<(&Path, &Device)>, String> {
        let tried: Vec<Tried> = self.found.iter().map(|found| found.tried.clone()).collect();
        let chosen = device::choose(wanted, &tried)?;
        Ok(chosen.and_then(|chosen| {
            let found = self.found.iter().find(|found| found.tried.device == *chosen)?;
            Some((&*found.plugin, &found.tried.device))
        }))
    }
}

/// Tries the devices of all plug-ins, each in a process of `program`, which calls [`helper_main`](crate::helper_main) first of all; `models`
/// is the folder of the shipped ones.
pub fn survey(program: &Path, models: &Path, plugins: &[PathBuf]) -> Survey {
    let mut survey = Survey::default();
    for plugin in plugins {
        match tried_apart(program, models, plugin) {
            Ok(tried) => survey.found.extend(tried.into_iter().map(|tried| Found { tried, plugin: plugin.clone() })),
            Err(why) => {
                let name = plugin.file_name().unwrap_or(plugin.as_os_str()).to_string_lossy();
                survey.troubles.push(format!("{name}: {why}"));
            }
        }
    }
    survey
}

fn tried_apart(program: &Path, models: &Path, plugin: &Path) -> Result<Vec<Tried>, String> {
    if !plugin.is_file() {
        return Err("there is no such file".to_owned());
    }
    let mut command = Command::new(program);
    command.arg(TRY_COMMAND).arg(plugin).arg(models.join(TRIED_WITH));
    let said = said_within(&mut command, PATIENCE).map_err(|e| format!("{}: {e}", program.display()))?;
    let (status, text) = said.ok_or_else(|| format!("it was not tried within {} s", PATIENCE.as_secs()))?;
    // Drivers may have said something before.
    let answer = text.lines().last().and_then(|line| serde_json::from_str::<Result<Vec<Tried>, String>>(line).ok());
    answer.unwrap_or_else(|| Err(format!("it brought down the process that tried it ({status})")))
}

/// The child's side: tries a plug-in's devices and prints what came of it, as JSON in a line.
pub(crate) fn try_plugin(plugin: &Path, model: &Path) {
    let answer = try_here(plugin, model);
    println!("{}", serde_json::to_string(&answer).unwrap_or_default());
}

fn try_here(plugin: &Path, model: &Path) -> Result<Vec<Tried>, String> {
    let engine = Engine::load().map_err(|e| e.to_string())?;
    let bytes = std::fs::read(model).map_err(|e| format!("{}: {e}", model.display()))?;
    let mut reference = engine.session(&bytes)?;
    engine.register(plugin)?;
    let devices = engine.devices();
    if devices.is_empty() {
        return Err("it reaches no device of this machine".to_owned());
    }
    let tried = devices.into_iter().map(|device| {
        let session = engine.session_on(&bytes, &device).map(|session| Box::new(session) as _);
        Tried { outcome: trial::outcome(&mut reference, session), device }
    });
    Ok(tried.collect())
}

#[cfg(test)]
mod tests {
    use std::os::unix::fs::PermissionsExt;

    use dettaglio_domain::device::{DeviceKind, Outcome};
    use rstest::rstest;

    use super::*;

    /// A program that says and does this whatever it is asked.
    fn program(folder: &Path, script: &str) -> PathBuf {
        let file = folder.join("program");
        std::fs::write(&file, format!("#!/bin/sh\n{script}\n")).unwrap();
        std::fs::set_permissions(&file, std::fs::Permissions::from_mode(0o755)).unwrap();
        file
    }

    #[rstest]
    #[case::crash("kill -SEGV $$", "it brought down the process that tried it (signal: 11")]
    #[case::abort("exit 3", "it brought down the process that tried it (exit status: 3)")]
    #[case::babble("echo nonsense", "it brought down the process that tried it")]
    #[case::refusal(r#"echo '{"Err":"it is no plug-in"}'"#, "it is no plug-in")]
    fn what_becomes_of_a_plugin_becomes_of_nothing_else(#[case] script: &str, #[case] said: &str) {
        let folder = tempfile::tempdir().unwrap();
        let program = program(folder.path(), script);
        let plugins = [program.clone(), folder.path().join("missing.so")];
        let survey = survey(&program, folder.path(), &plugins);
        assert!(survey.found.is_empty());
        assert!(survey.troubles[0].contains(said), "{:?}", survey.troubles);
        assert!(survey.troubles[1].ends_with("missing.so: there is no such file"), "{:?}", survey.troubles);
    }

    #[test]
    fn the_device_that_is_chosen_comes_with_its_plugin() {
        let folder = tempfile::tempdir().unwrap();
        let said = r#"{"Ok":[{"name":"lamp-gpu","kind":"graphics","maker":"Vetreria","outcome":"right","times":4.0,"difference":1e-6}]}"#;
        let program = program(folder.path(), &format!("echo 'a driver says good day'\necho '{said}'"));
        let survey = survey(&program, folder.path(), std::slice::from_ref(&program));
        assert_eq!(survey.found[0].tried.device.kind, DeviceKind::Graphics);
        assert!(matches!(survey.found[0].tried.outcome, Outcome::Right { .. }));
        let (plugin, device) = survey.choose(&Wanted::Auto).unwrap().unwrap();
        assert_eq!((plugin, &*device.name), (&*program, "lamp-gpu"));
        assert_eq!(survey.choose(&Wanted::Reference), Ok(None));
        let kept: Survey = serde_json::from_str(&serde_json::to_string(&survey).unwrap()).unwrap();
        assert_eq!(kept, survey, "it can be kept");
    }
}
