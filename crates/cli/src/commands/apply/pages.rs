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
            found.push(path.to_owned());
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
