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
