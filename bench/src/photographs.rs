//! The demo's photographs and drawings.

use std::path::Path;

use anyhow::{Context, Result};

/// Every JPEG of the demo, by path.
pub const NAMES: [&str; 13] = [
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

/// Every flat drawing of the demo that is stored in pixels.
const DRAWINGS: [&str; 4] =
    ["brand/sponsor-ellery", "brand/sponsor-gale", "brand/sponsor-tern", "brand/windmark-logo"];

/// The bytes of one photograph.
pub fn read(name: &str) -> Result<Vec<u8>> {
    original(&format!("{name}.jpg"))
}

/// All of them.
pub fn all() -> Result<Vec<Vec<u8>>> {
    NAMES.into_iter().map(read).collect()
}

/// All drawings.
pub fn drawings() -> Result<Vec<Vec<u8>>> {
    DRAWINGS.into_iter().map(|name| original(&format!("{name}.png"))).collect()
}

fn original(path: &str) -> Result<Vec<u8>> {
    let file = Path::new(env!("CARGO_MANIFEST_DIR")).join("../demo/originals").join(path);
    std::fs::read(&file).with_context(|| format!("cannot read {}", file.display()))
}
