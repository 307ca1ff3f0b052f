//! Records in SQLite: one database file, its tables, and what to do with a file that is broken.
//!
//! Calls block; callers on an async thread move them off it.

use std::{
    os::unix::fs::MetadataExt,
    path::{Path, PathBuf},
    sync::{
        Arc,
        atomic::{AtomicU64, Ordering},
    },
};

use r2d2::{Pool, PooledConnection};
use r2d2_sqlite::SqliteConnectionManager;
use rusqlite::Connection;

use crate::{
    StoreError,
    inspect::{APPLICATION, inspect},
    patience::{WAIT, try_again},
    schema,
};

/// The database.
#[derive(Clone, Debug)]
pub struct Records {
    pool: Pool<SqliteConnectionManager>,
    path: PathBuf,
    /// Device and inode of the file that is open; none in memory.
    file: Option<(u64, u64)>,
    /// Counts changes of the tables that backups hold.
    changes: Arc<AtomicU64>,
}

impl Records {
    /// Opens the database file, making it or bringing it up to date as needed.
    ///
    /// # Errors
    /// If the file cannot be opened, is damaged, is not Kivet's, or was written by a later version.
    pub fn open(path: &Path) -> Result<Self, StoreError> {
        inspect(path)?;
        let changes = Arc::new(AtomicU64::new(0));
        let counted = Arc::clone(&changes);
        let manager = SqliteConnectionManager::file(path).with_init(move |connection| {
            connection.busy_handler(Some(try_again))?;
            connection.execute_batch("PRAGMA journal_mode = WAL; PRAGMA synchronous = NORMAL;")?;
            count_changes(connection, &counted)
        });
        let pool = Pool::builder().max_size(4).connection_timeout(2 * WAIT).build(manager)?;
        let mut connection = pool.get()?;
        schema::migrate(&mut connection, path)?;
        connection.pragma_update(None, "application_id", APPLICATION)?;
        drop(connection);
        let file = identity(path)
            .map_err(|source| StoreError::Folder { path: path.to_owned(), source })?;
        Ok(Self { pool, path: path.to_owned(), file: Some(file), changes })
    }

    /// A database in memory with all tables and no rows, for the file at `path`.
    ///
    /// # Errors
    /// If SQLite cannot allocate it.
    pub(crate) fn empty_in_memory(path: &Path) -> Result<Self, StoreError> {
        // Each connection in memory is its own database: use one, and never close it.
        let pool = Pool::builder()
            .max_size(1)
            .max_lifetime(None)
            .idle_timeout(None)
            .connection_timeout(2 * WAIT)
            .build(SqliteConnectionManager::memory())?;
        schema::migrate(&mut *pool.get()?, path)?;
        Ok(Self { pool, path: path.to_owned(), file: None, changes: Arc::default() })
    }

    /// A connection, if the database file is still the one that was opened: writes to a deleted file
    /// would be lost.
    pub(crate) fn connection(
        &self,
    ) -> Result<PooledConnection<SqliteConnectionManager>, StoreError> {
        if self.file.is_some() && identity(&self.path).ok() != self.file {
            return Err(StoreError::Replaced { path: self.path.clone() });
        }
        Ok(self.pool.get()?)
    }

    /// The database file.
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// The number of changes that this process made to the tables that backups hold.
    pub fn changes(&self) -> u64 {
        self.changes.load(Ordering::Relaxed)
    }

    /// Reads a little of the database.
    ///
    /// # Errors
    /// If it cannot be read, or the file was deleted or replaced.
    pub fn ping(&self) -> Result<(), StoreError> {
        self.connection()?.query_row("SELECT COUNT(*) FROM places", [], |_| Ok(()))?;
        Ok(())
    }
}

fn count_changes(connection: &Connection, changes: &Arc<AtomicU64>) -> rusqlite::Result<()> {
    let changes = Arc::clone(changes);
    connection.update_hook(Some(move |_, _: &str, table: &str, _| {
        if schema::USER_TABLES.contains(&table) {
            changes.fetch_add(1, Ordering::Relaxed);
        }
    }))
}

/// Device and inode of a file.
fn identity(path: &Path) -> std::io::Result<(u64, u64)> {
    path.metadata().map(|about| (about.dev(), about.ino()))
}

#[cfg(test)]
pub(crate) mod tests {
    use kivet_recipe::{Facts, Format, Size, Storage};

    use super::*;
    use crate::{OriginalRecord, RenditionRecord, Stamp};

    #[test]
    fn records_outlive_the_process_and_forget_what_changed() {
        let folder = tempfile::tempdir().expect("a folder");
        let file = folder.path().join("records.db");
        let stamp = Stamp { bytes: 9, modified_ms: 1_000, changed_ns: 5, inode: 7 };
        let facts = Facts {
            profile: Some("Display P3".to_owned()),
            ..Facts::plain(Format::Jpeg, Size::new(4000, 3000), Storage::Lossy)
        };
        let record = OriginalRecord { stamp, hash: "aa".to_owned(), facts };
        let rendition = rendition("k");
        {
            let records = Records::open(&file).expect("opened");
            records.keep_original("photos", "a.jpg", &record).expect("kept");
            records.keep_rendition(&rendition).expect("kept");
        }
        let records = Records::open(&file).expect("opened again");
        assert_eq!(records.original("photos", "a.jpg", stamp).expect("asked"), Some(record));
        for changed in [
            Stamp { modified_ms: 2_000, ..stamp },
            Stamp { changed_ns: 6, ..stamp },
            Stamp { inode: 8, ..stamp },
        ] {
            assert_eq!(records.original("photos", "a.jpg", changed).expect("asked"), None);
        }
        let known = records.last_known("photos", "a.jpg").expect("asked");
        assert_eq!(known.map(|known| known.stamp), Some(stamp));
        assert!(
            records.has_rendition("k").expect("asked")
                && !records.has_rendition("other").expect("asked")
        );
        assert_eq!(records.family("f").expect("asked"), [("k".to_owned(), Format::Avif, 640)]);
        records.ping().expect("it answers");
        records.forget_original("photos", "a.jpg").expect("forgotten");
        assert_eq!(records.last_known("photos", "a.jpg").expect("asked"), None);
    }

    #[test]
    fn the_longest_unused_renditions_come_first() {
        let folder = tempfile::tempdir().expect("a folder");
        let records = Records::open(&folder.path().join("records.db")).expect("opened");
        for (key, bytes) in [("a", 10), ("b", 20), ("c", 30)] {
            records.keep_rendition(&RenditionRecord { bytes, ..rendition(key) }).expect("kept");
        }
        records.used(["b", "none"], 5).expect("marked");
        records.used(["c"], 4).expect("marked");
        let order = |limit| {
            let rows = records.least_recently_used(limit).expect("asked");
            rows.into_iter().map(|(key, _, _)| key).collect::<Vec<_>>()
        };
        assert_eq!(
            (order(2), order(9)),
            (vec!["c".into(), "b".into()], vec!["c".into(), "b".into(), "a".into()])
        );
        let all = crate::Held { count: 3, bytes: 60 };
        assert_eq!(records.held().expect("asked"), all);
        let by_shelf = records.held_by_shelf().expect("asked");
        let sort = crate::HeldOf { shelf: "photos".into(), format: "avif".into(), held: all };
        assert_eq!(by_shelf, [sort]);
        records.forget_renditions(["c", "none"]).expect("forgotten");
        assert_eq!(records.held().expect("asked"), crate::Held { count: 2, bytes: 30 });
    }

    #[test]
    fn a_file_that_is_replaced_while_it_is_open_is_noticed() {
        let folder = tempfile::tempdir().expect("a folder");
        let file = folder.path().join("records.db");
        let records = Records::open(&file).expect("opened");
        records.ping().expect("it answers");
        std::fs::remove_file(&file).expect("removed");
        assert!(matches!(records.ping(), Err(StoreError::Replaced { .. })));
        assert!(matches!(records.keep_rules("{}"), Err(StoreError::Replaced { .. })));
        std::fs::write(&file, b"").expect("another file");
        assert!(matches!(records.ping(), Err(StoreError::Replaced { .. })));
    }

    pub(crate) fn rendition(key: &str) -> RenditionRecord {
        RenditionRecord {
            key: key.to_owned(),
            shelf: "photos".to_owned(),
            path: "a.jpg".to_owned(),
            recipe: "640w".to_owned(),
            format: Format::Avif,
            width: 640,
            height: 480,
            bytes: 1234,
            family: "f".to_owned(),
        }
    }
}
