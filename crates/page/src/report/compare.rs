//! Two reports of the same pages: what was fixed, what is new, what was gained.
//!
//! Each finding has at most one counterpart: on the page of the same place under the target, at the
//! same element with the same picture, else of the same picture, else at the same element if it
//! costs no more. What has none is new.

use serde::Serialize;

use super::{DeviceReport, PageReport, Report, ReportedFinding, Spread};

/// What changed from one report to a later one.
#[derive(Clone, Debug, Default, PartialEq, Serialize)]
pub struct Comparison {
    /// Page by page; pages that only one of them has are left out and named.
    pub pages: Vec<PageChange>,
    /// Pages only the earlier report has.
    pub gone: Vec<String>,
    /// Pages only the later report has.
    pub added: Vec<String>,
    /// What makes the two reports less than alike.
    pub notes: Vec<String>,
}

/// What changed on one page.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct PageChange {
    /// The page.
    pub page: String,
    /// Findings that are gone.
    pub fixed: Vec<ReportedFinding>,
    /// Findings that were not there.
    pub new: Vec<ReportedFinding>,
    /// Findings that were there and cost more now.
    pub worse: Vec<Worse>,
    /// Findings in both that cost no more.
    pub kept: usize,
    /// Device by device.
    pub devices: Vec<DeviceChange>,
}

/// A finding that costs more than it did.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Worse {
    /// The finding now.
    pub finding: ReportedFinding,
    /// The most bytes it cost on any device.
    pub before: u64,
}

/// What changed on one device.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[serde(rename_all = "camelCase")]
pub struct DeviceChange {
    /// The device.
    pub device: String,
    /// The useful share of the sent bytes in percent, before and after.
    pub fit: [Option<f64>; 2],
    /// Bytes sent, before and after.
    pub sent: [u64; 2],
    /// Bytes needed, before and after.
    pub needed: [u64; 2],
    /// Requests before scrolling, before and after.
    pub requests_before_scroll: [u32; 2],
    /// The largest paint in milliseconds.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub largest_ms: Option<Change>,
    /// Layout shift.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub shift: Option<Change>,
}

/// Two reports that cannot be compared.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum IncomparableError {
    /// One read text, the other drove a browser.
    #[error(
        "the earlier report was made in {earlier} mode and this one in {later} mode, which do not see the same; make both in one"
    )]
    Modes {
        /// The earlier report's.
        earlier: &'static str,
        /// The later one's.
        later: &'static str,
    },
    /// They have no device in common.
    #[error(
        "the earlier report is of {earlier} and this one of {later}: no device is in both; name the same with --device"
    )]
    Devices {
        /// The earlier report's.
        earlier: String,
        /// The later one's.
        later: String,
    },
}

/// A measured value, before and after.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
#[serde(rename_all = "camelCase")]
pub struct Change {
    /// Before.
    pub before: Spread,
    /// After.
    pub after: Spread,
    /// True if the two spreads do not touch: only then is there a gain or a loss.
    pub beyond_spread: bool,
}

impl Change {
    /// A change from one spread to another. A single run has no spread, so that nothing can be said
    /// from it.
    fn new(before: Spread, after: Spread, runs: u32) -> Self {
        let apart = before.min > after.max || after.min > before.max;
        Self { before, after, beyond_spread: runs > 1 && apart }
    }
}

impl Change {
    /// What keeps the change from being called a gain or a loss, for people; empty if nothing does.
    pub fn reservation(&self) -> &'static str {
        let single = |spread: &Spread| spread.min == spread.max;
        match self.beyond_spread {
            true => "",
            false if single(&self.before) && single(&self.after) => ", one run each",
            false => ", within the spread",
        }
    }
}

/// What changed from `earlier` to `later`. Pages are told by their place under what was checked;
/// where each report has just one, the two are taken for the same page, so that a page can be
/// compared with its rewritten twin.
///
/// # Errors
/// If the two were not made in the same mode, or have no device in common.
pub fn compare(earlier: &Report, later: &Report) -> Result<Comparison, IncomparableError> {
    let notes = alike(earlier, later)?;
    let runs = earlier.runs.min(later.runs);
    if let ([before], [after]) = (earlier.pages.as_slice(), later.pages.as_slice()) {
        let pages = vec![page(before, after, runs)];
        return Ok(Comparison { pages, notes, ..Comparison::default() });
    }
    let mut unpaired: Vec<&PageReport> = earlier.pages.iter().collect();
    let mut comparison = Comparison { notes, ..Comparison::default() };
    for after in &later.pages {
        match unpaired.iter().position(|before| before.place() == after.place()) {
            Some(at) => comparison.pages.push(page(unpaired.remove(at), after, runs)),
            None => comparison.added.push(after.page.clone()),
        }
    }
    comparison.gone = unpaired.into_iter().map(|page| page.page.clone()).collect();
    Ok(comparison)
}

/// What `later` has and `baseline` has not: new findings, those that cost more, and all those of
/// pages that the baseline does not know.
///
/// # Errors
/// As [`compare`].
pub fn beyond(
    baseline: &Report,
    later: &Report,
) -> Result<Vec<(String, ReportedFinding)>, IncomparableError> {
    let comparison = compare(baseline, later)?;
    let mut beyond = Vec::new();
    for page in comparison.pages {
        let worse = page.worse.into_iter().map(|worse| worse.finding);
        let name = page.page;
        beyond.extend(page.new.into_iter().chain(worse).map(|one| (name.clone(), one)));
    }
    let added = later.pages.iter().filter(|page| comparison.added.contains(&page.page));
    for page in added {
        beyond.extend(page.findings.iter().map(|one| (page.page.clone(), one.clone())));
    }
    Ok(beyond)
}

/// What makes two reports less than alike; an error where they say nothing of each other.
fn alike(earlier: &Report, later: &Report) -> Result<Vec<String>, IncomparableError> {
    if earlier.mode != later.mode {
        let (earlier, later) = (earlier.mode.name(), later.mode.name());
        return Err(IncomparableError::Modes { earlier, later });
    }
    let names = |report: &Report| -> Vec<String> {
        report.devices.iter().map(|device| device.name.clone()).collect()
    };
    let (before, after) = (names(earlier), names(later));
    let both: Vec<String> = before.iter().filter(|name| after.contains(name)).cloned().collect();
    if both.is_empty() && !(before.is_empty() && after.is_empty()) {
        let (earlier, later) = (before.join(", "), after.join(", "));
        return Err(IncomparableError::Devices { earlier, later });
    }
    let mut notes = Vec::new();
    if before != after {
        notes.push(format!(
            "the earlier report is of {}, this one of {}: findings of other devices count as new or fixed",
            before.join(", "),
            after.join(", ")
        ));
    }
    if earlier.kivet != later.kivet {
        notes.push(format!(
            "the earlier report was made by Kivet {}, this one by {}: what each finds may differ",
            earlier.kivet, later.kivet
        ));
    }
    Ok(notes)
}

fn page(before: &PageReport, after: &PageReport, runs: u32) -> PageChange {
    let Paired { pairs, fixed, new } = paired(&before.findings, &after.findings);
    let more = |(was, now): &&(&ReportedFinding, &ReportedFinding)| costs_more(was, now);
    let worse: Vec<Worse> = pairs
        .iter()
        .filter(more)
        .map(|(was, now)| Worse { finding: (*now).clone(), before: was.bytes() })
        .collect();
    let devices = after.devices.iter().filter_map(|after| {
        let before = before.devices.iter().find(|before| before.device == after.device)?;
        Some(device(before, after, runs))
    });
    PageChange {
        page: after.page.clone(),
        fixed: fixed.into_iter().cloned().collect(),
        kept: pairs.len() - worse.len(),
        new: new.into_iter().cloned().collect(),
        worse,
        devices: devices.collect(),
    }
}

/// Findings with their counterparts, and those without.
struct Paired<'a> {
    pairs: Vec<(&'a ReportedFinding, &'a ReportedFinding)>,
    fixed: Vec<&'a ReportedFinding>,
    new: Vec<&'a ReportedFinding>,
}

/// Whether two findings of one code are about the same thing.
type Same = fn(&ReportedFinding, &ReportedFinding) -> bool;

/// The nearest kind of sameness first, so that none takes another's counterpart.
const SAME: [Same; 3] = [
    |one, other| one.element.path == other.element.path && one.url == other.url,
    |one, other| !one.url.is_empty() && one.url == other.url,
    // Names of files may change with every build; a heavier file is another picture.
    |one, other| one.element.path == other.element.path && !costs_more(one, other),
];

fn paired<'a>(before: &'a [ReportedFinding], after: &'a [ReportedFinding]) -> Paired<'a> {
    let (mut fixed, mut new): (Vec<&ReportedFinding>, Vec<&ReportedFinding>) =
        (before.iter().collect(), after.iter().collect());
    let mut pairs = Vec::new();
    for same in SAME {
        new.retain(|now| {
            let at = fixed.iter().position(|was| was.code == now.code && same(was, now));
            pairs.extend(at.map(|at| (fixed.remove(at), *now)));
            at.is_none()
        });
    }
    Paired { pairs, fixed, new }
}

/// A tenth and two kilobytes more are no longer the same waste.
fn costs_more(was: &ReportedFinding, now: &ReportedFinding) -> bool {
    now.bytes() > was.bytes() + 2_000.max(was.bytes() / 10)
}

fn device(before: &DeviceReport, after: &DeviceReport, runs: u32) -> DeviceChange {
    let change =
        |before: Option<Spread>, after: Option<Spread>| Some(Change::new(before?, after?, runs));
    DeviceChange {
        device: after.device.clone(),
        fit: [before.fit, after.fit],
        sent: [before.sent, after.sent],
        needed: [before.needed, after.needed],
        requests_before_scroll: [before.requests_before_scroll, after.requests_before_scroll],
        largest_ms: change(before.largest_ms, after.largest_ms),
        shift: change(before.shift, after.shift),
    }
}
