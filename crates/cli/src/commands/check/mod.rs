//! `kivet check`.

mod checked;
mod paint;
mod progress;
mod sizes;
mod table;
mod watch;
mod waterfall;

use std::{
    path::{Path, PathBuf},
    process::ExitCode,
    time::Duration,
};

use anyhow::{Context, Result};
use checked::Checked;
use kivet_check::{CheckOptions, Fetcher, Progress, ShelfFolder, Target, check, targets, warm};
use kivet_page::{
    DEVICES, Device,
    report::{Budget, Mode, Report, Verdict, beyond, compare},
};
use kivet_service::Kept;
use paint::Paint;
pub use progress::Bar;
use table::Detail;

use crate::{
    client::{Reach, driven, runtime, with_scheme},
    nearby, output,
};

/// What a check exits with when it found what it was told to fail on.
const WASTE: u8 = 3;

/// What a command exits with that was asked for wrongly.
const USAGE: u8 = 2;

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
    /// Print all elements, what was seen of each, and the one fix for all of it.
    #[arg(long)]
    fixes: bool,
    /// Print every request of each page over time: `·` waiting for the response, `█` its bytes.
    #[arg(long, conflicts_with_all = ["text", "quiet"])]
    waterfall: bool,
    /// Print only a line a page and what fails: for continuous integration.
    #[arg(long, short, conflicts_with = "fixes")]
    quiet: bool,
    /// Compare with an earlier report (.json): what was fixed, what is new, what was gained.
    #[arg(long, value_name = "FILE")]
    against: Option<PathBuf>,
    /// Fail if there is waste that this report (.json) does not have: findings without a
    /// counterpart, those that cost more, and all those of pages it does not know.
    #[arg(long, value_name = "FILE")]
    baseline: Option<PathBuf>,
    /// Write this check to the --baseline file instead, for the next one to be held against.
    #[arg(long, requires = "baseline")]
    update_baseline: bool,
    /// Wait until renditions are final before they count: each page is visited until nothing it is
    /// sent is a first answer.
    #[arg(long, conflicts_with = "text")]
    warm: bool,
    /// The service that pages in files name by /pic/ alone; without it, the one of kivet.toml here.
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

impl Check {
    pub fn run(self, json: bool) -> Result<ExitCode> {
        let mode = if self.text { Mode::Text } else { Mode::Browser };
        if let Some(name) = self.fail_on.as_ref().and_then(|budget| budget.unmeasured_in(mode)) {
            let problem =
                format!("--fail-on {name}>... needs a browser: --text does not measure it");
            return Ok(usage(&problem));
        }
        let earlier = self.against.as_deref().map(read_report).transpose()?;
        let baseline = self.baseline.as_deref().filter(|_| !self.update_baseline);
        let baseline = baseline
            .map(|file| {
                read_report(file).context("--update-baseline writes the file that --baseline names")
            })
            .transpose()?;
        output::show_warnings();
        let runtime = runtime()?;
        let fetcher = Fetcher::new()?;
        let targets = runtime.block_on(targets(&self.targets, &fetcher))?;
        let options = self.options();
        if self.fit_sizes {
            return driven(&runtime, sizes::fit(&targets, self.browser.clone(), json))?;
        }
        if self.watch {
            return watch::watch(&runtime, &targets, &options, &fetcher);
        }
        if self.warm {
            driven(&runtime, warmed(&targets, &options))??;
        }
        let report = driven(&runtime, checked(&targets, &options, &fetcher))??;
        let against = earlier.map(|earlier| compare(&earlier, &report)).transpose()?;
        let new = baseline.map(|baseline| beyond(&baseline, &report)).transpose()?;
        let verdict =
            Verdict::new(&report, self.fail_on.as_ref(), new.as_deref().unwrap_or_default());
        self.keep_report(&report, &verdict)?;
        let checked = Checked {
            failed: verdict.said(&report),
            new_waste: new.map(|new| new.into_iter().map(|(_, finding)| finding).collect()),
            against,
            report,
        };
        let detail = Detail { fixes: self.fixes, quiet: self.quiet, waterfall: self.waterfall };
        output::print(json, &checked, |checked| {
            table::text(checked, &verdict, detail, Paint::new())
        })?;
        Ok(match (checked.report.failures.is_empty(), verdict.is_good()) {
            (_, false) => ExitCode::from(WASTE),
            (false, _) => ExitCode::FAILURE,
            (true, true) => ExitCode::SUCCESS,
        })
    }

    /// Writes the report wherever it was asked for.
    fn keep_report(&self, report: &Report, verdict: &Verdict) -> Result<()> {
        for file in &self.report {
            write(report, verdict, file)?;
        }
        if let Some(file) = self.baseline.as_deref().filter(|_| self.update_baseline) {
            write_json(report, file)?;
        }
        if self.keep {
            let _: Kept = self.reach.post("/api/checks", report)?;
        }
        Ok(())
    }

    /// The shelves of the configuration here, or of the one above the pages.
    fn shelves(&self) -> Vec<ShelfFolder> {
        let folder = self.targets.iter().map(Path::new).find_map(|target| match target {
            _ if target.is_dir() => Some(target),
            _ if target.is_file() => target.parent(),
            _ => None,
        });
        nearby::shelves_for(folder.unwrap_or(Path::new(".")))
    }

    fn options(&self) -> CheckOptions {
        CheckOptions {
            mode: if self.text { Mode::Text } else { Mode::Browser },
            devices: if self.device.is_empty() { DEVICES.to_vec() } else { self.device.clone() },
            runs: if self.text { 1 } else { self.runs },
            throttled: !self.unthrottled,
            program: self.browser.clone(),
            pictures: self
                .pictures
                .as_deref()
                .map(with_scheme)
                .or_else(|| nearby::config().map(nearby::address)),
            shelves: self.shelves(),
            at_once: match (self.text, self.unthrottled) {
                (true, _) => 8,
                (false, true) => DEVICES.len(),
                (false, false) => 1,
            },
            sweeps: true,
            limits: kivet_page::PageLimits::DEFAULT,
            thumbnails: self.keep
                || self
                    .report
                    .iter()
                    .any(|file| file.extension().is_some_and(|form| form == "html")),
        }
    }
}

/// Says what was asked for wrongly, as clap does.
fn usage(problem: &str) -> ExitCode {
    eprintln!("error: {problem}\n\nFor more information, try 'kivet check --help'.");
    ExitCode::from(USAGE)
}

/// Visits pages, unmeasured, until a service has made all their pictures in their final form.
async fn warmed(targets: &[Target], options: &CheckOptions) -> Result<()> {
    let CheckOptions { devices, pictures, program, .. } = options;
    for _ in 0..WARMINGS {
        let bar = Bar::new(targets.len())?;
        let show = |progress: Progress<'_>| bar.show(&progress);
        let visited = warm(targets, devices, pictures.as_deref(), program.clone(), &show).await;
        bar.clear();
        if visited? == 0 {
            return Ok(());
        }
        tokio::time::sleep(SETTLING).await;
    }
    eprintln!("some renditions are still not final; their bytes may count as waste");
    Ok(())
}

/// How often pages are visited to warm a service, and how long it then has.
const WARMINGS: usize = 8;
const SETTLING: Duration = Duration::from_secs(4);

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

fn write(report: &Report, verdict: &Verdict, file: &Path) -> Result<()> {
    let text = match file.extension().and_then(|form| form.to_str()) {
        Some("html") => report.to_html(),
        Some("sarif") => report.to_sarif(verdict),
        Some("xml") => report.to_junit(verdict),
        Some("md") => report.to_markdown(),
        _ => return write_json(report, file),
    };
    std::fs::write(file, text).with_context(|| format!("cannot write {}", file.display()))
}

fn write_json(report: &Report, file: &Path) -> Result<()> {
    std::fs::write(file, serde_json::to_string_pretty(report)?)
        .with_context(|| format!("cannot write {}", file.display()))
}

fn read_report(file: &Path) -> Result<Report> {
    let text =
        std::fs::read_to_string(file).with_context(|| format!("cannot read {}", file.display()))?;
    Report::from_json(&text).with_context(|| format!("cannot use {}", file.display()))
}
