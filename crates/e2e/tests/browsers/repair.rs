//! An old print in a real browser: repaired as suggested, marked by hand, its tone brought back.

use dettaglio_store::testing::TestServer;
use serde_json::{Value, json};

use crate::browser::{Browser, order_with, project, service};

#[tokio::test(flavor = "multi_thread")]
async fn an_old_print_is_repaired_and_marked_by_hand() {
    let database = TestServer::shared();
    let folder = tempfile::tempdir().unwrap();
    let service = service(&folder, &database, false).await;
    let print = std::fs::read(project().join("demo/pictures/fornace-1931.jpg")).unwrap();
    let id = order_with(&service, "Family album", "fornace-1931.jpg", print).await;
    let page = Browser::on(&service).await;
    page.wait_for_tiles().await;
    let client = reqwest::Client::new();
    let address = format!("http://{}/api/v1/originals/{id}/intent", service.address);
    let kept = async || -> Value { client.get(&address).send().await.unwrap().json().await.unwrap() };

    // Dots are taken out and tone is brought back by suggestion, with the reasons in the card; filling is a switch away.
    let rail = "[aria-label=Process]";
    page.wait_for_text(rail, "dots 100 %, tone 80 %").await;
    page.click(&format!("{rail} button"), "Repair").await;
    page.wait_for_text("[role=dialog]", "its black has faded to").await;
    page.wait_for_text("[role=dialog]", "it was printed in dots of 3.5 px at 45°").await;
    if !page.text(rail).await.contains("wear, tone 80 %") {
        page.click("[role=dialog] label", "Dust and scratches").await;
    }
    page.wait_for_text(rail, "wear, tone 80 %").await;
    assert_eq!(page.serious_faults().await, Vec::<String>::new());
    let kept_waves = kept().await["repair"]["halftone"]["waves"].as_array().map(Vec::len);
    assert!(kept_waves.is_some_and(|count| count >= 2), "{kept_waves:?}");
    page.click("[role=dialog] label", "Halftone").await;
    page.wait_until("the dots stay", async |_| kept().await["repair"]["halftone"].is_null()).await;
    assert!(!page.text(rail).await.contains("dots"));

    // A kind that does not count, and the tone left as it is.
    page.click("[role=dialog] label", "Lines").await;
    page.wait_for_text(rail, "specks, breaks, tone 80 %").await;
    page.click("[role=dialog] label", "Faded tone").await;
    page.wait_for_text(rail, "specks, breaks").await;

    // The brush marks what it passes; while it is at hand, what is filled is shown.
    page.click("[role=dialog] button", "Mark as worn").await;
    page.wait_for_text("[data-testid=stage]", "Amber is filled").await;
    page.drag_from("canvas", (0.7, 0.4), 60.0).await;
    page.wait_for_text("[role=dialog]", "Take back the last stroke").await;
    page.wait_until("the stroke is kept", async |_| {
        kept().await["repair"]["wear"]["strokes"].as_array().is_some_and(|strokes| strokes.len() == 1)
    })
    .await;
    page.click("[role=dialog] button", "Take back the last stroke").await;
    page.wait_until("the stroke is gone", async |_| {
        kept().await["repair"]["wear"]["strokes"].as_array().is_none_or(|strokes| strokes.is_empty())
    })
    .await;

    // With the card, the brush is laid down.
    page.press("Escape").await;
    page.wait_until("the card is closed", async |p| {
        p.script("return !document.querySelector('[role=dialog]')").await == json!(true)
    })
    .await;
    page.wait_until("the pixels are back", async |p| !p.text("[data-testid=stage]").await.contains("Amber")).await;
    page.close().await;
    service.stop().await;
}
