//! The database server of our own, started, taken over and stopped.

use dettaglio_store::Store;
use dettaglio_store::mariadb::MariaDb;

#[tokio::test]
async fn what_was_stored_is_there_after_a_restart_and_a_left_server_is_taken_over() {
    let folder = tempfile::tempdir().unwrap();
    let database = MariaDb::start(folder.path()).await.unwrap();
    let store = Store::connect(database.url()).await.unwrap();
    store.add_order("Room 2", "", None).await.unwrap();
    drop(store);

    // As after a kill -9 of the program: the server still runs, and the next program finds it.
    let url = database.url().to_owned();
    std::mem::forget(database);
    let second = MariaDb::start(folder.path()).await.unwrap();
    assert_eq!(second.url(), url, "the same server");
    second.stop().await;

    let third = MariaDb::start(folder.path()).await.unwrap();
    assert_eq!(Store::connect(third.url()).await.unwrap().orders().await.unwrap().len(), 1);
    assert_eq!(third.url(), url, "where workers look for it");
    third.stop().await;
    assert_eq!(MariaDb::url_in(folder.path()), None);
}

#[tokio::test]
async fn its_password_is_the_owners_alone() {
    use std::os::unix::fs::PermissionsExt;
    let folder = tempfile::tempdir().unwrap();
    let database = MariaDb::start(folder.path()).await.unwrap();
    let mode = std::fs::metadata(folder.path().join("password")).unwrap().permissions().mode();
    let (before, _) = database.url().rsplit_once('@').unwrap();
    let wrong = database.url().replace(before, "mysql://dettaglio:guessed");
    let refused = Store::connect(&wrong).await.is_err();
    database.stop().await;
    assert_eq!(mode & 0o777, 0o600);
    assert!(refused);
}

/// Rows of one text each, or why not.
async fn ask(url: &str, question: &str) -> Result<Vec<String>, sqlx::Error> {
    use sqlx::{Connection, MySqlConnection};
    sqlx::query_scalar(question).fetch_all(&mut MySqlConnection::connect(url).await?).await
}

#[tokio::test]
async fn nobody_else_on_the_machine_gets_in() {
    use std::os::unix::fs::PermissionsExt;
    let folder = tempfile::tempdir().unwrap();
    let folder = folder.path().join("database");
    let database = MariaDb::start(&folder).await.unwrap();
    let url = database.url().to_owned();
    let root = url.replace("mysql://dettaglio:", "mysql://root:").replace("/dettaglio?", "/mysql?");
    // As an earlier version left it.
    let old = ["CREATE USER root@'127.0.0.1'", "CREATE USER ''@'%'", "CREATE USER dettaglio@'127.0.0.1'"];
    for account in old {
        ask(&root, account).await.unwrap();
    }
    database.stop().await;
    let database = MariaDb::start(&folder).await.unwrap();
    let accounts =
        ask(&root, "SELECT CAST(CONCAT(User, '@', Host) AS CHAR) FROM global_priv ORDER BY 1").await.unwrap();
    let password = std::fs::read_to_string(folder.join("password")).unwrap();
    let none = ask(&root.replace(&password, ""), "SELECT 'in'").await;
    let networking = ask(&url, "SELECT CAST(@@skip_networking AS CHAR)").await.unwrap();
    let files = ask(&url, "SELECT @@secure_file_priv").await.unwrap();
    let hashes = ask(&url, "SELECT User FROM mysql.global_priv").await;
    let out = ask(&url, &format!("SELECT 'x' INTO OUTFILE '{}/exchange/x'", folder.display())).await;
    let read = ask(&url, "SELECT LOAD_FILE('/etc/passwd')").await;
    let mode = std::fs::metadata(&folder).unwrap().permissions().mode();
    database.stop().await;
    assert_eq!(accounts, ["dettaglio@localhost", "mariadb.sys@localhost", "root@localhost"]);
    assert!(none.is_err(), "without a password");
    assert_eq!(networking, ["ON"]);
    assert!(files[0].ends_with("/exchange/"), "{files:?}");
    assert!(hashes.is_err() && out.is_err() && !matches!(read, Ok(rows) if rows.iter().any(|r| r.contains("root"))));
    assert_eq!(mode & 0o777, 0o700);
}

#[tokio::test]
async fn a_setting_up_that_was_cut_short_is_begun_anew() {
    let folder = tempfile::tempdir().unwrap();
    for half in ["data/aria_log.1", "data.part-x/mysql/half.ibd"] {
        let file = folder.path().join(half);
        std::fs::create_dir_all(file.parent().unwrap()).unwrap();
        std::fs::write(file, "half").unwrap();
    }
    let database = MariaDb::start(folder.path()).await.unwrap();
    let store = Store::connect(database.url()).await.unwrap();
    assert!(store.orders().await.unwrap().is_empty());
    store.pool().close().await;
    database.stop().await;
}

#[tokio::test]
async fn a_start_that_is_killed_again_and_again_is_made_good() {
    let folder = tempfile::tempdir().unwrap();
    // What it started goes on by itself, as after a kill -9 of the program.
    for milliseconds in [40, 300, 900, 1500, 2500, 400, 1200] {
        let start = MariaDb::start(folder.path());
        if let Ok(started) = tokio::time::timeout(std::time::Duration::from_millis(milliseconds), start).await {
            std::mem::forget(started.unwrap());
        }
    }
    let database = MariaDb::start(folder.path()).await.unwrap();
    let store = Store::connect(database.url()).await.unwrap();
    store.add_order("Room 2", "", None).await.unwrap();
    store.pool().close().await;
    database.stop().await;
    let left = std::fs::read_dir(folder.path()).unwrap().flatten();
    let parts: Vec<_> = left.filter(|entry| entry.file_name().to_string_lossy().starts_with("data.part-")).collect();
    assert!(parts.len() <= 6, "{parts:?}");
}
