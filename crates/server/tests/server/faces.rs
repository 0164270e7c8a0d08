//! Faces over HTTP: found, planned, measured, drawn by hand, restored in a run.

use reqwest::StatusCode;
use rstest::rstest;
use serde_json::{Value, json};

use crate::support::{Server, intent, project};

/// A made-up person, 384 x 480 px, with some 95 px between the eyes.
fn person() -> Vec<u8> {
    std::fs::read(project().join("foundry/heads/kept/1002-0.png")).unwrap()
}

async fn with_person(server: &Server) -> u64 {
    let order = server.new_order().await;
    let outcomes = server.import(order, vec![("glassblower.png", person())]).await;
    outcomes[0]["original"]["id"].as_u64().unwrap()
}

async fn plan(server: &Server, id: u64, intent: &Value) -> Value {
    Server::json(server.post(&format!("/originals/{id}/plan"), intent).await, StatusCode::OK).await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_face_is_found_suggested_and_measured() {
    let server = Server::start().await;
    let id = with_person(&server).await;
    let faces = Server::json(server.get(&format!("/originals/{id}/faces")).await, StatusCode::OK).await;
    assert_eq!(faces.as_array().unwrap().len(), 1, "{faces}");
    assert!((80.0..110.0).contains(&faces[0]["eyes"].as_f64().unwrap()), "{faces}");
    assert_eq!(faces[0]["left"], Value::Null);

    // What is suggested says why, whether the step is on or off.
    let body = json!({ "target": { "by": "factor", "factor": 2 } });
    let suggestion =
        Server::json(server.post(&format!("/originals/{id}/suggestion"), &body).await, StatusCode::OK).await;
    let reasons = suggestion["reasons"].as_array().unwrap();
    assert!(reasons.iter().any(|r| r["step"] == "faces" && r["text"].as_str().unwrap().contains("px")), "{reasons:?}");

    let mut wanted = intent(2.0);
    wanted["faces"] = json!({ "strength": 0.6 });
    let planned = plan(&server, id, &wanted).await;
    let face = &planned["faces"][0];
    assert_eq!(face["restored"], 0, "{planned}");
    assert!(face["part"]["width"].as_u64().unwrap() > 300, "{face}");
    assert!(planned["unrestored"].is_string() && planned["unrestored"] != planned["treatment"]);
    assert!(planned["description"].as_str().unwrap().contains("a face restored"), "{planned}");

    let hash = Server::json(server.get(&format!("/originals/{id}")).await, StatusCode::OK).await["hash"].clone();
    let (hash, treatment) = (hash.as_str().unwrap(), planned["treatment"].as_str().unwrap());
    let outcome = Server::json(server.get(&format!("/faces/{hash}/{treatment}/0")).await, StatusCode::OK).await;
    assert!(outcome["departure"].as_f64().is_some_and(|d| d > 0.0 && d < 20.0), "{outcome}");
    let none = Server::json(server.get(&format!("/faces/{hash}/{treatment}/7")).await, StatusCode::NOT_FOUND).await;
    assert_eq!(none["code"], "face.unknown");

    // Its eyes are the first of the suggested spots.
    let spots = Server::json(server.get(&format!("/originals/{id}/spots")).await, StatusCode::OK).await;
    assert_eq!(spots["spots"][0]["name"], "Eyes");
    let opening = Server::json(server.get(&format!("/originals/{id}/opening")).await, StatusCode::OK).await;
    assert_eq!((&opening["x"], &opening["y"]), (&spots["spots"][0]["x"], &spots["spots"][0]["y"]));
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_person_says_which_faces_there_are() {
    let server = Server::start().await;
    let id = with_person(&server).await;
    let found = Server::json(server.get(&format!("/originals/{id}/faces")).await, StatusCode::OK).await;
    let mut wanted = intent(2.0);
    wanted["faces"] = json!({ "strength": 0.6 });
    let face = found[0]["face"].clone();

    // One that is off, one of its own strength, none at all.
    wanted["own_faces"] = json!([{ "face": face, "on": false }]);
    let off = plan(&server, id, &wanted).await;
    assert_eq!((&off["faces"][0]["restored"], &off["unrestored"]), (&Value::Null, &Value::Null));
    wanted["own_faces"] = json!([{ "face": face, "strength": 0.2 }]);
    let own = plan(&server, id, &wanted).await;
    assert_eq!(own["faces"][0]["restored"], 0);
    wanted["own_faces"] = json!([]);
    let dismissed = plan(&server, id, &wanted).await;
    assert_eq!(dismissed["faces"], json!([]));
    assert_eq!(dismissed["treatment"], off["treatment"], "what is done to nobody is one treatment");
    assert_ne!(own["treatment"], off["treatment"]);

    // One that is drawn is too small, and said to be.
    let tiny =
        json!({ "left_eye": { "x": 40, "y": 40 }, "right_eye": { "x": 52, "y": 40 }, "mouth": { "x": 46, "y": 54 } });
    wanted["own_faces"] = json!([{ "face": tiny }]);
    let small = plan(&server, id, &wanted).await;
    assert_eq!(small["faces"][0]["left"], "too_small");

    // It is remembered with the intent.
    let kept = Server::json(server.get(&format!("/originals/{id}/intent")).await, StatusCode::OK).await;
    assert_eq!(kept["own_faces"][0]["face"]["left_eye"]["x"], 40.0);
    server.stop().await;
}

#[rstest]
#[case::too_strong(json!({ "faces": { "strength": 1.5 } }), "setting.out-of-range")]
#[case::no_face(json!({ "faces": { "strength": 0.5 }, "own_faces": [{ "face": {
    "left_eye": { "x": 5, "y": 5 }, "right_eye": { "x": 5, "y": 5 }, "mouth": { "x": 5, "y": 5 } } }],
    "finish": { "edges": { "strength": 1, "width": 1, "halo_guard": 0.5, "leave_flat": 0.5, "leave_skin": 0.5 } } }), "face.unusable")]
#[case::skin(json!({ "finish": { "edges": { "strength": 1, "width": 1, "halo_guard": 0.5, "leave_flat": 0.5, "leave_skin": 7 } } }), "setting.out-of-range")]
#[tokio::test(flavor = "multi_thread")]
async fn what_makes_no_sense_is_refused_by_name(#[case] change: Value, #[case] code: &str) {
    let server = Server::start().await;
    let id = with_person(&server).await;
    let mut wanted = intent(2.0);
    for (key, value) in change.as_object().unwrap() {
        wanted[key] = value.clone();
    }
    let response = server.post(&format!("/originals/{id}/plan"), &wanted).await;
    let problem = Server::json(response, StatusCode::UNPROCESSABLE_ENTITY).await;
    assert_eq!(problem["code"], code, "{problem}");
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn an_order_says_what_is_done_to_all_faces() {
    let server = Server::start().await;
    let id = with_person(&server).await;
    let order = Server::json(server.get(&format!("/originals/{id}")).await, StatusCode::OK).await["order_id"].clone();
    let described = async |body: Value| {
        let plan = Server::json(server.post(&format!("/orders/{order}/preflight"), &body).await, StatusCode::OK).await;
        plan["items"][0]["description"].as_str().unwrap().to_owned()
    };
    let on = json!({ "faces": { "how": "restored", "strength": 0.8 } });
    assert!(described(on.clone()).await.contains("a face restored"));
    Server::json(server.post(&format!("/orders/{order}/edit"), &on).await, StatusCode::OK).await;
    assert!(described(json!({})).await.contains("a face restored"), "as it is set");
    assert!(!described(json!({ "faces": { "how": "off" } })).await.contains("restored"));
    let edit = json!({ "faces": { "how": "off" } });
    let before = Server::json(server.post(&format!("/orders/{order}/edit"), &edit).await, StatusCode::OK).await;
    let strength = before[0]["before"]["faces"]["strength"].as_f64().unwrap();
    assert!((strength - 0.8).abs() < 1e-6, "what it was is told, to be undone");
    assert!(!described(json!({})).await.contains("restored"), "from now on");
    let again = json!({ "faces": { "how": "restored", "strength": 0.3 } });
    assert!(described(again).await.contains("a face restored"));
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_picture_without_people_has_none() {
    let server = Server::start().await;
    let (_, id) = server.with_picture(300, 200).await;
    let faces = Server::json(server.get(&format!("/originals/{id}/faces")).await, StatusCode::OK).await;
    assert_eq!(faces, json!([]));
    let again = Server::json(server.post(&format!("/originals/{id}/faces"), &json!({})).await, StatusCode::OK).await;
    assert_eq!(again, json!([]));
    let first = Server::json(server.get(&format!("/originals/{id}/intent")).await, StatusCode::OK).await;
    assert_eq!(first["faces"], Value::Null, "the step is off where nobody is");
    server.stop().await;
}
