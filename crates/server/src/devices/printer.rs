//! A printer's queue: results are sent with what is to be known of them, and the printer says what becomes of them.

use anyhow::Context;
use axum::http::StatusCode;
use dettaglio_store::enlargements::Enlargement;
use dettaglio_store::printings::PrintState;
use reqwest::Client;
use reqwest::multipart::{Form, Part};
use serde::Deserialize;
use tokio_util::io::ReaderStream;

use crate::app::App;
use crate::problem::Problem;

/// What a printer answers.
#[derive(Debug, Deserialize)]
struct Answer {
    /// What it calls the job; empty when it refused.
    #[serde(default)]
    job: String,
    state: PrintState,
    #[serde(default)]
    reason: String,
}

/// Sends a result, and writes down what the printer answered.
pub async fn send(app: &App, printer: &str, result: &Enlargement) -> Result<u64, Problem> {
    let away = |error: reqwest::Error| {
        Problem::new(StatusCode::BAD_GATEWAY, "printer.away", format!("the printer does not answer: {error}"))
    };
    let path = app.files.local(&result.file_key).await?;
    let file = tokio::fs::File::open(&path).await.map_err(Problem::internal)?;
    let body = reqwest::Body::wrap_stream(ReaderStream::new(file));
    let settings = result.record.settings;
    let form = Form::new()
        .text("ppi", settings.ppi.map(|ppi| ppi.to_string()).unwrap_or_default())
        .text("profile", result.record.profile.clone().unwrap_or_default())
        .part("file", Part::stream_with_length(body, result.bytes).file_name(result.file_name.clone()));
    let answer = Client::new().post(format!("{printer}/queue")).multipart(form).send().await.map_err(away)?;
    let answer: Answer = answer.error_for_status().map_err(away)?.json().await.map_err(away)?;
    Ok(app.store.add_printing(result.id, &answer.job, answer.state, &answer.reason).await?)
}

/// Asks what became of what is in the queue.
pub async fn ask_after(app: &App, printer: &str) -> anyhow::Result<()> {
    for printing in app.store.printings_under_way().await? {
        let answer = reqwest::get(format!("{printer}/queue/{}", printing.printer_job)).await?;
        let answer: Answer = answer.error_for_status()?.json().await.context("an answer that makes no sense")?;
        if answer.state != printing.state {
            app.store.set_printing(printing.id, answer.state, &answer.reason).await?;
        }
    }
    Ok(())
}
