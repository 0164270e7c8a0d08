//! What comparing asks of the API: alternatives, spots, measures, areas, decisions, house treatments.

use image::{DynamicImage, GenericImageView, ImageFormat};
use reqwest::StatusCode;
use rstest::rstest;
use serde_json::{Value, json};

use crate::support::{Server, encoded, intent};

/// A server with one picture of 300 x 200 px; its number and its content's hash.
async fn with_picture() -> (Server, u64, u64, String) {
    let server = Server::start().await;
    let (order, id) = server.with_picture(300, 200).await;
    let original = Server::json(server.get(&format!("/originals/{id}")).await, StatusCode::OK).await;
    let hash = original["hash"].as_str().unwrap().to_owned();
    (server, order, id, hash)
}

async fn plan(server: &Server, id: u64, intent: &Value) -> Value {
    Server::json(server.post(&format!("/originals/{id}/plan"), intent).await, StatusCode::OK).await
}

async fn image_at(server: &Server, path: &str) -> DynamicImage {
    let response = server.get(path).await;
    assert_eq!(response.status(), StatusCode::OK, "{path}");
    image::load_from_memory(&response.bytes().await.unwrap()).unwrap()
}

fn plain(kernel: &str) -> Value {
    json!({ "enlarge": { "by": "plain", "kernel": kernel } })
}

#[tokio::test(flavor = "multi_thread")]
async fn what_takes_long_has_a_draft_to_be_shown_first() {
    let server = Server::start().await;
    let (_, id) = server.with_picture(60, 40).await;
    let quick = plan(&server, id, &intent(2.0)).await;
    assert_eq!(quick["draft"], Value::Null, "it is a draft");
    let mut thorough = intent(2.0);
    thorough["enlarge"]["grade"] = json!("fine");
    let thorough = plan(&server, id, &thorough).await;
    assert_eq!(thorough["draft"], quick["treatment"]);
    assert_ne!(thorough["treatment"], quick["treatment"]);
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn treatments_of_one_picture_are_planned_together() {
    let (server, _, id, hash) = with_picture().await;
    let mut body = intent(3.0);
    let nowhere = json!({ "letter": "C", "enlarge": { "by": "learned", "subject": "clouds", "grade": "draft" } });
    let mut lanczos = plain("lanczos3");
    lanczos["letter"] = json!("B");
    body["alternatives"] = json!([lanczos, nowhere]);
    let plan = plan(&server, id, &body).await;
    let [b, c] = [0, 1].map(|i| &plan["alternatives"][i]);
    assert_eq!((b["letter"].as_str(), b["treatment"].as_str()), (Some("B"), plan["plain"]["lanczos3"].as_str()));
    assert_eq!(c["problem"]["code"], "model.unknown-subject");
    assert!(c["treatment"].is_null());
    let kept = Server::json(server.get(&format!("/originals/{id}/intent")).await, StatusCode::OK).await;
    assert_eq!(kept["alternatives"].as_array().unwrap().len(), 2, "all are remembered");

    let (b, nearest) = (b["treatment"].as_str().unwrap(), plan["plain"]["nearest"].as_str().unwrap());
    let crop = image_at(&server, &format!("/crops/{hash}/{b}?x=100&y=50&width=64&height=48")).await;
    let tile = image_at(&server, &format!("/tiles/{hash}/{b}/0/0/0")).await;
    assert_eq!((crop.width(), crop.height()), (64, 48));
    assert_eq!(crop.get_pixel(5, 7), tile.get_pixel(105, 57), "a crop is that part of the result");
    let outside = server.get(&format!("/crops/{hash}/{b}?x=5000&y=0&width=10&height=10")).await;
    assert_eq!(Server::json(outside, StatusCode::NOT_FOUND).await["code"], "tile.outside");

    let at = "x=120&y=90&width=200&height=200";
    let of = async |treatment: &str| {
        Server::json(server.get(&format!("/measures/{hash}/{treatment}?{at}")).await, StatusCode::OK).await
    };
    let (bicubic, squares) = (of(plan["plain"]["bicubic"].as_str().unwrap()).await, of(nearest).await);
    assert_eq!(bicubic["sharpness"], 1.0);
    assert!(squares["sharpness"].as_f64().unwrap() > 1.01, "{squares}");
    assert!(squares["departure_p95"].as_f64().unwrap() < 0.5, "its own pixels do not depart: {squares}");
    assert!(bicubic["departure_mean"].as_f64().unwrap() > 0.5, "smoothed ones do: {bicubic}");
    let map = image_at(&server, &format!("/tiles/{hash}/{b}/0/0/0?show=departure")).await;
    assert_ne!(map.get_pixel(105, 57), tile.get_pixel(105, 57));
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_only_tried_out_is_not_remembered() {
    let (server, _, id, hash) = with_picture().await;
    plan(&server, id, &intent(3.0)).await;
    let mut other = intent(3.0);
    other["enlarge"] = plain("nearest")["enlarge"].clone();
    let tried = server.post(&format!("/originals/{id}/plan?remember=false"), &other).await;
    let tried = Server::json(tried, StatusCode::OK).await;
    assert_eq!(tried["treatment"], tried["plain"]["nearest"]);
    image_at(&server, &format!("/tiles/{hash}/{}/0/0/0", tried["treatment"].as_str().unwrap())).await;
    let kept = Server::json(server.get(&format!("/originals/{id}/intent")).await, StatusCode::OK).await;
    assert_ne!(kept["enlarge"], other["enlarge"]);
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn an_area_has_its_own_steps_and_is_shown() {
    let (server, _, id, hash) = with_picture().await;
    let mut body = intent(2.0);
    body["enlarge"] = plain("bicubic")["enlarge"].clone();
    let stroke = json!({ "points": [{ "x": 60, "y": 60 }], "radius": 30, "feather": 0.2 });
    body["areas"] =
        json!([{ "name": "Vase", "mask": { "by": "painted", "strokes": [stroke] }, "steps": plain("nearest") }]);
    let plan = plan(&server, id, &body).await;
    let treatment = plan["treatment"].as_str().unwrap();
    let result = image_at(&server, &format!("/tiles/{hash}/{treatment}/0/0/0")).await;
    let inside =
        image_at(&server, &format!("/tiles/{hash}/{}/0/0/0", plan["plain"]["nearest"].as_str().unwrap())).await;
    let outside =
        image_at(&server, &format!("/tiles/{hash}/{}/0/0/0", plan["plain"]["bicubic"].as_str().unwrap())).await;
    assert_eq!(result.get_pixel(121, 121), inside.get_pixel(121, 121));
    assert_eq!(result.get_pixel(250, 250), outside.get_pixel(250, 250));
    let shown = image_at(&server, &format!("/tiles/{hash}/{treatment}/0/0/0?show=area&area=0")).await;
    let (amber, grey) = (shown.get_pixel(120, 120).0, shown.get_pixel(250, 250).0);
    assert!(amber[0] > amber[2] + 60 && grey[0] == grey[2], "{amber:?} {grey:?}");

    body["areas"][0]["mask"]["strokes"][0]["radius"] = json!(-1);
    let refused = server.post(&format!("/originals/{id}/plan"), &body).await;
    let problem = Server::json(refused, StatusCode::UNPROCESSABLE_ENTITY).await;
    assert_eq!(problem["code"], "area.unusable", "{problem}");
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn spots_are_suggested_until_they_are_set() {
    let (server, _, id, _) = with_picture().await;
    let path = format!("/originals/{id}/spots");
    let opening = Server::json(server.get(&format!("/originals/{id}/opening")).await, StatusCode::OK).await;
    let inside = |at: &Value, side: f64| at.as_f64().is_some_and(|at| (1.0..side).contains(&at));
    assert!(inside(&opening["x"], 300.0) && inside(&opening["y"], 200.0), "where it is liveliest: {opening}");
    let first = Server::json(server.get(&path).await, StatusCode::OK).await;
    assert_eq!(first["suggested"], true);
    assert!(!first["spots"].as_array().unwrap().is_empty());
    let put =
        async |spots: Value| server.client.put(format!("{}{path}", server.base)).json(&spots).send().await.unwrap();
    let rim = json!({ "name": "Rim", "x": 10.5, "y": 20.0 });
    assert_eq!(put(json!([rim])).await.status(), StatusCode::NO_CONTENT);
    let kept = Server::json(server.get(&path).await, StatusCode::OK).await;
    assert_eq!(kept, json!({ "spots": [rim], "suggested": false }));
    let opening = Server::json(server.get(&format!("/originals/{id}/opening")).await, StatusCode::OK).await;
    assert_eq!(opening, json!({ "x": 10.5, "y": 20.0 }));
    for (spots, code) in [
        (vec![rim.clone(); 9], "spots.too-many"),
        (vec![json!({ "name": "Off", "x": 301.0, "y": 1.0 })], "spots.outside"),
        (vec![json!({ "name": "a".repeat(61), "x": 1.0, "y": 1.0 })], "spots.name"),
    ] {
        let problem = Server::json(put(json!(spots)).await, StatusCode::UNPROCESSABLE_ENTITY).await;
        assert_eq!(problem["code"], code);
    }
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_decision_is_written_down_with_what_was_looked_at() {
    let (server, _, id, hash) = with_picture().await;
    let path = format!("/originals/{id}/decisions");
    let compared = |letter: &str| json!({ "letter": letter, "treatment": hash, "description": "Everyday x2, draft" });
    let mut decision = json!({ "candidates": [compared("A"), compared("B")], "chosen": "B", "blind": true,
        "spots": [{ "name": "Rim", "x": 10.5, "y": 20.0 }] });
    Server::json(server.post(&path, &decision).await, StatusCode::CREATED).await;
    let kept = Server::json(server.get(&path).await, StatusCode::OK).await;
    assert_eq!((&kept[0]["chosen"], &kept[0]["spots"][0]["name"]), (&json!("B"), &json!("Rim")));
    decision["chosen"] = json!("F");
    let problem = Server::json(server.post(&path, &decision).await, StatusCode::UNPROCESSABLE_ENTITY).await;
    assert_eq!(problem["code"], "decision.chosen");
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_house_treatment_goes_to_other_pictures_with_their_own_measurements() {
    let (server, order, id, _) = with_picture().await;
    let noisy = DynamicImage::ImageRgb8(image::RgbImage::from_fn(260, 200, |x, y| {
        // No pattern: a weave is no noise.
        let hash =
            (x.wrapping_mul(2_654_435_761).rotate_left(13) ^ y.wrapping_mul(2_246_822_519)).wrapping_mul(3_266_489_917);
        let noise = ((hash ^ (hash >> 15)) % 97) as i32 / 2 - 24;
        image::Rgb([120, 130, 140].map(|v| (v + noise) as u8))
    }));
    let outcome = server.import(order, vec![("noisy.png", encoded(&noisy, ImageFormat::Png))]).await;
    let other = outcome[0]["original"]["id"].as_u64().unwrap();
    let suggested = Server::json(server.get(&format!("/originals/{other}/intent")).await, StatusCode::OK).await;
    let mut steps = json!({ "clean": suggested["clean"], "enlarge": plain("lanczos3")["enlarge"], "finish": {} });
    assert!(steps["clean"]["noise"].is_object(), "{suggested}");
    steps["clean"]["noise"]["level"] = json!([1, 1, 1, 1, 1, 1, 1, 1]);

    let new = json!({ "name": " Banner ", "steps": steps });
    assert_eq!(server.post("/house-treatments", &new).await.status(), StatusCode::NO_CONTENT);
    assert_eq!(server.post("/house-treatments", &new).await.status(), StatusCode::NO_CONTENT);
    let house = Server::json(server.get("/house-treatments").await, StatusCode::OK).await;
    assert_eq!(house.as_array().unwrap().len(), 1, "the same name is the same treatment");
    assert_eq!(house[0]["name"], "Banner");
    let nameless = server.post("/house-treatments", &json!({ "name": " ", "steps": steps })).await;
    assert_eq!(Server::json(nameless, StatusCode::UNPROCESSABLE_ENTITY).await["code"], "house.name");

    let adapted = Server::json(server.post(&format!("/originals/{other}/adapt"), &steps).await, StatusCode::OK).await;
    assert_eq!(adapted["clean"]["noise"]["level"], suggested["clean"]["noise"]["level"]);
    let apply = json!({ "steps": steps, "to": "all" });
    let applied = Server::json(server.post(&format!("/orders/{order}/apply"), &apply).await, StatusCode::OK).await;
    assert_eq!(applied.as_array().unwrap().len(), 2);
    for (id, noise) in [(id, false), (other, true)] {
        let intent = Server::json(server.get(&format!("/originals/{id}/intent")).await, StatusCode::OK).await;
        assert_eq!(intent["enlarge"]["kernel"], "lanczos3");
        assert_eq!(intent["clean"]["noise"].is_object(), noise, "only where there is some: {intent}");
    }
    let one = json!({ "steps": { "enlarge": plain("bicubic")["enlarge"] }, "to": { "these": [other] } });
    let applied = Server::json(server.post(&format!("/orders/{order}/apply"), &one).await, StatusCode::OK).await;
    assert_eq!(
        (applied.as_array().unwrap().len(), &applied[0]["before"]["enlarge"]["kernel"]),
        (1, &json!("lanczos3"))
    );

    let id = house[0]["id"].as_u64().unwrap();
    let remove = async || server.client.delete(format!("{}/house-treatments/{id}", server.base)).send().await.unwrap();
    assert_eq!(remove().await.status(), StatusCode::NO_CONTENT);
    assert_eq!(remove().await.status(), StatusCode::NOT_FOUND);
    server.stop().await;
}

#[rstest]
#[case("/originals/99/spots")]
#[case("/originals/99/decisions")]
#[case("/originals/99/intent")]
#[case("/enlargements/99/tiles/0/0/0")]
#[tokio::test(flavor = "multi_thread")]
async fn what_is_not_there_is_said(#[case] path: &str) {
    let server = Server::start().await;
    assert_eq!(Server::json(server.get(path).await, StatusCode::NOT_FOUND).await["code"], "not-found");
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_finished_enlargement_is_shown_out_of_its_file() {
    let (server, _, id, hash) = with_picture().await;
    let mut body = intent(2.0);
    body["enlarge"] = plain("bicubic")["enlarge"].clone();
    let job = Server::json(server.post(&format!("/originals/{id}/jobs"), &body).await, StatusCode::CREATED).await;
    let ended = server.ended(job["id"].as_u64().unwrap()).await;
    let enlargement = ended["enlargement_id"].as_u64().unwrap();
    let plan = plan(&server, id, &body).await;
    for level in [0, 1] {
        let from_file = image_at(&server, &format!("/enlargements/{enlargement}/tiles/{level}/0/0")).await;
        let preview =
            image_at(&server, &format!("/tiles/{hash}/{}/{level}/0/0", plan["treatment"].as_str().unwrap())).await;
        assert_eq!((from_file.width(), from_file.height()), (preview.width(), preview.height()));
        if level == 0 {
            assert!(from_file.as_bytes() == preview.as_bytes(), "the preview's pixels are the file's");
        }
    }
    let figures = async |path: String| {
        Server::json(server.get(&format!("{path}?x=90&y=90&width=200&height=200")).await, StatusCode::OK).await
    };
    let of_file = figures(format!("/enlargements/{enlargement}/measures")).await;
    let of_treatment = figures(format!("/measures/{hash}/{}", plan["treatment"].as_str().unwrap())).await;
    for figure in ["departure_p95", "departure_mean", "sharpness"] {
        let (file, treatment) = (of_file[figure].as_f64().unwrap(), of_treatment[figure].as_f64().unwrap());
        assert!((file - treatment).abs() < 0.02 * treatment.max(1.0), "{figure}: {file} {treatment}");
    }
    let map = image_at(&server, &format!("/enlargements/{enlargement}/tiles/0/0/0?show=departure")).await;
    let due =
        image_at(&server, &format!("/tiles/{hash}/{}/0/0/0?show=departure", plan["treatment"].as_str().unwrap())).await;
    assert_eq!((map.width(), map.height()), (due.width(), due.height()));
    let off = map.as_bytes().iter().zip(due.as_bytes()).map(|(a, b)| a.abs_diff(*b)).max();
    assert!(off <= Some(2), "the file departs where its treatment does: {off:?}");
    for place in ["0/9/9", "32/0/0", "4294967295/0/0"] {
        let beyond = server.get(&format!("/enlargements/{enlargement}/tiles/{place}")).await;
        assert_eq!(Server::json(beyond, StatusCode::NOT_FOUND).await["code"], "tile.outside", "{place}");
    }
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn tones_are_told_of_the_picture_alone_and_what_a_profile_would_lose() {
    let (server, _, id, hash) = with_picture().await;
    let mut body = intent(3.0);
    body["enlarge"] = plain("nearest")["enlarge"].clone();
    let plan = plan(&server, id, &body).await;
    let treatment = plan["treatment"].as_str().unwrap();
    let tones = async |query: &str| server.get(&format!("/tones/{hash}/{treatment}?{query}")).await;
    let told = Server::json(tones("x=10&y=20&width=100&height=80").await, StatusCode::OK).await;
    for which in ["original", "result"] {
        for channel in told[which]["counts"].as_array().unwrap() {
            let all: u64 = channel.as_array().unwrap().iter().map(|count| count.as_u64().unwrap()).sum();
            assert_eq!(all, 100 * 80, "each pixel once");
        }
        let clipped = [&told[which]["black"], &told[which]["white"]].map(|share| share.as_f64().unwrap());
        assert!(clipped.iter().all(|share| (0.0..=1.0).contains(share)), "{clipped:?}");
    }
    assert!(told["lost"].is_null(), "its own profile holds all of it");
    let told = Server::json(tones("x=10&y=20&width=100&height=80&profile=romm").await, StatusCode::OK).await;
    assert_eq!(told["lost"], 0.0, "a larger one too");
    assert_eq!(tones("x=9000&y=0&width=10&height=10").await.status(), StatusCode::NOT_FOUND);
    assert_eq!(tones("x=0&y=0&width=10&height=10&profile=cave").await.status(), StatusCode::BAD_REQUEST);
    server.stop().await;
}
