//! A shelf that is a folder on this machine.

use std::{
    fs::Metadata,
    io::ErrorKind,
    os::unix::fs::MetadataExt,
    path::{Path, PathBuf},
};

use kivet_store::Stamp;
use walkdir::WalkDir;

use super::{OriginalId, ShelfError};

/// Files whose names end so are listed; any file may be asked for by name.
const LISTED: [&str; 14] = [
    "jpg", "jpeg", "jfif", "png", "apng", "webp", "avif", "gif", "svg", "svgz", "jxl", "bmp",
    "tif", "tiff",
];

/// A folder, by its real path.
#[derive(Clone, Debug)]
pub(super) struct Folder {
    root: PathBuf,
    was_empty: bool,
}

impl Folder {
    pub(super) fn open(path: &Path) -> std::io::Result<Self> {
        let root = path.canonicalize().map_err(|error| {
            std::io::Error::new(
                error.kind(),
                format!("the shelf folder {} cannot be opened: {error}", path.display()),
            )
        })?;
        let was_empty = is_empty(&root);
        Ok(Self { root, was_empty })
    }

    /// The real file of an original and its state. Links are followed, but only to places inside
    /// the folder.
    pub(super) fn find(&self, id: &OriginalId) -> Result<(PathBuf, Stamp), ShelfError> {
        let file =
            self.root.join(id.path()).canonicalize().map_err(|error| unreadable(id, &error))?;
        if !file.starts_with(&self.root) {
            return Err(ShelfError::LeavesShelf { id: id.clone() });
        }
        let facts = file.metadata().map_err(|error| unreadable(id, &error))?;
        if !facts.is_file() {
            return Err(ShelfError::NotFound { id: id.clone() });
        }
        Ok((file, stamp(&facts)))
    }

    /// True if the folder is not there any more, or is the empty place of a mount that was lost.
    pub(super) fn is_lost(&self) -> bool {
        !self.root.is_dir() || (!self.was_empty && is_empty(&self.root))
    }

    /// The path on the shelf of a file, given by its real path.
    pub(super) fn path_of(&self, file: &Path) -> Option<String> {
        let inside = file.strip_prefix(&self.root).ok()?;
        let parts: Option<Vec<&str>> = inside.iter().map(|part| part.to_str()).collect();
        parts.map(|parts| parts.join("/"))
    }

    /// Paths of picture-like files in order, after `after`, at most `most`.
    pub(super) fn list(&self, after: Option<&str>, limit: usize) -> Vec<String> {
        let mut paths: Vec<String> = WalkDir::new(&self.root)
            .into_iter()
            .filter_map(Result::ok)
            .filter(|entry| entry.file_type().is_file() && is_listed(entry.path()))
            .filter_map(|entry| {
                Some(entry.path().strip_prefix(&self.root).ok()?.to_str()?.to_owned())
            })
            .collect();
        paths.sort_unstable();
        paths
            .into_iter()
            .filter(|path| after.is_none_or(|after| path.as_str() > after))
            .take(limit)
            .collect()
    }
}

fn stamp(facts: &Metadata) -> Stamp {
    Stamp {
        bytes: facts.len(),
        modified_ms: facts.mtime() * 1000 + facts.mtime_nsec() / 1_000_000,
        changed_ns: facts.ctime() * 1_000_000_000 + facts.ctime_nsec(),
        inode: facts.ino(),
    }
}

fn is_empty(folder: &Path) -> bool {
    folder.read_dir().is_ok_and(|mut entries| entries.next().is_none())
}

fn is_listed(path: &Path) -> bool {
    path.extension()
        .and_then(|extension| extension.to_str())
        .is_some_and(|extension| LISTED.contains(&extension.to_ascii_lowercase().as_str()))
}

fn unreadable(id: &OriginalId, error: &std::io::Error) -> ShelfError {
    match error.kind() {
        ErrorKind::NotFound | ErrorKind::NotADirectory | ErrorKind::InvalidFilename => {
            ShelfError::NotFound { id: id.clone() }
        }
        _ => ShelfError::Unreadable { id: id.clone(), problem: error.to_string() },
    }
}
