//! The API from outside, over HTTP.

use dettaglio_core::codec::read;
use dettaglio_core::model::Shelf;
use dettaglio_core::render::{Renderer, Unhurried};
use dettaglio_domain::geometry::{Region, Size};
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::limits::Limits;
use dettaglio_domain::rules::Rules;
use dettaglio_domain::treatment::Treatment;
use futures::StreamExt;
use image::ImageFormat;
use reqwest::StatusCode;
use reqwest::header::{ACCEPT, CONTENT_DISPOSITION, CONTENT_TYPE, HOST, ORIGIN, RANGE};
use rstest::rstest;
use serde_json::{Value, json};

use crate::support::{Server, encoded, intent, picture, project};

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
async fn speeds_are_measured_a_moment_after_the_start_and_times_follow() {
    let server = Server::with(|settings| settings.measure_speed = true).await;
    let (_, id) = server.with_picture(60, 40).await;
    for _ in 0..900 {
        let models = Server::json(server.get("/models").await, StatusCode::OK).await;
        if models.as_array().unwrap().iter().all(|m| m["pixels_per_second"].is_number()) {
            break;
        }
        tokio::time::sleep(std::time::Duration::from_millis(200)).await;
    }
    let plan = Server::json(server.post(&format!("/originals/{id}/plan"), &intent(4.0)).await, StatusCode::OK).await;
    assert!(plan["seconds"].as_f64().is_some_and(|s| s > 0.0 && s < 60.0), "{plan}");
    let app = &server.service.as_ref().unwrap().app;
    let measured = app.studio.rates();
    for _ in 0..100 {
        let kept = app.store.rates(app.studio.machine()).await.unwrap();
        if kept.models.len() == measured.models.len() {
            break;
        }
        tokio::time::sleep(std::time::Duration::from_millis(100)).await;
    }
    // As the next start does.
    app.studio.recall_rates().await.unwrap();
    let recalled = app.studio.rates();
    assert_eq!(recalled.models.len(), measured.models.len());
    assert!(recalled.models.iter().all(|(id, rate)| (rate / measured.models[id] - 1.0).abs() < 1e-9), "{recalled:?}");
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn the_rules_of_the_job_are_handed_out() {
    let server = Server::start().await;
    let rules = Server::json(server.get("/rules").await, StatusCode::OK).await;
    let today = serde_json::to_string(&Rules::today()).unwrap();
    assert_eq!(rules, serde_json::from_str::<Value>(&today).unwrap());
    server.stop().await;
}

#[rstest]
#[case::of_a_later_version(r#"{"form": 99}"#)]
#[case::damaged(r#"{"target": {"by": "guess"}}"#)]
#[tokio::test(flavor = "multi_thread")]
async fn what_was_asked_for_is_never_dropped_without_a_word(#[case] kept: &str) {
    let server = Server::start().await;
    let (order, id) = server.with_picture(60, 40).await;
    let pool = server.service.as_ref().unwrap().app.store.pool();
    sqlx::query("UPDATE originals SET wish = ? WHERE id = ?").bind(kept).bind(id).execute(pool).await.unwrap();
    let refused = Server::json(server.get(&format!("/originals/{id}/intent")).await, StatusCode::CONFLICT).await;
    assert_eq!(refused["code"], "intent.unreadable", "{refused}");
    // The rest of the order is as it was, and what cannot be read is still there.
    assert_eq!(server.get(&format!("/orders/{order}")).await.status(), StatusCode::OK);
    let held: String =
        sqlx::query_scalar("SELECT wish FROM originals WHERE id = ?").bind(id).fetch_one(pool).await.unwrap();
    assert_eq!(held, kept);
    let forgotten = server.client.delete(format!("{}/originals/{id}/intent", server.base)).send().await.unwrap();
    assert_eq!(forgotten.status(), StatusCode::NO_CONTENT);
    assert_eq!(server.get(&format!("/originals/{id}/intent")).await.status(), StatusCode::OK);
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn each_file_of_an_import_stands_for_itself() {
    let limits = Limits { input_pixels: 40_000, file_bytes: 400_000, ..Limits::default() };
    let server = Server::with(|settings| settings.limits = limits).await;
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

/// What was not read when the answer was given would be taken for the next request.
#[tokio::test(flavor = "multi_thread")]
async fn a_refusal_does_not_cost_the_connection() {
    let server = Server::start().await;
    let long = json!({ "title": "x".repeat(400_000) });
    for _ in 0..40 {
        let refused = Server::json(server.post("/orders/nobody/apply", &long).await, StatusCode::BAD_REQUEST).await;
        assert_eq!(refused["code"], "request.address", "{refused}");
    }
    assert_eq!(server.get("/health").await.status(), StatusCode::OK);
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
    let mut body = intent(2.0);
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
    let mut body = intent(22.0);
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
    let mut body = intent(1.0);
    let paper = json!({ "width": 60.0, "height": 40.0, "unit": "cm" });
    body["target"] = json!({ "by": "print", "paper": paper, "ppi": 240.0 });
    let plan = Server::json(server.post(&format!("/originals/{id}/plan"), &body).await, StatusCode::OK).await;
    assert_eq!(plan["resolved"]["size"], json!({ "width": 5669, "height": 3779 }));
    assert_eq!(plan["passes"], 2);
    let verdict = &plan["verdict"];
    assert!((verdict["original_ppi"].as_f64().unwrap() - 38.1).abs() < 0.1, "{verdict}");
    let detail = verdict["detail_ppi"].as_f64().unwrap();
    assert!(
        detail <= verdict["original_ppi"].as_f64().unwrap() + 1e-9,
        "detail is at most what pixels hold: {verdict}"
    );
    let holds_from = verdict["sharp_from_m"].as_f64().unwrap();
    assert!((holds_from * detail - 3437.75 * 0.0254).abs() < 0.01, "{verdict}");
    let kept = Server::json(server.get(&format!("/originals/{id}/intent")).await, StatusCode::OK).await;
    assert_eq!(kept["target"]["by"], "print", "what was asked for is remembered");
    assert_eq!(kept["enlarge"]["subject"], "everyday");
    let forgotten = server.client.delete(format!("{}/originals/{id}/intent", server.base)).send().await.unwrap();
    assert_eq!(forgotten.status(), StatusCode::NO_CONTENT);
    let first = Server::json(server.get(&format!("/originals/{id}/intent")).await, StatusCode::OK).await;
    assert_eq!(first["target"], json!({ "by": "factor", "factor": 2.0 }), "what is suggested");
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_picture_is_read_and_what_it_suggests_can_be_run() {
    let server = Server::start().await;
    let order = server.new_order().await;
    let photo = std::fs::read(project().join("crates/core/tests/pictures/furnace-hall.jpg")).unwrap();
    let outcome = server.import(order, vec![("furnace-hall.jpg", photo)]).await;
    let id = outcome[0]["original"]["id"].as_u64().unwrap();
    let reading = Server::json(server.get(&format!("/originals/{id}/reading")).await, StatusCode::OK).await;
    assert!(reading["reading"]["noise"]["sigma"].as_f64().unwrap() > 8.0, "{reading}");
    assert!(reading["conclusion"][0].as_str().unwrap().contains("noise"), "{reading}");
    assert_eq!(reading["reading"]["jpeg_quality"], 94.0);

    let target = json!({ "by": "factor", "factor": 2.0 });
    let url = format!("/originals/{id}/suggestion");
    let suggested = Server::json(server.post(&url, &json!({ "target": target })).await, StatusCode::OK).await;
    assert!(suggested["recipe"]["clean"]["noise"]["grain"].as_f64().unwrap() > 0.5, "{suggested}");
    assert!(!suggested["reasons"].as_array().unwrap().is_empty());

    let mut body = suggested["recipe"].clone();
    body["target"] = target;
    body["output"] = json!({ "format": "jpeg", "depth": 8, "profile": "p3" });
    body["frame"]["crop"] = json!({ "x": 300, "y": 200, "width": 240, "height": 160 });
    let job = Server::json(server.post(&format!("/originals/{id}/jobs"), &body).await, StatusCode::CREATED).await;
    let ended = server.ended(job["id"].as_u64().unwrap()).await;
    assert_eq!(ended["state"], "done", "{ended}");
    let contents = Server::json(server.get(&format!("/orders/{order}")).await, StatusCode::OK).await;
    let record = &contents["enlargements"][0]["record"];
    assert_eq!(record["size"], json!({ "width": 480, "height": 320 }));
    assert!(record["treatment"].as_str().unwrap().contains("Camera noise, fine"), "{record}");
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_raw_file_stays_raw() {
    let server = Server::start().await;
    let order = server.new_order().await;
    let raw = std::fs::read(project().join("demo/pictures/kiln-chimneys.dng")).unwrap();
    let outcome = server.import(order, vec![("kiln-chimneys.dng", raw)]).await;
    let id = outcome[0]["original"]["id"].as_u64().unwrap();
    let suggested =
        server.post(&format!("/originals/{id}/suggestion"), &json!({ "target": intent(1.0)["target"] })).await;
    let mut body = Server::json(suggested, StatusCode::OK).await["recipe"].clone();
    assert!(body["clean"]["noise"]["grain"].as_f64().unwrap() > 0.5, "{body}");
    body["target"] = json!({ "by": "factor", "factor": 2.0 });
    body["frame"]["crop"] = json!({ "x": 300, "y": 200, "width": 240, "height": 160 });
    body["output"] = json!({ "format": "dng", "depth": 16 });
    let job = Server::json(server.post(&format!("/originals/{id}/jobs"), &body).await, StatusCode::CREATED).await;
    let ended = server.ended(job["id"].as_u64().unwrap()).await;
    assert_eq!(ended["state"], "done", "{ended}");
    let contents = Server::json(server.get(&format!("/orders/{order}")).await, StatusCode::OK).await;
    let result = &contents["enlargements"][0];
    let file = server.get(&format!("/enlargements/{}/file", result["id"])).await.bytes().await.unwrap();
    let part = format!("/enlargements/{}/crop?x=10&y=10&width=64&height=32", result["id"]);
    assert_eq!(server.get(&part).await.status(), StatusCode::OK, "it is looked at as any result is");
    let name = result["file_name"].as_str().unwrap();
    assert!(name.ends_with(".dng"), "{name}");
    let again = server.import(order, vec![("again.dng", file.to_vec())]).await;
    let facts = &again[0]["original"]["facts"];
    assert_eq!((&facts["format"], &facts["size"]), (&json!("DNG"), &json!({ "width": 480, "height": 320 })), "{again}");
    server.stop().await;
}

#[rstest]
#[case::of_a_finished_picture(json!({ "format": "dng", "depth": 16 }), "limit.format-origin")]
#[case::of_less_depth(json!({ "format": "webp", "depth": 16 }), "limit.format-depth")]
#[tokio::test(flavor = "multi_thread")]
async fn a_format_that_a_picture_cannot_become_is_refused(#[case] output: Value, #[case] code: &str) {
    let server = Server::start().await;
    let (_, id) = server.with_picture(60, 40).await;
    let mut body = intent(2.0);
    body["output"] = output;
    let plan = Server::json(server.post(&format!("/originals/{id}/plan"), &body).await, StatusCode::OK).await;
    assert_eq!(plan["problem"]["code"], code);
    let refused = server.post(&format!("/originals/{id}/jobs"), &body).await;
    let problem = Server::json(refused, StatusCode::UNPROCESSABLE_ENTITY).await;
    assert!(problem["detail"].as_str().unwrap().contains("choose TIFF"), "{problem}");
    server.stop().await;
}

#[rstest]
#[case(json!({ "frame": { "degrees": 60.0 } }), "frame.unusable")]
#[case(json!({ "frame": { "crop": { "x": 0, "y": 0, "width": 9000, "height": 10 } } }), "frame.unusable")]
#[case(json!({ "finish": { "edges": { "strength": 99.0, "width": 1.0, "halo_guard": 0.0, "leave_flat": 0.0 } } }), "setting.out-of-range")]
#[case(json!({ "enlarge": { "by": "learned", "subject": "clouds", "grade": "fine" } }), "model.unknown-subject")]
#[case(
    json!({ "clean": { "noise": {
        "model": { "model": "camera-noise-draft", "sha256": "00".repeat(32) },
        "level": [1, 1, 1, 1, 1, 1, 1, 1], "grain": 1.0, "speckle": 1.0, "keep_texture": 0.0
    } } }),
    "model.other-version"
)]
#[tokio::test(flavor = "multi_thread")]
async fn settings_that_cannot_be_met_are_named(#[case] part: Value, #[case] code: &str) {
    let server = Server::start().await;
    let (_, id) = server.with_picture(90, 60).await;
    let mut body = intent(2.0);
    for (key, value) in part.as_object().unwrap() {
        body[key] = value.clone();
    }
    let answer = server.post(&format!("/originals/{id}/plan"), &body).await;
    assert!(answer.status().is_client_error(), "{}", answer.status());
    let problem: Value = answer.json().await.unwrap();
    assert_eq!(problem["code"], code, "{problem}");
    assert!(problem["detail"].as_str().unwrap().len() > 20);
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn the_mask_of_flat_tone_can_be_looked_at() {
    let server = Server::start().await;
    let (_, id) = server.with_picture(90, 60).await;
    let mut body = intent(2.0);
    body["finish"] = json!({ "edges": { "strength": 1.0, "width": 1.0, "halo_guard": 0.5, "leave_flat": 1.0 } });
    let plan = Server::json(server.post(&format!("/originals/{id}/plan"), &body).await, StatusCode::OK).await;
    let original = Server::json(server.get(&format!("/originals/{id}")).await, StatusCode::OK).await;
    let (hash, treatment) = (original["hash"].as_str().unwrap(), plan["treatment"].as_str().unwrap());
    let tile = async |query: &str| {
        let answer = server.get(&format!("/tiles/{hash}/{treatment}/0/0/0{query}")).await;
        assert_eq!(answer.status(), StatusCode::OK);
        image::load_from_memory(&answer.bytes().await.unwrap()).unwrap().into_rgb8()
    };
    let mask = tile("?show=edges").await;
    assert!(mask.pixels().all(|p| p[0] == p[1] && p[1] == p[2]), "grey");
    assert_ne!(mask, tile("").await);
    assert_eq!(
        server.get(&format!("/tiles/{hash}/{treatment}/0/0/0?show=stars")).await.status(),
        StatusCode::BAD_REQUEST
    );
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_tile_is_that_part_of_cores_own_result() {
    let server = Server::start().await;
    let (_, id) = server.with_picture(300, 200).await;
    let plan = Server::json(server.post(&format!("/originals/{id}/plan"), &intent(4.0)).await, StatusCode::OK).await;
    let original = Server::json(server.get(&format!("/originals/{id}")).await, StatusCode::OK).await;
    let (hash, treatment) = (original["hash"].as_str().unwrap(), plan["treatment"].as_str().unwrap());
    let response = server.get(&format!("/tiles/{hash}/{treatment}/0/4/3")).await;
    assert!(response.headers()["cache-control"].to_str().unwrap().contains("immutable"));
    let tile = image::load_from_memory(&response.bytes().await.unwrap()).unwrap().into_rgb8();
    assert_eq!(tile.dimensions(), (1200 - 1024, 800 - 768));

    let shelf = Shelf::open(&project().join("models")).unwrap();
    let file = tempfile::NamedTempFile::new().unwrap();
    std::fs::write(file.path(), encoded(&picture(300, 200), ImageFormat::Png)).unwrap();
    let original = read(file.path(), ContentHash::of(b"any"), &Limits::default()).unwrap().original;
    let treatment = Treatment::with_model(&shelf, "everyday-x4-draft", original.size(), Size::new(1200, 800)).unwrap();
    let region = Region::new(1024, 768, 176, 32);
    let due = Renderer::new(shelf, 64 << 20).render(&original, &treatment, region.seen_as(), &Unhurried).unwrap();
    for (x, y, pixel) in tile.enumerate_pixels() {
        for channel in 0..3 {
            let level = (due.row(channel, y)[x as usize] * 255.0 + 0.5) as u8;
            assert_eq!(pixel.0[channel], level, "at {x}, {y}");
        }
    }
    let outside = Server::json(
        server.get(&format!("/tiles/{hash}/{}/0/9/9", plan["plain"]["bicubic"].as_str().unwrap())).await,
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
    let mut body = intent(3.0);
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
    let job =
        Server::json(server.post(&format!("/originals/{id}/jobs"), &intent(4.0)).await, StatusCode::CREATED).await;
    let number = job["id"].as_u64().unwrap();
    server.instruct(&[number], json!({ "do": "cancel" })).await;
    assert_eq!(server.ended(number).await["state"], "cancelled");
    server.instruct(&[number], json!({ "do": "retry" })).await;
    let again = Server::json(server.get(&format!("/jobs/{number}")).await, StatusCode::OK).await;
    assert!(again["state"] == "waiting" || again["state"] == "running", "{again}");
    server.instruct(&[number], json!({ "do": "cancel" })).await;
    assert_eq!(server.ended(number).await["state"], "cancelled");
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn progress_is_told_as_it_happens() {
    let server = Server::start().await;
    let (_, id) = server.with_picture(700, 500).await;
    let events = server.client.get(format!("{}/events", server.base)).header(ACCEPT, "text/event-stream");
    let mut events = events.send().await.unwrap().bytes_stream();
    let job =
        Server::json(server.post(&format!("/originals/{id}/jobs"), &intent(4.0)).await, StatusCode::CREATED).await;
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

fn own_model(name: &str) -> Vec<u8> {
    let path = project().join("crates/core/tests/own").join(name).with_extension("onnx");
    std::fs::read(path).expect("a fixture of core's tests")
}

#[tokio::test(flavor = "multi_thread")]
async fn a_model_of_ones_own_is_tried_kept_and_used() {
    let server = Server::start().await;
    let added = Server::json(server.add_model("Crisp", own_model("plain-x2")).await, StatusCode::CREATED).await;
    let card = &added["card"];
    assert_eq!((&card["name"], &card["factor"], &card["halo"]), (&json!("Crisp"), &json!(2), &json!(1)));
    assert!(added["pixels_per_second"].as_f64().unwrap() > 0.0);

    // It enlarges like any other.
    let (_, id) = server.with_picture(200, 150).await;
    let mut body = intent(2.0);
    body["enlarge"] = json!({ "by": "learned", "subject": card["subject"], "grade": "fine" });
    let plan = Server::json(server.post(&format!("/originals/{id}/plan"), &body).await, StatusCode::OK).await;
    assert!(plan["description"].as_str().unwrap().contains("Crisp"), "{plan}");
    let job = Server::json(server.post(&format!("/originals/{id}/jobs"), &body).await, StatusCode::CREATED).await;
    let job = server.ended(job["id"].as_u64().unwrap()).await;
    assert_eq!(job["state"], "done", "{job}");

    // Known again, by content and by name.
    for (name, file) in [("Another name", "plain-x2"), ("crisp", "brightness-x2")] {
        Server::json(server.add_model(name, own_model(file)).await, StatusCode::CONFLICT).await;
    }
    let example = server.get(&format!("/models/{}/example/after", card["id"].as_str().unwrap())).await;
    let example = image::load_from_memory(&example.bytes().await.unwrap()).unwrap();
    assert_eq!((example.width(), example.height()), (192, 144));
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_file_that_is_no_model_is_refused_and_leaves_nothing_behind() {
    let server = Server::start().await;
    let cut = own_model("plain-x2")[..400].to_vec();
    let files = [
        (b"not a model at all".to_vec(), "not an ONNX file"),
        (cut, "cut short"),
        (own_model("two-inputs"), "2 inputs"),
        (own_model("whole-picture"), "seams"),
        (own_model("operator"), "operator"),
    ];
    let before = Server::json(server.get("/models").await, StatusCode::OK).await;
    for (file, words) in files {
        let problem = Server::json(server.add_model("Mine", file).await, StatusCode::UNPROCESSABLE_ENTITY).await;
        assert_eq!(problem["code"], "model.refused");
        assert!(problem["detail"].as_str().unwrap().contains(words), "{problem}");
    }
    let after = Server::json(server.get("/models").await, StatusCode::OK).await;
    assert_eq!(before.as_array().unwrap().len(), after.as_array().unwrap().len());
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_retired_model_is_offered_no_more_but_its_treatments_run() {
    let server = Server::start().await;
    let (_, id) = server.with_picture(120, 90).await;
    let job =
        Server::json(server.post(&format!("/originals/{id}/jobs"), &intent(4.0)).await, StatusCode::CREATED).await;
    for model in ["everyday-x4-draft", "everyday-x4-fine"] {
        let there = server.get(&format!("/models/{model}/example/before")).await.status() == StatusCode::OK;
        let answer = server.post(&format!("/models/{model}/retire"), &json!({})).await.status();
        assert_eq!(answer, if there { StatusCode::NO_CONTENT } else { StatusCode::UNPROCESSABLE_ENTITY });
    }
    assert_eq!(server.ended(job["id"].as_u64().unwrap()).await["state"], "done");
    let plan = Server::json(server.post(&format!("/originals/{id}/plan"), &intent(4.0)).await, StatusCode::OK).await;
    assert_eq!(plan["passes"], 2, "twice by two instead: {plan}");
    let shown = Server::json(server.get("/models").await, StatusCode::OK).await;
    let retired =
        |id: &str| shown.as_array().unwrap().iter().find(|m| m["card"]["id"] == id).unwrap()["retired"].clone();
    assert_eq!((retired("everyday-x4-draft"), retired("everyday-x2-draft")), (json!(true), json!(false)));

    // The last one that suits any picture stays.
    let mut answers = Vec::new();
    for model in
        shown.as_array().unwrap().iter().filter(|m| m["card"]["subject"] == "everyday" && m["retired"] == false)
    {
        let retire = format!("/models/{}/retire", model["card"]["id"].as_str().unwrap());
        answers.push(server.post(&retire, &json!({})).await.status());
    }
    assert_eq!(answers.last(), Some(&StatusCode::CONFLICT), "{answers:?}");
    let restored = server.post("/models/everyday-x4-draft/restore", &json!({})).await.status();
    assert_eq!(restored, StatusCode::NO_CONTENT);
    server.stop().await;
}
