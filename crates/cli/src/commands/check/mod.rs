//! `kivet check`.

mod progress;
mod sizes;
mod table;
mod watch;

use std::{
    path::{Path, PathBuf},
    process::ExitCode,
};

use anyhow::{Context, Result};
use kivet_check::{CheckOptions, Fetcher, Progress, Target, check, targets};
use kivet_page::{
    DEVICES, Device,
    report::{Budget, Comparison, Mode, Report, ReportedFinding, compare},
};
use kivet_service::Kept;
pub use progress::Bar;
use serde::Serialize;

use crate::{
    client::{Reach, runtime},
    output,
};

/// What a check exits with when it found what it was told to fail on.
const WASTE: u8 = 3;

/// Say what pages waste on pictures, what that costs and how to fix it.
///
/// Exit codes: 0 checked, and nothing that was told to fail it; 1 a page or all could not be
/// checked; 2 asked for wrongly; 3 a finding or measure named by --fail-on, or waste that the
/// --baseline does not have.
#[derive(clap::Args)]
pub struct Check {
    /// Addresses, HTML files, folders of them, or sitemaps (.xml).
    #[arg(required = true, value_name = "TARGET")]
    targets: Vec<String>,
    /// Read HTML and CSS only, without a browser.
    #[arg(long)]
    text: bool,
    /// On this device only: small-phone, phone, tablet, laptop, wide-desktop. May be given several
    /// times.
    #[arg(long, value_name = "NAME", value_parser = device)]
    device: Vec<Device>,
    /// Visit every page this often on every device, and report medians and spread.
    #[arg(long, value_name = "N", default_value_t = 1, value_parser = clap::value_parser!(u32).range(1..=50))]
    runs: u32,
    /// Leave processor and network as fast as this machine's.
    #[arg(long)]
    unthrottled: bool,
    /// The Chromium to drive; without it the installed one.
    #[arg(long, value_name = "FILE", env = "KIVET_BROWSER")]
    browser: Option<PathBuf>,
    /// Write the report to a file; its ending names the form: .json, .html, .sarif, .xml (JUnit),
    /// .md. May be given several times.
    #[arg(long, value_name = "FILE", value_parser = report_file)]
    report: Vec<PathBuf>,
    /// Instead of checking, lay each page out at widths from 320 to 2560 and write the shortest
    /// sizes for each picture that is within 2% of its layout.
    #[arg(long, conflicts_with_all = ["text", "report", "against", "baseline", "fail_on", "watch"])]
    fit_sizes: bool,
    /// After the first check, check a page again whenever a file beside it is saved, and print what
    /// was gained or lost.
    #[arg(long, conflicts_with_all = ["against", "baseline"])]
    watch: bool,
    /// Print what fixes each finding, too.
    #[arg(long)]
    fixes: bool,
    /// Compare with an earlier report (.json): what was fixed, what is new, what was gained.
    #[arg(long, value_name = "FILE")]
    against: Option<PathBuf>,
    /// Fail if there is waste that this report (.json) does not have.
    #[arg(long, value_name = "FILE")]
    baseline: Option<PathBuf>,
    /// The service that pages in files name by /pic/ alone.
    #[arg(long, value_name = "ADDRESS")]
    pictures: Option<String>,
    /// Keep the report in a running service, whose console shows each page's history.
    #[arg(long)]
    keep: bool,
    #[command(flatten)]
    reach: Reach,
    /// Fail on these: codes, `any`, or limits such as
    /// sent>300kB,wasted>50kB,requests>10,largest>2500ms,shift>0.1.
    #[arg(long, value_name = "LIST")]
    fail_on: Option<Budget>,
}

/// What `--json` prints.
#[derive(Serialize)]
#[serde(rename_all = "camelCase")]
struct Checked {
    #[serde(flatten)]
    report: Report,
    #[serde(skip_serializing_if = "Option::is_none")]
    against: Option<Comparison>,
    /// Findings the baseline does not have.
    #[serde(skip_serializing_if = "Option::is_none")]
    new_waste: Option<Vec<ReportedFinding>>,
    /// What broke `--fail-on`.
    failed: Vec<String>,
}

impl Check {
    pub fn run(self, json: bool) -> Result<ExitCode> {
        let earlier = self.against.as_deref().map(read_report).transpose()?;
        let baseline = self.baseline.as_deref().map(read_report).transpose()?;
        output::show_warnings();
        let runtime = runtime()?;
        let fetcher = Fetcher::new()?;
        let targets = runtime.block_on(targets(&self.targets, &fetcher))?;
        let options = self.options();
        if self.fit_sizes {
            return runtime.block_on(sizes::fit(&targets, self.browser.clone(), json));
        }
        if self.watch {
            return watch::watch(&runtime, &targets, &options, &fetcher);
        }
        let report = runtime.block_on(checked(&targets, &options, &fetcher))?;
        for file in &self.report {
            write(&report, file)?;
        }
        if self.keep {
            let _: Kept = self.reach.post("/api/checks", &report)?;
        }
        let new_waste = baseline.map(|baseline| {
            compare(&baseline, &report)
                .pages
                .into_iter()
                .flat_map(|page| page.new)
                .collect::<Vec<_>>()
        });
        let failed = self.fail_on.as_ref().map_or(Vec::new(), |budget| budget.broken_by(&report));
        let checked = Checked {
            against: earlier.map(|earlier| compare(&earlier, &report)),
            report,
            new_waste,
            failed,
        };
        output::print(json, &checked, |checked| table::text(checked, self.fixes))?;
        let waste = !checked.failed.is_empty()
            || checked.new_waste.as_ref().is_some_and(|new| !new.is_empty());
        Ok(match (checked.report.failures.is_empty(), waste) {
            (_, true) => ExitCode::from(WASTE),
            (false, _) => ExitCode::FAILURE,
            (true, false) => ExitCode::SUCCESS,
        })
    }

    fn options(&self) -> CheckOptions {
        CheckOptions {
            mode: if self.text { Mode::Text } else { Mode::Browser },
            devices: if self.device.is_empty() { DEVICES.to_vec() } else { self.device.clone() },
            runs: if self.text { 1 } else { self.runs },
            throttled: !self.unthrottled,
            program: self.browser.clone(),
            pictures: self.pictures.clone(),
            at_once: if self.text { 8 } else { 1 },
            thumbnails: self.keep
                || self
                    .report
                    .iter()
                    .any(|file| file.extension().is_some_and(|form| form == "html")),
        }
    }
}

/// Checks with a progress line on a terminal.
async fn checked(targets: &[Target], options: &CheckOptions, fetcher: &Fetcher) -> Result<Report> {
    let bar = Bar::new(targets.len())?;
    let show = |progress: Progress<'_>| bar.show(&progress);
    let report = check(targets, options, fetcher, &show).await;
    bar.clear();
    Ok(report?)
}

fn device(name: &str) -> Result<Device, String> {
    Device::named(name).ok_or_else(|| {
        let names = DEVICES.map(|device| device.name.replace(' ', "-"));
        format!("there is no device `{name}`; use one of {}", names.join(", "))
    })
}

/// The forms a report can be written in.
const FORMS: [&str; 5] = ["json", "html", "sarif", "xml", "md"];

fn report_file(name: &str) -> Result<PathBuf, String> {
    let path = PathBuf::from(name);
    let known = path.extension().is_some_and(|form| FORMS.iter().any(|known| form == *known));
    let ways = FORMS.map(|form| format!(".{form}")).join(", ");
    if known {
        Ok(path)
    } else {
        Err(format!("`{name}` does not say which form is wanted; let it end in one of {ways}"))
    }
}

fn write(report: &Report, file: &Path) -> Result<()> {
    let text = match file.extension().and_then(|form| form.to_str()) {
        Some("html") => report.to_html(),
        Some("sarif") => report.to_sarif(),
        Some("xml") => report.to_junit(),
        Some("md") => report.to_markdown(),
        _ => serde_json::to_string_pretty(report)?,
    };
    std::fs::write(file, text).with_context(|| format!("cannot write {}", file.display()))
}

fn read_report(file: &Path) -> Result<Report> {
    let text =
        std::fs::read_to_string(file).with_context(|| format!("cannot read {}", file.display()))?;
    Report::from_json(&text).with_context(|| format!("cannot use {}", file.display()))
}
