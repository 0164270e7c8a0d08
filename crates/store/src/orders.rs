//! Orders and their originals.

use chrono::{DateTime, NaiveDate, Utc};
use dettaglio_core::codec::Facts;
use dettaglio_core::hash::ContentHash;
use dettaglio_core::reading::Reading;
use dettaglio_core::size::Target;
use dettaglio_core::treatment::Treatment;
use serde::Serialize;

use crate::{Store, StoreError, from_text, missing, to_text};

/// A group of originals for one purpose.
#[derive(Clone, Debug)]
pub struct Order {
    /// Its number.
    pub id: u64,
    /// What it is called.
    pub title: String,
    /// For whom; may be empty.
    pub client: String,
    /// When it is due.
    pub due_on: Option<NaiveDate>,
    /// When it was opened.
    pub created_at: DateTime<Utc>,
    /// How many originals are in it.
    pub originals: i64,
}

/// An imported picture; its file never changes.
#[derive(Clone, Debug)]
pub struct OriginalRow {
    /// Its number.
    pub id: u64,
    /// The order it belongs to.
    pub order_id: u64,
    /// The name of the file that was imported.
    pub name: String,
    /// The hash of the file.
    pub hash: ContentHash,
    /// What is known of the file.
    pub facts: Facts,
    /// What was measured on it.
    pub reading: Option<Reading>,
    /// The print that it came in with.
    pub target: Option<Target>,
    /// All that was last asked for, in the form of whoever asked.
    pub wish: Option<serde_json::Value>,
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
    target: Option<String>,
    wish: Option<String>,
    created_at: DateTime<Utc>,
}

impl TryFrom<RawOriginal> for OriginalRow {
    type Error = StoreError;

    fn try_from(raw: RawOriginal) -> Result<Self, StoreError> {
        Ok(Self {
            id: raw.id,
            order_id: raw.order_id,
            name: raw.name,
            hash: raw.hash.parse().map_err(|_| missing("original with a readable hash", raw.id))?,
            facts: from_text("description of a file", &raw.facts)?,
            // One of an earlier version is measured again.
            reading: raw.reading.and_then(|text| serde_json::from_str(&text).ok()),
            wish: raw.wish.and_then(|text| serde_json::from_str(&text).ok()),
            target: raw.target.map(|text| from_text("target", &text)).transpose()?,
            created_at: raw.created_at,
        })
    }
}

impl Store {
    /// Opens an order.
    pub async fn add_order(&self, title: &str, client: &str, due_on: Option<NaiveDate>) -> Result<Order, StoreError> {
        let added = sqlx::query!("INSERT INTO orders (title, client, due_on) VALUES (?, ?, ?)", title, client, due_on)
            .execute(&self.pool)
            .await?;
        self.order(added.last_insert_id()).await
    }

    /// All orders, the newest first.
    pub async fn orders(&self) -> Result<Vec<Order>, StoreError> {
        Ok(sqlx::query_as!(
            Order,
            r#"SELECT o.id, o.title, o.client, o.due_on, o.created_at AS "created_at: DateTime<Utc>",
                   (SELECT COUNT(*) FROM originals p WHERE p.order_id = o.id AND p.removed_at IS NULL) AS "originals!: i64"
               FROM orders o ORDER BY o.id DESC"#
        )
        .fetch_all(&self.pool)
        .await?)
    }

    /// One order.
    pub async fn order(&self, id: u64) -> Result<Order, StoreError> {
        sqlx::query_as!(
            Order,
            r#"SELECT o.id, o.title, o.client, o.due_on, o.created_at AS "created_at: DateTime<Utc>",
                   (SELECT COUNT(*) FROM originals p WHERE p.order_id = o.id AND p.removed_at IS NULL) AS "originals!: i64"
               FROM orders o WHERE o.id = ?"#,
            id
        )
        .fetch_optional(&self.pool)
        .await?
        .ok_or_else(|| missing("order", id))
    }

    /// Adds an original to an order; the same file a second time is the same original, brought back if it was removed.
    ///
    /// Answers its number and whether it is new.
    pub async fn add_original(
        &self,
        order: u64,
        name: &str,
        hash: ContentHash,
        facts: &Facts,
    ) -> Result<(u64, bool), StoreError> {
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
            return Ok((added.last_insert_id(), true));
        }
        let known = sqlx::query!("SELECT id FROM originals WHERE order_id = ? AND hash = ?", order, hash)
            .fetch_optional(&self.pool)
            .await?
            .ok_or_else(|| missing("order", order))?;
        self.set_removed(known.id, false).await?;
        Ok((known.id, false))
    }

    /// The originals of an order, as they came in.
    pub async fn originals(&self, order: u64) -> Result<Vec<OriginalRow>, StoreError> {
        sqlx::query_as!(
            RawOriginal,
            r#"SELECT id, order_id, name, hash, facts, reading, target, wish, created_at AS "created_at: DateTime<Utc>"
               FROM originals WHERE order_id = ? AND removed_at IS NULL ORDER BY id"#,
            order
        )
        .fetch_all(&self.pool)
        .await?
        .into_iter()
        .map(OriginalRow::try_from)
        .collect()
    }

    /// One original, removed or not.
    pub async fn original(&self, id: u64) -> Result<OriginalRow, StoreError> {
        sqlx::query_as!(
            RawOriginal,
            r#"SELECT id, order_id, name, hash, facts, reading, target, wish, created_at AS "created_at: DateTime<Utc>"
               FROM originals WHERE id = ?"#,
            id
        )
        .fetch_optional(&self.pool)
        .await?
        .ok_or_else(|| missing("original", id))?
        .try_into()
    }

    /// Takes an original out of its order, or puts it back; its file and results stay.
    pub async fn set_removed(&self, id: u64, removed: bool) -> Result<(), StoreError> {
        self.original(id).await?;
        sqlx::query!("UPDATE originals SET removed_at = IF(?, CURRENT_TIMESTAMP(3), NULL) WHERE id = ?", removed, id)
            .execute(&self.pool)
            .await?;
        Ok(())
    }

    /// Keeps what was measured on an original.
    pub async fn set_reading(&self, id: u64, reading: &Reading) -> Result<(), StoreError> {
        sqlx::query!("UPDATE originals SET reading = ? WHERE id = ?", to_text(reading), id).execute(&self.pool).await?;
        Ok(())
    }

    /// Remembers all that was last asked for; nothing to start again from the suggestion.
    pub async fn set_wish(&self, id: u64, wish: Option<&impl Serialize>) -> Result<(), StoreError> {
        sqlx::query!("UPDATE originals SET wish = ? WHERE id = ?", wish.map(to_text), id).execute(&self.pool).await?;
        Ok(())
    }

    /// Remembers the print that an original came in with.
    pub async fn set_target(&self, id: u64, target: &Target) -> Result<(), StoreError> {
        sqlx::query!("UPDATE originals SET target = ? WHERE id = ?", to_text(target), id).execute(&self.pool).await?;
        Ok(())
    }

    /// Keeps a treatment under its hash.
    pub async fn add_treatment(&self, treatment: &Treatment) -> Result<ContentHash, StoreError> {
        let hash = treatment.hash();
        sqlx::query!("INSERT IGNORE INTO treatments (hash, body) VALUES (?, ?)", hash.to_string(), to_text(treatment))
            .execute(&self.pool)
            .await?;
        Ok(hash)
    }

    /// The treatment with this hash.
    pub async fn treatment(&self, hash: ContentHash) -> Result<Treatment, StoreError> {
        let row = sqlx::query!("SELECT body FROM treatments WHERE hash = ?", hash.to_string())
            .fetch_optional(&self.pool)
            .await?
            .ok_or_else(|| missing("treatment", hash))?;
        from_text("treatment", &row.body)
    }
}
