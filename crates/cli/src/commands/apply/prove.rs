//! The gain, measured: the folder before and after in a browser, on every device.

use std::{path::Path, time::Duration};

use anyhow::Result;
use kivet_check::{
    COMPARED, CheckOptions, Difference, Fetcher, Progress, Target, check, compare, targets, warm,
};
use kivet_page::{
    DEVICES,
    report::{DeviceReport, Failure, Mode, PageReport, Report},
};
use serde::Serialize;

use crate::{
    client::{Reach, driven, runtime},
    commands::check::Bar,
    output,
};

/// How long renditions may take to be final.
const PATIENCE: Duration = Duration::from_secs(300);

/// What a folder's pages send on one device, and the same after.
#[derive(Debug, Serialize)]
#[serde(rename_all = "camelCase")]
pub struct Proof {
    /// Pages that were visited, of how many.
    pub pages: (usize, usize),
    pub devices: Vec<DeviceProof>,
    /// Findings that are left, with how often.
    pub left: Vec<(String, usize)>,
    /// Boxes that moved and pictures that show something else, at windows that are no device's.
    pub differences: Vec<Difference>,
    /// Pages that could not be measured on a device, before or after: in no sum of that device.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub missed: Vec<Failure>,
}

#[derive(Debug, Serialize)]
#[serde(rename_all = "camelCase")]
pub struct DeviceProof {
    pub device: String,
    pub before: Sum,
    pub after: Sum,
}

/// All pages of a folder on one device.
#[derive(Debug, Default, Serialize)]
#[serde(rename_all = "camelCase")]
pub struct Sum {
    pub sent: u64,
    pub needed: u64,
    pub requests: u32,
    /// The median page's largest paint, in milliseconds.
    pub largest_ms: Option<f64>,
    /// The worst page's.
    pub shift: f64,
}

/// How often pages are visited at most until all renditions are final.
const WARMINGS: usize = 4;

/// Pages that are visited unless all are asked for.
const MAX_PAGES: usize = 12;

/// Checks a folder before and after, and compares what both versions show: on [`MAX_PAGES`] pages from
/// all over it, or on all.
pub fn proved(before: &Path, after: &Path, reach: &Reach, all: bool) -> Result<Proof> {
    let pairs = pairs(before, after)?;
    let of = pairs.len();
    let pairs = if all { pairs } else { spread(pairs) };
    let (first, second): (Vec<Target>, Vec<Target>) = pairs.iter().cloned().unzip();
    let earlier = checked(&first, reach)?;
    warmed(&second, reach)?;
    settle(reach)?;
    let differences = compared(&pairs, reach)?;
    // Windows of the comparison ask for further renditions. Each one that is scored corrects the
    // curves, so that another format may be chosen for others, which begins with a first response.
    for _ in 0..WARMINGS {
        let not_final = warmed(&second, reach)?;
        settle(reach)?;
        if not_final == 0 {
            break;
        }
    }
    let later = checked(&second, reach)?;
    let devices = DEVICES.iter().map(|device| {
        let (before, after) = summed(&earlier, &later, device.name);
        DeviceProof { device: device.name.to_owned(), before, after }
    });
    let mut left: Vec<(String, usize)> = Vec::new();
    for finding in later.pages.iter().flat_map(|page| &page.findings) {
        let code = finding.code.to_string();
        match left.iter_mut().find(|(known, _)| *known == code) {
            Some((_, count)) => *count += 1,
            None => left.push((code, 1)),
        }
    }
    let devices = devices.collect();
    let missed = [earlier.failures, later.failures].concat();
    Ok(Proof { pages: (pairs.len(), of), devices, left, differences, missed })
}

/// The pages of a folder, each with the same page of another.
fn pairs(before: &Path, after: &Path) -> Result<Vec<(Target, Target)>> {
    let runtime = runtime()?;
    let fetcher = Fetcher::new()?;
    let of = |folder: &Path| runtime.block_on(targets(&[folder.display().to_string()], &fetcher));
    let (first, second) = (of(before)?, of(after)?);
    let pairs = first.into_iter().filter_map(|one| {
        let path = one.path_in_site();
        let other = second.iter().find(|other| other.path_in_site() == path)?;
        Some((one, other.clone()))
    });
    Ok(pairs.collect())
}

/// As many pages as are visited, from the first to the last in equal steps.
fn spread(pairs: Vec<(Target, Target)>) -> Vec<(Target, Target)> {
    let count = pairs.len();
    if count <= MAX_PAGES {
        return pairs;
    }
    (0..MAX_PAGES).map(|at| pairs[at * (count - 1) / (MAX_PAGES - 1)].clone()).collect()
}

fn compared(pairs: &[(Target, Target)], reach: &Reach) -> Result<Vec<Difference>> {
    let bar = Bar::new(pairs.len())?;
    let progress = |step: Progress<'_>| bar.show(&step);
    let service = reach.service();
    let differences = driven(&runtime()?, compare(pairs, Some(&service), None, &progress));
    bar.clear();
    Ok(differences??)
}

/// Visits all pages; the number of pictures that were not in their final form.
fn warmed(targets: &[Target], reach: &Reach) -> Result<usize> {
    let bar = Bar::new(targets.len())?;
    let progress = |step: Progress<'_>| bar.show(&step);
    let service = reach.service();
    let visited = driven(&runtime()?, warm(targets, &DEVICES, Some(&service), None, &progress));
    bar.clear();
    Ok(visited??)
}

fn checked(targets: &[Target], reach: &Reach) -> Result<Report> {
    let runtime = runtime()?;
    let fetcher = Fetcher::new()?;
    let options = CheckOptions {
        mode: Mode::Browser,
        devices: DEVICES.to_vec(),
        runs: 1,
        throttled: true,
        program: None,
        thumbnails: false,
        at_once: 2,
        shelves: Vec::new(),
        pictures: Some(reach.service()),
        sweeps: false,
        limits: kivet_page::PageLimits::DEFAULT,
    };
    let bar = Bar::new(targets.len())?;
    let progress = |step: Progress<'_>| bar.show(&step);
    let report = driven(&runtime, check(targets, &options, &fetcher, &progress));
    bar.clear();
    Ok(report??)
}

/// Waits until the service makes nothing any more.
fn settle(reach: &Reach) -> Result<()> {
    let began = std::time::Instant::now();
    let mut still = 0;
    while still < 3 && began.elapsed() < PATIENCE {
        std::thread::sleep(Duration::from_millis(700));
        let text = reach.text("/metrics")?;
        let working = text.lines().any(|line| {
            ["kivet_background_tasks ", "kivet_renditions_under_way "]
                .iter()
                .any(|name| line.starts_with(name))
                && line
                    .rsplit(' ')
                    .next()
                    .and_then(|value| value.parse::<f64>().ok())
                    .is_some_and(|value| value > 0.0)
        });
        still = if working { 0 } else { still + 1 };
    }
    Ok(())
}

/// Both reports on one device, of the pages that both measured on it.
fn summed(earlier: &Report, later: &Report, device: &str) -> (Sum, Sum) {
    let seen = |page: &PageReport| page.devices.iter().find(|one| one.device == device).cloned();
    let both = earlier.pages.iter().filter_map(|before| {
        let after = later.pages.iter().find(|after| after.place() == before.place())?;
        Some((seen(before)?, seen(after)?))
    });
    let (before, after): (Vec<_>, Vec<_>) = both.unzip();
    (sum(&before), sum(&after))
}

fn sum(all: &[DeviceReport]) -> Sum {
    let mut paints: Vec<f64> =
        all.iter().filter_map(|one| Some(one.largest_ms.as_ref()?.median)).collect();
    paints.sort_by(f64::total_cmp);
    Sum {
        sent: all.iter().map(|one| one.sent).sum(),
        needed: all.iter().map(|one| one.needed).sum(),
        requests: all.iter().map(|one| one.requests_before_scroll).sum(),
        largest_ms: paints.get(paints.len() / 2).copied(),
        shift: all
            .iter()
            .map(|one| one.shift.as_ref().map_or(0.0, |shift| shift.median))
            .fold(0.0, f64::max),
    }
}

/// The proof as a table.
pub fn table(proof: &Proof) -> String {
    let mut table = comfy_table::Table::new();
    table.load_style(comfy_table::presets::NOTHING);
    table.set_header([
        "device",
        "sent",
        "needed",
        "sent/needed",
        "requests before scrolling",
        "largest paint",
        "shift",
    ]);
    for DeviceProof { device, before, after } in &proof.devices {
        let arrow = |one: String, other: String| format!("{one} -> {other}");
        let ratio = |sum: &Sum| format!("{:.2}", sum.sent as f64 / sum.needed.max(1) as f64);
        let paint = |sum: &Sum| sum.largest_ms.map_or("-".to_owned(), |ms| format!("{ms:.0} ms"));
        table.add_row([
            device.clone(),
            arrow(output::bytes(before.sent), output::bytes(after.sent)),
            arrow(output::bytes(before.needed), output::bytes(after.needed)),
            arrow(ratio(before), ratio(after)),
            arrow(before.requests.to_string(), after.requests.to_string()),
            arrow(paint(before), paint(after)),
            arrow(format!("{:.2}", before.shift), format!("{:.2}", after.shift)),
        ]);
    }
    let left: Vec<String> =
        proof.left.iter().map(|(code, count)| format!("{count} {code}")).collect();
    let left = if left.is_empty() { "none".to_owned() } else { left.join(", ") };
    let (visited, of) = proof.pages;
    let pages = match visited < of {
        true => format!("{visited} of {of} pages visited; --all visits every one\n"),
        false => String::new(),
    };
    let missed: String = proof
        .missed
        .iter()
        .map(|one| format!("\nnot measured: {}: {}", one.page, one.problem))
        .collect();
    let different = differences(&proof.differences);
    format!("{pages}{table}\nfindings left: {left}\n{different}{missed}")
}

/// Differences that are shown before the rest is counted.
const SHOWN: usize = 12;

fn differences(all: &[Difference]) -> String {
    if all.is_empty() {
        let windows = COMPARED.len();
        return format!(
            "at {windows} other windows no box moved, and every picture shows what it did"
        );
    }
    let lines = all.iter().take(SHOWN).map(|one| {
        let (width, height) = one.window;
        format!("\n  {} at {width} x {height}: {} {}", one.page, one.element, one.what)
    });
    let more = all.len().saturating_sub(SHOWN);
    let rest =
        if more > 0 { format!("\n  and {more} more; --json lists them") } else { String::new() };
    format!("DIFFERENT from before:{}{rest}", lines.collect::<String>())
}
