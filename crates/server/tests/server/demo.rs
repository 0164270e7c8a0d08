//! The demo: it comes in once, holds what it says, and its results are what the product makes of its pictures.

use std::time::Instant;

use dettaglio_core::picture::Planes;
use dettaglio_core::{codec, compare};
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::limits::Limits;
use reqwest::StatusCode;
use serde_json::{Value, json};

use crate::support::{Server, project};

async fn asked(server: &Server, path: &str) -> Value {
    Server::json(server.get(path).await, StatusCode::OK).await
}

/// All that is in the orders: their contents.
async fn contents(server: &Server) -> Vec<Value> {
    let mut all = Vec::new();
    for order in asked(server, "/orders").await.as_array().unwrap() {
        all.push(asked(server, &format!("/orders/{}", order["id"])).await);
    }
    all
}

async fn planes(server: &Server, enlargement: &Value) -> Planes {
    let bytes = server.get(&format!("/enlargements/{enlargement}/file")).await.bytes().await.unwrap();
    let file = server.folder.path().join(format!("result-{enlargement}"));
    std::fs::write(&file, &bytes).unwrap();
    let original = codec::read(&file, ContentHash::of(&bytes), &Limits::default()).unwrap().original;
    original.planes()
}

#[tokio::test(flavor = "multi_thread")]
async fn every_view_has_something_to_show() {
    let began = Instant::now();
    let server = Server::with(|settings| settings.demo = Some(project().join("demo"))).await;
    eprintln!("the demo was loaded in {:.1} s", began.elapsed().as_secs_f64());
    let orders = contents(&server).await;
    let count = |list: &str| orders.iter().map(|o| o[list].as_array().unwrap().len()).sum::<usize>();
    assert!(count("originals") >= 12, "{}", count("originals"));
    let formats = |format: &str| {
        orders.iter().flat_map(|o| o["originals"].as_array().unwrap()).any(|p| p["facts"]["format"] == format)
    };
    assert!(["JPEG", "PNG", "TIFF", "DNG"].into_iter().all(formats));
    let verdicts: Vec<&Value> =
        orders.iter().flat_map(|o| o["enlargements"].as_array().unwrap()).map(|e| &e["verdict"]).collect();
    assert!(verdicts.contains(&&json!("accepted")) && verdicts.contains(&&json!("sent_back")), "{verdicts:?}");
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_failed_run_can_be_run_again_and_the_shipped_results_are_the_products_own() {
    let server = Server::with(|settings| settings.demo = Some(project().join("demo"))).await;
    let ended = asked(&server, "/run-sheet").await["ended"].clone();
    let failed = ended.as_array().unwrap().iter().find(|job| job["state"] == "failed").expect("one run failed");
    assert!(failed["reason"].as_str().unwrap().contains("run it again"), "{failed}");
    let id = failed["id"].as_u64().unwrap();
    server.instruct(&[id], json!({ "do": "retry" })).await;
    assert_eq!(server.ended(id).await["state"], "done");

    let orders = contents(&server).await;
    let shipped: Vec<&Value> = orders
        .iter()
        .flat_map(|o| o["enlargements"].as_array().unwrap())
        .filter(|e| e["job_id"].as_u64() != Some(id))
        .collect();
    assert!(!shipped.is_empty());
    for enlargement in shipped {
        let original = &enlargement["original_id"];
        let intent = asked(&server, &format!("/originals/{original}/intent")).await;
        let job = Server::json(server.post(&format!("/originals/{original}/jobs"), &intent).await, StatusCode::CREATED);
        let again = server.ended(job.await["id"].as_u64().unwrap()).await;
        assert_eq!(again["state"], "done", "{again}");
        let (due, got) = (planes(&server, &again["enlargement_id"]).await, planes(&server, &enlargement["id"]).await);
        assert_eq!(due.size(), got.size());
        // Another processor rounds otherwise, and JPEG makes steps of it.
        let psnr = compare::psnr(&got, &due, 0);
        assert!(psnr > 50.0, "{}: {psnr:.1} dB; run it again and keep it with demo/keep.py", enlargement["file_name"]);
    }
    server.stop().await;
}

/// A server on the data of one that was stopped.
async fn started_again(mut server: Server) -> (Server, tempfile::TempDir) {
    server.service.take().unwrap().stop().await;
    let (url, folder) = (server.database.clone(), server.folder);
    let data = folder.path().to_owned();
    let again = Server::with(|settings| {
        settings.demo = Some(project().join("demo"));
        settings.database = Some(url);
        settings.data = data;
    });
    (again.await, folder)
}

#[tokio::test(flavor = "multi_thread")]
async fn it_comes_in_once_and_not_again_when_it_was_removed() {
    let server = Server::with(|settings| settings.demo = Some(project().join("demo"))).await;
    let before = contents(&server).await.len();
    let (server, _data) = started_again(server).await;
    let orders = contents(&server).await;
    assert_eq!(orders.len(), before);
    for order in &orders {
        server.post(&format!("/orders/{}/shelve", order["order"]["id"]), &json!({ "to": "removed" })).await;
    }
    let deleted = asked_to_delete(&server).await;
    assert_eq!((&deleted["orders"], &deleted["busy"]), (&json!(before), &json!(0)), "{deleted}");
    let (server, _again) = started_again(server).await;
    assert!(contents(&server).await.is_empty());
    server.stop().await;
}

async fn asked_to_delete(server: &Server) -> Value {
    Server::json(server.delete("/removed").await, StatusCode::OK).await
}
