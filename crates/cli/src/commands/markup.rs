//! `kivet markup`.

use std::process::ExitCode;

use anyhow::Result;
use kivet_service::MarkupResponse;
use reqwest::Method;

use crate::{client::Reach, output};

/// Write the markup for an original in a layout.
#[derive(clap::Args)]
pub struct Markup {
    /// The original, as shelf/path.
    original: String,
    /// How wide it is shown: the sizes attribute.
    #[arg(long, value_name = "LENGTHS")]
    sizes: String,
    /// The crop and fidelity, as a recipe; the widths come from the ladder.
    #[arg(long, value_name = "RECIPE")]
    recipe: Option<String>,
    /// What the picture shows, for those who cannot see it.
    #[arg(long, value_name = "TEXT", conflicts_with = "decorative")]
    alt: Option<String>,
    /// The page loses nothing without it.
    #[arg(long)]
    decorative: bool,
    /// first (the largest paint), near (in the first screen), later (below it) or hidden (such as a
    /// slide).
    #[arg(long, default_value = "later", value_name = "WHEN")]
    loading: String,
    /// What stands before /pic/, where pictures come from another host than the page.
    #[arg(long, value_name = "ADDRESS")]
    base: Option<String>,
    /// Name the current version in every address: caches keep it for ever, and the markup is
    /// written again when the picture changes.
    #[arg(long)]
    versioned: bool,
    #[command(flatten)]
    reach: Reach,
}

impl Markup {
    pub fn run(self, json: bool) -> Result<ExitCode> {
        let Self { original, sizes, recipe, alt, decorative, loading, base, versioned, reach } =
            self;
        let alt = if decorative { Some(String::new()) } else { alt };
        let mut query =
            vec![("original", original.as_str()), ("sizes", &sizes), ("loading", &loading)];
        let optional = [("recipe", &recipe), ("alt", &alt), ("base", &base)];
        query.extend(
            optional.iter().filter_map(|(key, value)| value.as_deref().map(|value| (*key, value))),
        );
        if versioned {
            query.push(("versioned", "true"));
        }
        let answer: MarkupResponse = reach.call(Method::GET, "/api/markup", &query)?;
        output::print(json, &answer, |answer| answer.html.clone())?;
        if !json {
            for note in &answer.notes {
                eprintln!("note: {note}");
            }
        }
        Ok(ExitCode::SUCCESS)
    }
}
