//! Every test page against what is to be found on it.

use std::collections::{BTreeMap, BTreeSet};

use kivet_check::{CheckOptions, Fetcher, Place, Target, check};
use kivet_page::{Device, report::Mode};

use crate::{pages, pages::TestPage, server::Site};

/// What was found on each page, as `code selector`.
async fn found(mode: Mode, pages: &[TestPage], site: &Site) -> BTreeMap<String, BTreeSet<String>> {
    let mut found = BTreeMap::new();
    let mut devices: Vec<&Vec<String>> = pages.iter().map(|page| &page.devices).collect();
    devices.sort();
    devices.dedup();
    for group in devices {
        let targets: Vec<Target> = pages
            .iter()
            .filter(|page| page.devices == *group)
            .map(|page| {
                let url = format!("{}/page/{}", site.root, page.name).parse().expect("an address");
                Target { name: page.name.clone(), place: Place::Web(url) }
            })
            .collect();
        let options = CheckOptions {
            mode,
            devices: group.iter().map(|name| Device::named(name).expect("a device")).collect(),
            runs: 1,
            throttled: false,
            program: None,
            thumbnails: false,
            pictures: None,
            at_once: 6,
            shelves: Vec::new(),
            sweeps: true,
            limits: kivet_page::PageLimits::DEFAULT,
        };
        let report = check(&targets, &options, &Fetcher::new().expect("a client"), &|_| {})
            .await
            .expect("checked");
        assert!(report.failures.is_empty(), "{:?}", report.failures);
        for page in report.pages {
            let findings = page
                .findings
                .iter()
                .map(|one| format!("{} {}", one.code, one.element.selector))
                .collect();
            found.insert(page.page, findings);
        }
    }
    found
}

/// What is missing and what is too much, page by page.
fn differences(pages: &[TestPage], found: &BTreeMap<String, BTreeSet<String>>) -> Vec<String> {
    let mut differences = Vec::new();
    for page in pages {
        let found = &found[&page.name];
        differences
            .extend(page.finds.difference(found).map(|one| format!("{}: misses {one}", page.name)));
        differences.extend(
            found.difference(&page.finds).map(|one| format!("{}: false alarm {one}", page.name)),
        );
    }
    differences
}

#[tokio::test(flavor = "multi_thread")]
async fn a_browser_finds_every_mistake_and_nothing_else() {
    let pages = pages::all();
    assert!(pages.len() >= 50);
    let site = Site::start(pages.clone()).await;
    let found = found(Mode::Browser, &pages, &site).await;
    let differences = differences(&pages, &found);
    assert!(differences.is_empty(), "{} pages:\n{}", pages.len(), differences.join("\n"));
}

#[tokio::test(flavor = "multi_thread")]
async fn text_alone_finds_nearly_all() {
    let pages = pages::all();
    let site = Site::start(pages.clone()).await;
    let found = found(Mode::Text, &pages, &site).await;
    let mut differences = differences(&pages, &found);
    let expected: usize = pages.iter().map(|page| page.finds.len()).sum();
    println!("{} of {expected} findings on {} pages wrong in text", differences.len(), pages.len());
    let unseen = |page: &TestPage| {
        let misses = |one: &String| format!("{}: misses {one}", page.name);
        page.unseen_in_text.iter().map(misses).collect::<Vec<_>>()
    };
    let unseen: BTreeSet<String> = pages.iter().flat_map(unseen).collect();
    differences.retain(|one| !unseen.contains(one));
    assert!(differences.is_empty(), "{}", differences.join("\n"));
    // What is known to need a browser, and nothing else, is written on its page.
    for page in &pages {
        let known = page.unseen_in_text.iter().filter(|one| found[&page.name].contains(*one));
        assert_eq!(known.count(), 0, "{} is said to be unseen in text, and is seen", page.name);
    }
}
