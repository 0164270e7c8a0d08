//! What computes: listing the devices, and `--device` of whatever runs a model.

use dettaglio_core::model::device::{Devices, Survey, plugins};
use dettaglio_core::model::{Engine, Shelf};
use dettaglio_domain::device::{REFERENCE, Wanted};
use serde_json::json;

use crate::args::{DevicesArgs, ShelfArgs};
use crate::models::{data, shelf, shipped};

/// Tries every device and lists what came of it.
pub fn devices(args: &DevicesArgs) -> anyhow::Result<()> {
    let devices = at_hand(&args.shelf)?;
    let survey = if devices.has_plugins() { devices.try_all() } else { Survey::default() };
    let wanted = wanted(&args.shelf, &devices);
    let chosen = survey.choose(&wanted).map(|chosen| chosen.map_or(REFERENCE, |(_, device)| &device.name));
    if args.json {
        let (computing, trouble) = (chosen.as_ref().ok(), chosen.as_ref().err());
        let all = json!({
            "wanted": wanted.to_string(), "computing": computing, "trouble": trouble,
            "devices": survey.found, "troubles": survey.troubles,
        });
        say!("{}", serde_json::to_string_pretty(&all)?);
        return Ok(());
    }
    let mark = |name: &str| if chosen.as_deref() == Ok(name) { "computes" } else { "" };
    say!("{:<22} {:<9} the processor, by the runtime's own code: what is right", REFERENCE, mark(REFERENCE));
    for found in &survey.found {
        let (device, outcome) = (&found.tried.device, &found.tried.outcome);
        say!("{:<22} {:<9} {}: {outcome}", device.name, mark(&device.name), device.what());
    }
    tell(&survey);
    if !devices.has_plugins() {
        say!("The runtime has no plug-ins here: scripts/plugin.sh webgpu gets the one for graphics processors.");
    }
    if let Err(why) = chosen {
        anyhow::bail!("{wanted} is asked for: {why}");
    }
    Ok(())
}

/// The models, computed on the device that is asked for.
pub fn ready_shelf(args: &ShelfArgs) -> anyhow::Result<Shelf> {
    let devices = at_hand(args)?;
    let wanted = wanted(args, &devices);
    if wanted != Wanted::Reference {
        let survey = devices.known().unwrap_or_else(|| {
            let survey = devices.try_all();
            tell(&survey);
            survey
        });
        devices.compute_on(&wanted, &survey).map_err(|why| anyhow::anyhow!("--device {wanted}: {why}"))?;
    }
    shelf(args)
}

/// Says so where the device failed while it computed.
pub fn tell_failure() {
    let Some(chosen) = Engine::chosen() else { return };
    if let Some(why) = chosen.failure() {
        eprintln!("dettaglio: {} failed, and the rest was computed by cpu: {why}", chosen.device().name);
    }
}

fn at_hand(args: &ShelfArgs) -> anyhow::Result<Devices> {
    Ok(Devices::new(plugins(), &std::env::current_exe()?, &shipped(args)?, &data(args)?))
}

/// What is asked for here; else what was said in the program's settings; else the fastest.
fn wanted(args: &ShelfArgs, devices: &Devices) -> Wanted {
    args.device.clone().or_else(|| devices.wanted()).unwrap_or_default()
}

fn tell(survey: &Survey) {
    for trouble in &survey.troubles {
        eprintln!("dettaglio: the plug-in {trouble}");
    }
}
