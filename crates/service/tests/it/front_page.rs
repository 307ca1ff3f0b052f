//! The festival's front page with Kivet's markup, in a real browser.

use kivet_browser::{Chromium, Device, Tab};
use kivet_page::observation::Request;

use crate::running::Running;

const AS_WRITTEN: &str = "/demo/site/index.html";
const WITH_KIVET: &str = "/demo/site/with-kivet.html";

/// What one device asked for.
struct Visit {
    before_scroll: Vec<Request>,
    after_scroll: Vec<Request>,
    /// The banner's pick, and the pick for the picture furthest down.
    banner: String,
    shift: f64,
    all_loaded: bool,
}

async fn visit(chromium: &Chromium, device: &str, url: &str) -> Visit {
    let tab: Tab = chromium.tab(Device::named(device).unwrap()).await.unwrap();
    tab.open(url).await.unwrap();
    let before_scroll = tab.pictures();
    tab.scroll_to_end().await.unwrap();
    let shown = tab.shown().await.unwrap();
    let banner = shown.iter().find(|one| one.current_src.contains("kites-dawn"));
    let visit = Visit {
        after_scroll: tab.pictures(),
        banner: banner.map_or(String::new(), |one| one.current_src.clone()),
        shift: tab.shift().await.unwrap(),
        all_loaded: shown.iter().all(|one| one.loaded),
        before_scroll,
    };
    tab.close().await.unwrap();
    visit
}

fn bytes(pictures: &[Request]) -> u64 {
    pictures.iter().map(|one| one.bytes).sum()
}

#[tokio::test(flavor = "multi_thread")]
async fn each_device_gets_its_own_candidates_when_it_needs_them_and_nothing_shifts() {
    let kivet = Running::start().await;
    let chromium = Chromium::launch().await.unwrap();
    let mut banners = Vec::new();
    for device in ["phone", "laptop"] {
        let with = visit(&chromium, device, &format!("{}{WITH_KIVET}", kivet.root)).await;
        assert!(with.all_loaded, "{device}: a picture is broken");
        assert!(
            with.after_scroll.iter().all(|one| one.status == 200),
            "{device}: {:?}",
            with.after_scroll
        );
        assert!(with.shift < 0.001, "{device}: shifted by {}", with.shift);
        let asked = |part: &str| with.before_scroll.iter().any(|one| one.url.contains(part));
        assert!(
            asked("kites-dawn") && asked("windmark-logo"),
            "{device}: {:?}",
            with.before_scroll
        );
        for below in ["roofs", "storm-front", "sponsor-gale"] {
            assert!(!asked(below), "{device} asked for {below} before scrolling");
            assert!(
                with.after_scroll.iter().any(|one| one.url.contains(below)),
                "{device} never asked for {below}"
            );
        }
        let rendered = with.after_scroll.iter().filter(|one| one.url.contains("/pic/"));
        let modern = |kind: &str| matches!(kind, "image/jxl" | "image/avif" | "image/webp");
        assert!(
            rendered.clone().count() >= 10 && rendered.clone().all(|one| modern(&one.media_type))
        );

        let written = visit(&chromium, device, &format!("{}{AS_WRITTEN}", kivet.root)).await;
        let (kivet_bytes, written_bytes) =
            (bytes(&with.after_scroll), bytes(&written.after_scroll));
        println!(
            "{device}: pictures as written {} requests, {written_bytes} bytes ({} before scrolling); \
             with Kivet {} requests, {kivet_bytes} bytes ({} before scrolling)",
            written.after_scroll.len(),
            bytes(&written.before_scroll),
            with.after_scroll.len(),
            bytes(&with.before_scroll),
        );
        assert!(kivet_bytes * 8 < written_bytes, "{device}: {kivet_bytes} against {written_bytes}");
        banners.push(with.banner);
    }
    assert!(
        banners[0].contains("/pic/1328w_ratio-3-4_")
            && banners[1].contains("/pic/1376w_ratio-23-8_"),
        "{banners:?}"
    );
    chromium.close().await.unwrap();
}
