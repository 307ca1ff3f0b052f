//! `kivet render`.

use std::{
    path::{Path, PathBuf},
    process::ExitCode,
};

use anyhow::{Context, Result, bail};
use kivet_image::{
    Assets, Fonts, ImageError, Limits, Task, Work, analyse, find_trim_box, probe, render,
};
use kivet_recipe::{Curves, Facts, Format, Policy, Recipe, Request, choose};
use serde::Serialize;

use crate::output;

/// Make one rendition of a file, without a service.
#[derive(clap::Args)]
pub struct Render {
    /// The original.
    file: PathBuf,
    /// What to make of it, e.g. 640w_ratio-3-2.
    #[arg(long, value_name = "RECIPE")]
    recipe: String,
    /// Where to write it; the extension names the format unless the recipe does.
    #[arg(short, long, value_name = "FILE")]
    output: PathBuf,
}

#[derive(Serialize)]
#[serde(rename_all = "camelCase")]
struct Made {
    output: String,
    recipe: String,
    format: String,
    encoding: String,
    width: u32,
    height: u32,
    bytes: u64,
    original_bytes: u64,
    draw_ms: f64,
    encode_ms: f64,
    /// What was asked for, if the original could not give it.
    #[serde(skip_serializing_if = "Option::is_none")]
    requested_size: Option<[u32; 2]>,
}

/// What the recipe needs to know of the original.
fn facts_for(original: &[u8], recipe: &Recipe) -> Result<Facts, ImageError> {
    let mut facts = probe(original, Limits::default())?;
    if recipe.wants_subject() {
        facts.analysis = Some(analyse(original, &facts, Limits::DEFAULT)?);
    }
    if recipe.trim {
        facts.trim_box = Some(find_trim_box(original, &facts, Limits::DEFAULT)?);
    }
    Ok(facts)
}

impl Render {
    pub fn run(self, json: bool) -> Result<ExitCode> {
        let recipe: Recipe = self.recipe.parse()?;
        if let Some(place) = &recipe.place {
            bail!(
                "`@{place}` is a place of a running service; write its clauses out, as `kivet place show {place}` tells them"
            );
        }
        let named = format_of(&self.output, recipe.original)?;
        let recipe = match recipe.format {
            // The file itself, or a vector that stays one: its name is the caller's affair.
            _ if recipe.original || named == Format::Svg => recipe,
            Some(format) if format != named => {
                bail!(
                    "the recipe says as-{format} but {} ends as {named}; make them agree",
                    self.output.display()
                )
            }
            _ => recipe.with(|clauses| clauses.format = Some(named))?,
        };
        let original = std::fs::read(&self.file)
            .with_context(|| format!("cannot read {}", self.file.display()))?;
        let about = || self.file.display().to_string();
        let facts = facts_for(&original, &recipe).with_context(about)?;
        self.check_name(named, &recipe, &facts)?;
        let policy = Policy { jxl: kivet_image::JXL, ..Policy::default() };
        let choice = choose(&recipe, &facts, &Curves::default(), &Request::ANYTHING, &policy)?;
        if let Some(name) = choice.edits.overlays.first() {
            bail!(
                "`overlay-{name}` needs a configuration to be described in; ask a running service for it"
            );
        }
        let assets = Assets { fonts: Fonts::of_system(), ..Assets::default() };
        let task = Task {
            assets: Some(&assets),
            work: Work::within(Limits::default()),
            ..Task::default()
        };
        let rendition = render(&original, &facts, &choice, &task).with_context(about)?;
        std::fs::write(&self.output, &rendition.bytes)
            .with_context(|| format!("cannot write {}", self.output.display()))?;
        let made = Made {
            output: self.output.display().to_string(),
            recipe: recipe.to_string(),
            format: rendition.format.to_string(),
            encoding: rendition.encoding.to_string(),
            width: rendition.size.width,
            height: rendition.size.height,
            bytes: rendition.bytes.len() as u64,
            original_bytes: original.len() as u64,
            draw_ms: rendition.timings.draw.as_secs_f64() * 1e3,
            encode_ms: rendition.timings.encode.as_secs_f64() * 1e3,
            requested_size: choice.plan.requested_size.map(|size| [size.width, size.height]),
        };
        output::print(json, &made, text)?;
        Ok(ExitCode::SUCCESS)
    }
}

impl Render {
    /// Refuses an output whose name promises what the recipe does not make of the original.
    fn check_name(&self, named: Format, recipe: &Recipe, facts: &Facts) -> Result<()> {
        if recipe.original && named != facts.format {
            bail!(
                "{} is {}, and the recipe `original` leaves it so; end {} accordingly",
                self.file.display(),
                facts.format,
                self.output.display()
            );
        }
        if named == Format::Svg && facts.format != Format::Svg {
            bail!(
                "{} holds pixels, which cannot become a vector; name another format",
                self.file.display()
            );
        }
        Ok(())
    }
}

fn text(made: &Made) -> String {
    let mut lines = format!(
        "{}  {} x {}  {}, {}\n{} from {} ({:.1}%)  drawn in {:.0} ms, encoded in {:.0} ms",
        made.output,
        made.width,
        made.height,
        made.format,
        made.encoding,
        output::bytes(made.bytes),
        output::bytes(made.original_bytes),
        made.bytes as f64 * 100.0 / made.original_bytes as f64,
        made.draw_ms,
        made.encode_ms,
    );
    if let Some([width, height]) = made.requested_size {
        lines.push_str(&format!(
            "\n{width} x {height} was asked for; nothing is enlarged beyond the original"
        ));
    }
    lines
}

/// What a file's name says it holds: a format that can be written, or any for an original that is
/// passed on.
fn format_of(output: &Path, original: bool) -> Result<Format> {
    let extension = output
        .extension()
        .and_then(|extension| extension.to_str())
        .unwrap_or_default()
        .to_ascii_lowercase();
    let name = match extension.as_str() {
        "jpg" => "jpeg",
        "tif" => "tiff",
        other => other,
    };
    match Format::from_name(name) {
        Some(format) if original || Format::NAMEABLE.contains(&format) || format == Format::Svg => {
            Ok(format)
        }
        _ => bail!(
            "{} does not end as a format that can be written: .avif, .jxl, .webp, .jpg, .png or .gif (.svg for vectors)",
            output.display()
        ),
    }
}
