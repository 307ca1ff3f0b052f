//! `kivet library`.

use std::{path::PathBuf, process::ExitCode};

use anyhow::{Context, Result, bail};
use clap::Subcommand;
use kivet_page::markup::Manifest;
use kivet_service::{
    AltOrder, AltResponse, ExportOrder, FocusOrder, LibraryPage, OriginalResponse,
};
use reqwest::Method;

use crate::{client::Reach, output};

/// See and mark originals.
#[derive(clap::Args)]
pub struct Library {
    #[command(subcommand)]
    what: What,
}

#[derive(Subcommand)]
enum What {
    /// List the originals of a shelf.
    List {
        /// The shelf; the first one if left out.
        shelf: Option<String>,
        /// Begin after this path.
        #[arg(long, value_name = "PATH")]
        after: Option<String>,
        #[command(flatten)]
        reach: Reach,
    },
    /// Say what is known of one original, its colours included.
    Show {
        /// The original, as shelf/path.
        original: String,
        #[command(flatten)]
        reach: Reach,
    },
    /// Mark the point that crops keep, in percent across and down: 30-40.
    Focus {
        /// The originals, as shelf/path.
        #[arg(required = true, value_name = "ORIGINAL")]
        originals: Vec<String>,
        /// The point; `none` takes the mark away.
        point: String,
        #[command(flatten)]
        reach: Reach,
    },
    /// Say what an original shows, for those who cannot see it.
    Alt(AltText),
    /// Write originals with what places offer of them, for the npm package kivet-frontend.
    Export {
        /// The file.
        file: PathBuf,
        /// The shelves; all if left out.
        #[arg(long, value_name = "NAMES", value_delimiter = ',')]
        shelf: Vec<String>,
        /// The places; all if left out.
        #[arg(long, value_name = "NAMES", value_delimiter = ',')]
        place: Vec<String>,
        #[command(flatten)]
        reach: Reach,
    },
}

/// Say what an original shows, for those who cannot see it.
#[derive(clap::Args)]
struct AltText {
    /// The original, as shelf/path.
    original: String,
    /// What it shows.
    #[arg(required_unless_present_any = ["decorative", "remove"], conflicts_with_all = ["decorative", "remove"])]
    text: Option<String>,
    /// Pages lose nothing without it.
    #[arg(long, conflicts_with = "remove")]
    decorative: bool,
    /// Remove the text for this language and place.
    #[arg(long)]
    remove: bool,
    /// The language of the text, as HTML's lang has it; for any if left out.
    #[arg(long, value_name = "TAG")]
    language: Option<String>,
    /// The place the text is for; for all if left out.
    #[arg(long, value_name = "NAME")]
    place: Option<String>,
    #[command(flatten)]
    reach: Reach,
}

impl Library {
    pub fn run(self, json: bool) -> Result<ExitCode> {
        match self.what {
            What::List { shelf, after, reach } => {
                let query: Vec<(&str, &str)> = [("shelf", &shelf), ("after", &after)]
                    .into_iter()
                    .filter_map(|(key, value)| value.as_deref().map(|value| (key, value)))
                    .collect();
                let page: LibraryPage = reach.call(Method::GET, "/api/library", &query)?;
                output::print(json, &page, listed)?;
            }
            What::Show { original, reach } => {
                let answer: OriginalResponse =
                    reach.call(Method::GET, "/api/library/look", &[("original", &original)])?;
                output::print(json, &answer, shown)?;
            }
            What::Focus { originals, point, reach } => {
                let focus = read_point(&point)?;
                let mark = |original: String| -> Result<OriginalResponse> {
                    reach.put("/api/library/focus", &FocusOrder { original, focus })
                };
                let answers: Vec<OriginalResponse> =
                    originals.into_iter().map(mark).collect::<Result<_>>()?;
                output::print(json, &answers, |answers| {
                    answers.iter().map(shown).collect::<Vec<_>>().join("\n")
                })?;
            }
            What::Alt(AltText {
                original,
                text,
                decorative,
                remove: _,
                language,
                place,
                reach,
            }) => {
                let text = if decorative { Some(String::new()) } else { text };
                let order = AltOrder { original, language, place, text };
                let answer: OriginalResponse = reach.put("/api/library/alt", &order)?;
                output::print(json, &answer, shown)?;
            }
            What::Export { file, shelf, place, reach } => {
                let order = ExportOrder { shelves: shelf, places: place };
                let manifest: Manifest = reach.post("/api/library/export", &order)?;
                std::fs::write(&file, serde_json::to_string(&manifest)?)
                    .with_context(|| format!("cannot write {}", file.display()))?;
                output::print(json, &manifest, |manifest| {
                    let Manifest { places, originals, .. } = manifest;
                    format!(
                        "{} originals in {} places, in {}",
                        originals.len(),
                        places.len(),
                        file.display()
                    )
                })?;
            }
        }
        Ok(ExitCode::SUCCESS)
    }
}

fn read_point(text: &str) -> Result<Option<[u8; 2]>> {
    if text == "none" {
        return Ok(None);
    }
    let parts = text.split_once('-').and_then(|(x, y)| Some([x.parse().ok()?, y.parse().ok()?]));
    match parts {
        Some(point) if point.iter().all(|percent: &u8| *percent <= 100) => Ok(Some(point)),
        _ => {
            bail!("`{text}` is not a point; write percents across and down such as 30-40, or none")
        }
    }
}

fn listed(page: &LibraryPage) -> String {
    let mut lines: Vec<String> = page.originals.iter().map(line).collect();
    if let Some(next) = &page.next {
        lines.push(format!("more: kivet library list {} --after {next}", page.shelf));
    }
    lines.join("\n")
}

fn line(original: &OriginalResponse) -> String {
    match (&original.facts, &original.problem) {
        (Some(facts), _) => format!(
            "{:<40} {:>5} x {:<5} {:<5} {:>8}  {}",
            original.id,
            facts.width,
            facts.height,
            facts.format,
            output::bytes(facts.bytes),
            facts.kind.name()
        ),
        (None, problem) => {
            format!("{:<40} {}", original.id, problem.as_deref().unwrap_or("cannot be used"))
        }
    }
}

fn shown(original: &OriginalResponse) -> String {
    let Some(facts) = &original.facts else { return line(original) };
    let mut text = line(original);
    let mut add = |name: &str, value: Option<String>| {
        if let Some(value) = value {
            text.push_str(&format!("\n  {name:<12} {value}"));
        }
    };
    add("profile", facts.profile.clone());
    add("dominant", facts.dominant.clone());
    add("focus", facts.focus.map(|[x, y]| format!("{x}-{y}")));
    add("soft", facts.soft.as_ref().map(|soft| format!("{} bytes", soft.len())));
    for alt in &original.alts {
        add("alt", Some(alt_line(alt)));
    }
    text
}

fn alt_line(alt: &AltResponse) -> String {
    let AltResponse { language, place, text } = alt;
    let text = if text.is_empty() { "(decorative)" } else { text };
    let language = language.as_ref().map(|language| format!("in {language}"));
    let place = place.as_ref().map(|place| format!("for the place {place}"));
    let of: Vec<String> = language.into_iter().chain(place).collect();
    if of.is_empty() { text.to_owned() } else { format!("{text} ({})", of.join(", ")) }
}
