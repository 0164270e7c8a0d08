//! Rehearsals over HTTP: begun, followed, looked at, given up, and what of a trial is kept.

use std::time::Duration;

use image::ImageFormat;
use reqwest::StatusCode;
use rstest::rstest;
use serde_json::{Value, json};

use crate::support::{Server, encoded, picture, project};

async fn finished(server: &Server, id: u64) -> Value {
    for _ in 0..1200 {
        let now = Server::json(server.get(&format!("/originals/{id}/rehearsal")).await, StatusCode::OK).await;
        if now["finished"] == true {
            return now;
        }
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
    panic!("the rehearsal did not end in a minute");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_picture_is_rehearsed_looked_at_and_compared_with_others() {
    let server = Server::start().await;
    let (order, id) = server.with_picture(400, 300).await;
    let at = format!("/originals/{id}/rehearsal");
    assert_eq!(Server::json(server.get(&at).await, StatusCode::OK).await, Value::Null);

    let begun = Server::json(server.post(&at, &json!({ "factor": 2, "parts": 1 })).await, StatusCode::CREATED).await;
    assert_eq!(
        (&begun["factor"], &begun["finished"], &begun["is_put_back"]),
        (&json!(2), &json!(false), &json!(false))
    );
    let done = finished(&server, id).await;
    assert_eq!(done["began_at"], begun["began_at"]);
    let rows = done["rows"].as_array().unwrap();
    let names: Vec<&str> = rows.iter().map(|row| row["name"].as_str().unwrap()).collect();
    assert_eq!(names[..2], ["Treatment A", "Nearest"], "{names:?}");
    assert!(names.contains(&"Everyday x2, draft") && names.contains(&"Lettering and line x2, draft"), "{names:?}");
    for row in rows {
        assert_eq!(row["parts"], 1, "{row}");
        assert!(row["figures"]["psnr"].as_f64().is_some_and(|psnr| (5.0..=99.0).contains(&psnr)), "{row}");
        assert!(row["seconds_per_megapixel"].as_f64().is_some_and(|s| s > 0.0), "{row}");
    }

    // The part as it is, as a candidate made it, and how the two differ.
    let part = &done["parts"][0];
    let (width, height) = (part["width"].as_u64().unwrap() as u32, part["height"].as_u64().unwrap() as u32);
    let began = done["began_at"].as_str().unwrap();
    let piece = |rest: &str| format!("{at}/0?began_at={began}{rest}");
    let mut pieces = Vec::new();
    for rest in ["", "&candidate=2", "&candidate=2&difference=true"] {
        let answer = server.get(&piece(rest)).await;
        assert_eq!(answer.status(), StatusCode::OK, "{rest}");
        let png = image::load_from_memory(&answer.bytes().await.unwrap()).unwrap();
        assert_eq!((png.width(), png.height()), (width, height));
        pieces.push(png.into_rgb8());
    }
    let first = |i: usize| pieces[i].get_pixel(width / 2, height / 2).0.map(i32::from);
    let (truth, made, shown) = (first(0), first(1), first(2));
    for channel in 0..3 {
        let due = (127.5 + 4.0 * f64::from(made[channel] - truth[channel])).clamp(0.0, 255.0);
        assert!((f64::from(shown[channel]) - due).abs() <= 4.5, "{truth:?} {made:?} {shown:?}");
    }
    for (rest, why) in [("&candidate=99", "such candidate"), ("", "such part")] {
        let address = if rest.is_empty() { piece("").replace("/0?", "/7?") } else { piece(rest) };
        let problem = Server::json(server.get(&address).await, StatusCode::NOT_FOUND).await;
        assert!(problem["detail"].as_str().unwrap().contains(why), "{problem}");
    }
    let other = format!("{at}/0?began_at=2020-01-01T00:00:00Z");
    assert_eq!(server.get(&other).await.status(), StatusCode::NOT_FOUND, "another rehearsal");

    let together = Server::json(server.get(&format!("/orders/{order}/rehearsals")).await, StatusCode::OK).await;
    assert_eq!(together["pictures"], json!(["vases.png"]));
    assert_eq!(together["rows"].as_array().unwrap().len(), rows.len());

    assert_eq!(server.delete(&at).await.status(), StatusCode::NO_CONTENT);
    assert_eq!(Server::json(server.get(&at).await, StatusCode::OK).await, Value::Null);
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_rehearsal_that_goes_on_can_be_given_up_and_begun_anew() {
    let server = Server::start().await;
    let (_, id) = server.with_picture(1600, 1200).await;
    let at = format!("/originals/{id}/rehearsal");
    Server::json(server.post(&at, &json!({ "factor": 2, "parts": 24 })).await, StatusCode::CREATED).await;
    assert_eq!(server.delete(&at).await.status(), StatusCode::NO_CONTENT);
    assert_eq!(Server::json(server.get(&at).await, StatusCode::OK).await, Value::Null, "given up is not kept");
    let first = Server::json(server.post(&at, &json!({ "parts": 24 })).await, StatusCode::CREATED).await;
    let region = json!({ "x": 40, "y": 40, "width": 120, "height": 100 });
    let asked = json!({ "parts": 1, "factor": 3, "region": region, "put_back": true });
    let second = Server::json(server.post(&at, &asked).await, StatusCode::CREATED).await;
    assert_ne!(first["began_at"], second["began_at"]);
    let done = finished(&server, id).await;
    assert_eq!((&done["began_at"], &done["factor"]), (&second["began_at"], &json!(3)));
    assert_eq!(done["parts"], json!([{ "x": 40, "y": 40, "width": 120, "height": 99 }]), "whole multiples");
    server.stop().await;
}

#[rstest]
#[case(json!({ "factor": 9 }), "factor")]
#[case(json!({ "parts": 0 }), "parts")]
#[case(json!({ "parts": 1000 }), "parts")]
#[case(json!({ "region": { "x": 300, "y": 0, "width": 200, "height": 200 } }), "region")]
#[case(json!({ "region": { "x": 0, "y": 0, "width": 20, "height": 20 } }), "region")]
#[tokio::test(flavor = "multi_thread")]
async fn what_cannot_be_rehearsed_is_said(#[case] asked: Value, #[case] field: &str) {
    let server = Server::start().await;
    let (_, id) = server.with_picture(400, 300).await;
    let at = format!("/originals/{id}/rehearsal");
    let problem = Server::json(server.post(&at, &asked).await, StatusCode::UNPROCESSABLE_ENTITY).await;
    assert_eq!(problem["field"], field, "{problem}");
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_tiny_picture_has_a_suggestion_but_no_rehearsal() {
    let server = Server::start().await;
    let order = server.new_order().await;
    let outcome = server.import(order, vec![("dot.png", encoded(&picture(1, 1), ImageFormat::Png))]).await;
    let id = outcome[0]["original"]["id"].as_u64().unwrap();
    let problem = server.post(&format!("/originals/{id}/rehearsal"), &json!({})).await;
    let problem = Server::json(problem, StatusCode::UNPROCESSABLE_ENTITY).await;
    assert_eq!(problem["code"], "rehearsal.too-small", "{problem}");
    let wanted = json!({ "target": { "by": "factor", "factor": 4 } });
    Server::json(server.post(&format!("/originals/{id}/suggestion"), &wanted).await, StatusCode::OK).await;
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn what_was_tried_is_kept_and_is_the_reason() {
    let server = Server::start().await;
    let order = server.new_order().await;
    let file = std::fs::read(project().join("crates/core/tests/pictures/weavers-shop.jpg")).unwrap();
    let outcome = server.import(order, vec![("weavers-shop.jpg", file)]).await;
    let id = outcome[0]["original"]["id"].as_u64().unwrap();
    let wanted = json!({ "target": { "by": "factor", "factor": 4 } });
    let at = format!("/originals/{id}/suggestion");
    // Asked for several times at once, it is tried once.
    let (first, second) = tokio::join!(server.post(&at, &wanted), server.post(&at, &wanted));
    let (first, second) = (Server::json(first, StatusCode::OK).await, Server::json(second, StatusCode::OK).await);
    assert_eq!(first, second);
    let reasons = first["reasons"].to_string();
    assert!(reasons.contains("parts of this picture"), "{reasons}");
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn what_a_picture_shows_is_told_and_how_often_its_suggestion_is_kept() {
    let server = Server::start().await;
    let order = server.new_order().await;
    let fern = std::fs::read(project().join("crates/core/tests/pictures/courtyard-fern.jpg")).unwrap();
    let files = vec![("fern.jpg", fern), ("vases.png", encoded(&picture(300, 200), ImageFormat::Png))];
    let outcome = server.import(order, files).await;
    let ids = [0, 1].map(|i: usize| outcome[i]["original"]["id"].as_u64().unwrap());
    let read = Server::json(server.get(&format!("/originals/{}/reading", ids[0])).await, StatusCode::OK).await;
    assert_eq!(read["reading"]["sight"]["picture"]["shown"], "foliage", "{read}");
    let none = json!({ "subjects": [], "otherwise": [] });
    assert_eq!(Server::json(server.get("/suggestions").await, StatusCode::OK).await, none, "nobody has worked on any");

    // The fern is left as it is suggested, of the vases another model is asked for.
    let wanted = |id: u64| format!("/originals/{id}/intent");
    let mut asked = Vec::new();
    for id in ids {
        asked.push(Server::json(server.get(&wanted(id)).await, StatusCode::OK).await);
    }
    asked[1]["enlarge"] = json!({ "by": "plain", "kernel": "nearest" });
    for (id, asked) in ids.into_iter().zip(&asked) {
        assert_eq!(server.put(&wanted(id), asked).await.status(), StatusCode::NO_CONTENT);
    }
    let counted = Server::json(server.get("/suggestions").await, StatusCode::OK).await;
    let subject = |shows: &str| {
        let all = counted["subjects"].as_array().unwrap();
        all.iter().find(|s| s["shows"] == shows).unwrap_or_else(|| panic!("{shows}: {counted}")).clone()
    };
    let fern = subject("foliage or ground");
    assert_eq!((&fern["pictures"], &fern["kept"], &fern["other_model"]), (&json!(1), &json!(1), &json!(0)));
    let others: u64 = counted["subjects"].as_array().unwrap().iter().filter_map(|s| s["other_model"].as_u64()).sum();
    assert_eq!(others, 1, "{counted}");
    let otherwise = &counted["otherwise"];
    assert_eq!((&otherwise[0]["name"], otherwise.as_array().unwrap().len()), (&json!("vases.png"), 1));
    assert_ne!(otherwise[0]["suggested"]["enlarge"], otherwise[0]["chosen"]["enlarge"]);
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_look_over_names_pictures_whose_suggestion_is_unsure() {
    let server = Server::start().await;
    let order = server.new_order().await;
    let files = [(400, 300), (40, 30)].map(|(w, h)| ("vases.png", encoded(&picture(w, h), ImageFormat::Png)));
    server.import(order, files.into()).await;
    let look_over = async |treating: Value| {
        let batch = json!({ "treating": treating, "prints": [{ "target": { "by": "factor", "factor": 2 } }] });
        let plan = server.post(&format!("/orders/{order}/preflight"), &batch).await;
        let plan = Server::json(plan, StatusCode::OK).await;
        let unsure = |item: &Value| item["findings"].to_string().contains("unsure, look at it first: it is too small");
        [0, 1].map(|i: usize| unsure(&plan["items"][i]))
    };
    assert_eq!(look_over(json!({ "how": "suggested" })).await, [false, true]);
    let plain = json!({ "clean": {}, "enlarge": { "by": "plain", "kernel": "bicubic" }, "finish": {} });
    assert_eq!(look_over(json!({ "how": "steps", "steps": plain })).await, [false, false], "nothing is suggested");
    server.stop().await;
}
