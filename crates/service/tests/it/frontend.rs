//! The npm package beside the service: what it writes from a manifest is what the service writes.

use std::{
    path::{Path, PathBuf},
    process::Command,
};

use kivet_browser::Chromium;
use kivet_page::DEVICES;

use crate::running::Running;

/// The folder of all web packages.
fn web() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../../web")
}

#[tokio::test(flavor = "multi_thread")]
async fn the_package_writes_what_the_service_writes() {
    let kivet = Running::start().await;
    let set = r#"{"original":"photos/night/lanterns.jpg","language":"en","text":"Lit kites above Ellery's field"}"#;
    assert_eq!(kivet.order(reqwest::Method::PUT, "/api/library/alt", set).await.status(), 200);
    let (root, token) = (kivet.root.clone(), kivet.token());
    let run = move || {
        Command::new("npm")
            .args(["test", "--silent"])
            .current_dir(web().join("frontend"))
            .env("KIVET_SERVICE", root)
            .env("KIVET_TOKEN", token)
            .env("NO_COLOR", "1")
            .output()
            .unwrap()
    };
    let output = tokio::task::spawn_blocking(run).await.unwrap();
    let said = String::from_utf8_lossy(&output.stdout);
    assert!(output.status.success() && said.contains("17 passed"), "{said}");
}

/// What the browser shows of each picture: its address, whether it has arrived, the pixels it has, and the ones that its
/// box of the screen could show.
type Shown = (String, bool, f64, f64);

/// A picture that keeps its shape within its box needs no more than its longer side asks for.
const SHOWN: &str = "[...document.images].filter((one) => one.checkVisibility()).map((one) => [one.currentSrc,
    one.complete && one.naturalWidth > 0, Number((one.currentSrc.match(/\\/pic\\/(\\d+)w/) ?? [0, 0])[1]),
    Math.min(one.clientWidth, one.clientHeight * one.naturalWidth / one.naturalHeight) * devicePixelRatio])";

async fn build(package: &'static str) {
    let run = move || {
        Command::new("npm")
            .args(["run", "--silent", "build", "--workspace", package])
            .current_dir(web())
            .output()
            .unwrap()
    };
    let output = tokio::task::spawn_blocking(run).await.unwrap();
    let said = String::from_utf8_lossy(&output.stdout) + String::from_utf8_lossy(&output.stderr);
    assert!(output.status.success(), "{package}: {said}");
}

#[tokio::test(flavor = "multi_thread")]
async fn the_examples_build_and_show_pictures_that_fit_each_device() {
    let _alone = crate::running::alone().await;
    let kivet = Running::start().await;
    let shelf = r#"{"shelves":["photos"]}"#;
    let manifest = kivet.order(reqwest::Method::POST, "/api/library/export", shelf).await;
    let manifest = manifest.bytes().await.unwrap();
    for folder in ["app", "site"] {
        std::fs::write(web().join("examples").join(folder).join("kivet-manifest.json"), &manifest)
            .unwrap();
    }
    for package in ["kivet-frontend", "kivet-example-app", "kivet-example-site"] {
        build(package).await;
    }

    let chromium = Chromium::launch().await.unwrap();
    let pages = [
        ("app", "index.html", 8),
        ("site", "index.html", 1),
        ("site", "gallery.html", 8),
        ("site", "gallery.html#lanterns", 9),
    ];
    for device in DEVICES {
        for (folder, page, count) in pages {
            let folder = web().join("examples").join(folder).join("dist");
            let server =
                kivet_check::FileServer::start(&folder, &folder, Some(&kivet.root)).await.unwrap();
            let (file, fragment) = page.split_once('#').unwrap_or((page, ""));
            let mut url = server.url(&folder.join(file)).unwrap();
            url.set_fragment((!fragment.is_empty()).then_some(fragment));
            let tab = chromium.tab(device).await.unwrap();
            tab.open(url.as_str()).await.unwrap();
            tab.scroll_to_end().await.unwrap();
            let shown: Vec<Shown> = tab.evaluate(SHOWN).await.unwrap();
            assert_eq!(shown.len(), count, "{page} on the {}: {shown:?}", device.name);
            for (address, arrived, pixels, needed) in &shown {
                assert!(*arrived && address.contains("/pic/"), "{page}: {address}");
                // The opened one: previews and banners are cut, so that their box tells less.
                let is_opened = !fragment.is_empty() && !address.contains("ratio");
                if is_opened && address.contains("lanterns") {
                    let ratio = pixels / needed;
                    assert!(
                        (0.9..1.4).contains(&ratio),
                        "{} on the {}: {ratio}",
                        address,
                        device.name
                    );
                }
            }
            tab.close().await.unwrap();
        }
    }
}
