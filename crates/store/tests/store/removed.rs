//! What was removed: named, put back, deleted for good.

use chrono::{Duration, Utc};
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::id::{JobId, OrderId, OriginalId, ResultId};
use dettaglio_store::files::FileStore;
use dettaglio_store::orders::OrderDetails;
use dettaglio_store::printings::PrintState;
use dettaglio_store::removed::{Deleted, RemovedKind};
use dettaglio_store::{Store, StoreError};
use rstest::rstest;

use crate::support::{Database, database, facts, queued, record};

/// An order with a picture, a result of it, and a job that waits; the numbers of the order, the picture and the result.
async fn with_a_result(store: &Store) -> (OrderId, OriginalId, ResultId) {
    let jobs = queued(store, 2).await;
    let job = store.take_job("a").await.unwrap().unwrap();
    assert!(store.finish_job(&job, "a", &format!("enlargements/{}-1.tif", job.id), 900, &record(&job)).await.unwrap());
    let result = store.job(job.id).await.unwrap().enlargement_id.unwrap();
    store.add_printing(result, "7", PrintState::Accepted, "").await.unwrap();
    store.add_link(jobs[0].order_id, ContentHash::of(b"link"), 5).await.unwrap();
    (jobs[0].order_id, jobs[0].original_id, result)
}

async fn nothing_waits(store: &Store) {
    let waiting: Vec<JobId> = store.run_sheet(9).await.unwrap().ahead.iter().map(|job| job.id).collect();
    store.cancel_jobs(&waiting).await.unwrap();
}

#[rstest]
#[tokio::test]
async fn each_removed_thing_is_named_once_by_the_largest_that_was_removed(#[future(awt)] database: Database) {
    let store = &database.store;
    let (order, original, result) = with_a_result(store).await;
    let named = async || {
        let removed = store.removed().await.unwrap();
        removed.iter().map(|thing| (thing.kind, thing.id, thing.bytes)).collect::<Vec<_>>()
    };
    assert_eq!(named().await, []);
    store.set_enlargement_removed(result, true).await.unwrap();
    assert_eq!(named().await, [(RemovedKind::Result, result.get(), 900)]);
    store.set_removed(original, true).await.unwrap();
    assert_eq!(named().await, [(RemovedKind::Original, original.get(), facts().bytes + 900)]);
    store.set_order_removed(order, true).await.unwrap();
    assert_eq!(named().await, [(RemovedKind::Order, order.get(), facts().bytes + 900)]);
    store.set_order_removed(order, false).await.unwrap();
    let removed = store.removed().await.unwrap();
    assert_eq!((removed[0].name.as_str(), removed[0].of.as_str()), ("vases.jpg", "Room 2"));
}

#[rstest]
#[tokio::test]
async fn a_removed_order_goes_with_all_that_is_in_it(#[future(awt)] database: Database) {
    let store = &database.store;
    let (order, original, result) = with_a_result(store).await;
    let other = store.add_order("Room 3", "", None).await.unwrap();
    let (kept, _) = store.add_original(other.id, "sign.jpg", ContentHash::of(b"sign"), &facts()).await.unwrap();
    nothing_waits(store).await;
    store.set_order_removed(order, true).await.unwrap();
    let deleted = store.delete_removed(Utc::now()).await.unwrap();
    assert_eq!(deleted, Deleted { orders: 1, originals: 1, results: 1, busy: 0 });

    assert!(matches!(store.order(order).await, Err(StoreError::Missing { .. })));
    assert!(matches!(store.original(original).await, Err(StoreError::Missing { .. })));
    assert!(matches!(store.enlargement(result).await, Err(StoreError::Missing { .. })));
    assert!(store.link(ContentHash::of(b"link")).await.unwrap().is_none());
    assert!(store.removed().await.unwrap().is_empty());
    assert_eq!(store.original(kept).await.unwrap().name, "sign.jpg", "what was not removed is untouched");
    assert_eq!(store.delete_removed(Utc::now()).await.unwrap(), Deleted::default(), "a second time there is nothing");

    let content = ContentHash::of(b"vases");
    let due = [FileStore::original_key(content), FileStore::thumbnail_key(content)];
    let leaving = store.leaving_files().await.unwrap();
    for ending in [".tif", ".tif.svg", ".tif.pdf"] {
        let due = |key: &str| key.starts_with("enlargements/") && key.ends_with(ending);
        assert!(leaving.iter().any(|file| due(&file.key) && file.content.is_none()), "{leaving:?}");
    }
    assert!(due.iter().all(|key| leaving.iter().any(|file| &file.key == key && file.content == Some(content))));
    assert_eq!(leaving.len(), 5);
}

#[rstest]
#[tokio::test]
async fn a_picture_that_is_being_worked_on_stays_with_its_order(#[future(awt)] database: Database) {
    let store = &database.store;
    let (order, original, result) = with_a_result(store).await;
    store.set_order_removed(order, true).await.unwrap();
    let deleted = store.delete_removed(Utc::now()).await.unwrap();
    assert_eq!(deleted, Deleted { busy: 1, ..Deleted::default() });
    assert_eq!(store.enlargement(result).await.unwrap().original_id, original);
    nothing_waits(store).await;
    assert_eq!(store.delete_removed(Utc::now()).await.unwrap().orders, 1);
}

#[rstest]
#[tokio::test]
async fn a_result_goes_alone_and_what_was_removed_later_stays(#[future(awt)] database: Database) {
    let store = &database.store;
    let (order, original, result) = with_a_result(store).await;
    store.set_enlargement_removed(result, true).await.unwrap();
    let earlier = Utc::now() - Duration::minutes(1);
    assert_eq!(store.delete_removed(earlier).await.unwrap(), Deleted::default());
    assert_eq!(store.removed().await.unwrap().len(), 1);
    let deleted = store.delete_removed(Utc::now()).await.unwrap();
    assert_eq!(deleted, Deleted { results: 1, ..Deleted::default() }, "though a job of the picture waits");
    assert_eq!(store.original(original).await.unwrap().order_id, order);
    assert!(store.printings(order).await.unwrap().is_empty());
}

#[rstest]
#[tokio::test]
async fn a_shops_order_that_was_deleted_stays_known(#[future(awt)] database: Database) {
    let store = &database.store;
    assert!(!store.ever_had_orders().await.unwrap());
    let details = OrderDetails { title: "Room 2".to_owned(), ..OrderDetails::default() };
    let order = store.open_order(&details, Some("SN-1")).await.unwrap();
    store.set_order_removed(order.id, true).await.unwrap();
    assert_eq!(store.delete_removed(Utc::now()).await.unwrap().orders, 1);
    assert!(store.knows_reference("SN-1").await.unwrap(), "its feed does not bring it back");
    assert!(store.ever_had_orders().await.unwrap() && store.orders().await.unwrap().is_empty());
}

/// The same content in two orders, of which one was deleted: the other, and the files of the content.
async fn deleted_from_one_of_two_orders(store: &Store, files: &FileStore) -> (OrderId, [String; 2]) {
    let content = ContentHash::of(b"vases");
    let mut orders = Vec::new();
    for title in ["Room 2", "Room 3"] {
        let order = store.add_order(title, "", None).await.unwrap();
        store.add_original(order.id, "vases.jpg", content, &facts()).await.unwrap();
        orders.push(order.id);
    }
    let keys = [FileStore::original_key(content), FileStore::thumbnail_key(content)];
    for key in &keys {
        files.put(key, b"vases".to_vec()).await.unwrap();
    }
    store.set_order_removed(orders[0], true).await.unwrap();
    assert_eq!(store.delete_removed(Utc::now()).await.unwrap().originals, 1);
    (orders[1], keys)
}

#[rstest]
#[tokio::test]
async fn the_files_of_a_picture_go_with_the_last_order_that_has_it(#[future(awt)] database: Database) {
    let store = &database.store;
    let folder = tempfile::tempdir().unwrap();
    let files = FileStore::open(folder.path()).unwrap();
    let (last, keys) = deleted_from_one_of_two_orders(store, &files).await;
    let there = async || {
        let mut there = Vec::new();
        for key in &keys {
            there.push(files.has(key).await.unwrap());
        }
        there
    };
    store.delete_leaving_files(&files).await.unwrap();
    assert_eq!(there().await, [true; 2], "another order has it");
    assert_eq!(files.get(&keys[0]).await.unwrap(), b"vases");
    assert!(store.leaving_files().await.unwrap().is_empty(), "and nothing is left to be done");

    store.set_order_removed(last, true).await.unwrap();
    assert_eq!(store.delete_removed(Utc::now()).await.unwrap().orders, 1);
    // A program that died in between: the file was put aside and not deleted.
    files.rename(&keys[0], &format!("leaving/{}", keys[0])).await.unwrap();
    store.delete_leaving_files(&files).await.unwrap();
    assert_eq!(there().await, [false; 2]);
    assert!(files.keys("leaving").await.unwrap().is_empty());
}

/// An import that was cut short before, and after, it said that it needs the files.
#[rstest]
#[case(false)]
#[case(true)]
#[tokio::test]
async fn an_import_that_is_cut_short_leaves_no_file(#[future(awt)] database: Database, #[case] said: bool) {
    let store = &database.store;
    let folder = tempfile::tempdir().unwrap();
    let files = FileStore::open(folder.path()).unwrap();
    let [cut, done, other] = [&b"cut short"[..], b"done", b"of an earlier version"].map(ContentHash::of);
    let keys = |content| [FileStore::original_key(content), FileStore::thumbnail_key(content)];
    let order = store.add_order("Room 4", "", None).await.unwrap();
    for content in [cut, done] {
        store.begin_keeping(content).await.unwrap();
    }
    for key in [cut, done, other].into_iter().flat_map(keys) {
        files.put(&key, b"pixels".to_vec()).await.unwrap();
    }
    store.add_original(order.id, "done.jpg", done, &facts()).await.unwrap();
    store.end_keeping(done).await.unwrap();
    if said {
        store.add_original(order.id, "cut.jpg", cut, &facts()).await.unwrap();
    }
    store.delete_leaving_files(&files).await.unwrap();
    assert!(store.leaving_files().await.unwrap().is_empty());
    for (content, there) in [(cut, said), (done, true), (other, true)] {
        for key in keys(content) {
            assert_eq!(files.has(&key).await.unwrap(), there, "{key}");
        }
    }
}
