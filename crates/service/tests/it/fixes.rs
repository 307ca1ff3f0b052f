//! The fixes that a check prints, applied: nothing is left to find, and nothing moved.

use std::{collections::BTreeMap, path::Path};

use kivet_browser::Chromium;
use kivet_check::{FileServer, ShelfFolder};
use kivet_page::{Code, DEVICES, report::Report};
use serde_json::json;

use crate::{
    rewriting::{BOXES, Boxed, checked, settled},
    running::Running,
};

const PAGES: [&str; 2] = ["gallery.html", "index.html"];

/// Findings that a fix may leave: words, animations and drawings are a person's to make, a crop keeps
/// what windows of other sizes show, and a background has few stretches of widths.
const LEFT: [Code; 6] = [
    Code::AnimatedGif,
    Code::FlatAsPixels,
    Code::AltMissing,
    Code::AltUseless,
    Code::CutAway,
    Code::MorePixels,
];

/// Replaces each element by its fix: tags where they stand, links in the head, rules behind all
/// others, and the declarations that name what those set.
const APPLIED: &str = "(fixes) => {
    for (const [path, fix] of fixes) {
        const found = document.querySelector(path);
        const tags = fix.match(/^(in place of the whole picture element: )?(<(?:img|picture|iframe)[^]*?>)(?=;|$)/);
        if (tags && found) (tags[1] ? found.closest('picture') : found).outerHTML = tags[2];
        for (const link of fix.match(/<link [^>]*>/g) ?? []) {
            document.head.insertAdjacentHTML('afterbegin', link);
        }
        const rules = fix.match(/^[^<]*\\{[^]*\\}/);
        if (rules) document.head.insertAdjacentHTML('beforeend', '<style>' + rules[0] + '</style>');
        const named = fix.match(/write (var\\(--[\\w-]+\\)) instead of the url\\(\\) of (\\S+) in the style (sheet|attribute)/);
        if (!named) continue;
        const [, variable, file, place] = named;
        const sheets = [...document.styleSheets].flatMap((sheet) => [...sheet.cssRules]);
        const within = (rules) => rules.flatMap((rule) => [rule, ...within([...(rule.cssRules ?? [])])]);
        for (const { style } of place === 'sheet' ? within(sheets) : [found]) {
            const value = style?.backgroundImage ?? '';
            const url = value.match(/url\\(\"[^\"]*\"\\)/g)?.find((one) => one.includes(file));
            if (url) style.backgroundImage = value.replace(url, variable);
        }
    }
    for (const link of document.querySelectorAll('link[rel=stylesheet]')) {
        const text = [...link.sheet.cssRules].map((rule) => rule.cssText).join('\\n');
        link.outerHTML = '<style>' + text + '</style>';
    }
    return '<!doctype html>' + document.documentElement.outerHTML;
}";

/// A check of the pages in a folder.
async fn pages_of(folder: &Path, kivet: &Running) -> Report {
    let words = PAGES.map(|page| folder.join(page).display().to_string());
    let folder = crate::running::demo().join("originals");
    checked(&words, vec![ShelfFolder { name: "photos".to_owned(), folder }], kivet).await
}

#[tokio::test(flavor = "multi_thread")]
async fn every_fix_applied_leaves_nothing_to_find_and_the_page_as_it_was() {
    let _alone = crate::running::alone().await;
    let kivet = Running::start().await;
    let folder = tempfile::tempdir().unwrap();
    let originals = crate::running::demo().join("originals").canonicalize().unwrap();
    std::os::unix::fs::symlink(originals, folder.path().join("originals")).unwrap();
    let (before, after) = (folder.path().join("before"), folder.path().join("after"));
    for site in [&before, &after] {
        std::fs::create_dir(site).unwrap();
        for file in PAGES.into_iter().chain(["festival.css"]) {
            std::fs::copy(crate::running::demo().join("site").join(file), site.join(file)).unwrap();
        }
    }
    let report = pages_of(&before, &kivet).await;
    let chromium = Chromium::launch().await.unwrap();
    for page in &report.pages {
        let name = Path::new(&page.page).file_name().unwrap();
        let mut fixes: BTreeMap<&str, &str> = BTreeMap::new();
        for finding in &page.findings {
            let known = fixes.insert(&finding.element.path, &finding.fix);
            assert!(known.is_none_or(|known| known == finding.fix), "one fix: {known:?}");
            assert!(!finding.fix.contains("<shelf>"), "{}", finding.fix);
        }
        // From the last to the first, so that paths stay true.
        let fixes: Vec<(&str, &str)> = fixes.into_iter().rev().collect();
        let server = FileServer::start(folder.path(), &before, Some(&kivet.root)).await.unwrap();
        let tab = chromium.tab(DEVICES[3]).await.unwrap();
        tab.open(server.url(&before.join(name)).unwrap().as_str()).await.unwrap();
        let html: String = tab.evaluate(&format!("({APPLIED})({})", json!(fixes))).await.unwrap();
        std::fs::write(after.join(name), html).unwrap();
        tab.close().await.unwrap();
    }
    pages_of(&after, &kivet).await;
    settled(&kivet).await;

    let report = pages_of(&after, &kivet).await;
    let left: Vec<String> = report
        .findings()
        .filter(|(_, one)| !LEFT.contains(&one.code))
        .map(|(page, one)| {
            format!("{}: {} {}: {}", page.page, one.code, one.element.selector, one.why)
        })
        .collect();
    assert!(left.is_empty(), "{}", left.join("\n"));
    for device in DEVICES {
        for name in PAGES {
            let mut boxes: Vec<Vec<Boxed>> = Vec::new();
            for site in [&before, &after] {
                let server =
                    FileServer::start(folder.path(), site, Some(&kivet.root)).await.unwrap();
                let tab = chromium.tab(device).await.unwrap();
                tab.open(server.url(&site.join(name)).unwrap().as_str()).await.unwrap();
                tab.scroll_to_end().await.unwrap();
                boxes.push(tab.evaluate(BOXES).await.unwrap());
                tab.close().await.unwrap();
            }
            assert_eq!(boxes[0].len(), boxes[1].len(), "{name}");
            for (one, other) in boxes[0].iter().zip(&boxes[1]) {
                let moved = [one.1 - other.1, one.2 - other.2, one.3 - other.3, one.4 - other.4];
                assert!(
                    moved.iter().all(|by| by.abs() < 1.0),
                    "{name} on the {}: {one:?} is {other:?}",
                    device.name
                );
            }
        }
    }
}
