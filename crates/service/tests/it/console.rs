//! The console in headless Chromium: signing in, the library, the workbench with text and controls
//! in step.

use std::time::Duration;

use kivet_browser::{Chromium, Device, Tab};
use tokio::time::{Instant, sleep};

use crate::running::Running;

/// Waits until a script expression is true.
pub async fn until(tab: &Tab, expression: &str) {
    let started = Instant::now();
    loop {
        let script = format!(
            "Boolean((() => {{ try {{ return {expression} }} catch {{ return false }} }})())"
        );
        if tab.evaluate::<bool>(&script).await.unwrap() {
            return;
        }
        if started.elapsed() > Duration::from_secs(30) {
            let text: String = tab.evaluate("document.body.innerText").await.unwrap();
            panic!("never came true: {expression}\npage: {text}");
        }
        sleep(Duration::from_millis(100)).await;
    }
}

/// Types into a field as React notices it.
async fn fill(tab: &Tab, selector: &str, text: &str) {
    let script = format!(
        "(() => {{ const field = document.querySelector('{selector}');
            Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set.call(field, '{text}');
            field.dispatchEvent(new Event('input', {{ bubbles: true }}));
            field.dispatchEvent(new Event('blur', {{ bubbles: true }}));
            field.dispatchEvent(new Event('focusout', {{ bubbles: true }})); return true }})()"
    );
    assert!(tab.evaluate::<bool>(&script).await.unwrap());
}

pub async fn click(tab: &Tab, selector: &str) {
    assert!(
        tab.evaluate::<bool>(&format!("(document.querySelector(`{selector}`).click(), true)"))
            .await
            .unwrap()
    );
}

#[tokio::test(flavor = "multi_thread")]
async fn a_signed_in_browser_sees_the_library_and_works_on_a_recipe() {
    let kivet = Running::start().await;
    let chromium = Chromium::launch().await.unwrap();
    let tab = chromium.tab(Device::named("laptop").unwrap()).await.unwrap();

    tab.open(&format!("{}/console/library?shelf=photos", kivet.root)).await.unwrap();
    let built: bool = tab.evaluate("document.getElementById('root') !== null").await.unwrap();
    assert!(built, "the console is not built; `cargo xtask test` does that first");
    until(&tab, "document.body.innerText.includes('not signed in')").await;

    tab.open(&kivet.sign_in_link).await.unwrap();
    tab.open(&format!("{}/console/library?shelf=photos", kivet.root)).await.unwrap();
    until(&tab, "document.querySelectorAll('.original').length >= 16").await;
    tab.scroll_to_end().await.unwrap();
    until(&tab, "[...document.querySelectorAll('.original img')].every(i => i.complete && i.naturalWidth > 0)").await;
    until(&tab, "document.body.innerText.includes('Display P3')").await;

    click(&tab, "a.original[href*=\"six-panel\"]").await;
    until(&tab, "document.querySelectorAll('.sheet figure').length === 4").await;
    until(&tab, "document.querySelector('#width').value === '360'").await;

    // By typing: the controls follow.
    fill(&tab, "#recipe", "200w_ratio-2-1_at-top").await;
    until(&tab, "document.querySelector('#width').value === '200'").await;
    until(&tab, "document.querySelector('.nine [aria-pressed=true]').title === 'top'").await;
    until(&tab, "[...document.querySelectorAll('.sheet img')].every(i => i.width === 200 && i.height === 100 && i.naturalWidth === 200)").await;

    // By the controls: the text follows.
    click(&tab, ".nine button[title=\"bottom-right\"]").await;
    until(&tab, "document.querySelector('#recipe').value === '200w_ratio-2-1_at-bottom-right'")
        .await;
    fill(&tab, "#width", "120").await;
    until(&tab, "document.querySelector('#recipe').value.startsWith('120w_')").await;

    // The contact sheet is ordered by bytes and tells format, pixels, time, and hit or made.
    until(&tab, "document.querySelector('.sheet figure[data-format=avif] figcaption').innerText.match(/120 × 60/)")
        .await;
    until(
        &tab,
        "document.querySelector('.sheet figcaption').innerText.match(/made in \\d+ ms|hit, /)",
    )
    .await;
    let shares: Vec<f64> = tab
        .evaluate("[...document.querySelectorAll('.sheet .weight')].map(one => parseFloat(one.style.width))")
        .await
        .unwrap();
    assert!(shares.is_sorted() && shares.last() == Some(&100.0), "{shares:?}");

    // A slip is explained, and its fix is one click away.
    fill(&tab, "#recipe", "120w_ratio-2:1").await;
    until(&tab, "document.querySelector('[role=alert]').innerText.includes('ratio-2-1')").await;
    click(&tab, "[role=alert] button").await;
    until(
        &tab,
        "document.querySelector('#recipe').value === '120w_ratio-2-1' && !document.querySelector('[role=alert]')",
    )
    .await;
    chromium.close().await.unwrap();
}

/// The console's pure parts are tested in their own language; this runs them with everything else.
#[test]
fn its_own_tests_pass() {
    let folder = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../../web/console");
    let output = std::process::Command::new("npm")
        .args(["test", "--silent"])
        .current_dir(folder)
        .output()
        .unwrap();
    let said = String::from_utf8_lossy(&output.stdout);
    assert!(output.status.success() && said.contains("3 passed"), "{said}");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_place_is_edited_tried_on_an_original_and_kept() {
    let kivet = Running::start().await;
    let chromium = Chromium::launch().await.unwrap();
    let tab = chromium.tab(Device::named("laptop").unwrap()).await.unwrap();
    tab.open(&kivet.sign_in_link).await.unwrap();
    tab.open(&format!("{}/console/places", kivet.root)).await.unwrap();
    until(&tab, "document.querySelectorAll('.places tbody tr').length >= 10").await;

    tab.open(&format!("{}/console/places/preview?shelf=photos", kivet.root)).await.unwrap();
    until(&tab, "document.querySelectorAll('.ladder circle').length > 20").await;
    until(&tab, "document.querySelectorAll('.devices img').length === 5").await;
    until(&tab, "[...document.querySelectorAll('.devices img')].every(i => i.complete && i.naturalWidth > 0)").await;
    until(&tab, "document.querySelector('.markup pre').innerText.includes('ratio-3-2')").await;

    // A change shows at once: the shape in the markup, on the devices, and then in the record.
    fill(&tab, "#ratio", "1 / 1").await;
    until(&tab, "document.querySelector('.markup pre').innerText.includes('ratio-1-1')").await;
    until(&tab, "[...document.querySelectorAll('.devices img')].every(i => Math.abs(i.width - i.height) <= 1)").await;
    // A slip is explained, and what was good stays in view.
    fill(&tab, "#ratio", "1.5").await;
    until(
        &tab,
        "document.querySelector('[role=alert]').innerText.includes('ratio: `1.5` is not a ratio')",
    )
    .await;
    assert!(tab.evaluate::<bool>("document.querySelectorAll('.ladder').length > 0").await.unwrap());
    fill(&tab, "#ratio", "1 / 1").await;
    until(&tab, "!document.querySelector('[role=alert]')").await;
    click(&tab, "main button.ant-btn-primary").await;
    until(&tab, "document.querySelector('main button.ant-btn-primary').disabled").await;
    let kept = kivet.request("/api/places/preview").bearer_auth(kivet.token());
    let kept: kivet_service::PlaceResponse = kept.send().await.unwrap().json().await.unwrap();
    assert_eq!((kept.recipe.as_str(), kept.revision), ("ratio-1-1", 2));
    chromium.close().await.unwrap();
}

#[tokio::test(flavor = "multi_thread")]
async fn the_cache_is_shown_and_listed_anew() {
    let kivet = Running::start().await;
    for width in [120, 140] {
        kivet.get(&format!("/pic/{width}w_as-webp/photos/night/lanterns.jpg")).await;
    }
    let chromium = Chromium::launch().await.unwrap();
    let tab = chromium.tab(Device::named("laptop").unwrap()).await.unwrap();
    tab.open(&kivet.sign_in_link).await.unwrap();
    tab.open(&format!("{}/console/cache", kivet.root)).await.unwrap();
    until(&tab, "document.querySelector('main').innerText.includes('2 renditions')").await;
    until(&tab, "document.querySelectorAll('main tbody tr.ant-table-row').length === 1").await;
    // Renditions that are gone are off the index once it is listed anew.
    std::fs::remove_dir_all(kivet.data().join("renditions")).unwrap();
    std::fs::create_dir(kivet.data().join("renditions")).unwrap();
    click(&tab, ".bar button").await;
    until(&tab, "document.querySelector('main').innerText.includes('0 renditions')").await;
    chromium.close().await.unwrap();
}
