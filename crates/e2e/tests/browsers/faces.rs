//! Faces in a real browser: found, and shown before and after with what restoring comes to.

use dettaglio_core::model::read_card;
use dettaglio_store::testing::TestServer;
use serde_json::{Value, json};

use crate::browser::{Browser, order_with, project, service};

#[tokio::test(flavor = "multi_thread")]
async fn a_face_is_found_and_compared() {
    let database = TestServer::shared();
    let folder = tempfile::tempdir().unwrap();
    let service = service(&folder, &database, false).await;
    let person = std::fs::read(project().join("foundry/heads/kept/1002-0.png")).unwrap();
    let id = order_with(&service, "Family album", "glassblower.png", person).await;
    let usual = 100.0 * read_card(&project().join("models/faces.json")).unwrap().usual_strength();
    let (one, of_two) = (format!("1 of 1, {usual:.0} %"), format!("of 2, {usual:.0} %"));
    let client = reqwest::Client::new();
    let intent = format!("http://{}/api/v1/originals/{id}/intent", service.address);
    let mut first: Value = client.get(&intent).send().await.unwrap().json().await.unwrap();
    first["faces"] = Value::Null;
    assert!(client.put(&intent).json(&first).send().await.unwrap().status().is_success());
    let page = Browser::on(&service).await;
    page.wait_for_tiles().await;

    // Switched on, the card shows the face before and after.
    page.wait_for_text("[aria-label=Process]", "1 found, off").await;
    page.click("[aria-label=Process] button", "Faces").await;
    page.click("[role=dialog] label", "Restore faces").await;
    page.wait_until("the face is found", async |p| p.text("[aria-label=Process]").await.contains(&one)).await;
    page.wait_until("both close-ups are there", async |p| {
        let script =
            "return [...document.querySelectorAll('[role=dialog] img')].filter(i => i.naturalWidth > 0).length";
        p.script(script).await == json!(2)
    })
    .await;
    page.wait_until("its departure is measured", async |p| {
        p.text("[role=dialog]").await.contains("ΔE of the original")
    })
    .await;
    assert_eq!(page.serious_faults().await, Vec::<String>::new());

    // It is left alone, taken for no face, and found again.
    let card = "[aria-label=Process]";
    page.click("[role=dialog] label", "Face 1").await;
    page.wait_for_text(card, "1 found, left alone").await;
    page.click_named("[role=dialog] button", "Face 1 is no face").await;
    page.wait_for_text(card, "none found").await;
    page.click("[role=dialog] button", "Back to those found").await;
    page.wait_for_text(card, &one).await;

    // One that was missed is drawn from eye to eye, beside the curtain; undone, it is gone.
    page.click("[role=dialog] button", "Draw a face").await;
    page.wait_until("the card is out of the way", async |p| {
        p.script("return !document.querySelector('[role=dialog]')").await == json!(true)
    })
    .await;
    page.drag_from("canvas", (0.15, 0.33), 120.0).await;
    page.wait_for_text(card, &of_two).await;
    page.undo().await;
    page.wait_for_text(card, &one).await;

    page.close().await;
    service.stop().await;
}
