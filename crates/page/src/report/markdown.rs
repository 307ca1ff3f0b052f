//! A Markdown summary for reviews.

use std::fmt::Write;

use kivet_recipe::Bytes;

use super::{Comparison, PageReport, Report};

/// Findings shown a page; the rest are counted.
const SHOWN: usize = 12;

impl Report {
    /// This report as Markdown.
    pub fn to_markdown(&self) -> String {
        let mut text = String::from("# What the pages send, and what they need\n");
        for page in &self.pages {
            page_section(&mut text, page);
        }
        for failure in &self.failures {
            let _ =
                writeln!(text, "\n**{}** could not be checked: {}", failure.page, failure.problem);
        }
        text
    }
}

fn page_section(text: &mut String, page: &PageReport) {
    let _ = writeln!(text, "\n## {}\n", page.page);
    if page.fit.is_some() {
        let fit = percent(page.fit);
        let _ =
            writeln!(text, "**Fit {fit}**: the share of the picture bytes that screens needed.\n");
    }
    text.push_str("| device | fit | sent | needed | pictures before scroll | largest paint | shift |\n| --- | --: | --: | --: | --: | --: | --: |\n");
    for device in &page.devices {
        let largest =
            device.largest_ms.map_or("-".to_owned(), |one| format!("{:.0} ms", one.median));
        let shift = device.shift.map_or("-".to_owned(), |one| format!("{:.3}", one.median));
        let (sent, needed) = (bytes(device.sent), bytes(device.needed));
        let _ = writeln!(
            text,
            "| {} | {} | {sent} | {needed} | {} | {largest} | {shift} |",
            device.device,
            percent(device.fit),
            device.requests_before_scroll
        );
    }
    if page.findings.is_empty() {
        text.push_str("\nNothing to fix was found.\n");
        return;
    }
    text.push_str("\n| finding | where | costs up to | why |\n| --- | --- | --: | --- |\n");
    for finding in page.findings.iter().take(SHOWN) {
        let line = finding.element.line.map_or(String::new(), |line| format!(", line {line}"));
        let cost = cost(finding.bytes(), finding.ms());
        let why = finding.why.replace('|', "\\|");
        let _ = writeln!(
            text,
            "| `{}` | `{}`{line} | {cost} | {why} |",
            finding.code,
            finding.element.selector.replace('|', "\\|")
        );
    }
    if let Some(more) = page.findings.len().checked_sub(SHOWN).filter(|more| *more > 0) {
        let _ = writeln!(text, "\nand {more} more.");
    }
}

impl Comparison {
    /// This comparison as Markdown.
    pub fn to_markdown(&self) -> String {
        let mut text = String::from("# What changed\n");
        for page in &self.pages {
            let _ = writeln!(text, "\n## {}\n", page.page);
            text.push_str("| device | fit | sent | needed | pictures before scroll | largest paint |\n| --- | --- | --- | --- | --- | --- |\n");
            for device in &page.devices {
                let largest = device.largest_ms.map_or("-".to_owned(), |change| {
                    let note = change.reservation();
                    format!("{:.0} to {:.0} ms{note}", change.before.median, change.after.median)
                });
                let _ = writeln!(
                    text,
                    "| {} | {} to {} | {} to {} | {} to {} | {} to {} | {largest} |",
                    device.device,
                    percent(device.fit[0]),
                    percent(device.fit[1]),
                    bytes(device.sent[0]),
                    bytes(device.sent[1]),
                    bytes(device.needed[0]),
                    bytes(device.needed[1]),
                    device.requests_before_scroll[0],
                    device.requests_before_scroll[1],
                );
            }
            let list = |name: &str, findings: &[super::ReportedFinding]| {
                findings
                    .iter()
                    .map(|one| format!("- {name}: `{}` at `{}`\n", one.code, one.element.selector))
                    .collect::<String>()
            };
            let _ = write!(
                text,
                "\n{}{}- kept: {}\n",
                list("fixed", &page.fixed),
                list("new", &page.new),
                page.kept
            );
        }
        text
    }
}

fn cost(bytes_lost: u64, ms: f64) -> String {
    match (bytes_lost, ms) {
        (0, ms) if ms <= 0.0 => "-".to_owned(),
        (0, ms) => format!("{ms:.0} ms"),
        (count, _) => bytes(count),
    }
}

/// A share in percent for people, with a decimal where it is small; a dash for none.
pub fn percent(share: Option<f64>) -> String {
    share.map_or("-".to_owned(), |share| {
        let digits = usize::from(share > 0.0 && share < 9.95);
        format!("{share:.digits$}%")
    })
}

/// A number of bytes for people.
pub(super) fn bytes(count: u64) -> String {
    Bytes::new(count).to_string()
}
