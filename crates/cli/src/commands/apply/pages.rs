//! The pages and stylesheets of a folder, and the rewriting of all of them.

use std::{
    collections::BTreeMap,
    fs::File,
    path::{Component, Path, PathBuf},
    sync::{
        Mutex, PoisonError,
        atomic::{AtomicUsize, Ordering},
    },
};

use anyhow::{Context, Result, bail};
use indicatif::{ProgressBar, ProgressStyle};
use kivet_service::{RewriteOrder, RewriteResponse};
use walkdir::WalkDir;

use super::unreadable;
use crate::{client::Reach, private::Private, rewriting::rewritten};

/// A page before and after.
pub struct Rewritten {
    pub before: Vec<u8>,
    pub after: Vec<u8>,
    pub response: RewriteResponse,
}

/// Pages asked for at the same time.
const AT_ONCE: usize = 4;

/// Marks a folder that `kivet apply --out` wrote, and may write again.
const MARK: &str = ".kivet-applied";

/// The paths of a folder's pages and stylesheets, hidden folders apart.
pub fn documents(folder: &Path) -> Result<Vec<String>> {
    let is_hidden = |name: &std::ffi::OsStr| name.to_string_lossy().starts_with('.');
    let entries = WalkDir::new(folder)
        .sort_by_file_name()
        .into_iter()
        .filter_entry(|entry| entry.depth() == 0 || !is_hidden(entry.file_name()));
    let mut found = Vec::new();
    for entry in entries {
        let entry = entry.with_context(|| unreadable(folder))?;
        let inside = entry.path().strip_prefix(folder).unwrap_or(entry.path());
        let ending = inside.extension().and_then(|ending| ending.to_str()).unwrap_or_default();
        let is_document =
            matches!(ending.to_ascii_lowercase().as_str(), "html" | "htm" | "xhtml" | "css");
        if entry.file_type().is_file() && is_document {
            let path = inside
                .to_str()
                .with_context(|| format!("{} is not UTF-8 as a path", inside.display()))?;
            found.push(path.replace('\\', "/"));
        }
    }
    if found.is_empty() {
        bail!("{} has no pages (.html) and no stylesheets (.css)", folder.display());
    }
    Ok(found)
}

/// Rewrites documents, several at the same time. The first that fails ends it: nothing was written
/// yet.
pub fn rewrite(
    reach: &Reach,
    folder: &Path,
    documents: &[String],
    order: &RewriteOrder,
) -> Result<BTreeMap<String, Rewritten>> {
    let bar = ProgressBar::new(documents.len() as u64);
    bar.set_style(ProgressStyle::with_template("{pos}/{len} {wide_msg} {eta}")?);
    let (next, done) = (AtomicUsize::new(0), Mutex::new(BTreeMap::new()));
    let failed: Mutex<Option<anyhow::Error>> = Mutex::new(None);
    let work = || {
        while failed.lock().unwrap_or_else(PoisonError::into_inner).is_none() {
            let Some(path) = documents.get(next.fetch_add(1, Ordering::Relaxed)) else { return };
            bar.set_message(path.clone());
            match one(reach, folder, path, order) {
                Ok(one) => {
                    done.lock().unwrap_or_else(PoisonError::into_inner).insert(path.clone(), one);
                }
                Err(error) => {
                    *failed.lock().unwrap_or_else(PoisonError::into_inner) =
                        Some(error.context(path.clone()));
                }
            }
            bar.inc(1);
        }
    };
    std::thread::scope(|scope| {
        for _ in 0..AT_ONCE.min(documents.len()) {
            scope.spawn(work);
        }
    });
    bar.finish_and_clear();
    match failed.into_inner().unwrap_or_else(PoisonError::into_inner) {
        Some(error) => Err(error),
        None => Ok(done.into_inner().unwrap_or_else(PoisonError::into_inner)),
    }
}

fn one(reach: &Reach, folder: &Path, path: &str, order: &RewriteOrder) -> Result<Rewritten> {
    let file = folder.join(path);
    let before = std::fs::read(&file).with_context(|| unreadable(&file))?;
    let (after, response) = rewritten(reach, path, &before, order)?;
    Ok(Rewritten { before, after, response })
}

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

/// Makes the folder, and marks it as ours.
pub fn mark(out: &Path) -> Result<()> {
    let text = "kivet apply wrote this folder, and may write it again\n";
    std::fs::create_dir_all(out)
        .and_then(|()| std::fs::write(out.join(MARK), text))
        .with_context(|| format!("cannot write {}", out.display()))
}

/// Writes a whole folder again: documents as rewritten, everything else as it is. Private files stay
/// out of it, and what an earlier run left of them is removed.
///
/// Returns the paths of what was left out.
pub fn write_anew(
    folder: &Path,
    out: &Path,
    rewritten: &BTreeMap<String, Rewritten>,
    private: &Private,
) -> Result<Vec<String>> {
    mark(out)?;
    let whole = folder.canonicalize().with_context(|| unreadable(folder))?;
    let mut left_out = Vec::new();
    let mut entries = WalkDir::new(folder).min_depth(1).sort_by_file_name().into_iter();
    while let Some(entry) = entries.next() {
        let entry = entry.with_context(|| unreadable(folder))?;
        let inside = entry.path().strip_prefix(folder)?;
        let to = out.join(inside);
        let copied = match () {
            () if private.holds(entry.path()) => false,
            () if entry.path_is_symlink() => link(&whole, entry.path(), &to, private)?,
            () if entry.file_type().is_dir() => {
                clear(&to, true)?;
                std::fs::create_dir_all(&to).with_context(|| cannot_write(&to))?;
                true
            }
            () if entry.file_type().is_file() => {
                clear(&to, false)?;
                match rewritten.get(&inside.to_string_lossy().replace('\\', "/")) {
                    Some(one) => {
                        std::fs::write(&to, &one.after).with_context(|| cannot_write(&to))?
                    }
                    None => copy(entry.path(), &to)?,
                }
                true
            }
            // A pipe or a device.
            () => false,
        };
        if !copied {
            left_out.push(inside.display().to_string());
            remove(&to)?;
            if entry.file_type().is_dir() {
                entries.skip_current_dir();
            }
        }
    }
    Ok(left_out)
}

fn copy(from: &Path, to: &Path) -> Result<()> {
    let mut file = File::open(from).with_context(|| unreadable(from))?;
    let mut new = File::create(to).with_context(|| cannot_write(to))?;
    std::io::copy(&mut file, &mut new).with_context(|| cannot_write(to))?;
    let rights = file.metadata().with_context(|| unreadable(from))?.permissions();
    new.set_permissions(rights).with_context(|| cannot_write(to))
}

/// Copies a link as it is written, where it is relative and leads to something public in the folder;
/// one that leads out leads to the same file. False if it leads nowhere, or to a private file.
fn link(folder: &Path, from: &Path, to: &Path, private: &Private) -> Result<bool> {
    let Ok(target) = from.canonicalize() else { return Ok(false) };
    if target
        .ancestors()
        .take_while(|one| one.starts_with(folder))
        .any(|one| one != folder && private.holds(one))
        || private.holds(&target)
    {
        return Ok(false);
    }
    let written = std::fs::read_link(from).with_context(|| unreadable(from))?;
    let stays = written.is_relative() && target.starts_with(folder);
    remove(to)?;
    std::os::unix::fs::symlink(if stays { written } else { target }, to)
        .with_context(|| cannot_write(to))?;
    Ok(true)
}

/// Makes way for a file or a folder: what is written must not follow a link that lies there.
fn clear(to: &Path, is_folder: bool) -> Result<()> {
    let known = to.symlink_metadata();
    match known.is_ok_and(|known| known.is_dir() != is_folder || known.is_symlink()) {
        true => remove(to),
        false => Ok(()),
    }
}

/// Removes what lies at a path of the folder that we write, a folder with all that is in it.
fn remove(to: &Path) -> Result<()> {
    let removed = match to.symlink_metadata() {
        Ok(known) if known.is_dir() => std::fs::remove_dir_all(to),
        Ok(_) => std::fs::remove_file(to),
        Err(_) => Ok(()),
    };
    removed.with_context(|| cannot_write(to))
}

fn cannot_write(path: &Path) -> String {
    format!("cannot write {}", path.display())
}
