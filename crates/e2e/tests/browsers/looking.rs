//! The ways of looking, in a real browser: panes that line up, the strip, areas, spots, and that all of it is accessible.

use std::time::Duration;

use dettaglio_core::codec::png_bytes;
use dettaglio_core::picture::Planes;
use dettaglio_domain::geometry::Size;
use dettaglio_server::service::Service;
use dettaglio_store::testing::TestServer;
use fantoccini::Locator;
use serde_json::{Value, json};
use tempfile::TempDir;

use crate::browser::{Browser, order_with, project, service};

/// Four quarters of different tones: a corner in the middle that can be found again in any pane.
fn quarters() -> Vec<u8> {
    let size = Size::new(400, 300);
    let value = |i: u64| {
        let (x, y) = (i % 400, i / 400 % 300);
        if (x < 200) == (y < 150) { 0.15 } else { 0.85 }
    };
    png_bytes(&Planes::from_values(size, (0..3 * size.area()).map(value).collect()))
}

/// A browser on a server with one order that holds the picture of [`quarters`]; its number.
async fn with_quarters(folder: &TempDir, database: &TestServer) -> (Service, Browser, u64) {
    let service = service(folder, database, false).await;
    let picture = order_with(&service, "Room 2", "quarters.png", quarters()).await;
    let page = Browser::on(&service).await;
    page.wait_for_tiles().await;
    (service, page, picture)
}

async fn get(service: &Service, path: &str) -> Value {
    reqwest::get(format!("http://{}/api/v1{path}", service.address)).await.unwrap().json().await.unwrap()
}

/// For each pane of the layout, where the picture's middle lies inside it: where a row and a column change from dark to light.
async fn corners(page: &Browser) -> Vec<(f64, f64)> {
    let script = "const canvas = document.querySelector('canvas'), stage = canvas.parentElement;
        const [columns, rows] = { side: [2, 1], four: [2, 2], six: [3, 2] }[stage.dataset.layout] ?? [1, 1];
        const w = Math.floor(canvas.width / columns), h = Math.floor(canvas.height / rows);
        const context = canvas.getContext('2d');
        // Where it crosses middle grey, to the sub-pixel; the ground beside the picture is see-through.
        const crossing = (data, length) => {
            for (let i = 1; i < length; i++) {
                const [a, b] = [data[4 * i - 4] - 127.5, data[4 * i] - 127.5];
                if (data[4 * i - 1] + data[4 * i + 3] === 510 && a * b < 0) return i - 1 + a / (a - b);
            }
            return -1;
        };
        const found = [];
        for (let row = 0; row < rows; row++) for (let column = 0; column < columns; column++) {
            const [left, top] = [column * w, row * h];
            // Off the middle, so that each line meets one border only.
            found.push([
                crossing(context.getImageData(left, top + Math.round(h * 0.72), w, 1).data, w),
                crossing(context.getImageData(left + Math.round(w * 0.3), top, 1, h).data, h),
            ]);
        }
        return found;";
    serde_json::from_value(page.script(script).await).unwrap()
}

fn assert_together(places: &[(f64, f64)], what: &str) {
    let first = places[0];
    for place in places {
        let apart = (place.0 - first.0).abs().max((place.1 - first.1).abs());
        assert!(apart <= 1.0, "{what}: {places:?}");
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn a_feature_lies_at_the_same_place_in_all_panes() {
    let database = TestServer::shared();
    let folder = tempfile::tempdir().unwrap();
    let (service, page, _) = with_quarters(&folder, &database).await;
    for (layout, panes) in [("Side by side", 2), ("4 candidates", 4), ("6 candidates", 6)] {
        page.click_named("[aria-label=Comparison] button", layout).await;
        for zoom in ["f", "p", "+", "-"] {
            page.on_stage(zoom).await;
            page.wait_for_tiles().await;
            let places = corners(&page).await;
            assert_eq!(places.len(), panes);
            assert!(places[0].0 > 20.0 && places[0].1 > 20.0, "the corner is in view: {places:?}");
            assert_together(&places, &format!("{layout} after {zoom}"));
        }
    }
    // What lies between two fingers stays there while they move apart.
    page.click_named("[aria-label=Comparison] button", "Side by side").await;
    page.on_stage("p").await;
    page.wait_for_tiles().await;
    let zoom = async |page: &Browser| page.attribute("[data-testid=stage]", "data-zoom").await.parse::<f64>().unwrap();
    let (before, at) = (zoom(&page).await, corners(&page).await[0]);
    let (left, top, ..) = page.find("canvas").await.rectangle().await.unwrap();
    page.pinch((left + at.0, top + at.1), 80.0, 160.0).await;
    page.wait_for_tiles().await;
    let ratio = zoom(&page).await / before;
    assert!((ratio - 2.0).abs() < 0.1, "twice as far apart is twice as large: {ratio}");
    let places = corners(&page).await;
    assert_together(&[places[0], at], "pinch");
    assert_together(&places, "pinch, both panes");
    // One that rests looks closer, for as long as it does, and moves nothing.
    const PIXELS: &str = "window.pixels = () => {
            const canvas = document.querySelector('canvas');
            const { data } = canvas.getContext('2d').getImageData(0, 0, canvas.width, canvas.height);
            let sum = 0; for (let i = 0; i < data.length; i += 4) sum = (sum * 31 + data[i]) % 1000003; return sum;
        };
        setTimeout(() => { window.meanwhile = pixels(); }, 1200);
        return pixels();";
    let pixels = async |page: &Browser| page.script("return pixels()").await;
    let before = page.script(PIXELS).await;
    page.rest((left + places[0].0, top + places[0].1), Duration::from_millis(2000)).await;
    assert_ne!(page.script("return meanwhile").await, before, "the loupe is shown");
    page.wait_until("all as it was", async |page: &Browser| pixels(page).await == before).await;

    // Two in the same place: as one or the other is uncovered or has its turn, nothing moves.
    page.click_named("[aria-label=Comparison] button", "Curtain").await;
    let mut places = Vec::new();
    for curtain in [",".repeat(60), ".".repeat(60)] {
        page.on_stage(&curtain).await;
        page.wait_for_tiles().await;
        places.extend(corners(&page).await);
    }
    assert_together(&places, "curtain");
    page.click_named("[aria-label=Comparison] button", "Blink").await;
    let mut places = Vec::new();
    let mut shown = Vec::new();
    for _ in 0..2 {
        page.wait_for_tiles().await;
        places.extend(corners(&page).await);
        shown.push(page.pixels_of_the_stage().await);
        page.on_stage("b").await;
    }
    assert_together(&places, "blink");
    assert_ne!(shown[0], shown[1], "two candidates take turns");
    page.close().await;
    service.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_pixel_of_the_preview_is_a_pixel_of_the_finished_file() {
    let database = TestServer::shared();
    let folder = tempfile::tempdir().unwrap();
    let (service, page, _) = with_quarters(&folder, &database).await;
    page.click("[data-testid=run]", "Run").await;
    page.wait_for_text("section[aria-label=Process]", "1 file").await;
    page.click_named("[aria-label=Comparison] button", "Side by side").await;
    page.click("[data-testid=pane-1]", "Original").await;
    page.click("li", "Finished").await;
    page.on_stage("p").await;
    page.wait_for_tiles().await;
    let script = "const canvas = document.querySelector('canvas'), w = Math.floor(canvas.width / 2);
        const [a, b] = [0, w].map((x) => canvas.getContext('2d').getImageData(x, 0, w, canvas.height).data);
        let apart = 0, sum = 0, tones = new Set();
        for (let i = 0; i < a.length; i++) { const d = Math.abs(a[i] - b[i]); apart = Math.max(apart, d); sum += d; tones.add(a[i]); }
        return [apart, tones.size, sum / a.length];";
    let found = page.script(script).await;
    assert_eq!(found[0], 0, "the two panes show the same, to the last pixel");
    assert!(found[1].as_u64().unwrap() > 3, "and something is to be seen");
    // The file is measured as the treatment is, and departs from the original as far.
    page.on_stage("m").await;
    let detail = async |pane: u8, page: &Browser| page.text(&format!("[data-testid=pane-{pane}]")).await;
    page.wait_until("both panes are measured", async |page: &Browser| {
        detail(1, page).await.contains("of the view within") && detail(2, page).await.contains("of the view within")
    })
    .await;
    let within = |text: String| text.split_once(" within ")?.1.split(' ').next()?.parse::<f64>().ok();
    let [one, other] = [1, 2].map(|pane| detail(pane, &page));
    let (one, other) = (within(one.await).expect("a figure"), within(other.await).expect("a figure"));
    assert!((one - other).abs() < 0.11, "{one} and {other}: eight bits move a figure by its last digit at most");
    page.wait_for_tiles().await;
    // A file has eight bits, a treatment has all: where an edge overshoots, the map tells them apart.
    let found = page.script(script).await;
    assert!(found[2].as_f64().unwrap() < 0.3, "and so do their maps: {found}");
    assert!(found[1].as_u64().unwrap() > 3, "and something is to be seen");
    page.close().await;
    service.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_blind_choice_on_the_strip_is_written_down() {
    let database = TestServer::shared();
    let folder = tempfile::tempdir().unwrap();
    let (service, page, id) = with_quarters(&folder, &database).await;
    // Spots: a number key goes there, and one more can be pinned.
    page.on_stage("s").await;
    page.click("[aria-label=Spots] button", "Spots").await;
    page.click("[role=dialog] button", "Pin the middle").await;
    page.press("Escape").await;
    let spots = get(&service, &format!("/originals/{id}/spots")).await;
    assert!(spots["suggested"] == false && spots["spots"].as_array().unwrap().len() >= 2, "{spots}");

    // Two treatments side by side at all spots.
    page.click("nav[aria-label=Views] a", "Strip").await;
    page.click("[aria-label='Test strip'] button", "Another treatment").await;
    page.wait_for_text("[aria-label='Test strip']", "Treatment B").await;
    page.click("section[aria-label=Process] button", "Enlarge").await;
    page.choose_option("[role=dialog] [role=combobox]", "", "nearest").await;
    page.press("Escape").await;
    let arrived = async |page: &Browser, columns: usize| {
        let due = spots["spots"].as_array().unwrap().len() * columns;
        let count = "return document.querySelectorAll('[role=cell] img[data-ready=true]').length";
        page.wait_until("all cells are there", async |p: &Browser| p.script(count).await == due).await;
    };
    arrived(&page, 3).await;
    page.click("[aria-label='Test strip'] label", "Blind").await;
    page.wait_for_text("[aria-label='Test strip']", "Candidate 2").await;
    arrived(&page, 2).await;
    let text = page.text("[aria-label='Test strip']").await;
    assert!(!text.contains("Treatment A") && !text.contains("nearest"), "nothing gives it away: {text}");
    page.click_named("[aria-label='Test strip'] button", "Choose Candidate 1").await;
    page.wait_for_text("[data-testid=decision]", "was chosen blind").await;
    let decisions = get(&service, &format!("/originals/{id}/decisions")).await;
    assert_eq!((&decisions[0]["blind"], decisions.as_array().unwrap().len()), (&json!(true), 1));
    assert_eq!(decisions[0]["candidates"].as_array().unwrap().len(), 2);
    let chosen = decisions[0]["chosen"].as_str().unwrap();
    let pressed = page.find("[aria-label=Treatments] [aria-pressed=true]").await.text().await.unwrap();
    assert_eq!(pressed, chosen, "the rail is about what was chosen");
    page.close().await;
    service.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn an_area_is_painted_and_has_its_own_steps() {
    let database = TestServer::shared();
    let folder = tempfile::tempdir().unwrap();
    let (service, page, id) = with_quarters(&folder, &database).await;
    page.click_named("[aria-label=Comparison] button", "Curtain").await;
    page.click_named("button", "Settings are for").await;
    page.click("[aria-label=Areas] button", "Paint").await;
    // The curtain out of the way.
    page.on_stage(&",".repeat(20)).await;
    page.drag("canvas", 120.0).await;
    page.click("section[aria-label=Process] button", "Enlarge").await;
    page.choose_option("[role=dialog] [role=combobox]", "", "nearest").await;
    page.press("Escape").await;
    page.wait_until("the stroke is kept", async |_: &Browser| {
        let intent = get(&service, &format!("/originals/{id}/intent")).await;
        let area = &intent["areas"][0];
        area["mask"]["strokes"].as_array().is_some_and(|s| s.len() == 1)
            && area["steps"]["enlarge"]["kernel"] == "nearest"
            && intent["enlarge"]["by"] == "learned"
    })
    .await;
    page.wait_for_tiles().await;
    let amber = "const canvas = document.querySelector('canvas');
        const { data } = canvas.getContext('2d').getImageData(0, 0, canvas.width, canvas.height);
        let count = 0;
        for (let i = 0; i < data.length; i += 4) if (data[i] > data[i + 2] + 60) count++;
        return count;";
    page.wait_until("the area shows in amber", async |p: &Browser| p.script(amber).await.as_u64().unwrap() > 500).await;
    page.click("[aria-label=Areas] button", "Done").await;
    page.wait_until("the picture is back", async |p: &Browser| p.script(amber).await == 0).await;
    page.undo().await;
    page.close().await;
    service.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn steps_go_to_another_picture_and_under_a_name_of_the_house() {
    let database = TestServer::shared();
    let folder = tempfile::tempdir().unwrap();
    let service = service(&folder, &database, true).await;
    let page = Browser::on(&service).await;
    page.wait_for_tiles().await;
    page.click("section[aria-label=Process] button", "Enlarge").await;
    page.choose_option("[role=dialog] [role=combobox]", "", "nearest").await;
    page.press("Escape").await;
    page.wait_for_text("section[aria-label=Process]", "nearest, no model").await;
    let menu = async |item: &str| {
        page.find("[aria-label='This treatment']").await.click().await.unwrap();
        page.click("li", item).await;
    };
    menu("Copy Enlarge only").await;
    menu("Keep these steps under a name").await;
    page.fill("[role=dialog] input", "Banner").await;
    page.click("[role=dialog] button", "Keep").await;
    page.wait_until("it is kept", async |_: &Browser| get(&service, "/house-treatments").await[0]["name"] == "Banner")
        .await;

    // On the next picture: pasted, undone, and taken from the house.
    page.click_named("nav[aria-label=Pictures] button", "vases").await;
    page.wait_for_text("section[aria-label=Print]", "vases").await;
    page.wait_for_text("section[aria-label=Process]", "Everyday, draft").await;
    menu("Paste from furnace-hall.jpg").await;
    page.wait_for_text("section[aria-label=Process]", "nearest, no model").await;
    page.undo().await;
    page.wait_for_text("section[aria-label=Process]", "Everyday, draft").await;
    menu("Banner").await;
    page.wait_for_text("section[aria-label=Process]", "nearest, no model").await;
    page.close().await;
    service.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn every_view_can_be_used_without_eyes_or_mouse() {
    let database = TestServer::shared();
    let folder = tempfile::tempdir().unwrap();
    let service = service(&folder, &database, true).await;
    let page = Browser::on(&service).await;
    page.wait_for_tiles().await;
    let mut faults = Vec::new();
    let mut look = async |view: &str| {
        faults.extend(page.serious_faults().await.into_iter().map(|fault| format!("{view}: {fault}")));
    };
    look("bench").await;
    page.click_named("[aria-label=Comparison] button", "6 candidates").await;
    look("six panes").await;
    page.click_named("button", "Settings are for").await;
    page.click("[aria-label=Areas] button", "By tone").await;
    look("areas").await;
    page.click("[aria-label=Areas] button", "Done").await;
    for card in ["Reading", "Frame", "Clean", "Enlarge", "Finish", "Deliver"] {
        page.click("section[aria-label=Process] button", card).await;
        page.find("[role=dialog]").await;
        look(card).await;
        page.press("Escape").await;
        page.wait_until("it is closed", async |p: &Browser| {
            p.driver.find_all(Locator::Css("[role=dialog]")).await.unwrap().is_empty()
        })
        .await;
    }
    page.click("nav[aria-label=Views] a", "Strip").await;
    page.find("[role=cell] img").await;
    look("strip").await;
    page.click("nav[aria-label=Views] a", "Shelf").await;
    page.find("article").await;
    look("shelf").await;
    for (view, landmark) in [("Orders", "Orders"), ("Runs", "Run sheet"), ("Settings", "Settings")] {
        page.click("nav[aria-label=Views] a", view).await;
        page.find(&format!("main[aria-label='{landmark}']")).await;
        look(view).await;
    }
    page.click_named("button", "Dim theme").await;
    look("settings, dim").await;
    page.click("nav[aria-label=Views] a", "Bench").await;
    look("bench, dim").await;
    assert!(faults.is_empty(), "{faults:#?}");

    // From the top of the page, Tab alone reaches the stage, and every stop says what it is.
    let stops = "const names = [];
        for (const e of document.querySelectorAll('button, a[href], input:not([type=file]), [tabindex=\"0\"]')) {
            if (!e.checkVisibility() || e.ariaHidden === 'true') continue;
            const name = e.getAttribute('aria-label') ?? e.getAttribute('aria-labelledby') ?? e.innerText
                ?? e.labels?.[0]?.innerText;
            if (!name?.trim() && !e.labels?.length) names.push(e.outerHTML.slice(0, 160));
        }
        return names;";
    assert_eq!(page.script(stops).await, json!([]), "elements without a name");
    page.close().await;
    service.stop().await;
}

#[test]
fn the_browser_has_what_it_checks_with() {
    assert!(project().join("web/node_modules/axe-core/axe.min.js").is_file(), "npm ci has been run");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_picture_is_rehearsed_and_what_did_best_is_taken_over() {
    let database = TestServer::shared();
    let folder = tempfile::tempdir().unwrap();
    let (service, page, id) = with_quarters(&folder, &database).await;
    page.click("[role=toolbar] button", "Rehearse").await;
    page.wait_for_text("[role=status]", "Click on a method").await;
    let rehearsed = get(&service, &format!("/originals/{id}/rehearsal")).await;
    assert_eq!(rehearsed["finished"], true);
    let shown = "return document.querySelectorAll('[role=dialog] img').length;";
    let before = page.script(shown).await.as_u64().unwrap();
    // Every picture that is shown is one, of the part's own size.
    let whole =
        "return [...document.querySelectorAll('[role=dialog] img')].every((i) => i.complete && i.naturalWidth >= 48);";
    page.wait_until("pictures", async |page: &Browser| page.script(whole).await == json!(true)).await;
    page.click("[data-testid=candidate]", "Bicubic").await;
    assert_eq!(page.script(shown).await.as_u64().unwrap(), before - 1, "put away");
    let faults = page.serious_faults().await;
    assert!(faults.is_empty(), "{faults:#?}");
    page.script("[...document.querySelectorAll('[data-testid=candidate]')].find((r) => r.textContent.includes('Lanczos')).querySelector('button').click();").await;
    page.wait_until("the rail", async |page: &Browser| {
        let intent = get(&service, &format!("/originals/{id}/intent")).await;
        let _ = page;
        intent["enlarge"] == json!({ "by": "plain", "kernel": "lanczos3" })
    })
    .await;
    page.close().await;
    service.stop().await;
}
