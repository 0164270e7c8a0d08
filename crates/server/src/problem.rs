//! Errors as the API tells them: RFC 9457 problem details, in one place.

use axum::Json;
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use dettaglio_core::codec::CodecError;
use dettaglio_core::model::ModelError;
use dettaglio_core::rehearsal::RehearsalError;
use dettaglio_core::render::RenderError;
use dettaglio_domain::intent::IntentError;
use dettaglio_domain::limits::LimitError;
use dettaglio_domain::model::CatalogueError;
use dettaglio_domain::naming::UnknownWord;
use dettaglio_domain::recipe::RecipeError;
use dettaglio_domain::size::SizeError;
use dettaglio_domain::treatment::TreatmentError;
use dettaglio_store::StoreError;
use serde::Serialize;
use utoipa::ToSchema;

/// After how many seconds pictures that are being worked on may have left memory for another.
const MEMORY_SECONDS: u64 = 60;

/// What went wrong, with a code that stays the same and what to do about it.
#[derive(Clone, Debug, PartialEq, Serialize, ToSchema)]
pub struct Problem {
    /// HTTP status.
    pub status: u16,
    /// A stable code, such as "size.out-of-range".
    pub code: &'static str,
    /// What is wrong, in a sentence for people that also says what would be right.
    pub detail: String,
    /// Which part of the request is meant.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub field: Option<&'static str>,
    /// After how many seconds another try is worth it, where that is known.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub retry_after: Option<u64>,
}

impl Problem {
    /// A problem with a status, a code and a sentence.
    pub fn new(status: StatusCode, code: &'static str, detail: impl ToString) -> Self {
        Self { status: status.as_u16(), code, detail: detail.to_string(), field: None, retry_after: None }
    }

    /// A request that makes no sense as it is.
    pub fn bad_request(code: &'static str, detail: impl ToString) -> Self {
        Self::new(StatusCode::BAD_REQUEST, code, detail)
    }

    /// A request that is understood but cannot be met.
    pub fn refused(code: &'static str, detail: impl ToString) -> Self {
        Self::new(StatusCode::UNPROCESSABLE_ENTITY, code, detail)
    }

    /// The disk took no more.
    pub fn full(error: impl std::fmt::Display) -> Self {
        let detail = format!("the file could not be kept: {error}. Free some space on the disk of the data folder");
        Self::new(StatusCode::INSUFFICIENT_STORAGE, "store.full", detail)
    }

    /// Something failed here that the person cannot mend; the log says more.
    pub fn internal(detail: impl ToString) -> Self {
        Self::new(StatusCode::INTERNAL_SERVER_ERROR, "internal", detail)
    }

    /// Whether it may pass by itself: room on the disk or in memory, a store or a database that is away.
    pub fn is_passing(&self) -> bool {
        matches!(self.code, "store.failed" | "store.full" | "memory.busy" | "limit.disk-space")
    }

    /// With the part of the request that is meant.
    pub fn field(self, field: &'static str) -> Self {
        Self { field: Some(field), ..self }
    }

    /// With the seconds after which another try is worth it.
    pub fn retry_after(self, seconds: u64) -> Self {
        Self { retry_after: Some(seconds), ..self }
    }
}

impl IntoResponse for Problem {
    fn into_response(self) -> Response {
        let status = StatusCode::from_u16(self.status).unwrap_or(StatusCode::INTERNAL_SERVER_ERROR);
        if status.is_server_error() {
            tracing::error!(code = self.code, detail = %self.detail, "a request failed");
        }
        let retry_after = self.retry_after;
        let mut response = (status, [(header::CONTENT_TYPE, "application/problem+json")], Json(self)).into_response();
        if let Some(seconds) = retry_after {
            response.headers_mut().insert(header::RETRY_AFTER, seconds.into());
        }
        response
    }
}

impl From<SizeError> for Problem {
    fn from(error: SizeError) -> Self {
        let code = match error {
            SizeError::NotPositive { .. } => "size.not-positive",
            SizeError::FactorOutOfRange { .. } => "size.out-of-range",
            SizeError::NotAPaper { .. } => "size.not-a-paper",
        };
        Self::refused(code, error).field("target")
    }
}

impl From<LimitError> for Problem {
    fn from(error: LimitError) -> Self {
        let (code, field) = match error {
            LimitError::FileBytes { .. } => ("limit.file-bytes", "files"),
            LimitError::InputPixels { .. } => ("limit.input-pixels", "files"),
            LimitError::FormatSide { .. } => ("limit.format-side", "output"),
            LimitError::OutputPixels { .. } => ("limit.output-pixels", "target"),
            LimitError::DiskSpace { .. } => ("limit.disk-space", "output"),
            LimitError::FormatDepth { .. } => ("limit.format-depth", "output"),
        };
        Self::refused(code, error).field(field)
    }
}

impl From<CodecError> for Problem {
    fn from(error: CodecError) -> Self {
        let code = match error {
            CodecError::Limit(limit) => return limit.into(),
            CodecError::NotAPicture => "file.not-a-picture",
            CodecError::Truncated => "file.incomplete",
            CodecError::Damaged(_) => "file.damaged",
            CodecError::Harmful(_) => "file.harmful",
            CodecError::Unsupported(_) => "file.unsupported",
            CodecError::UnknownEnding { .. } => "file.unknown-ending",
            CodecError::NoRoom => {
                return Self::new(StatusCode::SERVICE_UNAVAILABLE, "memory.busy", error).retry_after(MEMORY_SECONDS);
            }
            CodecError::Io(e) if e.kind() == std::io::ErrorKind::StorageFull => return Self::full(e),
            CodecError::Io(_) | CodecError::Encode(_) => return Self::internal(error),
        };
        Self::refused(code, error)
    }
}

impl From<CatalogueError> for Problem {
    fn from(error: CatalogueError) -> Self {
        match error {
            CatalogueError::Unknown { .. } => Self::refused("model.unknown", error).field("enlarge"),
            CatalogueError::LastEveryday { .. } => Self::new(StatusCode::CONFLICT, "model.last", error),
            CatalogueError::OtherVersion { .. } => Self::new(StatusCode::CONFLICT, "model.other-version", error),
        }
    }
}

impl From<ModelError> for Problem {
    fn from(error: ModelError) -> Self {
        match error {
            ModelError::Catalogue(error) => error.into(),
            other => Self::new(StatusCode::SERVICE_UNAVAILABLE, "model.failed", other),
        }
    }
}

impl From<RenderError> for Problem {
    fn from(error: RenderError) -> Self {
        match error {
            RenderError::Cancelled(_) => Self::new(StatusCode::SERVICE_UNAVAILABLE, "cancelled", error),
            RenderError::Model(error) => error.into(),
            RenderError::Frame(error) => TreatmentError::from(error).into(),
            RenderError::Codec(error) => error.into(),
        }
    }
}

impl From<TreatmentError> for Problem {
    fn from(error: TreatmentError) -> Self {
        let (code, field) = match error {
            TreatmentError::Frame(_) => ("frame.unusable", "frame"),
            TreatmentError::Mask(_) => ("area.unusable", "areas"),
            TreatmentError::TooManyAreas(_) => ("area.too-many", "areas"),
            TreatmentError::TooManyFaces(_) => ("face.too-many", "faces"),
            TreatmentError::NoFace(_) => ("face.unusable", "faces"),
            TreatmentError::Setting { .. } => ("setting.out-of-range", "recipe"),
            TreatmentError::Stretched { .. } => ("size.stretched", "target"),
            TreatmentError::MarginTooWide { .. } => ("margin.too-wide", "surround"),
        };
        Self::refused(code, error).field(field)
    }
}

impl From<RecipeError> for Problem {
    fn from(error: RecipeError) -> Self {
        match error {
            RecipeError::Size(error) => error.into(),
            RecipeError::Treatment(error) => error.into(),
            RecipeError::Model(error) => error.into(),
            RecipeError::UnknownSubject { .. } => Self::refused("model.unknown-subject", error).field("enlarge"),
        }
    }
}

impl From<RehearsalError> for Problem {
    fn from(error: RehearsalError) -> Self {
        match error {
            RehearsalError::Recipe(error) => error.into(),
            RehearsalError::Render(error) => error.into(),
            RehearsalError::Codec(error) => error.into(),
            RehearsalError::TooSmall(_) => Self::refused("rehearsal.too-small", error),
        }
    }
}

impl From<UnknownWord> for Problem {
    fn from(error: UnknownWord) -> Self {
        Self::refused("name.unknown-word", error).field("pattern")
    }
}

impl From<StoreError> for Problem {
    fn from(error: StoreError) -> Self {
        match error {
            error if error.is_missing() => Self::new(StatusCode::NOT_FOUND, "not-found", error),
            StoreError::Text { .. } => Self::internal(error),
            // What the database says of a value is about its own columns: it belongs into the log.
            error if error.is_unfit_value() => {
                tracing::info!(%error, "a value was refused by the database");
                Self::refused(
                    "request.value",
                    "a value is too long, out of its range, or names something that is not there",
                )
            }
            error if error.is_conflict() => {
                tracing::info!(%error, "two changes met");
                Self::new(StatusCode::CONFLICT, "store.busy", "another change came in between: try again")
                    .retry_after(1)
            }
            other => Self::new(StatusCode::SERVICE_UNAVAILABLE, "store.failed", other),
        }
    }
}

impl From<IntentError> for Problem {
    fn from(error: IntentError) -> Self {
        let detail = format!("{error}. To begin again from what is suggested, forget what was asked for");
        Self::new(StatusCode::CONFLICT, "intent.unreadable", detail)
    }
}
