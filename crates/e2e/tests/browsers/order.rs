//! A technician's way through an order, in a real browser: opened, filled, looked over, run, looked through, delivered.

use std::io::Cursor;

use dettaglio_store::testing::TestServer;
use fantoccini::Locator;

use crate::browser::{Browser, project, service};

async fn count(page: &Browser, css: &str) -> usize {
    page.driver.find_all(Locator::Css(css)).await.map_or(0, |found| found.len())
}

#[tokio::test(flavor = "multi_thread")]
async fn an_order_from_drop_to_delivery() {
    let database = TestServer::shared();
    let folder = tempfile::tempdir().unwrap();
    let service = service(&folder, &database, false).await;
    let page = Browser::on(&service).await;
    let view = async |name: &str| page.click("nav[aria-label=Views] a", name).await;

    // Opened, with what every picture is to become.
    view("Orders").await;
    page.click("button", "New order").await;
    page.fill("input[required]", "Café Fornace").await;
    page.choose_option("[role=dialog] [role=combobox]", "twice its size", "another size").await;
    page.type_over("input[aria-label='Paper width']", "20").await;
    page.type_over("input[aria-label='Paper height']", "15").await;
    page.type_over("input[aria-label=Resolution]", "100").await;
    page.click("button", "Open the order").await;

    // Filled from an archive; what is no picture is named, and the rest comes in.
    let archive = folder.path().join("from the café.zip");
    let mut zip = zip::ZipWriter::new(std::fs::File::create(&archive).unwrap());
    for name in ["isola-brina-sign.jpg", "vases-on-the-sill.jpg", "weavers-shop.jpg"] {
        zip.start_file(format!("photos/{name}"), zip::write::SimpleFileOptions::default()).unwrap();
        std::io::Write::write_all(&mut zip, &std::fs::read(project().join("demo/pictures").join(name)).unwrap())
            .unwrap();
    }
    zip.start_file("read me.txt", zip::write::SimpleFileOptions::default()).unwrap();
    std::io::Write::write_all(&mut zip, b"three pictures, please").unwrap();
    zip.finish().unwrap();
    page.choose_files(&[&archive]).await;
    let frames = "ul[aria-label='Contact sheet'] li";
    page.wait_until("the three pictures are there", async |p: &Browser| count(p, frames).await == 3).await;
    let notice = page.text("[data-testid=notices]").await;
    assert!(notice.contains("read me.txt") && notice.contains("not a picture"), "{notice}");

    // One is taken out, and put back.
    page.click_named("button", "Choose weavers-shop").await;
    page.click("section[aria-label=Order] button", "Take out").await;
    page.wait_until("two are left", async |p: &Browser| count(p, frames).await == 2).await;
    page.click("button", "Undo").await;
    page.wait_until("all three again", async |p: &Browser| count(p, frames).await == 3).await;

    // Looked over: all three, one left out.
    page.click("section[aria-label=Order] button", "Choose all").await;
    page.click("[data-testid=batch]", "Run all").await;
    page.wait_for_text("[data-testid=batch-summary]", "3 results").await;
    page.wait_until("something is to be known of a picture", async |p: &Browser| {
        count(p, "[role=dialog] li button").await > 0
    })
    .await;
    page.click("[role=dialog] li button", "Leave out").await;
    page.wait_for_text("[data-testid=batch-summary]", "2 results").await;
    page.wait_for_text("[data-testid=batch-run]", "Run 2").await;
    page.click("[data-testid=batch-run]", "Run 2").await;

    // Run.
    view("Runs").await;
    page.wait_until("both are done", async |p: &Browser| {
        let text = p.text("main[aria-label='Run sheet']").await;
        text.matches("done in").count() == 2 && text.contains("All that was asked for is done")
    })
    .await;

    // Looked through by keys: one accepted, one sent back.
    view("Orders").await;
    page.click("section[aria-label=Order] button", "Look through (2)").await;
    page.wait_until("a result is shown before and after", async |p: &Browser| {
        count(p, "[role=dialog] img[alt^='After']").await == 1
    })
    .await;
    page.press("a").await;
    page.click("[role=dialog] button", "Send back").await;
    page.fill("[role=dialog] input", "the lettering is soft").await;
    page.click("[role=dialog] button:not([disabled])", "Send back").await;
    page.wait_for_text("[role=dialog]", "1 accepted, 1 sent back").await;
    page.click("[role=dialog] button", "Close").await;
    page.wait_for_text("ul[aria-label='Contact sheet']", "sent back").await;

    // Delivered: the accepted one, with its report.
    page.click("section[aria-label=Order] button", "More").await;
    let link = page.attribute("[role=menu] a", "href").await;
    let archive = reqwest::get(format!("http://{}{link}", service.address)).await.unwrap().bytes().await.unwrap();
    let archive = zip::ZipArchive::new(Cursor::new(archive)).unwrap();
    let names: Vec<String> = archive.file_names().map(|name| name.unwrap().into_owned()).collect();
    assert_eq!(names.len(), 3, "{names:?}");
    assert!(names.iter().all(|name| name.starts_with("Café Fornace/")), "{names:?}");

    page.close().await;
    service.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_client_looks_at_an_order_through_a_link() {
    let database = TestServer::shared();
    let folder = tempfile::tempdir().unwrap();
    let service = service(&folder, &database, true).await;
    let page = Browser::on(&service).await;
    let made: serde_json::Value = reqwest::Client::new()
        .post(format!("http://{}/api/v1/orders/3/links", service.address))
        .json(&serde_json::json!({ "days": 3 }))
        .send()
        .await
        .unwrap()
        .json()
        .await
        .unwrap();
    page.open(&format!("http://{}{}", service.address, made["path"].as_str().unwrap())).await;
    page.wait_for_text("main", "The weaver's shop").await;
    page.wait_for_text("main", "Nothing is finished yet").await;
    assert_eq!(count(&page, "nav").await, 0, "nothing of the rest is shown");
    page.open(&format!("http://{}/look/{}", service.address, "x".repeat(32))).await;
    page.wait_for_text("[role=alert]", "expired").await;
    page.close().await;
    service.stop().await;
}
