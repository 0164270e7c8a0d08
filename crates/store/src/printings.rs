//! What was sent to a printer, and what it answered.

use chrono::{DateTime, Utc};
use dettaglio_domain::id::{OrderId, PrintingId, ResultId};
use serde::{Deserialize, Serialize};

use crate::{Store, StoreError};

/// What a printer said.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, sqlx::Type)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
#[sqlx(rename_all = "lowercase")]
pub enum PrintState {
    /// It is in the printer's queue.
    Accepted,
    /// The printer will not print it, and says why.
    Refused,
    /// It is on paper.
    Printed,
}

/// A result that was sent to a printer.
#[derive(Clone, Debug, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Printing {
    /// Its number.
    pub id: PrintingId,
    /// Which result.
    pub enlargement_id: ResultId,
    /// What the printer calls it.
    pub printer_job: String,
    /// What the printer said last.
    pub state: PrintState,
    /// In its own words.
    pub answer: String,
    /// When it was sent.
    pub created_at: DateTime<Utc>,
}

impl Store {
    /// Writes down what a printer answered to a result.
    pub async fn add_printing(
        &self,
        enlargement: ResultId,
        printer_job: &str,
        state: PrintState,
        answer: &str,
    ) -> Result<PrintingId, StoreError> {
        let added = sqlx::query!(
            "INSERT INTO printings (enlargement_id, printer_job, state, answer) VALUES (?, ?, ?, ?)",
            enlargement,
            printer_job,
            state,
            answer
        )
        .execute(&self.pool)
        .await?;
        Ok(added.last_insert_id().into())
    }

    /// Writes down what a printer says later.
    pub async fn set_printing(&self, id: PrintingId, state: PrintState, answer: &str) -> Result<(), StoreError> {
        sqlx::query!("UPDATE printings SET state = ?, answer = ? WHERE id = ?", state, answer, id)
            .execute(&self.pool)
            .await?;
        Ok(())
    }

    /// What was sent of an order, the newest first.
    pub async fn printings(&self, order: OrderId) -> Result<Vec<Printing>, StoreError> {
        Ok(sqlx::query_as!(
            Printing,
            r#"SELECT p.id, p.enlargement_id, p.printer_job, p.state AS "state: PrintState", p.answer,
                   p.created_at AS "created_at: DateTime<Utc>"
               FROM printings p JOIN enlargements e ON e.id = p.enlargement_id JOIN originals o ON o.id = e.original_id
               WHERE o.order_id = ? ORDER BY p.id DESC"#,
            order
        )
        .fetch_all(&self.pool)
        .await?)
    }

    /// What printers have in their queues.
    pub async fn printings_under_way(&self) -> Result<Vec<Printing>, StoreError> {
        Ok(sqlx::query_as!(
            Printing,
            r#"SELECT id, enlargement_id, printer_job, state AS "state: PrintState", answer,
                   created_at AS "created_at: DateTime<Utc>"
               FROM printings WHERE state = 'accepted' ORDER BY id"#
        )
        .fetch_all(&self.pool)
        .await?)
    }
}
