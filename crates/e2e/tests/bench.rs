//! The bench in a real browser against the real server: import, size, tiles, curtain, run, download.

mod browser;

use std::time::Duration;

use browser::{Browser, project};
use dettaglio_core::codec::read;
use dettaglio_core::hash::ContentHash;
use dettaglio_core::limits::Limits;
use dettaglio_core::model::Shelf;
use dettaglio_core::render::{Renderer, Unhurried};
use dettaglio_core::treatment::Treatment;
use dettaglio_server::service::{Service, Settings};
use dettaglio_store::testing::TestServer;
use fantoccini::Locator;
use tempfile::TempDir;

async fn service(folder: &TempDir, database: &TestServer, demo: bool) -> Service {
    let settings = Settings {
        port: 0,
        data: folder.path().to_owned(),
        database: Some(database.fresh_database().await),
        models: project().join("models"),
        front: project().join("web/dist"),
        demo: demo.then(|| project().join("demo")),
        limits: Limits::default(),
    };
    assert!(
        settings.front.join("index.html").is_file(),
        "the front end is built before the browser tests: ./check does"
    );
    Service::start(settings).await.expect("the service starts")
}

#[tokio::test(flavor = "multi_thread")]
async fn from_a_photograph_to_a_file_for_the_printer() {
    let database = TestServer::shared();
    let folder = tempfile::tempdir().unwrap();
    let service = service(&folder, &database, false).await;
    let page = Browser::start().await;
    page.open(&format!("http://{}/", service.address)).await;

    // An order of one's own.
    page.click("button", "Open an order").await;
    page.fill("input[required]", "Room 2").await;
    page.click("button", "Open the order").await;

    // Two files at once, one of which is no picture.
    let text = folder.path().join("price list.jpg");
    std::fs::write(&text, "one vase, one bowl").unwrap();
    let photo = project().join("demo/pictures/isola-brina-sign.jpg");
    page.choose_files(&[&photo, &text]).await;
    let notice = page.text("[data-testid=notices]").await;
    assert!(notice.contains("price list.jpg") && notice.contains("not a picture"), "{notice}");

    // A print of 30 x 20 cm at 200 ppi.
    page.click_named("button", "Size").await;
    page.click("[role=combobox]", "Factor").await;
    page.click("li", "Print size").await;
    page.type_over("input[aria-label='Paper width']", "30").await;
    page.type_over("input[aria-label='Paper height']", "20").await;
    page.type_over("input[aria-label=Resolution]", "200").await;
    page.press("Escape").await;
    page.wait_for_text("[data-testid=consequences]", "2\u{2009}362 × 1\u{2009}575 px").await;

    // Model tiles arrive, and the curtain moves.
    page.wait_for_tiles().await;
    let canvas = page.find("canvas").await;
    let before = page.pixels_of_the_stage().await;
    page.drag("[role=slider][aria-label=Curtain]", -250.0).await;
    let curtain: f64 = page.attribute("[data-testid=stage]", "data-curtain").await.parse().unwrap();
    assert!(curtain < 0.4, "{curtain}");
    assert_ne!(page.pixels_of_the_stage().await, before, "another part of the result is uncovered");
    canvas.click().await.unwrap();
    page.press("f").await;
    page.wait_until("the whole picture is shown", async |p: &Browser| {
        p.attribute("[data-testid=stage]", "data-zoom").await.parse::<f64>().unwrap() < 0.6
    })
    .await;

    // The run survives a reload, and its result is there to be saved.
    page.click("[data-testid=run]", "Run").await;
    page.open(&format!("http://{}/", service.address)).await;
    page.wait_for_text("section[aria-label=Process]", "1, the latest").await;
    page.click("section[aria-label=Process] button", "Results").await;
    let link = page.attribute("[data-testid=result] a", "href").await;
    let url = format!("http://{}{link}", service.address);
    let saved = reqwest::get(url).await.unwrap().bytes().await.unwrap();

    // Its pixels are the core's own result.
    let file = folder.path().join("saved.tif");
    std::fs::write(&file, &saved).unwrap();
    let limits = Limits::default();
    let written = read(&file, ContentHash::of(&saved), &limits).unwrap().original;
    let original = read(&photo, ContentHash::of_file(&photo).unwrap(), &limits).unwrap().original;
    let shelf = Shelf::open(&project().join("models")).unwrap();
    let size = written.size();
    assert_eq!((size.width, size.height), (2362, 1575));
    let treatment = Treatment::with_model(&shelf, "everyday-x4-draft", original.size(), size).unwrap();
    let due = Renderer::new(shelf, 256 << 20).render(&original, &treatment, size.whole(), &Unhurried).unwrap();
    let got = written.region(size.whole());
    let same = |(got, due): (&f32, &f32)| (got * 255.0).round() == (due * 255.0 + 0.5).floor();
    assert!(got.values().iter().zip(due.values()).all(same), "every sample of the file");

    page.close().await;
    service.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn the_demo_opens_with_a_result_in_view() {
    let database = TestServer::shared();
    let folder = tempfile::tempdir().unwrap();
    let service = service(&folder, &database, true).await;
    let page = Browser::start().await;
    page.open(&format!("http://{}/", service.address)).await;
    page.wait_for_tiles().await;
    let zoom: f64 = page.attribute("[data-testid=stage]", "data-zoom").await.parse().unwrap();
    assert!((zoom - 1.0).abs() < 0.01, "one pixel of the print for one of the screen: {zoom}");
    let pictures = page.driver.find_all(Locator::Css("nav[aria-label=Pictures] li")).await.unwrap();
    assert_eq!(pictures.len(), 5);

    // A bad figure is answered beside it, and nothing can be run.
    page.click_named("button", "Resolution").await;
    page.type_over("input[aria-label='Pixels per inch']", "99999").await;
    page.press("Escape").await;
    page.wait_for_text("[role=alert]", "times the original").await;
    let run = page.find("[data-testid=run]").await;
    page.wait_until("nothing can be run", async |_: &Browser| run.attr("disabled").await.unwrap().is_some()).await;

    // Undo brings back what was there.
    page.undo().await;
    page.wait_for_text("[data-testid=consequences]", "3\u{2009}543 × 2\u{2009}362 px").await;
    tokio::time::sleep(Duration::from_millis(100)).await;
    page.close().await;
    service.stop().await;
}
