//! The test pages: each is built around one mistake, or around something that only looks like one.

use std::{collections::BTreeSet, path::Path};

/// A page and what is to be found on it.
#[derive(Clone, Default)]
pub struct TestPage {
    pub name: String,
    pub html: String,
    /// As `code selector`.
    pub finds: BTreeSet<String>,
    /// What cannot be seen without running the page.
    pub unseen_in_text: BTreeSet<String>,
    pub devices: Vec<String>,
    pub headers: Vec<(String, String)>,
}

/// All test pages.
pub fn all() -> Vec<TestPage> {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/pages");
    let mut files: Vec<_> = std::fs::read_dir(folder)
        .expect("the pages")
        .map(|entry| entry.expect("an entry").path())
        .collect();
    files.sort();
    files.iter().map(|file| read(file)).collect()
}

fn read(file: &Path) -> TestPage {
    let html = std::fs::read_to_string(file).expect("a page");
    let notes = html
        .split("<!--")
        .nth(1)
        .and_then(|rest| rest.split("-->").next())
        .expect("a note of what is to be found");
    let note = |name: &str| {
        let line =
            notes.lines().find_map(|line| line.trim().strip_prefix(name)?.strip_prefix(": "));
        line.map(str::to_owned)
    };
    let list = |name: &str| -> BTreeSet<String> {
        let words = note(name).unwrap_or_default();
        words
            .split(", ")
            .filter(|one| !one.is_empty() && *one != "nothing")
            .map(str::to_owned)
            .collect()
    };
    TestPage {
        name: file.file_stem().and_then(|stem| stem.to_str()).expect("a name").to_owned(),
        finds: list("finds"),
        unseen_in_text: list("unseen in text"),
        devices: note("devices")
            .unwrap_or("laptop".to_owned())
            .split(", ")
            .map(str::to_owned)
            .collect(),
        headers: note("headers")
            .iter()
            .filter_map(|line| line.split_once(": "))
            .map(|(a, b)| (a.to_owned(), b.to_owned()))
            .collect(),
        html,
    }
}
