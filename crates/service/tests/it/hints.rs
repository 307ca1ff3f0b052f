//! Chromium with client hints: what it is sent is what `/why` says of the same request.

use kivet_browser::{Chromium, Device, Tab};
use kivet_service::WhyResponse;
use serde_json::Value;

use crate::{
    console::until,
    running::{Running, header},
};

/// What Chromium sends for pictures.
const CHROMIUM: &str = "image/jxl,image/avif,image/webp,image/apng,image/svg+xml,image/*,*/*;q=0.8";

const OPEN: &str = "ratio-3-2/photos/harbour/roofs.jpg";

/// The picture put into the page: natural width and what `/why` says to the page itself.
async fn shown(tab: &Tab, sizes: &str, token: &str) -> (f64, WhyResponse) {
    let insert = format!(
        "(document.body.innerHTML = '<img style=\"width:100px\" {sizes} srcset=\"/pic/{OPEN} 1600w\" src=\"/pic/{OPEN}\">', true)"
    );
    assert!(tab.evaluate::<bool>(&insert).await.unwrap());
    until(tab, "document.images[0].complete && document.images[0].naturalWidth > 0").await;
    let why = format!(
        "fetch('/why/{OPEN}', {{ headers: {{ authorization: 'Bearer {token}' }} }}).then(answer => answer.json())"
    );
    let why: Value = tab.evaluate(&why).await.unwrap();
    // What layout makes of it is not what came: the natural width of a candidate is divided by its
    // density.
    let blob = format!(
        "fetch('/pic/{OPEN}').then(answer => answer.blob()).then(createImageBitmap).then(one => one.width)"
    );
    (tab.evaluate(&blob).await.unwrap(), serde_json::from_value(why).unwrap())
}

#[tokio::test(flavor = "multi_thread")]
async fn chromium_gets_what_why_says_at_one_and_three_pixels_and_with_save_data() {
    // What is measured between a picture and its `why` may change the choice.
    let kivet = Running::start_with(|config| config.policy.improve = false).await;
    let chromium = Chromium::launch().await.unwrap();
    for (device, saving) in [("laptop", false), ("phone", false), ("phone", true)] {
        let tab = chromium.tab(Device::named(device).unwrap()).await.unwrap();
        tab.save_data(saving).await.unwrap();
        tab.open(&format!("{}/demo/site/index.html", kivet.root)).await.unwrap();
        let (width, why) = shown(&tab, "sizes=\"200px\"", &kivet.token()).await;
        let wanted = Device::named(device).unwrap();
        assert_eq!(
            (why.request.density, why.request.save_data),
            (Some(wanted.density), saving),
            "{device}"
        );
        assert_eq!(why.request.viewport_width, Some(wanted.width), "{device}");
        let across = f64::from(wanted.width) * wanted.density;
        assert!(
            f64::from(why.size[0]) >= across.min(1600.0) && why.private,
            "{device}: {:?}",
            why.size
        );
        assert_eq!(width, f64::from(why.size[0]), "{device}");
        // The hint tells the density, which takes points off as thrift does.
        let reasons = usize::from(wanted.density > 1.0) + usize::from(saving);
        assert_eq!(why.lowered.len(), reasons, "{device}: {:?}", why.lowered);

        // The picture itself said how wide it is: 200 CSS pixels.
        let asked = tab.pictures().into_iter().rfind(|one| one.url.contains(OPEN)).unwrap();
        let hint = (200.0 * wanted.density).to_string();
        let mut headers = vec![("accept", CHROMIUM), ("sec-ch-width", hint.as_str())];
        if saving {
            headers.push(("save-data", "on"));
        }
        let said = kivet.why(&format!("/pic/{OPEN}"), &headers).await;
        // Chromium names its density once the page's `Accept-CH` is stored, which may be before this
        // picture is requested or after it: the target, and with it the format, depends on that.
        let density = wanted.density.to_string();
        let with_density = [headers.as_slice(), &[("sec-ch-dpr", density.as_str())]].concat();
        let told = kivet.why(&format!("/pic/{OPEN}"), &with_density).await;
        let formats = [&said.format, &told.format].map(|format| format!("image/{format}"));
        assert!(formats.contains(&asked.media_type), "{device}: {} {formats:?}", asked.media_type);
        let request =
            headers.iter().fold(kivet.request(&format!("/pic/{OPEN}")), |all, (name, value)| {
                all.header(*name, *value)
            });
        let same = request.send().await.unwrap();
        assert!(
            header(&same, "kivet-rendition").contains(&format!("width={};", said.size[0])),
            "{device}"
        );
        tab.close().await.unwrap();
    }
    chromium.close().await.unwrap();
}
