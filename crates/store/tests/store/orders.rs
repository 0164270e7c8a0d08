//! Orders, originals, products and what is said of results, in a real MariaDB.

use dettaglio_domain::geometry::Size;
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::kernel::Kernel;
use dettaglio_domain::recipe::{Choice, Steps, Surround, Ticket};
use dettaglio_domain::size::Target;
use dettaglio_domain::treatment::Treatment;
use dettaglio_store::StoreError;
use dettaglio_store::access::Role;
use dettaglio_store::enlargements::Approval;
use dettaglio_store::orders::{Counts, OrderDetails};
use dettaglio_store::products::Product;
use rstest::rstest;

use crate::support::{Database, database, facts, queued, record};

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
    assert_eq!(store.orders().await.unwrap()[0].counts.originals, 1);

    store.set_removed(id, true).await.unwrap();
    assert!(store.originals(order.id).await.unwrap().is_empty());
    assert_eq!(store.add_original(order.id, "again.jpg", hash, &facts()).await.unwrap().0, id, "brought back");
    assert_eq!(store.originals(order.id).await.unwrap().len(), 1);
    assert!(matches!(store.original((id.get() + 1).into()).await, Err(StoreError::Missing { .. })));
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

fn ticket() -> Ticket {
    Ticket { target: Target::Print { paper: "60x40cm".parse().unwrap(), ppi: 240.0 }, surround: Surround::Border }
}

#[rstest]
#[tokio::test]
async fn an_order_keeps_what_was_said_of_it(#[future(awt)] database: Database) {
    let store = &database.store;
    let steps = Steps {
        repair: Default::default(),
        clean: Default::default(),
        enlarge: Choice::Plain { kernel: Kernel::Bicubic },
        faces: None,
        finish: Default::default(),
    };
    store.set_house_treatment("Café banners", &steps).await.unwrap();
    let house = store.house_treatments().await.unwrap()[0].id;
    let mut details = OrderDetails {
        title: "A Hundred Years".to_owned(),
        client: "Ombralunga".to_owned(),
        purpose: "exhibition".to_owned(),
        due_on: Some("2026-12-01".parse().unwrap()),
        notes: "matte cotton; white gloves".to_owned(),
        print: Some(ticket()),
        house_treatment_id: Some(house),
        least_ppi: Some(60.0),
    };
    let order = store.open_order(&details, Some("SN-1")).await.unwrap();
    assert_eq!((&order.details, order.reference.as_deref()), (&details, Some("SN-1")));
    assert_eq!(store.open_order(&details, Some("SN-1")).await.unwrap().id, order.id, "a shop's order is opened once");
    assert!(store.knows_reference("SN-1").await.unwrap() && !store.knows_reference("SN-2").await.unwrap());
    assert_ne!(store.open_order(&details, None).await.unwrap().id, order.id);

    details.notes.clear();
    store.set_order(order.id, &details).await.unwrap();
    store.remove_house_treatment(house).await.unwrap();
    let now = store.order(order.id).await.unwrap().details;
    assert_eq!(now, OrderDetails { house_treatment_id: None, ..details }, "an order outlives its house treatment");

    store.set_archived(order.id, true).await.unwrap();
    assert!(store.order(order.id).await.unwrap().archived_at.is_some());
    store.set_order_removed(order.id, true).await.unwrap();
    assert_eq!(store.orders().await.unwrap().len(), 1);
    store.set_order_removed(order.id, false).await.unwrap();
    assert_eq!(store.orders().await.unwrap().len(), 2, "nothing was lost");
    assert!(matches!(store.set_order(999.into(), &now).await, Err(StoreError::Missing { .. })));
}

#[rstest]
#[tokio::test]
async fn an_order_counts_what_is_in_it(#[future(awt)] database: Database) {
    let store = &database.store;
    let jobs = queued(store, 4).await;
    let order = jobs[0].order_id;
    let job = store.take_job("a").await.unwrap().unwrap();
    assert!(store.finish_job(&job, "a", "enlargements/1-1.tif", 9, &record(&job)).await.unwrap());
    store.take_job("a").await.unwrap().unwrap();
    store.pause_jobs(&[jobs[3].id]).await.unwrap();
    let counts = store.order(order).await.unwrap().counts;
    assert_eq!(counts, Counts { originals: 1, waiting: 2, running: 1, results: 1, unseen: 1, ..Counts::default() });

    let result = store.enlargements(order).await.unwrap()[0].id;
    store.set_verdict(result, Some(Approval::SentBack), "the sky is smeared").await.unwrap();
    let counts = store.order(order).await.unwrap().counts;
    assert_eq!((counts.unseen, counts.sent_back), (0, 1));
    assert_eq!(store.enlargement(result).await.unwrap().note, "the sky is smeared");
    store.set_enlargement_removed(result, true).await.unwrap();
    assert!(store.enlargements(order).await.unwrap().is_empty());
    store.set_enlargement_removed(result, false).await.unwrap();
    store.set_verdict(result, None, "").await.unwrap();
    assert_eq!(store.order(order).await.unwrap().counts.unseen, 1, "taken back");
}

#[rstest]
#[tokio::test]
async fn products_are_a_list_to_edit(#[future(awt)] database: Database) {
    let store = &database.store;
    let banner = Product { name: "Banner".to_owned(), print: ticket(), least_ppi: Some(40.0) };
    store.set_product(&banner).await.unwrap();
    store.set_product(&Product { least_ppi: None, ..banner.clone() }).await.unwrap();
    let products = store.products().await.unwrap();
    assert_eq!((products.len(), products[0].product.least_ppi), (1, None), "the same name is the same product");
    store.remove_product(products[0].id).await.unwrap();
    assert!(store.products().await.unwrap().is_empty());
}

#[rstest]
#[tokio::test]
async fn accounts_and_links(#[future(awt)] database: Database) {
    let store = &database.store;
    store.set_account("Nives", "$argon2id$one", Role::Viewer).await.unwrap();
    store.set_account("Nives", "$argon2id$two", Role::Technician).await.unwrap();
    let accounts = store.accounts().await.unwrap();
    assert_eq!(
        (accounts.len(), accounts[0].role, accounts[0].password.as_str()),
        (1, Role::Technician, "$argon2id$two")
    );
    assert!(store.remove_account("Nives").await.unwrap() && !store.remove_account("Nives").await.unwrap());

    let order = store.add_order("Room 2", "", None).await.unwrap().id;
    let token = ContentHash::of(b"secret");
    let link = store.add_link(order, token, 3).await.unwrap();
    assert_eq!(store.link(token).await.unwrap().map(|l| l.order_id), Some(order));
    assert!(store.link(ContentHash::of(b"guess")).await.unwrap().is_none());
    store.set_order_removed(order, true).await.unwrap();
    assert!(store.link(token).await.unwrap().is_none(), "not to an order that was removed");
    store.set_order_removed(order, false).await.unwrap();
    store.remove_link(order, link.id).await.unwrap();
    assert!(store.link(token).await.unwrap().is_none() && store.links(order).await.unwrap().is_empty());
    store.add_link(order, token, 0).await.unwrap();
    tokio::time::sleep(std::time::Duration::from_millis(5)).await;
    assert!(store.link(token).await.unwrap().is_none(), "expired");
}
