//! What Dettaglio remembers: MariaDB through SQLx, and the file store.
//!
//! | module | what lives there |
//! |---|---|
//! | [`mariadb`] | a database server of our own on loopback, for the start command and the tests |
//! | [`access`] | accounts, and links for clients |
//! | [`printings`] | what was sent to a printer |
//! | [`backup`] | the database into one file, and back |
//! | [`files`] | originals by content, thumbnails, results, behind `object_store` |
//! | [`orders`] | orders and their originals |
//! | [`choices`] | spots, house treatments, decisions |
//! | [`products`] | the list of prints that are sold |
//! | [`jobs`] | the run sheet, as a person sees it |
//! | [`leases`] | the same, as workers see it |
//! | [`enlargements`] | finished results, and what was said of them |
//! | [`removed`] | what was removed: put back or deleted for good |
//! | `treatments` | treatments by their hash |
//! | [`upgrade`] | the schema brought up to date |

pub mod access;
pub mod backup;
pub mod choices;
pub mod enlargements;
pub mod files;
pub mod jobs;
pub mod leases;
pub mod mariadb;
pub mod orders;
pub mod printings;
pub mod products;
pub mod removed;
#[cfg(feature = "testing")]
pub mod testing;
mod treatments;
pub mod upgrade;

use std::time::Duration;

use sqlx::mysql::{MySqlDatabaseError, MySqlPool, MySqlPoolOptions};

/// Why something could not be remembered or recalled.
#[derive(Debug, thiserror::Error)]
pub enum StoreError {
    /// The database answered with an error, or not at all.
    #[error("the database failed: {0}")]
    Database(#[from] sqlx::Error),
    /// The schema could not be brought up to date.
    #[error("the database could not be migrated: {0}")]
    Migration(#[from] sqlx::migrate::MigrateError),
    /// Another program holds the database.
    #[error("another program is bringing the database up to date: try again in a moment")]
    Busy,
    /// The file store failed.
    #[error("the file store failed: {0}")]
    Files(#[from] object_store::Error),
    /// The disk failed.
    #[error("{0}")]
    Io(#[from] std::io::Error),
    /// A stored text is not what it should be.
    #[error("a stored {what} could not be read: {source}")]
    Text {
        /// What it was to be.
        what: &'static str,
        /// Why it is not.
        source: serde_json::Error,
    },
    /// There is no such thing.
    #[error("there is no {what} {id}")]
    Missing {
        /// Kind of thing.
        what: &'static str,
        /// Its number or hash.
        id: String,
    },
}

impl StoreError {
    /// Whether what was asked for is not there at all.
    pub fn is_missing(&self) -> bool {
        matches!(self, Self::Missing { .. } | Self::Files(object_store::Error::NotFound { .. }))
    }

    /// Whether the database was not to be reached, rather than of another opinion.
    pub fn is_absence(&self) -> bool {
        use sqlx::Error::{Io, PoolTimedOut, Protocol, WorkerCrashed};
        matches!(self, Self::Database(Io(_) | PoolTimedOut | Protocol(_) | WorkerCrashed)) || self.is_shutting_down()
    }

    /// Whether the database refused a value: too long, out of range, not a date, or naming what is not there.
    pub fn is_unfit_value(&self) -> bool {
        const UNFIT: [u16; 8] = [1264, 1265, 1292, 1366, 1406, 1411, 1452, 3140];
        self.number().is_some_and(|number| UNFIT.contains(&number))
    }

    /// Whether two changes met, of which the database gave up this one: a deadlock, or a wait that was too long.
    pub fn is_conflict(&self) -> bool {
        const MET: [u16; 3] = [1205, 1213, 1020];
        self.number().is_some_and(|number| MET.contains(&number))
    }

    /// MariaDB's number of an error of its own.
    fn number(&self) -> Option<u16> {
        let Self::Database(error) = self else { return None };
        Some(error.as_database_error()?.try_downcast_ref::<MySqlDatabaseError>()?.number())
    }

    /// A server that is being stopped answers for a moment that it is.
    fn is_shutting_down(&self) -> bool {
        const SHUTDOWN: [&str; 2] = ["08S01", "70100"];
        let Self::Database(sqlx::Error::Database(error)) = self else { return false };
        error.code().is_some_and(|code| SHUTDOWN.contains(&code.as_ref()))
    }
}

/// The database of one installation.
#[derive(Clone, Debug)]
pub struct Store {
    pool: MySqlPool,
}

impl Store {
    /// Where a database stands, which is not changed by asking.
    pub async fn standing(url: &str) -> Result<upgrade::Standing, StoreError> {
        use sqlx::Connection;
        let mut connection = sqlx::MySqlConnection::connect(url).await?;
        upgrade::standing(&mut connection).await
    }

    /// Connects and brings the schema up to date.
    pub async fn connect(url: &str) -> Result<Self, StoreError> {
        let pool = MySqlPoolOptions::new()
            .max_connections(12)
            .acquire_timeout(Duration::from_secs(10))
            // Every process reckons in UTC, whatever the machine's clock shows.
            .after_connect(|connection, _| {
                Box::pin(async move {
                    sqlx::query("SET time_zone = '+00:00'").execute(connection).await?;
                    Ok(())
                })
            })
            .connect(url)
            .await?;
        upgrade::migrate(&pool).await?;
        Ok(Self { pool })
    }

    /// The connections, for packages that keep tables of their own.
    pub fn pool(&self) -> &MySqlPool {
        &self.pool
    }

    /// What the database is called.
    pub async fn database_name(&self) -> Result<String, StoreError> {
        Ok(sqlx::query_scalar("SELECT DATABASE()").fetch_one(&self.pool).await?)
    }

    /// Whether the database answers.
    pub async fn ping(&self) -> Result<(), StoreError> {
        sqlx::query("SELECT 1").execute(&self.pool).await?;
        Ok(())
    }
}

fn to_text(value: &impl serde::Serialize) -> String {
    serde_json::to_string(value).expect("plain data becomes JSON")
}

fn from_text<T: serde::de::DeserializeOwned>(what: &'static str, text: &str) -> Result<T, StoreError> {
    serde_json::from_str(text).map_err(|source| StoreError::Text { what, source })
}

fn missing(what: &'static str, id: impl ToString) -> StoreError {
    StoreError::Missing { what, id: id.to_string() }
}

/// How often something is done that meets another change each time.
const MOST_TRIES: u32 = 6;

/// Does something once more that met another change, as MariaDB asks of whoever loses a deadlock: it was undone as a whole.
pub(crate) async fn once_more_on_conflict<T, F: Future<Output = Result<T, StoreError>>>(
    attempt: impl Fn() -> F,
) -> Result<T, StoreError> {
    for tries in 1..MOST_TRIES {
        match attempt().await {
            Err(error) if error.is_conflict() => {
                tokio::time::sleep(std::time::Duration::from_millis(5 << tries)).await;
            }
            done => return done,
        }
    }
    attempt().await
}
