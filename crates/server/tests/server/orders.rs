//! A whole order over HTTP: opened, filled, looked over, run, looked through, delivered.

use std::io::Cursor;

use image::ImageFormat;
use reqwest::StatusCode;
use rstest::rstest;
use serde_json::{Value, json};

use crate::support::{Server, encoded, intent, picture};

const PRINT: &str = r#"{ "target": { "by": "print", "paper": { "width": 10.0, "height": 10.0, "unit": "cm" }, "ppi": 72.0 },
                        "surround": { "kind": "none" } }"#;

fn print() -> Value {
    serde_json::from_str(PRINT).unwrap()
}

/// An order with pictures of these sizes; its number and theirs.
async fn order_with(server: &Server, details: Value, sizes: &[(u32, u32)]) -> (u64, Vec<u64>) {
    let order = Server::json(server.post("/orders", &details).await, StatusCode::CREATED).await;
    let order = order["id"].as_u64().unwrap();
    let mut ids = Vec::new();
    for (width, height) in sizes {
        let file = encoded(&picture(*width, *height), ImageFormat::Png);
        let outcome = server.import(order, vec![("vases.png", file)]).await;
        ids.push(outcome[0]["original"]["id"].as_u64().expect("accepted"));
    }
    (order, ids)
}

#[tokio::test(flavor = "multi_thread")]
async fn pictures_become_what_their_order_says() {
    let server = Server::start().await;
    let steps = json!({ "clean": {}, "enlarge": { "by": "plain", "kernel": "bicubic" }, "finish": {} });
    let house = server.post("/house-treatments", &json!({ "name": "Plain", "steps": steps })).await;
    assert_eq!(house.status(), StatusCode::NO_CONTENT);
    let house = Server::json(server.get("/house-treatments").await, StatusCode::OK).await[0]["id"].clone();
    let details = json!({ "title": "Café Fornace", "client": "Fornace", "purpose": "banner", "notes": "grommets",
        "due_on": "2026-12-20", "print": print(), "house_treatment_id": house, "least_ppi": 60 });
    let (order, ids) = order_with(&server, details, &[(100, 80)]).await;
    let kept = Server::json(server.get(&format!("/originals/{}/intent", ids[0])).await, StatusCode::OK).await;
    assert_eq!(kept["target"], print()["target"]);
    assert_eq!(kept["enlarge"], json!({ "by": "plain", "kernel": "bicubic" }));

    // What was set on the bench goes before what the order says.
    let own = server.put(&format!("/originals/{}/intent", ids[0]), &intent(3.0)).await;
    assert_eq!(own.status(), StatusCode::NO_CONTENT);
    let changed = json!({ "title": "Café Fornace", "notes": "no grommets" });
    let order_now = Server::json(server.put(&format!("/orders/{order}"), &changed).await, StatusCode::OK).await;
    assert_eq!((&order_now["notes"], &order_now["print"]), (&json!("no grommets"), &Value::Null));
    let kept = Server::json(server.get(&format!("/originals/{}/intent", ids[0])).await, StatusCode::OK).await;
    assert_eq!(kept["target"]["factor"], 3.0);
    server.stop().await;
}

#[rstest]
#[case::no_title(json!({ "title": "  " }), "order.title")]
#[case::long_title(json!({ "title": "x".repeat(201) }), "order.title")]
#[case::long_notes(json!({ "title": "x", "notes": "n".repeat(10_001) }), "order.notes")]
#[case::absurd_ppi(json!({ "title": "x", "least_ppi": -3 }), "order.least-ppi")]
#[tokio::test(flavor = "multi_thread")]
async fn an_order_that_makes_no_sense_is_refused(#[case] details: Value, #[case] code: &str) {
    let server = Server::start().await;
    let problem = Server::json(server.post("/orders", &details).await, StatusCode::UNPROCESSABLE_ENTITY).await;
    assert_eq!(problem["code"], code);
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn an_order_can_be_shelved_and_brought_back() {
    let server = Server::start().await;
    let (order, _) = order_with(&server, json!({ "title": "Room 2" }), &[]).await;
    let to = |place: &str| json!({ "to": place });
    for (place, listed, archived) in [("archived", true, true), ("removed", false, false), ("current", true, false)] {
        let done = server.post(&format!("/orders/{order}/shelve"), &to(place)).await;
        assert_eq!(done.status(), StatusCode::NO_CONTENT);
        let orders = Server::json(server.get("/orders").await, StatusCode::OK).await;
        assert_eq!(orders.as_array().unwrap().len(), usize::from(listed), "{place}");
        assert!(!listed || orders[0]["archived_at"].is_string() == archived, "{place}");
    }
    assert_eq!(server.post("/orders/99/shelve", &to("archived")).await.status(), StatusCode::NOT_FOUND);
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_batch_is_looked_over_and_mended_before_it_runs() {
    let server = Server::start().await;
    let (order, ids) =
        order_with(&server, json!({ "title": "Fornace", "least_ppi": 60 }), &[(120, 90), (300, 90)]).await;
    let target =
        json!({ "target": { "by": "print", "paper": { "width": 20, "height": 15, "unit": "cm" }, "ppi": 72 } });
    let small = json!({ "target": { "by": "factor", "factor": 1.5 } });
    let mut batch = json!({ "treating": { "how": "suggested" }, "prints": [target, small],
        "outputs": [{ "format": "tiff", "depth": 8 }, { "format": "jpeg", "depth": 8, "quality": 80 }] });
    let url = format!("/orders/{order}/preflight");
    let plan = Server::json(server.post(&url, &batch).await, StatusCode::OK).await;
    assert_eq!((&plan["runs"], &plan["stopped"]), (&json!(8), &json!(0)), "two pictures, two prints, two files");
    let few = &plan["items"][0]["findings"][0];
    assert!(few["text"].as_str().unwrap().contains("15 ppi at this size and 60 are asked for"), "{few}");
    let fix = few["fix"].clone();
    assert_eq!(fix["by"], "target");

    // One is mended, the rest of the large ones left out.
    let mut changes = vec![json!({ "key": format!("{}-0-0", ids[0]), "fix": fix })];
    changes.extend(plan["items"].as_array().unwrap().iter().filter_map(|item| {
        let key = item["key"].as_str().unwrap();
        (key.contains("-0-") && key != format!("{}-0-0", ids[0])).then(|| json!({ "key": key, "skip": true }))
    }));
    batch["changes"] = json!(changes);
    let plan = Server::json(server.post(&url, &batch).await, StatusCode::OK).await;
    assert_eq!(plan["runs"], 5);
    let added = Server::json(server.post(&format!("/orders/{order}/jobs"), &batch).await, StatusCode::CREATED).await;
    assert_eq!(added.as_array().unwrap().len(), 5);
    let mut names = Vec::new();
    for job in added.as_array().unwrap() {
        let job = server.ended(job.as_u64().unwrap()).await;
        assert_eq!(job["state"], "done", "{job}");
        names.push(job["file_name"].as_str().unwrap().to_owned());
    }
    names.sort();
    names.dedup();
    assert_eq!(names.len(), 5, "no two files of a batch have the same name");
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_batch_with_something_that_cannot_be_run_starts_nothing() {
    let server = Server::start().await;
    let (order, ids) = order_with(&server, json!({ "title": "Fornace" }), &[(3000, 40), (60, 40)]).await;
    let batch = |changes: Value| {
        json!({ "prints": [{ "target": { "by": "factor", "factor": 22 } }], "treating": { "how": "suggested" },
            "outputs": [{ "format": "jpeg", "depth": 8 }], "changes": changes })
    };
    let url = format!("/orders/{order}/jobs");
    let refused = Server::json(server.post(&url, &batch(json!([]))).await, StatusCode::UNPROCESSABLE_ENTITY).await;
    assert_eq!(refused["code"], "batch.stopped");
    let sheet = Server::json(server.get("/run-sheet").await, StatusCode::OK).await;
    assert_eq!(sheet["ahead"].as_array().unwrap().len(), 0, "all or nothing");
    let all =
        json!([{ "key": format!("{}-0-0", ids[0]), "skip": true }, { "key": format!("{}-0-0", ids[1]), "skip": true }]);
    let empty = Server::json(server.post(&url, &batch(all)).await, StatusCode::UNPROCESSABLE_ENTITY).await;
    assert_eq!(empty["code"], "batch.empty");
    let house = json!({ "treating": { "how": "house", "id": 77 } });
    let unknown = Server::json(server.post(&url, &house).await, StatusCode::UNPROCESSABLE_ENTITY).await;
    assert_eq!(unknown["code"], "house.unknown");
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn several_pictures_are_changed_at_once_and_changed_back() {
    let server = Server::start().await;
    let (order, ids) = order_with(&server, json!({ "title": "Room 2" }), &[(120, 80), (80, 120), (50, 50)]).await;
    let shape =
        json!({ "target": { "by": "print", "paper": { "width": 20, "height": 25, "unit": "cm" }, "ppi": 100 } });
    let edit = json!({ "originals": ids[..2], "print": shape, "crop_to_print": true });
    let edited = Server::json(server.post(&format!("/orders/{order}/edit"), &edit).await, StatusCode::OK).await;
    assert_eq!(edited.as_array().unwrap().len(), 2);
    for (id, kept) in [(ids[0], (100, 80)), (ids[1], (80, 100))] {
        let intent = Server::json(server.get(&format!("/originals/{id}/intent")).await, StatusCode::OK).await;
        let crop = &intent["frame"]["crop"];
        assert_eq!((&crop["width"], &crop["height"]), (&json!(kept.0), &json!(kept.1)));
    }
    for changed in edited.as_array().unwrap() {
        let back = server.put(&format!("/originals/{}/intent", changed["id"]), &changed["before"]).await;
        assert_eq!(back.status(), StatusCode::NO_CONTENT);
    }
    let intent = Server::json(server.get(&format!("/originals/{}/intent", ids[0])).await, StatusCode::OK).await;
    assert_eq!((&intent["frame"]["crop"], &intent["target"]["by"]), (&Value::Null, &json!("factor")));
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn the_run_sheet_is_held_up_reordered_and_let_go() {
    let server = Server::start().await;
    let (order, ids) = order_with(&server, json!({ "title": "Room 2" }), &[(60, 40), (70, 40), (80, 40)]).await;
    let hold = |held: bool| json!({ "held_up": held });
    assert_eq!(server.post("/run-sheet/hold", &hold(true)).await.status(), StatusCode::NO_CONTENT);
    let batch = json!({ "originals": ids });
    let jobs = Server::json(server.post(&format!("/orders/{order}/jobs"), &batch).await, StatusCode::CREATED).await;
    let jobs: Vec<u64> = jobs.as_array().unwrap().iter().map(|job| job.as_u64().unwrap()).collect();
    server.instruct(&jobs[2..], json!({ "do": "move", "before": jobs[0] })).await;
    server.instruct(&jobs[..1], json!({ "do": "pause" })).await;
    let sheet = Server::json(server.get("/run-sheet").await, StatusCode::OK).await;
    let turns: Vec<(u64, &str)> = sheet["ahead"]
        .as_array()
        .unwrap()
        .iter()
        .map(|job| (job["id"].as_u64().unwrap(), job["state"].as_str().unwrap()))
        .collect();
    assert_eq!(turns, [(jobs[2], "waiting"), (jobs[0], "paused"), (jobs[1], "waiting")]);
    assert_eq!((&sheet["held_up"], sheet["workers"].as_array().unwrap().len()), (&json!(true), 1));
    server.post("/run-sheet/hold", &hold(false)).await;
    for job in [jobs[1], jobs[2]] {
        assert_eq!(server.ended(job).await["state"], "done");
    }
    let paused = Server::json(server.get(&format!("/jobs/{}", jobs[0])).await, StatusCode::OK).await;
    assert_eq!(paused["state"], "paused");
    server.instruct(&jobs[..1], json!({ "do": "resume" })).await;
    assert_eq!(server.ended(jobs[0]).await["state"], "done");
    let bad = json!({ "jobs": jobs, "do": "priority", "priority": 9 });
    let problem = Server::json(server.post("/jobs", &bad).await, StatusCode::UNPROCESSABLE_ENTITY).await;
    assert_eq!(problem["code"], "jobs.priority");
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn results_are_looked_through_and_go_out_with_a_report() {
    let server = Server::start().await;
    let (order, ids) = order_with(&server, json!({ "title": "Sala 2 / \"vasi\"" }), &[(240, 180), (200, 150)]).await;
    let jobs = Server::json(server.post(&format!("/orders/{order}/jobs"), &json!({})).await, StatusCode::CREATED).await;
    for job in jobs.as_array().unwrap() {
        assert_eq!(server.ended(job.as_u64().unwrap()).await["state"], "done");
    }
    let nothing = server.get(&format!("/orders/{order}/delivery.zip")).await;
    assert_eq!(Server::json(nothing, StatusCode::UNPROCESSABLE_ENTITY).await["code"], "delivery.empty");

    let contents = Server::json(server.get(&format!("/orders/{order}")).await, StatusCode::OK).await;
    let results = contents["enlargements"].as_array().unwrap();
    let look =
        Server::json(server.get(&format!("/enlargements/{}/look", results[0]["id"])).await, StatusCode::OK).await;
    let spot = &look["spots"][0];
    let part = format!("x={}&y={}&width=40&height=30", spot["x"].as_u64().unwrap().saturating_sub(40), 0);
    for path in [
        format!("/enlargements/{}/crop?{part}", results[0]["id"]),
        format!("/crops/{}/{}?{part}", look["original"].as_str().unwrap(), look["before"].as_str().unwrap()),
    ] {
        let png = server.get(&path).await.bytes().await.unwrap();
        let shown = image::load_from_memory(&png).unwrap();
        assert_eq!((shown.width(), shown.height()), (40, 30), "{path}");
    }
    let say = |verdict: Value, note: &str| json!({ "verdict": verdict, "note": note });
    let judged = server.post(&format!("/enlargements/{}/verdict", results[0]["id"]), &say(json!("accepted"), "")).await;
    assert_eq!(Server::json(judged, StatusCode::OK).await["verdict"], "accepted");
    let back = say(json!("sent_back"), "the rim is smeared");
    server.post(&format!("/enlargements/{}/verdict", results[1]["id"]), &back).await;
    let long =
        server.post(&format!("/enlargements/{}/verdict", results[1]["id"]), &say(Value::Null, &"x".repeat(501))).await;
    assert_eq!(Server::json(long, StatusCode::UNPROCESSABLE_ENTITY).await["code"], "result.note");

    let archive = server.get(&format!("/orders/{order}/delivery.zip")).await.bytes().await.unwrap();
    let mut archive = zip::ZipArchive::new(Cursor::new(archive)).unwrap();
    let names: Vec<String> = archive.file_names().map(|name| name.unwrap().into_owned()).collect();
    assert_eq!(names.len(), 3, "one result, two reports: {names:?}");
    let folder = names[0].split('/').next().unwrap().to_owned();
    assert!(names.iter().all(|name| name.starts_with(&folder)) && !folder.contains('"'), "{names:?}");
    let due = server.get(&format!("/enlargements/{}/file", results[0]["id"])).await.bytes().await.unwrap();
    let name = format!("{folder}/{}", results[0]["file_name"].as_str().unwrap());
    let mut file = Vec::new();
    std::io::Read::read_to_end(&mut archive.by_name(&name).unwrap(), &mut file).unwrap();
    assert_eq!(file, due, "byte for byte");

    let page = server.get(&format!("/orders/{order}/report.html?which=all")).await.text().await.unwrap();
    assert!(
        page.contains("accepted") && page.contains("Sala 2 / &quot;vasi&quot;") && !page.contains("http"),
        "{page}"
    );
    assert!(page.matches("data:image/png;base64,").count() >= 2);
    let pdf = server.get(&format!("/orders/{order}/report.pdf")).await.bytes().await.unwrap();
    assert!(pdf.starts_with(b"%PDF") && pdf.len() > 2000);

    // A result that is thrown away does not go out, and comes back whole.
    let thrown = server.delete(&format!("/enlargements/{}", results[0]["id"])).await;
    assert_eq!(thrown.status(), StatusCode::NO_CONTENT);
    assert_eq!(server.get(&format!("/orders/{order}/delivery.zip")).await.status(), StatusCode::UNPROCESSABLE_ENTITY);
    server.post(&format!("/enlargements/{}/restore", results[0]["id"]), &json!({})).await;
    assert_eq!(server.get(&format!("/orders/{order}/delivery.zip")).await.status(), StatusCode::OK);
    let _ = ids;
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn computed_tiles_are_kept_and_can_be_thrown_away() {
    let server = Server::start().await;
    let (_, id) = server.with_picture(200, 150).await;
    let job =
        Server::json(server.post(&format!("/originals/{id}/jobs"), &intent(4.0)).await, StatusCode::CREATED).await;
    server.ended(job["id"].as_u64().unwrap()).await;
    let cache = Server::json(server.get("/cache").await, StatusCode::OK).await;
    assert!(cache["bytes"].as_u64().unwrap() > 100_000, "{cache}");
    assert_eq!(server.delete("/cache").await.status(), StatusCode::NO_CONTENT);
    let cache = Server::json(server.get("/cache").await, StatusCode::OK).await;
    assert_eq!(cache["bytes"], 0);
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn products_are_prints_to_choose_from() {
    let server = Server::start().await;
    let poster = json!({ "name": " Poster ", "print": print(), "least_ppi": 80 });
    assert_eq!(server.post("/products", &poster).await.status(), StatusCode::NO_CONTENT);
    let products = Server::json(server.get("/products").await, StatusCode::OK).await;
    assert_eq!((&products[0]["name"], &products[0]["print"]["target"]), (&json!("Poster"), &print()["target"]));
    let nameless = server.post("/products", &json!({ "name": "", "print": print() })).await;
    assert_eq!(Server::json(nameless, StatusCode::UNPROCESSABLE_ENTITY).await["code"], "product.name");
    server.delete(&format!("/products/{}", products[0]["id"])).await;
    assert_eq!(Server::json(server.get("/products").await, StatusCode::OK).await, json!([]));
    server.stop().await;
}
