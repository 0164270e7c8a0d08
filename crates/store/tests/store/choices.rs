//! What people decide and who they are: spots, house treatments, decisions, accounts, links.

use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::id::{OrderId, OriginalId};
use dettaglio_domain::kernel::Kernel;
use dettaglio_domain::recipe::{Choice, Steps};
use dettaglio_domain::spot::Spot;
use dettaglio_store::access::Role;
use dettaglio_store::choices::{Compared, Decision};
use dettaglio_store::{Store, StoreError};
use rstest::rstest;
use sqlx::{Connection, Executor, MySqlConnection};

use crate::support::{Database, database, facts};

fn spots(names: &[&str]) -> Vec<Spot> {
    let spot = |(i, name): (usize, &&str)| Spot { name: (*name).to_owned(), x: i as f32 + 0.5, y: 12.25 };
    names.iter().enumerate().map(spot).collect()
}

fn steps(kernel: Kernel) -> Steps {
    Steps {
        repair: Default::default(),
        clean: Default::default(),
        enlarge: Choice::Plain { kernel },
        faces: None,
        finish: Default::default(),
    }
}

async fn an_original(store: &Store) -> OriginalId {
    let order = store.add_order("Sala 2", "", None).await.unwrap();
    store.add_original(order.id, "vasi.jpg", ContentHash::of(b"vasi"), &facts()).await.unwrap().0
}

fn is_missing<T: std::fmt::Debug>(outcome: Result<T, StoreError>) -> bool {
    outcome.unwrap_err().is_missing()
}

#[rstest]
#[tokio::test]
async fn no_spot_is_not_the_same_as_never_any(#[future(awt)] database: Database) {
    let store = &database.store;
    let original = an_original(store).await;
    assert_eq!(store.spots(original).await.unwrap(), None);
    for kept in [spots(&["occhi", "l'orlo del vaso"]), spots(&[])] {
        store.set_spots(original, &kept).await.unwrap();
        assert_eq!(store.spots(original).await.unwrap(), Some(kept));
    }
    assert!(is_missing(store.spots((original.get() + 1).into()).await));
}

#[rstest]
#[tokio::test]
async fn a_house_treatment_is_replaced_by_one_of_its_name(#[future(awt)] database: Database) {
    let store = &database.store;
    for (name, kernel) in
        [("Sala grande", Kernel::Bicubic), ("Catalogo", Kernel::Nearest), ("Sala grande", Kernel::Lanczos3)]
    {
        store.set_house_treatment(name, &steps(kernel)).await.unwrap();
    }
    let kept = store.house_treatments().await.unwrap();
    let listed: Vec<_> = kept.iter().map(|kept| (kept.name.as_str(), &kept.steps)).collect();
    assert_eq!(listed, [("Catalogo", &steps(Kernel::Nearest)), ("Sala grande", &steps(Kernel::Lanczos3))]);
    store.remove_house_treatment(kept[0].id).await.unwrap();
    assert_eq!(store.house_treatments().await.unwrap().len(), 1);
    assert!(is_missing(store.remove_house_treatment(kept[0].id).await));
}

#[rstest]
#[tokio::test]
async fn decisions_are_kept_with_what_was_looked_at(#[future(awt)] database: Database) {
    let store = &database.store;
    let original = an_original(store).await;
    let decision = |chosen: &str, blind| Decision {
        candidates: ["A", "B"]
            .map(|letter| Compared {
                letter: letter.to_owned(),
                treatment: ContentHash::of(letter.as_bytes()),
                description: format!("Everyday, draft; {letter}"),
            })
            .to_vec(),
        chosen: chosen.to_owned(),
        spots: spots(&["occhi"]),
        blind,
    };
    for (chosen, blind) in [("B", true), ("A", false)] {
        store.add_decision(original, &decision(chosen, blind)).await.unwrap();
    }
    let kept: Vec<Decision> = store.decisions(original).await.unwrap().into_iter().map(|kept| kept.decision).collect();
    assert_eq!(kept, [decision("A", false), decision("B", true)], "the newest first");
    assert_eq!(store.decisions((original.get() + 1).into()).await.unwrap().len(), 0);
}

#[rstest]
#[tokio::test]
async fn an_account_has_one_password_and_one_role(#[future(awt)] database: Database) {
    let store = &database.store;
    for (name, password, role) in
        [("nives", "hash 1", Role::Technician), ("ada", "hash 2", Role::Viewer), ("nives", "hash 3", Role::Viewer)]
    {
        store.set_account(name, password, role).await.unwrap();
    }
    let accounts = store.accounts().await.unwrap();
    let listed: Vec<_> = accounts.iter().map(|a| (a.name.as_str(), a.password.as_str(), a.role)).collect();
    assert_eq!(listed, [("ada", "hash 2", Role::Viewer), ("nives", "hash 3", Role::Viewer)]);
    assert!(store.remove_account("ada").await.unwrap());
    assert!(!store.remove_account("ada").await.unwrap(), "it is gone");
}

#[rstest]
#[tokio::test]
async fn a_link_leads_to_its_order_until_it_ends(#[future(awt)] database: Database) {
    let store = &database.store;
    let order = store.add_order("Sala 2", "", None).await.unwrap().id;
    let token = |name: &str| ContentHash::of(name.as_bytes());
    let (first, second) =
        (store.add_link(order, token("a"), 3).await.unwrap(), store.add_link(order, token("b"), 14).await.unwrap());
    assert!((second.expires_at - first.expires_at).num_days() == 11, "{first:?} {second:?}");
    let leads_to = async |name: &str| store.link(token(name)).await.unwrap().map(|link| link.order_id);
    assert_eq!((leads_to("a").await, leads_to("c").await), (Some(order), None));

    // One is ended, but only by who names its order; the other runs out.
    store.remove_link(OrderId::from(order.get() + 1), first.id).await.unwrap();
    assert_eq!(store.links(order).await.unwrap().len(), 2);
    store.remove_link(order, first.id).await.unwrap();
    assert_eq!((leads_to("a").await, leads_to("b").await), (None, Some(order)));
    let mut connection = MySqlConnection::connect(&database.url).await.unwrap();
    connection.execute("UPDATE links SET expires_at = CURRENT_TIMESTAMP(3) - INTERVAL 1 SECOND").await.unwrap();
    assert_eq!(leads_to("b").await, None);
    assert_eq!(store.links(order).await.unwrap().len(), 0);

    // With the order goes the link, and with it it comes back.
    store.add_link(order, token("d"), 1).await.unwrap();
    store.set_order_removed(order, true).await.unwrap();
    assert_eq!(leads_to("d").await, None);
    store.set_order_removed(order, false).await.unwrap();
    assert_eq!(leads_to("d").await, Some(order));
    assert!(is_missing(store.add_link(OrderId::from(order.get() + 1), token("e"), 1).await));
}
