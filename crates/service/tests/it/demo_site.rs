//! The festival's pages, as written and with Kivet's markup, held against everything that was done
//! wrong on them.

use kivet_browser::{Chromium, Device};
use kivet_check::{CheckOptions, Fetcher, check, targets};
use kivet_page::{
    DEVICES,
    report::{Mode, PageReport, Report},
};

use crate::running::Running;

/// What hurried people did, page by page: the code, and a part of the selector or address it is
/// found at.
const PLANTED: [(&str, &[(&str, &str)]); 6] = [
    (
        "index.html",
        &[
            ("largest-found-late", "div.banner"),
            ("pixels-cut-away", "div.banner"),
            ("more-pixels-than-shown", "lanterns.jpg"),
            ("more-pixels-than-shown", "windmark-logo.png"),
            ("better-format", "kites-dawn.jpg"),
            ("flat-as-pixels", "img.logo"),
            ("flat-as-pixels", "sponsor-gale.png"),
            ("animated-gif", "windsock.gif"),
            ("eager-below", "roofs.jpg"),
            ("eager-below", "sponsor-ellery.png"),
            ("no-room-reserved", "dunes-noon.jpg"),
            ("alt-missing", "lanterns.jpg"),
            ("alt-useless", "breakers.jpg"),
        ],
    ),
    (
        "programme.html",
        &[
            ("more-pixels-than-shown", "high-kites.jpg"),
            ("no-room-reserved", "bench.jpg"),
            ("alt-missing", "fire-tails.jpg"),
        ],
    ),
    (
        "makers.html",
        &[
            ("more-pixels-than-shown", "ilse-varga.jpg"),
            ("no-room-reserved", "sailcloth.jpg"),
            ("better-format", "green-delta.png"),
            ("alt-missing", "tomas-reed.jpg"),
        ],
    ),
    (
        "gallery.html",
        &[
            ("more-pixels-than-shown", "sailcloth.jpg"),
            ("wrong-dimensions", "kites-dawn.jpg"),
            ("better-format", "lanterns.jpg"),
            ("alt-missing", "storm-front.jpg"),
        ],
    ),
    (
        "journal.html",
        &[
            ("eager-below", "storm-front.jpg"),
            ("no-room-reserved", "img.float"),
            ("more-pixels-than-shown", "noor-hale.jpg"),
            ("alt-missing", "lanterns.jpg"),
        ],
    ),
    (
        "visit.html",
        &[
            ("heavy-embed", "film.html"),
            ("heavy-embed", "map.html"),
            ("no-room-reserved", "roofs.jpg"),
            ("alt-missing", "roofs.jpg"),
        ],
    ),
];

async fn checked(kivet: &Running, mode: Mode) -> Report {
    let pages = PLANTED.iter().map(|(page, _)| *page).chain(["with-kivet.html"]);
    let words: Vec<String> = pages.map(|page| format!("{}/demo/site/{page}", kivet.root)).collect();
    let fetcher = Fetcher::new().unwrap();
    let targets = targets(&words, &fetcher).await.unwrap();
    let options = CheckOptions {
        mode,
        devices: DEVICES.to_vec(),
        runs: 1,
        throttled: false,
        program: None,
        thumbnails: false,
        pictures: None,
        at_once: 3,
        shelves: Vec::new(),
        sweeps: true,
        limits: kivet_page::PageLimits::DEFAULT,
    };
    let report = check(&targets, &options, &fetcher, &|_| {}).await.unwrap();
    assert!(report.failures.is_empty(), "{:?}", report.failures);
    report
}

fn page<'a>(report: &'a Report, name: &str) -> &'a PageReport {
    report.pages.iter().find(|page| page.page.ends_with(name)).unwrap()
}

#[tokio::test(flavor = "multi_thread")]
async fn every_planted_mistake_is_found_on_every_device_and_reading_predicts_what_browsers_take() {
    let _alone = crate::running::alone().await;
    let kivet = Running::start().await;
    let seen = checked(&kivet, Mode::Browser).await;
    planted_mistakes_are_found(&seen);
    bytes_are_the_browsers_own(&kivet, &seen).await;
    let read = checked(&kivet, Mode::Text).await;
    reading_takes_the_same_candidates(&read, &seen);
    for device in DEVICES {
        let of = |name: &str| {
            page(&seen, name).devices.iter().find(|one| one.device == device.name).unwrap()
        };
        let (written, with) = (of("index.html"), of("with-kivet.html"));
        println!(
            "{}: front page sends {} and needs {}; with Kivet {} and {}",
            device.name, written.sent, written.needed, with.sent, with.needed
        );
        assert!(with.sent * 20 < written.sent && with.needed <= with.sent);
    }
}

fn planted_mistakes_are_found(seen: &Report) {
    let mut missed = Vec::new();
    for (name, planted) in PLANTED {
        for (code, place) in planted {
            let findings =
                page(seen, name).findings.iter().filter(|one| one.code.as_str() == *code);
            let mut here = findings
                .filter(|one| one.element.selector.contains(place) || one.url.ends_with(place));
            let devices = here.next().map_or(Vec::new(), |one| {
                one.costs.iter().map(|cost| cost.device.clone()).collect()
            });
            let without =
                DEVICES.iter().filter(|device| !devices.iter().any(|one| one == device.name));
            missed.extend(
                without.map(|device| format!("{name}: {code} at {place} on the {}", device.name)),
            );
        }
    }
    assert!(missed.is_empty(), "{}", missed.join("\n"));
}

/// The report's bytes against the browser's own account (Resource Timing), on a visit of its own.
async fn bytes_are_the_browsers_own(kivet: &Running, seen: &Report) {
    let chromium = Chromium::launch().await.unwrap();
    let tab = chromium.tab(Device::named("laptop").unwrap()).await.unwrap();
    tab.open(&format!("{}/demo/site/index.html", kivet.root)).await.unwrap();
    tab.scroll_to_end().await.unwrap();
    let own: Vec<(String, u64)> = tab
        .evaluate("performance.getEntriesByType('resource').filter(one => /\\.(jpg|png|gif)$/.test(one.name)).map(one => [one.name, one.encodedBodySize])")
        .await
        .unwrap();
    let laptop =
        page(seen, "index.html").devices.iter().find(|one| one.device == "laptop").unwrap();
    assert_eq!((own.len(), laptop.requests), (13, 13));
    for row in &laptop.pictures {
        let (_, body) = own.iter().find(|(url, _)| *url == row.url).unwrap();
        // Over the wire come the headers, too.
        assert!(
            row.sent > *body && row.sent < body + 1_000,
            "{}: {} sent, a body of {body}",
            row.url,
            row.sent
        );
    }
    let total: u64 = laptop.pictures.iter().map(|row| row.sent).sum();
    assert_eq!(total, laptop.sent);
    chromium.close().await.unwrap();
}

fn reading_takes_the_same_candidates(read: &Report, seen: &Report) {
    let mut compared = 0;
    for (read, seen) in read.pages.iter().zip(&seen.pages) {
        for (read_on, seen_on) in read.devices.iter().zip(&seen.devices) {
            let taken = |rows: &[kivet_page::report::PictureRow]| -> Vec<(Option<u64>, String)> {
                rows.iter().map(|row| (row.line, row.url.clone())).collect()
            };
            let (predicted, actual) = (taken(&read_on.pictures), taken(&seen_on.pictures));
            assert_eq!(predicted, actual, "{} on the {}", seen.page, seen_on.device);
            compared += actual.len();
        }
    }
    assert!(compared > 200, "{compared}");
}
