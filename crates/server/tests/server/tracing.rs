//! Drawings: traced into shapes, which a result keeps beside it.

use std::io::{Cursor, Read};

use reqwest::StatusCode;
use serde_json::{Value, json};

use crate::support::Server;

/// A disc in two colours, with edges between pixels: a PNG file.
fn disc() -> Vec<u8> {
    let picture = image::RgbImage::from_fn(120, 90, |x, y| {
        let from = (f64::from(x) - 59.5).hypot(f64::from(y) - 44.5);
        let share = (30.0 - from + 0.5).clamp(0.0, 1.0);
        image::Rgb([1.0, 0.4, 0.2].map(|ink: f64| (255.0 * (1.0 - share * ink)).round() as u8))
    });
    let mut bytes = Cursor::new(Vec::new());
    picture.write_to(&mut bytes, image::ImageFormat::Png).unwrap();
    bytes.into_inner()
}

#[tokio::test(flavor = "multi_thread")]
async fn what_was_drawn_is_traced_and_a_photograph_refused() {
    let server = Server::start().await;
    let order = server.new_order().await;
    let hall = include_bytes!("../../../core/tests/pictures/furnace-hall.jpg").to_vec();
    let outcome = server.import(order, vec![("disc.png", disc()), ("hall.jpg", hall)]).await;
    let [disc, hall] = [0, 1].map(|i| outcome[i]["original"]["id"].as_u64().unwrap());
    let mut intent = Server::json(server.get(&format!("/originals/{disc}/intent")).await, StatusCode::OK).await;
    intent["target"] = json!({ "by": "print", "paper": { "width": 40, "height": 30, "unit": "cm" }, "ppi": 100 });
    intent["enlarge"] = json!({ "by": "traced" });
    let kept = server.put(&format!("/originals/{disc}/intent"), &intent).await;
    assert!(kept.status().is_success(), "{}", kept.text().await.unwrap());
    let traced = Server::json(server.get(&format!("/originals/{disc}/trace")).await, StatusCode::OK).await;
    assert_eq!(traced["inks"].as_array().unwrap().len(), 2, "{traced}");
    assert_eq!(traced["outlines"], 2);
    assert!(traced["nodes"].as_u64().unwrap() <= 14, "{traced}");
    let drawing = server.get(&format!("/originals/{disc}/trace.svg")).await.text().await.unwrap();
    assert!(drawing.contains("width=\"400mm\" height=\"300mm\""), "{drawing}");
    assert_eq!(traced["bytes"], drawing.len());

    // In an ink of its own, with a name, on whatever it is laid on.
    let ink = traced["inks"][1]["found"].clone();
    intent["enlarge"] = json!({ "by": "traced", "colours": 4, "clear": true,
        "inks": [{ "found": ink, "printed": "#102a50", "name": "Kiln blue" }] });
    server.put(&format!("/originals/{disc}/intent"), &intent).await;
    let traced = Server::json(server.get(&format!("/originals/{disc}/trace")).await, StatusCode::OK).await;
    assert_eq!(traced["inks"][1], json!({ "found": ink, "printed": "#102a50", "name": "Kiln blue" }));
    let drawing = server.get(&format!("/originals/{disc}/trace.svg")).await.text().await.unwrap();
    assert!(drawing.contains("#102a50") && drawing.matches("<path").count() == 1, "{drawing}");

    let file = server.get(&format!("/originals/{disc}/trace.pdf")).await;
    assert_eq!(file.headers()["content-type"], "application/pdf");
    assert!(file.headers()["content-disposition"].to_str().unwrap().contains("disc.pdf"));
    let page = file.bytes().await.unwrap();
    // 400 x 300 mm in points.
    assert!(String::from_utf8_lossy(&page).contains("/MediaBox [0 0 1133.858"), "{}", String::from_utf8_lossy(&page));

    let refused = async |path: String| Server::json(server.get(&path).await, StatusCode::UNPROCESSABLE_ENTITY).await;
    assert_eq!(refused(format!("/originals/{hall}/trace")).await["code"], "trace.not-chosen");
    let mut other = Server::json(server.get(&format!("/originals/{hall}/intent")).await, StatusCode::OK).await;
    other["enlarge"] = json!({ "by": "traced" });
    server.put(&format!("/originals/{hall}/intent"), &other).await;
    for path in ["trace", "trace.svg", "trace.pdf"].map(|path| format!("/originals/{hall}/{path}")) {
        assert_eq!(refused(path).await["code"], "trace.not-drawn");
    }
    for wrong in [
        json!({ "by": "traced", "colours": 1 }),
        json!({ "by": "traced", "colours": 33 }),
        json!({ "by": "traced", "inks": [{ "found": "#000000", "printed": "#ffffff", "name": "a\nb" }] }),
    ] {
        intent["enlarge"] = wrong;
        server.put(&format!("/originals/{disc}/intent"), &intent).await;
        let problem = refused(format!("/originals/{disc}/trace")).await;
        assert_eq!((&problem["code"], &problem["field"]), (&json!("trace.settings"), &json!("enlarge")), "{problem}");
    }
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_traced_result_goes_out_as_a_drawing_too() {
    let server = Server::start().await;
    let order = server.new_order().await;
    let vases = server.with_picture(100, 80).await.1;
    let outcome = server.import(order, vec![("disc.png", disc())]).await;
    let id = outcome[0]["original"]["id"].as_u64().unwrap();
    let run = async |id: u64, enlarge: Value| {
        let mut intent = Server::json(server.get(&format!("/originals/{id}/intent")).await, StatusCode::OK).await;
        intent["target"] = json!({ "by": "print", "paper": { "width": 40, "height": 30, "unit": "cm" }, "ppi": 50 });
        intent["enlarge"] = enlarge;
        let job = server.post(&format!("/originals/{id}/jobs"), &intent).await;
        let job = Server::json(job, StatusCode::CREATED).await["id"].as_u64().unwrap();
        let ended = server.ended(job).await;
        assert_eq!(ended["state"], "done", "{ended}");
        ended["enlargement_id"].as_u64().unwrap()
    };
    let traced = run(id, json!({ "by": "traced" })).await;
    let accepted = json!({ "verdict": "accepted" });
    let result = server.post(&format!("/enlargements/{traced}/verdict"), &accepted).await;
    let result = Server::json(result, StatusCode::OK).await;
    assert_eq!(result["record"]["drawing"]["outlines"], 2, "{result}");

    let archive = server.get(&format!("/orders/{order}/delivery.zip")).await.bytes().await.unwrap();
    let mut archive = zip::ZipArchive::new(Cursor::new(archive)).unwrap();
    let name = result["file_name"].as_str().unwrap();
    for (ending, kind, bytes) in [("svg", "image/svg+xml", "svg_bytes"), ("pdf", "application/pdf", "pdf_bytes")] {
        let file = server.get(&format!("/enlargements/{traced}/drawing/{ending}")).await;
        assert_eq!(file.headers()["content-type"], kind);
        let name = format!("{}.{ending}", name.rsplit_once('.').unwrap().0);
        assert!(file.headers()["content-disposition"].to_str().unwrap().contains(&name), "{:?}", file.headers());
        let file = file.bytes().await.unwrap();
        assert_eq!(result["record"]["drawing"][bytes], file.len());
        let inside = archive.file_names().map(|name| name.unwrap().into_owned()).find(|inside| inside.ends_with(&name));
        let mut same = Vec::new();
        archive.by_name(&inside.expect("it goes out")).unwrap().read_to_end(&mut same).unwrap();
        assert_eq!(same, file, "{ending}");
        let text = String::from_utf8_lossy(&file);
        // Pixels at 50 ppi: as near to 400 x 300 mm as they come.
        assert!(text.contains("width=\"399.8mm\"") || text.contains("/MediaBox [0 0 1133.28"), "{text}");
    }
    let other = run(vases, json!({ "by": "plain", "kernel": "lanczos3" })).await;
    let missing = server.get(&format!("/enlargements/{other}/drawing/svg")).await;
    assert_eq!(Server::json(missing, StatusCode::NOT_FOUND).await["code"], "result.no-drawing");
    assert_eq!(server.get(&format!("/enlargements/{traced}/drawing/eps")).await.status(), StatusCode::BAD_REQUEST);
    server.stop().await;
}
