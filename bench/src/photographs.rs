//! The demo's photographs.

use std::path::Path;

use anyhow::{Context, Result};

/// Every JPEG of the demo, by path.
const NAMES: [&str; 13] = [
    "beach/breakers",
    "beach/dunes-noon",
    "beach/high-kites",
    "field/storm-front",
    "harbour/kites-dawn",
    "harbour/roofs",
    "makers/ilse-varga",
    "makers/noor-hale",
    "makers/tomas-reed",
    "night/fire-tails",
    "night/lanterns",
    "workshop/bench",
    "workshop/sailcloth",
];

/// The bytes of one photograph.
pub fn read(name: &str) -> Result<Vec<u8>> {
    let file = Path::new(env!("CARGO_MANIFEST_DIR")).join("../demo/originals").join(name).with_extension("jpg");
    std::fs::read(&file).with_context(|| format!("cannot read {}", file.display()))
}

/// All of them.
pub fn all() -> Result<Vec<(&'static str, Vec<u8>)>> {
    NAMES.into_iter().map(|name| Ok((name, read(name)?))).collect()
}
