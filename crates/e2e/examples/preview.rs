//! How long a person waits for what the bench shows, driven through the real interface in a headless browser.
//!
//! ```sh
//! (cd web && npx vite build) && cargo run --release -p dettaglio-e2e --example preview
//! ```
//!
//! `--first` measures the first view alone, `--sheet` the contact sheet, `--views` what follows the hand on the bench.
//!
//! A demo picture at factor 4 and at 100 % of the print in a window of 1280 x 800, with the models that are asked for by
//! a treatment of each kind, and a picture of two megapixels seen whole; each round starts from a server that never computed
//! any of it. Times are taken in the page, from the action to the frame in which the last tile of the view is there.

#[path = "../tests/browsers/browser/mod.rs"]
mod browser;

use browser::{Browser, order_with, project, service};
use dettaglio_core::codec::png_bytes;
use dettaglio_core::picture::Planes;
use dettaglio_domain::geometry::Size;
use dettaglio_server::service::Service;
use dettaglio_store::testing::TestServer;
use serde_json::{Value, json};

/// Watches the stage: `finish` tells when all tiles are there, after something was still to come.
const WATCH: &str = "window.stageOf = () => document.querySelector('[data-testid=stage]');
    window.standing = () => { const { ready, needed } = stageOf().dataset; return [Number(ready), Number(needed)]; };
    window.watch = (act, done) => {
        const began = performance.now();
        let waited = false, quiet = 0;
        performance.clearResourceTimings();
        act();
        const tick = () => {
            const [ready, needed] = standing();
            waited ||= ready < needed;
            quiet = ready === needed ? quiet + 1 : 0;
            const time = performance.now() - began;
            const tiles = performance.getEntriesByType('resource').filter((e) => /\\/tiles\\//.test(e.name));
            // Nothing to wait for, for a third of a second: it was all there.
            if ((waited && quiet > 0) || time > 400 && quiet > 20 || time > 60000) {
                const ends = (of) => tiles.filter((e) => of === undefined || e.name.includes(of)).map((e) => e.responseEnd - began);
                const first = (of) => Math.min(...ends(of));
                done({ complete: waited ? time : 0, tiles: tiles.length, plain: first(window.plainHash), model: first(window.modelHash) });
            } else requestAnimationFrame(tick);
        };
        requestAnimationFrame(tick);
    };
    window.key = (key) => document.querySelector('canvas').dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true }));";

/// Frame times while the picture is dragged to and fro over tiles that are there.
const FRAMES: &str = "const done = arguments[arguments.length - 1], canvas = document.querySelector('canvas');
    const box = canvas.getBoundingClientRect(), times = [];
    const send = (type, x) => canvas.dispatchEvent(new PointerEvent(type, { pointerId: 1, button: type === 'pointermove' ? -1 : 0,
        clientX: box.left + x, clientY: box.top + box.height / 2, bubbles: true }));
    canvas.setPointerCapture = () => undefined;
    let last = 0, n = 0;
    send('pointerdown', box.width / 2);
    const tick = (now) => {
        if (last) times.push(now - last);
        last = now;
        send('pointermove', box.width / 2 + 40 * Math.sin(n / 9));
        if (n++ < 150) requestAnimationFrame(tick);
        else { send('pointerup', box.width / 2); times.sort((a, b) => a - b);
            done([times[Math.floor(times.length / 2)], times[Math.floor(times.length * 0.95)], times[times.length - 1], times.filter((t) => t > 34).length]); }
    };
    requestAnimationFrame(tick);";

struct Bench {
    page: Browser,
    service: Service,
    original: u64,
    client: reqwest::Client,
}

/// What is asked of the models.
#[derive(Clone, Copy)]
struct Asked {
    grade: &'static str,
    clean: bool,
}

impl Asked {
    /// Milliseconds that a view may take, the first tile and all of it.
    fn aims(self) -> (&'static str, &'static str) {
        if self.clean { ("400", "2000") } else { ("200", "500") }
    }
}

impl Bench {
    async fn start(database: &TestServer, folder: &tempfile::TempDir, picture: &str) -> Self {
        let service = service(folder, database, false).await;
        let bytes = std::fs::read(project().join("demo/pictures").join(picture)).expect("the demo's picture");
        let original = order_with(&service, "Room 2", picture, bytes).await;
        let client = reqwest::Client::new();
        Self { page: Browser::start().await, service, original, client }
    }

    /// Asks for a treatment, as the interface remembers it.
    async fn ask(&self, Asked { grade, clean }: Asked) -> Value {
        let base = format!("http://{}/api/v1/originals/{}", self.service.address, self.original);
        let mut intent: Value = self.client.get(format!("{base}/intent")).send().await.unwrap().json().await.unwrap();
        intent["target"] = json!({ "by": "factor", "factor": 4 });
        intent["enlarge"] = json!({ "by": "learned", "subject": "everyday", "grade": grade, "strength": 1 });
        if !clean {
            intent["clean"] = json!({});
        }
        intent["finish"] =
            json!({ "edges": { "strength": 0.5, "width": 1.5, "halo_guard": 0.5, "leave_flat": 0.5 }, "grain": null });
        let plan = self.client.post(format!("{base}/plan")).json(&intent).send().await.unwrap();
        plan.json().await.unwrap()
    }

    async fn watch(&self, act: &str) -> Value {
        let script = format!("const done = arguments[arguments.length - 1]; watch(() => {{ {act} }}, done)");
        self.page.driver.execute_async(&script, Vec::new()).await.expect("a measurement")
    }

    /// Milliseconds from an action to the frame that shows a blend mixed from its ends.
    async fn mixed(&self, act: &str) -> f64 {
        let script = format!(
            "const done = arguments[arguments.length - 1], began = performance.now(); {act}; \
             const tick = () => stageOf().dataset.blend === 'shown' ? done(performance.now() - began) : requestAnimationFrame(tick); \
             requestAnimationFrame(tick);"
        );
        let found = self.page.driver.execute_async(&script, Vec::new()).await.expect("a measurement");
        found.as_f64().unwrap_or(f64::NAN)
    }

    async fn frames(&self) -> Vec<f64> {
        serde_json::from_value(self.page.driver.execute_async(FRAMES, Vec::new()).await.expect("frames")).unwrap()
    }

    async fn open(&self, plan: &Value) {
        self.page.open(&format!("http://{}/", self.service.address)).await;
        self.page.find("canvas").await;
        self.page.script(WATCH).await;
        let hashes =
            format!("window.plainHash = {}; window.modelHash = {};", plan["plain"]["bicubic"], plan["treatment"]);
        self.page.script(&hashes).await;
        self.page.wait_for_tiles().await;
    }
}

fn row(what: &str, ms: f64, aim: &str) {
    println!("| {what} | {ms:.0} | {aim} |");
}

fn complete(found: &Value) -> f64 {
    found["complete"].as_f64().unwrap_or(f64::NAN)
}

/// One treatment from a cold server: a fresh part of the picture at 100 %, pans, sliders, the whole.
async fn treatment(database: &TestServer, asked: Asked) {
    let folder = tempfile::tempdir().unwrap();
    let bench = Bench::start(database, &folder, "vases-on-the-sill.jpg").await;
    let plan = bench.ask(asked).await;
    let (first_aim, aim) = asked.aims();
    println!("\n{}\n\n| what | ms | aim |\n|---|---|---|", plan["description"].as_str().unwrap_or("?"));
    bench.open(&plan).await;
    // Far away from what the opening computed.
    let first = bench
        .watch(
            "for (let i = 0; i < 6; i++) { key('ArrowLeft'); } for (let i = 0; i < 3; i++) key('ArrowUp'); \
        const e = new KeyboardEvent('keydown', { key: 'ArrowLeft', shiftKey: true, bubbles: true }); \
        for (let i = 0; i < 4; i++) document.querySelector('canvas').dispatchEvent(e);",
        )
        .await;
    row("first true pixels of the original", first["plain"].as_f64().unwrap_or(f64::NAN), "100");
    row("first model tile", first["model"].as_f64().unwrap_or(f64::NAN), first_aim);
    row("view complete", complete(&first), aim);
    row(
        "after a pan by the view's height",
        complete(&bench.watch("for (let i = 0; i < 8; i++) key('ArrowDown')").await),
        "only the new tiles",
    );
    row("after the pan back", complete(&bench.watch("for (let i = 0; i < 8; i++) key('ArrowUp')").await), "50");
    for (card, slider, what, aim) in
        [("Enlarge", "Strength", "a blend slider", "50"), ("Finish", "Edge strength", "a Finish slider", "300")]
    {
        bench.page.click("section[aria-label=Process] button", card).await;
        let input = bench.page.find(&format!("[role=dialog] input[aria-label='{slider}']")).await;
        input.send_keys(&char::from(fantoccini::key::Key::Left).to_string()).await.expect("a key");
        bench.page.wait_for_tiles().await;
        let press = format!(
            "const input = document.querySelector(\"[role=dialog] input[aria-label='{slider}']\"); \
             const set = Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set; \
             set.call(input, Number(input.value) - 4 * Number(input.step || 1)); \
             input.dispatchEvent(new Event('input', {{ bubbles: true }})); input.dispatchEvent(new Event('change', {{ bubbles: true }}));"
        );
        // Both ends come while the control has the focus.
        let ready = async |page: &Browser| page.attribute("[data-testid=stage]", "data-blend").await == "ready";
        bench.page.wait_until("both ends of the blend", ready).await;
        row(&format!("after {what}, mixed from both ends"), bench.mixed(&press).await, aim);
        bench.page.wait_for_tiles().await;
        row(&format!("after {what}, the result's own pixels"), complete(&bench.watch(&press).await), aim);
        bench.page.press("Escape").await;
    }
    row("the whole picture", complete(&bench.watch("key('f')").await), "6000");
    for (layout, panes) in [("Curtain", "two candidates"), ("6 candidates", "six panes")] {
        bench.page.click_named("[aria-label=Comparison] button", layout).await;
        bench.page.on_stage("p").await;
        bench.page.wait_for_tiles().await;
        let frames = bench.frames().await;
        println!(
            "| frames while panning, {panes}: median, 95 %, longest; over 34 of 150 | {:.1}, {:.1}, {:.1}; {:.0} | 16.7; 3 |",
            frames[0], frames[1], frames[2], frames[3]
        );
    }
    bench.page.close().await;
    bench.service.stop().await;
}

/// A picture of two megapixels, seen whole when nothing of it was computed.
async fn whole(database: &TestServer, asked: Asked) {
    let folder = tempfile::tempdir().unwrap();
    let bench = Bench::start(database, &folder, "furnace-hall.jpg").await;
    let plan = bench.ask(asked).await;
    bench.open(&plan).await;
    let found = bench.watch("key('f')").await;
    println!("\n{}\n\n| what | ms | aim |\n|---|---|---|", plan["description"].as_str().unwrap_or("?"));
    row("two megapixels seen whole: first tile", found["model"].as_f64().unwrap_or(f64::NAN), "");
    row("two megapixels seen whole: complete", complete(&found), "6000");
    bench.page.close().await;
    bench.service.stop().await;
}

/// The demo on a server that was never started before: when a model's own pixels are first in view, and when all are.
async fn first_view(database: &TestServer) {
    let folder = tempfile::tempdir().unwrap();
    let service = service(&folder, database, true).await;
    let page = Browser::start().await;
    page.open(&format!("http://{}/", service.address)).await;
    let wait = "const done = arguments[arguments.length - 1]; let first, own;
        const tick = () => {
            const stage = document.querySelector('[data-testid=stage]'), pane = document.querySelector('[data-testid=pane-2]');
            const { ready = 0, needed = 0, zoom } = stage?.dataset ?? {};
            const still = /(\\d+) of \\d+ tiles/.exec(pane?.innerText ?? '');
            const isOpen = zoom === '1.0000' && pane && Number(needed) > 0, hasOwn = !still || Number(still[1]) > 0;
            if (first === undefined && isOpen && (hasOwn || stage.dataset.draft)) first = performance.now();
            if (own === undefined && isOpen && hasOwn) own = performance.now();
            if (first !== undefined && ready === needed) done([first, own, performance.now()]);
            else requestAnimationFrame(tick);
        };
        tick();";
    let found = page.driver.execute_async(wait, Vec::new()).await.expect("a measurement");
    println!("\nThe first view after a first start\n\n| what | ms | aim |\n|---|---|---|");
    row("pixels of a model, be it a draft's", found[0].as_f64().unwrap_or(f64::NAN), "2000");
    row("those of the treatment itself", found[1].as_f64().unwrap_or(f64::NAN), "");
    row("all of the view", found[2].as_f64().unwrap_or(f64::NAN), "");
    page.close().await;
    service.stop().await;
}

/// Pictures of the order whose contact sheet is scrolled.
const MANY: u32 = 2000;

/// Frame times while a contact sheet is scrolled from its top to its end.
async fn contact_sheet(database: &TestServer) {
    let folder = tempfile::tempdir().unwrap();
    let service = service(&folder, database, false).await;
    let client = reqwest::Client::new();
    let base = format!("http://{}/api/v1/orders", service.address);
    let order: Value = client.post(&base).json(&json!({ "title": "Many" })).send().await.unwrap().json().await.unwrap();
    for hundred in 0..MANY / 100 {
        let mut form = reqwest::multipart::Form::new();
        for i in hundred * 100..hundred * 100 + 100 {
            let size = Size::new(48, 32);
            // No two alike: the same file a second time is the same picture. The first pixel's numbers tell them apart.
            let value = |k: u64| match k {
                0 => (i % 250) as f32 / 250.0,
                1 => (i / 250) as f32 / 250.0,
                _ => ((k * u64::from(i % 200 + 7)) % 251) as f32 / 250.0,
            };
            let picture = png_bytes(&Planes::from_values(size, (0..3 * size.area()).map(value).collect()));
            form =
                form.part("files", reqwest::multipart::Part::bytes(picture).file_name(format!("picture-{i:04}.png")));
        }
        let sent = client.post(format!("{base}/{}/originals", order["id"])).multipart(form).send().await.unwrap();
        assert!(sent.status().is_success(), "{}", sent.status());
    }
    let contents = client.get(format!("{base}/{}", order["id"])).send().await.unwrap().json::<Value>().await.unwrap();
    let count = contents["originals"].as_array().map_or(0, Vec::len);
    assert_eq!(count, MANY as usize, "all of them are pictures of their own");
    let page = Browser::start().await;
    page.open(&format!("http://{}/orders/{}", service.address, order["id"])).await;
    page.find("ul[aria-label='Contact sheet'] img").await;
    let scroll = "const done = arguments[arguments.length - 1], list = document.querySelector(\"ul[aria-label='Contact sheet']\").parentElement;
        const times = []; let last = 0, n = 0;
        const tick = (now) => {
            if (last) times.push(now - last);
            last = now;
            list.scrollTop = (list.scrollHeight - list.clientHeight) * n / 300;
            if (n++ < 300) requestAnimationFrame(tick);
            else { times.sort((a, b) => a - b); done([times[150], times[285], times[299]]); }
        };
        requestAnimationFrame(tick);";
    let times = page.driver.execute_async(scroll, Vec::new()).await.expect("frames");
    let times: Vec<f64> = serde_json::from_value(times).unwrap();
    println!(
        "\nA contact sheet of {MANY} pictures, scrolled from top to end in 300 frames\n\n| what | ms | aim |\n|---|---|---|"
    );
    println!("| frames: median, 95 %, longest | {:.1}, {:.1}, {:.1} | 16.7 |", times[0], times[1], times[2]);
    page.close().await;
    service.stop().await;
}

#[tokio::main]
async fn main() {
    let database = TestServer::shared();
    let asks = |only: &str| std::env::args().any(|argument| argument == only);
    if asks("--first") {
        return first_view(&database).await;
    }
    if asks("--sheet") {
        return contact_sheet(&database).await;
    }
    if !asks("--views") {
        first_view(&database).await;
        contact_sheet(&database).await;
    }
    let [draft, cleaned, fine] =
        [("draft", false), ("draft", true), ("fine", true)].map(|(grade, clean)| Asked { grade, clean });
    for asked in [draft, cleaned, fine] {
        treatment(&database, asked).await;
    }
    for asked in [draft, fine] {
        whole(&database, asked).await;
    }
}
