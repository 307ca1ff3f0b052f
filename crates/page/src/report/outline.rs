//! A report as it is read: by page, worst first, what is said of one picture together, and what
//! several pages share once.

use std::collections::{BTreeMap, BTreeSet};

use super::{DeviceReport, PageReport, PictureRow, Report, ReportedFinding};
use crate::{Code, findings::name};

/// A report in the order it is read.
pub struct Outline<'a> {
    /// The pages, each with what only it has to say.
    pub pages: Vec<(&'a PageReport, Vec<Group<'a>>)>,
    /// What several pages have in common, such as a header's logo, with their names.
    pub shared: Vec<(Group<'a>, Vec<&'a str>)>,
}

/// All that was found of one element.
#[derive(Clone)]
pub struct Group<'a> {
    /// Its findings, worst first; at least one.
    pub findings: Vec<&'a ReportedFinding>,
    /// Its file and what the screens need of it; empty where that says nothing.
    pub pixels: String,
}

impl Group<'_> {
    /// The picture's name, else the element's selector.
    pub fn name(&self) -> &str {
        let first = self.findings[0];
        let file = name(&first.url);
        if file.is_empty() || first.url.starts_with("data:") {
            &first.element.selector
        } else {
            file
        }
    }

    /// The most bytes it costs on any device, none counted twice.
    pub fn bytes(&self) -> u64 {
        self.devices().into_iter().map(|device| self.on(device).0).max().unwrap_or(0)
    }

    /// The devices it was found on.
    pub fn devices(&self) -> BTreeSet<&str> {
        let costs = self.findings.iter().flat_map(|finding| &finding.costs);
        costs.map(|one| one.device.as_str()).collect()
    }

    /// The bytes and milliseconds it costs on a device.
    pub fn on(&self, device: &str) -> (u64, f64) {
        let costs = self.findings.iter().flat_map(|finding| &finding.costs);
        costs.filter(|one| one.device == device).fold((0, 0.0), |(bytes, ms), one| {
            (bytes + one.cost.bytes.unwrap_or(0), ms.max(one.cost.ms.unwrap_or(0.0)))
        })
    }

    /// The most milliseconds it costs on any device.
    pub fn ms(&self) -> f64 {
        self.findings.iter().map(|one| one.ms()).fold(0.0, f64::max)
    }

    /// What fixes it.
    pub fn fix(&self) -> &str {
        &self.findings[0].fix
    }

    fn rank(&self) -> (bool, u64, u64) {
        let broken = self.findings.iter().any(|one| one.code == Code::BrokenPicture);
        (broken, self.bytes(), self.ms() as u64)
    }

    fn key(&self) -> (Vec<Code>, &str, &str) {
        let first = self.findings[0];
        let codes = self.findings.iter().map(|one| one.code).collect();
        (codes, first.url.as_str(), first.element.selector.as_str())
    }
}

impl Report {
    /// This report in the order it is read.
    pub fn outline(&self) -> Outline<'_> {
        let densities: BTreeMap<&str, f64> =
            self.devices.iter().map(|device| (device.name.as_str(), device.density)).collect();
        let mut pages: Vec<(&PageReport, Vec<Group<'_>>)> =
            self.pages.iter().map(|page| (page, groups(page, &densities))).collect();
        let mut shared: Vec<(Group<'_>, Vec<&str>)> = Vec::new();
        for (page, groups) in &pages {
            for group in groups {
                match shared.iter_mut().find(|(known, _)| known.key() == group.key()) {
                    Some((_, names)) => names.push(&page.page),
                    None => shared.push((group.clone(), vec![&page.page])),
                }
            }
        }
        shared.retain(|(_, names)| names.len() > 1);
        pages.sort_by_key(|(page, _)| std::cmp::Reverse(page.wasted()));
        for (_, groups) in &mut pages {
            groups.retain(|group| !shared.iter().any(|(known, _)| known.key() == group.key()));
        }
        shared.sort_by_key(|(group, _)| std::cmp::Reverse(group.rank()));
        Outline { pages, shared }
    }
}

/// A page's findings by element, worst first.
fn groups<'a>(page: &'a PageReport, densities: &BTreeMap<&str, f64>) -> Vec<Group<'a>> {
    let mut groups: Vec<Group<'a>> = Vec::new();
    for finding in &page.findings {
        let path = finding.element.path.as_str();
        match groups.iter_mut().find(|group| group.findings[0].element.path == path) {
            Some(group) => group.findings.push(finding),
            None => groups.push(Group { findings: vec![finding], pixels: String::new() }),
        }
    }
    for group in &mut groups {
        group.pixels = pixels(page, group.findings[0], densities);
    }
    groups.sort_by_key(|group| std::cmp::Reverse(group.rank()));
    groups
}

/// `file 1365 x 1074, needs 140 px (laptop) to 420 px (phone, 3x)`.
fn pixels(page: &PageReport, finding: &ReportedFinding, densities: &BTreeMap<&str, f64>) -> String {
    let rows: Vec<(&DeviceReport, &PictureRow)> = page
        .devices
        .iter()
        .filter_map(|device| {
            let row = device
                .pictures
                .iter()
                .find(|row| row.selector == finding.element.selector && !row.url.is_empty())?;
            Some((device, row))
        })
        .collect();
    let Some(file) = rows.iter().map(|(_, row)| row.natural).max() else { return String::new() };
    let seen = rows.iter().filter(|(_, row)| row.seen_pixels[0] > 0);
    let needed: Vec<(u32, &str)> =
        seen.map(|(device, row)| (row.seen_pixels[0], device.device.as_str())).collect();
    let (Some(least), Some(most)) = (needed.iter().min(), needed.iter().max()) else {
        return String::new();
    };
    let on = |(pixels, device): &(u32, &str)| match densities.get(device) {
        Some(density) if *density > 1.0 => format!("{pixels} px ({device}, {density}x)"),
        _ => format!("{pixels} px ({device})"),
    };
    let needs = match least.0 == most.0 {
        true => format!("{} px", least.0),
        false => format!("{} to {}", on(least), on(most)),
    };
    format!("file {} x {}, needs {needs}", file[0], file[1])
}
