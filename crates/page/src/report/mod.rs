//! What a check found, ready to be read by people and programs. Its JSON is versioned: [`VERSION`]
//! grows when a field changes its meaning or goes.

mod assemble;
mod budget;
mod compare;
mod html;
mod junit;
mod markdown;
mod outline;
mod pending;
mod read;
mod resources;
mod sarif;
mod settle;
mod verdict;
mod waterfall;

use std::collections::BTreeMap;

pub use budget::{Budget, BudgetError, Limit};
pub use compare::{
    Change, Comparison, DeviceChange, IncomparableError, PageChange, Worse, beyond, compare,
};
pub use markdown::percent;
pub use outline::{Group, Outline};
pub use read::ReportError;
pub use resources::{RequestSum, ResourceRow};
use serde::{Deserialize, Serialize};
pub use verdict::Verdict;

use crate::{
    Code, Cost, Device, Element,
    observation::{Milestones, Started},
};

/// The version of a report's JSON.
pub const VERSION: u32 = 3;

/// A check of one or more pages.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Report {
    /// The version of this form; see [`VERSION`].
    pub version: u32,
    /// The version of Kivet that wrote it.
    pub kivet: String,
    /// When it was made, in seconds since 1970.
    pub at: u64,
    /// How the pages were looked at.
    pub mode: Mode,
    /// How often each page was visited on each device.
    pub runs: u32,
    /// True if processor and network were as slow as the devices' settings say.
    #[serde(default = "is_throttled")]
    pub throttled: bool,
    /// The devices.
    pub devices: Vec<DeviceSettings>,
    /// The pages, in the order they were named.
    pub pages: Vec<PageReport>,
    /// Pages that could not be looked at.
    #[serde(default)]
    pub failures: Vec<Failure>,
    /// Small pictures of what each device shows, as data addresses by [`thumbnail_key`]; only where
    /// the report is shown to a person.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub thumbnails: BTreeMap<String, String>,
}

/// What a small picture of what a device shows is known by: crops differ between devices.
pub fn thumbnail_key(device: &str, url: &str) -> String {
    format!("{device} {url}")
}

/// How pages are looked at.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Mode {
    /// HTML and CSS are read; nothing is laid out.
    Text,
    /// A browser lays them out and is measured.
    Browser,
}

impl Mode {
    /// The name in JSON, in records and on the command line.
    pub const fn name(self) -> &'static str {
        match self {
            Self::Text => "text",
            Self::Browser => "browser",
        }
    }

    /// The mode with this [`name`](Self::name).
    pub fn from_name(name: &str) -> Option<Self> {
        [Self::Text, Self::Browser].into_iter().find(|mode| mode.name() == name)
    }
}

/// A device, as it was set.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct DeviceSettings {
    /// Its name.
    pub name: String,
    /// Viewport in CSS pixels.
    pub width: u32,
    /// Viewport in CSS pixels.
    pub height: u32,
    /// Device pixels per CSS pixel.
    pub density: f64,
    /// How many times slower its processor was made.
    pub cpu_slowdown: f64,
    /// Added to every request, in milliseconds.
    pub latency_ms: u32,
    /// Its network, in millions of bits a second.
    pub megabits: u32,
}

/// One page.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct PageReport {
    /// Its address or path, as it was named.
    pub page: String,
    /// Its place under what was checked, such as `journal/one.html`.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub under: String,
    /// The share of the picture bytes sent that the screens needed, in percent, over all devices;
    /// absent if no picture was sent.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub fit: Option<f64>,
    /// What each device saw.
    pub devices: Vec<DeviceReport>,
    /// What there is to say, most costly first.
    pub findings: Vec<ReportedFinding>,
}

/// One page on one device.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct DeviceReport {
    /// The device's name.
    pub device: String,
    /// Bytes of pictures over the wire.
    pub sent: u64,
    /// What exactly fitting renditions of what is seen would weigh.
    pub needed: u64,
    /// Bytes that were sent and needed: of each picture at most those of an exactly fitting one.
    #[serde(default)]
    pub useful: u64,
    /// The share of the sent bytes that is useful, in percent; absent if no picture was sent.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub fit: Option<f64>,
    /// Picture requests in all.
    pub requests: u32,
    /// Of these, before anybody scrolled.
    pub requests_before_scroll: u32,
    /// Their bytes.
    pub sent_before_scroll: u64,
    /// When the largest paint was there, in milliseconds.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub largest_ms: Option<Spread>,
    /// Where that time went, in the median run.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub largest: Option<LargestReport>,
    /// Layout shift before scrolling.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub shift: Option<Spread>,
    /// Whether the page came back from memory.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub restored: Option<bool>,
    /// Pictures whose size cannot be known without a browser.
    #[serde(default, skip_serializing_if = "is_none")]
    pub unknown: u32,
    /// Pictures that a service had not made in their final form yet: their bytes say little.
    #[serde(default, skip_serializing_if = "is_none")]
    pub not_final: u32,
    /// The page's own events.
    #[serde(default)]
    pub milestones: Milestones,
    /// Every picture.
    pub pictures: Vec<PictureRow>,
    /// Every request, in the order they were made; absent in text.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub resources: Vec<ResourceRow>,
}

/// A median over runs, with the least and the most.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Spread {
    /// The middle one.
    pub median: f64,
    /// The least.
    pub min: f64,
    /// The most.
    pub max: f64,
}

/// The largest paint.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct LargestReport {
    /// The element.
    pub selector: String,
    /// Its picture; empty for text.
    pub url: String,
    /// Milliseconds until the page's first byte.
    pub page_ms: f64,
    /// From there until its picture was asked for.
    pub discovery_ms: f64,
    /// From there until it was loaded.
    pub download_ms: f64,
    /// From there until it was painted.
    pub render_ms: f64,
    /// The stylesheet or script that held it up.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub blocked_by: Option<String>,
}

/// One picture on one device.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct PictureRow {
    /// Where it stands.
    pub selector: String,
    /// The line of the source.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub line: Option<u64>,
    /// The candidate that was taken.
    pub url: String,
    /// Its format; empty if it is no picture.
    pub format: String,
    /// Pixels in the file.
    pub natural: [u32; 2],
    /// CSS pixels it is drawn at, cut parts included.
    pub shown: [f64; 2],
    /// The share of it that layout cuts away.
    pub cut: f64,
    /// Device pixels that are really seen.
    pub seen_pixels: [u32; 2],
    /// Bytes over the wire.
    pub sent: u64,
    /// What exactly fitting bytes would weigh.
    pub needed: u64,
    /// In which format; empty if that was not found out.
    pub needed_format: String,
    /// The priority it was asked with.
    pub priority: String,
    /// When it was asked for, in milliseconds; absent in text.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub start_ms: Option<f64>,
    /// Who asked for it.
    pub started: Started,
    /// True if part of it is in the first screen.
    pub in_view: bool,
    /// True if it was asked for before anybody scrolled.
    pub before_scroll: bool,
}

/// A finding, over all devices it was made on.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct ReportedFinding {
    /// What kind of thing.
    pub code: Code,
    /// Where.
    pub element: Element,
    /// The picture or resource it is about.
    pub url: String,
    /// What was seen, on the device where it costs most.
    pub why: String,
    /// What fixes it: one tag for all that was found of the element, which serves every device.
    pub fix: String,
    /// What it costs on each device it was made on.
    pub costs: Vec<DeviceCost>,
}

/// What a finding costs on one device.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct DeviceCost {
    /// The device's name.
    pub device: String,
    /// The cost. Of all findings about one picture together no more bytes than were sent of it.
    #[serde(flatten)]
    pub cost: Cost,
    /// Bytes that another finding about the same picture counts already.
    #[serde(default, skip_serializing_if = "is_zero")]
    pub overlap: u64,
}

/// Reports without the field are of versions that did not record it.
const fn is_throttled() -> bool {
    true
}

#[expect(clippy::trivially_copy_pass_by_ref, reason = "serde passes a reference")]
const fn is_none(count: &u32) -> bool {
    *count == 0
}

#[expect(clippy::trivially_copy_pass_by_ref, reason = "serde passes a reference")]
const fn is_zero(count: &u64) -> bool {
    *count == 0
}

/// A page that could not be looked at.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Failure {
    /// The page.
    pub page: String,
    /// Why not.
    pub problem: String,
}

impl Spread {
    /// The median, and where runs differ the least and the most.
    pub fn written(self, digits: usize, unit: &str) -> String {
        let Self { median, min, max } = self;
        if max > min {
            format!("{median:.digits$}{unit} ({min:.digits$} to {max:.digits$})")
        } else {
            format!("{median:.digits$}{unit}")
        }
    }
}

impl ReportedFinding {
    /// The most bytes it costs on any device.
    pub fn bytes(&self) -> u64 {
        self.costs.iter().filter_map(|one| one.cost.bytes).max().unwrap_or(0)
    }

    /// The most milliseconds it costs on any device.
    pub fn ms(&self) -> f64 {
        self.costs.iter().filter_map(|one| one.cost.ms).fold(0.0, f64::max)
    }

    /// What stays the same about it from one check to the next.
    pub fn key(&self) -> (Code, &str) {
        (self.code, &self.element.path)
    }
}

impl PageReport {
    /// The bytes that were sent and not needed, on the device where they are most.
    pub fn wasted(&self) -> u64 {
        self.devices.iter().map(|one| one.sent.saturating_sub(one.useful)).max().unwrap_or(0)
    }

    /// What it is told by from one check to the next.
    pub fn place(&self) -> &str {
        if self.under.is_empty() { &self.page } else { &self.under }
    }

    /// Rewrites every address and sentence, for pages whose files were served under a passing
    /// address.
    pub fn rewrite(&mut self, rewritten: impl Fn(&str) -> String) {
        let change = |text: &mut String| *text = rewritten(text);
        for device in &mut self.devices {
            device.pictures.iter_mut().for_each(|row| change(&mut row.url));
            for row in &mut device.resources {
                [&mut row.url, &mut row.started_by].into_iter().for_each(change);
            }
            if let Some(largest) = &mut device.largest {
                change(&mut largest.url);
                largest.blocked_by.iter_mut().for_each(change);
            }
        }
        for finding in &mut self.findings {
            [&mut finding.url, &mut finding.why, &mut finding.fix].into_iter().for_each(change);
        }
    }
}

impl Report {
    /// A report on no page yet, made `at` seconds after 1970.
    pub fn empty(mode: Mode, runs: u32, devices: &[Device], at: u64) -> Self {
        Self {
            version: VERSION,
            kivet: env!("CARGO_PKG_VERSION").to_owned(),
            at,
            mode,
            runs,
            throttled: true,
            devices: devices.iter().copied().map(Into::into).collect(),
            pages: Vec::new(),
            failures: Vec::new(),
            thumbnails: BTreeMap::new(),
        }
    }

    /// All findings, with the page each is about.
    pub fn findings(&self) -> impl Iterator<Item = (&PageReport, &ReportedFinding)> {
        self.pages.iter().flat_map(|page| page.findings.iter().map(move |finding| (page, finding)))
    }

    /// The share of the picture bytes sent that the screen needed, in percent, over all pages on a
    /// device, or on all devices.
    pub fn fit(&self, device: Option<&str>) -> Option<f64> {
        let devices = self.pages.iter().flat_map(|page| &page.devices);
        fit(devices.filter(|one| device.is_none_or(|name| one.device == name)))
    }

    /// Bytes sent and needed over all pages on a device.
    pub fn totals(&self, device: &str) -> (u64, u64) {
        let of_device =
            self.pages.iter().flat_map(|page| &page.devices).filter(|one| one.device == device);
        of_device.fold((0, 0), |(sent, needed), one| (sent + one.sent, needed + one.needed))
    }
}

/// The share of the sent bytes that is useful, in percent with one decimal; `None` if none was sent.
fn fit<'a>(devices: impl Iterator<Item = &'a DeviceReport>) -> Option<f64> {
    let (sent, useful) =
        devices.fold((0, 0), |(sent, useful), one| (sent + one.sent, useful + one.useful));
    (sent > 0).then(|| (useful as f64 * 1000.0 / sent as f64).round() / 10.0)
}

#[cfg(test)]
mod tests;
