//! The bench in a real browser against the real server: import, size, tiles, curtain, run, download.

use std::time::Duration;

use dettaglio_core::codec::{Decoded, read};
use dettaglio_core::model::Shelf;
use dettaglio_core::render::{Renderer, Unhurried};
use dettaglio_core::{sight, trial};
use dettaglio_domain::frame::Frame;
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::limits::Limits;
use dettaglio_domain::recipe::Surround;
use dettaglio_domain::size::Target;
use dettaglio_domain::suggest::{PrintFacts, Suggestion, factor_for};
use dettaglio_store::testing::TestServer;
use fantoccini::Locator;
use fantoccini::key::Key;

use crate::browser::{Browser, project, service};

#[tokio::test(flavor = "multi_thread")]
async fn from_a_photograph_to_a_file_for_the_printer() {
    let database = TestServer::shared();
    let folder = tempfile::tempdir().unwrap();
    let service = service(&folder, &database, false).await;
    let page = Browser::on(&service).await;

    // An order of one's own.
    page.click("button", "Open an order").await;
    page.fill("input[required]", "Room 2").await;
    page.click("button", "Open the order").await;

    // Two files at once, one of which is no picture.
    let text = folder.path().join("price list.jpg");
    std::fs::write(&text, "one vase, one bowl").unwrap();
    let photo = project().join("crates/core/tests/pictures/furnace-hall.jpg");
    page.choose_files(&[&photo, &text]).await;
    let notice = page.text("[data-testid=notices]").await;
    assert!(notice.contains("price list.jpg") && notice.contains("not a picture"), "{notice}");

    // A print of 30 x 20 cm at 200 ppi.
    page.click_named("button", "Size").await;
    page.choose_option("[role=combobox]", "Factor", "Print size").await;
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
    page.wait_until("the server has the job", async |_: &Browser| {
        let orders = reqwest::get(format!("http://{}/api/v1/orders/1", service.address)).await.unwrap();
        orders.json::<serde_json::Value>().await.unwrap()["jobs"][0].is_object()
    })
    .await;
    page.open(&format!("http://{}/", service.address)).await;
    page.wait_for_text("section[aria-label=Process]", "1 file").await;
    page.click("section[aria-label=Process] button", "Results").await;
    let link = page.attribute("[data-testid=result] a", "href").await;
    let url = format!("http://{}{link}", service.address);
    let saved = reqwest::get(url).await.unwrap().bytes().await.unwrap();

    // Its pixels are the core's own result.
    let file = folder.path().join("saved.tif");
    std::fs::write(&file, &saved).unwrap();
    let limits = Limits::default();
    let written = read(&file, ContentHash::of(&saved), &limits).unwrap().original;
    let Decoded { original, facts } = read(&photo, ContentHash::of_file(&photo).unwrap(), &limits).unwrap();
    let shelf = Shelf::open(&project().join("models")).unwrap();
    let size = written.size();
    assert_eq!((size.width, size.height), (2362, 1575));
    // Nothing but the size was said, so all steps are what the picture's own reading suggests for this print.
    let target = Target::Print { paper: "30x20cm".parse().unwrap(), ppi: 200.0 };
    let print = target.resolve(original.size()).unwrap();
    let known =
        PrintFacts { factor: print.factor, ppi: Some(200.0), distance_m: print.print.map(|p| p.usual_distance_m()) };
    let reading = sight::read(&original, &facts, &shelf).unwrap();
    let shows = reading.shows(&[], facts.size);
    let renderer = Renderer::new(shelf.clone(), 256 << 20);
    let trial = trial::run(&original, &reading, shows, &shelf, factor_for(print.factor).unwrap(), &Unhurried).unwrap();
    let suggestion = Suggestion::of(&reading, trial.as_ref(), &[], &facts, &shelf, known);
    assert!(suggestion.clean.noise.is_some(), "the Clean step has something to do");
    let recipe = suggestion.recipe(Frame::default(), Surround::None);
    let treatment = recipe.work_out(&shelf, original.size(), target).unwrap().treatment;
    let due = renderer.render(&original, &treatment, size.whole().seen_as(), &Unhurried).unwrap();
    let got = written.region(size.whole().seen_as());
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
    let page = Browser::on(&service).await;
    page.wait_for_tiles().await;
    let zoom: f64 = page.attribute("[data-testid=stage]", "data-zoom").await.parse().unwrap();
    assert!((zoom - 1.0).abs() < 0.01, "one pixel of the print for one of the screen: {zoom}");
    let middle = page.attribute("[data-testid=stage]", "data-middle").await;
    let (x, y) = middle.split_once(' ').expect("two shares");
    let near = |share: &str, due: f64| (share.parse::<f64>().unwrap() - due).abs() < 0.01;
    assert!(near(x, 1040.0 / 1800.0) && near(y, 585.0 / 1200.0), "{middle}: the first of the spots that were pinned");
    let pictures = page.driver.find_all(Locator::Css("nav[aria-label=Pictures] li")).await.unwrap();
    assert_eq!(pictures.len(), 6);

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

#[tokio::test(flavor = "multi_thread")]
async fn a_slider_moves_from_its_suggestion_and_a_double_click_returns_it() {
    let database = TestServer::shared();
    let folder = tempfile::tempdir().unwrap();
    let service = service(&folder, &database, true).await;
    let page = Browser::on(&service).await;
    page.wait_for_tiles().await;

    page.click("section[aria-label=Process] button", "Clean").await;
    page.wait_for_tiles().await;
    let suggested = page.pixels_of_the_stage().await;
    let grain = "input[aria-label=Grain]";
    assert_eq!(page.attribute(grain, "value").await, "0.9");
    page.fill(grain, &char::from(Key::Left).to_string().repeat(10)).await;
    page.wait_until("the slider has moved", async |p: &Browser| p.attribute(grain, "value").await == "0.4").await;
    // What it may blend to is held ready for as long as it is at hand.
    let blend = async |page: &Browser| page.attribute("[data-testid=stage]", "data-blend").await;
    page.wait_until("both ends are there", async |page: &Browser| blend(page).await == "ready").await;
    page.wait_until("the grain is back in the picture", async |p: &Browser| {
        p.wait_for_tiles().await;
        p.pixels_of_the_stage().await != suggested
    })
    .await;
    // On a machine that is busy, two clicks may be too far apart to be one.
    page.wait_until("the slider is back", async |p: &Browser| {
        p.double_click(".MuiSlider-root:has(input[aria-label=Grain])").await;
        tokio::time::sleep(Duration::from_millis(400)).await;
        p.attribute(grain, "value").await == "0.9"
    })
    .await;
    page.wait_until("and so is the picture", async |p: &Browser| {
        p.wait_for_tiles().await;
        p.pixels_of_the_stage().await == suggested
    })
    .await;
    page.press("Escape").await;
    page.wait_until("nothing is blended", async |page: &Browser| blend(page).await.is_empty()).await;

    // Turned, the print is turned too; undone, it is as it was.
    page.click("section[aria-label=Process] button", "Frame").await;
    page.click("button", "Turn right").await;
    page.wait_for_text("[data-testid=consequences]", "2\u{2009}362 × 3\u{2009}543 px").await;
    page.press("Escape").await;
    page.undo().await;
    page.wait_for_text("[data-testid=consequences]", "3\u{2009}543 × 2\u{2009}362 px").await;

    // What was set is there again after a reload.
    page.click("section[aria-label=Process] button", "Clean").await;
    page.fill(grain, &char::from(Key::Left).to_string().repeat(2)).await;
    page.wait_until("the slider has moved", async |p: &Browser| p.attribute(grain, "value").await == "0.8").await;
    page.wait_for_text("section[aria-label=Process]", "noise 80 %").await;
    page.press("Escape").await;
    page.wait_for_tiles().await;
    page.open(&format!("http://{}/", service.address)).await;
    page.wait_for_text("section[aria-label=Process]", "noise 80 %").await;
    page.close().await;
    service.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_model_of_ones_own_goes_through_the_shelf_to_the_bench() {
    let database = TestServer::shared();
    let folder = tempfile::tempdir().unwrap();
    let service = service(&folder, &database, true).await;
    let page = Browser::on(&service).await;
    page.click("nav[aria-label=Views] a", "Shelf").await;
    page.wait_for_text("main[aria-label='Model shelf']", "Everyday x4, draft").await;

    // A refusal says why, in the dialog.
    let own = project().join("crates/core/tests/own");
    page.click("main button", "Add a model of your own").await;
    page.choose_file("[data-testid=model-input]", &own.join("two-inputs.onnx")).await;
    page.click("[role=dialog] button", "Try and add").await;
    page.wait_for_text("[role=dialog] [role=alert]", "2 inputs").await;
    page.choose_file("[data-testid=model-input]", &own.join("plain-x2.onnx")).await;
    page.fill("[role=dialog] input[type=text]", " twin").await;
    page.click("[role=dialog] button", "Try and add").await;
    page.wait_for_text("[role=dialog] [role=alert]", "makes pictures 2 times larger").await;
    page.click("[role=dialog] button", "Close").await;
    page.wait_for_text("article[aria-label='plain-x2 twin']", "this model").await;

    // On the bench it can be chosen, and tiles come from it.
    page.click("nav[aria-label=Views] a", "Bench").await;
    page.click("section[aria-label=Process] button", "Enlarge").await;
    page.choose_option("[role=dialog] [role=combobox]", "Everyday", "plain-x2 twin").await;
    page.press("Escape").await;
    page.wait_for_text("section[aria-label=Process]", "plain-x2 twin").await;
    page.wait_for_tiles().await;

    // Retired, it moves down and can be put back.
    page.click("nav[aria-label=Views] a", "Shelf").await;
    page.click("article[aria-label='plain-x2 twin'] button", "Retire").await;
    page.wait_for_text("article[aria-label='plain-x2 twin']", "Restore").await;
    page.click("article[aria-label='plain-x2 twin'] button", "Restore").await;
    page.wait_for_text("article[aria-label='plain-x2 twin']", "Retire").await;

    page.close().await;
    service.stop().await;
}
