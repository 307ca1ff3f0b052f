//! `kivet rules`.

use std::{path::PathBuf, process::ExitCode};

use anyhow::{Context, Result};
use clap::Subcommand;
use kivet_page::rules::RulesDocument;
use reqwest::Method;

use crate::{client::Reach, output};

/// See and set the rules by which pages are rewritten.
#[derive(clap::Args)]
#[command(
    after_help = "Examples:\n  kivet learn site/ --out pages.toml\n  kivet rules set pages.toml\n  kivet rules show"
)]
pub struct Rules {
    #[command(subcommand)]
    what: What,
}

#[derive(Subcommand)]
enum What {
    /// Print the kept rules as TOML, with the places they name.
    Show {
        #[command(flatten)]
        reach: Reach,
    },
    /// Replace the stored rules with those of a file, and add its places.
    Set {
        /// The file.
        file: PathBuf,
        /// Replace stored places that have the names of the file's places.
        #[arg(long)]
        replace_places: bool,
        #[command(flatten)]
        reach: Reach,
    },
}

impl Rules {
    pub fn run(self, json: bool) -> Result<ExitCode> {
        let kept: RulesDocument = match self.what {
            What::Show { reach } => reach.call(Method::GET, "/api/rules", &[])?,
            What::Set { file, replace_places, reach } => {
                reach.put(&format!("/api/rules?replace-places={replace_places}"), &read(&file)?)?
            }
        };
        let text = toml::to_string(&kept)?;
        output::print(json, &kept, |_| text)?;
        Ok(ExitCode::SUCCESS)
    }
}

/// The rules in a file.
pub fn read(file: &std::path::Path) -> Result<RulesDocument> {
    let text =
        std::fs::read_to_string(file).with_context(|| format!("cannot read {}", file.display()))?;
    toml::from_str(&text).with_context(|| format!("{} does not hold rules", file.display()))
}
