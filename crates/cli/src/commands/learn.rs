//! `kivet learn`.

use std::{path::PathBuf, process::ExitCode};

use anyhow::{Context, Result, bail};
use kivet_check::{Fetcher, Progress, SeenSite, look, targets};
use kivet_page::learn::{Learnt, learn, toml, without_rule};
use serde_json::json;

use crate::{
    client::{driven, runtime},
    commands::check::Bar,
    output,
};

/// Drive a browser over a site and write rules for it: places, and which pictures belong to them.
///
/// Pictures that are laid out alike become one place: with sizes that are exact from 320 to 2560
/// pixels, the crop, and when to load them. Every line says what it was drawn from.
#[derive(clap::Args)]
#[command(
    after_help = "Examples:\n  kivet learn site/ --out pages.toml\n  kivet learn https://windmark.example/ https://windmark.example/gallery"
)]
pub struct Learn {
    /// Folders of pages, HTML files, addresses or sitemaps.
    #[arg(required = true, value_name = "SITE")]
    site: Vec<String>,
    /// The file to write; standard output if left out.
    #[arg(long, value_name = "FILE")]
    out: Option<PathBuf>,
    /// The Chromium to drive; without it the installed one.
    #[arg(long, value_name = "FILE", env = "KIVET_BROWSER")]
    browser: Option<PathBuf>,
}

impl Learn {
    pub fn run(self, json: bool) -> Result<ExitCode> {
        if let Some(file) = &self.out {
            refuse_known(file)?;
        }
        let learnt = learnt(&self.site, self.browser)?;
        let text = toml(&learnt, &self.site.join(", "));
        let told =
            json!({ "places": learnt.places.len(), "rules": learnt.rules.len(), "toml": text });
        match &self.out {
            Some(file) => {
                std::fs::write(file, &text)
                    .with_context(|| format!("cannot write {}", file.display()))?;
                output::print(json, &told, |_| said(&learnt, file))?;
            }
            None => output::print(json, &told, |_| text.clone())?,
        }
        Ok(ExitCode::SUCCESS)
    }
}

/// Refuses a file that somebody may have edited.
pub fn refuse_known(file: &std::path::Path) -> Result<()> {
    if file.exists() {
        bail!(
            "{} exists, and may have been edited; name a new file for what is learnt",
            file.display()
        );
    }
    Ok(())
}

fn said(learnt: &Learnt, file: &std::path::Path) -> String {
    let notes = learnt.notes.iter().map(|note| format!("\nto look at: {note}"));
    let (places, rules) = (learnt.places.len(), learnt.rules.len());
    format!("{places} places and {rules} rules in {}{}", file.display(), notes.collect::<String>())
}

/// What a browser learns of a site.
pub fn learnt(site: &[String], browser: Option<PathBuf>) -> Result<Learnt> {
    let runtime = runtime()?;
    let fetcher = Fetcher::new()?;
    let targets = runtime.block_on(targets(site, &fetcher))?;
    let bar = Bar::new(targets.len())?;
    let progress = |step: Progress<'_>| bar.show(&step);
    let seen = driven(&runtime, look(&targets, browser, &progress));
    bar.clear();
    let SeenSite { pages, unvisited, notes } = seen??;
    let mut learnt = learn(&pages);
    if !unvisited.is_empty() {
        learnt.notes.push(format!(
            "{} of {} pages were visited: the others show the same kinds of picture, and follow the same rules",
            pages.len(),
            targets.len()
        ));
    }
    let missed = without_rule(&learnt, &unvisited);
    learnt.notes.extend(notes.into_iter().chain(missed));
    Ok(match site.first().map(|site| site_name(site)) {
        Some(name) => learnt.of_site(&name),
        None => learnt,
    })
}

/// A folder's name, or the first label of a host's that is not `www`.
fn site_name(site: &str) -> String {
    let host =
        site.split_once("://").map(|(_, rest)| rest.split(['/', ':']).next().unwrap_or(rest));
    match host {
        Some(host) => host.trim_start_matches("www.").split('.').next().unwrap_or(host).to_owned(),
        None => {
            let whole = std::path::Path::new(site).canonicalize();
            let name = whole
                .ok()
                .and_then(|whole| Some(whole.file_stem()?.to_string_lossy().into_owned()));
            name.unwrap_or_else(|| "site".to_owned())
        }
    }
}
