//! Two reports of the same pages: what was fixed, what is new, what was gained.

use serde::Serialize;

use super::{DeviceReport, PageReport, Report, ReportedFinding, Spread};

/// What changed from one report to a later one.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Comparison {
    /// Page by page; pages that only one of them has are left out and named.
    pub pages: Vec<PageChange>,
    /// Pages only the earlier report has.
    pub gone: Vec<String>,
    /// Pages only the later report has.
    pub added: Vec<String>,
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
    /// Findings in both.
    pub kept: usize,
    /// Device by device.
    pub devices: Vec<DeviceChange>,
}

/// What changed on one device.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[serde(rename_all = "camelCase")]
pub struct DeviceChange {
    /// The device.
    pub device: String,
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

/// What changed from `earlier` to `later`. Pages are told by name; where each report has just one,
/// the two are taken for the same page, so that a page can be compared with its rewritten twin.
pub fn compare(earlier: &Report, later: &Report) -> Comparison {
    let runs = earlier.runs.min(later.runs);
    if let ([before], [after]) = (earlier.pages.as_slice(), later.pages.as_slice()) {
        return Comparison {
            pages: vec![page(before, after, runs)],
            gone: Vec::new(),
            added: Vec::new(),
        };
    }
    let find =
        |report: &'_ Report, name: &str| report.pages.iter().position(|page| page.page == name);
    let names = |report: &Report, other: &Report| {
        report
            .pages
            .iter()
            .filter(|page| find(other, &page.page).is_none())
            .map(|page| page.page.clone())
            .collect()
    };
    let pairs = later
        .pages
        .iter()
        .filter_map(|after| Some((&earlier.pages[find(earlier, &after.page)?], after)));
    Comparison {
        pages: pairs.map(|(before, after)| page(before, after, runs)).collect(),
        gone: names(earlier, later),
        added: names(later, earlier),
    }
}

fn page(before: &PageReport, after: &PageReport, runs: u32) -> PageChange {
    let new = new_in(&after.findings, &before.findings);
    let devices = after.devices.iter().filter_map(|after| {
        let before = before.devices.iter().find(|before| before.device == after.device)?;
        Some(device(before, after, runs))
    });
    PageChange {
        page: after.page.clone(),
        fixed: new_in(&before.findings, &after.findings),
        kept: after.findings.len() - new.len(),
        new,
        devices: devices.collect(),
    }
}

/// What `these` have and `those` have not. An element is known by its path or its picture, since
/// lines move.
fn new_in(these: &[ReportedFinding], those: &[ReportedFinding]) -> Vec<ReportedFinding> {
    let same = |one: &ReportedFinding, other: &ReportedFinding| {
        one.code == other.code
            && (one.element.path == other.element.path
                || (!one.url.is_empty() && one.url == other.url))
    };
    these.iter().filter(|one| !those.iter().any(|other| same(one, other))).cloned().collect()
}

fn device(before: &DeviceReport, after: &DeviceReport, runs: u32) -> DeviceChange {
    let change =
        |before: Option<Spread>, after: Option<Spread>| Some(Change::new(before?, after?, runs));
    DeviceChange {
        device: after.device.clone(),
        sent: [before.sent, after.sent],
        needed: [before.needed, after.needed],
        requests_before_scroll: [before.requests_before_scroll, after.requests_before_scroll],
        largest_ms: change(before.largest_ms, after.largest_ms),
        shift: change(before.shift, after.shift),
    }
}
