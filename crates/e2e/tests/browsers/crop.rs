//! A crop drawn in a real browser, by the rules that the server keeps.

use dettaglio_core::codec::png_bytes;
use dettaglio_core::picture::Planes;
use dettaglio_domain::geometry::Size;
use dettaglio_store::testing::TestServer;
use serde_json::Value;

use crate::browser::{Browser, order_with, service};

/// The card of the step is one as well.
const DIALOG: &str = "[role=dialog][aria-labelledby=crop-title]";

#[tokio::test(flavor = "multi_thread")]
async fn a_crop_is_drawn_with_the_hand_and_kept() {
    let database = TestServer::shared();
    let folder = tempfile::tempdir().unwrap();
    let service = service(&folder, &database, false).await;
    let size = Size::new(600, 400);
    let grey = Planes::from_values(size, vec![0.5; 3 * size.area() as usize]);
    let id = order_with(&service, "Room 2", "wall.png", png_bytes(&grey)).await;
    let page = Browser::on(&service).await;
    let address = format!("http://{}/api/v1/originals/{id}/intent", service.address);
    let crop = async || -> Value {
        let intent: Value = reqwest::get(&address).await.unwrap().json().await.unwrap();
        intent["frame"]["crop"].clone()
    };

    page.click("section[aria-label=Process] button", "Frame").await;
    page.click("[data-testid=crop]", "Crop and straighten").await;
    page.wait_for_text(DIALOG, "600 × 400 px").await;
    assert_eq!(page.serious_faults().await, Vec::<String>::new());
    // The right side is taken inwards by a third of the picture, which is shown 690 px wide; a pointer lies on whole pixels.
    let width = async |page: &Browser| -> u32 {
        let text = page.text(DIALOG).await;
        let before = text.split(" × ").find_map(|part| part.rsplit(|c: char| !c.is_ascii_digit()).next()?.parse().ok());
        before.unwrap_or(0)
    };
    let about = |width: u32| (397..=403).contains(&width);
    page.drag("[data-across='1'][data-down='0']", -230.0).await;
    page.wait_until("a third is off", async |p| about(width(p).await)).await;
    page.click(&format!("{DIALOG} button"), "The picture's").await;
    page.wait_for_text(DIALOG, "600 × 400 px").await;
    // At the picture's edge half of it is to be seen.
    page.drag_from("[data-across='-1'][data-down='0']", (0.8, 0.5), 230.0).await;
    page.wait_until("a third is off, and the shape kept", async |p| about(width(p).await)).await;
    page.click(&format!("{DIALOG} button"), "Crop").await;
    page.wait_until("the crop is kept", async |_| crop().await["width"].is_u64()).await;
    let kept = crop().await;
    let [width, height] = ["width", "height"].map(|side| kept[side].as_f64().unwrap());
    assert!((width / height - 1.5).abs() < 0.01, "{kept}");
    assert_eq!(kept["x"].as_f64().unwrap() + width, 600.0, "{kept}");
    page.undo().await;
    page.wait_until("it is taken back", async |_| crop().await.is_null()).await;
    page.close().await;
    service.stop().await;
}
