//! Accounts, and links that let a client look at one order for a while.

use chrono::{DateTime, Utc};
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::id::{LinkId, OrderId};
use serde::{Deserialize, Serialize};

use crate::{Store, StoreError};

/// What an account may do.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, sqlx::Type)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
#[sqlx(rename_all = "lowercase")]
pub enum Role {
    /// Everything.
    Technician,
    /// Look, and change nothing.
    Viewer,
}

/// Who may sign in.
#[derive(Clone, Debug)]
pub struct Account {
    /// Its number.
    pub id: u64,
    /// What the person is called.
    pub name: String,
    /// Hash of the password, in the PHC string format.
    pub password: String,
    /// What it may do.
    pub role: Role,
}

/// A link to one order.
#[derive(Clone, Debug)]
pub struct Link {
    /// Its number.
    pub id: LinkId,
    /// To which order.
    pub order_id: OrderId,
    /// Until when.
    pub expires_at: DateTime<Utc>,
}

impl Store {
    /// Opens an account, or gives one of this name another password and role.
    pub async fn set_account(&self, name: &str, password_hash: &str, role: Role) -> Result<(), StoreError> {
        sqlx::query!(
            "INSERT INTO accounts (name, password, role) VALUES (?, ?, ?)
             ON DUPLICATE KEY UPDATE password = VALUES(password), role = VALUES(role)",
            name,
            password_hash,
            role
        )
        .execute(&self.pool)
        .await?;
        Ok(())
    }

    /// Closes an account; answers whether there was one.
    pub async fn remove_account(&self, name: &str) -> Result<bool, StoreError> {
        let removed = sqlx::query!("DELETE FROM accounts WHERE name = ?", name).execute(&self.pool).await?;
        Ok(removed.rows_affected() > 0)
    }

    /// All accounts by name.
    pub async fn accounts(&self) -> Result<Vec<Account>, StoreError> {
        Ok(sqlx::query_as!(Account, r#"SELECT id, name, password, role AS "role: Role" FROM accounts ORDER BY name"#)
            .fetch_all(&self.pool)
            .await?)
    }

    /// Keeps a link to an order for some days.
    pub async fn add_link(&self, order: OrderId, token: ContentHash, days: u32) -> Result<Link, StoreError> {
        self.order(order).await?;
        let added = sqlx::query!(
            "INSERT INTO links (order_id, token_hash, expires_at) VALUES (?, ?, CURRENT_TIMESTAMP(3) + INTERVAL ? DAY)",
            order,
            token.to_string(),
            days
        )
        .execute(&self.pool)
        .await?;
        let id = added.last_insert_id();
        Ok(sqlx::query_as!(
            Link,
            r#"SELECT id, order_id, expires_at AS "expires_at: DateTime<Utc>" FROM links WHERE id = ?"#,
            id
        )
        .fetch_one(&self.pool)
        .await?)
    }

    /// The link of a token that has not expired, to an order that was not removed.
    pub async fn link(&self, token: ContentHash) -> Result<Option<Link>, StoreError> {
        Ok(sqlx::query_as!(
            Link,
            r#"SELECT l.id, l.order_id, l.expires_at AS "expires_at: DateTime<Utc>"
               FROM links l JOIN orders o ON o.id = l.order_id
               WHERE l.token_hash = ? AND l.expires_at > CURRENT_TIMESTAMP(3) AND o.removed_at IS NULL"#,
            token.to_string()
        )
        .fetch_optional(&self.pool)
        .await?)
    }

    /// The links to an order that have not expired.
    pub async fn links(&self, order: OrderId) -> Result<Vec<Link>, StoreError> {
        Ok(sqlx::query_as!(
            Link,
            r#"SELECT id, order_id, expires_at AS "expires_at: DateTime<Utc>" FROM links
               WHERE order_id = ? AND expires_at > CURRENT_TIMESTAMP(3) ORDER BY id"#,
            order
        )
        .fetch_all(&self.pool)
        .await?)
    }

    /// Ends a link.
    pub async fn remove_link(&self, order: OrderId, id: LinkId) -> Result<(), StoreError> {
        sqlx::query!("DELETE FROM links WHERE order_id = ? AND id = ?", order, id).execute(&self.pool).await?;
        Ok(())
    }
}
