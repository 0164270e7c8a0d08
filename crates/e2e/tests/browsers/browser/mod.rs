//! A headless Chromium of a test's own, driven through ChromeDriver.

#![allow(dead_code, reason = "each test crate uses a part of it")]

use std::net::{Ipv4Addr, TcpListener};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

use dettaglio_server::config::Settings;
use dettaglio_server::service::Service;
use dettaglio_store::backup::{back_up, restore};
use dettaglio_store::testing::TestServer;
use fantoccini::actions::{Actions, InputSource, KeyAction, KeyActions, MouseActions, PointerAction, TouchActions};
use fantoccini::elements::Element;
use fantoccini::key::Key;
use fantoccini::wd::Capabilities;
use fantoccini::{Client, ClientBuilder, Locator};
use rustix::process::{Pid, Signal, kill_process};
use serde_json::{Value, json};
use tempfile::TempDir;
use tokio::sync::OnceCell;

/// How long a page may take: generous, as the machine may be busy with other tests.
const PATIENCE: Duration = Duration::from_secs(120);

pub fn project() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..").canonicalize().expect("the project")
}

/// The server's program, which the workspace's tests build beside their own.
pub fn server_program() -> PathBuf {
    let test = std::env::current_exe().expect("this test's program");
    test.ancestors().nth(2).expect("the build's folder").join("dettaglio-server")
}

/// The server with its front end, in a folder and a database of its own.
pub async fn service(folder: &TempDir, database: &TestServer, demo: bool) -> Service {
    let url = database.fresh_database().await;
    if demo {
        let loaded = LOADED.get_or_init(|| load_demo(database)).await;
        copy_folder(&loaded.join("data"), folder.path());
        restore(&url, &loaded.join(BACKUP), &folder.path().join("saved")).await.expect("the demo is restored");
    }
    let settings = Settings { look_ahead: demo, ..settings(folder.path(), url) };
    assert!(
        settings.front.join("index.html").is_file(),
        "the front end is built before the browser tests: ./check does"
    );
    Service::start(settings).await.expect("the service starts")
}

fn settings(folder: &Path, database: String) -> Settings {
    Settings {
        database: Some(database),
        program: server_program(),
        demo: None,
        measure_speed: false,
        look_ahead: false,
        ..Settings::new(&project(), folder.to_owned())
    }
}

/// Where the demo lies that was loaded once for all tests: its folder of data, and a backup of its database. Its pictures are read, which takes
/// half a minute, but once.
static LOADED: OnceCell<PathBuf> = OnceCell::const_new();

/// Name of the backup beside the data.
const BACKUP: &str = "demo.sql";

async fn load_demo(database: &TestServer) -> PathBuf {
    let folder = server_program().with_file_name("demo-of-the-tests");
    // What an earlier run of the tests left.
    let _ = std::fs::remove_dir_all(&folder);
    let data = folder.join("data");
    std::fs::create_dir_all(&data).expect("a folder");
    let url = database.fresh_database().await;
    let settings = Settings { demo: Some(project().join("demo")), ..settings(&data, url.clone()) };
    Service::start(settings).await.expect("the demo is loaded").stop().await;
    back_up(&url, &folder.join(BACKUP)).await.expect("the demo is backed up");
    folder
}

/// Copies what is in a folder into another.
fn copy_folder(from: &Path, to: &Path) {
    for entry in std::fs::read_dir(from).expect("a folder") {
        let entry = entry.expect("an entry").path();
        let to = to.join(entry.file_name().expect("a name"));
        if entry.is_dir() {
            std::fs::create_dir_all(&to).expect("a folder");
            copy_folder(&entry, &to);
        } else {
            std::fs::copy(&entry, &to).expect("a copy");
        }
    }
}

/// An order with one picture, over HTTP; the picture's number.
pub async fn order_with(service: &Service, title: &str, file: &str, picture: Vec<u8>) -> u64 {
    let address = format!("http://{}/api/v1/orders", service.address);
    let sent = reqwest::Client::new().post(address).json(&json!({ "title": title })).send().await.expect("an answer");
    let order: Value = sent.json().await.expect("JSON");
    picture_into(service, order["id"].as_u64().expect("a number"), file, picture).await
}

/// A picture that comes into an order, over HTTP; its number.
pub async fn picture_into(service: &Service, order: u64, file: &str, picture: Vec<u8>) -> u64 {
    let address = format!("http://{}/api/v1/orders/{order}/originals", service.address);
    let part = reqwest::multipart::Part::bytes(picture).file_name(file.to_owned());
    let form = reqwest::multipart::Form::new().part("files", part);
    let sent = reqwest::Client::new().post(address).multipart(form).send().await.expect("an answer");
    let outcome: Value = sent.json().await.expect("JSON");
    outcome[0]["original"]["id"].as_u64().unwrap_or_else(|| panic!("no picture came in: {outcome}"))
}

/// Looks until there is an answer. Looking takes its time as well, on a page of many elements: it is time that counts.
async fn patiently<T>(what: &str, look: impl AsyncFn() -> Option<T>) -> T {
    let began = Instant::now();
    while began.elapsed() < PATIENCE {
        if let Some(answer) = look().await {
            return answer;
        }
        tokio::time::sleep(Duration::from_millis(100)).await;
    }
    panic!("not in {} s: {what}", PATIENCE.as_secs())
}

pub struct Browser {
    pub driver: Client,
    process: Process,
}

/// ChromeDriver and the browser that it started; ended with the test, whatever happens.
struct Process {
    driver: Child,
    /// The browser's own folder, which names its processes.
    profile: TempDir,
}

impl Drop for Process {
    fn drop(&mut self) {
        let _ = self.driver.kill();
        let _ = self.driver.wait();
        // A driver that is killed leaves its browser behind.
        let folder = self.profile.path().display().to_string();
        for entry in std::fs::read_dir("/proc").into_iter().flatten().flatten() {
            let named = std::fs::read(entry.path().join("cmdline")).unwrap_or_default();
            if !String::from_utf8_lossy(&named).contains(&folder) {
                continue;
            }
            let pid = entry.file_name().to_str().and_then(|name| name.parse().ok()).and_then(Pid::from_raw);
            if let Some(pid) = pid {
                let _ = kill_process(pid, Signal::KILL);
            }
        }
    }
}

impl Browser {
    pub async fn start() -> Self {
        let port = TcpListener::bind((Ipv4Addr::LOCALHOST, 0)).unwrap().local_addr().unwrap().port();
        let process = Command::new("chromedriver")
            .arg(format!("--port={port}"))
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()
            .expect("chromedriver is installed: ./check does that");
        let process = Process { driver: process, profile: tempfile::tempdir().unwrap() };
        let arguments = [
            "--headless=new",
            "--no-sandbox",
            "--disable-gpu",
            "--disable-dev-shm-usage",
            "--disable-quic",
            "--no-first-run",
            "--disable-background-networking",
            "--disable-component-update",
            "--disable-sync",
            "--window-size=1280,900",
            // What moves would be clicked where it is no longer.
            "--force-prefers-reduced-motion",
            &format!("--user-data-dir={}", process.profile.path().display()),
        ]
        .map(str::to_owned);
        let mut capabilities = Capabilities::new();
        capabilities.insert("goog:chromeOptions".to_owned(), json!({ "args": arguments }));
        let address = format!("http://127.0.0.1:{port}");
        for _ in 0..100 {
            let mut builder = ClientBuilder::new(hyper_util::client::legacy::connect::HttpConnector::new());
            if let Ok(driver) = builder.capabilities(capabilities.clone()).connect(&address).await {
                return Self { driver, process };
            }
            tokio::time::sleep(Duration::from_millis(200)).await;
        }
        panic!("no browser came up");
    }

    /// A browser with a service's front page open.
    pub async fn on(service: &Service) -> Self {
        let page = Self::start().await;
        page.open(&format!("http://{}/", service.address)).await;
        page
    }

    pub async fn close(self) {
        let _ = self.driver.clone().close().await;
        drop(self.process);
    }

    pub async fn open(&self, url: &str) {
        self.driver.goto(url).await.expect("the page opens");
    }

    pub async fn find(&self, css: &str) -> Element {
        let waiting = self.driver.wait().at_most(PATIENCE).for_element(Locator::Css(css)).await;
        waiting.unwrap_or_else(|e| panic!("no {css}: {e}"))
    }

    pub async fn wait_until(&self, what: &str, condition: impl AsyncFn(&Self) -> bool) {
        patiently(what, async || condition(self).await.then_some(())).await;
    }

    /// Clicks the first element of a kind whose text contains this.
    pub async fn click(&self, css: &str, text: &str) {
        self.click_where(css, text, async |element: &Element| element.text().await.unwrap_or_default()).await;
    }

    /// Clicks the first element of a kind whose accessible name, or else text, begins with this.
    pub async fn click_named(&self, css: &str, name: &str) {
        self.click_where(css, name, async |element: &Element| match element.attr("aria-label").await {
            Ok(Some(label)) if label.starts_with(name) => label,
            Ok(None) => element.text().await.unwrap_or_default(),
            _ => String::new(),
        })
        .await;
    }

    /// Chooses from a list of choices that drops down, as the keyboard does.
    ///
    /// With the mouse, a button let go late counts as a choice of what the list has opened under it.
    pub async fn choose_option(&self, css: &str, now: &str, wanted: &str) {
        self.wait_until(&format!("{css} with \"{now}\" drops down"), async |page: &Self| {
            for element in page.driver.find_all(Locator::Css(css)).await.unwrap_or_default() {
                if element.text().await.unwrap_or_default().contains(now) {
                    return element.send_keys(&char::from(Key::Enter).to_string()).await.is_ok();
                }
            }
            false
        })
        .await;
        self.click("li[role=option]", wanted).await;
    }

    async fn click_where(&self, css: &str, wanted: &str, words: impl AsyncFn(&Element) -> String) {
        self.wait_until(&format!("{css} with \"{wanted}\" can be clicked"), async |page: &Self| {
            for element in page.driver.find_all(Locator::Css(css)).await.unwrap_or_default() {
                if words(&element).await.contains(wanted) && element.is_enabled().await.unwrap_or(false) {
                    return element.click().await.is_ok();
                }
            }
            false
        })
        .await;
    }

    pub async fn fill(&self, css: &str, text: &str) {
        self.find(css).await.send_keys(text).await.expect("keys");
    }

    /// Types over what a field holds.
    pub async fn type_over(&self, css: &str, text: &str) {
        let field = self.find(css).await;
        field.click().await.expect("a field");
        field.send_keys(&format!("{}a{}{text}", char::from(Key::Control), char::from(Key::Null))).await.expect("keys");
    }

    pub async fn choose_files(&self, paths: &[&Path]) {
        let list = paths.iter().map(|p| p.display().to_string()).collect::<Vec<_>>().join("\n");
        self.choose("[data-testid=file-input]", &list).await;
    }

    pub async fn choose_file(&self, css: &str, path: &Path) {
        self.choose(css, &path.display().to_string()).await;
    }

    /// Gives paths, one a line, to a file input, which may be hidden.
    async fn choose(&self, css: &str, paths: &str) {
        self.find(css).await.send_keys(paths).await.expect("files");
    }

    pub async fn press(&self, key: &str) {
        let key = match key {
            "Escape" => char::from(Key::Escape),
            "Enter" => char::from(Key::Enter),
            other => other.chars().next().expect("a key"),
        };
        let actions =
            KeyActions::new("keys".to_owned()).then(KeyAction::Down { value: key }).then(KeyAction::Up { value: key });
        self.driver.perform_actions(actions).await.expect("a key");
        // A dialog that closes takes a moment to let go of the page.
        tokio::time::sleep(Duration::from_millis(400)).await;
    }

    /// Keys for the stage, which takes the focus.
    pub async fn on_stage(&self, keys: &str) {
        self.find("canvas").await.send_keys(keys).await.expect("keys");
    }

    /// Two clicks into the middle of an element, in quick succession.
    pub async fn double_click(&self, css: &str) {
        let (x, y, width, height) = self.find(css).await.rectangle().await.expect("a place");
        let to = PointerAction::MoveTo { duration: None, x: x + width / 2.0, y: y + height / 2.0 };
        let left = fantoccini::actions::MOUSE_BUTTON_LEFT;
        let mut actions = MouseActions::new("mouse".to_owned()).then(to);
        for _ in 0..2 {
            actions = actions.then(PointerAction::Down { button: left }).then(PointerAction::Up { button: left });
        }
        self.driver.perform_actions(actions).await.expect("two clicks");
    }

    pub async fn undo(&self) {
        let control = char::from(Key::Control);
        let actions = KeyActions::new("keys".to_owned())
            .then(KeyAction::Down { value: control })
            .then(KeyAction::Down { value: 'z' })
            .then(KeyAction::Up { value: 'z' })
            .then(KeyAction::Up { value: control });
        self.driver.perform_actions(actions).await.expect("keys");
    }

    /// Two fingers around a place of the window, from so far apart to so far apart, in CSS pixels.
    pub async fn pinch(&self, (x, y): (f64, f64), from: f64, to: f64) {
        let finger = |name: &str, side: f64| {
            let at = |apart: f64| PointerAction::MoveTo {
                duration: Some(Duration::from_millis(80)),
                x: x + side * apart / 2.0,
                y,
            };
            TouchActions::new(name.to_owned())
                .then(at(from))
                .then(PointerAction::Down { button: 0 })
                .then(at((from + to) / 2.0))
                .then(at(to))
                .then(PointerAction::Up { button: 0 })
        };
        let both = Actions::from(finger("one", -1.0)).and(finger("other", 1.0));
        self.driver.perform_actions(both).await.expect("two fingers");
    }

    /// A finger rests on a place of the window, in CSS pixels, for so long.
    pub async fn rest(&self, (x, y): (f64, f64), long: Duration) {
        let finger = TouchActions::new("finger".to_owned())
            .then(PointerAction::MoveTo { duration: Some(Duration::ZERO), x, y })
            .then(PointerAction::Down { button: 0 })
            .then(PointerAction::Pause { duration: long })
            .then(PointerAction::Up { button: 0 });
        self.driver.perform_actions(finger).await.expect("a finger");
    }

    pub async fn drag(&self, css: &str, dx: f64) {
        self.drag_from(css, (0.5, 0.33), dx).await;
    }

    /// From a place of an element, as shares of its sides.
    pub async fn drag_from(&self, css: &str, (across, down): (f64, f64), dx: f64) {
        let element = self.find(css).await;
        let (x, y, width, height) = element.rectangle().await.expect("a place");
        let (x, y) = (x + width * across, y + height * down);
        let to = |x, y| PointerAction::MoveTo { duration: Some(Duration::from_millis(60)), x, y };
        let left = fantoccini::actions::MOUSE_BUTTON_LEFT;
        let actions = MouseActions::new("mouse".to_owned())
            .then(to(x, y))
            .then(PointerAction::Down { button: left })
            .then(to(x + dx / 2.0, y))
            .then(to(x + dx, y))
            .then(PointerAction::Up { button: left });
        self.driver.perform_actions(actions).await.expect("a drag");
        tokio::time::sleep(Duration::from_millis(300)).await;
    }

    pub async fn text(&self, css: &str) -> String {
        self.ask(css, async |element: &Element| element.text().await.ok()).await
    }

    pub async fn attribute(&self, css: &str, name: &str) -> String {
        self.ask(css, async |element: &Element| element.attr(name).await.ok()).await.unwrap_or_default()
    }

    /// What an element answers; asked again where the page replaced it between finding and asking.
    async fn ask<T>(&self, css: &str, question: impl AsyncFn(&Element) -> Option<T>) -> T {
        patiently(&format!("{css} stays in the page"), async || question(&self.find(css).await).await).await
    }

    pub async fn wait_for_text(&self, css: &str, text: &str) {
        self.wait_until(&format!("{css} says \"{text}\""), async |page: &Self| {
            match page.driver.find(Locator::Css(css)).await {
                Ok(element) => element.text().await.unwrap_or_default().contains(text),
                Err(_) => false,
            }
        })
        .await;
    }

    /// Until every tile in view, of the original and of the result, is there.
    pub async fn wait_for_tiles(&self) {
        self.wait_until("all tiles are there", async |page: &Self| {
            let needed = page.attribute("[data-testid=stage]", "data-needed").await;
            needed != "0" && page.attribute("[data-testid=stage]", "data-ready").await == needed
        })
        .await;
    }

    /// What a script answers in the page.
    pub async fn script(&self, script: &str) -> Value {
        self.driver.execute(script, Vec::new()).await.expect("an answer")
    }

    /// Serious faults that axe finds in what is on the page, with the elements that have them.
    pub async fn serious_faults(&self) -> Vec<String> {
        let axe = std::fs::read_to_string(project().join("web/node_modules/axe-core/axe.min.js")).expect("axe-core");
        self.driver.execute(&axe, Vec::new()).await.expect("axe loads");
        let run = "const done = arguments[arguments.length - 1];
            axe.run(document, { resultTypes: ['violations'] }).then(
                (r) => done(r.violations.filter((v) => v.impact === 'serious' || v.impact === 'critical')
                    .map((v) => v.id + ': ' + v.help + ' at ' + v.nodes.map((n) => n.target.join(' ')).join('; '))),
                (e) => done(['axe failed: ' + e]))";
        let found = self.driver.execute_async(run, Vec::new()).await.expect("axe answers");
        serde_json::from_value(found).expect("a list of faults")
    }

    /// What the upper part of the canvas shows, as a string to compare: controls that open below take room from its lower part.
    pub async fn pixels_of_the_stage(&self) -> String {
        let script = "const canvas = document.querySelector('canvas'), part = document.createElement('canvas');
            [part.width, part.height] = [canvas.width, 240];
            part.getContext('2d').drawImage(canvas, 0, 0);
            return part.toDataURL();";
        let value = self.driver.execute(script, Vec::new()).await.expect("a canvas");
        value.as_str().expect("a picture").to_owned()
    }
}
