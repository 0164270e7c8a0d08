//! What goes out of the house: all results of an order as one archive, and the report on them.

use std::io::{Read, Write};
use std::path::PathBuf;

use axum::body::Body;
use axum::extract::State;
use axum::response::{Html, IntoResponse, Response};
use dettaglio_domain::id::OrderId;
use dettaglio_domain::naming;
use dettaglio_domain::naming::Unlike;
use dettaglio_store::enlargements::{Approval, Enlargement};
use dettaglio_store::files::FileStore;
use serde::Deserialize;
use tokio::sync::mpsc;
use tokio_stream::wrappers::ReceiverStream;
use utoipa::{IntoParams, ToSchema};
use zip::write::SimpleFileOptions;

use super::answer::ProblemDetails;
use super::extract::{Address, Question};
use super::serve_file::attachment;
use crate::adapters::report::{self, Report};
use crate::app::App;
use crate::problem::Problem;

/// Which results go out.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Deserialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub enum Going {
    /// Those that were accepted.
    #[default]
    Accepted,
    /// All but those that were sent back.
    All,
}

/// What is wanted of a delivery.
#[derive(Clone, Copy, Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct Wanted {
    /// Which results; those that were accepted when not given.
    #[serde(default)]
    which: Going,
}

async fn going(app: &App, order: OrderId, which: Going) -> Result<Vec<Enlargement>, Problem> {
    let mut results = app.store.enlargements(order).await?;
    results.retain(|result| match which {
        Going::Accepted => result.verdict == Some(Approval::Accepted),
        Going::All => result.verdict != Some(Approval::SentBack),
    });
    results.reverse();
    if results.is_empty() {
        let detail = "no result of this order is to go out: accept some in the look-through first";
        return Err(Problem::refused("delivery.empty", detail));
    }
    Ok(results)
}

/// The report on an order, as a page that holds its pictures.
#[utoipa::path(get, path = "/orders/{id}/report.html", tag = "delivery", params(("id" = OrderId, Path), Wanted),
    responses((status = OK, content_type = "text/html"), (status = 422, body = ProblemDetails)))]
pub async fn report_html(
    State(app): State<App>,
    Address(id): Address<OrderId>,
    Question(Wanted { which }): Question<Wanted>,
) -> Result<Response, Problem> {
    let report = Report::of(&app, app.store.order(id).await?, &going(&app, id, which).await?).await?;
    Ok(Html(report::html(&report)).into_response())
}

/// The report on an order, as PDF.
#[utoipa::path(get, path = "/orders/{id}/report.pdf", tag = "delivery", params(("id" = OrderId, Path), Wanted),
    responses((status = OK, content_type = "application/pdf"), (status = 422, body = ProblemDetails)))]
pub async fn report_pdf(
    State(app): State<App>,
    Address(id): Address<OrderId>,
    Question(Wanted { which }): Question<Wanted>,
) -> Result<Response, Problem> {
    let report = Report::of(&app, app.store.order(id).await?, &going(&app, id, which).await?).await?;
    let name = format!("{}.pdf", folder_name(&report.order.details.title));
    let pdf = crate::compute::studio::blocking(move || report::pdf(&report)).await?.map_err(Problem::internal)?;
    attachment(&name, "application/pdf", pdf)
}

/// All results of an order with the report, as one zip archive with a folder of the order's name; what was traced as a drawing too.
#[utoipa::path(get, path = "/orders/{id}/delivery.zip", tag = "delivery", params(("id" = OrderId, Path), Wanted),
    responses((status = OK, content_type = "application/zip"), (status = 422, body = ProblemDetails)))]
pub async fn delivery(
    State(app): State<App>,
    Address(id): Address<OrderId>,
    Question(Wanted { which }): Question<Wanted>,
) -> Result<Response, Problem> {
    let results = going(&app, id, which).await?;
    let report = Report::of(&app, app.store.order(id).await?, &results).await?;
    let folder = folder_name(&report.order.details.title);
    let mut parts = Vec::with_capacity(results.len() + 2);
    let mut names = Unlike::default();
    for result in &results {
        let mut put = async |name: String, key: &str| -> Result<(), Problem> {
            let name = names.take(name);
            parts.push((format!("{folder}/{name}"), Content::File(app.files.local(key).await?)));
            Ok(())
        };
        put(result.file_name.clone(), &result.file_key).await?;
        for file in result.record.drawings() {
            let key = FileStore::drawing_key(&result.file_key, file);
            put(naming::of_drawing(&result.file_name, file), &key).await?;
        }
    }
    let (page, pdf) = crate::compute::studio::blocking(move || (report::html(&report), report::pdf(&report))).await?;
    parts.push((format!("{folder}/report.html"), Content::Bytes(page.into_bytes())));
    parts.push((format!("{folder}/report.pdf"), Content::Bytes(pdf.map_err(Problem::internal)?)));

    let (sender, receiver) = mpsc::channel(8);
    tokio::task::spawn_blocking(move || {
        // The archive is made while it is sent: nothing of it is kept, however large it is.
        if let Err(error) = write_archive(parts, Pipe(sender.clone())) {
            tracing::warn!(%error, "a delivery was cut short");
            let _ = sender.blocking_send(Err(std::io::Error::other(error)));
        }
    });
    attachment(&format!("{folder}.zip"), "application/zip", Body::from_stream(ReceiverStream::new(receiver)))
}

/// The order's title as the name of a folder.
pub fn folder_name(title: &str) -> String {
    naming::of_title(title)
}

enum Content {
    File(PathBuf),
    Bytes(Vec<u8>),
}

fn write_archive(parts: Vec<(String, Content)>, out: Pipe) -> zip::result::ZipResult<()> {
    let mut archive = zip::ZipWriter::new_stream(out);
    // Pictures are compressed already.
    let options = SimpleFileOptions::default().compression_method(zip::CompressionMethod::Stored).large_file(true);
    let mut piece = vec![0; 1 << 18];
    for (name, content) in parts {
        archive.start_file(name, options)?;
        match content {
            Content::Bytes(bytes) => archive.write_all(&bytes)?,
            Content::File(path) => {
                let mut file = std::fs::File::open(path)?;
                loop {
                    match file.read(&mut piece)? {
                        0 => break,
                        count => archive.write_all(&piece[..count])?,
                    }
                }
            }
        }
    }
    archive.finish()?.flush()?;
    Ok(())
}

/// Hands bytes on to whoever downloads.
struct Pipe(mpsc::Sender<std::io::Result<Vec<u8>>>);

impl Write for Pipe {
    fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
        self.0.blocking_send(Ok(bytes.to_vec())).map_err(|_| std::io::Error::from(std::io::ErrorKind::BrokenPipe))?;
        Ok(bytes.len())
    }

    fn flush(&mut self) -> std::io::Result<()> {
        Ok(())
    }
}
