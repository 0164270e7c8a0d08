//! What can go wrong, with a code that stays the same and a sentence for people. No word of HTTP: which status an answer has is said in
//! `http/answer.rs`.

use std::error::Error;
use std::fmt;
use std::sync::Arc;

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

/// Of what kind a problem is: whose it is, and whether it passes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Kind {
    /// The request makes no sense as it is.
    Malformed,
    /// The request is understood and cannot be met.
    Refused,
    /// The message is larger than is read.
    TooLarge,
    /// Nobody is signed in, or not as this.
    SignIn,
    /// Whoever asks may not.
    Forbidden,
    /// There is no such thing.
    Missing,
    /// The thing is there, and cannot be asked to do that.
    NoSuchMethod,
    /// It goes against what is, or what another has done meanwhile.
    Conflict,
    /// It was asked for on the ground of what is no longer so.
    Outdated,
    /// Asked too often.
    TooOften,
    /// A device or service outside does not answer.
    Outside,
    /// Not now: it passes by itself.
    Unavailable,
    /// The disk is full.
    Full,
    /// A fault of the program; the log says more.
    Internal,
}

/// What went wrong, with a code that stays the same and what to do about it.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct Problem {
    /// Of what kind it is.
    #[serde(skip)]
    pub kind: Kind,
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
    /// The error that it came from.
    #[serde(skip)]
    source: Option<Arc<dyn Error + Send + Sync>>,
}

impl fmt::Display for Problem {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.detail)
    }
}

impl Error for Problem {
    fn source(&self) -> Option<&(dyn Error + 'static)> {
        self.source.as_deref().map(|source| source as _)
    }
}

impl Problem {
    /// A problem of a kind, with a code and a sentence.
    pub fn new(kind: Kind, code: &'static str, detail: impl ToString) -> Self {
        Self { kind, code, detail: detail.to_string(), field: None, retry_after: None, source: None }
    }

    /// A request that makes no sense as it is.
    pub fn bad_request(code: &'static str, detail: impl ToString) -> Self {
        Self::new(Kind::Malformed, code, detail)
    }

    /// A request that is understood but cannot be met.
    pub fn refused(code: &'static str, detail: impl ToString) -> Self {
        Self::new(Kind::Refused, code, detail)
    }

    /// What was asked for is not there.
    pub fn missing(code: &'static str, detail: impl ToString) -> Self {
        Self::new(Kind::Missing, code, detail)
    }

    /// The disk took no more.
    pub fn full(error: impl fmt::Display) -> Self {
        let detail = format!("the file could not be kept: {error}. Free some space on the disk of the data folder");
        Self::new(Kind::Full, "store.full", detail)
    }

    /// Something failed here that the person cannot mend; the log says more.
    pub fn internal(detail: impl ToString) -> Self {
        Self::new(Kind::Internal, "internal", detail)
    }

    /// Whether it may pass by itself: room on the disk or in memory, a store or a database that is away.
    pub fn is_transient(&self) -> bool {
        matches!(self.code, "store.failed" | "store.full" | "memory.busy" | "limit.disk-space")
    }

    /// With the error that it came from, for the log.
    pub fn from_error(self, source: impl Error + Send + Sync + 'static) -> Self {
        Self { source: Some(Arc::new(source)), ..self }
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
            LimitError::FormatPixels { .. } => ("limit.format-pixels", "output"),
            LimitError::FormatOrigin { .. } => ("limit.format-origin", "output"),
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
                return Self::new(Kind::Unavailable, "memory.busy", error).retry_after(MEMORY_SECONDS);
            }
            CodecError::Io(e) if e.kind() == std::io::ErrorKind::StorageFull => return Self::full(e),
            CodecError::Io(_) | CodecError::Encode(_) => return Self::internal(&error).from_error(error),
        };
        Self::refused(code, error)
    }
}

impl From<CatalogueError> for Problem {
    fn from(error: CatalogueError) -> Self {
        match error {
            CatalogueError::Unknown { .. } => Self::refused("model.unknown", error).field("enlarge"),
            CatalogueError::LastEveryday { .. } => Self::new(Kind::Conflict, "model.last", error),
            CatalogueError::OtherVersion { .. } => Self::new(Kind::Conflict, "model.other-version", error),
        }
    }
}

impl From<ModelError> for Problem {
    fn from(error: ModelError) -> Self {
        match error {
            ModelError::Catalogue(error) => error.into(),
            other => Self::new(Kind::Unavailable, "model.failed", &other).from_error(other),
        }
    }
}

impl From<RenderError> for Problem {
    fn from(error: RenderError) -> Self {
        match error {
            RenderError::Cancelled(_) => Self::new(Kind::Unavailable, "cancelled", error),
            RenderError::Model(error) => error.into(),
            RenderError::Frame(error) => TreatmentError::from(error).into(),
            RenderError::Trace(error) => Self::refused("trace.not-drawn", error).field("enlarge"),
            RenderError::Codec(error) => error.into(),
        }
    }
}

impl From<TreatmentError> for Problem {
    fn from(error: TreatmentError) -> Self {
        let (code, field) = match error {
            TreatmentError::Frame(_) => ("frame.unusable", "frame"),
            TreatmentError::Tracing(_) => ("trace.settings", "enlarge"),
            TreatmentError::Mask(_) => ("area.unusable", "areas"),
            TreatmentError::TooManyAreas(_) => ("area.too-many", "areas"),
            TreatmentError::TooManyFaces(_) => ("face.too-many", "faces"),
            TreatmentError::NoFace(_) => ("face.unusable", "faces"),
            TreatmentError::Setting { .. } | TreatmentError::Waves => ("setting.out-of-range", "recipe"),
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
            error if error.is_missing() => Self::missing("not-found", error),
            StoreError::Text { .. } => Self::internal(&error).from_error(error),
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
                Self::new(Kind::Conflict, "store.busy", "another change came in between: try again").retry_after(1)
            }
            other => Self::new(Kind::Unavailable, "store.failed", &other).from_error(other),
        }
    }
}

impl From<IntentError> for Problem {
    fn from(error: IntentError) -> Self {
        let detail = format!("{error}. To begin again from what is suggested, forget what was asked for");
        Self::new(Kind::Conflict, "intent.unreadable", detail)
    }
}
