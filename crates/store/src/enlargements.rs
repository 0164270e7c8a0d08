//! Finished results, kept beside their originals with a record, and what the person who looked them through said.

use chrono::{DateTime, Utc};
use dettaglio_domain::file::OutputSettings;
use dettaglio_domain::frame::Frame;
use dettaglio_domain::geometry::Size;
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::id::{JobId, OrderId, OriginalId, ResultId};
use dettaglio_domain::trace::DrawingFile;
use serde::{Deserialize, Serialize};

use crate::files::FileStore;
use crate::{Store, StoreError, from_text, missing};

/// What was done, kept with an enlargement.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Record {
    /// Name of the original's file.
    pub original: String,
    /// Its SHA-256.
    #[cfg_attr(feature = "schema", schema(value_type = String))]
    pub original_sha256: ContentHash,
    /// Its size in pixels.
    pub original_size: Size,
    /// Size of the result in pixels.
    pub size: Size,
    /// How the original was turned and cropped.
    #[serde(default)]
    pub frame: Frame,
    /// What was done, in words.
    pub treatment: String,
    /// Hash of the treatment, which can be looked up.
    #[cfg_attr(feature = "schema", schema(value_type = String))]
    pub treatment_hash: ContentHash,
    /// Format, depth, quality and resolution.
    pub settings: OutputSettings,
    /// Name of the colour profile that was carried over.
    pub profile: Option<String>,
    /// Seconds that it took.
    pub seconds: f64,
    /// Seconds that it was forecast to take, by what was known when it began.
    #[serde(default)]
    pub forecast: Option<f64>,
    /// What computed its models: "cpu" for the runtime's own code; nothing where none was kept.
    #[serde(default)]
    pub device: Option<String>,
    /// Version of the program.
    pub version: String,
    /// The shapes that it was drawn from, where it was traced: kept beside it as an SVG and a PDF file.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub drawing: Option<TracedFiles>,
}

impl Record {
    /// The keys of all files of the result under `result_key`: its own and, where it was traced, those of its drawing.
    pub fn keys(&self, result_key: &str) -> Vec<String> {
        let drawings = self.drawings().map(|file| FileStore::drawing_key(result_key, file));
        std::iter::once(result_key.to_owned()).chain(drawings).collect()
    }

    /// The files of its drawing; none where it was not traced.
    pub fn drawings(&self) -> impl Iterator<Item = DrawingFile> + use<> {
        self.drawing.into_iter().flat_map(|_| DrawingFile::ALL)
    }
}

/// What is known of a drawing that is kept beside a result.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct TracedFiles {
    /// Outlines of shapes and holes.
    pub outlines: u64,
    /// Places at which lines and curves meet.
    pub nodes: u64,
    /// Bytes of the SVG file.
    pub svg_bytes: u64,
    /// Bytes of the PDF file.
    pub pdf_bytes: u64,
}

/// What was said of a result.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, sqlx::Type)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
#[sqlx(rename_all = "snake_case")]
pub enum Approval {
    /// It may go out.
    Accepted,
    /// It is to be made again; the note says why.
    SentBack,
}

/// A finished result, kept beside its original.
#[derive(Clone, Debug)]
pub struct Enlargement {
    /// Its number.
    pub id: ResultId,
    /// Of which original.
    pub original_id: OriginalId,
    /// The job that made it.
    pub job_id: JobId,
    /// Name of the file, for the person.
    pub file_name: String,
    /// Where it is in the file store.
    pub file_key: String,
    /// Bytes of the file.
    pub bytes: u64,
    /// What was done.
    pub record: Record,
    /// What was said of it, once it was looked at.
    pub verdict: Option<Approval>,
    /// Why it was sent back.
    pub note: String,
    /// When it was finished.
    pub created_at: DateTime<Utc>,
}

struct RawEnlargement {
    id: u64,
    original_id: u64,
    job_id: u64,
    file_name: String,
    file_key: String,
    bytes: u64,
    record: String,
    verdict: Option<Approval>,
    note: String,
    created_at: DateTime<Utc>,
}

impl TryFrom<RawEnlargement> for Enlargement {
    type Error = StoreError;

    fn try_from(raw: RawEnlargement) -> Result<Self, StoreError> {
        Ok(Self {
            id: raw.id.into(),
            original_id: raw.original_id.into(),
            job_id: raw.job_id.into(),
            file_name: raw.file_name,
            file_key: raw.file_key,
            bytes: raw.bytes,
            record: from_text("record", &raw.record)?,
            verdict: raw.verdict,
            note: raw.note,
            created_at: raw.created_at,
        })
    }
}

macro_rules! select_enlargements {
    ($tail:tt $(, $argument:expr)*) => {
        sqlx::query_as!(
            RawEnlargement,
            r#"SELECT e.id, e.original_id, e.job_id, j.file_name, e.file_key, e.bytes, e.record,
                   e.verdict AS "verdict: Approval", e.note, e.created_at AS "created_at: DateTime<Utc>"
               FROM enlargements e JOIN jobs j ON j.id = e.job_id JOIN originals o ON o.id = e.original_id "# + $tail
            $(, $argument)*
        )
    };
}

impl Store {
    /// The results for an order's originals that were not thrown away, the newest first.
    pub async fn enlargements(&self, order: OrderId) -> Result<Vec<Enlargement>, StoreError> {
        select_enlargements!("WHERE o.order_id = ? AND e.removed_at IS NULL ORDER BY e.id DESC", order)
            .fetch_all(&self.pool)
            .await?
            .into_iter()
            .map(Enlargement::try_from)
            .collect()
    }

    /// One result, thrown away or not.
    pub async fn enlargement(&self, id: ResultId) -> Result<Enlargement, StoreError> {
        let row = select_enlargements!("WHERE e.id = ?", id).fetch_optional(&self.pool).await?;
        row.ok_or_else(|| missing("enlargement", id))?.try_into()
    }

    /// Keeps what was said of a result; nothing takes it back.
    pub async fn set_verdict(&self, id: ResultId, verdict: Option<Approval>, note: &str) -> Result<(), StoreError> {
        self.enlargement(id).await?;
        sqlx::query!("UPDATE enlargements SET verdict = ?, note = ? WHERE id = ?", verdict, note, id)
            .execute(&self.pool)
            .await?;
        Ok(())
    }

    /// Throws a result away, or takes it out of the bin again; its file stays.
    pub async fn set_enlargement_removed(&self, id: ResultId, removed: bool) -> Result<(), StoreError> {
        self.enlargement(id).await?;
        sqlx::query!(
            "UPDATE enlargements SET removed_at = IF(?, CURRENT_TIMESTAMP(3), NULL) WHERE id = ?",
            removed,
            id
        )
        .execute(&self.pool)
        .await?;
        Ok(())
    }
}
