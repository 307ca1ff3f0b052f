//! Every request over time, for the terminal.

use std::fmt::Write;

use kivet_page::report::{DeviceReport, PageReport};

use super::paint::{COLUMNS, Paint};
use crate::output::{bytes, count};

/// Columns of a name and of what stands before the bars.
const NAME: usize = 26;
const BEFORE: usize = 58;

/// The requests of a page on each device, as bars from request to last byte.
pub fn text(page: &PageReport, paint: Paint) -> String {
    page.devices.iter().map(|device| of_device(device, paint)).collect()
}

fn of_device(device: &DeviceReport, paint: Paint) -> String {
    let rows = &device.resources;
    if rows.is_empty() {
        return String::new();
    }
    let marks = device.marks();
    let end = device.end_ms();
    let column = |ms: f64| (ms / end * (COLUMNS - BEFORE - 1) as f64) as usize;
    let kinds: Vec<String> = device
        .kinds()
        .iter()
        .map(|(kind, sum)| format!("{} {} {}", sum.requests, kind.name(), bytes(sum.bytes)))
        .collect();
    let all = count(rows.len(), "request");
    let mut text = format!("{}\n", paint.strong(&format!("{}: {all}", device.device)));
    // Writing to a string cannot fail.
    let _ = writeln!(text, "  {}", kinds.join(" · "));
    for row in rows {
        let (start, done) = (column(row.start_ms), column(row.end_ms.max(row.start_ms)));
        let response = column(row.response_ms).clamp(start, done);
        let name: String = row.name().chars().take(NAME).collect();
        let bar = format!(
            "{}{}{}",
            " ".repeat(start),
            "·".repeat(response - start),
            "█".repeat((done - response).max(1))
        );
        let _ = writeln!(
            text,
            "  {name:<NAME$} {:<8} {:<8} {:>9}  {bar}",
            row.kind.name(),
            row.priority.to_lowercase(),
            bytes(row.bytes)
        );
    }
    for (ms, name) in marks {
        let gap = BEFORE + column(ms);
        let label = format!("{name} {ms:.0} ms ");
        let _ = writeln!(text, "{}{label}│", " ".repeat(gap.saturating_sub(label.chars().count())));
    }
    text.push('\n');
    text
}
