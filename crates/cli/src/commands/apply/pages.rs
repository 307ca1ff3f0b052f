//! The pages and stylesheets of a folder, and the rewriting of all of them.

use std::{
    collections::BTreeMap,
    path::Path,
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
use crate::{client::Reach, rewriting::rewritten};

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
    let (from, to) =
        (folder.canonicalize().with_context(|| unreadable(folder))?, std::path::absolute(out)?);
    if to.starts_with(&from) || from.starts_with(&to) {
        bail!(
            "{} and {} lie within each other; name a folder beside it",
            folder.display(),
            out.display()
        );
    }
    Ok(())
}

/// Makes the folder, and marks it as ours.
pub fn mark(out: &Path) -> Result<()> {
    let text = "kivet apply wrote this folder, and may write it again\n";
    std::fs::create_dir_all(out)
        .and_then(|()| std::fs::write(out.join(MARK), text))
        .with_context(|| format!("cannot write {}", out.display()))
}

/// Writes a whole folder anew: documents as rewritten, everything else as it is.
pub fn write_anew(
    folder: &Path,
    out: &Path,
    rewritten: &BTreeMap<String, Rewritten>,
) -> Result<()> {
    let cannot = |path: &Path| format!("cannot write {}", path.display());
    mark(out)?;
    for entry in WalkDir::new(folder).min_depth(1) {
        let entry = entry.with_context(|| unreadable(folder))?;
        let inside = entry.path().strip_prefix(folder)?;
        if inside.starts_with(".kivet") {
            continue;
        }
        let to = out.join(inside);
        if entry.path_is_symlink() {
            // A link leads where it led, from wherever the folder is.
            let target = entry.path().canonicalize().with_context(|| unreadable(entry.path()))?;
            if to.symlink_metadata().is_ok() {
                std::fs::remove_file(&to).with_context(|| cannot(&to))?;
            }
            std::os::unix::fs::symlink(target, &to).with_context(|| cannot(&to))?;
            continue;
        }
        if entry.file_type().is_dir() {
            std::fs::create_dir_all(&to).with_context(|| cannot(&to))?;
            continue;
        }
        let path = inside.to_string_lossy().replace('\\', "/");
        match rewritten.get(&path) {
            Some(one) => std::fs::write(&to, &one.after).with_context(|| cannot(&to))?,
            None => {
                std::fs::copy(entry.path(), &to).with_context(|| cannot(&to))?;
            }
        }
    }
    Ok(())
}
