//! Files, messages and services that mean no good, or are broken: each is refused in words, and everything else goes on.

use std::io::{Read, Write};
use std::net::TcpStream;
use std::time::Duration;

use axum::Router;
use axum::response::Redirect;
use axum::routing::{get, post};
use dettaglio_core::codec::{CodecError, Decoders, DecodingMemory};
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::limits::Limits;
use dettaglio_server::config::Devices;
use dettaglio_server::http::access::hashed;
use dettaglio_store::access::Role;
use image::ImageFormat;
use reqwest::StatusCode;
use reqwest::header::{HOST, ORIGIN, RETRY_AFTER};
use rstest::rstest;
use serde_json::{Value, json};

use crate::outside::{Guarded, until};
use crate::support::{Server, encoded, intent, picture};

const MEMORY: DecodingMemory = DecodingMemory { decoding: 1 << 30, open: 1 << 30 };

/// A TIFF of one directory: tag, type, count and value of each entry, and where the next directory is to be.
fn tiff(entries: &[(u16, u16, u32, u32)], next: u32) -> Vec<u8> {
    let mut file = b"II*\0\x08\0\0\0".to_vec();
    file.extend((entries.len() as u16).to_le_bytes());
    for (tag, kind, count, value) in entries {
        [tag, kind].iter().for_each(|number| file.extend(number.to_le_bytes()));
        [count, value].iter().for_each(|number| file.extend(number.to_le_bytes()));
    }
    file.extend(next.to_le_bytes());
    file
}

/// One of 26 bytes: a single entry of value 0.
fn small_tiff(tag: u16, kind: u16, count: u32, next: u32) -> Vec<u8> {
    tiff(&[(tag, kind, count, 0)], next)
}

#[tokio::test(flavor = "multi_thread")]
async fn files_made_to_bring_the_decoder_down_are_refused_and_the_others_taken() {
    let server = Server::start().await;
    let order = server.new_order().await;
    let outcome = server
        .import(
            order,
            vec![
                ("circle.tif", small_tiff(0x0100, 3, 1, 8)),
                ("huge.tif", small_tiff(0x011A, 5, u32::MAX, 0)),
                ("huge.jpg", small_tiff(0x011A, 5, u32::MAX, 0)),
                ("vases.png", encoded(&picture(60, 40), ImageFormat::Png)),
            ],
        )
        .await;
    for refused in &outcome.as_array().unwrap()[..3] {
        assert_eq!(refused["refused"]["code"], "file.damaged", "{refused}");
    }
    assert!(outcome[3]["original"].is_object(), "{outcome}");
    use std::os::unix::fs::PermissionsExt;
    for folder in ["files", "tiles", "work"] {
        let mode = std::fs::metadata(server.folder.path().join(folder)).unwrap().permissions().mode();
        assert_eq!(mode & 0o777, 0o700, "{folder} is nobody else's");
    }
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_message_that_is_too_large_is_told_so_while_it_is_still_being_sent() {
    let server = Server::start().await;
    for _ in 0..100 {
        let answer = server.post("/session", &json!({ "name": "x".repeat(700_000) })).await;
        assert_eq!(answer.status(), StatusCode::PAYLOAD_TOO_LARGE);
    }
    server.stop().await;
}

#[test]
fn what_is_read_in_another_process_is_what_is_read_in_this_one() {
    let folder = tempfile::tempdir().unwrap();
    let decoders = Decoders::new(env!("CARGO_BIN_EXE_dettaglio-server").as_ref(), MEMORY, Limits::default());
    let demo = crate::support::project().join("demo/pictures");
    let mut files: Vec<_> = std::fs::read_dir(demo).unwrap().map(|entry| entry.unwrap().path()).take(4).collect();
    files.push(folder.path().join("sixteen.png"));
    std::fs::write(&files[4], encoded(&picture(31, 17).to_rgb16().into(), ImageFormat::Png)).unwrap();
    files.push(folder.path().join("broken.png"));
    std::fs::write(&files[5], &encoded(&picture(31, 17), ImageFormat::Png)[..200]).unwrap();
    files.push(folder.path().join("note.txt"));
    std::fs::write(&files[6], "one vase, one bowl").unwrap();
    for file in &files {
        let hash = ContentHash::of_file(file).unwrap();
        let here = dettaglio_core::codec::read(file, hash, &Limits::default());
        match (here, decoders.read(file, hash, &|_| {})) {
            (Ok(here), Ok(there)) => {
                assert_eq!(here.facts, there.facts);
                assert!(here.original.samples() == there.original.samples(), "{}", file.display());
                let profile =
                    |original: &dettaglio_core::picture::Original| original.profile().map(|p| p.bytes().to_vec());
                assert_eq!(profile(&here.original), profile(&there.original));
                assert_eq!(format!("{:?}", here.original.metadata()), format!("{:?}", there.original.metadata()));
            }
            (Err(here), Err(there)) => assert_eq!(here.to_string(), there.to_string()),
            (here, there) => panic!("{}: {:?} and {:?}", file.display(), here.is_ok(), there.is_ok()),
        }
    }
}

#[test]
fn a_file_that_takes_more_memory_than_it_may_costs_only_itself() {
    let folder = tempfile::tempdir().unwrap();
    let good = folder.path().join("vases.png");
    std::fs::write(&good, encoded(&picture(60, 40), ImageFormat::Png)).unwrap();
    let program = env!("CARGO_BIN_EXE_dettaglio-server");
    // Less than what it takes to look into a file at all: the child cannot go on.
    let starved = Decoders::new(program.as_ref(), MEMORY, Limits::default()).with_head_bytes(0);
    let large = folder.path().join("noise");
    let noise: Vec<u8> = (0..40_000_000_u32).map(|i| (i.wrapping_mul(2_654_435_761) >> 13) as u8).collect();
    std::fs::write(&large, noise).unwrap();
    let hash = ContentHash::of(b"noise");
    let outcome = starved.read(&large, hash, &|_| {});
    assert!(matches!(outcome, Err(CodecError::Harmful(_) | CodecError::NotAPicture | CodecError::Io(_))));
    let fair = Decoders::new(program.as_ref(), MEMORY, Limits::default());
    assert!(fair.read(&good, ContentHash::of(b"good"), &|_| {}).is_ok());
}

#[tokio::test(flavor = "multi_thread")]
async fn a_number_beyond_measure_is_not_kept() {
    let server = Server::start().await;
    let steps = json!({ "enlarge": { "by": "learned", "subject": "everyday", "grade": "draft", "strength": 1e39 } });
    let kept = server.post("/house-treatments", &json!({ "name": "bright", "steps": steps })).await;
    assert_eq!(Server::json(kept, StatusCode::BAD_REQUEST).await["code"], "request.body");
    assert_eq!(Server::json(server.get("/house-treatments").await, StatusCode::OK).await, json!([]));

    let (_, id) = server.with_picture(60, 40).await;
    for (part, value) in [("quality", json!(0)), ("quality", json!(255)), ("ppi", json!(-1)), ("ppi", json!(1e308))] {
        let mut body = intent(2.0);
        body["output"] = json!({ "format": "jpeg", "depth": 8 });
        body["output"][part] = value.clone();
        let refused = server.post(&format!("/originals/{id}/plan"), &body).await;
        assert_eq!(refused.status(), StatusCode::BAD_REQUEST, "{part} {value}");
    }
    let paper = json!({ "width": 0, "height": 0, "unit": "cm" });
    let print = json!({ "target": { "by": "print", "paper": paper, "ppi": 100 } });
    let order = server.post("/orders", &json!({ "title": "Room 4", "print": print })).await;
    assert_eq!(Server::json(order, StatusCode::UNPROCESSABLE_ENTITY).await["field"], "print");
    let product = server.post("/products", &json!({ "name": "Nothing", "print": print })).await;
    assert_eq!(product.status(), StatusCode::UNPROCESSABLE_ENTITY);
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn what_the_database_refuses_is_said_in_our_words() {
    let server = Server::start().await;
    for body in [
        json!({ "title": "Room 4", "house_treatment_id": 999 }),
        json!({ "title": "Room 4", "due_on": "+99999-01-01" }),
    ] {
        let refused = server.post("/orders", &body).await;
        assert!(refused.status().is_client_error(), "{body}: {}", refused.status());
        let text = refused.text().await.unwrap();
        assert!(!["SQL", "CONSTRAINT", "column", "`"].iter().any(|word| text.contains(word)), "{text}");
    }
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn rights_that_were_taken_are_gone_at_once() {
    let guarded = Guarded::start().await;
    let (client, store) = (&guarded.server.client, &guarded.server.service.as_ref().unwrap().app.store);
    let nives = guarded.cookie("Nives", "murrine e soffi").await;
    let order = async || {
        let asked = client.post(guarded.url("/orders")).header("cookie", &nives).json(&json!({ "title": "Room 2" }));
        asked.send().await.unwrap().status()
    };
    assert_eq!(order().await, StatusCode::CREATED);
    let hash = store.accounts().await.unwrap().into_iter().find(|a| a.name == "Nives").unwrap().password;
    store.set_account("Nives", &hash, Role::Viewer).await.unwrap();
    assert_eq!(order().await, StatusCode::FORBIDDEN, "a viewer by now");
    store.set_account("Nives", &hashed("un'altra parola").unwrap(), Role::Technician).await.unwrap();
    assert_eq!(order().await, StatusCode::UNAUTHORIZED, "with another password, sessions of the old one end");
    let ugo = guarded.cookie("Ugo", "solo guardare").await;
    store.remove_account("Ugo").await.unwrap();
    let looked = client.get(guarded.url("/orders")).header("cookie", &ugo).send().await.unwrap();
    assert_eq!(looked.status(), StatusCode::UNAUTHORIZED);
    guarded.server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn guessing_at_one_name_shuts_out_no_other_and_says_how_long() {
    let guarded = Guarded::start().await;
    let client = &guarded.server.client;
    let mut refused = None;
    for i in 0..8 {
        let answer = guarded.sign_in(client, "Nives", &format!("guess number {i}")).await;
        refused = Some(answer).filter(|answer| answer.status() == StatusCode::TOO_MANY_REQUESTS).or(refused);
    }
    assert!(refused.expect("too many").headers().contains_key(RETRY_AFTER));
    assert_eq!(guarded.sign_in(client, "Ugo", "solo guardare").await.status(), StatusCode::OK);
    let long = guarded.sign_in(client, "Ugo", &"x".repeat(5000)).await;
    assert_eq!(long.status(), StatusCode::PAYLOAD_TOO_LARGE, "nothing so long is read of a stranger");
    guarded.server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn only_pages_of_its_own_change_anything() {
    let server = Server::start().await;
    let post = || server.client.post(format!("{}/orders", server.base)).json(&json!({ "title": "Room 2" }));
    let own = server.base.trim_end_matches("/api/v1").to_owned();
    assert_eq!(post().header(ORIGIN, &own).send().await.unwrap().status(), StatusCode::CREATED);
    for (name, value) in [(ORIGIN.as_str(), "http://127.0.0.1:1"), ("sec-fetch-site", "same-site")] {
        let refused = post().header(name, value).send().await.unwrap();
        assert_eq!(Server::json(refused, StatusCode::FORBIDDEN).await["code"], "access.foreign", "{name}");
    }
    let elsewhere = server.client.get(format!("{}/orders", server.base)).header(HOST, "prints.example");
    assert_eq!(elsewhere.send().await.unwrap().status(), StatusCode::FORBIDDEN);
    let headers = server.get("/orders").await.headers().clone();
    assert_eq!(
        (&headers["referrer-policy"], &headers["cross-origin-resource-policy"]),
        (&"no-referrer".parse().unwrap(), &"same-origin".parse().unwrap())
    );
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn who_says_nothing_is_cut_off_and_holds_nobody_up() {
    let server = Server::with(|settings| settings.patience = Duration::from_millis(600)).await;
    let address = server.service.as_ref().unwrap().address;
    let silent: Vec<TcpStream> = (0..300)
        .map(|i| {
            let mut stream = TcpStream::connect(address).unwrap();
            if i % 2 == 0 {
                stream.write_all(b"POST /api/v1/orders HTTP/1.1\r\nHost: 127.0.0.1\r\nX-Half: ").unwrap();
            }
            stream
        })
        .collect();
    assert_eq!(server.get("/health").await.status(), StatusCode::OK);
    let ended = tokio::task::spawn_blocking(move || {
        silent.into_iter().all(|mut stream| {
            stream.set_read_timeout(Some(Duration::from_secs(20))).unwrap();
            let ended = stream.read_to_end(&mut Vec::new());
            // Closed or reset, but not still open when the wait is over.
            ended.map_or_else(|e| e.kind() == std::io::ErrorKind::ConnectionReset, |_| true)
        })
    });
    assert!(ended.await.unwrap(), "all of them were cut off");
    server.stop().await;
}

#[rstest]
#[case("GET /api/v1/orders HTTP/1.1\r\nConnection: close\r\n\r\n")]
#[case("GET /api/v1/orders HTTP/1.0\r\n\r\n")]
#[tokio::test(flavor = "multi_thread")]
async fn a_request_that_names_no_host_is_refused(#[case] request: &'static str) {
    let server = Server::start().await;
    let address = server.service.as_ref().unwrap().address;
    let answer = tokio::task::spawn_blocking(move || {
        let mut stream = TcpStream::connect(address).unwrap();
        stream.write_all(request.as_bytes()).unwrap();
        let mut answer = String::new();
        stream.read_to_string(&mut answer).unwrap();
        answer
    });
    let answer = answer.await.unwrap();
    assert!(answer.starts_with("HTTP/1.1 4") || answer.starts_with("HTTP/1.0 4"), "{answer}");
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_run_of_thousands_is_looked_over_while_others_are_answered() {
    let server = Server::start().await;
    let (order, _) = server.with_picture(60, 40).await;
    let ticket = |i: u32| json!({ "target": { "by": "long_edge", "px": 100 + i % 3 } });
    let file = json!({ "format": "tiff", "depth": 8 });
    let batch = json!({
        "prints": (0..100).map(ticket).collect::<Vec<_>>(), "outputs": vec![file.clone(); 99], "pattern": "{name}",
        "treating": { "how": "as_set" },
    });
    let (address, health) = (format!("/orders/{order}/preflight"), server.get("/health"));
    let (looked, health) = tokio::join!(server.post(&address, &batch), health);
    assert_eq!(health.status(), StatusCode::OK);
    let plan = Server::json(looked, StatusCode::OK).await;
    let names: std::collections::HashSet<&str> =
        plan["items"].as_array().unwrap().iter().map(|item| item["file_name"].as_str().unwrap()).collect();
    assert_eq!(names.len(), 9900, "all of one name, and all unlike");
    let mut more = batch.clone();
    more["outputs"] = json!(vec![file; 101]);
    let refused = server.post(&format!("/orders/{order}/preflight"), &more).await;
    assert_eq!(Server::json(refused, StatusCode::UNPROCESSABLE_ENTITY).await["code"], "batch.too-many");
    server.stop().await;
}

/// A service outside, and its address.
async fn outside(routes: Router) -> String {
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
    let address = format!("http://{}", listener.local_addr().unwrap());
    tokio::spawn(async move { axum::serve(listener, routes).await });
    address
}

#[tokio::test(flavor = "multi_thread")]
async fn an_order_that_a_shop_got_wrong_holds_up_no_other_and_is_told_of() {
    let elsewhere =
        outside(Router::new().route("/secret.png", get(|| async { encoded(&picture(9, 9), ImageFormat::Png) }))).await;
    let order = |reference: &str, address: &str| {
        json!({
            "reference": reference, "title": "Blanket", "print": "60x40cm", "ppi": 100,
            "pictures": [{ "name": "a.png", "address": address }],
        })
    };
    let mut no_print = order("SN-4", "good.png");
    no_print["print"] = json!("sixty by forty");
    let mut unreadable = order("SN-6", "note.png");
    unreadable["pictures"][0]["name"] = json!("note.png");
    let orders = json!([
        { "title": "nothing else" },
        order(&"S".repeat(300), "good.png"),
        order("SN-2", "missing.png"),
        order("SN-3", "away.png"),
        no_print,
        order("SN-5", "good.png"),
        unreadable,
    ]);
    let away = format!("{elsewhere}/secret.png");
    let shop = Router::new()
        .route("/orders.json", get(move || async move { axum::Json(orders) }))
        .route("/good.png", get(|| async { encoded(&picture(60, 40), ImageFormat::Png) }))
        .route("/note.png", get(|| async { "one vase, one bowl" }))
        .route("/away.png", get(move || async move { Redirect::temporary(&away) }));
    let feed = format!("{}/orders.json", outside(shop).await);
    let server = Server::with(|settings| settings.devices = Devices { shop: Some(feed), printer: None }).await;
    let orders = until("both good orders", async || {
        let orders = Server::json(server.get("/orders").await, StatusCode::OK).await;
        let all = orders.as_array().unwrap().clone();
        (all.len() == 2 && all.iter().any(|o| o["notes"].as_str().unwrap().contains("note.png could not be taken")))
            .then_some(all)
    })
    .await;
    let taken: Vec<&Value> = orders.iter().map(|order| &order["reference"]).collect();
    assert_eq!(taken, ["SN-6", "SN-5"]);
    let troubles = Server::json(server.get("/devices").await, StatusCode::OK).await["troubles"].clone();
    let reason = |reference: &str| {
        let found = troubles.as_array().unwrap().iter().find(|t| t["reference"] == reference);
        found.unwrap_or_else(|| panic!("{reference} in {troubles}"))["reason"].as_str().unwrap().to_owned()
    };
    assert_eq!(troubles.as_array().unwrap().len(), 5);
    assert!(reason("order 1 of the feed").contains("reference"));
    assert!(reason("SN-2").contains("404") && reason("SN-4").contains("sixty by forty"));
    assert!(reason("SN-3").contains("redirect"), "{}", reason("SN-3"));
    assert_eq!(server.post("/devices/shop/retry", &json!({})).await.status(), StatusCode::NO_CONTENT);
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_printer_that_answers_strangely_is_written_down_and_not_asked_twice() {
    let strange = format!("{{\"job\":\"{}\",\"state\":\"accepted\"}}", "P".repeat(5000));
    let routes = Router::new().route("/queue", post(move |_: axum::body::Bytes| async move { strange }));
    let address = outside(routes.layer(axum::extract::DefaultBodyLimit::disable())).await;
    let server = Server::with(|settings| settings.devices = Devices { shop: None, printer: Some(address) }).await;
    let (order, id) = server.with_picture(60, 40).await;
    let job =
        Server::json(server.post(&format!("/originals/{id}/jobs"), &intent(2.0)).await, StatusCode::CREATED).await;
    let result = server.ended(job["id"].as_u64().unwrap()).await["enlargement_id"].as_u64().unwrap();
    assert_eq!(server.post(&format!("/enlargements/{result}/print"), &json!({})).await.status(), StatusCode::CREATED);
    let printings = Server::json(server.get(&format!("/orders/{order}/printings")).await, StatusCode::OK).await;
    assert!(printings[0]["answer"].as_str().unwrap().contains("look at the printer"), "{printings}");
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_only_tried_out_leaves_nothing_in_the_database() {
    let server = Server::start().await;
    let (_, id) = server.with_picture(60, 40).await;
    let store = &server.service.as_ref().unwrap().app.store;
    let kept = async || store.kept_treatments().await.unwrap();
    let mut last = Value::Null;
    for i in 0..20 {
        let plan = server.post(&format!("/originals/{id}/plan"), &intent(2.0 + f64::from(i) / 10.0)).await;
        last = Server::json(plan, StatusCode::OK).await;
    }
    assert_eq!(kept().await, 0);
    let original = Server::json(server.get(&format!("/originals/{id}")).await, StatusCode::OK).await;
    let tile = format!("/tiles/{}/{}/0/0/0", original["hash"].as_str().unwrap(), last["treatment"].as_str().unwrap());
    assert_eq!(server.get(&tile).await.status(), StatusCode::OK);
    assert_eq!(kept().await, 1, "what is looked at outlasts the program");
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_run_that_is_ordered_twice_by_a_slip_is_run_once() {
    let server = Server::start().await;
    let (order, id) = server.with_picture(60, 40).await;
    let ordered = async |path: String, body: Value| {
        let request = server.client.post(format!("{}{path}", server.base)).header("idempotency-key", "a-click");
        Server::json(request.json(&body).send().await.unwrap(), StatusCode::CREATED).await
    };
    let one = || ordered(format!("/originals/{id}/jobs"), intent(2.0));
    let (first, second) = (one().await, one().await);
    assert_eq!(first["id"], second["id"]);
    let batch = || ordered(format!("/orders/{order}/jobs"), json!({}));
    assert_eq!(batch().await, batch().await);
    let sheet = Server::json(server.get(&format!("/orders/{order}")).await, StatusCode::OK).await;
    assert_eq!(sheet["jobs"].as_array().unwrap().len(), 2, "one by itself and one of the batch");
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn nobodys_notes_are_lost_when_two_write_at_once() {
    let server = Server::start().await;
    let order = Server::json(server.post("/orders", &json!({ "title": "Room 2" })).await, StatusCode::CREATED).await;
    let (id, version) = (order["id"].as_u64().unwrap(), order["version"].as_str().unwrap().to_owned());
    let write = async |notes: &str| {
        let request = server.client.put(format!("{}/orders/{id}", server.base)).header("if-match", &version);
        request.json(&json!({ "title": "Room 2", "notes": notes })).send().await.unwrap()
    };
    let (first, second) = (write("two vases").await, write("three vases").await);
    assert_eq!(first.status(), StatusCode::OK);
    assert_eq!(Server::json(second, StatusCode::PRECONDITION_FAILED).await["code"], "order.changed");
    let now = Server::json(server.get(&format!("/orders/{id}")).await, StatusCode::OK).await;
    assert_eq!(now["order"]["notes"], "two vases");
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn pictures_that_are_too_large_to_be_open_together_are_open_in_turn() {
    // Room for one of them, and for a part of another.
    let memory = DecodingMemory { decoding: 1 << 30, open: 1_500_000 };
    let server = Server::with(|settings| settings.memory = memory).await;
    let order = server.new_order().await;
    let files = [("one.png", 640), ("two.png", 641), ("three.png", 642)];
    let files = files.map(|(name, width)| (name, encoded(&picture(width, 640), ImageFormat::Png)));
    let outcome = server.import(order, files.to_vec()).await;
    for round in 0..2 {
        for imported in outcome.as_array().unwrap() {
            let id = imported["original"]["id"].as_u64().unwrap_or_else(|| panic!("{imported}"));
            let small = server.get(&format!("/originals/{id}/thumbnail?edge={}", 200 + round)).await;
            assert_eq!(small.status(), StatusCode::OK);
        }
    }
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_camera_with_a_name_of_megabytes_is_told_of_in_short() {
    let server = Server::start().await;
    let order = server.new_order().await;
    let outcome = server.import(order, vec![("named.tif", named_tiff(6 << 20))]).await;
    let facts = &outcome[0]["original"]["facts"];
    assert!(facts["camera"].as_str().is_none_or(|camera| camera.len() <= 200), "{outcome}");
    let sheet = server.get(&format!("/orders/{order}")).await.text().await.unwrap();
    assert!(sheet.len() < 20_000, "{} bytes", sheet.len());
    server.stop().await;
}

/// A TIFF of one pixel whose camera's name has so many letters.
fn named_tiff(letters: u32) -> Vec<u8> {
    let end = 8 + 2 + 10 * 12 + 4;
    let entries: [(u16, u16, u32, u32); 10] = [
        (256, 3, 1, 1),
        (257, 3, 1, 1),
        (258, 3, 1, 8),
        (259, 3, 1, 1),
        (262, 3, 1, 1),
        (272, 2, letters, end + 1),
        (273, 4, 1, end),
        (277, 3, 1, 1),
        (278, 3, 1, 1),
        (279, 4, 1, 1),
    ];
    let mut file = tiff(&entries, 0);
    file.push(0);
    file.resize(file.len() + letters as usize, b'K');
    file
}

#[tokio::test(flavor = "multi_thread")]
async fn a_model_of_a_hundred_thousand_parts_is_refused_by_their_number() {
    let server = Server::start().await;
    let mut model = std::fs::read(crate::support::project().join("crates/core/tests/own/plain-x2.onnx")).unwrap();
    // More weights of the same graph: field 7 of the model again, and in it fields 5 without content.
    let weights = [0x2A, 0x00].repeat(100_000);
    // Their 200,000 bytes, seven bits a byte.
    model.extend([0x3A, 0xC0, 0x9A, 0x0C]);
    model.extend(weights);
    let refused = Server::json(server.add_model("Many", model).await, StatusCode::UNPROCESSABLE_ENTITY).await;
    assert!(refused["detail"].as_str().unwrap().contains("parts"), "{refused}");
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_form_whose_head_never_ends_is_refused_before_it_is_held_in_memory() {
    let server = Server::start().await;
    let order = server.new_order().await;
    let endless = futures::stream::iter((0..3_000).map(|i| {
        let piece = if i == 0 { b"--vases\r\nX-Name: ".to_vec() } else { vec![b'x'; 64 << 10] };
        Ok::<_, std::io::Error>(piece)
    }));
    let sent = server
        .client
        .post(format!("{}/orders/{order}/originals", server.base))
        .header("content-type", "multipart/form-data; boundary=vases")
        .body(reqwest::Body::wrap_stream(endless))
        .send()
        .await;
    // The server may hang up while the rest is still being sent; if it is heard, it says why.
    if let Ok(answer) = sent {
        assert_eq!(Server::json(answer, StatusCode::BAD_REQUEST).await["code"], "request.form");
    }
    assert_eq!(server.get("/health").await.status(), StatusCode::OK);
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_sign_of_life_and_the_end_of_the_same_job_do_not_wait_for_each_other() {
    // Signs without a pause: each job ends while one is being given.
    let server = Server::with(|settings| settings.sign_of_life = Duration::ZERO).await;
    let (order, id) = server.with_picture(24, 16).await;
    let mut jobs = Vec::new();
    for i in 0..30 {
        let plain = json!({
            "target": { "by": "factor", "factor": 1.0 + f64::from(i) / 10.0 }, "output": { "format": "jpeg", "depth": 8 },
            "enlarge": { "by": "plain", "kernel": "bicubic" },
        });
        let job = Server::json(server.post(&format!("/originals/{id}/jobs"), &plain).await, StatusCode::CREATED).await;
        jobs.push(job["id"].as_u64().unwrap());
    }
    let all = async {
        for job in &jobs {
            assert_eq!(server.ended(*job).await["state"], "done");
        }
    };
    // The database breaks such a standstill after 50 s; all of them are done in two.
    tokio::time::timeout(Duration::from_secs(40), all).await.expect("none stood still");
    let sheet = Server::json(server.get(&format!("/orders/{order}")).await, StatusCode::OK).await;
    assert_eq!(sheet["jobs"].as_array().unwrap().len(), 30);
    server.stop().await;
}
