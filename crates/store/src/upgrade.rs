//! The schema brought up to date, also after a start that was cut short in the middle of it.
//!
//! MariaDB ends a transaction at each change of a table, so a migration that is interrupted stays half done. Each of its statements
//! is whole or not there, however: the statements are run once more, and those whose change is there already are passed over.

use sqlx::migrate::Migrator;
use sqlx::mysql::MySqlPool;
use sqlx::{Executor, MySqlConnection};

use crate::StoreError;

static MIGRATIONS: Migrator = sqlx::migrate!();

/// Errors that say that a statement's change is there already: table, column, key, foreign key, or what was to be dropped.
const ALREADY: [u16; 6] = [1050, 1060, 1061, 1091, 1826, 1022];

/// How long to wait for another program that is migrating the same database, in seconds.
const PATIENCE: u32 = 120;

/// Where a database stands.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Standing {
    /// Nothing is in it.
    New,
    /// It is of this version.
    Current,
    /// It is of an earlier version, or in the middle of becoming this one.
    Earlier,
    /// It is of a later version, which this program does not know.
    Later,
}

/// How far a database is.
pub(crate) async fn standing(connection: &mut MySqlConnection) -> Result<Standing, StoreError> {
    let done = applied(connection).await?;
    let newest = MIGRATIONS.iter().map(|migration| migration.version).max().unwrap_or_default();
    Ok(match done.iter().map(|(version, _)| *version).max() {
        None => Standing::New,
        Some(version) if version > newest => Standing::Later,
        Some(version) if version == newest && done.iter().all(|(_, whole)| *whole) => Standing::Current,
        Some(_) => Standing::Earlier,
    })
}

/// Brings the schema up to date; one program at a time.
pub(crate) async fn migrate(pool: &MySqlPool) -> Result<(), StoreError> {
    let mut connection = pool.acquire().await?;
    let lock = format!("dettaglio-upgrade-{}", database_of(&mut connection).await?);
    let got: Option<i64> =
        sqlx::query_scalar("SELECT GET_LOCK(?, ?)").bind(&lock).bind(PATIENCE).fetch_one(&mut *connection).await?;
    if got != Some(1) {
        return Err(StoreError::Busy);
    }
    let outcome = migrate_alone(&mut connection).await;
    sqlx::query("DO RELEASE_LOCK(?)").bind(&lock).execute(&mut *connection).await?;
    outcome
}

async fn migrate_alone(connection: &mut MySqlConnection) -> Result<(), StoreError> {
    for (version, _) in applied(connection).await?.into_iter().filter(|(_, whole)| !whole) {
        if let Some(migration) = MIGRATIONS.iter().find(|migration| migration.version == version) {
            tracing::warn!(version, "a change of the database was cut short and is completed");
            complete(connection, &migration.sql).await?;
            sqlx::query("UPDATE _sqlx_migrations SET success = TRUE WHERE version = ?")
                .bind(version)
                .execute(&mut *connection)
                .await?;
        }
    }
    Ok(MIGRATIONS.run_direct(connection).await?)
}

/// Runs the statements of a migration, of which some have been run before.
async fn complete(connection: &mut MySqlConnection, sql: &str) -> Result<(), StoreError> {
    for statement in statements(sql) {
        match connection.execute(statement.as_str()).await {
            Ok(_) => {}
            Err(error) if is_there_already(&error) => {}
            Err(error) => return Err(error.into()),
        }
    }
    Ok(())
}

/// The statements of a script, without its comments; no text in our migrations holds a semicolon or two dashes.
fn statements(sql: &str) -> Vec<String> {
    let bare: Vec<&str> = sql.lines().map(|line| line.split("--").next().unwrap_or_default()).collect();
    bare.join("\n").split(';').map(|statement| statement.trim().to_owned()).filter(|one| !one.is_empty()).collect()
}

fn is_there_already(error: &sqlx::Error) -> bool {
    let own = error.as_database_error().and_then(|e| e.try_downcast_ref::<sqlx::mysql::MySqlDatabaseError>());
    own.is_some_and(|own| ALREADY.contains(&own.number()))
}

/// The migrations that were begun, and whether each is whole.
async fn applied(connection: &mut MySqlConnection) -> Result<Vec<(i64, bool)>, StoreError> {
    let known: i64 = sqlx::query_scalar(
        "SELECT COUNT(*) FROM information_schema.tables WHERE table_schema = DATABASE() AND table_name = '_sqlx_migrations'",
    )
    .fetch_one(&mut *connection)
    .await?;
    if known == 0 {
        return Ok(Vec::new());
    }
    Ok(sqlx::query_as("SELECT version, success FROM _sqlx_migrations ORDER BY version").fetch_all(connection).await?)
}

async fn database_of(connection: &mut MySqlConnection) -> Result<String, StoreError> {
    Ok(sqlx::query_scalar("SELECT DATABASE()").fetch_one(connection).await?)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_migration_falls_into_its_statements() {
        let sql =
            "-- Faces; NULL until someone has looked.\n\nALTER TABLE a ADD b INT; -- more\n\nUPDATE a SET b = 1;\n";
        assert_eq!(statements(sql), ["ALTER TABLE a ADD b INT", "UPDATE a SET b = 1"]);
        let whole: Vec<_> = MIGRATIONS.iter().flat_map(|migration| statements(&migration.sql)).collect();
        let verbs = ["CREATE TABLE", "ALTER TABLE", "UPDATE", "INSERT", "DROP", "CREATE INDEX"];
        assert!(whole.iter().all(|one| verbs.iter().any(|verb| one.starts_with(verb))), "{whole:#?}");
    }
}
