//! What was removed and may still be put back; and deleting it for good.

use chrono::{DateTime, Utc};
use dettaglio_domain::file::Facts;
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::id::OriginalId;
use sqlx::MySqlConnection;

use crate::enlargements::Record;
use crate::files::FileStore;
use crate::{Store, StoreError, from_text, missing};

/// What kind of thing was removed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum RemovedKind {
    /// A whole order, off the list.
    Order,
    /// A picture, out of its order.
    Original,
    /// A result, thrown away.
    Result,
}

/// Something that was removed. What lies in a removed order, or belongs to a removed picture, goes with it and is not named
/// by itself.
#[derive(Clone, Debug)]
pub struct Removed {
    /// What it is.
    pub kind: RemovedKind,
    /// Its number among its kind.
    pub id: u64,
    /// The order's title, or the file's name.
    pub name: String,
    /// The title of the order that it was in; of an order, its client.
    pub of: String,
    /// Bytes of its originals and results. An original that another order has too stays when it is deleted.
    pub bytes: u64,
    /// When it was removed.
    pub removed_at: DateTime<Utc>,
}

/// How much was deleted for good.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Deleted {
    /// Orders that are gone.
    pub orders: u64,
    /// Pictures that are gone, those in the orders among them.
    pub originals: u64,
    /// Results that are gone, those of the pictures among them.
    pub results: u64,
    /// Pictures that stay, because a job of theirs waits or runs.
    pub busy: u64,
}

/// A file of something that was deleted for good.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct LeavingFile {
    /// Where it is in the file store.
    pub key: String,
    /// Of an original: its content, which another order may have too.
    pub content: Option<ContentHash>,
}

impl Store {
    /// All that was removed, the latest first.
    pub async fn removed(&self) -> Result<Vec<Removed>, StoreError> {
        let mut all = Vec::new();
        let orders = sqlx::query!(
            r#"SELECT id, title, client, removed_at AS "removed_at!: DateTime<Utc>" FROM orders WHERE removed_at IS NOT NULL"#
        );
        for o in orders.fetch_all(&self.pool).await? {
            let mut bytes = 0;
            for id in
                sqlx::query_scalar!("SELECT id FROM originals WHERE order_id = ?", o.id).fetch_all(&self.pool).await?
            {
                bytes += self.bytes_of(id.into()).await?;
            }
            let (kind, removed_at) = (RemovedKind::Order, o.removed_at);
            all.push(Removed { kind, id: o.id, name: o.title, of: o.client, bytes, removed_at });
        }
        let originals = sqlx::query!(
            r#"SELECT p.id, p.name, o.title, p.removed_at AS "removed_at!: DateTime<Utc>"
               FROM originals p JOIN orders o ON o.id = p.order_id WHERE p.removed_at IS NOT NULL AND o.removed_at IS NULL"#
        );
        for p in originals.fetch_all(&self.pool).await? {
            let (kind, bytes, removed_at) = (RemovedKind::Original, self.bytes_of(p.id.into()).await?, p.removed_at);
            all.push(Removed { kind, id: p.id, name: p.name, of: p.title, bytes, removed_at });
        }
        let results = sqlx::query!(
            r#"SELECT e.id, j.file_name, o.title, e.bytes, e.removed_at AS "removed_at!: DateTime<Utc>"
               FROM enlargements e JOIN jobs j ON j.id = e.job_id JOIN originals p ON p.id = e.original_id
                    JOIN orders o ON o.id = p.order_id
               WHERE e.removed_at IS NOT NULL AND p.removed_at IS NULL AND o.removed_at IS NULL"#
        );
        for e in results.fetch_all(&self.pool).await? {
            let (kind, removed_at) = (RemovedKind::Result, e.removed_at);
            all.push(Removed { kind, id: e.id, name: e.file_name, of: e.title, bytes: e.bytes, removed_at });
        }
        all.sort_by_key(|thing| std::cmp::Reverse(thing.removed_at));
        Ok(all)
    }

    /// Bytes of an original and of all its results.
    async fn bytes_of(&self, original: OriginalId) -> Result<u64, StoreError> {
        let facts =
            sqlx::query_scalar!("SELECT facts FROM originals WHERE id = ?", original).fetch_one(&self.pool).await?;
        let facts: Facts = from_text("facts", &facts)?;
        let results = sqlx::query_scalar!(
            r#"SELECT CAST(COALESCE(SUM(bytes), 0) AS UNSIGNED) AS "bytes!: u64" FROM enlargements WHERE original_id = ?"#,
            original
        );
        Ok(facts.bytes + results.fetch_one(&self.pool).await?)
    }

    /// Forgets for good what was removed up to `until`, with its jobs, decisions, links and printings: all of it or, when
    /// something fails, nothing. A picture of which a job waits or runs stays, and so does its order. The files are named in
    /// [`Store::leaving_files`].
    pub async fn delete_removed(&self, until: DateTime<Utc>) -> Result<Deleted, StoreError> {
        let mut deleted = Deleted::default();
        let mut transaction = self.pool.begin().await?;
        let originals = sqlx::query!(
            r#"SELECT p.id, p.hash, EXISTS (SELECT 1 FROM jobs j
                      WHERE j.original_id = p.id AND j.state IN ('waiting', 'paused', 'running')) AS "busy!: bool"
               FROM originals p JOIN orders o ON o.id = p.order_id WHERE p.removed_at <= ? OR o.removed_at <= ? FOR UPDATE"#,
            until,
            until
        );
        for original in originals.fetch_all(&mut *transaction).await? {
            if original.busy {
                deleted.busy += 1;
                continue;
            }
            let results = sqlx::query_scalar!("SELECT id FROM enlargements WHERE original_id = ?", original.id);
            for result in results.fetch_all(&mut *transaction).await? {
                delete_result(&mut transaction, result).await?;
                deleted.results += 1;
            }
            sqlx::query!("DELETE FROM jobs WHERE original_id = ?", original.id).execute(&mut *transaction).await?;
            sqlx::query!("DELETE FROM decisions WHERE original_id = ?", original.id).execute(&mut *transaction).await?;
            sqlx::query!("DELETE FROM originals WHERE id = ?", original.id).execute(&mut *transaction).await?;
            let content = original.hash.parse().map_err(|_| missing("original with a readable hash", original.id))?;
            for key in [FileStore::original_key(content), FileStore::thumbnail_key(content)] {
                let insert = sqlx::query!("INSERT IGNORE INTO leaving_files VALUES (?, ?)", key, original.hash);
                insert.execute(&mut *transaction).await?;
            }
            deleted.originals += 1;
        }
        let results = sqlx::query_scalar!("SELECT id FROM enlargements WHERE removed_at <= ? FOR UPDATE", until);
        for result in results.fetch_all(&mut *transaction).await? {
            delete_result(&mut transaction, result).await?;
            deleted.results += 1;
        }
        let empty = sqlx::query_scalar!(
            "SELECT id FROM orders o WHERE removed_at <= ? AND NOT EXISTS (SELECT 1 FROM originals p WHERE p.order_id = o.id)
             FOR UPDATE",
            until
        );
        for order in empty.fetch_all(&mut *transaction).await? {
            sqlx::query!(
                "INSERT INTO deleted_orders (id, reference) SELECT id, reference FROM orders WHERE id = ?",
                order
            )
            .execute(&mut *transaction)
            .await?;
            sqlx::query!("DELETE FROM links WHERE order_id = ?", order).execute(&mut *transaction).await?;
            sqlx::query!("DELETE FROM orders WHERE id = ?", order).execute(&mut *transaction).await?;
            deleted.orders += 1;
        }
        transaction.commit().await?;
        Ok(deleted)
    }

    /// Counts the files of a picture among those that are to go, before they are kept: an import that is cut short leaves none behind.
    pub async fn begin_keeping(&self, content: ContentHash) -> Result<(), StoreError> {
        for key in [FileStore::original_key(content), FileStore::thumbnail_key(content)] {
            sqlx::query("INSERT IGNORE INTO leaving_files (file_key, content) VALUES (?, ?)")
                .bind(key)
                .bind(content.to_string())
                .execute(&self.pool)
                .await?;
        }
        Ok(())
    }

    /// Takes them out again, once an original names them and they are there.
    pub async fn end_keeping(&self, content: ContentHash) -> Result<(), StoreError> {
        sqlx::query("DELETE FROM leaving_files WHERE content = ?")
            .bind(content.to_string())
            .execute(&self.pool)
            .await?;
        Ok(())
    }

    /// The files of what was deleted for good that are still there.
    pub async fn leaving_files(&self) -> Result<Vec<LeavingFile>, StoreError> {
        let rows =
            sqlx::query!("SELECT file_key, content FROM leaving_files ORDER BY file_key").fetch_all(&self.pool).await?;
        let content = |text: Option<String>| text.and_then(|hash| hash.parse().ok());
        Ok(rows.into_iter().map(|row| LeavingFile { key: row.file_key, content: content(row.content) }).collect())
    }

    /// Deletes the files of what was deleted for good, those left over from an earlier try too.
    pub async fn delete_leaving_files(&self, files: &FileStore) -> Result<(), StoreError> {
        for LeavingFile { key, content } in self.leaving_files().await? {
            match content {
                Some(content) => self.delete_content(files, &key, content).await?,
                None => files.delete(&key).await?,
            }
            sqlx::query!("DELETE FROM leaving_files WHERE file_key = ?", key).execute(&self.pool).await?;
        }
        Ok(())
    }

    /// Deletes a file of an original unless some order has the same content. It is put aside before that is asked, and an import
    /// looks once more after it has said that it needs the file: so neither can miss the other.
    async fn delete_content(&self, files: &FileStore, key: &str, content: ContentHash) -> Result<(), StoreError> {
        let aside = format!("leaving/{key}");
        if self.has_content(content).await? {
            // Where an earlier try ended in between, the file is still aside.
            return files.rename(&aside, key).await;
        }
        files.rename(key, &aside).await?;
        if self.has_content(content).await? {
            return files.rename(&aside, key).await;
        }
        files.delete(&aside).await
    }

    /// Whether any order has an original with this content, removed or not.
    async fn has_content(&self, content: ContentHash) -> Result<bool, StoreError> {
        let content = content.to_string();
        let known =
            sqlx::query_scalar!(r#"SELECT EXISTS (SELECT 1 FROM originals WHERE hash = ?) AS "known!: bool""#, content);
        Ok(known.fetch_one(&self.pool).await?)
    }
}

/// A result with what was sent to a printer of it, and with the job that made it; its files are to follow.
async fn delete_result(transaction: &mut MySqlConnection, id: u64) -> Result<(), StoreError> {
    sqlx::query!("DELETE FROM printings WHERE enlargement_id = ?", id).execute(&mut *transaction).await?;
    let result = sqlx::query!("SELECT job_id, file_key, record FROM enlargements WHERE id = ?", id)
        .fetch_one(&mut *transaction)
        .await?;
    let record: Record = from_text("record", &result.record)?;
    for key in record.keys(&result.file_key) {
        let leaving = sqlx::query!("INSERT IGNORE INTO leaving_files (file_key) VALUES (?)", key);
        leaving.execute(&mut *transaction).await?;
    }
    sqlx::query!("DELETE FROM enlargements WHERE id = ?", id).execute(&mut *transaction).await?;
    sqlx::query!("DELETE FROM jobs WHERE id = ?", result.job_id).execute(&mut *transaction).await?;
    Ok(())
}
