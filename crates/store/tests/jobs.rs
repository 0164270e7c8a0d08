//! Orders, originals and leased jobs in a real MariaDB.

use std::sync::Arc;
use std::time::Duration;

use dettaglio_core::codec::{Facts, Format, OutputSettings};
use dettaglio_core::enlarge::Kernel;
use dettaglio_core::frame::Frame;
use dettaglio_core::hash::ContentHash;
use dettaglio_core::picture::{Channels, Depth, Size};
use dettaglio_core::size::Target;
use dettaglio_core::treatment::Treatment;
use dettaglio_store::jobs::{Job, JobState, Lease, Record};
use dettaglio_store::testing::TestServer;
use dettaglio_store::{Store, StoreError};
use rstest::{fixture, rstest};

struct Database {
    store: Store,
    _server: Arc<TestServer>,
}

#[fixture]
async fn database() -> Database {
    let server = TestServer::shared();
    let store = Store::connect(&server.fresh_database().await).await.expect("a migrated database");
    Database { store, _server: server }
}

fn facts() -> Facts {
    Facts {
        format: "JPEG".to_owned(),
        bytes: 1234,
        size: Size::new(900, 600),
        depth: Depth::Eight,
        channels: Channels::Colour,
        profile: Some("Étude RGB".to_owned()),
        turned: false,
        had_transparency: false,
        camera: None,
        iso: Some(3200),
        taken: None,
        exposure: None,
        jpeg_quality: None,
    }
}

async fn queued(store: &Store, count: usize) -> Vec<Job> {
    let order = store.add_order("Room 2", "Isola Brina", None).await.unwrap();
    let (original, _) = store.add_original(order.id, "vases.jpg", ContentHash::of(b"vases"), &facts()).await.unwrap();
    let treatment = store.add_treatment(&Treatment::plain(Kernel::Bicubic, Size::new(1800, 1200))).await.unwrap();
    let mut jobs = Vec::new();
    for i in 0..count {
        let settings = OutputSettings::new(Format::Tiff);
        jobs.push(store.add_job(original, treatment, &settings, &format!("vases-{i}.tif")).await.unwrap());
    }
    jobs
}

fn record(job: &Job) -> Record {
    Record {
        original: "vases.jpg".to_owned(),
        original_sha256: ContentHash::of(b"vases"),
        original_size: Size::new(900, 600),
        size: Size::new(1800, 1200),
        frame: Frame::default(),
        treatment: "bicubic".to_owned(),
        treatment_hash: job.treatment,
        settings: job.settings,
        profile: None,
        seconds: 1.5,
        version: "test".to_owned(),
    }
}

#[rstest]
#[tokio::test]
async fn originals_come_back_as_they_went_in(#[future(awt)] database: Database) {
    let store = &database.store;
    let order = store.add_order("Sette Nodi — coperte", "Filanda", None).await.unwrap();
    let hash = ContentHash::of(b"wool");
    let (id, is_new) = store.add_original(order.id, "lana è.jpg", hash, &facts()).await.unwrap();
    assert!(is_new);
    assert_eq!(store.add_original(order.id, "other name.jpg", hash, &facts()).await.unwrap(), (id, false));
    let target = Target::Percent { percent: 250.0 };
    store.set_target(id, &target).await.unwrap();

    let row = store.original(id).await.unwrap();
    assert_eq!((row.name.as_str(), row.hash, row.facts, row.target), ("lana è.jpg", hash, facts(), Some(target)));
    assert_eq!(store.orders().await.unwrap()[0].originals, 1);

    store.set_removed(id, true).await.unwrap();
    assert!(store.originals(order.id).await.unwrap().is_empty());
    assert_eq!(store.add_original(order.id, "again.jpg", hash, &facts()).await.unwrap().0, id, "brought back");
    assert_eq!(store.originals(order.id).await.unwrap().len(), 1);
    assert!(matches!(store.original(id + 1).await, Err(StoreError::Missing { .. })));
}

#[rstest]
#[tokio::test]
async fn a_treatment_is_found_by_its_hash(#[future(awt)] database: Database) {
    let treatment = Treatment::plain(Kernel::Lanczos3, Size::new(4000, 3000));
    let hash = database.store.add_treatment(&treatment).await.unwrap();
    assert_eq!(database.store.add_treatment(&treatment).await.unwrap(), hash);
    let found = database.store.treatment(hash).await.unwrap();
    assert_eq!((found.hash(), found), (hash, treatment));
}

#[rstest]
#[tokio::test(flavor = "multi_thread")]
async fn each_job_goes_to_one_worker(#[future(awt)] database: Database) {
    let jobs = queued(&database.store, 12).await;
    let mut takers = Vec::new();
    for worker in 0..4 {
        let store = database.store.clone();
        takers.push(tokio::spawn(async move {
            let mut taken = Vec::new();
            while let Some(job) = store.take_job(&format!("worker-{worker}")).await.unwrap() {
                taken.push(job.id);
            }
            taken
        }));
    }
    let mut taken = Vec::new();
    for taker in takers {
        taken.extend(taker.await.unwrap());
    }
    taken.sort_unstable();
    // A row that another worker had locked at that moment is skipped, and is there for the next look.
    while let Some(job) = database.store.take_job("late").await.unwrap() {
        taken.push(job.id);
    }
    taken.sort_unstable();
    assert_eq!(taken, jobs.iter().map(|j| j.id).collect::<Vec<_>>());
}

#[rstest]
#[tokio::test]
async fn a_finished_job_has_its_enlargement_and_only_once(#[future(awt)] database: Database) {
    let store = &database.store;
    queued(store, 1).await;
    let job = store.take_job("a").await.unwrap().unwrap();
    assert_eq!((job.state, job.attempts), (JobState::Running, 1));
    assert_eq!(store.renew_lease(job.id, "a", 0.5, Some(3.0)).await.unwrap(), Lease::Held);
    assert_eq!(store.renew_lease(job.id, "b", 0.9, None).await.unwrap(), Lease::Lost);
    assert_eq!(store.job(job.id).await.unwrap().progress, 0.5);
    assert!(store.finish_job(&job, "a", "enlargements/1.tif", 99, &record(&job)).await.unwrap());
    assert!(!store.finish_job(&job, "a", "enlargements/1.tif", 99, &record(&job)).await.unwrap());
    let done = store.job(job.id).await.unwrap();
    let enlargement = store.enlargement(done.enlargement_id.unwrap()).await.unwrap();
    assert_eq!((done.state, enlargement.record, enlargement.bytes), (JobState::Done, record(&job), 99));
}

#[rstest]
#[tokio::test]
async fn a_job_whose_worker_died_is_taken_again_but_not_for_ever(#[future(awt)] database: Database) {
    let store = &database.store;
    let id = queued(store, 1).await[0].id;
    for attempt in 1..=3 {
        let job = store.take_job("doomed").await.unwrap().expect("the job is there");
        assert_eq!((job.id, job.attempts), (id, attempt));
        assert!(store.take_job("other").await.unwrap().is_none(), "the lease holds");
        store.expire_lease_for_tests(id).await.unwrap();
    }
    assert!(store.take_job("other").await.unwrap().is_none());
    let job = store.job(id).await.unwrap();
    assert_eq!(job.state, JobState::Failed);
    assert!(job.reason.is_some());
    assert_eq!(store.retry_job(id).await.unwrap().state, JobState::Waiting);
    assert_eq!(store.take_job("other").await.unwrap().unwrap().attempts, 1);
}

#[rstest]
#[tokio::test]
async fn cancelling_reaches_waiting_and_running_jobs(#[future(awt)] database: Database) {
    let store = &database.store;
    let jobs = queued(store, 2).await;
    let running = store.take_job("a").await.unwrap().unwrap();
    assert_eq!(store.cancel_job(jobs[1].id).await.unwrap().state, JobState::Cancelled);
    assert_eq!(store.cancel_job(running.id).await.unwrap().state, JobState::Running);
    assert_eq!(store.renew_lease(running.id, "a", 0.1, None).await.unwrap(), Lease::CancelRequested);
    store.end_job(running.id, "a", JobState::Cancelled, "").await.unwrap();
    assert_eq!(store.job(running.id).await.unwrap().state, JobState::Cancelled);
    assert!(store.take_job("a").await.unwrap().is_none());
    let again = store.retry_job(running.id).await.unwrap();
    assert_eq!(again.state, JobState::Waiting);
    store.take_job("a").await.unwrap().unwrap();
    assert_eq!(store.renew_lease(running.id, "a", 0.1, None).await.unwrap(), Lease::Held, "the old request is gone");
}

#[rstest]
#[tokio::test]
async fn a_returned_job_waits_again_and_the_attempt_does_not_count(#[future(awt)] database: Database) {
    let store = &database.store;
    queued(store, 1).await;
    let job = store.take_job("a").await.unwrap().unwrap();
    store.return_job(job.id, "a").await.unwrap();
    let job = store.job(job.id).await.unwrap();
    assert_eq!((job.state, job.attempts), (JobState::Waiting, 0));
}

#[rstest]
#[tokio::test]
async fn changes_are_told_once(#[future(awt)] database: Database) {
    let store = &database.store;
    let before = store.now().await.unwrap();
    tokio::time::sleep(Duration::from_millis(5)).await;
    let jobs = queued(store, 2).await;
    let (changed, latest) = store.jobs_changed_since(before).await.unwrap();
    assert_eq!(changed.len(), 2);
    assert!(store.jobs_changed_since(latest).await.unwrap().0.is_empty());
    store.cancel_job(jobs[0].id).await.unwrap();
    let (changed, _) = store.jobs_changed_since(latest).await.unwrap();
    assert_eq!(changed.iter().map(|j| j.id).collect::<Vec<_>>(), [jobs[0].id]);
}
