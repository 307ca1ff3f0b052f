//! The report as one HTML file that needs nothing else: for each picture what is shown, drawn to
//! scale.

use std::fmt::Write;

use super::{DeviceReport, PageReport, PictureRow, Report, junit::escaped, markdown::bytes};

const STYLE: &str = include_str!("report.css");
const SCRIPT: &str = include_str!("report.js");

/// The side of the square in which natural and shown sizes are drawn, in CSS pixels.
const SCALE: f64 = 92.0;

impl Report {
    /// This report as a web page.
    pub fn to_html(&self) -> String {
        let mut html = format!(
            "<!doctype html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n<title>Page check</title>\n<style>{STYLE}</style>\n</head>\n<body>\n<header><h1>Page check</h1>{}</header>\n",
            self.device_switch()
        );
        for page in &self.pages {
            self.page(&mut html, page);
        }
        for failure in &self.failures {
            let _ = writeln!(
                html,
                "<section><h2>{}</h2><p class=\"failure\">{}</p></section>",
                escaped(&failure.page),
                escaped(&failure.problem)
            );
        }
        html + &format!("<script>{SCRIPT}</script>\n</body>\n</html>\n")
    }

    fn device_switch(&self) -> String {
        let option = |(at, device): (usize, &super::DeviceSettings)| {
            let checked = if at == 0 { " checked" } else { "" };
            format!(
                "<label><input type=\"radio\" name=\"device\" value=\"{name}\"{checked}> {name} <small>{} x {} at {}x</small></label>",
                device.width,
                device.height,
                device.density,
                name = escaped(&device.name),
            )
        };
        format!(
            "<div class=\"devices\">{}</div>",
            self.devices.iter().enumerate().map(option).collect::<String>()
        )
    }

    fn page(&self, html: &mut String, page: &PageReport) {
        let _ = writeln!(html, "<section>\n<h2>{}</h2>", escaped(&page.page));
        for device in &page.devices {
            let _ = writeln!(
                html,
                "<div class=\"seen\" data-device=\"{}\">{}",
                escaped(&device.device),
                measures(device)
            );
            let max = device
                .pictures
                .iter()
                .map(|row| row.sent.max(row.needed))
                .max()
                .unwrap_or(1)
                .max(1);
            let rows: String = device.pictures.iter().map(|row| self.row(row, max)).collect();
            let _ = writeln!(
                html,
                "<table><thead><tr><th>shown</th><th>picture</th><th>file and screen</th><th>bytes</th><th>asked for</th></tr></thead><tbody>{rows}</tbody></table></div>"
            );
        }
        findings(html, page);
        html.push_str("</section>\n");
    }

    fn row(&self, row: &PictureRow, max: u64) -> String {
        let thumbnail = self
            .thumbnails
            .get(&row.url)
            .map_or(String::new(), |data| format!("<img src=\"{data}\" alt=\"\">"));
        let line = row.line.map_or(String::new(), |line| format!(", line {line}"));
        let name = row.url.rsplit('/').next().unwrap_or(&row.url);
        let bar = |class: &str, count: u64| {
            format!(
                "<div class=\"bar {class}\" style=\"width: {:.1}%\"></div><span>{}</span>",
                count as f64 * 70.0 / max as f64,
                bytes(count)
            )
        };
        let asked = match (row.before_scroll, row.in_view) {
            (true, true) => "at once, in view",
            (true, false) => "at once, not in view",
            (false, _) => "on scrolling",
        };
        format!(
            "<tr><td class=\"thumb\">{thumbnail}</td><td><b>{}</b><br><code>{}</code>{line}</td><td>{}</td><td class=\"bytes\">{}{}</td><td>{asked}<br><small>{} {}</small></td></tr>",
            escaped(name),
            escaped(&row.selector),
            to_scale(row),
            bar("sent", row.sent),
            bar("needed", row.needed),
            escaped(&row.priority),
            row.start_ms.map_or(String::new(), |ms| format!("after {ms:.0} ms")),
        )
    }
}

/// The file's pixels and the device pixels seen of them, one over the other at one scale.
fn to_scale(row: &PictureRow) -> String {
    let [width, height] = row.natural.map(f64::from);
    let [seen_width, seen_height] = row.seen_pixels.map(f64::from);
    let longest = width.max(height).max(seen_width).max(seen_height).max(1.0);
    let scaled = |value: f64| value / longest * SCALE;
    let drawn = format!(
        "<svg width=\"{SCALE}\" height=\"{:.1}\"><rect class=\"file\" width=\"{:.1}\" height=\"{:.1}\"/><rect class=\"screen\" width=\"{:.1}\" height=\"{:.1}\"/></svg>",
        scaled(height.max(seen_height)).max(2.0),
        scaled(width),
        scaled(height),
        scaled(seen_width),
        scaled(seen_height),
    );
    let cut = if row.cut > 0.005 {
        format!("<br>{:.0}% cut away", row.cut * 100.0)
    } else {
        String::new()
    };
    format!(
        "<div class=\"scale\">{drawn}<div>file {} x {}<br>seen {} x {}{cut}</div></div>",
        row.natural[0], row.natural[1], row.seen_pixels[0], row.seen_pixels[1]
    )
}

fn measures(device: &DeviceReport) -> String {
    let largest = device.largest_ms.map_or(String::new(), |one| {
        let spread = if one.max > one.min {
            format!(" <small>{:.0} to {:.0}</small>", one.min, one.max)
        } else {
            String::new()
        };
        format!("<div><b>{:.0} ms</b>{spread}<br>largest paint</div>", one.median)
    });
    let shift = device.shift.map_or(String::new(), |one| {
        format!("<div><b>{:.3}</b><br>layout shift</div>", one.median)
    });
    let back = device.restored.map_or(String::new(), |restored| {
        format!("<div><b>{}</b><br>back from memory</div>", if restored { "yes" } else { "no" })
    });
    format!(
        "<div class=\"measures\"><div><b>{}</b><br>sent</div><div><b>{}</b><br>needed</div><div><b>{}</b><br>requests before scroll</div>{largest}{shift}{back}</div>",
        bytes(device.sent),
        bytes(device.needed),
        device.requests_before_scroll
    )
}

fn findings(html: &mut String, page: &PageReport) {
    if page.findings.is_empty() {
        html.push_str("<p>Nothing to fix was found.</p>\n");
        return;
    }
    let _ = writeln!(html, "<h3>{} findings</h3>\n<div class=\"findings\">", page.findings.len());
    for finding in &page.findings {
        let devices: Vec<&str> = finding.costs.iter().map(|one| one.device.as_str()).collect();
        let cost = match (finding.bytes(), finding.ms()) {
            (0, ms) if ms > 0.0 => format!("{ms:.0} ms"),
            (0, _) => String::new(),
            (count, _) => bytes(count),
        };
        let line = finding.element.line.map_or(String::new(), |line| format!(" line {line}"));
        let _ = writeln!(
            html,
            "<details data-devices=\"{}\"><summary><span class=\"cost\">{cost}</span> <b>{}</b> <code>{}</code>{line}</summary><p>{}</p><pre>{}</pre><small>{}</small></details>",
            escaped(&devices.join(",")),
            escaped(finding.code.title()),
            escaped(&finding.element.selector),
            escaped(&finding.why),
            escaped(&finding.fix),
            escaped(&format!("{} on {}", finding.code, devices.join(", "))),
        );
    }
    html.push_str("</div>\n");
}
