//! A site's folder written again beside it: documents as rewritten, everything else as it is.

use std::{
    collections::{BTreeMap, BTreeSet},
    fs::File,
    path::{Component, Path, PathBuf},
};

use anyhow::{Context, Result, bail};
use serde::Serialize;
use walkdir::{DirEntry, WalkDir};

use super::{pages::Rewritten, unreadable};
use crate::{
    beneath::{Beneath, only_down},
    private::Private,
};

/// Marks a folder that `kivet apply --out` wrote and may write again; below its first line stands
/// every file that was written.
const MARK: &str = ".kivet-applied";

const MARK_TEXT: &str = "kivet apply wrote this folder, and may write it again\n";

/// Refuses a folder that holds what is not ours.
pub fn refuse_foreign(folder: &Path, out: &Path) -> Result<()> {
    let is_empty =
        |path: &Path| path.read_dir().map_or(true, |mut entries| entries.next().is_none());
    if out.exists() && !out.join(MARK).exists() && !is_empty(out) {
        bail!("{} holds other files; name a folder that is new or empty", out.display());
    }
    let from = folder.canonicalize().with_context(|| unreadable(folder))?;
    let to = resolved(out)?;
    if to.starts_with(&from) || from.starts_with(&to) {
        bail!(
            "{} and {} lie within each other; name a folder beside it",
            folder.display(),
            out.display()
        );
    }
    Ok(())
}

/// A path with its links and `..` resolved as far as it exists.
fn resolved(path: &Path) -> Result<PathBuf> {
    let whole = std::path::absolute(path)?;
    let mut out = PathBuf::new();
    for part in whole.components() {
        match part {
            Component::ParentDir => {
                out.pop();
            }
            part => out.push(part),
        }
        if let Ok(real) = out.canonicalize() {
            out = real;
        }
    }
    Ok(out)
}

/// Opens the folder, and marks it as ours.
pub fn mark(out: &Path) -> Result<Beneath> {
    let beneath = Beneath::new(out)?;
    if !out.join(MARK).is_file() {
        beneath.write(Path::new(MARK), &mut MARK_TEXT.as_bytes(), None)?;
    }
    Ok(beneath)
}

/// Writes a whole folder again: documents as rewritten, everything else as it is. Private files stay
/// out of it; what an earlier run wrote of them, or of files that the site no longer has, is removed.
///
/// Returns the paths of what was left out.
pub fn copy(
    folder: &Path,
    out: &Path,
    rewritten: &BTreeMap<String, Rewritten>,
    private: &Private,
) -> Result<LeftOut> {
    let beneath = mark(out)?;
    let whole = folder.canonicalize().with_context(|| unreadable(folder))?;
    let copying = Copying { beneath, whole, rewritten, private };
    let before = copying.known();
    let (mut written, mut left_out) = (BTreeSet::new(), LeftOut::default());
    let mut entries = WalkDir::new(folder).min_depth(1).sort_by_file_name().into_iter();
    while let Some(entry) = entries.next() {
        let entry = entry.with_context(|| unreadable(folder))?;
        let inside = entry.path().strip_prefix(folder)?;
        if inside == Path::new(MARK) {
            continue;
        }
        let path = inside.display().to_string();
        match copying.copied(&entry, inside)? {
            Copied::Whole if entry.file_type().is_dir() => continue,
            Copied::Whole => {
                written.insert(path);
                continue;
            }
            Copied::Private => left_out.private.push(path),
            Copied::LeadsOut => left_out.links.push(path),
        }
        copying.beneath.remove(inside)?;
        if entry.file_type().is_dir() {
            entries.skip_current_dir();
        }
    }
    for gone in before.difference(&written).filter_map(|path| only_down(path).ok()) {
        copying.beneath.remove(gone)?;
        copying.beneath.remove_empty_around(gone);
    }
    let list: String = written.iter().map(|path| format!("{path}\n")).collect();
    let text = format!("{MARK_TEXT}{list}");
    copying.beneath.write(Path::new(MARK), &mut text.as_bytes(), None)?;
    Ok(left_out)
}

/// Entries that were not copied, by path.
#[derive(Default, Serialize)]
#[serde(rename_all = "camelCase")]
pub struct LeftOut {
    /// Files and folders that are not to be published.
    #[serde(rename = "leftOut", skip_serializing_if = "Vec::is_empty")]
    pub private: Vec<String>,
    /// Links that lead out of the folder, or to nothing.
    #[serde(rename = "leftLinks", skip_serializing_if = "Vec::is_empty")]
    pub links: Vec<String>,
}

/// Result of copying one entry.
enum Copied {
    Whole,
    Private,
    LeadsOut,
}

struct Copying<'a> {
    beneath: Beneath,
    /// The site's folder, without links in its path.
    whole: PathBuf,
    rewritten: &'a BTreeMap<String, Rewritten>,
    private: &'a Private,
}

impl Copying<'_> {
    /// The files that an earlier run wrote.
    fn known(&self) -> BTreeSet<String> {
        let text = self.beneath.read(Path::new(MARK)).unwrap_or_default();
        String::from_utf8_lossy(&text).lines().skip(1).map(str::to_owned).collect()
    }

    fn copied(&self, entry: &DirEntry, inside: &Path) -> Result<Copied> {
        if self.private.holds(entry.path()) {
            return Ok(Copied::Private);
        }
        if entry.path_is_symlink() {
            return self.link(entry.path(), inside);
        }
        let kind = entry.file_type();
        if !kind.is_dir() && !kind.is_file() {
            // A pipe or a device.
            return Ok(Copied::Private);
        }
        self.beneath.make_way(inside, kind.is_dir())?;
        if kind.is_dir() {
            self.beneath.make_folder(inside)?;
            return Ok(Copied::Whole);
        }
        let mut file = File::open(entry.path()).with_context(|| unreadable(entry.path()))?;
        let rights = file.metadata().with_context(|| unreadable(entry.path()))?.permissions();
        match inside.to_str().and_then(|path| self.rewritten.get(path)) {
            Some(one) => self.beneath.write(inside, &mut one.after.as_slice(), Some(rights))?,
            None => self.beneath.write(inside, &mut file, Some(rights))?,
        }
        Ok(Copied::Whole)
    }

    /// Copies a link, if it leads to something public in the folder.
    fn link(&self, from: &Path, inside: &Path) -> Result<Copied> {
        let Ok(target) = from.canonicalize() else { return Ok(Copied::LeadsOut) };
        if self.private.holds(&target) {
            return Ok(Copied::Private);
        }
        let below = target.strip_prefix(&self.whole).ok().filter(|one| *one != Path::new(""));
        let Some(below) = below else { return Ok(Copied::LeadsOut) };
        let mut around = target.ancestors().take_while(|one| *one != self.whole);
        if around.any(|one| self.private.holds(one)) {
            return Ok(Copied::Private);
        }
        let written = std::fs::read_link(from).with_context(|| unreadable(from))?;
        let up: PathBuf = inside.components().skip(1).map(|_| Component::ParentDir).collect();
        // One that names the whole path would lead back to the untouched site.
        let leads = if written.is_relative() { written } else { up.join(below) };
        self.beneath.remove(inside)?;
        self.beneath.link(inside, &leads)?;
        Ok(Copied::Whole)
    }
}
