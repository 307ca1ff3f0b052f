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
    /// The data folder, from the file's folder.
    data: String,
    /// Why the data folder is where it is, if that is not within the folder.
    #[serde(skip_serializing_if = "Option::is_none")]
    note: Option<String>,
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
        let data = Data::beside(&self.folder);
        std::fs::write(&file, text(&shelves, &data))
            .with_context(|| format!("cannot write {}", file.display()))?;
        // What this writes is what `serve` reads.
        kivet_service::read_config(&file)?;
        let Data { folder: data, note } = data;
        output::print(json, &Written { file, data, note, shelves }, said)?;
        Ok(ExitCode::SUCCESS)
    }
}

/// Where a service keeps its data.
struct Data {
    /// From the configuration's folder.
    folder: String,
    note: Option<String>,
}

impl Data {
    /// Beside a folder of pages, which a file server may hand out with all that is in it; within any
    /// other folder.
    fn beside(folder: &Path) -> Self {
        let inside = "kivet-data".to_owned();
        if !holds_pages(folder) {
            return Self { folder: inside, note: None };
        }
        let whole = folder.canonicalize().unwrap_or_else(|_| folder.to_path_buf());
        let name = whole.file_name().map(|name| name.to_string_lossy().into_owned());
        let above = whole.parent().filter(|above| is_writable(above));
        match (name, above) {
            (Some(name), Some(_)) => Self {
                folder: format!("../{name}-kivet-data"),
                note: Some("beside the pages, where no file server hands out the admin token".to_owned()),
            },
            _ => Self {
                folder: inside,
                note: Some(
                    "WITHIN the pages, because the folder above is not writable: a file server hands out the admin token; write another folder as `data` before `kivet serve`"
                        .to_owned(),
                ),
            },
        }
    }
}

/// True if a folder, or one just below it, has pages.
fn holds_pages(folder: &Path) -> bool {
    let is_page = |path: &Path| {
        path.extension().is_some_and(|ending| {
            ["html", "htm"].iter().any(|one| ending.eq_ignore_ascii_case(one))
        })
    };
    let entries = WalkDir::new(folder).max_depth(2).into_iter().filter_map(Result::ok);
    entries.filter(|entry| entry.file_type().is_file()).any(|entry| is_page(entry.path()))
}

fn is_writable(folder: &Path) -> bool {
    rustix::fs::access(folder, rustix::fs::Access::WRITE_OK).is_ok()
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

fn text(shelves: &BTreeMap<String, (String, usize)>, data: &Data) -> String {
    let folder = toml::Value::from(data.folder.as_str());
    let mut text = format!(
        "# Kivet's configuration: `kivet serve` in this folder reads it. Folders are relative to this file.

# Where the service listens. Behind a proxy leave it on this machine alone.
listen = \"127.0.0.1:8484\"

# Records, finished renditions and the admin token. Never within a folder that is published.
data = {folder}

# A shelf is a folder of originals. Pictures are at /pic/RECIPE/SHELF/PATH.
",
    );
    text += "
# A second listener where this machine may read /metrics and /why without the token. No proxy may
# lead to it.
# [admin]
# listen = \"127.0.0.1:8485\"
";
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
    let note = written.note.as_ref().map_or(String::new(), |note| format!(", {note}"));
    format!(
        "wrote {}\n{}\n  data: {}{note}\nnext: kivet serve",
        written.file.display(),
        shelves.join("\n"),
        written.data
    )
}
