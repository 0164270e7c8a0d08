//! Orders and their originals.

use chrono::{DateTime, NaiveDate, Utc};
use dettaglio_domain::face::Face;
use dettaglio_domain::file::Facts;
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::id::{HouseId, OrderId, OriginalId};
use dettaglio_domain::intent::{Intent, IntentError};
use dettaglio_domain::reading::Reading;
use dettaglio_domain::recipe::Ticket;
use dettaglio_domain::size::Target;
use dettaglio_domain::suggest::KeptTrial;
use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize};

use crate::{Store, StoreError, from_text, missing, to_text};

/// What a person says of an order.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct OrderDetails {
    /// What it is called.
    pub title: String,
    /// For whom; may be empty.
    #[serde(default)]
    pub client: String,
    /// What for; may be empty.
    #[serde(default)]
    pub purpose: String,
    /// When it is due.
    #[serde(default)]
    pub due_on: Option<NaiveDate>,
    /// Whatever is to be kept in mind.
    #[serde(default)]
    pub notes: String,
    /// What its pictures are to become, unless they say otherwise.
    #[serde(default)]
    pub print: Option<Ticket>,
    /// How they are treated, unless they say otherwise; as suggested without one.
    #[serde(default)]
    pub house_treatment_id: Option<HouseId>,
    /// Prints whose own pixels give less ppi are pointed out before a run.
    #[serde(default)]
    pub least_ppi: Option<f64>,
}

/// A group of originals for one purpose.
#[derive(Clone, Debug)]
pub struct Order {
    /// Its number.
    pub id: OrderId,
    /// What was said of it.
    pub details: OrderDetails,
    /// What the shop that sent it calls it.
    pub reference: Option<String>,
    /// When it was opened.
    pub created_at: DateTime<Utc>,
    /// When it was put into the archive.
    pub archived_at: Option<DateTime<Utc>>,
    /// How far it is.
    pub counts: Counts,
    /// The first few originals, for a look at what it holds.
    pub first: Vec<OriginalId>,
}

/// How far an order is.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Counts {
    /// Pictures.
    pub originals: u64,
    /// Jobs that wait or are paused.
    pub waiting: u64,
    /// Jobs that run.
    pub running: u64,
    /// Jobs that failed.
    pub failed: u64,
    /// Results that are there.
    pub results: u64,
    /// Results that nobody has looked through.
    pub unseen: u64,
    /// Results that were sent back.
    pub sent_back: u64,
}

/// An imported picture; its file never changes.
#[derive(Clone, Debug)]
pub struct OriginalRow {
    /// Its number.
    pub id: OriginalId,
    /// The order it belongs to.
    pub order_id: OrderId,
    /// The name of the file that was imported.
    pub name: String,
    /// The hash of the file.
    pub hash: ContentHash,
    /// What is known of the file.
    pub facts: Facts,
    /// What was measured on it.
    pub reading: Option<Reading>,
    /// What was tried on it.
    pub trials: Vec<KeptTrial>,
    /// The faces that were found; nothing until someone has looked.
    pub faces: Option<Vec<Face>>,
    /// The print that it came in with.
    pub target: Option<Target>,
    /// All that was last asked for; an error where what is kept cannot be read.
    pub intent: Result<Option<Intent>, IntentError>,
    /// When it was imported.
    pub created_at: DateTime<Utc>,
}

struct RawOriginal {
    id: u64,
    order_id: u64,
    name: String,
    hash: String,
    facts: String,
    reading: Option<String>,
    trials: Option<String>,
    faces: Option<String>,
    target: Option<String>,
    wish: Option<String>,
    created_at: DateTime<Utc>,
}

impl TryFrom<RawOriginal> for OriginalRow {
    type Error = StoreError;

    fn try_from(raw: RawOriginal) -> Result<Self, StoreError> {
        Ok(Self {
            id: raw.id.into(),
            order_id: raw.order_id.into(),
            name: raw.name,
            hash: raw.hash.parse().map_err(|_| missing("original with a readable hash", raw.id))?,
            facts: from_text("description of a file", &raw.facts)?,
            // One of an earlier version is measured again.
            reading: raw.reading.and_then(|text| serde_json::from_str(&text).ok()),
            trials: raw.trials.and_then(|text| serde_json::from_str(&text).ok()).unwrap_or_default(),
            faces: raw.faces.and_then(|text| serde_json::from_str(&text).ok()),
            intent: raw.wish.map(|text| Intent::from_kept(&text)).transpose(),
            target: raw.target.map(|text| from_text("target", &text)).transpose()?,
            created_at: raw.created_at,
        })
    }
}

struct RawOrder {
    id: u64,
    title: String,
    client: String,
    purpose: String,
    due_on: Option<NaiveDate>,
    notes: String,
    print: Option<String>,
    house_treatment_id: Option<u64>,
    least_ppi: Option<f64>,
    reference: Option<String>,
    created_at: DateTime<Utc>,
    archived_at: Option<DateTime<Utc>>,
    originals: i64,
    waiting: i64,
    running: i64,
    failed: i64,
    results: i64,
    unseen: i64,
    sent_back: i64,
    first: Option<String>,
}

impl TryFrom<RawOrder> for Order {
    type Error = StoreError;

    fn try_from(raw: RawOrder) -> Result<Self, StoreError> {
        let count = |n: i64| n.max(0) as u64;
        Ok(Self {
            id: raw.id.into(),
            details: OrderDetails {
                title: raw.title,
                client: raw.client,
                purpose: raw.purpose,
                due_on: raw.due_on,
                notes: raw.notes,
                print: raw.print.map(|text| from_text("print", &text)).transpose()?,
                house_treatment_id: raw.house_treatment_id.map(HouseId::from),
                least_ppi: raw.least_ppi,
            },
            reference: raw.reference,
            created_at: raw.created_at,
            archived_at: raw.archived_at,
            counts: Counts {
                originals: count(raw.originals),
                waiting: count(raw.waiting),
                running: count(raw.running),
                failed: count(raw.failed),
                results: count(raw.results),
                unseen: count(raw.unseen),
                sent_back: count(raw.sent_back),
            },
            first: raw
                .first
                .iter()
                .flat_map(|ids| ids.split(','))
                .filter_map(|id| id.parse::<u64>().ok().map(OriginalId::from))
                .take(8)
                .collect(),
        })
    }
}

/// All columns of an order with its counts, with what follows FROM.
macro_rules! select_orders {
    ($tail:tt $(, $argument:expr)*) => {
        sqlx::query_as!(
            RawOrder,
            r#"SELECT o.id, o.title, o.client, o.purpose, o.due_on AS "due_on: NaiveDate", o.notes, o.print, o.house_treatment_id, o.least_ppi,
                   o.reference, o.created_at AS "created_at: DateTime<Utc>", o.archived_at AS "archived_at: DateTime<Utc>",
                   (SELECT COUNT(*) FROM originals p WHERE p.order_id = o.id AND p.removed_at IS NULL) AS "originals!: i64",
                   (SELECT COUNT(*) FROM jobs j JOIN originals p ON p.id = j.original_id
                    WHERE p.order_id = o.id AND j.state IN ('waiting', 'paused')) AS "waiting!: i64",
                   (SELECT COUNT(*) FROM jobs j JOIN originals p ON p.id = j.original_id
                    WHERE p.order_id = o.id AND j.state = 'running') AS "running!: i64",
                   (SELECT COUNT(*) FROM jobs j JOIN originals p ON p.id = j.original_id
                    WHERE p.order_id = o.id AND j.state = 'failed') AS "failed!: i64",
                   (SELECT COUNT(*) FROM enlargements e JOIN originals p ON p.id = e.original_id
                    WHERE p.order_id = o.id AND e.removed_at IS NULL) AS "results!: i64",
                   (SELECT COUNT(*) FROM enlargements e JOIN originals p ON p.id = e.original_id
                    WHERE p.order_id = o.id AND e.removed_at IS NULL AND e.verdict IS NULL) AS "unseen!: i64",
                   (SELECT COUNT(*) FROM enlargements e JOIN originals p ON p.id = e.original_id
                    WHERE p.order_id = o.id AND e.removed_at IS NULL AND e.verdict = 'sent_back') AS "sent_back!: i64",
                   (SELECT GROUP_CONCAT(p.id ORDER BY p.id) FROM originals p
                    WHERE p.order_id = o.id AND p.removed_at IS NULL) AS first
               FROM orders o "# + $tail
            $(, $argument)*
        )
    };
}

impl Store {
    /// Opens an order with nothing but a title, a client and a due date.
    pub async fn add_order(&self, title: &str, client: &str, due_on: Option<NaiveDate>) -> Result<Order, StoreError> {
        let details = OrderDetails { title: title.to_owned(), client: client.to_owned(), due_on, ..Default::default() };
        self.open_order(&details, None).await
    }

    /// Opens an order. One that a shop sent under a reference is opened once: the second time it is only looked up.
    pub async fn open_order(&self, details: &OrderDetails, reference: Option<&str>) -> Result<Order, StoreError> {
        let added = sqlx::query!(
            "INSERT INTO orders (title, client, purpose, due_on, notes, print, house_treatment_id, least_ppi, reference)
             VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?) ON DUPLICATE KEY UPDATE id = LAST_INSERT_ID(id)",
            details.title,
            details.client,
            details.purpose,
            details.due_on,
            details.notes,
            details.print.as_ref().map(to_text),
            details.house_treatment_id,
            details.least_ppi,
            reference
        )
        .execute(&self.pool)
        .await?;
        self.order(added.last_insert_id().into()).await
    }

    /// Whether a shop's order was opened already, deleted for good or not.
    pub async fn knows_reference(&self, reference: &str) -> Result<bool, StoreError> {
        let known = sqlx::query_scalar!(
            r#"SELECT EXISTS (SELECT 1 FROM orders WHERE reference = ?)
                   OR EXISTS (SELECT 1 FROM deleted_orders WHERE reference = ?) AS "known!: bool""#,
            reference,
            reference
        );
        Ok(known.fetch_one(&self.pool).await?)
    }

    /// Whether there ever was an order, listed, removed or deleted for good.
    pub async fn ever_had_orders(&self) -> Result<bool, StoreError> {
        let had = sqlx::query_scalar!(
            r#"SELECT EXISTS (SELECT 1 FROM orders) OR EXISTS (SELECT 1 FROM deleted_orders) AS "had!: bool""#
        );
        Ok(had.fetch_one(&self.pool).await?)
    }

    /// Says something else of an order.
    pub async fn set_order(&self, id: OrderId, details: &OrderDetails) -> Result<(), StoreError> {
        self.order(id).await?;
        sqlx::query!(
            "UPDATE orders SET title = ?, client = ?, purpose = ?, due_on = ?, notes = ?, print = ?, house_treatment_id = ?,
                 least_ppi = ? WHERE id = ?",
            details.title,
            details.client,
            details.purpose,
            details.due_on,
            details.notes,
            details.print.as_ref().map(to_text),
            details.house_treatment_id,
            details.least_ppi,
            id
        )
        .execute(&self.pool)
        .await?;
        Ok(())
    }

    /// Puts an order into the archive, or takes it out.
    pub async fn set_archived(&self, id: OrderId, archived: bool) -> Result<(), StoreError> {
        self.order(id).await?;
        sqlx::query!("UPDATE orders SET archived_at = IF(?, CURRENT_TIMESTAMP(3), NULL) WHERE id = ?", archived, id)
            .execute(&self.pool)
            .await?;
        Ok(())
    }

    /// Takes an order off the list, or puts it back; nothing in it is touched.
    pub async fn set_order_removed(&self, id: OrderId, removed: bool) -> Result<(), StoreError> {
        self.order(id).await?;
        sqlx::query!("UPDATE orders SET removed_at = IF(?, CURRENT_TIMESTAMP(3), NULL) WHERE id = ?", removed, id)
            .execute(&self.pool)
            .await?;
        Ok(())
    }

    /// All orders that were not removed, the newest first.
    pub async fn orders(&self) -> Result<Vec<Order>, StoreError> {
        select_orders!("WHERE o.removed_at IS NULL ORDER BY o.id DESC")
            .fetch_all(&self.pool)
            .await?
            .into_iter()
            .map(Order::try_from)
            .collect()
    }

    /// One order, removed or not.
    pub async fn order(&self, id: OrderId) -> Result<Order, StoreError> {
        let row = select_orders!("WHERE o.id = ?", id).fetch_optional(&self.pool).await?;
        row.ok_or_else(|| missing("order", id))?.try_into()
    }

    /// Adds an original to an order; the same file a second time is the same original, brought back if it was removed.
    ///
    /// Answers its number and whether it is new.
    pub async fn add_original(
        &self,
        order: OrderId,
        name: &str,
        hash: ContentHash,
        facts: &Facts,
    ) -> Result<(OriginalId, bool), StoreError> {
        let (hash, facts) = (hash.to_string(), to_text(facts));
        let added = sqlx::query!(
            "INSERT IGNORE INTO originals (order_id, name, hash, facts) VALUES (?, ?, ?, ?)",
            order,
            name,
            hash,
            facts
        )
        .execute(&self.pool)
        .await?;
        if added.rows_affected() == 1 {
            return Ok((added.last_insert_id().into(), true));
        }
        let known = sqlx::query!("SELECT id FROM originals WHERE order_id = ? AND hash = ?", order, hash)
            .fetch_optional(&self.pool)
            .await?
            .ok_or_else(|| missing("order", order))?;
        let id = OriginalId::from(known.id);
        self.set_removed(id, false).await?;
        Ok((id, false))
    }

    /// The originals of an order, as they came in.
    pub async fn originals(&self, order: OrderId) -> Result<Vec<OriginalRow>, StoreError> {
        sqlx::query_as!(
            RawOriginal,
            r#"SELECT id, order_id, name, hash, facts, reading, trials, faces, target, wish, created_at AS "created_at: DateTime<Utc>"
               FROM originals WHERE order_id = ? AND removed_at IS NULL ORDER BY id"#,
            order
        )
        .fetch_all(&self.pool)
        .await?
        .into_iter()
        .map(OriginalRow::try_from)
        .collect()
    }

    /// The originals on which something was tried and of which somebody has asked for something, the newest first: so many at most.
    pub async fn suggested_for(&self, most: u32) -> Result<Vec<OriginalRow>, StoreError> {
        sqlx::query_as!(
            RawOriginal,
            r#"SELECT id, order_id, name, hash, facts, reading, trials, faces, target, wish, created_at AS "created_at: DateTime<Utc>"
               FROM originals WHERE wish IS NOT NULL AND trials IS NOT NULL AND removed_at IS NULL ORDER BY id DESC LIMIT ?"#,
            most
        )
        .fetch_all(&self.pool)
        .await?
        .into_iter()
        .map(OriginalRow::try_from)
        .collect()
    }

    /// One original, removed or not.
    pub async fn original(&self, id: OriginalId) -> Result<OriginalRow, StoreError> {
        sqlx::query_as!(
            RawOriginal,
            r#"SELECT id, order_id, name, hash, facts, reading, trials, faces, target, wish, created_at AS "created_at: DateTime<Utc>"
               FROM originals WHERE id = ?"#,
            id
        )
        .fetch_optional(&self.pool)
        .await?
        .ok_or_else(|| missing("original", id))?
        .try_into()
    }

    /// Takes an original out of its order, or puts it back; its file and results stay.
    pub async fn set_removed(&self, id: OriginalId, removed: bool) -> Result<(), StoreError> {
        self.original(id).await?;
        sqlx::query!("UPDATE originals SET removed_at = IF(?, CURRENT_TIMESTAMP(3), NULL) WHERE id = ?", removed, id)
            .execute(&self.pool)
            .await?;
        Ok(())
    }

    /// Keeps what was measured on an original.
    pub async fn set_reading(&self, id: OriginalId, reading: &Reading) -> Result<(), StoreError> {
        sqlx::query!("UPDATE originals SET reading = ? WHERE id = ?", to_text(reading), id).execute(&self.pool).await?;
        Ok(())
    }

    /// Keeps what was tried on an original.
    pub async fn set_trials(&self, id: OriginalId, trials: &[KeptTrial]) -> Result<(), StoreError> {
        sqlx::query!("UPDATE originals SET trials = ? WHERE id = ?", to_text(&trials), id).execute(&self.pool).await?;
        Ok(())
    }

    /// Keeps a rehearsal of an original, in the form of whoever held it; nothing to forget the last one.
    pub async fn set_rehearsal(&self, id: OriginalId, rehearsal: Option<&impl Serialize>) -> Result<(), StoreError> {
        sqlx::query!("UPDATE originals SET rehearsal = ? WHERE id = ?", rehearsal.map(to_text), id)
            .execute(&self.pool)
            .await?;
        Ok(())
    }

    /// The last rehearsal of an original; nothing where there is none, or only one of a form that is not read any more.
    pub async fn rehearsal<T: DeserializeOwned>(&self, id: OriginalId) -> Result<Option<T>, StoreError> {
        let kept = sqlx::query_scalar!("SELECT rehearsal FROM originals WHERE id = ?", id)
            .fetch_optional(&self.pool)
            .await?
            .ok_or_else(|| missing("original", id))?;
        Ok(kept.and_then(|text| serde_json::from_str(&text).ok()))
    }

    /// The last rehearsals of an order's originals, by name of the file.
    pub async fn rehearsals<T: DeserializeOwned>(&self, order: OrderId) -> Result<Vec<(String, T)>, StoreError> {
        let kept = sqlx::query!(
            "SELECT name, rehearsal FROM originals WHERE order_id = ? AND removed_at IS NULL AND rehearsal IS NOT NULL ORDER BY id",
            order
        )
        .fetch_all(&self.pool)
        .await?;
        let read = |text: Option<String>| serde_json::from_str(&text?).ok();
        Ok(kept.into_iter().filter_map(|row| Some((row.name, read(row.rehearsal)?))).collect())
    }

    /// Keeps the faces that were found on an original.
    pub async fn set_faces(&self, id: OriginalId, faces: &[Face]) -> Result<(), StoreError> {
        sqlx::query!("UPDATE originals SET faces = ? WHERE id = ?", to_text(&faces), id).execute(&self.pool).await?;
        Ok(())
    }

    /// Remembers all that was last asked for; nothing to start again from the suggestion.
    pub async fn set_intent(&self, id: OriginalId, intent: Option<&Intent>) -> Result<(), StoreError> {
        let kept = intent.map(Intent::to_kept);
        sqlx::query!("UPDATE originals SET wish = ? WHERE id = ?", kept, id).execute(&self.pool).await?;
        Ok(())
    }

    /// Remembers the print that an original came in with.
    pub async fn set_target(&self, id: OriginalId, target: &Target) -> Result<(), StoreError> {
        sqlx::query!("UPDATE originals SET target = ? WHERE id = ?", to_text(target), id).execute(&self.pool).await?;
        Ok(())
    }
}
