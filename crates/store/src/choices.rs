//! What a person looks at, keeps and decides: spots, house treatments, decisions.

use chrono::{DateTime, Utc};
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::id::{DecisionId, HouseId, OriginalId};
use dettaglio_domain::recipe::Steps;
use dettaglio_domain::spot::Spot;
use serde::{Deserialize, Serialize};

use crate::{Store, StoreError, from_text, missing, to_text};

/// Steps under a name of the house.
#[derive(Clone, Debug)]
pub struct HouseTreatment {
    /// Its number.
    pub id: HouseId,
    /// What it is called.
    pub name: String,
    /// What is done.
    pub steps: Steps,
    /// When it was kept.
    pub created_at: DateTime<Utc>,
}

/// Which of some treatments was chosen, and what was looked at.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Decision {
    /// All that were compared.
    pub candidates: Vec<Compared>,
    /// The letter of the one that was chosen.
    pub chosen: String,
    /// The places at which they were compared.
    pub spots: Vec<Spot>,
    /// Whether their letters were hidden until then.
    pub blind: bool,
}

/// A treatment that was compared.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Compared {
    /// Its letter.
    pub letter: String,
    /// Hash of the treatment.
    #[cfg_attr(feature = "schema", schema(value_type = String))]
    pub treatment: ContentHash,
    /// In words.
    pub description: String,
}

/// A decision as it is kept.
#[derive(Clone, Debug)]
pub struct KeptDecision {
    /// Its number.
    pub id: DecisionId,
    /// What was decided.
    pub decision: Decision,
    /// When.
    pub created_at: DateTime<Utc>,
}

impl Store {
    /// The spots of an original; nothing when none were ever set.
    pub async fn spots(&self, original: OriginalId) -> Result<Option<Vec<Spot>>, StoreError> {
        let row = sqlx::query!("SELECT spots FROM originals WHERE id = ?", original)
            .fetch_optional(&self.pool)
            .await?
            .ok_or_else(|| missing("original", original))?;
        row.spots.map(|text| from_text("list of spots", &text)).transpose()
    }

    /// Keeps the spots of an original.
    pub async fn set_spots(&self, original: OriginalId, spots: &[Spot]) -> Result<(), StoreError> {
        sqlx::query!("UPDATE originals SET spots = ? WHERE id = ?", to_text(&spots), original)
            .execute(&self.pool)
            .await?;
        Ok(())
    }

    /// All house treatments by name.
    pub async fn house_treatments(&self) -> Result<Vec<HouseTreatment>, StoreError> {
        let rows = sqlx::query!(
            r#"SELECT id, name, steps, created_at AS "created_at: DateTime<Utc>" FROM house_treatments ORDER BY name"#
        )
        .fetch_all(&self.pool)
        .await?;
        // One that cannot be read, of a later version say, must not take the others with it.
        let read = rows.into_iter().filter_map(|row| match from_text("house treatment", &row.steps) {
            Ok(steps) => Some(HouseTreatment { id: row.id.into(), name: row.name, steps, created_at: row.created_at }),
            Err(error) => {
                tracing::warn!("the house treatment \"{}\" is left out: {error}", row.name);
                None
            }
        });
        Ok(read.collect())
    }

    /// Keeps steps under a name; what had that name before is replaced.
    pub async fn set_house_treatment(&self, name: &str, steps: &Steps) -> Result<(), StoreError> {
        sqlx::query!(
            "INSERT INTO house_treatments (name, steps) VALUES (?, ?)
             ON DUPLICATE KEY UPDATE steps = VALUES(steps), created_at = CURRENT_TIMESTAMP(3)",
            name,
            to_text(steps)
        )
        .execute(&self.pool)
        .await?;
        Ok(())
    }

    /// Forgets a house treatment.
    pub async fn remove_house_treatment(&self, id: HouseId) -> Result<(), StoreError> {
        let removed = sqlx::query!("DELETE FROM house_treatments WHERE id = ?", id).execute(&self.pool).await?;
        if removed.rows_affected() == 0 { Err(missing("house treatment", id)) } else { Ok(()) }
    }

    /// Writes a decision down.
    pub async fn add_decision(&self, original: OriginalId, decision: &Decision) -> Result<DecisionId, StoreError> {
        let added =
            sqlx::query!("INSERT INTO decisions (original_id, body) VALUES (?, ?)", original, to_text(decision))
                .execute(&self.pool)
                .await?;
        Ok(added.last_insert_id().into())
    }

    /// The decisions on an original, the newest first.
    pub async fn decisions(&self, original: OriginalId) -> Result<Vec<KeptDecision>, StoreError> {
        let rows = sqlx::query!(
            r#"SELECT id, body, created_at AS "created_at: DateTime<Utc>"
               FROM decisions WHERE original_id = ? ORDER BY id DESC"#,
            original
        )
        .fetch_all(&self.pool)
        .await?;
        rows.into_iter()
            .map(|row| {
                let decision = from_text("decision", &row.body)?;
                Ok(KeptDecision { id: row.id.into(), decision, created_at: row.created_at })
            })
            .collect()
    }
}
