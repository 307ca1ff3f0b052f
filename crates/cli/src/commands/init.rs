//! `kivet init`.

use std::{
    collections::BTreeMap,
    path::{Path, PathBuf},
    process::ExitCode,
};

use anyhow::{Context, Result, ensure};
use serde::Serialize;
use walkdir::WalkDir;

use crate::output;

/// Write a kivet.toml for the folder of pictures at hand.
///
/// Looks for pictures below the folder, makes a shelf of each folder that holds some, and says what
/// every key does.
#[derive(clap::Args)]
pub struct Init {
    /// The folder whose pictures are to be served.
    #[arg(default_value = ".", value_name = "FOLDER")]
    folder: PathBuf,
}

/// Endings of files that originals may have.
const PICTURES: [&str; 10] =
    ["jpg", "jpeg", "png", "webp", "avif", "jxl", "gif", "svg", "tif", "tiff"];

/// Folders in which nobody keeps originals.
const SKIPPED: [&str; 5] = ["node_modules", "target", "dist", "kivet-data", ".git"];

/// What was written.
#[derive(Serialize)]
struct Written {
    file: PathBuf,
    /// Folder and pictures of each shelf.
    shelves: BTreeMap<String, (String, usize)>,
}

impl Init {
    pub fn run(self, json: bool) -> Result<ExitCode> {
        let file = self.folder.join("kivet.toml");
        ensure!(
            self.folder.is_dir(),
            "the folder {} is missing; name the one that holds your pictures",
            self.folder.display()
        );
        ensure!(
            !file.exists(),
            "{} is there already; change it, or remove it first",
            file.display()
        );
        let shelves = named(folders(&self.folder));
        ensure!(
            !shelves.is_empty(),
            "no picture was found in {}; name a folder that holds some",
            self.folder.display()
        );
        std::fs::write(&file, text(&shelves))
            .with_context(|| format!("cannot write {}", file.display()))?;
        // What this writes is what `serve` reads.
        kivet_service::read_config(&file)?;
        output::print(json, &Written { file, shelves }, said)?;
        Ok(ExitCode::SUCCESS)
    }
}

/// How many pictures each highest folder holds that has some of its own; those below it are in it.
fn folders(top: &Path) -> BTreeMap<String, usize> {
    let is_kept = |entry: &walkdir::DirEntry| {
        let name = entry.file_name().to_string_lossy();
        entry.depth() == 0 || (!SKIPPED.contains(&name.as_ref()) && !name.starts_with('.'))
    };
    let mut direct: BTreeMap<String, usize> = BTreeMap::new();
    for entry in WalkDir::new(top).into_iter().filter_entry(is_kept).filter_map(|one| one.ok()) {
        let ending = entry.path().extension().and_then(|ending| ending.to_str());
        let is_picture =
            ending.is_some_and(|ending| PICTURES.contains(&ending.to_ascii_lowercase().as_str()));
        let folder = entry.path().parent().and_then(|folder| folder.strip_prefix(top).ok());
        if let (true, Some(folder)) = (is_picture && entry.file_type().is_file(), folder) {
            *direct.entry(folder.to_string_lossy().into_owned()).or_default() += 1;
        }
    }
    let mut highest: BTreeMap<String, usize> = BTreeMap::new();
    for (folder, count) in direct {
        let above = |known: &&String| known.is_empty() || folder.starts_with(&format!("{known}/"));
        let known = highest.keys().find(above).cloned();
        *highest.entry(known.unwrap_or(folder)).or_default() += count;
    }
    highest
}

/// A name for each folder: its last part, or the first two where that is taken.
fn named(folders: BTreeMap<String, usize>) -> BTreeMap<String, (String, usize)> {
    let mut shelves = BTreeMap::new();
    for (folder, count) in folders {
        let last = folder.rsplit('/').next().filter(|part| !part.is_empty()).unwrap_or("pictures");
        let name = [plain(last), plain(&folder)]
            .into_iter()
            .find(|name| !shelves.contains_key(name))
            .unwrap_or_else(|| format!("shelf-{}", shelves.len() + 1));
        let folder = if folder.is_empty() { ".".to_owned() } else { folder };
        shelves.insert(name, (folder, count));
    }
    shelves
}

/// Letters, digits and hyphens, as names in addresses are.
fn plain(text: &str) -> String {
    let mapped: String = text
        .to_lowercase()
        .chars()
        .map(|c| if c.is_ascii_alphanumeric() { c } else { '-' })
        .collect();
    let trimmed = mapped.trim_matches('-').to_owned();
    if trimmed.is_empty() { "pictures".to_owned() } else { trimmed }
}

fn text(shelves: &BTreeMap<String, (String, usize)>) -> String {
    let mut text = String::from(
        "# Kivet's configuration: `kivet serve` in this folder reads it. Folders are relative to this file.

# Where the service listens. Behind a proxy leave it on this machine alone.
listen = \"127.0.0.1:8484\"

# Records, finished renditions and the admin token.
data = \"kivet-data\"

# A shelf is a folder of originals. Pictures are at /pic/RECIPE/SHELF/PATH.
",
    );
    for (name, (folder, count)) in shelves {
        let folder = toml::Value::from(folder.as_str());
        let pictures = output::count(*count, "picture");
        text += &format!("\n# {pictures}.\n[shelves.{name}]\nfolder = {folder}\n");
    }
    text += "
# Who may ask for which recipe: \"open\" answers all, \"listed\" those that the service's own markup
# writes.
[access]
addresses = \"open\"
";
    text
}

fn said(written: &Written) -> String {
    let shelves: Vec<String> = written
        .shelves
        .iter()
        .map(|(name, (folder, count))| {
            format!("  {name}: {} in {folder}", output::count(*count, "picture"))
        })
        .collect();
    format!("wrote {}\n{}\nnext: kivet serve", written.file.display(), shelves.join("\n"))
}
