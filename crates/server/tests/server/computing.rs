//! What computes the models: devices that plug-ins of the runtime reach.

use dettaglio_domain::device::Wanted;
use dettaglio_server::service::Service;
use reqwest::StatusCode;
use serde_json::{Value, json};

use crate::support::Server;

/// A server with a plug-in that is none.
async fn with_a_broken_plugin() -> Server {
    Server::with(|settings| {
        let plugin = settings.data.join("libonnxruntime_providers_lamp.so");
        std::fs::write(&plugin, "no library").expect("a file");
        settings.plugins = vec![plugin];
    })
    .await
}

async fn standing(server: &Server) -> Value {
    Server::json(server.get("/computing").await, StatusCode::OK).await
}

#[tokio::test(flavor = "multi_thread")]
async fn without_plugins_the_processor_computes() {
    let server = Server::start().await;
    let view = standing(&server).await;
    assert_eq!((&view["computing"], &view["devices"], &view["trouble"]), (&json!("cpu"), &json!([]), &Value::Null));
    assert_eq!(view["is_to_be_tried"], false);
    let refused = server.post("/computing", &json!({ "device": "gpu" })).await;
    let problem = Server::json(refused, StatusCode::UNPROCESSABLE_ENTITY).await;
    assert!(problem["detail"].as_str().unwrap().contains("no graphics processor was found"), "{problem}");
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_plugin_that_is_none_is_told_of_and_costs_nothing_else() {
    let server = with_a_broken_plugin().await;
    assert_eq!(standing(&server).await["is_to_be_tried"], true, "not while somebody may be about to look");
    let view = Server::json(server.post("/computing/try", &json!({})).await, StatusCode::OK).await;
    assert!(view["troubles"][0].as_str().unwrap().contains("libonnxruntime_providers_lamp.so"), "{view}");
    assert_eq!((&view["computing"], &view["is_to_be_tried"]), (&json!("cpu"), &json!(false)));
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_wanted_is_kept() {
    let server = with_a_broken_plugin().await;
    let view = Server::json(server.post("/computing", &json!({ "device": "cpu" })).await, StatusCode::OK).await;
    assert_eq!(view["wanted"], "cpu");
    let kept = std::fs::read_to_string(server.folder.path().join("devices.json")).unwrap();
    assert_eq!(serde_json::from_str::<Value>(&kept).unwrap()["wanted"], "cpu");
    let nonsense = server.post("/computing", &json!({ "device": "../lib.so" })).await;
    assert_eq!(nonsense.status(), StatusCode::BAD_REQUEST);
    let missing = server.post("/computing", &json!({ "device": "lamp-gpu" })).await;
    let problem = Server::json(missing, StatusCode::UNPROCESSABLE_ENTITY).await;
    assert!(problem["detail"].as_str().unwrap().contains("there is no device lamp-gpu"), "{problem}");
    assert_eq!(standing(&server).await["wanted"], "cpu", "nothing changed");
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_device_that_the_start_asks_for_must_be_there() {
    let folder = tempfile::tempdir().unwrap();
    let database = dettaglio_store::testing::TestServer::shared();
    let settings = dettaglio_server::config::Settings {
        database: Some(database.fresh_database().await),
        device: Some(Wanted::Named("lamp-gpu".to_owned())),
        measure_speed: false,
        ..dettaglio_server::config::Settings::new(&crate::support::project(), folder.path().to_owned())
    };
    let Err(error) = Service::start(settings).await else { panic!("it started") };
    let said = format!("{error:#}");
    assert!(said.starts_with("--device lamp-gpu: there is no device lamp-gpu"), "{said}");
}
