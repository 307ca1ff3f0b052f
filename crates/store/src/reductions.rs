//! Intermediates of large originals as files in one folder, within a budget: the least recently used go first.
//!
//! Calls block; callers on an async thread move them off it.

use std::{
    fs, io,
    path::{Path, PathBuf},
    sync::{Arc, Mutex, PoisonError},
    time::SystemTime,
};

use crate::StoreError;

/// Bytes of the checksum each file begins with.
const SUM: usize = 32;

/// The folder. Cheap to clone.
#[derive(Clone, Debug)]
pub struct Reductions {
    folder: PathBuf,
    budget: u64,
    /// Held while files are counted and removed, so that two do not do it at once.
    tidying: Arc<Mutex<()>>,
}

impl Reductions {
    /// A folder that may hold `budget` bytes; made if it is missing.
    ///
    /// # Errors
    /// If the folder cannot be made.
    pub fn in_folder(folder: &Path, budget: u64) -> Result<Self, StoreError> {
        fs::create_dir_all(folder).map_err(|source| StoreError::Folder { path: folder.to_owned(), source })?;
        Ok(Self { folder: folder.to_owned(), budget, tidying: Arc::default() })
    }

    /// Keeps bytes under `key` and makes room for them. What alone exceeds the budget is not kept.
    ///
    /// # Errors
    /// If the folder cannot be written.
    pub fn put(&self, key: &str, bytes: &[u8]) -> Result<(), StoreError> {
        if bytes.len() as u64 > self.budget {
            return Ok(());
        }
        let failed = |source| StoreError::Folder { path: self.folder.clone(), source };
        let _tidying = self.tidying.lock().unwrap_or_else(PoisonError::into_inner);
        self.make_room(bytes.len() as u64).map_err(failed)?;
        let written = || -> io::Result<()> {
            let staged = self.folder.join(format!("{key}.part"));
            fs::write(&staged, [blake3::hash(bytes).as_bytes().as_slice(), bytes].concat())?;
            fs::rename(&staged, self.folder.join(key))
        };
        written().map_err(failed)
    }

    /// The bytes under `key`; `None` if there are none, or if they are damaged.
    pub fn get(&self, key: &str) -> Option<Vec<u8>> {
        let path = self.folder.join(key);
        let mut bytes = fs::read(&path).ok()?;
        if bytes.len() < SUM || blake3::hash(&bytes[SUM..]).as_bytes() != &bytes[..SUM] {
            tracing::warn!(key, "a stored reduction is damaged and will be made again");
            let _ = fs::remove_file(&path);
            return None;
        }
        bytes.drain(..SUM);
        // Its time of change is its time of use.
        let _ = fs::File::options().append(true).open(&path).and_then(|file| file.set_modified(SystemTime::now()));
        Some(bytes)
    }

    fn make_room(&self, needed: u64) -> io::Result<()> {
        let mut files: Vec<(SystemTime, u64, PathBuf)> = Vec::new();
        for entry in fs::read_dir(&self.folder)? {
            let entry = entry?;
            let facts = entry.metadata()?;
            files.push((facts.modified().unwrap_or(SystemTime::UNIX_EPOCH), facts.len(), entry.path()));
        }
        files.sort();
        let mut held: u64 = files.iter().map(|(_, length, _)| length).sum();
        for (_, length, path) in files {
            if held + needed <= self.budget {
                break;
            }
            fs::remove_file(path)?;
            held -= length;
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_least_recently_used_make_room_and_damage_is_noticed() {
        let folder = tempfile::tempdir().expect("a folder");
        let store = Reductions::in_folder(folder.path(), 1000).expect("opened");
        let settle = || std::thread::sleep(std::time::Duration::from_millis(20));
        for key in ["a", "b"] {
            store.put(key, &[7; 400]).expect("kept");
            settle();
        }
        assert_eq!(store.get("a"), Some(vec![7; 400]));
        settle();
        store.put("c", &[9; 400]).expect("kept");
        assert_eq!((store.get("a").is_some(), store.get("b"), store.get("c").is_some()), (true, None, true));
        store.put("huge", &[1; 2000]).expect("not an error");
        assert_eq!(store.get("huge"), None);
        let mut bytes = fs::read(folder.path().join("c")).expect("there");
        bytes[100] ^= 1;
        fs::write(folder.path().join("c"), bytes).expect("written");
        assert_eq!(store.get("c"), None);
    }
}
