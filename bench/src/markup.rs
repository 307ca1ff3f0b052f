//! How fast markup is written, on one core: what templates and rewriting rest on.

use std::{hint::black_box, path::Path, time::Instant};

use anyhow::{Context, Result, ensure};
use kivet_image::{Limits, analyse, probe};
use kivet_page::{
    Offered, PlaceDocument,
    markup::{Alt, Form, Options, Picture, Use, write},
};

use crate::{clock::timed, pages::memory_mib};

/// Elements written, the goal for a second, and how many MiB memory may grow.
const ELEMENTS: usize = 200_000;
const A_SECOND: f64 = 100_000.0;
const GROWTH_MIB: u64 = 4;

/// Prints the table and fails if a goal is missed.
pub fn run() -> Result<()> {
    let file = Path::new(env!("CARGO_MANIFEST_DIR")).join("../demo/originals/night/lanterns.jpg");
    let bytes = std::fs::read(file)?;
    let mut facts = probe(&bytes, Limits::DEFAULT)?;
    facts.analysis = Some(analyse(&bytes, &facts, Limits::DEFAULT)?);
    let document = PlaceDocument {
        ratio: Some("3 / 2".to_owned()),
        placeholder: Some("soft".to_owned()),
        ..PlaceDocument::of_sizes("(min-width: 60em) 33vw, 100vw")
    };
    let place = document.checked(&"card".parse()?)?;
    let started = Instant::now();
    let offered = Offered::expected(&place, &facts, false);
    let ladder_ms = started.elapsed().as_secs_f64() * 1e3;
    let picture =
        Picture { base: "", path: "photos/night/lanterns.jpg", facts: &facts, version: None };
    let one = Use {
        picture,
        place: &place,
        offered: &offered,
        alt: Alt::Text("Lit kites above a field"),
    };
    let options = Options::default();
    let write_all = |count: usize| {
        (0..count).map(|_| black_box(write(Form::Img, &one, &options)).text.len()).sum::<usize>()
    };
    let length = write_all(1000) / 1000;
    let before = memory_mib()?;
    let ((), seconds) = timed(|| {
        write_all(ELEMENTS);
        Ok(())
    })?;
    let growth = memory_mib()?.saturating_sub(before);
    let rate = ELEMENTS as f64 / seconds;
    let widths = offered.layouts.first().context("a layout")?.steps.len();
    println!(
        "| elements | widths | bytes each | a second, on one core | memory grew by, MiB | choosing the ladder, ms |"
    );
    println!("| --: | --: | --: | --: | --: | --: |");
    println!("| {ELEMENTS} | {widths} | {length} | {rate:.0} | {growth} | {ladder_ms:.1} |");
    ensure!(rate >= A_SECOND, "fewer than {A_SECOND} elements a second");
    ensure!(growth <= GROWTH_MIB, "memory grew by {growth} MiB");
    Ok(())
}
