//! Devices and services outside: a folder that scanners drop files into, a shop that sends orders, a printer that takes results.

use std::fmt::Display;
use std::time::Duration;

use super::{inbox, printer, shop};
use crate::app::App;

/// How often the folder is looked through.
const INBOX_LOOK: Duration = Duration::from_secs(1);

/// How often a shop or a printer is asked.
const ASK: Duration = Duration::from_secs(3);

/// Attends to all of them until the program stops. What cannot be reached is tried again.
pub(crate) fn attend(app: &App) {
    let at = app.clone();
    tokio::spawn(async move {
        let mut inbox = inbox::Inbox::default();
        while goes_on(&at, INBOX_LOOK).await {
            tell_trouble("the inbox", inbox.look_through(&at).await);
        }
    });
    if let Some(shop) = app.devices.shop.clone() {
        let at = app.clone();
        tokio::spawn(async move {
            while goes_on(&at, ASK).await {
                tell_trouble("the shop", shop::take_orders(&at, &shop).await);
            }
        });
    }
    if let Some(printer) = app.devices.printer.clone() {
        let at = app.clone();
        tokio::spawn(async move {
            while goes_on(&at, ASK).await {
                tell_trouble("the printer", printer::ask_after(&at, &printer).await);
            }
        });
    }
}

/// Waits, and answers whether the program still runs.
async fn goes_on(app: &App, pause: Duration) -> bool {
    tokio::select! {
        () = app.stop.cancelled() => false,
        () = tokio::time::sleep(pause) => true,
    }
}

fn tell_trouble<E: Display>(with: &str, outcome: Result<(), E>) {
    if let Err(error) = outcome {
        tracing::warn!("{with}: {error}");
    }
}
