//! Schemas of earlier versions, backups, and a database server that dies.

use std::time::Duration;

use chrono::{Days, Utc};
use dettaglio_domain::geometry::Size;
use dettaglio_domain::kernel::Kernel;
use dettaglio_domain::treatment::Treatment;
use dettaglio_store::Store;
use dettaglio_store::backup::{BackupError, back_up, restore};
use dettaglio_store::choices::{Compared, Decision};
use dettaglio_store::mariadb::MariaDb;
use dettaglio_store::testing::TestServer;
use rstest::rstest;
use sqlx::migrate::Migrator;
use sqlx::{Connection, Executor, MySqlConnection};

use crate::support::{Database, database, queued};

static MIGRATIONS: Migrator = sqlx::migrate!();

/// A database of an earlier version, with an order, an original, a treatment, a job and a result in it.
const EARLIER: &str = r#"
    INSERT INTO orders (id, title, client) VALUES (1, 'Room 2', 'Isola Brina');
    INSERT INTO originals (id, order_id, name, hash, facts) VALUES (1, 1, 'vases.jpg', REPEAT('a', 64),
        '{"format":"JPEG","bytes":1234,"size":{"width":900,"height":600},"depth":8,"channels":"colour","turned":false,"had_transparency":false}');
    INSERT INTO treatments (hash, body) VALUES (REPEAT('b', 64), '{}');
    INSERT INTO jobs (id, original_id, treatment, settings, file_name, state) VALUES
        (1, 1, REPEAT('b', 64), '{"format":"tiff","depth":16}', 'vases.tif', 'done'),
        (2, 1, REPEAT('b', 64), '{"format":"tiff","depth":16}', 'vases-2.tif', 'waiting'),
        (3, 1, REPEAT('b', 64), '{"format":"tiff","depth":16}', 'vases-3.tif', 'waiting');
    INSERT INTO enlargements (id, original_id, job_id, file_key, bytes, record) VALUES (1, 1, 1, 'enlargements/1.tif', 9,
        CONCAT('{"original":"vases.jpg","original_sha256":"', REPEAT('a', 64), '","original_size":{"width":900,"height":600},',
        '"size":{"width":1800,"height":1200},"treatment":"bicubic","treatment_hash":"', REPEAT('b', 64),
        '","settings":{"format":"tiff","depth":16},"profile":null,"seconds":1.5,"version":"0.1.0"}'));
"#;

#[rstest]
#[case(1)]
#[case(2)]
#[case(3)]
#[case(4)]
#[tokio::test]
async fn nothing_is_lost_on_the_way_from_an_earlier_schema(#[case] version: i64) {
    let server = TestServer::shared();
    let url = server.fresh_database().await;
    let mut connection = MySqlConnection::connect(&url).await.unwrap();
    let some = MIGRATIONS.iter().filter(|migration| migration.version <= version).cloned().collect::<Vec<_>>();
    let earlier = Migrator { migrations: some.into(), ..Migrator::DEFAULT };
    earlier.run(&mut connection).await.unwrap();
    connection.execute(EARLIER).await.unwrap();

    let store = Store::connect(&url).await.expect("brought up to date");
    let order = store.orders().await.unwrap().remove(0);
    assert_eq!((order.details.title.as_str(), order.counts.originals, order.counts.results), ("Room 2", 1, 1));
    assert_eq!(store.originals(1.into()).await.unwrap()[0].name, "vases.jpg");
    let ahead: Vec<u64> = store.run_sheet(5).await.unwrap().ahead.iter().map(|job| job.id.get()).collect();
    assert_eq!(ahead, [2, 3], "what waited goes on in its order");
    let result = store.enlargement(1.into()).await.unwrap();
    assert_eq!((result.record.size.width, result.verdict), (1800, None));
}

#[rstest]
#[tokio::test]
async fn a_backup_brings_everything_back(#[future(awt)] database: Database) {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("dettaglio.sql");
    let jobs = queued(&database.store, 3).await;
    back_up(&database.url, &file).await.unwrap();
    database.store.cancel_jobs(&[jobs[0].id]).await.unwrap();
    database.store.set_order_removed(jobs[0].order_id, true).await.unwrap();
    restore(&database.url, &file, folder.path()).await.unwrap();
    let again = Store::connect(&database.url).await.unwrap();
    assert_eq!(again.orders().await.unwrap().len(), 1);
    assert_eq!(again.run_sheet(5).await.unwrap().ahead.len(), 3);

    let other = folder.path().join("letter.txt");
    std::fs::write(&other, "dear Nives").unwrap();
    assert!(matches!(restore(&database.url, &other, folder.path()).await, Err(BackupError::NoBackup(_))));
    assert_eq!(again.orders().await.unwrap().len(), 1, "and nothing was changed");
    let wrong = back_up("postgres://somewhere/else", &file).await.unwrap_err();
    assert!(matches!(wrong, BackupError::Address(_)), "{wrong}");
}

#[tokio::test]
async fn a_database_that_was_killed_is_started_again_and_has_lost_nothing() {
    let folder = tempfile::tempdir().unwrap();
    let mut database = MariaDb::start(folder.path()).await.unwrap();
    let store = Store::connect(database.url()).await.unwrap();
    let order = store.add_order("Room 2", "", None).await.unwrap();
    assert_eq!(MariaDb::url_in(folder.path()).as_deref(), Some(database.url()));
    assert!(!database.revive().await.unwrap(), "it lives");
    let pid: i32 = std::fs::read_to_string(folder.path().join("mariadb.pid")).unwrap().trim().parse().unwrap();
    rustix::process::kill_process(rustix::process::Pid::from_raw(pid).unwrap(), rustix::process::Signal::KILL).unwrap();
    let mut revived = false;
    for _ in 0..100 {
        tokio::time::sleep(Duration::from_millis(20)).await;
        revived = revived || database.revive().await.unwrap();
    }
    assert!(revived);
    assert_eq!(store.order(order.id).await.unwrap().details.title, "Room 2", "over the same connections");
    database.stop().await;
    assert_eq!(MariaDb::url_in(folder.path()), None);
}

#[rstest]
#[tokio::test]
async fn only_treatments_that_nothing_needs_are_swept_out(#[future(awt)] database: Database) {
    let store = &database.store;
    let treatment = |side| Treatment::plain(Kernel::Bicubic, Size::new(side, side));
    let job = queued(store, 1).await.remove(0);
    let (chosen, looked_at, fresh) = (treatment(100), treatment(200), treatment(300));
    for one in [&chosen, &looked_at] {
        store.add_treatment(one).await.unwrap();
    }
    let compared = Compared { letter: "A".to_owned(), treatment: chosen.hash(), description: String::new() };
    let decision = Decision { candidates: vec![compared], chosen: "A".to_owned(), spots: Vec::new(), blind: false };
    store.add_decision(job.original_id, &decision).await.unwrap();
    let mut connection = MySqlConnection::connect(&database.url).await.unwrap();
    connection.execute("UPDATE treatments SET kept_at = kept_at - INTERVAL 9 DAY").await.unwrap();
    store.add_treatment(&fresh).await.unwrap();

    let week_ago = Utc::now() - Days::new(7);
    assert_eq!(store.sweep_treatments(week_ago).await.unwrap(), 1);
    assert!(store.treatment(looked_at.hash()).await.is_err_and(|error| error.is_missing()));
    for kept in [job.treatment, chosen.hash(), fresh.hash()] {
        store.treatment(kept).await.unwrap();
    }
}
