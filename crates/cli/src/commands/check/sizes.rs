//! `kivet check --fit-sizes`.

use std::{fmt::Write, path::PathBuf, process::ExitCode};

use anyhow::Result;
use kivet_check::{Chromium, Target, fit_page};
use serde::Serialize;

use crate::output;

/// What `--json` prints for one picture.
#[derive(Serialize)]
struct Fitted {
    page: String,
    selector: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    line: Option<u64>,
    /// What it says now.
    #[serde(skip_serializing_if = "Option::is_none")]
    written: Option<String>,
    /// What it should say.
    sizes: String,
}

/// Fits `sizes` on each page and prints them.
pub async fn fit(targets: &[Target], program: Option<PathBuf>, json: bool) -> Result<ExitCode> {
    let chromium = match program {
        Some(program) => Chromium::launch_program(program).await?,
        None => Chromium::launch().await?,
    };
    let mut all = Vec::new();
    let mut failed = false;
    for target in targets {
        match fit_page(&chromium, target).await {
            Ok(fitted) => all.extend(fitted.into_iter().map(|one| Fitted {
                page: target.name.clone(),
                selector: one.selector,
                line: one.line,
                written: one.written,
                sizes: one.sizes,
            })),
            Err(error) => {
                failed = true;
                eprintln!("kivet: {}: {}", target.name, kivet_check::causes(&error));
            }
        }
    }
    chromium.close().await?;
    output::print(json, &all, |all| text(all))?;
    Ok(if failed { ExitCode::FAILURE } else { ExitCode::SUCCESS })
}

fn text(all: &[Fitted]) -> String {
    let mut text = String::new();
    let mut page = "";
    for Fitted { page: own, selector, line, written, sizes } in all {
        if own != page {
            let _ = writeln!(text, "{own}\n");
            page = own;
        }
        let line = line.map_or(String::new(), |line| format!("line {line}, "));
        let was = match written {
            Some(written) if written == sizes => " (as written)".to_owned(),
            Some(written) => format!("\n      now  {written}"),
            None => String::new(),
        };
        let _ = writeln!(text, "  {line}{selector}\n    sizes=\"{sizes}\"{was}");
    }
    text
}
