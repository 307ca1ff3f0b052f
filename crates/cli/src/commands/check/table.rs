//! A check, for the terminal: what one reads once, worst first.

use std::fmt::Write;

use comfy_table::{CellAlignment, Table, presets};
use kivet_page::{
    Code,
    report::{
        Change, Comparison, DeviceReport, Group, Mode, Outline, PageReport, Report,
        ReportedFinding, Verdict, percent,
    },
};

use super::{
    checked::Checked,
    paint::{COLUMNS, Paint},
    waterfall,
};
use crate::output::{bytes, count};

/// Groups shown of a page, unless all are asked for.
const SHOWN: usize = 6;

/// How much is said.
#[derive(Clone, Copy)]
pub struct Detail {
    /// What fixes each element, too, and all elements.
    pub fixes: bool,
    /// Only a line a page, and what fails.
    pub quiet: bool,
    /// Every request of each page over time.
    pub waterfall: bool,
}

/// All there is to say.
pub fn text(checked: &Checked, verdict: &Verdict, detail: Detail, paint: Paint) -> String {
    let report = &checked.report;
    let outline = report.outline();
    let mut text = String::new();
    // Writing to a string cannot fail.
    for (page, groups) in &outline.pages {
        let _ = writeln!(text, "{}", page_line(page, paint));
        if !detail.quiet {
            let written =
                Written { name: short_name(page), verdict, page: Some(page), detail, paint };
            written.groups(&mut text, groups, page.findings.is_empty());
            if detail.waterfall {
                text.push_str(&waterfall::text(page, paint));
            }
        }
    }
    if !detail.quiet {
        shared(&mut text, &outline, verdict, detail, paint);
        if !detail.fixes {
            text.push_str(&meanings(report));
        }
    }
    for failure in &report.failures {
        let _ = writeln!(
            text,
            "{}\n  {}",
            failure.page,
            paint.bad(&format!("could not be checked: {}", failure.problem))
        );
    }
    if report.mode == Mode::Browser && !report.throttled {
        text.push_str("not throttled: times are those of this machine and its network\n");
    }
    if report.pages.len() > 1 || detail.quiet {
        let _ = writeln!(text, "{}", totals(report));
    } else if let [page] = report.pages.as_slice() {
        let _ = writeln!(text, "{}\n", measures(&page.devices));
    }
    if let Some(comparison) = &checked.against {
        changes(&mut text, comparison);
    }
    if checked.new_waste.as_ref().is_some_and(Vec::is_empty) {
        let _ = writeln!(text, "beyond the baseline: nothing");
    }
    if !checked.failed.is_empty() {
        let _ = writeln!(text, "{}", paint.bad("failed:"));
        for one in &checked.failed {
            let _ = writeln!(text, "{}", wrapped(one, "  "));
        }
    }
    text
}

/// The page and its numbers, each with the device where it is worst.
fn page_line(page: &PageReport, paint: Paint) -> String {
    let wasted = |one: &&DeviceReport| one.sent.saturating_sub(one.needed);
    let Some(heaviest) = page.devices.iter().max_by_key(wasted) else {
        return paint.strong(&page.page);
    };
    let on = |device: &DeviceReport| match page.devices.as_slice() {
        [_] => String::new(),
        _ => format!(" ({})", device.device),
    };
    let mut numbers: Vec<String> =
        page.fit.iter().map(|fit| format!("fit {}", percent(Some(*fit)))).collect();
    if page.devices.iter().all(|one| one.requests == 0) {
        numbers.push("no pictures".to_owned());
    } else {
        let sums = format!("sends {}, needs {}", bytes(heaviest.sent), bytes(heaviest.needed));
        numbers.push(sums + &on(heaviest));
        let early = |one: &DeviceReport| Some(f64::from(one.requests_before_scroll));
        numbers.extend(highest(page, early).map(|(requested, device)| {
            let pictures = count(requested as usize, "picture");
            format!("{pictures} before scrolling{}", on(device))
        }));
    }
    let largest = highest(page, |one| one.largest_ms.map(|spread| spread.median));
    numbers.extend(largest.map(|(ms, device)| format!("largest paint {ms:.0} ms{}", on(device))));
    let shift = highest(page, |one| one.shift.map(|spread| spread.median));
    let shift = shift.filter(|(shift, _)| *shift >= 0.005);
    numbers.extend(shift.map(|(shift, device)| format!("shift {shift:.2}{}", on(device))));
    let unknown = page.devices.iter().map(|one| one.unknown).max().unwrap_or(0);
    if unknown > 0 {
        let pictures = count(unknown as usize, "picture");
        numbers.push(format!("{pictures} not known without a browser"));
    }
    let early = page.devices.iter().map(|one| one.not_final).max().unwrap_or(0);
    if early > 0 {
        let renditions = count(early as usize, "rendition");
        numbers.push(format!("{renditions} not final yet: --warm waits"));
    }
    // Lines break between numbers, not within one.
    let whole: Vec<String> = numbers.iter().map(|one| one.replace(' ', "\u{a0}")).collect();
    let lines = wrapped(&whole.join(" · "), "  ").replace('\u{a0}', " ");
    format!("{}\n{lines}", paint.strong(&page.page))
}

/// The highest value over a page's devices, and the device.
fn highest(
    page: &PageReport,
    value: impl Fn(&DeviceReport) -> Option<f64>,
) -> Option<(f64, &DeviceReport)> {
    let values = page.devices.iter().filter_map(|device| Some((value(device)?, device)));
    values.max_by(|one, other| one.0.total_cmp(&other.0))
}

/// The page's own name, which stands before lines of its source.
fn short_name(page: &PageReport) -> &str {
    page.place().rsplit('/').next().unwrap_or_default()
}

struct Written<'a> {
    name: &'a str,
    verdict: &'a Verdict,
    page: Option<&'a PageReport>,
    detail: Detail,
    paint: Paint,
}

impl Written<'_> {
    fn groups(&self, text: &mut String, groups: &[Group<'_>], is_clean: bool) {
        if is_clean {
            let _ = writeln!(text, "  {}", self.paint.good("nothing to fix was found"));
        }
        let shown = if self.detail.fixes { groups.len() } else { SHOWN };
        for group in groups.iter().take(shown) {
            self.group(text, group);
        }
        if groups.len() > shown {
            let more = count(groups.len() - shown, "more element");
            let _ = writeln!(text, "  and {more}; --fixes shows all");
        }
        if !self.detail.fixes || groups.is_empty() {
            text.push('\n');
        }
    }

    fn group(&self, text: &mut String, group: &Group<'_>) {
        let first = group.findings[0];
        let line = first.element.line.map_or(String::new(), |line| format!(":{line}"));
        let place =
            if self.name.is_empty() { String::new() } else { format!("{}{line} ", self.name) };
        let about =
            if group.pixels.is_empty() { String::new() } else { format!(": {}", group.pixels) };
        let head = format!("{place}{} {}{about}", group.name(), cost(group));
        let _ = writeln!(text, "{}", self.paint.first_word(&wrapped(&head, "  "), group.name()));
        if !self.detail.fixes {
            let codes: Vec<&str> = group.findings.iter().map(|one| one.code.as_str()).collect();
            let line = wrapped(&codes.join(", "), "    ");
            let fails = group.findings.iter().any(|one| self.fails(one));
            let _ = writeln!(text, "{}", if fails { self.paint.bad(&line) } else { line });
            return;
        }
        for finding in &group.findings {
            let _ = writeln!(text, "{}", self.finding(finding));
        }
        let _ = writeln!(text, "{}\n", code(&format!("fix: {}", group.fix())));
    }

    fn fails(&self, finding: &ReportedFinding) -> bool {
        self.page.is_some_and(|page| self.verdict.fails(page, finding))
    }

    fn finding(&self, finding: &ReportedFinding) -> String {
        let overlap = finding.costs.iter().map(|one| one.overlap).max().unwrap_or(0);
        let also = match (finding.bytes(), overlap) {
            (0, 1..) => " (of the same bytes)",
            _ => "",
        };
        let line = wrapped(&format!("{}{also}: {}", finding.code, finding.why), "    ");
        if self.fails(finding) { self.paint.bad(&line) } else { line }
    }
}

/// What a group costs, in words.
fn cost(group: &Group<'_>) -> String {
    // Sums of pictures leave a frame's bytes out.
    let is_frame = group.findings.iter().all(|one| one.code == Code::HeavyEmbed);
    match (group.bytes(), group.ms()) {
        (count, _) if is_frame => format!("loads {} in a frame", bytes(count)),
        (0, ms) if ms >= 1.0 => format!("{ms:.0} ms lost"),
        (0, _) => String::new(),
        (count, _) => format!("{} too much", bytes(count)),
    }
}

/// What several pages have in common.
fn shared(
    text: &mut String,
    outline: &Outline<'_>,
    verdict: &Verdict,
    detail: Detail,
    paint: Paint,
) {
    if outline.shared.is_empty() {
        return;
    }
    let _ = writeln!(text, "{}", paint.strong("on several pages"));
    for (group, pages) in &outline.shared {
        let written = Written { name: "", verdict, page: None, detail, paint };
        written.group(text, group);
        let names: Vec<&str> =
            pages.iter().map(|page| page.rsplit('/').next().unwrap_or(page)).collect();
        let shown = names.iter().take(8).copied().collect::<Vec<_>>().join(", ");
        let more = match names.len() {
            0..=8 => String::new(),
            all => format!(" and {} more", all - 8),
        };
        let _ = writeln!(text, "{}", wrapped(&format!("on {shown}{more}"), "    "));
    }
    text.push('\n');
}

/// What is copied: one line is wrapped, several stand as they are.
fn code(text: &str) -> String {
    match text.lines().count() {
        0 | 1 => wrapped(text, "    "),
        _ => text.lines().map(|line| format!("    {line}")).collect::<Vec<_>>().join("\n"),
    }
}

/// Text over lines of at most [`COLUMNS`], behind an indent; the lines after the first are indented
/// further.
fn wrapped(text: &str, indent: &str) -> String {
    let further = format!("{indent}  ");
    // Addresses and code are copied from here: they break at spaces alone.
    let options = textwrap::Options::new(COLUMNS)
        .initial_indent(indent)
        .subsequent_indent(&further)
        .word_separator(textwrap::WordSeparator::AsciiSpace)
        .word_splitter(textwrap::WordSplitter::NoHyphenation)
        .break_words(false);
    textwrap::fill(text, options)
}

/// What the codes of a report mean, each once.
fn meanings(report: &Report) -> String {
    let mut codes: Vec<Code> = report.findings().map(|(_, finding)| finding.code).collect();
    codes.sort_unstable();
    codes.dedup();
    let line = |code: &Code| format!("  {:<24}{}\n", code.as_str(), code.title());
    let lines: String = codes.iter().map(line).collect();
    if lines.is_empty() {
        lines
    } else {
        format!("{lines}  --fixes says what was seen, and what fixes it\n\n")
    }
}

/// All pages together, device by device.
fn totals(report: &Report) -> Table {
    let mut table = Table::new();
    table.load_style(presets::NOTHING);
    let pages = format!("{} together", count(report.pages.len(), "page"));
    table.set_header([pages.as_str(), "fit", "sent", "needed"]);
    for device in &report.devices {
        let (sent, needed) = report.totals(&device.name);
        let fit = percent(report.fit(Some(&device.name)));
        table.add_row([format!("  {}", device.name), fit, bytes(sent), bytes(needed)]);
    }
    table.add_row(["  all devices".to_owned(), percent(report.fit(None))]);
    right(&mut table);
    table
}

fn measures(devices: &[DeviceReport]) -> Table {
    let mut table = Table::new();
    table.load_style(presets::NOTHING);
    table.set_header([
        "  device",
        "fit",
        "sent",
        "needed",
        "pictures",
        "before scrolling",
        "largest paint",
        "shift",
        "back",
    ]);
    for device in devices {
        let largest = device.largest_ms.map_or("-".to_owned(), |spread| spread.written(0, " ms"));
        let shift = device.shift.map_or("-".to_owned(), |spread| spread.written(3, ""));
        let back =
            device.restored.map_or("-", |restored| if restored { "instant" } else { "reload" });
        table.add_row([
            format!("  {}", device.device),
            percent(device.fit),
            bytes(device.sent),
            bytes(device.needed),
            device.requests.to_string(),
            device.requests_before_scroll.to_string(),
            largest,
            shift,
            back.to_owned(),
        ]);
    }
    right(&mut table);
    table
}

fn right(table: &mut Table) {
    for column in table.column_iter_mut().skip(1) {
        column.set_cell_alignment(CellAlignment::Right);
    }
}

fn changes(text: &mut String, comparison: &Comparison) {
    for note in &comparison.notes {
        let _ = writeln!(text, "{}", wrapped(note, ""));
    }
    for page in &comparison.pages {
        let _ = writeln!(text, "since the earlier report: {}\n", page.page);
        let mut table = Table::new();
        table.load_style(presets::NOTHING);
        table.set_header([
            "  device",
            "fit",
            "sent",
            "needed",
            "before scrolling",
            "largest paint",
            "shift",
        ]);
        for device in &page.devices {
            let change = |change: Option<Change>, digits| {
                change.map_or("-".to_owned(), |change| change_text(change, digits))
            };
            let [before, after] = device.requests_before_scroll;
            table.add_row([
                format!("  {}", device.device),
                format!("{} to {}", percent(device.fit[0]), percent(device.fit[1])),
                format!("{} to {}", bytes(device.sent[0]), bytes(device.sent[1])),
                format!("{} to {}", bytes(device.needed[0]), bytes(device.needed[1])),
                format!("{before} to {after}"),
                change(device.largest_ms, 0),
                change(device.shift, 3),
            ]);
        }
        let _ = writeln!(text, "{table}\n");
        for (word, findings) in [("fixed", &page.fixed), ("new", &page.new)] {
            for finding in findings {
                let _ =
                    writeln!(text, "  {word:>7}  {}  {}", finding.code, finding.element.selector);
            }
        }
        for worse in &page.worse {
            let (finding, before) = (&worse.finding, bytes(worse.before));
            let now = bytes(finding.bytes());
            let _ = writeln!(
                text,
                "  {:>7}  {}  {}: {before} to {now}",
                "worse", finding.code, finding.element.selector
            );
        }
        let _ = writeln!(
            text,
            "  {} fixed, {} new, {} worse, {} kept\n",
            page.fixed.len(),
            page.new.len(),
            page.worse.len(),
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
