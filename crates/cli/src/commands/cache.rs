//! `kivet cache`.

use std::process::ExitCode;

use anyhow::Result;
use clap::Subcommand;
use comfy_table::{Table, presets};
use kivet_service::{CacheResponse, CachedGroup};
use reqwest::Method;

use crate::{client::Reach, output};

/// See what renditions take on disk, and list them anew.
#[derive(clap::Args)]
#[command(after_help = "Examples:\n  kivet cache show\n  kivet cache rebuild")]
pub struct Cache {
    #[command(subcommand)]
    what: What,
}

#[derive(Subcommand)]
enum What {
    /// Say how many renditions there are, and what they may take.
    Show {
        #[command(flatten)]
        reach: Reach,
    },
    /// Make the index of renditions anew from what is on disk; nothing that is there is made again.
    Rebuild {
        #[command(flatten)]
        reach: Reach,
    },
}

impl Cache {
    pub fn run(self, json: bool) -> Result<ExitCode> {
        let held: CacheResponse = match self.what {
            What::Show { reach } => reach.call(Method::GET, "/api/cache", &[])?,
            What::Rebuild { reach } => reach.call(Method::POST, "/api/cache/rebuild", &[])?,
        };
        output::print(json, &held, table)?;
        Ok(ExitCode::SUCCESS)
    }
}

fn table(held: &CacheResponse) -> String {
    let mut table = Table::new();
    table.load_style(presets::NOTHING).set_header(["shelf", "format", "renditions", "bytes"]);
    for CachedGroup { shelf, format, renditions, bytes } in &held.groups {
        table.add_row([shelf, format, &renditions.to_string(), &output::bytes(*bytes)]);
    }
    let all = format!(
        "{} on disk, {} of at most {}; one goes after {} without a request",
        output::count(held.renditions as usize, "rendition"),
        output::bytes(held.bytes),
        output::bytes(held.max_bytes),
        output::count(held.unused_days as usize, "day"),
    );
    if held.groups.is_empty() { format!("{all}\n") } else { format!("{table}\n\n{all}\n") }
}
