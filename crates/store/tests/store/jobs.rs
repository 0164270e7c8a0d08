//! The run sheet and its leases, in a real MariaDB.

use std::time::Duration;

use dettaglio_domain::forecast::Rates;
use dettaglio_domain::id::JobId;
use dettaglio_store::Store;
use dettaglio_store::jobs::{JobState, Stage};
use dettaglio_store::leases::{Lease, MOST_ATTEMPTS, SignOfLife};
use rstest::rstest;

use crate::support::{Database, database, queued, record};

fn sign(progress: f64) -> SignOfLife {
    SignOfLife { stage: Stage::Computing, progress, seconds_left: Some(3.0) }
}

async fn state(store: &Store, id: JobId) -> JobState {
    store.job(id).await.unwrap().state
}

#[rstest]
#[tokio::test(flavor = "multi_thread")]
async fn of_many_workers_who_ask_at_once_none_goes_away_while_a_job_waits(#[future(awt)] database: Database) {
    let jobs = queued(&database.store, 40).await;
    let mut asking = tokio::task::JoinSet::new();
    for worker in 0..40 {
        let store = Store::connect(&database.url).await.unwrap();
        asking.spawn(async move {
            let job = store.take_job(&format!("worker-{worker}")).await.unwrap().expect("there are enough");
            // Signs of life meet with others who still look for a job.
            for _ in 0..5 {
                assert_eq!(
                    store.renew_lease(job.id, &format!("worker-{worker}"), sign(0.5)).await.unwrap(),
                    Lease::Held
                );
            }
            job.id
        });
    }
    let mut taken = asking.join_all().await;
    taken.sort_unstable();
    assert_eq!(taken, jobs.iter().map(|j| j.id).collect::<Vec<_>>());
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
    assert_eq!(taken, jobs.iter().map(|j| j.id).collect::<Vec<_>>());
}

#[rstest]
#[tokio::test]
async fn a_run_from_elsewhere_keeps_its_length(#[future(awt)] database: Database) {
    let store = &database.store;
    queued(store, 1).await;
    let id = store.take_job("a").await.unwrap().unwrap().id;
    for (worker, due) in [("b", 0.0), ("a", 90.5)] {
        store.begun_before(id, worker, 90.5).await.unwrap();
        let job = store.job(id).await.unwrap();
        let ago = (store.now().await.unwrap() - job.started_at.unwrap()).as_seconds_f64();
        assert!((ago - due).abs() < 5.0, "{ago}");
    }
}

#[rstest]
#[tokio::test]
async fn a_finished_job_has_its_enlargement_and_only_once(#[future(awt)] database: Database) {
    let store = &database.store;
    queued(store, 1).await;
    let job = store.take_job("a").await.unwrap().unwrap();
    assert_eq!((job.state, job.attempts), (JobState::Running, 1));
    assert_eq!(store.renew_lease(job.id, "a", sign(0.5)).await.unwrap(), Lease::Held);
    assert_eq!(store.renew_lease(job.id, "b", sign(0.9)).await.unwrap(), Lease::Lost);
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
    for attempt in 1..=MOST_ATTEMPTS {
        let job = store.take_job("doomed").await.unwrap().expect("the job is there");
        assert_eq!((job.id, job.attempts), (id, attempt));
        assert!(store.take_job("other").await.unwrap().is_none(), "the lease holds");
        store.expire_lease_for_tests(id).await.unwrap();
    }
    assert!(store.take_job("other").await.unwrap().is_none());
    let job = store.job(id).await.unwrap();
    assert_eq!(job.state, JobState::Failed);
    assert!(job.reason.is_some());
    store.retry_jobs(&[id]).await.unwrap();
    assert_eq!(store.take_job("other").await.unwrap().unwrap().attempts, 1);
}

#[rstest]
#[tokio::test]
async fn cancelling_reaches_waiting_and_running_jobs(#[future(awt)] database: Database) {
    let store = &database.store;
    let jobs = queued(store, 2).await;
    let running = store.take_job("a").await.unwrap().unwrap();
    store.cancel_jobs(&[jobs[1].id, running.id]).await.unwrap();
    assert_eq!(state(store, jobs[1].id).await, JobState::Cancelled);
    assert_eq!(state(store, running.id).await, JobState::Running);
    assert_eq!(store.renew_lease(running.id, "a", sign(0.1)).await.unwrap(), Lease::CancelRequested);
    store.end_job(running.id, "a", JobState::Cancelled, "").await.unwrap();
    assert_eq!(store.job(running.id).await.unwrap().state, JobState::Cancelled);
    assert!(store.take_job("a").await.unwrap().is_none());
    store.retry_jobs(&[running.id]).await.unwrap();
    assert_eq!(state(store, running.id).await, JobState::Waiting);
    store.take_job("a").await.unwrap().unwrap();
    assert_eq!(store.renew_lease(running.id, "a", sign(0.1)).await.unwrap(), Lease::Held, "the old request is gone");
}

#[rstest]
#[tokio::test]
async fn a_returned_job_waits_again_and_the_attempt_does_not_count(#[future(awt)] database: Database) {
    let store = &database.store;
    queued(store, 1).await;
    let job = store.take_job("a").await.unwrap().unwrap();
    store.return_job(job.id, "a", false).await.unwrap();
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
    let changed = store.jobs_changed_since(before).await.unwrap();
    assert_eq!(changed.len(), 2);
    let latest = changed[1].changed_at;
    assert!(store.jobs_changed_since(latest).await.unwrap().is_empty());
    store.cancel_jobs(&[jobs[0].id]).await.unwrap();
    let changed = store.jobs_changed_since(latest).await.unwrap();
    assert_eq!(changed.iter().map(|j| j.id).collect::<Vec<_>>(), [jobs[0].id]);
}

#[rstest]
#[tokio::test]
async fn a_paused_job_is_passed_over_and_keeps_what_it_has(#[future(awt)] database: Database) {
    let store = &database.store;
    let jobs = queued(store, 2).await;
    let running = store.take_job("a").await.unwrap().unwrap();
    store.renew_lease(running.id, "a", sign(0.4)).await.unwrap();
    store.pause_jobs(&[running.id, jobs[1].id]).await.unwrap();
    assert_eq!(state(store, jobs[1].id).await, JobState::Paused);
    assert_eq!(store.renew_lease(running.id, "a", sign(0.4)).await.unwrap(), Lease::PauseRequested);
    store.return_job(running.id, "a", true).await.unwrap();
    let paused = store.job(running.id).await.unwrap();
    assert_eq!((paused.state, paused.attempts, paused.progress), (JobState::Paused, 0, 0.4));
    assert!(store.take_job("a").await.unwrap().is_none());
    store.resume_jobs(&[running.id]).await.unwrap();
    assert_eq!(store.take_job("a").await.unwrap().unwrap().id, running.id);
    assert_eq!(store.renew_lease(running.id, "a", sign(0.5)).await.unwrap(), Lease::Held, "the old request is gone");
}

#[rstest]
#[tokio::test]
async fn a_sheet_that_is_held_up_starts_nothing(#[future(awt)] database: Database) {
    let store = &database.store;
    queued(store, 2).await;
    let running = store.take_job("a").await.unwrap().unwrap();
    store.hold_up(true).await.unwrap();
    assert!(store.take_job("b").await.unwrap().is_none());
    assert_eq!(store.renew_lease(running.id, "a", sign(0.1)).await.unwrap(), Lease::HeldUp);
    store.hold_up(false).await.unwrap();
    assert_eq!(store.renew_lease(running.id, "a", sign(0.1)).await.unwrap(), Lease::Held);
    assert!(store.take_job("b").await.unwrap().is_some());
}

async fn turns(store: &Store) -> Vec<JobId> {
    store.run_sheet(10).await.unwrap().ahead.iter().map(|job| job.id).collect()
}

#[rstest]
#[tokio::test]
async fn jobs_go_in_the_order_that_a_person_gives_them(#[future(awt)] database: Database) {
    let store = &database.store;
    let ids: Vec<JobId> = queued(store, 5).await.iter().map(|job| job.id).collect();
    let [a, b, c, d, e] = ids[..] else { panic!() };
    assert_eq!(turns(store).await, [a, b, c, d, e]);
    store.move_jobs(&[e, d], Some(b)).await.unwrap();
    assert_eq!(turns(store).await, [a, e, d, b, c]);
    store.move_jobs(&[a], None).await.unwrap();
    assert_eq!(turns(store).await, [e, d, b, c, a]);
    store.set_priority(&[c], 1).await.unwrap();
    assert_eq!(turns(store).await, [c, e, d, b, a]);
    // What is put before an urgent job becomes as urgent as that.
    store.move_jobs(&[a], Some(c)).await.unwrap();
    assert_eq!(turns(store).await, [a, c, e, d, b]);
    for _ in 0..100 {
        store.move_jobs(&[b], Some(d)).await.unwrap();
        store.move_jobs(&[d], Some(b)).await.unwrap();
    }
    assert_eq!(turns(store).await, [a, c, e, d, b], "places do not run out");
    assert_eq!(store.take_job("w").await.unwrap().unwrap().id, a);
    assert!(store.move_jobs(&[b], Some(999_999.into())).await.is_err());
}

#[rstest]
#[tokio::test]
async fn a_job_that_is_put_off_waits_its_time_and_says_why(#[future(awt)] database: Database) {
    let store = &database.store;
    let id = queued(store, 1).await[0].id;
    store.take_job("a").await.unwrap().unwrap();
    store.put_off_job(id, "a", "the disk is full", 60).await.unwrap();
    let job = store.job(id).await.unwrap();
    assert_eq!((job.state, job.attempts, job.reason.as_deref()), (JobState::Waiting, 0, Some("the disk is full")));
    assert!(store.take_job("a").await.unwrap().is_none());
    store.retry_jobs(&[id]).await.unwrap();
    let job = store.take_job("a").await.unwrap().expect("a person may say that it is to be tried now");
    assert_eq!(job.reason, None);
    store.put_off_job(id, "a", "the disk is full", 0).await.unwrap();
    tokio::time::sleep(Duration::from_millis(5)).await;
    assert!(store.take_job("a").await.unwrap().is_some(), "when its time has come");
}

#[rstest]
#[tokio::test]
async fn workers_machines_and_forecasts(#[future(awt)] database: Database) {
    let store = &database.store;
    let jobs = queued(store, 2).await;
    store.worker_seen("a", "forno", None).await.unwrap();
    store.worker_seen("a", "forno", Some(jobs[0].id)).await.unwrap();
    store.worker_seen("b", "banco", None).await.unwrap();
    let there: Vec<_> = store.workers().await.unwrap().into_iter().map(|w| (w.machine, w.job_id)).collect();
    assert_eq!(there, [("banco".to_owned(), None), ("forno".to_owned(), Some(jobs[0].id))]);
    store.worker_left("a").await.unwrap();
    assert_eq!(store.workers().await.unwrap().len(), 1);

    assert_eq!(store.rates("forno").await.unwrap(), Rates::default());
    let rates = Rates {
        models: [("everyday-x4-draft".to_owned(), 5e5)].into(),
        writing: Some(2e7),
        runs: 3,
        ..Rates::default()
    };
    store.set_rates("forno", &rates).await.unwrap();
    assert_eq!(store.rates("forno").await.unwrap(), rates);

    assert_eq!(store.waiting_treatments().await.unwrap().len(), 2);
    store.set_forecasts(&[(jobs[1].id, 42.5)]).await.unwrap();
    let forecasts = [store.job(jobs[0].id).await.unwrap().forecast, store.job(jobs[1].id).await.unwrap().forecast];
    assert_eq!(forecasts, [Some(10.0), Some(42.5)]);
}
