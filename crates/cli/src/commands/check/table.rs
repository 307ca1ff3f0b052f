//! A check, for the terminal.

use std::fmt::Write;

use comfy_table::{CellAlignment, Table, presets};
use kivet_page::{
    DEVICES,
    report::{Change, Comparison, DeviceReport, PageReport, ReportedFinding, Spread},
};

use super::Checked;
use crate::output::bytes;

/// Findings of one code shown, unless all are asked for.
const SHOWN: usize = 4;

/// All there is to say.
pub fn text(checked: &Checked, with_fixes: bool) -> String {
    let mut text = String::new();
    for page in &checked.report.pages {
        page_text(&mut text, page, with_fixes);
    }
    // Writing to a string cannot fail.
    for failure in &checked.report.failures {
        let _ = writeln!(text, "{}\n  could not be checked: {}\n", failure.page, failure.problem);
    }
    if let Some(comparison) = &checked.against {
        changes(&mut text, comparison);
    }
    if let Some(new) = &checked.new_waste {
        let _ =
            writeln!(text, "beyond the baseline: {}", if new.is_empty() { "nothing" } else { "" });
        new.iter().for_each(|finding| line(&mut text, finding, false));
    }
    if !checked.failed.is_empty() {
        let _ = writeln!(text, "failed:\n  {}", checked.failed.join("\n  "));
    }
    text
}

fn page_text(text: &mut String, page: &PageReport, with_fixes: bool) {
    let _ = writeln!(text, "{}\n\n{}\n", page.page, measures(&page.devices));
    if page.findings.is_empty() {
        text.push_str("  nothing to fix was found\n\n");
        return;
    }
    for group in groups(&page.findings) {
        heading(text, &group);
        let shown = if with_fixes { group.len() } else { SHOWN };
        group.iter().take(shown).for_each(|finding| line(text, finding, with_fixes));
        if group.len() > shown {
            let _ = writeln!(text, "{:12}and {} more; --fixes shows all", "", group.len() - shown);
        }
    }
    text.push('\n');
}

/// Findings by code; the code that costs most comes first, as they stand already.
fn groups(findings: &[ReportedFinding]) -> Vec<Vec<&ReportedFinding>> {
    let mut groups: Vec<Vec<&ReportedFinding>> = Vec::new();
    for finding in findings {
        match groups.iter_mut().find(|group| group[0].code == finding.code) {
            Some(group) => group.push(finding),
            None => groups.push(vec![finding]),
        }
    }
    groups
}

fn heading(text: &mut String, group: &[&ReportedFinding]) {
    let code = group[0].code;
    let total: u64 = group.iter().map(|finding| finding.bytes()).sum();
    let cost = if total > 0 { format!(", up to {}", bytes(total)) } else { String::new() };
    let places =
        if group.len() == 1 { "once".to_owned() } else { format!("{} times", group.len()) };
    let _ = writeln!(text, "  {code}  {places}{cost}: {}", code.title());
}

fn measures(devices: &[DeviceReport]) -> Table {
    let mut table = Table::new();
    table.load_style(presets::NOTHING);
    table.set_header([
        "  device",
        "sent",
        "needed",
        "requests",
        "before scroll",
        "largest paint",
        "shift",
        "back",
    ]);
    for device in devices {
        let largest =
            device.largest_ms.map_or("-".to_owned(), |spread| spread_text(spread, 0, " ms"));
        let shift = device.shift.map_or("-".to_owned(), |spread| spread_text(spread, 3, ""));
        let back =
            device.restored.map_or("-", |restored| if restored { "instant" } else { "reload" });
        table.add_row([
            format!("  {}", device.device),
            bytes(device.sent),
            bytes(device.needed),
            device.requests.to_string(),
            device.requests_before_scroll.to_string(),
            largest,
            shift,
            back.to_owned(),
        ]);
    }
    for column in table.column_iter_mut().skip(1) {
        column.set_cell_alignment(CellAlignment::Right);
    }
    table
}

fn spread_text(spread: Spread, digits: usize, unit: &str) -> String {
    let Spread { median, min, max } = spread;
    if max > min {
        format!("{median:.digits$}{unit} ({min:.digits$} to {max:.digits$})")
    } else {
        format!("{median:.digits$}{unit}")
    }
}

fn line(text: &mut String, finding: &ReportedFinding, with_fix: bool) {
    let cost = match (finding.bytes(), finding.ms()) {
        (0, ms) if ms > 0.0 => format!("{ms:.0} ms"),
        (0, _) => "-".to_owned(),
        (count, _) => bytes(count),
    };
    let place = finding.element.line.map_or(String::new(), |line| format!("line {line}, "));
    let devices: Vec<&str> = finding.costs.iter().map(|one| one.device.as_str()).collect();
    let devices =
        if devices.len() == DEVICES.len() { "every device".to_owned() } else { devices.join(", ") };
    let _ = writeln!(
        text,
        "{cost:>11} {place}{} on {devices}\n{:12}{}",
        finding.element.selector, "", finding.why
    );
    if with_fix {
        let _ = writeln!(text, "{:12}fix: {}", "", finding.fix);
    }
}

fn changes(text: &mut String, comparison: &Comparison) {
    for page in &comparison.pages {
        let _ = writeln!(text, "since the earlier report: {}\n", page.page);
        let mut table = Table::new();
        table.load_style(presets::NOTHING);
        table.set_header(["  device", "sent", "needed", "before scroll", "largest paint", "shift"]);
        for device in &page.devices {
            let largest = device.largest_ms.map_or("-".to_owned(), |change| change_text(change, 0));
            let shift = device.shift.map_or("-".to_owned(), |change| change_text(change, 3));
            table.add_row([
                format!("  {}", device.device),
                format!("{} to {}", bytes(device.sent[0]), bytes(device.sent[1])),
                format!("{} to {}", bytes(device.needed[0]), bytes(device.needed[1])),
                format!(
                    "{} to {}",
                    device.requests_before_scroll[0], device.requests_before_scroll[1]
                ),
                largest,
                shift,
            ]);
        }
        let _ = writeln!(text, "{table}\n");
        for (word, findings) in [("fixed", &page.fixed), ("new", &page.new)] {
            for finding in findings {
                let _ =
                    writeln!(text, "  {word:>7}  {}  {}", finding.code, finding.element.selector);
            }
        }
        let _ = writeln!(
            text,
            "  {} fixed, {} new, {} kept\n",
            page.fixed.len(),
            page.new.len(),
            page.kept
        );
    }
    for (word, pages) in [("only before", &comparison.gone), ("only now", &comparison.added)] {
        for page in pages {
            let _ = writeln!(text, "  {word}: {page}");
        }
    }
}

fn change_text(change: Change, digits: usize) -> String {
    let note = change.reservation();
    format!("{:.digits$} to {:.digits$}{note}", change.before.median, change.after.median)
}
