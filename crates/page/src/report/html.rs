//! The report as one HTML file that needs nothing else: for each picture what is shown, drawn to
//! scale.

use std::{
    fmt::Write,
    time::{Duration, UNIX_EPOCH},
};

use super::{
    DeviceReport, Group, Mode, Outline, PageReport, PictureRow, Report, RequestSum,
    junit::escaped,
    markdown::{bytes, percent},
    thumbnail_key, waterfall,
};

const STYLE: &str = include_str!("report.css");
const SCRIPT: &str = include_str!("report.js");

/// The side of the square in which natural and shown sizes are drawn, in CSS pixels.
const SCALE: f64 = 92.0;

impl Report {
    /// This report as a web page.
    pub fn to_html(&self) -> String {
        let outline = self.outline();
        let mut html = format!(
            "<!doctype html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n<meta name=\"color-scheme\" content=\"light dark\">\n<title>Page check</title>\n<style>{STYLE}</style>\n</head>\n<body>\n<header><h1>Page check</h1><p>{}</p>{}</header>\n{}",
            self.made(),
            self.device_switch(),
            self.summary(&outline),
        );
        for (at, (page, groups)) in outline.pages.iter().enumerate() {
            self.page(&mut html, at, page, groups);
        }
        shared(&mut html, &outline);
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

    /// When it was made, by what and how.
    fn made(&self) -> String {
        let date = httpdate::fmt_http_date(UNIX_EPOCH + Duration::from_secs(self.at));
        let way = match self.mode {
            Mode::Text => "read as text, without a browser",
            Mode::Browser if !self.throttled => "measured in a browser, not throttled",
            Mode::Browser => "measured in a browser",
        };
        format!("{}, Kivet {}, {way}", escaped(&date), escaped(&self.kivet))
    }

    /// All pages at a glance, and what the colours mean.
    fn summary(&self, outline: &Outline<'_>) -> String {
        let mut rows = String::new();
        for (at, (page, groups)) in outline.pages.iter().enumerate() {
            for device in &page.devices {
                let here = groups.iter().filter(|group| group.devices().contains(&*device.device));
                let worst = here.max_by_key(|group| group.on(&device.device).0);
                let worst = worst.map_or(String::new(), |group| {
                    let (bytes, ms) = group.on(&device.device);
                    escaped(&format!("{} {}", group.name(), cost(bytes, ms)))
                });
                let _ = write!(
                    rows,
                    "<tr data-device=\"{}\"><td><a href=\"#page-{at}\">{}</a></td><td>{}</td><td>{}</td><td>{}</td><td>{}</td><td>{worst}</td></tr>",
                    escaped(&device.device),
                    escaped(&page.page),
                    percent(device.fit),
                    bytes(device.sent),
                    bytes(device.needed),
                    page.findings.len(),
                );
            }
        }
        for device in &self.devices {
            let (sent, needed) = self.totals(&device.name);
            let _ = write!(
                rows,
                "<tr class=\"total\" data-device=\"{}\"><td>together</td><td>{}</td><td>{}</td><td>{}</td><td>{}</td><td></td></tr>",
                escaped(&device.name),
                percent(self.fit(Some(&device.name))),
                bytes(sent),
                bytes(needed),
                self.pages.iter().map(|page| page.findings.len()).sum::<usize>(),
            );
        }
        format!(
            "<table class=\"summary\"><thead><tr><th>page</th><th>fit</th><th>sent</th><th>needed</th><th>findings</th><th>worst</th></tr></thead><tbody>{rows}</tbody></table>\n<p class=\"legend\">fit: the share of the sent picture bytes that the screen needed <span class=\"bar sent\"></span> sent <span class=\"bar needed\"></span> needed: what exactly fitting pictures would weigh <span class=\"bar file\"></span> the file's pixels <span class=\"bar screen\"></span> those of the screen</p>\n"
        )
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

    fn page(&self, html: &mut String, at: usize, page: &PageReport, groups: &[Group<'_>]) {
        let _ = writeln!(html, "<section id=\"page-{at}\">\n<h2>{}</h2>", escaped(&page.page));
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
            let rows: String =
                device.pictures.iter().map(|row| self.row(&device.device, row, max)).collect();
            let _ = writeln!(
                html,
                "<div class=\"wide\"><table><thead><tr><th>shown</th><th>picture</th><th>file and screen</th><th>bytes</th><th>asked for</th></tr></thead><tbody>{rows}</tbody></table></div>{}</div>",
                all_requests(device)
            );
        }
        if page.findings.is_empty() {
            html.push_str("<p>Nothing to fix was found.</p>\n");
        }
        html.push_str("<div class=\"findings\">\n");
        groups.iter().for_each(|group| element(html, group, ""));
        html.push_str("</div>\n");
        html.push_str("</section>\n");
    }

    fn row(&self, device: &str, row: &PictureRow, max: u64) -> String {
        let thumbnail = self
            .thumbnails
            .get(&thumbnail_key(device, &row.url))
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
    // A vector has no pixels of its own.
    if row.format == "svg" {
        return format!("<div>a drawing, at any size{cut}</div>");
    }
    if row.natural == [0, 0] {
        return "<div>not known</div>".to_owned();
    }
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
        "<div class=\"measures\"><div><b>{}</b><br>fit</div><div><b>{}</b><br>sent</div><div><b>{}</b><br>needed</div><div><b>{}</b><br>pictures before scroll</div>{largest}{shift}{back}</div>",
        percent(device.fit),
        bytes(device.sent),
        bytes(device.needed),
        device.requests_before_scroll
    )
}

/// Requests and bytes by kind and host, and the waterfall.
fn all_requests(device: &DeviceReport) -> String {
    if device.resources.is_empty() {
        return String::new();
    }
    let kinds = device.kinds();
    let kinds = kinds.iter().map(|(kind, sum)| (kind.name(), *sum));
    let hosts = device.hosts();
    let by_host = match hosts.as_slice() {
        [_] => String::new(),
        all => sums(
            "host",
            all.iter().map(|(host, sum)| (if host.is_empty() { "the site" } else { *host }, *sum)),
        ),
    };
    format!(
        "<details><summary>All {} requests over time</summary><div class=\"measures\">{}{by_host}</div><p class=\"legend\"><span class=\"bar file\"></span> waiting for the response <span class=\"bar sent\"></span> a picture's bytes <span class=\"bar screen\"></span> other bytes</p>{}</details>",
        device.resources.len(),
        sums("kind", kinds),
        waterfall::svg(device)
    )
}

fn sums<'a>(name: &str, rows: impl Iterator<Item = (&'a str, RequestSum)>) -> String {
    let row = |(name, sum): (&str, RequestSum)| {
        let RequestSum { requests, bytes: sent } = sum;
        format!("<tr><td>{}</td><td>{requests}</td><td>{}</td></tr>", escaped(name), bytes(sent))
    };
    format!(
        "<table class=\"kinds\"><thead><tr><th>{name}</th><th>requests</th><th>bytes</th></tr></thead><tbody>{}</tbody></table>",
        rows.map(row).collect::<String>()
    )
}

/// All that was found of one element, with the one fix for it.
fn element(html: &mut String, group: &Group<'_>, note: &str) {
    let first = group.findings[0];
    let devices: Vec<&str> = group.devices().into_iter().collect();
    let costs = devices.iter().map(|device| (*device, group.on(device)));
    let line = first.element.line.map_or(String::new(), |line| format!(" line {line}"));
    let _ = writeln!(
        html,
        "<details data-devices=\"{}\"><summary>{} <b>{}</b> <code>{}</code>{line}<br><small>{}</small></summary><ul>",
        escaped(&devices.join(",")),
        costs_by_device("cost", costs),
        escaped(group.name()),
        escaped(&first.element.selector),
        escaped(&group.pixels),
    );
    for finding in &group.findings {
        let overlap = finding.costs.iter().any(|one| one.overlap > 0 && finding.bytes() == 0);
        let also = if overlap { " <small>of the same bytes</small>" } else { "" };
        let on: Vec<&str> = finding.costs.iter().map(|one| one.device.as_str()).collect();
        let costs = finding.costs.iter().map(|one| {
            let (bytes, ms) = (one.cost.bytes.unwrap_or(0), one.cost.ms.unwrap_or(0.0));
            (one.device.as_str(), (bytes, ms))
        });
        let _ = writeln!(
            html,
            "<li data-devices=\"{}\"><b>{}</b> {}{also}: {} <small>{}</small></li>",
            escaped(&on.join(",")),
            escaped(finding.code.title()),
            costs_by_device("part", costs),
            escaped(&finding.why),
            escaped(finding.code.as_str()),
        );
    }
    let _ = writeln!(html, "</ul><pre>{}</pre>{note}</details>", escaped(group.fix()));
}

/// What several pages have in common, said once.
fn shared(html: &mut String, outline: &Outline<'_>) {
    if outline.shared.is_empty() {
        return;
    }
    html.push_str("<section><h2>On several pages</h2><div class=\"findings\">\n");
    for (group, pages) in &outline.shared {
        element(html, group, &format!("<p>On {}</p>", escaped(&pages.join(", "))));
    }
    html.push_str("</div></section>\n");
}

/// What it costs on each device; the page shows that of the chosen one.
fn costs_by_device<'a>(class: &str, costs: impl Iterator<Item = (&'a str, (u64, f64))>) -> String {
    let one = |(device, (bytes, ms)): (&str, (u64, f64))| {
        let device = escaped(device);
        format!("<span class=\"{class}\" data-device=\"{device}\">{}</span>", cost(bytes, ms))
    };
    costs.map(one).collect()
}

/// A cost, in bytes or milliseconds.
fn cost(count: u64, ms: f64) -> String {
    match (count, ms) {
        (0, ms) if ms >= 1.0 => format!("{ms:.0} ms"),
        (0, _) => String::new(),
        (count, _) => bytes(count),
    }
}
