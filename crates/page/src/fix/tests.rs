//! Fixes and what devices settle on, from pages read as text on all of them.

use std::collections::HashMap;

use kivet_recipe::{Facts, Fidelity, Format, Kind, Size, Storage};

use crate::{
    Budget, Code, DEVICES, TextPage,
    observation::{Fitted, Observation, PictureFile},
    observe,
    report::PageReport,
};

const BYTES: u64 = 2_000_000;

fn seen(body: &str) -> Vec<Vec<Observation>> {
    let html = format!(
        "<!doctype html><html lang=en><title>Kites</title><style>body {{ margin: 0 }}</style><body>{body}</body></html>"
    );
    let url = "https://kites.example/".parse().expect("a URL");
    let file = PictureFile {
        facts: Some(Facts::plain(Format::Jpeg, Size::new(4000, 3000), Storage::Lossy)),
        bytes: BYTES,
        hash: "k".to_owned(),
        metadata_bytes: 0,
        has_location: false,
        kind: Kind::Photo,
    };
    let names = ["k.jpg", "pic/4000w/photos/k.jpg"];
    let files = names.map(|name| (format!("https://kites.example/{name}"), file.clone()));
    let files = HashMap::from(files);
    let page = TextPage { url: &url, html: &html, sheets: &[], files: &files, no_store: false };
    let on = |mut seen: Observation| {
        for request in &mut seen.requests {
            (request.status, request.bytes) = (200, BYTES);
        }
        for place in &mut seen.uses {
            place.fitted = Some(Fitted {
                width: 300,
                height: 225,
                bytes: 9_000,
                format: Format::Avif,
                target: Fidelity::DEFAULT,
                made: true,
            });
        }
        vec![seen]
    };
    let seen = observe(page, &DEVICES, &Budget::default()).expect("a small page");
    seen.into_iter().map(on).collect()
}

fn report(body: &str) -> PageReport {
    let shelved = |url: &str| url.ends_with("/k.jpg").then(|| "photos/k.jpg".to_owned());
    PageReport::new("index.html", &seen(body), &shelved)
}

/// The fix of a page's first finding.
fn fix(body: &str) -> String {
    let report = report(body);
    let first = report.findings.first().unwrap_or_else(|| panic!("nothing was found in {body}"));
    first.fix.clone()
}

#[test]
fn all_findings_of_an_element_have_one_fix_that_serves_every_device() {
    let report = report(r#"<img src="k.jpg" style="width: 140px" class="face">"#);
    let codes: Vec<Code> = report.findings.iter().map(|one| one.code).collect();
    assert!(codes.contains(&Code::MorePixels) && codes.contains(&Code::AltMissing), "{codes:?}");
    let fixes: Vec<&str> = report.findings.iter().map(|one| one.fix.as_str()).collect();
    assert!(fixes.windows(2).all(|pair| pair[0] == pair[1]), "{fixes:?}");
    // As wide as the densest device shows it, and no wider than a step above.
    let widths: Vec<u32> = fixes[0]
        .split(' ')
        .filter_map(|word| word.trim_end_matches([',', '"']).strip_suffix('w')?.parse().ok())
        .collect();
    assert!(widths.iter().any(|width| (400..=460).contains(width)), "{}", fixes[0]);
    assert!(widths.iter().all(|width| *width <= 560), "{}", fixes[0]);
    for part in
        ["/photos/k.jpg 140w", "sizes=\"140px\"", "add alt=\"...\" with words", "class=\"face\""]
    {
        assert!(fixes[0].contains(part), "{part} is missing in {}", fixes[0]);
    }
    // What the style attribute says stays.
    assert!(fixes[0].contains("style=\"width: 140px"), "{}", fixes[0]);
}

#[test]
fn what_a_tag_cannot_fix_names_the_way() {
    let sized = r#"width="140" height="105" alt="Kites""#;
    let elsewhere =
        PageReport::new("index.html", &seen(&format!(r#"<img src="k.jpg" {sized}>"#)), &|_| None);
    let fix_elsewhere = &elsewhere.findings[0].fix;
    assert!(fix_elsewhere.contains("/<shelf>/k.jpg"), "{fix_elsewhere}");
    assert!(fix_elsewhere.contains("kivet init"), "{fix_elsewhere}");
    let served = fix(&format!(r#"<img src="pic/4000w/photos/k.jpg" {sized}>"#));
    assert!(served.contains("kivet markup photos/k.jpg --sizes \"140px\""), "{served}");
    let directed = fix(&format!(
        r#"<picture><source media="(min-width: 1px)" srcset="k.jpg"><img src="k.jpg" {sized}></picture>"#
    ));
    assert!(directed.contains("kivet learn"), "{directed}");
    let poster = fix(r#"<video poster="k.jpg" style="width: 140px; height: 105px"></video>"#);
    assert!(poster.contains(" poster=\"/pic/"), "{poster}");
    let background = fix(
        r#"<div class="sky" style="width: 140px; height: 105px; background: url(k.jpg) center / cover"></div>"#,
    );
    assert!(background.contains(":root { --k: image-set("), "{background}");
    assert!(
        background.contains("write var(--k) instead of the url() of k.jpg in the style attribute")
    );
}

#[test]
fn a_preload_names_what_is_shown_from_then_on() {
    let largest = |style: &str| {
        fix(&format!(
            r#"<div class="sky" style="width: 100%; height: 300px; background: url(k.jpg) {style}"></div>"#
        ))
    };
    let links = |fix: &str| {
        let parts = fix.split("<link ").skip(1);
        parts.map(|link| link.split('>').next().unwrap_or_default().to_owned()).collect::<Vec<_>>()
    };
    let written = largest("center / cover");
    let links = links(&written);
    assert!(
        !links.is_empty() && links.iter().all(|link| link.contains("href=\"/pic/")),
        "{written}"
    );
}

#[test]
fn the_more_common_case_decides_where_devices_disagree() {
    let at = |top: u32, more: &str| {
        let body = format!(
            r#"<div style="height: {top}px"></div><img src="k.jpg" width="140" height="105" alt="Kites"{more}>"#
        );
        let report = report(&body);
        move |code| report.findings.iter().find(|one| one.code == code).map(|one| one.why.clone())
    };
    // In the first screen of the tablet and the wide desktop only.
    let why = at(1000, "")(Code::EagerBelow).expect("below on most devices");
    assert!(why.ends_with("it is in the first screen of the tablet, wide desktop, and the fix is made for the others"), "{why}");
    assert_eq!(at(1000, " loading=lazy")(Code::LazyAbove), None);
    // In that of all but the small phone.
    assert_eq!(at(720, "")(Code::EagerBelow), None);
    let why = at(600, " loading=lazy")(Code::LazyAbove).expect("above on most devices");
    assert!(!why.contains("outside"), "{why}");
    assert_eq!(at(400, "")(Code::LazyAbove), None);
}
