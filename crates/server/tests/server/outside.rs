//! What is outside: accounts, links for clients, a scanner, a shop, a printer; and workers in programs of their own.

use std::process::{Child, Command, Stdio};
use std::time::Duration;

use dettaglio_server::config::Devices;
use dettaglio_server::http::access::hashed;
use dettaglio_store::access::Role;
use image::ImageFormat;
use reqwest::header::{ORIGIN, SET_COOKIE};
use reqwest::multipart::{Form, Part};
use reqwest::{Client, Response, StatusCode};
use serde_json::{Value, json};
use tokio::io::{AsyncBufReadExt, BufReader};

use crate::support::{Server, encoded, intent, picture, project};

/// A program that is ended with the test, whatever happens.
struct Ended(Child);

impl Drop for Ended {
    fn drop(&mut self) {
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

async fn stand_in(arguments: &[&str]) -> (tokio::process::Child, String) {
    let mut child = tokio::process::Command::new(env!("CARGO_BIN_EXE_dettaglio-stand-in"))
        .args(arguments)
        .current_dir(project())
        .stdout(Stdio::piped())
        .kill_on_drop(true)
        .spawn()
        .expect("the stand-in starts");
    let mut lines = BufReader::new(child.stdout.take().unwrap()).lines();
    let address = lines.next_line().await.unwrap().expect("an address");
    (child, address.trim_end_matches('/').to_owned())
}

pub async fn until<T>(what: &str, mut look: impl AsyncFnMut() -> Option<T>) -> T {
    for _ in 0..1200 {
        if let Some(found) = look().await {
            return found;
        }
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
    panic!("{what} did not come in a minute");
}

/// A server that can be reached from elsewhere, with a technician and a viewer; a browser would hold their cookies.
pub struct Guarded {
    pub server: Server,
}

impl Guarded {
    pub async fn start() -> Self {
        // The database is prepared as the account command does, before the server is allowed to start.
        let database = dettaglio_store::testing::TestServer::shared();
        let url = database.fresh_database().await;
        let store = dettaglio_store::Store::connect(&url).await.unwrap();
        store.set_account("Nives", &hashed("murrine e soffi").unwrap(), Role::Technician).await.unwrap();
        store.set_account("Ugo", &hashed("solo guardare").unwrap(), Role::Viewer).await.unwrap();
        let server = Server::with(|settings| {
            settings.bind = "0.0.0.0".parse().unwrap();
            settings.plain_http = true;
            settings.database = Some(url);
        })
        .await;
        Self { server }
    }

    pub fn url(&self, path: &str) -> String {
        format!("{}{path}", self.server.base.replace("0.0.0.0", "127.0.0.1"))
    }

    pub async fn sign_in(&self, client: &Client, name: &str, password: &str) -> Response {
        let body = json!({ "name": name, "password": password });
        client.post(self.url("/session")).json(&body).send().await.unwrap()
    }

    /// The cookie of someone who has signed in.
    pub async fn cookie(&self, name: &str, password: &str) -> String {
        let response = self.sign_in(&self.server.client, name, password).await;
        assert_eq!(response.status(), StatusCode::OK);
        let cookie = response.headers()[SET_COOKIE].to_str().unwrap().to_owned();
        assert!(cookie.contains("HttpOnly") && cookie.contains("SameSite=Strict"), "{cookie}");
        cookie.split(';').next().unwrap().to_owned()
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn who_comes_from_elsewhere_signs_in_first() {
    let guarded = Guarded::start().await;
    let client = &guarded.server.client;
    let open = client.get(guarded.url("/orders")).send().await.unwrap();
    assert_eq!(Server::json(open, StatusCode::UNAUTHORIZED).await["code"], "access.sign-in");
    let wrong = guarded.sign_in(client, "Nives", "murrine e sofFi").await;
    assert_eq!(Server::json(wrong, StatusCode::UNAUTHORIZED).await["code"], "access.wrong");

    let nives = guarded.cookie("Nives", "murrine e soffi").await;
    let order = json!({ "title": "Room 2" });
    let made = client.post(guarded.url("/orders")).header("cookie", &nives).json(&order).send().await.unwrap();
    assert_eq!(made.status(), StatusCode::CREATED);
    let forged = client.post(guarded.url("/orders")).header("cookie", &nives).header(ORIGIN, "https://evil.example");
    let forged = forged.json(&order).send().await.unwrap();
    assert_eq!(Server::json(forged, StatusCode::FORBIDDEN).await["code"], "access.foreign");

    let ugo = guarded.cookie("Ugo", "solo guardare").await;
    let who = client.get(guarded.url("/session")).header("cookie", &ugo).send().await.unwrap();
    assert_eq!(Server::json(who, StatusCode::OK).await, json!({ "name": "Ugo", "role": "viewer" }));
    let looked = client.get(guarded.url("/orders")).header("cookie", &ugo).send().await.unwrap();
    assert_eq!(Server::json(looked, StatusCode::OK).await.as_array().unwrap().len(), 1);
    let changed = client.post(guarded.url("/orders")).header("cookie", &ugo).json(&order).send().await.unwrap();
    assert_eq!(Server::json(changed, StatusCode::FORBIDDEN).await["code"], "access.viewer");

    // What a viewer tries out on the bench is answered, and not remembered.
    let file = Part::bytes(encoded(&picture(60, 40), ImageFormat::Png)).file_name("vases.png");
    let form = Form::new().part("files", file);
    let sent =
        client.post(guarded.url("/orders/1/originals")).header("cookie", &nives).multipart(form).send().await.unwrap();
    assert_eq!(sent.status(), StatusCode::OK);
    let plan =
        client.post(guarded.url("/originals/1/plan")).header("cookie", &ugo).json(&intent(3.0)).send().await.unwrap();
    assert_eq!(Server::json(plan, StatusCode::OK).await["resolved"]["factor"], 3.0);
    let kept = client.get(guarded.url("/originals/1/intent")).header("cookie", &ugo).send().await.unwrap();
    assert_eq!(Server::json(kept, StatusCode::OK).await["target"]["factor"], 2.0);

    client.delete(guarded.url("/session")).header("cookie", &ugo).send().await.unwrap();
    let after = client.get(guarded.url("/orders")).header("cookie", &ugo).send().await.unwrap();
    assert_eq!(after.status(), StatusCode::UNAUTHORIZED, "signed out");
    guarded.server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn passwords_cannot_be_tried_at_speed() {
    let guarded = Guarded::start().await;
    let mut answers = Vec::new();
    for i in 0..8 {
        answers.push(guarded.sign_in(&guarded.server.client, "Nives", &format!("guess number {i}")).await.status());
    }
    assert_eq!(answers[0], StatusCode::UNAUTHORIZED);
    assert!(answers.contains(&StatusCode::TOO_MANY_REQUESTS), "{answers:?}");
    guarded.server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn without_an_account_the_server_stays_on_loopback() {
    let mut settings = dettaglio_server::config::Settings::new(&project(), tempfile::tempdir().unwrap().keep());
    let database = dettaglio_store::testing::TestServer::shared();
    settings.bind = "0.0.0.0".parse().unwrap();
    settings.database = Some(database.fresh_database().await);
    let refused = dettaglio_server::service::Service::start(settings).await.err().expect("refused").to_string();
    assert!(refused.contains("account add"), "{refused}");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_client_sees_one_order_through_a_link_and_nothing_else() {
    let server = Server::start().await;
    let (order, id) = server.with_picture(120, 90).await;
    let job =
        Server::json(server.post(&format!("/originals/{id}/jobs"), &intent(2.0)).await, StatusCode::CREATED).await;
    server.ended(job["id"].as_u64().unwrap()).await;
    let made = server.post(&format!("/orders/{order}/links"), &json!({ "days": 7 })).await;
    let link = Server::json(made, StatusCode::CREATED).await;
    let token = link["path"].as_str().unwrap().strip_prefix("/look/").unwrap().to_owned();
    assert!(token.len() >= 32);
    let shown = Server::json(server.get(&format!("/shared/{token}")).await, StatusCode::OK).await;
    assert_eq!((&shown["title"], shown["results"].as_array().unwrap().len()), (&json!("Room 2"), 1));
    let result = shown["results"][0]["id"].as_u64().unwrap();
    for side in ["before", "after"] {
        let png = server.get(&format!("/shared/{token}/{result}/{side}")).await.bytes().await.unwrap();
        assert_eq!(image::load_from_memory(&png).unwrap().width(), 240, "both at the result's size");
    }
    let other = server.get(&format!("/shared/{token}/{}/after", result + 1)).await;
    assert_eq!(other.status(), StatusCode::NOT_FOUND);
    let guessed = Server::json(server.get(&format!("/shared/{}", "x".repeat(32))).await, StatusCode::NOT_FOUND).await;
    assert_eq!(guessed["code"], "link.gone");
    server.delete(&format!("/orders/{order}/links/{}", link["id"])).await;
    assert_eq!(server.get(&format!("/shared/{token}")).await.status(), StatusCode::NOT_FOUND);
    let days = server.post(&format!("/orders/{order}/links"), &json!({ "days": 0 })).await;
    assert_eq!(Server::json(days, StatusCode::UNPROCESSABLE_ENTITY).await["code"], "link.days");
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn scans_come_into_their_order_when_they_are_whole() {
    let server = Server::start().await;
    let order = server.new_order().await;
    let folder = server.folder.path().join("inbox").join(order.to_string());
    let scans = tempfile::tempdir().unwrap();
    let (good, bad) = (scans.path().join("scan-1.png"), scans.path().join("note.txt"));
    std::fs::write(&good, encoded(&picture(90, 60), ImageFormat::Png)).unwrap();
    std::fs::write(&bad, "one vase, one bowl").unwrap();
    let scanner = Command::new(env!("CARGO_BIN_EXE_dettaglio-stand-in"))
        .args(["scanner", "--every", "0.2", "--into"])
        .args([&folder, &good, &bad])
        .stdout(Stdio::null())
        .spawn()
        .unwrap();
    let _scanner = Ended(scanner);
    until("the scan", async || {
        let contents = Server::json(server.get(&format!("/orders/{order}")).await, StatusCode::OK).await;
        (contents["originals"][0]["name"] == "scan-1.png").then_some(())
    })
    .await;
    let reason = until("the refusal", async || std::fs::read_to_string(folder.join("refused/note.txt.txt")).ok()).await;
    assert!(reason.contains("not a picture"), "{reason}");
    until("both files, which are put aside and not deleted", async || {
        (folder.join("taken/scan-1.png").is_file() && folder.join("refused/note.txt").is_file()).then_some(())
    })
    .await;
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_shops_orders_are_taken_once() {
    let (_shop, feed) = stand_in(&["shop"]).await;
    let server = Server::with(|settings| settings.devices = Devices { shop: Some(feed), printer: None }).await;
    let orders = until("the shop's orders", async || {
        let orders = Server::json(server.get("/orders").await, StatusCode::OK).await;
        let all = orders.as_array().unwrap();
        (all.len() == 2 && all.iter().all(|o| o["counts"]["originals"].as_u64() > Some(0))).then_some(orders)
    })
    .await;
    assert_eq!((&orders[1]["reference"], &orders[1]["print"]["target"]["ppi"]), (&json!("SN-2041"), &json!(60.0)));
    tokio::time::sleep(Duration::from_secs(4)).await;
    let later = Server::json(server.get("/orders").await, StatusCode::OK).await;
    assert_eq!(later.as_array().unwrap().len(), 2, "asked again, and nothing doubled");
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_printer_accepts_and_prints_or_refuses_with_its_reason() {
    let (_printer, address) = stand_in(&["printer", "--seconds", "0.5", "--longest-mm", "200"]).await;
    let server = Server::with(|settings| settings.devices = Devices { shop: None, printer: Some(address) }).await;
    let (order, id) = server.with_picture(120, 90).await;
    let mut results = Vec::new();
    for (side, ppi) in [(10, 100), (30, 100)] {
        let mut body = intent(2.0);
        body["target"] = json!({ "by": "print", "paper": { "width": side, "height": side, "unit": "cm" }, "ppi": ppi });
        let job = Server::json(server.post(&format!("/originals/{id}/jobs"), &body).await, StatusCode::CREATED).await;
        results.push(server.ended(job["id"].as_u64().unwrap()).await["enlargement_id"].as_u64().unwrap());
    }
    for result in &results {
        let sent = server.post(&format!("/enlargements/{result}/print"), &json!({})).await;
        assert_eq!(sent.status(), StatusCode::CREATED, "{}", sent.text().await.unwrap());
    }
    let printings = until("the print", async || {
        let printings = Server::json(server.get(&format!("/orders/{order}/printings")).await, StatusCode::OK).await;
        printings.as_array().unwrap().iter().any(|p| p["state"] == "printed").then_some(printings)
    })
    .await;
    let of =
        |result: u64| printings.as_array().unwrap().iter().find(|p| p["enlargement_id"] == result).unwrap().clone();
    assert_eq!(of(results[0])["state"], "printed");
    let refused = of(results[1]);
    assert_eq!(refused["state"], "refused");
    assert!(refused["answer"].as_str().unwrap().contains("longer than the roll"), "{refused}");
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_worker_in_a_program_of_its_own_takes_over_when_one_is_killed() {
    let server = Server::with(|settings| settings.workers = 0).await;
    let url = server.database.clone();
    let worker = || {
        let child = Command::new(env!("CARGO_BIN_EXE_dettaglio-server"))
            .args(["worker", "--project"])
            .arg(project())
            .arg("--data")
            .arg(server.folder.path())
            .env("DETTAGLIO_DATABASE", &url)
            .stdout(Stdio::null())
            .spawn();
        Ended(child.expect("the worker starts"))
    };
    let (_, id) = server.with_picture(900, 700).await;
    let job =
        Server::json(server.post(&format!("/originals/{id}/jobs"), &intent(4.0)).await, StatusCode::CREATED).await;
    let job = job["id"].as_u64().unwrap();
    let first = worker();
    until("progress", async || {
        let job = Server::json(server.get(&format!("/jobs/{job}")).await, StatusCode::OK).await;
        (job["progress"].as_f64() > Some(0.2)).then_some(())
    })
    .await;
    drop(first);
    let _second = worker();
    let ended = server.ended(job).await;
    assert_eq!((&ended["state"], &ended["attempts"]), (&json!("done"), &json!(2)), "{ended}");
    let sheet: Value = Server::json(server.get("/run-sheet").await, StatusCode::OK).await;
    assert_eq!(sheet["ended_in_all"], 1);
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_file_store_that_is_away_puts_the_job_off_until_it_is_back() {
    let server = Server::start().await;
    let (_, id) = server.with_picture(120, 90).await;
    // A file where the folder should be: nothing can be kept there.
    let folder = server.folder.path().join("files/enlargements");
    std::fs::write(&folder, "in the way").unwrap();
    let job =
        Server::json(server.post(&format!("/originals/{id}/jobs"), &intent(2.0)).await, StatusCode::CREATED).await;
    let job = job["id"].as_u64().unwrap();
    let put_off = until("the job put off", async || {
        let job = Server::json(server.get(&format!("/jobs/{job}")).await, StatusCode::OK).await;
        job["reason"].is_string().then_some(job)
    })
    .await;
    assert_eq!((&put_off["state"], &put_off["attempts"]), (&json!("waiting"), &json!(0)), "{put_off}");
    assert!(put_off["reason"].as_str().unwrap().contains("tried again every 15 s"), "{put_off}");
    std::fs::remove_file(&folder).unwrap();
    // By itself after 15 seconds; a person need not wait for that.
    server.instruct(&[job], json!({ "do": "retry" })).await;
    assert_eq!(server.ended(job).await["state"], "done");
    let files = std::fs::read_dir(&folder).unwrap().count();
    assert_eq!(files, 1, "and nothing half-written lies about");
    server.stop().await;
}
