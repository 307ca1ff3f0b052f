//! Intermediates of large originals as files in one folder, within a budget: the least recently
//! used go first.
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
    now: fn() -> SystemTime,
    /// Held while files are counted and removed, so that two do not do it at once.
    tidying: Arc<Mutex<()>>,
}

impl Reductions {
    /// A folder that may hold `budget` bytes; made if it is missing.
    ///
    /// # Errors
    /// If the folder cannot be made.
    pub fn in_folder(folder: &Path, budget: u64) -> Result<Self, StoreError> {
        Self::with_clock(folder, budget, SystemTime::now)
    }

    fn with_clock(folder: &Path, budget: u64, now: fn() -> SystemTime) -> Result<Self, StoreError> {
        fs::create_dir_all(folder)
            .map_err(|source| StoreError::Folder { path: folder.to_owned(), source })?;
        Ok(Self { folder: folder.to_owned(), budget, now, tidying: Arc::default() })
    }

    /// True if there is a file under `key`.
    pub fn has(&self, key: &str) -> bool {
        self.folder.join(key).is_file()
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
            self.touch(&staged);
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
        self.touch(&path);
        Some(bytes)
    }

    /// A file's time of change is its time of use. Where it cannot be set, eviction is by age.
    fn touch(&self, path: &Path) {
        let _ = fs::File::options()
            .append(true)
            .open(path)
            .and_then(|file| file.set_modified((self.now)()));
    }

    fn make_room(&self, needed: u64) -> io::Result<()> {
        let mut files: Vec<(SystemTime, u64, PathBuf)> = Vec::new();
        for entry in fs::read_dir(&self.folder)? {
            let entry = entry?;
            let facts = entry.metadata()?;
            files.push((
                facts.modified().unwrap_or(SystemTime::UNIX_EPOCH),
                facts.len(),
                entry.path(),
            ));
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
    use std::{
        sync::atomic::{AtomicU64, Ordering},
        time::Duration,
    };

    use super::*;

    /// A clock that goes on by a second whenever it is asked.
    fn ticking() -> SystemTime {
        static SECONDS: AtomicU64 = AtomicU64::new(0);
        SystemTime::UNIX_EPOCH + Duration::from_secs(SECONDS.fetch_add(1, Ordering::Relaxed))
    }

    #[test]
    fn the_least_recently_used_make_room_and_damage_is_noticed() {
        let folder = tempfile::tempdir().expect("a folder");
        let store = Reductions::with_clock(folder.path(), 1000, ticking).expect("opened");
        for key in ["a", "b"] {
            store.put(key, &[7; 400]).expect("kept");
        }
        assert_eq!(store.get("a"), Some(vec![7; 400]));
        store.put("c", &[9; 400]).expect("kept");
        assert_eq!(
            (store.get("a").is_some(), store.get("b"), store.get("c").is_some()),
            (true, None, true)
        );
        store.put("huge", &[1; 2000]).expect("not an error");
        assert_eq!(store.get("huge"), None);
        let mut bytes = fs::read(folder.path().join("c")).expect("there");
        bytes[100] ^= 1;
        fs::write(folder.path().join("c"), bytes).expect("written");
        assert_eq!(store.get("c"), None);
    }
}
