//! The requests of a visit over time, as an SVG drawing.

use std::fmt::Write;

use super::{DeviceReport, ResourceRow, junit::escaped, markdown::bytes};
use crate::observation::ResourceType;

/// Sizes in user units: the whole width, the columns of names and of bytes, a row, the axis, and a line
/// for the name of a milestone.
const WIDTH: f64 = 1100.0;
const NAMES: f64 = 250.0;
const BYTES: f64 = 70.0;
const ROW: f64 = 18.0;
const AXIS: f64 = 22.0;
const MARK: f64 = 15.0;

/// Characters of a name that fit its column.
const NAME: usize = 34;

/// Marks on the time axis.
const TICKS: usize = 8;

/// The requests of a device as bars from request to last byte, with the page's milestones; empty if
/// none was measured.
pub(super) fn svg(device: &DeviceReport) -> String {
    let rows = &device.resources;
    if rows.is_empty() {
        return String::new();
    }
    let marks = device.marks();
    let end = device.end_ms();
    let x = |ms: f64| NAMES + ms / end * (WIDTH - NAMES - BYTES);
    let below = AXIS + rows.len() as f64 * ROW;
    let height = below + MARK * (marks.len() as f64 + 0.5);
    let mut svg = format!(
        "<svg class=\"waterfall\" viewBox=\"0 0 {WIDTH} {height}\" role=\"img\" aria-label=\"requests over time\">"
    );
    let step = round_step(end / TICKS as f64);
    for tick in (0..).map(|at| f64::from(at) * step).take_while(|at| *at <= end) {
        let at = x(tick);
        let _ = write!(
            svg,
            "<line class=\"grid\" x1=\"{at:.1}\" x2=\"{at:.1}\" y1=\"{AXIS}\" y2=\"{below}\"/><text class=\"note\" x=\"{at:.1}\" y=\"14\">{tick:.0} ms</text>"
        );
    }
    for (at, row) in rows.iter().enumerate() {
        bar(&mut svg, row, AXIS + at as f64 * ROW, &x);
    }
    for (line, (ms, name)) in marks.into_iter().enumerate() {
        let (at, bottom) = (x(ms), below + MARK * (line as f64 + 1.0));
        // A name at the right edge is written before its line.
        let (anchor, gap) = if at > WIDTH - 140.0 { ("end", -4) } else { ("start", 4) };
        let _ = write!(
            svg,
            "<line x1=\"{at:.1}\" x2=\"{at:.1}\" y1=\"{AXIS}\" y2=\"{bottom:.1}\"/><text class=\"note\" text-anchor=\"{anchor}\" dx=\"{gap}\" x=\"{at:.1}\" y=\"{bottom:.1}\">{name} {ms:.0} ms</text>"
        );
    }
    svg + "</svg>"
}

fn bar(svg: &mut String, row: &ResourceRow, y: f64, x: &dyn Fn(f64) -> f64) {
    let name: String = row.name().chars().take(NAME).collect();
    let class = if row.kind == ResourceType::Picture { "picture" } else { "file" };
    let end = row.end_ms.max(row.start_ms);
    let response = if row.response_ms > 0.0 { row.response_ms.min(end) } else { end };
    let told = format!(
        "{}\n{}, {} priority, status {}\nrequested at {:.0} ms by {}, response at {:.0} ms, last byte at {:.0} ms",
        row.url,
        row.kind.name(),
        row.priority,
        row.status,
        row.start_ms,
        if row.started_by.is_empty() { "the page" } else { &row.started_by },
        response,
        end
    );
    let _ = write!(
        svg,
        "<g class=\"{class}\"><title>{}</title><text x=\"0\" y=\"{:.1}\">{}</text><rect class=\"wait\" x=\"{:.1}\" y=\"{:.1}\" width=\"{:.1}\" height=\"11\"/><rect class=\"load\" x=\"{:.1}\" y=\"{:.1}\" width=\"{:.1}\" height=\"11\"/><text class=\"note\" x=\"{:.1}\" y=\"{:.1}\">{}</text></g>",
        escaped(&told),
        y + 12.0,
        escaped(&name),
        x(row.start_ms),
        y + 3.0,
        x(response) - x(row.start_ms),
        x(response),
        y + 3.0,
        (x(end) - x(response)).max(1.5),
        x(end) + 5.0,
        y + 12.0,
        bytes(row.bytes)
    );
}

impl DeviceReport {
    /// The last byte of all requests or the last milestone, in milliseconds; at least 1.
    pub fn end_ms(&self) -> f64 {
        let last = self.resources.iter().map(|row| row.end_ms.max(row.start_ms));
        last.chain(self.marks().into_iter().map(|(ms, _)| ms)).fold(1.0, f64::max)
    }

    /// The page's milestones that are known, in milliseconds, with their names.
    pub fn marks(&self) -> Vec<(f64, &'static str)> {
        let largest = self.largest_ms.map(|spread| spread.median);
        let marks = [
            (self.milestones.first_paint_ms, "first paint"),
            (self.milestones.dom_ms, "DOM ready"),
            (largest, "largest paint"),
            (self.milestones.load_ms, "load"),
        ];
        let mut known: Vec<_> =
            marks.into_iter().filter_map(|(ms, name)| Some((ms?.round(), name))).collect();
        known.sort_by(|one, other| one.0.total_cmp(&other.0));
        known
    }
}

/// The next of 1, 2 and 5 times a power of ten.
fn round_step(step: f64) -> f64 {
    let power = 10_f64.powf(step.max(1.0).log10().floor());
    [1.0, 2.0, 5.0, 10.0]
        .map(|times| times * power)
        .into_iter()
        .find(|one| *one >= step)
        .unwrap_or(power)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn steps_of_the_axis_are_round_and_no_smaller() {
        let steps = [0.2, 1.0, 1.1, 4.0, 12.0, 60.0, 999.0].map(round_step);
        assert_eq!(steps, [1.0, 1.0, 2.0, 5.0, 20.0, 100.0, 1000.0]);
    }
}
