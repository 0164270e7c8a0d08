//! Addresses, commands and keys, and that nothing lies in front of the picture.

use dettaglio_core::codec::png_bytes;
use dettaglio_core::picture::Planes;
use dettaglio_domain::geometry::Size;
use dettaglio_server::service::Service;
use dettaglio_store::testing::TestServer;
use fantoccini::Locator;
use serde_json::json;
use tempfile::TempDir;

use crate::browser::{Browser, order_with, picture_into, service};

/// Stripes that grow wider to the right: every place differs from its neighbours.
fn stripes(step: u64) -> Vec<u8> {
    let size = Size::new(400, 300);
    let value = |i: u64| if (i % 400) / step % 2 == (i / 400 % 300) / 50 % 2 { 0.2 } else { 0.8 };
    png_bytes(&Planes::from_values(size, (0..3 * size.area()).map(value).collect()))
}

/// A browser on a server with one order that holds one picture, whose tiles are there.
async fn with_stripes(folder: &TempDir, database: &TestServer) -> (Service, Browser) {
    let service = service(folder, database, false).await;
    order_with(&service, "Room 2", "stripes.png", stripes(20)).await;
    let page = Browser::on(&service).await;
    page.wait_for_tiles().await;
    (service, page)
}

async fn path(page: &Browser) -> String {
    page.driver.current_url().await.unwrap().path().to_owned()
}

async fn query(page: &Browser) -> String {
    page.driver.current_url().await.unwrap().query().unwrap_or_default().to_owned()
}

async fn stage(page: &Browser, fact: &str) -> String {
    page.attribute("[data-testid=stage]", &format!("data-{fact}")).await
}

async fn open(service: &Service, path: &str) -> Browser {
    let page = Browser::start().await;
    page.open(&format!("http://{}{path}", service.address)).await;
    page
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_seen_has_an_address_that_shows_the_same_elsewhere() {
    let database = TestServer::shared();
    let folder = tempfile::tempdir().unwrap();
    let service = service(&folder, &database, false).await;
    let first = order_with(&service, "Room 2", "stripes.png", stripes(20)).await;
    let second = order_with(&service, "Room 3", "narrow.png", stripes(10)).await;
    let page = open(&service, &format!("/orders/1/pictures/{first}")).await;
    page.wait_for_tiles().await;
    page.click("nav[aria-label=Views] a", "Orders").await;
    page.click("main[aria-label=Orders] button", "Room 3").await;
    page.click("main[aria-label=Orders] button", "narrow.png").await;
    page.wait_for_tiles().await;
    let place = format!("/orders/2/pictures/{second}");
    assert_eq!(path(&page).await, place);

    // What is looked at goes into the address, once it rests.
    page.on_stage("v").await;
    for key in ["p", "+", "s", "1"] {
        page.on_stage(key).await;
    }
    page.wait_until("the spot and the comparison", async |page: &Browser| {
        let query = query(page).await;
        query.contains("spot=1") && query.contains("compare=side")
    })
    .await;
    page.on_stage("+").await;
    page.wait_until("the place", async |page: &Browser| query(page).await.contains("at=0.")).await;
    page.wait_for_tiles().await;
    let (zoom, middle) = (stage(&page, "zoom").await, stage(&page, "middle").await);
    let address = format!("{place}?{}", query(&page).await);
    let other = open(&service, &address).await;
    other.wait_for_tiles().await;
    other
        .wait_until("the same is seen in another window", async |page: &Browser| {
            (stage(page, "zoom").await, stage(page, "middle").await) == (zoom.clone(), middle.clone())
                && stage(page, "layout").await == "side"
        })
        .await;
    other.close().await;

    // Back leads through the views that were seen, and Forward to the last again.
    page.driver.back().await.unwrap();
    page.find("main[aria-label=Orders]").await;
    assert_eq!(path(&page).await, "/orders/2");
    page.driver.back().await.unwrap();
    page.driver.back().await.unwrap();
    page.wait_until("the first picture", async |page: &Browser| {
        path(page).await == format!("/orders/1/pictures/{first}")
    })
    .await;
    for _ in 0..3 {
        page.driver.forward().await.unwrap();
    }
    page.wait_until("the last again", async |page: &Browser| path(page).await == place).await;

    // An address that leads nowhere says so, and where to go.
    for (lost, words) in [
        ("/orders/77", "no such order"),
        ("/orders/2/pictures/9999", "not in this order"),
        ("/cellar", "leads nowhere"),
    ] {
        page.open(&format!("http://{}{lost}", service.address)).await;
        page.wait_for_text("main", words).await;
        page.click("main button", "To the orders").await;
        page.find("main[aria-label=Orders]").await;
    }
    page.close().await;
    service.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn controls_lie_beside_the_picture_and_it_stays_where_it_is() {
    let database = TestServer::shared();
    let folder = tempfile::tempdir().unwrap();
    let (service, page) = with_stripes(&folder, &database).await;
    page.click_named("[aria-label=Comparison] button", "Side by side").await;
    // The upper part of the canvas, as numbers.
    let upper = "const c = document.querySelector('canvas');
        return [...c.getContext('2d').getImageData(0, 0, c.width, 200).data].reduce((a, v, i) => (a * 31 + v + i) % 1000003, 7);";
    for view in ["p", "f"] {
        page.on_stage(view).await;
        page.wait_for_tiles().await;
        let before = page.script(upper).await;
        for card in ["Clean", "Deliver"] {
            page.click("section[aria-label=Process] button", card).await;
            page.find("[role=dialog]").await;
            page.wait_for_tiles().await;
            let lies = page
                .script(
                    "const [s, d] = ['[data-testid=stage]', '[role=dialog]'].map((q) => document.querySelector(q).getBoundingClientRect());
                     const d2 = document.querySelector('[role=dialog]');
                     return [s.bottom <= d.top, s.height > 250, d2.scrollHeight <= d2.clientHeight, d2.scrollWidth <= d2.clientWidth];",
                )
                .await;
            assert_eq!(lies, json!([true, true, true, true]), "{card} lies below the stage and needs no bar");
            assert_eq!(page.script(upper).await, before, "{card} over {view} moves nothing");
        }
        page.press("Escape").await;
        page.wait_until("it is closed", async |p: &Browser| {
            p.driver.find_all(Locator::Css("[role=dialog]")).await.unwrap().is_empty()
        })
        .await;
        let focus = page.script("return document.activeElement.textContent;").await;
        assert!(focus.as_str().unwrap().contains("Deliver"), "the focus is where it was: {focus}");
        page.wait_for_tiles().await;
        assert_eq!(page.script(upper).await, before, "and closing it moves nothing");
    }
    page.close().await;
    service.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn what_can_be_done_is_found_by_its_name_and_given_another_key() {
    let database = TestServer::shared();
    let folder = tempfile::tempdir().unwrap();
    let (service, page) = with_stripes(&folder, &database).await;
    page.press("/").await;
    page.fill("[role=dialog] input", "six").await;
    page.press("Enter").await;
    page.wait_until("six panes", async |page: &Browser| stage(page, "layout").await == "six").await;

    // The settings give another key, which is kept with the page.
    page.press("?").await;
    page.click("[role=dialog] button", "Change keys").await;
    page.choose_option("[aria-label=Keys] [role=combobox]", "", "The next way of comparing").await;
    page.click("[aria-label=Keys] button", "Another key").await;
    page.press("w").await;
    page.wait_for_text("[data-testid=its-keys]", "W").await;
    page.driver.refresh().await.unwrap();
    page.click("nav[aria-label=Views] a", "Bench").await;
    page.wait_for_tiles().await;
    page.on_stage("v").await;
    assert_eq!(stage(&page, "layout").await, "six", "its old key does nothing");
    page.on_stage("w").await;
    page.wait_until("the next way", async |page: &Browser| stage(page, "layout").await == "curtain").await;

    // The stage alone, and back.
    page.on_stage("x").await;
    page.wait_until("nothing but the stage", async |page: &Browser| {
        page.script(
            "return document.querySelector('[data-testid=stage]').getBoundingClientRect().height / innerHeight > 0.9;",
        )
        .await
            == json!(true)
    })
    .await;
    assert!(page.serious_faults().await.is_empty());
    page.press("Escape").await;
    page.find("section[aria-label=Process]").await;
    page.close().await;
    service.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_picture_that_is_taken_out_leaves_its_neighbour_on_the_bench_and_comes_back() {
    let database = TestServer::shared();
    let folder = tempfile::tempdir().unwrap();
    let service = service(&folder, &database, false).await;
    let first = order_with(&service, "Room 2", "stripes.png", stripes(20)).await;
    let second = picture_into(&service, 1, "narrow.png", stripes(10)).await;
    let page = open(&service, &format!("/orders/1/pictures/{first}")).await;
    page.wait_for_tiles().await;
    page.click("section[aria-label=Process] button", "Reading").await;
    page.click("[role=dialog] button", "Take out of the order").await;
    let at = async |page: &Browser, id: u64| path(page).await == format!("/orders/1/pictures/{id}");
    page.wait_until("its neighbour", async |page: &Browser| at(page, second).await).await;
    // At once: what was said, and with it the way back, goes after some seconds.
    page.click("button", "Put back").await;
    page.wait_until("it is back", async |page: &Browser| at(page, first).await).await;
    page.wait_for_tiles().await;
    page.close().await;
    service.stop().await;
}
