//! `kivet manual`.

use std::{path::PathBuf, process::ExitCode};

use anyhow::{Context, Result};
use serde::Serialize;

use crate::output;

/// Write manual pages, one for each command: man -l FOLDER/kivet-check.1 shows one.
#[derive(clap::Args)]
pub struct Manual {
    /// The folder they are written to; it is made if it is not there.
    #[arg(value_name = "FOLDER")]
    folder: PathBuf,
}

/// What was written.
#[derive(Serialize)]
struct Written {
    folder: PathBuf,
    pages: Vec<String>,
}

impl Manual {
    pub fn run(self, json: bool) -> Result<ExitCode> {
        let Self { folder } = self;
        std::fs::create_dir_all(&folder)
            .with_context(|| format!("cannot make the folder {}", folder.display()))?;
        clap_mangen::generate_to(crate::commands_of_kivet(), &folder)
            .with_context(|| format!("cannot write manual pages to {}", folder.display()))?;
        let mut pages: Vec<String> = std::fs::read_dir(&folder)?
            .filter_map(|entry| entry.ok()?.file_name().into_string().ok())
            .filter(|name| name.ends_with(".1"))
            .collect();
        pages.sort();
        let written = Written { folder, pages };
        output::print(json, &written, |written| {
            format!("{} manual pages in {}", written.pages.len(), written.folder.display())
        })?;
        Ok(ExitCode::SUCCESS)
    }
}
