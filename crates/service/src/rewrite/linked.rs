//! The backgrounds that a page's stylesheets show.

use std::{collections::BTreeSet, path::Path};

use kivet_page::rewrite::{Address, Scan, backgrounds, imports};

/// Imports are followed this deep.
const MAX_DEPTH: usize = 4;

/// No more stylesheets are read for a page.
const MAX_SHEETS: usize = 64;

/// The paths, in the site, of the pictures that the stylesheets of a page show as backgrounds: those in
/// it and those it links, with what they import. Blocks.
pub(super) fn shown(folder: &Path, page: &str, html: &[u8], scan: &Scan) -> BTreeSet<String> {
    let mut sheets = Sheets { folder, read: BTreeSet::new(), shown: BTreeSet::new() };
    let base = scan.base.as_deref();
    for css in scan.sheets.iter().filter_map(|range| std::str::from_utf8(&html[range.clone()]).ok())
    {
        sheets.add(css, page, base, 0);
    }
    for href in &scan.stylesheets {
        sheets.read(&Address::of(href, page, base), 0);
    }
    sheets.shown
}

struct Sheets<'a> {
    folder: &'a Path,
    read: BTreeSet<String>,
    shown: BTreeSet<String>,
}

impl Sheets<'_> {
    fn read(&mut self, address: &Address, depth: usize) {
        let Address::Site(path) = address else { return };
        if depth > MAX_DEPTH || self.read.len() >= MAX_SHEETS || !self.read.insert(path.clone()) {
            return;
        }
        // A sheet that cannot be read shows nothing.
        if let Ok(css) = std::fs::read_to_string(self.folder.join(path)) {
            self.add(&css, path, None, depth);
        }
    }

    fn add(&mut self, css: &str, at: &str, base: Option<&str>, depth: usize) {
        for one in backgrounds(css) {
            self.shown.insert(Address::of(&one.written, at, base).path().to_owned());
        }
        for import in imports(css) {
            self.read(&Address::of(&import, at, base), depth + 1);
        }
    }
}
