//! Faces in a real browser: found, and shown before and after with what restoring comes to.

mod browser;

use browser::{Browser, project, service};
use dettaglio_store::testing::TestServer;
use serde_json::{Value, json};

#[tokio::test(flavor = "multi_thread")]
async fn a_face_is_found_and_compared() {
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

    page.close().await;
    service.stop().await;
}
