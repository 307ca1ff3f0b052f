//! `kivet why`.

use std::process::ExitCode;

use anyhow::{Result, bail};
use comfy_table::{CellAlignment, Table, presets};
use kivet_recipe::Basis;
use kivet_service::{ReadyRendition, WhyResponse};

use crate::{
    client::{Reach, with_scheme},
    output,
};

/// What current Chromium sends for pictures.
const BROWSER: &str = "image/jxl,image/avif,image/webp,image/apng,image/svg+xml,image/*,*/*;q=0.8";

/// Say what a picture request would get, and why.
#[derive(clap::Args)]
pub struct Why {
    /// The picture's address, or the part of it after /pic/.
    address: String,
    /// The request's Accept header; what a current Chromium sends if left out.
    #[arg(long, default_value = BROWSER, hide_default_value = true, value_name = "TYPES")]
    accept: String,
    /// Sec-CH-Width: physical pixels across that the picture is shown at.
    #[arg(long, value_name = "PIXELS")]
    width: Option<u32>,
    /// Sec-CH-DPR: physical pixels per CSS pixel.
    #[arg(long, value_name = "FACTOR")]
    density: Option<f64>,
    /// Sec-CH-Viewport-Width: CSS pixels across the window.
    #[arg(long, value_name = "PIXELS")]
    viewport: Option<u32>,
    /// Save-Data: on.
    #[arg(long)]
    save_data: bool,
    #[command(flatten)]
    reach: Reach,
}

impl Why {
    pub fn run(self, json: bool) -> Result<ExitCode> {
        let path = address(&self.address)?;
        let mut headers = vec![("accept", self.accept)];
        let hints = [
            ("sec-ch-width", self.width.map(|width| width.to_string())),
            ("sec-ch-dpr", self.density.map(|density| density.to_string())),
            ("sec-ch-viewport-width", self.viewport.map(|width| width.to_string())),
            ("save-data", self.save_data.then(|| "on".to_owned())),
        ];
        headers.extend(hints.into_iter().filter_map(|(name, value)| Some((name, value?))));
        let answer: WhyResponse = self.reach.ask(&format!("/why/{path}"), &headers)?;
        output::print(json, &answer, text)?;
        let service = self.reach.service();
        if let Some(other) = other_service(&self.address, &service) {
            eprintln!(
                "note: asked {service}, not {other}: the token does not go where an address leads; --service says whom to ask"
            );
        }
        Ok(ExitCode::SUCCESS)
    }
}

/// What a whole address names before `/pic/`, where that is not the service that is asked.
fn other_service(address: &str, service: &str) -> Option<String> {
    let (root, _) = address.split_once("/pic/")?;
    let root = with_scheme(root);
    (address.contains("://") && root != service).then_some(root)
}

/// What stands behind `/pic/`, whether the whole address was given or not.
fn address(text: &str) -> Result<&str> {
    let path = text.split_once("/pic/").map_or(text.trim_start_matches('/'), |(_, path)| path);
    if path.splitn(3, '/').filter(|part| !part.is_empty()).count() < 3 {
        bail!("`{text}` is not a picture's path; write /pic/<recipe>/<shelf>/<path>");
    }
    Ok(path)
}

/// The rendition that is ready, in words.
fn ready(ready: Option<&ReadyRendition>) -> String {
    let Some(ready) = ready else { return "no; it is made when it is asked for".to_owned() };
    let score = ready.score.map_or(String::new(), |score| format!(", score {score:.1}"));
    format!("{}, {}{score}", ready.detail.name(), output::bytes(ready.bytes))
}

fn text(why: &WhyResponse) -> String {
    let [width, height] = why.size;
    let mut text = format!("{}\n\n", why.address);
    let mut say = |name: &str, value: String| text.push_str(&format!("{name:<10} {value}\n"));
    let best = why.candidates.iter().find(|candidate| candidate.format == why.format);
    let later = best.filter(|best| best.encoding != why.encoding);
    let later = later.map_or(String::new(), |best| {
        format!(" at first; {} once there is time to search", best.encoding)
    });
    say("sends", format!("{width} x {height} {}, {}{later}", why.format, why.encoding));
    say("because", why.because.clone());
    if let Some(by) = &why.crop_by {
        say("crop", format!("kept around {by}"));
    }
    say("width", why.width_from.clone());
    if let Some([width, height]) = why.requested_size {
        say(
            "",
            format!("{width} x {height} was asked for; nothing is enlarged beyond the original"),
        );
    }
    if let Some(target) = why.target {
        let lowered = why.lowered.iter().map(|lowered| format!("; {lowered}"));
        say("fidelity", format!("{target}{}", lowered.collect::<String>()));
    }
    for replaced in &why.replaced_fonts {
        say("font", format!("{} is not installed; {} is used", replaced.family, replaced.by));
    }
    say("accepts", why.request.accepts.join(", "));
    say("varies by", if why.vary.is_empty() { "nothing".to_owned() } else { why.vary.clone() });
    say("ready", ready(why.ready.as_ref()));
    if let (Some(ready), Some(best)) = (&why.ready, best) {
        let off = ready.bytes as f64 / best.predicted_bytes.max(1) as f64;
        if !(0.8..=1.25).contains(&off) {
            let rests = match best.basis {
                Basis::Prior => "what other pictures took",
                Basis::Curve => "trials of this picture at other sizes and settings",
                Basis::Corrected => "what was made of this picture before",
            };
            say("", format!("{} were expected, from {rests}", output::bytes(best.predicted_bytes)));
        }
    }
    say("version", format!("?v={}", why.version));
    if !why.candidates.is_empty() {
        text.push_str(&format!("\n{}\n\n{}\n", candidates(why), widths(why)));
    }
    text
}

fn candidates(why: &WhyResponse) -> Table {
    let mut table = table(["format", "written", "bytes expected", "score expected", "by"], &[2, 3]);
    for candidate in &why.candidates {
        let chosen = if candidate.format == why.format { "> " } else { "  " };
        let score =
            candidate.predicted_score.map_or("lossless".to_owned(), |score| format!("{score:.1}"));
        table.add_row([
            format!("{chosen}{}", candidate.format),
            candidate.encoding.clone(),
            output::bytes(candidate.predicted_bytes),
            score,
            candidate.basis.name().to_owned(),
        ]);
    }
    table
}

fn widths(why: &WhyResponse) -> Table {
    let mut table = table(["width", "height", "format", "bytes expected"], &[0, 1, 3]);
    for width in &why.widths {
        let chosen = if width.chosen { "> " } else { "  " };
        table.add_row([
            format!("{chosen}{}", width.width),
            width.height.to_string(),
            width.format.to_string(),
            output::bytes(width.predicted_bytes),
        ]);
    }
    table
}

fn table<const N: usize>(names: [&str; N], right: &[usize]) -> Table {
    let mut table = Table::new();
    table.load_style(presets::NOTHING);
    table.set_header(names);
    for index in right {
        if let Some(column) = table.column_mut(*index) {
            column.set_cell_alignment(CellAlignment::Right);
        }
    }
    table
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn who_else_an_address_names_is_told() {
        let asked = "http://127.0.0.1:8484";
        for (address, other) in [
            ("http://127.0.0.1:8484/pic/64w/photos/a.jpg", None),
            ("/pic/64w/photos/a.jpg", None),
            ("64w/photos/a.jpg", None),
            ("https://kites.example/img/pic/64w/photos/a.jpg", Some("https://kites.example/img")),
        ] {
            assert_eq!(other_service(address, asked).as_deref(), other, "{address}");
        }
    }
}
