//! `kivet check --watch`: one line for what each saved file gained or lost.

use std::{
    collections::HashMap,
    path::Path,
    process::ExitCode,
    sync::mpsc::{Receiver, channel},
    time::Duration,
};

use anyhow::{Context, Result, bail};
use kivet_check::{CheckOptions, Fetcher, Place, Target, check};
use kivet_page::report::{PageReport, Report, compare};
use notify::{Event, RecursiveMode, Watcher};
use tokio::runtime::Runtime;

use super::checked;
use crate::{client::driven, output::bytes};

/// Editors save in several steps; they are taken for one when they come closer together than this.
const SETTLED: Duration = Duration::from_millis(250);

/// Checks once, then again after every save, until stopped.
pub fn watch(
    runtime: &Runtime,
    targets: &[Target],
    options: &CheckOptions,
    fetcher: &Fetcher,
) -> Result<ExitCode> {
    let roots: Vec<&Path> = targets.iter().filter_map(root).collect();
    if roots.is_empty() {
        bail!("--watch needs files or folders; pages on a server say nothing when they change");
    }
    let (told, saves) = channel();
    let mut watcher = notify::recommended_watcher(told).context("cannot watch files")?;
    for root in &roots {
        watcher
            .watch(root, RecursiveMode::Recursive)
            .with_context(|| format!("cannot watch {}", root.display()))?;
    }
    let mut known: HashMap<String, Report> = HashMap::new();
    for page in driven(runtime, checked(targets, options, fetcher))??.pages {
        println!("{}", state(&page));
        known.insert(page.page.clone(), alone(options, page));
    }
    println!("watching; stop with ctrl-c");
    while wait(&saves) {
        // What was fetched before may be what was saved.
        let fetcher = Fetcher::new()?;
        let report = driven(runtime, check(targets, options, &fetcher, &|_| {}))??;
        for failure in &report.failures {
            println!("{}: {}", failure.page, failure.problem);
        }
        for page in report.pages {
            let now = alone(options, page);
            let page = &now.pages[0];
            if let Some(line) = known.get(&page.page).and_then(|before| change(before, &now)) {
                println!("{line}");
            }
            known.insert(page.page.clone(), now);
        }
    }
    Ok(ExitCode::SUCCESS)
}

fn root(target: &Target) -> Option<&Path> {
    match &target.place {
        Place::File { root, .. } => Some(root),
        Place::Web(_) => None,
    }
}

/// Waits for a save and for its end; false once the watcher is gone.
fn wait(saves: &Receiver<notify::Result<Event>>) -> bool {
    loop {
        let Ok(event) = saves.recv() else { return false };
        if event.is_ok_and(|event| {
            event.kind.is_modify() || event.kind.is_create() || event.kind.is_remove()
        }) {
            break;
        }
    }
    while saves.recv_timeout(SETTLED).is_ok() {}
    true
}

fn alone(options: &CheckOptions, page: PageReport) -> Report {
    Report { pages: vec![page], ..Report::empty(options.mode, options.runs, &options.devices, 0) }
}

/// A page in one line.
fn state(page: &PageReport) -> String {
    let (sent, needed) = page
        .devices
        .iter()
        .fold((0, 0), |(sent, needed), one| (sent.max(one.sent), needed.max(one.needed)));
    format!(
        "{}: {} sent, {} needed, {} findings",
        page.page,
        bytes(sent),
        bytes(needed),
        page.findings.len()
    )
}

/// What a save changed, in one line; `None` if it changed nothing.
fn change(before: &Report, now: &Report) -> Option<String> {
    let comparison = compare(before, now).ok()?;
    let page = comparison.pages.first()?;
    let max = |at: usize| page.devices.iter().map(|device| device.sent[at]).max().unwrap_or(0);
    let (old, new) = (max(0), max(1));
    if page.fixed.is_empty() && page.new.is_empty() && old == new {
        return None;
    }
    let sent = match new.cmp(&old) {
        std::cmp::Ordering::Less => format!("{} less sent", bytes(old - new)),
        std::cmp::Ordering::Greater => format!("{} more sent", bytes(new - old)),
        std::cmp::Ordering::Equal => "as many bytes sent".to_owned(),
    };
    let names = |findings: &[kivet_page::report::ReportedFinding]| {
        let mut codes: Vec<&str> = findings.iter().map(|one| one.code.as_str()).collect();
        codes.dedup();
        if codes.is_empty() { String::new() } else { format!(" ({})", codes.join(", ")) }
    };
    Some(format!(
        "{}: {sent}, {} fixed{}, {} new{}, {} kept",
        page.page,
        page.fixed.len(),
        names(&page.fixed),
        page.new.len(),
        names(&page.new),
        page.kept + page.worse.len()
    ))
}
