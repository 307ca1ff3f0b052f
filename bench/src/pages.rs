//! A thousand generated pages checked as text: time a page, and memory as pages go by.

use std::{fmt::Write, path::Path, sync::Mutex, time::Instant};

use anyhow::{Context, Result, ensure};
use kivet_check::{CheckOptions, Fetcher, Progress, check, targets};
use kivet_page::{DEVICES, report::Mode};

/// Pages checked.
const PAGES: usize = 1000;

/// Resident memory may grow by so much over the last nine tenths of the pages: their reports, which
/// are the result.
const GROWTH_MIB: u64 = 64;

/// Pictures on each page, from the demo's originals.
const PICTURES: [&str; 8] = [
    "beach/breakers.jpg",
    "beach/dunes-noon.jpg",
    "harbour/roofs.jpg",
    "night/lanterns.jpg",
    "workshop/bench.jpg",
    "kites/six-panel.png",
    "brand/windmark-logo.png",
    "motion/windsock.gif",
];

/// Generates the pages, checks them and prints the figures.
pub fn run() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let originals =
        Path::new(env!("CARGO_MANIFEST_DIR")).join("../demo/originals").canonicalize()?;
    for at in 0..PAGES {
        std::fs::write(folder.path().join(format!("page-{at:04}.html")), page(at, &originals))?;
    }
    let runtime = tokio::runtime::Builder::new_multi_thread().enable_all().build()?;
    let fetcher = Fetcher::new()?;
    let targets = runtime.block_on(targets(&[folder.path().display().to_string()], &fetcher))?;
    ensure!(targets.len() == PAGES, "{} pages", targets.len());
    let options = CheckOptions {
        mode: Mode::Text,
        devices: DEVICES.to_vec(),
        runs: 1,
        throttled: false,
        program: None,
        thumbnails: false,
        pictures: None,
        shelves: Vec::new(),
        sweeps: true,
        limits: kivet_page::PageLimits::DEFAULT,
        at_once: 8,
    };
    let resident: Mutex<Vec<(usize, u64)>> = Mutex::default();
    let note = |progress: Progress<'_>| {
        let mut resident = resident.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
        if progress.done.is_multiple_of(100)
            && resident.last().is_none_or(|(done, _)| *done != progress.done)
        {
            resident.extend(memory_mib().ok().map(|mib| (progress.done, mib)));
        }
    };
    let started = Instant::now();
    let report = runtime.block_on(check(&targets, &options, &fetcher, &note))?;
    let took = started.elapsed();
    ensure!(report.failures.is_empty(), "{:?}", report.failures.first());
    let findings = report.findings().count();
    println!(
        "{PAGES} pages of {} pictures on {} devices as text: {:.1} s, {:.1} ms a page, {findings} findings",
        PICTURES.len(),
        DEVICES.len(),
        took.as_secs_f64(),
        took.as_secs_f64() * 1e3 / PAGES as f64
    );
    println!("\n| pages done | resident memory, MiB |\n| --- | --- |");
    let resident = resident.into_inner().unwrap_or_else(std::sync::PoisonError::into_inner);
    for (done, mib) in &resident {
        println!("| {done} | {mib} |");
    }
    let early = resident.iter().find(|(done, _)| *done >= PAGES / 10).context("no reading")?.1;
    let last = resident.last().context("no reading")?.1;
    ensure!(last <= early + GROWTH_MIB, "memory grew from {early} to {last} MiB");
    Ok(())
}

/// A page of cards, each page a little different.
fn page(at: usize, originals: &Path) -> String {
    let columns = at % 4 + 1;
    let mut html = format!(
        "<!doctype html>\n<html lang=\"en\">\n<head>\n<title>Page {at}</title>\n<style>\n.cards {{ display: grid; grid-template-columns: repeat({columns}, 1fr); gap: {}px; }}\n.cards img {{ width: 100%; height: auto; }}\n@media (max-width: {}px) {{ .cards {{ grid-template-columns: 1fr; }} }}\n</style>\n</head>\n<body>\n<h1>Page {at}</h1>\n<div class=\"cards\">\n",
        at % 30,
        500 + at % 400
    );
    for (place, picture) in
        PICTURES.iter().cycle().skip(at % PICTURES.len()).take(PICTURES.len()).enumerate()
    {
        let lazy = if place % 2 == 1 { " loading=\"lazy\"" } else { "" };
        // Writing to a string cannot fail.
        let _ = writeln!(
            html,
            "<div><img src=\"{}\" alt=\"Kites, {at}-{place}\"{lazy}><p>A card.</p></div>",
            originals.join(picture).display()
        );
    }
    html + "</div>\n</body>\n</html>\n"
}

/// This process's resident memory (proc(5), `VmRSS`).
pub fn memory_mib() -> Result<u64> {
    let status = std::fs::read_to_string("/proc/self/status")?;
    let line = status.lines().find_map(|line| line.strip_prefix("VmRSS:")).context("no VmRSS")?;
    Ok(line.trim().trim_end_matches(" kB").parse::<u64>()? / 1024)
}
