//! The model shelf.

use std::path::PathBuf;

use axum::Json;
use axum::extract::State;
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use chrono::Utc;
use dettaglio_core::codec::{self, png_bytes};
use dettaglio_core::model::own::{OwnError, Refusal, try_file};
use dettaglio_core::model::{Example, Model};
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::model::{Card, CardFile, EVERYDAY, Evidence};
use dettaglio_domain::naming;
use dettaglio_store::files::FileStore;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::answer::ProblemDetails;
use super::extract::Address;
use super::form::{self, Form};
use super::receive::receive;
use crate::app::App;
use crate::compute::studio::{Lane, blocking};
use crate::problem::{Kind, Problem};

/// A model and what it does here.
#[derive(Debug, Serialize, ToSchema)]
pub struct ModelView {
    /// Its card.
    #[schema(value_type = CardFile)]
    pub card: Card,
    /// Name and grade.
    pub title: String,
    /// Bytes of its file.
    pub file_bytes: u64,
    /// Input pixels a second on this machine, once measured.
    pub pixels_per_second: Option<f64>,
    /// Whether it is no longer offered.
    pub retired: bool,
    /// Whether it was seen to lay a regular pattern over texture: such a model is not suggested.
    pub draws_screen: bool,
    /// By which share its results are perceived to be nearer to the truth than Everyday's, on what it was made for.
    pub perceived_nearer: Option<f64>,
    /// What speaks for it, what it was made for first.
    pub evidence: Vec<Evidence>,
}

fn view(app: &App, model: &Model) -> ModelView {
    let card = model.card();
    ModelView {
        title: card.title(),
        file_bytes: model.file_bytes(),
        pixels_per_second: app.studio.rates().models.get(&card.id).copied(),
        retired: model.is_retired(),
        draws_screen: card.draws_screen(),
        perceived_nearer: card.perceived_nearer(),
        evidence: card.evidence(),
        card: card.clone(),
    }
}

/// All models, retired ones as well, with their cards and their measured speed on this machine.
#[utoipa::path(get, path = "/models", tag = "models", responses((status = OK, body = Vec<ModelView>)))]
pub async fn models(State(app): State<App>) -> Json<Vec<ModelView>> {
    // Another process may have added one: the command line, a worker.
    app.studio.refresh_shelf();
    Json(app.studio.renderer().shelf().models().iter().map(|model| view(&app, model)).collect())
}

/// A model to be put on the shelf.
#[derive(ToSchema)]
#[allow(dead_code, reason = "describes the form for the API document")]
pub struct ModelForm {
    /// What it is to be called; the file's name when not given. Comes before the file.
    name: Option<String>,
    /// The ONNX file.
    #[schema(value_type = String, format = Binary)]
    file: Vec<u8>,
}

/// Tries a person's own model in a process of its own and puts it on the shelf.
#[utoipa::path(post, path = "/models", tag = "models",
    request_body(content = ModelForm, content_type = "multipart/form-data"),
    responses((status = CREATED, body = ModelView), (status = 409, body = ProblemDetails), (status = 422, body = ProblemDetails)))]
pub async fn add_model(State(app): State<App>, mut form: Form) -> Result<(StatusCode, Json<ModelView>), Problem> {
    let mut name = None;
    while let Some(part) = form.next().await? {
        if part.name() == Some("name") {
            name = Some(form::text(part).await?).filter(|n| !n.trim().is_empty());
            continue;
        }
        let Some(file_name) = part.file_name().map(naming::plain) else {
            form::skip(part).await?;
            continue;
        };
        let (file, _) = receive(&app, part).await?;
        let name = name.unwrap_or_else(|| file_name.trim_end_matches(".onnx").to_owned());
        let own = app.studio.own_models().clone();
        let program = app.trial_program.clone();
        let _turn = app.trying.acquire().await.map_err(Problem::internal)?;
        let card = blocking(move || -> Result<Card, Problem> {
            let trial = try_file(&program, file.path())?;
            Ok(own.add(file.path(), &name, &file_name, trial, &Utc::now().format("%Y-%m-%d").to_string())?)
        })
        .await??;
        app.studio.refresh_shelf();
        if let Some(trial) = &card.trial {
            let rate = (card.id.clone(), trial.pixels_per_second);
            app.studio.update_rates(|rates| rates.models.extend([rate]));
        }
        let shelf = app.studio.renderer().shelf();
        return Ok((StatusCode::CREATED, Json(view(&app, shelf.get(&card.id)?))));
    }
    Err(Problem::bad_request("request.form", "the form holds no file: send the ONNX file as \"file\""))
}

/// Takes a model off the list of those offered; treatments that name it still run.
#[utoipa::path(post, path = "/models/{id}/retire", tag = "models", params(("id" = String, Path)),
    responses((status = NO_CONTENT), (status = 409, body = ProblemDetails), (status = 422, body = ProblemDetails)))]
pub async fn retire_model(State(app): State<App>, Address(id): Address<String>) -> Result<StatusCode, Problem> {
    app.studio.refresh_shelf();
    app.studio.renderer().shelf().check_retire(&id)?;
    app.studio.own_models().set_retired(&id, true)?;
    app.studio.refresh_shelf();
    Ok(StatusCode::NO_CONTENT)
}

/// Offers a model again.
#[utoipa::path(post, path = "/models/{id}/restore", tag = "models", params(("id" = String, Path)),
    responses((status = NO_CONTENT), (status = 422, body = ProblemDetails)))]
pub async fn restore_model(State(app): State<App>, Address(id): Address<String>) -> Result<StatusCode, Problem> {
    app.studio.renderer().shelf().get(&id)?;
    app.studio.own_models().set_retired(&id, false)?;
    app.studio.refresh_shelf();
    Ok(StatusCode::NO_CONTENT)
}

/// Which half of an example.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Deserialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub enum Side {
    /// Enlarged by bicubic, or as it was.
    Before,
    /// Through the model.
    After,
}

/// What a model does to a small picture of its subject, PNG: computed here, once.
#[utoipa::path(get, path = "/models/{id}/example/{side}", tag = "models",
    params(("id" = String, Path), ("side" = Side, Path)),
    responses((status = OK, content_type = "image/png"), (status = 422, body = ProblemDetails)))]
pub async fn example(
    State(app): State<App>,
    Address((id, side)): Address<(String, Side)>,
) -> Result<Response, Problem> {
    let shelf = app.studio.renderer().shelf();
    let model = shelf.get(&id)?.clone();
    let picture = example_picture(&app, model.card());
    let hash = ContentHash::of_file(&picture).map_err(Problem::internal)?;
    let file = model.card().sha256;
    let name = |side| FileStore::example_key(file, hash, if side == Side::Before { "before" } else { "after" });
    let wanted = name(side);
    if !app.files.has(&wanted).await? {
        let limits = *app.studio.limits();
        let made = app
            .studio
            .view(Lane::Aside, move |_, _| -> Result<_, Problem> {
                let decoded = codec::read(&picture, hash, &limits)?;
                let network = model.network()?;
                let example = Example::of(model.card(), &*network, &decoded.original, &decoded.facts)?;
                drop(network);
                shelf.close_unused();
                Ok([(Side::Before, png_bytes(&example.before)), (Side::After, png_bytes(&example.after))])
            })
            .await??;
        for (side, bytes) in made {
            app.files.put(&name(side), bytes).await?;
        }
    }
    let bytes = app.files.get(&wanted).await?;
    Ok(([(header::CONTENT_TYPE, "image/png"), (header::CACHE_CONTROL, "private, max-age=3600")], bytes).into_response())
}

/// The small picture for a model's subject, or the everyday one.
fn example_picture(app: &App, card: &Card) -> PathBuf {
    let named = |name: &str| app.examples.join(name).with_extension("png");
    [card.id.as_str(), card.subject.as_str()]
        .into_iter()
        .map(named)
        .find(|path| path.is_file())
        .unwrap_or_else(|| named(EVERYDAY))
}

impl From<Refusal> for Problem {
    fn from(refusal: Refusal) -> Self {
        Self::refused("model.refused", refusal).field("file")
    }
}

impl From<OwnError> for Problem {
    fn from(error: OwnError) -> Self {
        match error {
            OwnError::Name => Self::refused("model.name", error).field("name"),
            OwnError::Known { .. } => Self::new(Kind::Conflict, "model.known", error).field("file"),
            OwnError::NameTaken { .. } => Self::new(Kind::Conflict, "model.name-taken", error).field("name"),
            OwnError::Model(error) => error.into(),
            OwnError::Io(_) => Self::new(Kind::Full, "store.full", error),
        }
    }
}
