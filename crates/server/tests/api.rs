//! The API from outside, over HTTP.

mod support;

use dettaglio_core::codec::read;
use dettaglio_core::hash::ContentHash;
use dettaglio_core::limits::Limits;
use dettaglio_core::model::Shelf;
use dettaglio_core::picture::{Region, Size};
use dettaglio_core::render::{Renderer, Unhurried};
use dettaglio_core::treatment::Treatment;
use futures::StreamExt;
use image::ImageFormat;
use reqwest::StatusCode;
use reqwest::header::{ACCEPT, CONTENT_DISPOSITION, CONTENT_TYPE, HOST, ORIGIN, RANGE};
use rstest::rstest;
use serde_json::{Value, json};
use support::{Server, encoded, picture, project, wish};

#[tokio::test(flavor = "multi_thread")]
async fn health_tells_every_part() {
    let server = Server::start().await;
    let health = Server::json(server.get("/health").await, StatusCode::OK).await;
    for part in ["database", "store", "engine"] {
        assert_eq!(health[part], "ok", "{health}");
    }
    assert_eq!(health["workers"], 1);
    let document = Server::json(server.get("/openapi.json").await, StatusCode::OK).await;
    assert!(document["paths"]["/api/v1/originals/{id}/plan"]["post"].is_object());
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn each_file_of_an_import_stands_for_itself() {
    let limits = Limits { input_pixels: 40_000, file_bytes: 400_000, ..Limits::default() };
    let server = Server::with_limits(limits).await;
    let order = server.new_order().await;
    let png = encoded(&picture(150, 100), ImageFormat::Png);
    let jpeg = encoded(&picture(150, 100), ImageFormat::Jpeg);
    let outcomes = server
        .import(
            order,
            vec![
                ("vases.png", png.clone()),
                ("price list.txt", b"one vase, one bowl".to_vec()),
                ("cut.jpg", jpeg[..jpeg.len() / 2].to_vec()),
                ("huge.png", encoded(&picture(300, 200), ImageFormat::Png)),
                ("long.bin", vec![0; 500_000]),
                ("sign.jpg", jpeg),
                ("scan.tif", encoded(&picture(90, 60).into_rgb16().into(), ImageFormat::Tiff)),
                ("../../vases again.png", png),
            ],
        )
        .await;
    let code = |i: usize| outcomes[i]["refused"]["code"].as_str().unwrap_or("accepted").to_owned();
    let codes: Vec<String> = (0..8).map(code).collect();
    #[rustfmt::skip]
    assert_eq!(codes, ["accepted", "file.not-a-picture", "file.incomplete", "limit.input-pixels", "limit.file-bytes",
        "accepted", "accepted", "accepted"]);
    assert_eq!(outcomes[6]["original"]["facts"]["depth"], 16);
    assert_eq!(outcomes[7]["name"], "vases again.png");
    assert_eq!(outcomes[7]["already_there"], true, "the same content under another name");

    let contents = Server::json(server.get(&format!("/orders/{order}")).await, StatusCode::OK).await;
    assert_eq!(contents["originals"].as_array().unwrap().len(), 3);
    let id = &outcomes[0]["original"]["id"];
    let thumbnail = server.get(&format!("/originals/{id}/thumbnail")).await.bytes().await.unwrap();
    let thumbnail = image::load_from_memory(&thumbnail).unwrap();
    assert_eq!((thumbnail.width(), thumbnail.height()), (150, 100));
    server.stop().await;
}

#[rstest]
#[case::nonsense(json!({ "target": { "by": "magic" } }), StatusCode::BAD_REQUEST, "request.body")]
#[case::zero(json!({ "target": { "by": "factor", "factor": 0 } }), StatusCode::UNPROCESSABLE_ENTITY, "size.not-positive")]
#[case::too_large(json!({ "target": { "by": "width", "px": 4_000_000_000_u32 } }), StatusCode::UNPROCESSABLE_ENTITY, "size.out-of-range")]
#[case::no_subject(json!({ "enlarge": { "by": "learned", "subject": "unicorns", "grade": "draft" } }), StatusCode::UNPROCESSABLE_ENTITY, "model.unknown-subject")]
#[case::bad_depth(json!({ "output": { "format": "jpeg", "depth": 12 } }), StatusCode::BAD_REQUEST, "request.body")]
#[tokio::test(flavor = "multi_thread")]
async fn a_wish_that_cannot_be_met_says_why(#[case] change: Value, #[case] status: StatusCode, #[case] code: &str) {
    let server = Server::start().await;
    let (_, id) = server.with_picture(60, 40).await;
    let mut body = wish(2.0);
    for (key, value) in change.as_object().unwrap() {
        body[key] = value.clone();
    }
    for path in ["plan", "jobs", "forecast"] {
        let response = server.post(&format!("/originals/{id}/{path}"), &body).await;
        assert_eq!(response.headers()[CONTENT_TYPE], "application/problem+json");
        let problem = Server::json(response, status).await;
        assert_eq!(problem["code"], code, "{path}: {problem}");
        assert!(problem["detail"].as_str().unwrap().len() > 20, "{problem}");
    }
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn limits_are_told_before_the_run() {
    let server = Server::start().await;
    let (_, id) = server.with_picture(3000, 40).await;
    let mut body = wish(22.0);
    body["output"] = json!({ "format": "jpeg", "depth": 8 });
    let plan = Server::json(server.post(&format!("/originals/{id}/plan"), &body).await, StatusCode::OK).await;
    assert_eq!(plan["problem"]["code"], "limit.format-side");
    let refused = server.post(&format!("/originals/{id}/jobs"), &body).await;
    let problem = Server::json(refused, StatusCode::UNPROCESSABLE_ENTITY).await;
    assert!(problem["detail"].as_str().unwrap().contains("65535"), "{problem}");
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_print_is_planned_with_its_verdict() {
    let server = Server::start().await;
    let (_, id) = server.with_picture(900, 600).await;
    let mut body = wish(1.0);
    let paper = json!({ "width": 60.0, "height": 40.0, "unit": "cm" });
    body["target"] = json!({ "by": "print", "paper": paper, "ppi": 240.0 });
    let plan = Server::json(server.post(&format!("/originals/{id}/plan"), &body).await, StatusCode::OK).await;
    assert_eq!(plan["resolved"]["size"], json!({ "width": 5669, "height": 3779 }));
    assert_eq!(plan["passes"], 2);
    let verdict = &plan["verdict"];
    assert!((verdict["original_ppi"].as_f64().unwrap() - 38.1).abs() < 0.1, "{verdict}");
    assert!((verdict["sharp_from_m"].as_f64().unwrap() - 2.29).abs() < 0.01, "{verdict}");
    let kept = Server::json(server.get(&format!("/originals/{id}")).await, StatusCode::OK).await;
    assert_eq!(kept["target"]["by"], "print", "what was asked for is remembered");
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_tile_is_that_part_of_cores_own_result() {
    let server = Server::start().await;
    let (_, id) = server.with_picture(300, 200).await;
    let plan = Server::json(server.post(&format!("/originals/{id}/plan"), &wish(4.0)).await, StatusCode::OK).await;
    let original = Server::json(server.get(&format!("/originals/{id}")).await, StatusCode::OK).await;
    let (hash, treatment) = (original["hash"].as_str().unwrap(), plan["treatment"].as_str().unwrap());
    let response = server.get(&format!("/tiles/{hash}/{treatment}/0/2/1")).await;
    assert!(response.headers()["cache-control"].to_str().unwrap().contains("immutable"));
    let tile = image::load_from_memory(&response.bytes().await.unwrap()).unwrap().into_rgb8();
    assert_eq!(tile.dimensions(), (1200 - 1024, 800 - 512));

    let shelf = Shelf::open(&project().join("models")).unwrap();
    let file = tempfile::NamedTempFile::new().unwrap();
    std::fs::write(file.path(), encoded(&picture(300, 200), ImageFormat::Png)).unwrap();
    let original = read(file.path(), ContentHash::of(b"any"), &Limits::default()).unwrap().original;
    let treatment = Treatment::with_model(&shelf, "everyday-x4-draft", original.size(), Size::new(1200, 800)).unwrap();
    let region = Region::new(1024, 512, 176, 288);
    let due = Renderer::new(shelf, 64 << 20).render(&original, &treatment, region, &Unhurried).unwrap();
    for (x, y, pixel) in tile.enumerate_pixels() {
        for channel in 0..3 {
            let level = (due.row(channel, y)[x as usize] * 255.0 + 0.5) as u8;
            assert_eq!(pixel.0[channel], level, "at {x}, {y}");
        }
    }
    let outside = Server::json(
        server.get(&format!("/tiles/{hash}/{}/0/9/9", plan["before"].as_str().unwrap())).await,
        StatusCode::NOT_FOUND,
    )
    .await;
    assert_eq!(outside["code"], "tile.outside");
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_run_becomes_a_file_beside_its_original() {
    let server = Server::start().await;
    let (order, id) = server.with_picture(200, 150).await;
    let mut body = wish(3.0);
    body["pattern"] = json!("{name} for the wall, {long}");
    body["output"]["ppi"] = json!(180.0);
    let job = Server::json(server.post(&format!("/originals/{id}/jobs"), &body).await, StatusCode::CREATED).await;
    let job = server.ended(job["id"].as_u64().unwrap()).await;
    assert_eq!(job["state"], "done", "{job}");
    let file = format!("/enlargements/{}/file", job["enlargement_id"]);

    let response = server.get(&file).await;
    let disposition = response.headers()[CONTENT_DISPOSITION].to_str().unwrap().to_owned();
    assert!(disposition.contains("vases for the wall, 600.tif"), "{disposition}");
    let bytes = response.bytes().await.unwrap();
    let result = image::load_from_memory(&bytes).unwrap();
    assert_eq!((result.width(), result.height(), result.color()), (600, 450, image::ColorType::Rgb16));

    let part = server.client.get(format!("{}{file}", server.base)).header(RANGE, "bytes=100-199").send().await.unwrap();
    assert_eq!(part.status(), StatusCode::PARTIAL_CONTENT);
    assert_eq!(part.bytes().await.unwrap(), bytes[100..200]);

    let contents = Server::json(server.get(&format!("/orders/{order}")).await, StatusCode::OK).await;
    let record = &contents["enlargements"][0]["record"];
    assert_eq!(record["treatment"], "Everyday x4, draft, to 600 x 450 px");
    assert_eq!(record["settings"]["ppi"], 180.0);
    assert_eq!(contents["enlargements"][0]["bytes"], bytes.len());
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_run_can_be_cancelled_and_run_again() {
    let server = Server::start().await;
    let (_, id) = server.with_picture(1600, 1200).await;
    let job = Server::json(server.post(&format!("/originals/{id}/jobs"), &wish(4.0)).await, StatusCode::CREATED).await;
    let number = job["id"].as_u64().unwrap();
    server.post(&format!("/jobs/{number}/cancel"), &json!({})).await;
    assert_eq!(server.ended(number).await["state"], "cancelled");
    let again = Server::json(server.post(&format!("/jobs/{number}/retry"), &json!({})).await, StatusCode::OK).await;
    assert_eq!(again["state"], "waiting");
    server.post(&format!("/jobs/{number}/cancel"), &json!({})).await;
    assert_eq!(server.ended(number).await["state"], "cancelled");
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn progress_is_told_as_it_happens() {
    let server = Server::start().await;
    let (_, id) = server.with_picture(700, 500).await;
    let events = server.client.get(format!("{}/events", server.base)).header(ACCEPT, "text/event-stream");
    let mut events = events.send().await.unwrap().bytes_stream();
    let job = Server::json(server.post(&format!("/originals/{id}/jobs"), &wish(4.0)).await, StatusCode::CREATED).await;
    let listening = async {
        let mut heard = String::new();
        while let Some(Ok(piece)) = events.next().await {
            heard.push_str(&String::from_utf8_lossy(&piece));
            if heard.contains("\"state\":\"done\"") {
                break;
            }
        }
        heard
    };
    let heard = tokio::time::timeout(std::time::Duration::from_secs(30), listening).await.expect("the end is told");
    assert!(heard.contains("event: job") && heard.contains(&format!("\"id\":{}", job["id"])), "{heard}");
    assert!(heard.contains("\"state\":\"running\""), "{heard}");
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_removed_original_can_be_put_back() {
    let server = Server::start().await;
    let (order, id) = server.with_picture(60, 40).await;
    let count = async |due: usize| {
        let contents = Server::json(server.get(&format!("/orders/{order}")).await, StatusCode::OK).await;
        assert_eq!(contents["originals"].as_array().unwrap().len(), due);
    };
    let removed = server.client.delete(format!("{}/originals/{id}", server.base)).send().await.unwrap();
    assert_eq!(removed.status(), StatusCode::NO_CONTENT);
    count(0).await;
    server.post(&format!("/originals/{id}/restore"), &json!({})).await;
    count(1).await;
    server.stop().await;
}

#[rstest]
#[case("/orders/999")]
#[case("/originals/999")]
#[case("/jobs/999")]
#[case("/enlargements/999/file")]
#[case("/nothing")]
#[tokio::test(flavor = "multi_thread")]
async fn what_is_not_there_is_a_problem_with_a_code(#[case] path: &str) {
    let server = Server::start().await;
    let problem = Server::json(server.get(path).await, StatusCode::NOT_FOUND).await;
    assert_eq!(problem["code"], "not-found");
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn pages_from_elsewhere_get_nothing() {
    let server = Server::start().await;
    for (name, value) in [(HOST, "prints.example"), (ORIGIN, "http://prints.example")] {
        let request = server.client.get(format!("{}/orders", server.base)).header(name, value);
        let problem = Server::json(request.send().await.unwrap(), StatusCode::FORBIDDEN).await;
        assert_eq!(problem["code"], "access.foreign");
    }
    let wrong = Server::json(server.get("/orders/abc").await, StatusCode::BAD_REQUEST).await;
    assert_eq!(wrong["code"], "request.address");
    server.stop().await;
}
