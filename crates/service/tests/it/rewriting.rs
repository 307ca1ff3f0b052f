//! A site learnt, rewritten and held against what it was, in Chromium.

use std::{collections::BTreeSet, path::Path, time::Duration};

use axum::{Router, response::Html, routing::get};
use base64::{Engine, engine::general_purpose::STANDARD};
use kivet_browser::Chromium;
use kivet_check::{CheckOptions, Difference, Fetcher, ShelfFolder, check, compare, look, targets};
use kivet_layer::RewriteLayer;
use kivet_page::{
    DEVICES,
    learn::{SeenPage, learn, toml},
    report::{Mode, Report},
    rules::RulesDocument,
};
use kivet_service::{RewriteOrder, RewriteResponse};
use reqwest::Method;
use serde_json::Value;
use tempfile::TempDir;

use crate::{css::raster, running::Running};

const CSS: &str = "body { margin: 0; font: 16px sans-serif } main { max-width: 900px; margin: auto; padding: 0 20px }
.mast { height: 40vh; background: url(../pictures/harbour/kites-dawn.jpg) center / cover }
.row { display: grid; grid-template-columns: repeat(3, 1fr); gap: 12px }
.tile img { width: 100%; height: 150px; object-fit: cover; display: block }
@media (max-width: 600px) { .row { grid-template-columns: 1fr } }
.tall { width: 50%; height: auto } .badge { width: 90px; height: auto }";

/// A front page whose masthead is a background, and a page that begins with a picture.
fn site() -> TempDir {
    let folder = tempfile::tempdir().unwrap();
    let originals = crate::running::demo().join("originals").canonicalize().unwrap();
    std::os::unix::fs::symlink(originals, folder.path().join("pictures")).unwrap();
    let tiles: String = ["night/lanterns", "beach/breakers", "workshop/bench", "field/storm-front"]
        .map(|name| format!("<div class=tile><a href=\"pictures/{name}.jpg\"><img src=\"pictures/{name}.jpg\" alt=\"\"></a></div>\n"))
        .concat();
    let page = |body: &str| {
        format!(
            "<!doctype html>\n<html lang=en><head>\n<meta charset=utf-8>\n<meta name=viewport content=\"width=device-width, initial-scale=1\">\n<title>Kites</title>\n<link rel=stylesheet href=css/site.css>\n</head>\n<body>\n{body}\n</body></html>\n"
        )
    };
    let front = page(&format!(
        "<div class=mast></div>\n<main><h1>Kites</h1>\n<div class=row>\n{tiles}</div>\n<p>{}</p>\n<img class=badge src=\"pictures/brand/windmark-logo.png\" alt=Windmark></main>",
        "All week above the harbour. ".repeat(120)
    ));
    let journal = page(&format!(
        "<main><img class=tall src=\"pictures/harbour/roofs.jpg\" alt=Roofs>\n<p>{}</p></main>",
        "A long week. ".repeat(60)
    ));
    std::fs::create_dir(folder.path().join("css")).unwrap();
    for (path, text) in [("css/site.css", CSS), ("index.html", &front), ("journal.html", &journal)]
    {
        std::fs::write(folder.path().join(path), text).unwrap();
    }
    folder
}

async fn rewritten(kivet: &Running, order: &RewriteOrder) -> RewriteResponse {
    let answer =
        kivet.order(Method::POST, "/api/rewrite", serde_json::to_string(order).unwrap()).await;
    let status = answer.status();
    let text = answer.text().await.unwrap();
    assert_eq!(status, 200, "{text}");
    serde_json::from_str(&text).unwrap()
}

async fn learnt(folder: &Path) -> (Vec<SeenPage>, RulesDocument) {
    let fetcher = Fetcher::new().unwrap();
    let targets = targets(&[folder.display().to_string()], &fetcher).await.unwrap();
    let pages = look(&targets, None, &|_| {}).await.unwrap().pages;
    let learnt = learn(&pages);
    assert_eq!(learnt.notes, Vec::<String>::new());
    let written = toml(&learnt, "site");
    (pages, ::toml::from_str(&written).unwrap_or_else(|error| panic!("{error}\n{written}")))
}

/// A check of pages or folders on all devices, with pictures from the service.
pub async fn checked(words: &[String], shelves: Vec<ShelfFolder>, kivet: &Running) -> Report {
    let fetcher = Fetcher::new().unwrap();
    let targets = targets(words, &fetcher).await.unwrap();
    let options = CheckOptions {
        mode: Mode::Browser,
        devices: DEVICES.to_vec(),
        runs: 1,
        throttled: false,
        program: None,
        thumbnails: false,
        pictures: Some(kivet.root.clone()),
        at_once: 2,
        shelves,
        sweeps: true,
        limits: kivet_page::PageLimits::DEFAULT,
    };
    let report = check(&targets, &options, &fetcher, &|_| {}).await.unwrap();
    assert!(report.failures.is_empty(), "{:?}", report.failures);
    report
}

/// Waits until nothing is made any more.
pub async fn settled(kivet: &Running) {
    let mut still = 0;
    while still < 3 {
        tokio::time::sleep(Duration::from_millis(500)).await;
        let metrics = kivet.metrics().await;
        let working =
            ["kivet_background_tasks ", "kivet_renditions_under_way "].iter().any(|name| {
                metrics
                    .lines()
                    .any(|line| line.strip_prefix(name).is_some_and(|count| count != "0"))
            });
        still = if working { 0 } else { still + 1 };
    }
}

/// An element's tag, and its box.
pub type Boxed = (String, f64, f64, f64, f64);

/// The box of every element but those that markup may put around a picture.
pub const BOXES: &str = "[...document.body.querySelectorAll('*')].filter((one) => !['PICTURE', 'SOURCE'].includes(one.tagName))
    .map((one) => { const box = one.getBoundingClientRect(); return [one.tagName, box.x, box.y + scrollY, box.width, box.height] })";

#[tokio::test(flavor = "multi_thread")]
async fn a_learnt_site_sends_what_is_needed_and_looks_the_same() {
    let _alone = crate::running::alone().await;
    let (before, after) = (site(), site());
    let kivet = Running::start().await;
    let (_, rules) = learnt(before.path()).await;
    let places: BTreeSet<&str> = rules.places.keys().map(String::as_str).collect();
    assert_eq!(places, BTreeSet::from(["badge", "mast", "tall", "tile"]));
    assert!(rules.places["tile"].alternatives.len() >= 3, "{:?}", rules.places["tile"]);
    // Half of a column of at most 900 pixels, within the tolerance of a fit.
    let tall = &rules.places["tall"].sizes;
    assert!(tall.starts_with("min(50vw - 2") && tall.ends_with("px, 450px)"), "{tall}");
    for path in ["css/site.css", "index.html", "journal.html"] {
        let order = RewriteOrder {
            html: Some(std::fs::read_to_string(before.path().join(path)).unwrap()),
            page: path.to_owned(),
            folder: Some(before.path().display().to_string()),
            rules: Some(rules.clone()),
            ..RewriteOrder::default()
        };
        let answer = rewritten(&kivet, &order).await;
        assert!(
            answer.changed && answer.pictures.iter().all(|one| one.stays.is_none()),
            "{answer:?}"
        );
        let html = answer.html.unwrap();
        let again = RewriteOrder { html: Some(html.clone()), ..order };
        assert!(!rewritten(&kivet, &again).await.changed, "{path} twice");
        std::fs::write(after.path().join(path), html).unwrap();
    }
    let front = std::fs::read_to_string(after.path().join("index.html")).unwrap();
    assert!(front.contains("<a href=\"pictures/night/lanterns.jpg\">"), "links stay theirs");

    let words = [after.path().display().to_string()];
    checked(&words, Vec::new(), &kivet).await;
    settled(&kivet).await;
    let report = checked(&words, Vec::new(), &kivet).await;
    for page in &report.pages {
        for seen in &page.devices {
            let ratio = seen.sent as f64 / seen.needed as f64;
            println!(
                "{} on the {}: sent {} needed {} ({ratio:.2})",
                page.page, seen.device, seen.sent, seen.needed
            );
            assert!(ratio < 1.8, "{} on the {}: {ratio}", page.page, seen.device);
            assert!(seen.shift.as_ref().is_none_or(|shift| shift.median < 0.001), "{}", page.page);
            let largest = seen.largest.as_ref().expect("a largest paint");
            // Beside the journal's picture, its text is larger on some devices.
            if largest.url.is_empty() && page.page.ends_with("journal.html") {
                continue;
            }
            let row = seen.pictures.iter().find(|row| row.url == largest.url);
            let row = row.unwrap_or_else(|| panic!("{} is no picture: {}", page.page, largest.url));
            assert_eq!(row.priority, "High", "{} on the {}: {}", page.page, seen.device, row.url);
        }
    }
    looks_the_same(&kivet, before.path(), after.path()).await;
    assert_eq!(compared(&kivet, before.path(), after.path()).await, Vec::new());

    // A comparison that finds nothing must be able to find something.
    let sheet = after.path().join("css/site.css");
    let moved = ".tile img { object-position: 0 0; object-fit: none } .tall { width: 47% }";
    let text = std::fs::read_to_string(&sheet).unwrap();
    std::fs::write(&sheet, format!("{text}\n{moved}")).unwrap();
    let found = compared(&kivet, before.path(), after.path()).await;
    let says = |page: &str, element: &str, what: &str| {
        found.iter().any(|one| {
            one.page.ends_with(page) && one.element.contains(element) && one.what.contains(what)
        })
    };
    assert!(says("index.html", "img", "shows something else"), "{found:?}");
    assert!(says("journal.html", "img.tall", "px and was"), "{found:?}");
}

/// The differences between two versions of the site.
async fn compared(kivet: &Running, before: &Path, after: &Path) -> Vec<Difference> {
    let fetcher = Fetcher::new().unwrap();
    let pages = |folder: &Path| vec![folder.display().to_string()];
    let first = targets(&pages(before), &fetcher).await.unwrap();
    let second = targets(&pages(after), &fetcher).await.unwrap();
    let pairs: Vec<_> = first.into_iter().zip(second).collect();
    compare(&pairs, Some(&kivet.root), None, &|_| {}).await.unwrap()
}

#[tokio::test(flavor = "multi_thread")]
async fn urls_stay_after_measuring_a_restart_and_storing_the_rules() {
    let folder = site();
    let kivet = Running::start().await;
    let rules =
        r#"{"places": {"lead": {"sizes": "min(100vw, 1180px)"}}, "rules": [{"place": "lead"}]}"#;
    let order = RewriteOrder {
        html: Some("<img src=pictures/harbour/roofs.jpg>".to_owned()),
        page: "index.html".to_owned(),
        folder: Some(folder.path().display().to_string()),
        rules: Some(serde_json::from_str(rules).unwrap()),
        ..RewriteOrder::default()
    };
    let first = rewritten(&kivet, &order).await.html.unwrap();
    let url = first.split(" src=\"").nth(1).unwrap().split('"').next().unwrap();
    assert_eq!(kivet.get(url).await.status(), 200);
    settled(&kivet).await;
    assert_eq!(rewritten(&kivet, &order).await.html.unwrap(), first, "once it is measured");
    let kivet = kivet.restart().await;
    assert_eq!(rewritten(&kivet, &order).await.html.unwrap(), first, "after a restart");
    assert_eq!(kivet.order(Method::PUT, "/api/rules", rules).await.status(), 200);
    let stored = RewriteOrder { rules: None, ..order };
    assert_eq!(rewritten(&kivet, &stored).await.html.unwrap(), first, "by the stored rules");

    // Rules of another site do not replace a person's own place without being told to.
    let other = rules.replace("1180px", "900px");
    let refused = kivet.order(Method::PUT, "/api/rules", other.as_str()).await;
    assert_eq!(refused.status(), 409);
    let problem: Value = refused.json().await.unwrap();
    assert!(problem["detail"].as_str().unwrap().contains("lead"), "{problem}");
    let told = kivet.order(Method::PUT, "/api/rules?replace-places=true", other.as_str()).await;
    assert_eq!(told.status(), 200);
}

/// Takes what pictures show off a page, so that only the rest of it is compared.
const WITHOUT_PICTURES: &str = "(() => { const style = document.createElement('style');
    style.textContent = 'img { visibility: hidden !important } * { background-image: none !important }';
    document.head.append(style); scrollTo(0, 0);
    return new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(() => done(true)))) })()";

/// Of the pixels beside the pictures at most one in a thousand may differ by more than eight levels
/// of 255 in any channel.
const DIFFERING: f64 = 0.001;
const LEVELS: u8 = 8;

/// The share of pixels that differ.
fn differing(one: &[u8], other: &[u8]) -> f64 {
    let [one, other] = [one, other].map(raster);
    assert_eq!((one.size(), one.channels()), (other.size(), other.channels()));
    let pixels = one.bytes().chunks(one.channels()).zip(other.bytes().chunks(one.channels()));
    let differs = |(one, other): &(&[u8], &[u8])| {
        one.iter().zip(*other).any(|(one, other)| one.abs_diff(*other) > LEVELS)
    };
    pixels.filter(differs).count() as f64 / one.size().pixels() as f64
}

async fn looks_the_same(kivet: &Running, before: &Path, after: &Path) {
    let chromium = Chromium::launch().await.unwrap();
    for device in DEVICES {
        for name in ["index.html", "journal.html"] {
            let mut boxes: Vec<Vec<Boxed>> = Vec::new();
            let mut screens = Vec::new();
            for folder in [before, after] {
                let server = kivet_check::FileServer::start(folder, folder, Some(&kivet.root))
                    .await
                    .unwrap();
                let tab = chromium.tab(device).await.unwrap();
                tab.open(server.url(&folder.join(name)).unwrap().as_str()).await.unwrap();
                tab.scroll_to_end().await.unwrap();
                boxes.push(tab.evaluate(BOXES).await.unwrap());
                assert!(tab.evaluate::<bool>(WITHOUT_PICTURES).await.unwrap());
                screens.push(tab.screenshot().await.unwrap());
                tab.close().await.unwrap();
            }
            assert_eq!(boxes[0].len(), boxes[1].len());
            for (one, other) in boxes[0].iter().zip(&boxes[1]) {
                let moved = [one.1 - other.1, one.2 - other.2, one.3 - other.3, one.4 - other.4];
                assert!(
                    moved.iter().all(|by| by.abs() < 1.0),
                    "{name} on the {}: {one:?} {other:?}",
                    device.name
                );
            }
            let differing = differing(&screens[0], &screens[1]);
            assert!(differing <= DIFFERING, "{name} on the {}: {differing}", device.name);
        }
    }
    chromium.close().await.unwrap();
}

#[tokio::test]
async fn kept_rules_rewrite_pages_in_any_form_they_are_sent_in() {
    let kivet = Running::start().await;
    let unkept = kivet
        .order(Method::POST, "/api/rewrite", r#"{"html": "<img src=a.jpg>", "page": "a.html"}"#)
        .await;
    assert_eq!(unkept.status(), 400);
    let problem: Value = unkept.json().await.unwrap();
    assert!(problem["detail"].as_str().unwrap().contains("kivet learn"), "{problem}");

    let rules = r#"{"addresses": {"img/": "photos/harbour"}, "places": {"plate": {"sizes": "50vw"}},
        "rules": [{"files": "*.gif", "leave": true}, {"select": "p", "place": "plate"}]}"#;
    let kept = kivet.order(Method::PUT, "/api/rules", rules).await;
    assert_eq!(kept.status(), 200);
    let kept: RulesDocument = kept.json().await.unwrap();
    assert_eq!((kept.rules.len(), kept.places["plate"].sizes.as_str()), (2, "50vw"));
    assert_eq!(kivet.order(Method::GET, "/api/places/plate", "").await.status(), 200);

    // Windows-1252, as bytes.
    let page = b"<p>\xe9 <img src=img/roofs.jpg><img src=img/x.gif><img src=img/gone.jpg><img src=other/a.jpg>";
    let order = RewriteOrder {
        base64: Some(STANDARD.encode(page)),
        page: "a.html".to_owned(),
        ..RewriteOrder::default()
    };
    let answer = rewritten(&kivet, &order).await;
    let after = STANDARD.decode(answer.base64.unwrap()).unwrap();
    assert!(after.starts_with(b"<p>\xe9 <img src=\"/pic/"), "{}", String::from_utf8_lossy(&after));
    let stays: Vec<_> =
        answer.pictures.iter().map(|one| one.stays.clone().unwrap_or_default()).collect();
    assert_eq!(stays[..2], ["", "a rule leaves it"]);
    assert!(stays[2].contains("photos/harbour/gone.jpg"), "{stays:?}");
    assert!(stays[3].contains("\"other/\" = \"shelf/folder\""), "{stays:?}");
    assert!(
        answer.notes[0].starts_with("line 1: img/roofs.jpg: no alt is known"),
        "{:?}",
        answer.notes
    );

    let sent = kivet.order(Method::POST, "/api/rewrite?page=a.html", "").await;
    assert_eq!(sent.status(), 400);
    let plain = reqwest::Client::new()
        .post(format!("{}/api/rewrite?page=b.html", kivet.root))
        .bearer_auth(kivet.token())
        .header("content-type", "text/html")
        .body("<p><img alt='' src=img/roofs.jpg></p>")
        .send()
        .await
        .unwrap();
    assert_eq!(
        (plain.status().as_u16(), plain.headers()["content-type"].to_str().unwrap()),
        (200, "text/html")
    );
    assert!(plain.text().await.unwrap().contains("/photos/harbour/roofs.jpg"));
}

#[tokio::test]
async fn rules_that_cannot_be_used_are_refused_with_the_way_out() {
    let kivet = Running::start().await;
    let cases = [
        (r#"{"rules": [{"select": "p"}]}"#, "rule 1, place: is missing; name the place"),
        (
            r#"{"rules": [{"leave": true}, {"select": "p > > a", "leave": true}]}"#,
            "rule 2, select: `p > > a`",
        ),
        (r#"{"rules": [{"files": "a[", "leave": true}]}"#, "rule 1, files: `a[` is not a pattern"),
        (r#"{"rules": [{"of": "pictures", "leave": true}]}"#, "did you mean `picture`?"),
        (r#"{"rules": [{"place": "nowhere"}]}"#, "unknown place `nowhere`"),
        (r#"{"places": {"x": {"sizes": "wide"}}, "rules": []}"#, "the place `x`, sizes"),
        (r#"{"rules": [{"place": "x", "leave": true}]}"#, "rule 1, leave: stands beside a place"),
    ];
    for (rules, says) in cases {
        let answer = kivet.order(Method::PUT, "/api/rules", rules).await;
        let problem: Value = answer.json().await.unwrap();
        assert!(
            problem["detail"].as_str().unwrap_or_default().contains(says),
            "{rules}: {problem}"
        );
    }
}

#[tokio::test]
async fn pages_above_the_limits_stay_as_they_are() {
    let kivet = Running::start_with(|config| config.limits.page_elements = 200).await;
    let rewritten = async |images: usize| {
        let html = "<img src='img/roofs.jpg'>".repeat(images);
        let order = serde_json::json!({
            "html": html, "page": "a.html", "rules": {"rules": [{"leave": true}]},
        });
        let sent = kivet.order(Method::POST, "/api/rewrite", &order.to_string()).await;
        assert_eq!(sent.status(), 200);
        (html, sent.json::<Value>().await.unwrap())
    };
    let (_, small) = rewritten(100).await;
    assert_eq!(
        (small["pictures"].as_array().map(Vec::len), small["notes"][0].is_null()),
        (Some(100), true)
    );
    let (html, large) = rewritten(1_000).await;
    assert_eq!((large["html"].as_str(), &large["changed"]), (Some(html.as_str()), &false.into()));
    let note = large["notes"][0].as_str().unwrap();
    assert!(note.contains("more than 200 elements") && note.contains("[limits]"), "{note}");

    let huge = kivet.order(Method::POST, "/api/rewrite", "x".repeat(33 << 20)).await;
    let problem: Value = huge.json().await.unwrap();
    assert!(problem["detail"].as_str().unwrap().contains("32 MiB at most"), "{problem}");

    let many = vec![serde_json::json!({"leave": true}); 5_001];
    let order = serde_json::json!({ "rules": many }).to_string();
    let refused = kivet.order(Method::PUT, "/api/rules", &order).await;
    let problem: Value = refused.json().await.unwrap();
    assert!(problem["detail"].as_str().unwrap().contains("5001 rules, 5000 at most"), "{problem}");
}

#[tokio::test]
async fn pages_of_an_application_leave_its_layer_rewritten_and_whole_without_a_service() {
    let kivet = Running::start().await;
    let rules = r#"{"addresses": {"/img/": "photos/harbour"}, "rules": [{"place": "card"}]}"#;
    assert_eq!(kivet.order(Method::PUT, "/api/rules", rules).await.status(), 200);
    let page = "<p><img src='/img/roofs.jpg' alt=Roofs></p>";
    let answered = async |service: &str| {
        let pages = Router::new()
            .route("/", get(move || async move { Html(page) }))
            .route("/plain", get(move || async move { page }))
            .layer(RewriteLayer::new(service, &kivet.token()));
        let listener = tokio::net::TcpListener::bind(("127.0.0.1", 0)).await.unwrap();
        let root = format!("http://{}", listener.local_addr().unwrap());
        tokio::spawn(async move { axum::serve(listener, pages).await });
        let text = async |path: &str| {
            reqwest::get(format!("{root}{path}")).await.unwrap().text().await.unwrap()
        };
        (text("/").await, text("/plain").await)
    };
    let (html, plain) = answered(&kivet.root).await;
    assert!(html.starts_with("<p><img src=\"/pic/") && html.ends_with(" alt=Roofs></p>"), "{html}");
    assert_eq!(plain, page);
    let (html, _) = answered("http://127.0.0.1:9").await;
    assert_eq!(html, page);
}
