//! Backups: whole or refused, of earlier versions too; and migrations that were cut short.

use std::borrow::Cow;
use std::path::{Path, PathBuf};

use dettaglio_store::Store;
use dettaglio_store::backup::{BackupError, back_up, restore};
use dettaglio_store::testing::TestServer;
use dettaglio_store::upgrade::Standing;
use rstest::rstest;
use sqlx::migrate::{Migration, Migrator};
use sqlx::{Connection, Executor, MySqlConnection};

async fn titles(url: &str) -> Vec<String> {
    let orders = Store::connect(url).await.unwrap().orders().await.unwrap();
    orders.into_iter().map(|order| order.details.title).collect()
}

/// A database with one order, and a backup of it.
async fn backed_up(server: &TestServer, folder: &Path) -> (String, PathBuf) {
    let url = server.fresh_database().await;
    let store = Store::connect(&url).await.unwrap();
    store.add_order("Room 2; \"murrine\"\n", "Ombralunga", None).await.unwrap();
    let file = folder.join("backup.sql");
    back_up(&url, &file).await.unwrap();
    (url, file)
}

async fn migrations() -> Vec<Migration> {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("migrations");
    Migrator::new(folder).await.unwrap().iter().cloned().collect()
}

/// Brings an empty database to what the first so many migrations make of it.
async fn migrated(url: &str, migrations: &[Migration]) {
    let migrator = Migrator { migrations: Cow::Owned(migrations.to_vec()), ..Migrator::DEFAULT };
    let mut connection = MySqlConnection::connect(url).await.unwrap();
    migrator.run_direct(&mut connection).await.unwrap();
    connection.close().await.unwrap();
}

#[tokio::test]
async fn what_is_restored_is_what_was_backed_up_and_what_was_there_is_saved() {
    let (server, folder) = (TestServer::shared(), tempfile::tempdir().unwrap());
    let (url, file) = backed_up(&server, folder.path()).await;
    let before = titles(&url).await;
    Store::connect(&url).await.unwrap().add_order("Room 3", "", None).await.unwrap();
    let saved = restore(&url, &file, &folder.path().join("saved")).await.unwrap();
    assert_eq!(titles(&url).await, before);
    // Foreign keys are in force again: an order that has pictures cannot vanish from under them.
    let store = Store::connect(&url).await.unwrap();
    assert!(
        store
            .pool()
            .execute("INSERT INTO links (order_id, token_hash, expires_at) VALUES (999, 'x', NOW())")
            .await
            .is_err()
    );
    restore(&url, &saved, &folder.path().join("saved")).await.unwrap();
    assert_eq!(titles(&url).await.len(), 2, "as it was before");
}

#[rstest]
#[case::cut_inside_a_statement(|bytes: &mut Vec<u8>| bytes.truncate(bytes.len() / 2), "no end")]
#[case::cut_at_its_end(|bytes: &mut Vec<u8>| {
    let text = String::from_utf8(bytes.clone()).unwrap();
    bytes.truncate(text.find("UNLOCK TABLES;").unwrap());
}, "no end")]
#[case::altered(|bytes: &mut Vec<u8>| {
    let text = String::from_utf8(bytes.clone()).unwrap();
    *bytes = text.replace("Ombralunga", "Ombralungo").into_bytes();
}, "checksum")]
#[case::another_kind_of_file(|bytes: &mut Vec<u8>| *bytes = b"DROP TABLE orders;".to_vec(), "no backup")]
#[tokio::test]
async fn a_backup_that_is_not_whole_changes_nothing(#[case] spoil: fn(&mut Vec<u8>), #[case] why: &str) {
    let (server, folder) = (TestServer::shared(), tempfile::tempdir().unwrap());
    let (url, file) = backed_up(&server, folder.path()).await;
    let before = titles(&url).await;
    let mut bytes = std::fs::read(&file).unwrap();
    spoil(&mut bytes);
    std::fs::write(&file, bytes).unwrap();
    let refused = restore(&url, &file, folder.path()).await.unwrap_err().to_string();
    assert!(refused.contains(why) && refused.contains("nothing was changed"), "{refused}");
    assert_eq!(titles(&url).await, before);
}

#[rstest]
#[case("\\! touch /tmp/dettaglio-restored\n")]
#[case("DROP DATABASE mysql;\n")]
#[case("CREATE TABLE `t` (a INT);\nUSE `mysql`;\n")]
#[case("INSERT INTO `orders` VALUES (1\n")]
#[tokio::test]
async fn a_line_that_no_backup_holds_is_never_run(#[case] lines: &str) {
    let (server, folder) = (TestServer::shared(), tempfile::tempdir().unwrap());
    let url = server.fresh_database().await;
    Store::connect(&url).await.unwrap().add_order("Room 2", "", None).await.unwrap();
    let file = folder.path().join("backup.sql");
    // As an earlier version wrote it, without a checksum that would tell.
    std::fs::write(&file, format!("-- Dettaglio backup 1\n{lines}-- Dump completed\n")).unwrap();
    let refused = restore(&url, &file, folder.path()).await.unwrap_err();
    assert!(matches!(refused, BackupError::Strange { .. }), "{refused}");
    assert_eq!(titles(&url).await, ["Room 2"]);
}

#[rstest]
#[tokio::test]
async fn an_earlier_versions_backup_is_brought_up_to_date(#[values(1, 3, 5)] version: usize) {
    let (server, folder) = (TestServer::shared(), tempfile::tempdir().unwrap());
    let (old, url) = (server.fresh_database().await, server.fresh_database().await);
    migrated(&old, &migrations().await[..version]).await;
    let mut connection = MySqlConnection::connect(&old).await.unwrap();
    connection.execute("INSERT INTO orders (title, client) VALUES ('Room 1', 'Ombralunga')").await.unwrap();
    let file = folder.path().join("backup.sql");
    back_up(&old, &file).await.unwrap();
    Store::connect(&url).await.unwrap().add_order("Room 2", "", None).await.unwrap();
    restore(&url, &file, folder.path()).await.unwrap();
    assert_eq!(titles(&url).await, ["Room 1"]);
    assert_eq!(Store::standing(&url).await.unwrap(), Standing::Current);
}

#[tokio::test]
async fn a_migration_that_was_cut_short_anywhere_is_completed() {
    let server = TestServer::shared();
    let migrations = migrations().await;
    for (at, migration) in migrations.iter().enumerate() {
        let bare: Vec<&str> = migration.sql.lines().map(|line| line.split("--").next().unwrap()).collect();
        let bare = bare.join("\n");
        let statements: Vec<&str> = bare.split(';').map(str::trim).filter(|one| !one.is_empty()).collect();
        for done in 0..=statements.len() {
            let url = server.fresh_database().await;
            migrated(&url, &migrations[..at]).await;
            let mut connection = MySqlConnection::connect(&url).await.unwrap();
            if at == 0 {
                migrated(&url, &[]).await;
            }
            // As the migrator writes it down before it begins.
            sqlx::query("INSERT INTO _sqlx_migrations (version, description, success, checksum, execution_time) VALUES (?, ?, FALSE, ?, -1)")
                .bind(migration.version)
                .bind(migration.description.as_ref())
                .bind(migration.checksum.as_ref())
                .execute(&mut connection)
                .await
                .unwrap();
            for statement in &statements[..done] {
                connection.execute(*statement).await.unwrap();
            }
            assert_eq!(Store::standing(&url).await.unwrap(), Standing::Earlier);
            Store::connect(&url).await.unwrap_or_else(|e| panic!("migration {at} after {done} statements: {e}"));
            assert_eq!(Store::standing(&url).await.unwrap(), Standing::Current);
        }
    }
}

#[tokio::test]
async fn a_database_of_a_later_version_is_known_as_such() {
    let server = TestServer::shared();
    let url = server.fresh_database().await;
    assert_eq!(Store::standing(&url).await.unwrap(), Standing::New);
    let store = Store::connect(&url).await.unwrap();
    store.pool().execute("INSERT INTO _sqlx_migrations (version, description, success, checksum, execution_time) VALUES (9999, 'later', TRUE, 'x', 1)").await.unwrap();
    assert_eq!(Store::standing(&url).await.unwrap(), Standing::Later);
}
