//! Reports from observations.

use std::collections::HashMap;

use super::{
    DeviceCost, DeviceReport, DeviceSettings, LargestReport, PageReport, PictureRow,
    ReportedFinding, Spread, fit, pending::Pending, resources::resources, settle::settled,
};
use crate::{
    Code, Cost, Device, Element, Finding, Fix, Shelved,
    findings::{findings, placement},
    fix::composed,
    observation::{Attributes, Observation, Use},
};

impl Spread {
    /// The spread of some values; `None` if there are none.
    pub fn of(values: &[f64]) -> Option<Self> {
        let mut sorted = values.to_vec();
        sorted.sort_by(f64::total_cmp);
        let (min, max) = (*sorted.first()?, *sorted.last()?);
        Some(Self { median: sorted[sorted.len() / 2], min, max })
    }
}

impl From<Device> for DeviceSettings {
    fn from(device: Device) -> Self {
        let Device { name, width, height, density, mobile: _, cpu_slowdown, latency_ms, megabits } =
            device;
        Self { name: name.to_owned(), width, height, density, cpu_slowdown, latency_ms, megabits }
    }
}

impl PageReport {
    /// The report on one page from what each device saw of it, once or several times. `shelved`
    /// says where on a shelf the file of an address lies.
    pub fn new(page: &str, seen: &[Vec<Observation>], shelved: &Shelved<'_>) -> Self {
        let devices: Vec<DeviceReport> =
            seen.iter().filter_map(|runs| DeviceReport::new(runs)).collect();
        let mut pending: Vec<Pending> = Vec::new();
        for runs in seen {
            let Some(first) = runs.first() else { continue };
            for finding in steady(runs) {
                add(&mut pending, finding, first.device.name);
            }
        }
        let first: Vec<&Observation> = seen.iter().filter_map(|runs| runs.first()).collect();
        let pending = settled(pending, &first);
        let mut findings = reported(pending, &first, shelved);
        count_once(&mut findings, &first);
        findings.sort_by(|a, b| {
            let broken = |one: &ReportedFinding| one.code == Code::BrokenPicture;
            let order = |one: &ReportedFinding| (broken(one), one.bytes(), one.ms() as u64);
            order(b).cmp(&order(a)).then_with(|| a.key().cmp(&b.key()))
        });
        let fit = fit(devices.iter());
        Self { page: page.to_owned(), under: String::new(), fit, devices, findings }
    }
}

/// The findings, each with the one fix of its element.
fn reported(
    pending: Vec<Pending>,
    seen: &[&Observation],
    shelved: &Shelved<'_>,
) -> Vec<ReportedFinding> {
    let mut fixes: HashMap<&str, String> = HashMap::new();
    for one in &pending {
        let path = one.element.path.as_str();
        if !fixes.contains_key(path) {
            let same = pending.iter().filter(|other| other.element.path == path);
            let asked: Vec<&Fix> = same.map(|other| &other.fix).collect();
            fixes.insert(path, composed(seen, &one.element, &asked, shelved));
        }
    }
    let with_fix: Vec<String> = pending
        .iter()
        .map(|one| fixes.get(one.element.path.as_str()).cloned().unwrap_or_default())
        .collect();
    let finding = |(one, fix): (Pending, String)| {
        let Pending { code, element, url, why, fix: _, costs } = one;
        let element = Element { attributes: Attributes::default(), ..element };
        ReportedFinding { code, element, url, why, fix, costs }
    };
    pending.into_iter().zip(with_fix).map(finding).collect()
}

/// Shares out the bytes of each picture on each device among the findings about it, in the order of
/// their codes: what one counts no other does.
fn count_once(findings: &mut [ReportedFinding], seen: &[&Observation]) {
    findings.sort_by_key(|one| one.code);
    for page in seen {
        let mut left: HashMap<String, u64> = HashMap::new();
        for finding in findings.iter_mut() {
            let url = finding.url.clone();
            let costs = finding.costs.iter_mut().find(|one| one.device == page.device.name);
            let Some(DeviceCost { cost: Cost { bytes: Some(bytes), .. }, overlap, .. }) = costs
            else {
                continue;
            };
            // Costs without a request, such as a frame's, are shared with nobody.
            let sent = page.request(&url).map_or(*bytes, |request| request.bytes);
            let left = left.entry(url).or_insert(sent);
            let counted = (*bytes).min(*left);
            (*overlap, *bytes, *left) = (*bytes - counted, counted, *left - counted);
        }
    }
}

/// What was found in at least half of the runs, at its median cost.
fn steady(runs: &[Observation]) -> Vec<Finding> {
    let mut all: Vec<Vec<Finding>> = Vec::new();
    for finding in runs.iter().flat_map(findings) {
        let same = |known: &&mut Vec<Finding>| {
            known[0].code == finding.code && known[0].element.path == finding.element.path
        };
        match all.iter_mut().find(same) {
            Some(known) => known.push(finding),
            None => all.push(vec![finding]),
        }
    }
    all.retain(|found| found.len() * 2 >= runs.len());
    let median = |mut found: Vec<Finding>| {
        let bytes = Spread::of(
            &found
                .iter()
                .filter_map(|one| one.cost.bytes)
                .map(|bytes| bytes as f64)
                .collect::<Vec<_>>(),
        );
        let ms = Spread::of(&found.iter().filter_map(|one| one.cost.ms).collect::<Vec<_>>());
        let mut one = found.swap_remove(0);
        one.cost = Cost {
            bytes: bytes.map(|spread| spread.median as u64),
            ms: ms.map(|spread| spread.median.round()),
        };
        one
    };
    all.into_iter().map(median).collect()
}

fn add(pending: &mut Vec<Pending>, finding: Finding, device: &str) {
    let Finding { code, element, url, cost, why, fix } = finding;
    let costs = DeviceCost { device: device.to_owned(), cost, overlap: 0 };
    let same = |known: &&mut Pending| known.code == code && known.element.path == element.path;
    match pending.iter_mut().find(same) {
        Some(known) => {
            let weight = |cost: &Cost| (cost.bytes.unwrap_or(0), cost.ms.unwrap_or(0.0) as u64);
            if known.costs.iter().all(|other| weight(&other.cost) < weight(&cost)) {
                (known.why, known.fix, known.url) = (why, fix, url);
            }
            known.costs.push(costs);
        }
        None => pending.push(Pending { code, element, url, why, fix, costs: vec![costs] }),
    }
}

impl DeviceReport {
    fn new(runs: &[Observation]) -> Option<Self> {
        let times: Vec<f64> = runs.iter().filter_map(|run| run.largest.as_ref()?.at_ms).collect();
        let largest_ms = Spread::of(&times);
        // The run whose largest paint is the median one stands for all.
        let is_median = |run: &&Observation| {
            run.largest.as_ref().and_then(|largest| largest.at_ms)
                == largest_ms.map(|spread| spread.median)
        };
        let page = runs.iter().find(is_median).or(runs.first())?;
        let shifts: Vec<f64> = runs.iter().map(|run| run.shift).collect();
        let pictures = page.requests.iter().filter(|request| request.is_picture);
        let before = || pictures.clone().filter(|request| request.before_scroll);
        let report = Self {
            device: page.device.name.to_owned(),
            sent: page.sent(),
            needed: page.needed(),
            useful: page.useful(),
            fit: None,
            requests: pictures.clone().count() as u32,
            requests_before_scroll: before().count() as u32,
            sent_before_scroll: before().map(|request| request.bytes).sum(),
            largest_ms,
            largest: largest(page),
            shift: if page.measured { Spread::of(&shifts) } else { None },
            unknown: page.uses.iter().filter(|place| place.unknown).count() as u32,
            not_final: pictures.clone().filter(|request| request.not_final).count() as u32,
            restored: runs.iter().find_map(|run| run.restored),
            milestones: page.milestones,
            resources: resources(page),
            pictures: page
                .uses
                .iter()
                .filter(|place| !place.url.is_empty())
                .map(|place| row(page, place))
                .collect(),
        };
        Some(Self { fit: fit(std::iter::once(&report)), ..report })
    }
}

fn largest(page: &Observation) -> Option<LargestReport> {
    let largest = page.largest.as_ref()?;
    let split = largest.split.clone().unwrap_or_default();
    Some(LargestReport {
        selector: largest.element.selector.clone(),
        url: largest.url.clone(),
        page_ms: split.page_ms.round(),
        discovery_ms: split.discovery_ms.round(),
        download_ms: split.download_ms.round(),
        render_ms: split.render_ms.round(),
        blocked_by: split.blocked_by,
    })
}

fn row(page: &Observation, place: &Use) -> PictureRow {
    let file = page.file(place);
    let facts = file.and_then(|file| file.facts.as_ref());
    let request = page.request(&place.url);
    let placed = file.and_then(|file| placement(place, file));
    let density = page.device.density;
    let tenth = |value: f64| (value * 10.0).round() / 10.0;
    PictureRow {
        selector: place.element.selector.clone(),
        line: place.element.line,
        url: place.url.clone(),
        format: facts.map_or(String::new(), |facts| facts.format.name().to_owned()),
        natural: facts.map_or([0, 0], |facts| [facts.size.width, facts.size.height]),
        shown: placed.map_or([tenth(place.area.width), tenth(place.area.height)], |at| {
            [tenth(at.drawn.width), tenth(at.drawn.height)]
        }),
        cut: placed.map_or(0.0, |at| (at.cut() * 1000.0).round() / 1000.0),
        seen_pixels: placed.map_or([0, 0], |at| {
            [at.seen.width, at.seen.height].map(|side| (side * density).round() as u32)
        }),
        sent: request.map_or(0, |request| request.bytes),
        needed: place.fitted.as_ref().map_or(0, |fitted| fitted.bytes),
        needed_format: place
            .fitted
            .as_ref()
            .map_or(String::new(), |fitted| fitted.format.name().to_owned()),
        priority: request.map_or(String::new(), |request| request.priority.clone()),
        start_ms: request.filter(|_| page.measured).map(|request| request.start_ms.round()),
        started: request.map_or_else(Default::default, |request| request.started),
        in_view: place.in_view,
        before_scroll: request.is_some_and(|request| request.before_scroll),
    }
}
