//! `kivet doctor`.

use std::{
    path::{Path, PathBuf},
    process::ExitCode,
};

use anyhow::Result;
use comfy_table::{Table, presets};
use kivet_service::read_config;
use serde::Serialize;

use crate::{nearby, output, private};

/// Say what is missing on this machine, and how to get it.
#[derive(clap::Args)]
pub struct Doctor {
    /// The configuration to look at.
    #[arg(long, env = "KIVET_CONFIG", default_value = "kivet.toml", value_name = "FILE")]
    config: PathBuf,
}

/// One thing looked at.
#[derive(Serialize)]
struct Finding {
    /// What.
    thing: &'static str,
    /// What it is for.
    needed_for: &'static str,
    /// Whether it is there.
    ok: bool,
    /// Where, or how to get it.
    note: String,
}

impl Doctor {
    /// Exits with 1 if serving is impossible; what only checking or building needs does not count.
    pub fn run(self, json: bool) -> Result<ExitCode> {
        let mut findings = vec![configuration(&self.config)];
        findings.extend(shelves(&self.config));
        findings.extend(read_config(&self.config).ok().map(|config| data(&config)));
        findings.extend([
            program(
                "chromium",
                &["chromium", "chromium-browser", "google-chrome"],
                "checking, learning and proving in a browser",
                "apt-get install chromium",
            ),
            program("nasm", &["nasm"], "building", "apt-get install nasm"),
            program("cmake", &["cmake"], "building", "apt-get install cmake"),
            program("clang", &["clang"], "building", "apt-get install clang libclang-dev"),
            program("node", &["node"], "building the console", "install Node.js 20 or later"),
            program("npm", &["npm"], "building the console", "it comes with Node.js"),
        ]);
        let serves = findings.iter().filter(|one| one.needed_for == "serving").all(|one| one.ok);
        output::print(json, &findings, |findings| table(findings))?;
        Ok(if serves { ExitCode::SUCCESS } else { ExitCode::FAILURE })
    }
}

fn configuration(file: &Path) -> Finding {
    let (ok, note) = match read_config(file) {
        Ok(config) => {
            let shelves: Vec<&str> = config.shelves.keys().map(String::as_str).collect();
            (true, format!("{}: shelves {}", file.display(), shelves.join(", ")))
        }
        Err(error) => (false, format!("{}; `kivet init` writes one", kivet_check::causes(&error))),
    };
    Finding { thing: "configuration", needed_for: "serving", ok, note }
}

/// The place of the data folder: not within pages that a file server hands out.
fn data(config: &kivet_service::Config) -> Finding {
    let warning = private::warning(config);
    let ok = warning.is_none();
    let note = warning.unwrap_or_else(|| config.data.display().to_string());
    Finding { thing: "data folder apart", needed_for: "publishing", ok, note }
}

/// Each shelf's folder, and whether it can be read.
fn shelves(file: &Path) -> Vec<Finding> {
    let shelves = read_config(file).map(|config| nearby::shelves(&config)).unwrap_or_default();
    let finding = |shelf: kivet_check::ShelfFolder| {
        let opened = std::fs::read_dir(&shelf.folder);
        let note = match &opened {
            Ok(_) => format!("{}: {}", shelf.name, shelf.folder.display()),
            Err(error) => format!(
                "{}: {}: {error}; make the folder, or name another in {}",
                shelf.name,
                shelf.folder.display(),
                file.display()
            ),
        };
        Finding { thing: "shelf", needed_for: "serving", ok: opened.is_ok(), note }
    };
    shelves.into_iter().map(finding).collect()
}

fn program(thing: &'static str, names: &[&str], needed_for: &'static str, way: &str) -> Finding {
    let path = std::env::var_os("PATH").unwrap_or_default();
    let found = names
        .iter()
        .flat_map(|name| std::env::split_paths(&path).map(move |folder| folder.join(name)))
        .find(|file| file.is_file());
    let note = found.as_ref().map_or_else(|| way.to_owned(), |file| file.display().to_string());
    Finding { thing, needed_for, ok: found.is_some(), note }
}

fn table(findings: &[Finding]) -> String {
    let mut table = Table::new();
    table.load_style(presets::NOTHING).set_header([
        "",
        "what",
        "needed for",
        "where, or how to get it",
    ]);
    for Finding { thing, needed_for, ok, note } in findings {
        table.add_row([if *ok { "found" } else { "missing" }, thing, needed_for, note]);
    }
    table.to_string()
}
