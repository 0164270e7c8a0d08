//! A crop drawn in a real browser, by the rules that the server keeps.

use dettaglio_core::codec::png_bytes;
use dettaglio_core::picture::Planes;
use dettaglio_domain::geometry::Size;
use dettaglio_store::testing::TestServer;
use serde_json::{Value, json};

use crate::browser::{Browser, order_with, service};

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
    page.wait_for_text("[role=dialog]", "600 × 400 px").await;
    assert_eq!(page.serious_faults().await, Vec::<String>::new());
    // The right side is taken inwards by a third of the picture, which is shown 690 px wide.
    page.drag("[data-across='1'][data-down='0']", -230.0).await;
    page.wait_for_text("[role=dialog]", "400 × 400 px").await;
    page.click("[role=dialog] button", "The picture's").await;
    page.wait_for_text("[role=dialog]", "600 × 400 px").await;
    page.drag("[data-across='-1'][data-down='-1']", 230.0).await;
    page.wait_until("the picture's shape is kept", async |p| {
        let text = p.text("[role=dialog]").await;
        text.contains("400 × 266 px") || text.contains("400 × 267 px")
    })
    .await;
    page.click("[role=dialog] button", "Crop").await;
    page.wait_until("the crop is kept", async |_| crop().await["width"] == json!(400)).await;
    let kept = crop().await;
    assert_eq!((&kept["x"], kept["y"].as_u64()), (&json!(200), Some(133)), "{kept}");
    page.undo().await;
    page.wait_until("it is taken back", async |_| crop().await.is_null()).await;
    page.close().await;
    service.stop().await;
}
