//! The gain, measured: the folder before and after in a browser, on every device.

use std::{path::Path, time::Duration};

use anyhow::Result;
use kivet_check::{CheckOptions, Fetcher, Progress, check, targets};
use kivet_page::{
    DEVICES,
    report::{Mode, PageReport, Report},
};
use serde::Serialize;

use crate::{
    client::{Reach, runtime},
    commands::check::Bar,
    output,
};

/// How long renditions may take to be final.
const PATIENCE: Duration = Duration::from_secs(300);

/// What a folder's pages send on one device, and the same after.
#[derive(Debug, Serialize)]
#[serde(rename_all = "camelCase")]
pub struct Proof {
    pub devices: Vec<DeviceProof>,
    /// Findings that are left, with how often.
    pub left: Vec<(String, usize)>,
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

/// Checks a folder before and after.
pub fn proved(before: &Path, after: &Path, reach: &Reach) -> Result<Proof> {
    let earlier = checked(before, reach, true)?;
    // The first visit asks for every rendition; what it gets is made anew, smaller, behind it.
    checked(after, reach, false)?;
    settle(reach)?;
    let later = checked(after, reach, true)?;
    let devices = DEVICES.iter().map(|device| DeviceProof {
        device: device.name.to_owned(),
        before: summed(&earlier, device.name),
        after: summed(&later, device.name),
    });
    let mut left: Vec<(String, usize)> = Vec::new();
    for finding in later.pages.iter().flat_map(|page| &page.findings) {
        let code = finding.code.to_string();
        match left.iter_mut().find(|(known, _)| *known == code) {
            Some((_, count)) => *count += 1,
            None => left.push((code, 1)),
        }
    }
    Ok(Proof { devices: devices.collect(), left })
}

fn checked(folder: &Path, reach: &Reach, throttled: bool) -> Result<Report> {
    let runtime = runtime()?;
    let fetcher = Fetcher::new()?;
    let targets = runtime.block_on(targets(&[folder.display().to_string()], &fetcher))?;
    let options = CheckOptions {
        mode: Mode::Browser,
        devices: DEVICES.to_vec(),
        runs: 1,
        throttled,
        program: None,
        thumbnails: false,
        at_once: 2,
        shelves: Vec::new(),
        pictures: Some(reach.service()),
    };
    let bar = Bar::new(targets.len())?;
    let progress = |step: Progress<'_>| bar.show(&step);
    let report = runtime.block_on(check(&targets, &options, &fetcher, &progress));
    bar.clear();
    Ok(report?)
}

/// Waits until the service makes nothing any more.
fn settle(reach: &Reach) -> Result<()> {
    let runtime = runtime()?;
    let began = std::time::Instant::now();
    let address = format!("{}/metrics", reach.service());
    let mut still = 0;
    while still < 3 && began.elapsed() < PATIENCE {
        std::thread::sleep(Duration::from_millis(700));
        let text = runtime.block_on(async { reqwest::get(&address).await?.text().await })?;
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

fn summed(report: &Report, device: &str) -> Sum {
    let seen = |page: &'_ PageReport| page.devices.iter().find(|one| one.device == device).cloned();
    let all: Vec<_> = report.pages.iter().filter_map(seen).collect();
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
    format!("{table}\nfindings left: {left}")
}
