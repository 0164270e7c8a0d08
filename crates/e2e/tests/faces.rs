//! Faces in a real browser: found, shown before and after, switched off, dismissed, drawn by hand.

mod browser;

use browser::{Browser, project, service};
use dettaglio_store::testing::TestServer;
use serde_json::{Value, json};

#[tokio::test(flavor = "multi_thread")]
async fn a_face_is_compared_switched_off_dismissed_and_drawn() {
    let database = TestServer::shared();
    let folder = tempfile::tempdir().unwrap();
    let service = service(&folder, &database, false).await;
    let base = format!("http://{}/api/v1", service.address);
    let client = reqwest::Client::new();
    let order: Value = client
        .post(format!("{base}/orders"))
        .json(&json!({ "title": "Family album" }))
        .send()
        .await
        .unwrap()
        .json()
        .await
        .unwrap();
    let person = std::fs::read(project().join("foundry/heads/kept/1002-0.png")).unwrap();
    let form = reqwest::multipart::Form::new()
        .part("files", reqwest::multipart::Part::bytes(person).file_name("glassblower.png"));
    let outcome: Value = client
        .post(format!("{base}/orders/{}/originals", order["id"]))
        .multipart(form)
        .send()
        .await
        .unwrap()
        .json()
        .await
        .unwrap();
    let id = outcome[0]["original"]["id"].as_u64().unwrap();
    let wish = format!("{base}/originals/{id}/wish");
    let mut first: Value = client.get(&wish).send().await.unwrap().json().await.unwrap();
    first["faces"] = Value::Null;
    assert!(client.put(&wish).json(&first).send().await.unwrap().status().is_success());
    let page = Browser::on(&service).await;
    page.wait_for_tiles().await;

    // Switched on, the card shows the face before and after.
    page.wait_for_text("[aria-label=Process]", "1 found, off").await;
    page.click("[aria-label=Process] button", "Faces").await;
    page.click("[role=dialog] label", "Restore faces").await;
    page.wait_until("the face is found", async |p| p.text("[aria-label=Process]").await.contains("1 of 1, 70 %")).await;
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

    // Off for this face alone, then not a face at all; undone in turn.
    page.click("[aria-label='Face 1'] input[type=checkbox]", "").await;
    page.wait_for_text("[aria-label=Process]", "1 found, left alone").await;
    // Changes that follow each other as fast as typing are undone together: these are two.
    tokio::time::sleep(std::time::Duration::from_millis(1000)).await;
    page.click_named("[role=dialog] button", "Face 1 is no face").await;
    page.wait_for_text("[aria-label=Process]", "none found").await;
    page.press("Escape").await;
    page.undo().await;
    page.wait_for_text("[aria-label=Process]", "1 found, left alone").await;

    // One that was missed is drawn from eye to eye.
    page.click("[aria-label=Process] button", "Faces").await;
    page.click("[role=dialog] button", "Draw a face").await;
    page.wait_until("the card is closed", async |p| {
        p.script("return document.querySelectorAll('[role=dialog]').length").await == json!(0)
    })
    .await;
    // One pane, so that nothing lies over the place.
    page.on_stage("b").await;
    page.drag("canvas", 60.0).await;
    page.wait_until("it is one of two", async |p| p.text("[aria-label=Process]").await.contains("of 2, 70 %")).await;
    let wish: Value = client.get(format!("{base}/originals/{id}/wish")).send().await.unwrap().json().await.unwrap();
    let own = wish["own_faces"].as_array().unwrap();
    assert_eq!((own.len(), &own[0]["on"]), (2, &json!(false)), "{wish}");
    page.close().await;
    service.stop().await;
}
