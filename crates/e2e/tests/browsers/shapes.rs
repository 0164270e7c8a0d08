//! A drawing in a real browser: traced on the stage, printed in another ink, saved as shapes.

use dettaglio_core::codec::png_bytes;
use dettaglio_core::picture::Planes;
use dettaglio_domain::geometry::Size;
use dettaglio_store::testing::TestServer;
use serde_json::{Value, json};

use crate::browser::{Browser, order_with, service};

/// A blue disc on white.
fn disc() -> Planes {
    let size = Size::new(90, 90);
    let area = size.area() as usize;
    let value = |i: usize| {
        let (x, y) = ((i % area % 90) as f32 - 44.5, (i % area / 90) as f32 - 44.5);
        1.0 - (30.5 - x.hypot(y)).clamp(0.0, 1.0) * [0.9, 0.7, 0.2][i / area]
    };
    Planes::from_values(size, (0..3 * area).map(value).collect())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_drawing_is_traced_on_the_stage_and_printed_in_another_ink() {
    let database = TestServer::shared();
    let folder = tempfile::tempdir().unwrap();
    let service = service(&folder, &database, false).await;
    let id = order_with(&service, "Sign", "disc.png", png_bytes(&disc())).await;
    let page = Browser::on(&service).await;
    page.wait_for_tiles().await;
    let original = format!("http://{}/api/v1/originals/{id}", service.address);
    let kept = async || -> Value {
        let intent: Value = reqwest::get(format!("{original}/intent")).await.unwrap().json().await.unwrap();
        intent["enlarge"].clone()
    };

    page.click("section[aria-label=Process] button", "Enlarge").await;
    page.wait_for_text("[role=dialog]", "drawn in 2 plain colours").await;
    page.choose_option("[role=dialog] [role=combobox]", "", "Traced as shapes").await;
    page.wait_for_text("[role=dialog]", "2 outlines").await;
    page.wait_for_text("section[aria-label=Process]", "Traced as shapes").await;
    assert_eq!(page.serious_faults().await, Vec::<String>::new());

    let inks = "[role=dialog] [aria-label=Colours] button";
    let blue = page.script(&format!("return document.querySelectorAll('{inks}')[1].ariaLabel")).await;
    page.click_named(inks, blue.as_str().expect("a colour")).await;
    page.type_over("[role=presentation] form input[type=text]", "#8c1414").await;
    page.click("[role=presentation] form button", "Print so").await;
    page.wait_until("the ink is kept", async |_| kept().await["inks"][0]["printed"] == "#8c1414").await;
    let is_red = "const canvas = document.querySelector('canvas');
        const { data } = canvas.getContext('2d').getImageData(0, 0, canvas.width, canvas.height);
        let count = 0;
        for (let i = 0; i < data.length; i += 4) if (data[i] > data[i + 2] + 80) count++;
        return count > 500;";
    page.wait_until("the stage is in the other ink", async |p: &Browser| p.script(is_red).await == json!(true)).await;
    let drawing = reqwest::get(format!("{original}/trace.svg")).await.unwrap().text().await.unwrap();
    assert!(drawing.contains("#8c1414"), "{drawing}");

    page.press("Escape").await;
    page.undo().await;
    page.wait_until("the ink is taken back", async |_| kept().await["inks"].is_null()).await;
    page.close().await;
    service.stop().await;
}
