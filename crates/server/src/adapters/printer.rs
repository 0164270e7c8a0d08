//! A printer's queue: results are sent with what is to be known of them, and the printer says what becomes of them.

use anyhow::{anyhow, bail};
use dettaglio_domain::id::PrintingId;
use dettaglio_store::enlargements::Enlargement;
use dettaglio_store::printings::PrintState;
use reqwest::multipart::{Form, Part};
use reqwest::{Response, Url};
use serde::Deserialize;
use tokio_util::io::ReaderStream;

use super::outside;
use crate::app::App;
use crate::problem::{Kind, Problem};

/// The longest name of a job, in characters.
const LONGEST_JOB: usize = 100;

/// The longest reason, in characters.
const LONGEST_REASON: usize = 500;

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
pub async fn send(app: &App, printer: &str, result: &Enlargement) -> Result<PrintingId, Problem> {
    let away = |error: anyhow::Error| {
        Problem::new(Kind::Outside, "printer.away", format!("the printer does not answer: {error:#}"))
    };
    if !result.record.settings.format.is_finished() {
        let detail = "a raw file is developed before it is printed: run the picture as TIFF as well";
        return Err(Problem::refused("printer.raw", detail));
    }
    let path = app.files.local(&result.file_key).await?;
    let file = tokio::fs::File::open(&path).await.map_err(Problem::internal)?;
    let body = reqwest::Body::wrap_stream(ReaderStream::new(file));
    let settings = result.record.settings;
    let form = Form::new()
        .text("ppi", settings.ppi.map(|ppi| ppi.to_string()).unwrap_or_default())
        .text("profile", result.record.profile.clone().unwrap_or_default())
        .part("file", Part::stream_with_length(body, result.bytes).file_name(result.file_name.clone()));
    let sent = outside::client().post(queue(printer, None).map_err(away)?).multipart(form).send().await;
    let answer = outside::good(sent.map_err(|e| away(e.into()))?).map_err(away)?;
    let Answer { job, state, reason } = match answered(answer).await {
        Ok(answer) => answer,
        // It may well print the file: whoever sends it again must know.
        Err(error) => Answer {
            job: String::new(),
            state: PrintState::Accepted,
            reason: format!(
                "the printer took the file, and what it answered makes no sense ({error:#}): look at the printer"
            ),
        },
    };
    Ok(app.store.add_printing(result.id, &job, state, &reason).await?)
}

/// The address of the queue, or of a job in it: what a printer calls a job is part of an address only with its signs escaped.
fn queue(printer: &str, job: Option<&str>) -> anyhow::Result<Url> {
    let mut address = Url::parse(printer)?;
    let mut parts = address.path_segments_mut().map_err(|()| anyhow!("{printer} is no address of a printer"))?;
    parts.pop_if_empty().push("queue").extend(job);
    drop(parts);
    Ok(address)
}

async fn answered(response: Response) -> anyhow::Result<Answer> {
    let answer: Answer = serde_json::from_slice(&outside::short(response).await?)?;
    if answer.job.chars().count() > LONGEST_JOB {
        bail!("it calls the job by {} characters", answer.job.chars().count());
    }
    Ok(Answer { reason: answer.reason.chars().take(LONGEST_REASON).collect(), ..answer })
}

/// Asks what became of what is in the queue; a job that the printer says nothing sensible of holds up no other.
pub async fn ask_after(app: &App, printer: &str) -> anyhow::Result<()> {
    let client = outside::client();
    for printing in app.store.printings_under_way().await?.into_iter().filter(|one| !one.printer_job.is_empty()) {
        let asked = async {
            let response = client.get(queue(printer, Some(&printing.printer_job))?).send().await?;
            answered(outside::good(response)?).await
        };
        match asked.await {
            Ok(answer) if answer.state != printing.state => {
                app.store.set_printing(printing.id, answer.state, &answer.reason).await?;
            }
            Ok(_) => {}
            Err(error) => tracing::warn!("the printer, of {}: {error:#}", printing.printer_job),
        }
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_jobs_name_is_one_part_of_an_address() {
        let address = queue("http://127.0.0.1:9100/", Some("../../admin?x=1#y")).unwrap();
        assert_eq!(address.as_str(), "http://127.0.0.1:9100/queue/..%2F..%2Fadmin%3Fx=1%23y");
        assert_eq!(queue("http://127.0.0.1:9100", None).unwrap().path(), "/queue");
    }
}
