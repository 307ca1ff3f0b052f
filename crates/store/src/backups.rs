//! Backups of the user records: places with their ladders, rules, focal points and alternative texts.
//! Facts, curves and the index of renditions can be rebuilt from originals and blobs.
//!
//! A backup is a database of its own with the same tables.

use std::{
    ffi::OsStr,
    fs::File,
    io,
    path::{Path, PathBuf},
    time::{SystemTime, UNIX_EPOCH},
};

use rusqlite::Connection;

use crate::{
    Records, StoreError,
    inspect::{APPLICATION, Found, inspect},
    schema::{self, USER_TABLES},
};

/// Backups that are kept: the newest ones, and the last of each of so many days before them.
const NEWEST: usize = 3;
const DAYS: usize = 7;

const SECONDS_A_DAY: u64 = 86_400;

/// The folder of the backups of one database.
#[derive(Clone, Debug)]
pub struct Backups {
    folder: PathBuf,
}

/// A backup.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Backup {
    /// Its file.
    pub file: PathBuf,
    /// When it was made, in seconds since 1970.
    pub made_at: u64,
    /// Rows in it, or why it cannot be used.
    pub rows: Result<Rows, String>,
}

/// Rows of each kind.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, serde::Serialize)]
pub struct Rows {
    /// Places.
    pub places: u32,
    /// Documents of rules: one, or none.
    pub rules: u32,
    /// Focal points.
    pub focus: u32,
    /// Alternative texts.
    pub alts: u32,
}

impl Backups {
    /// The backups of the database at `records`: in `backups` beside it.
    pub fn of(records: &Path) -> Self {
        Self { folder: records.with_file_name("backups") }
    }

    /// Their folder.
    pub fn folder(&self) -> &Path {
        &self.folder
    }

    /// All backups, newest first.
    ///
    /// # Errors
    /// If the folder cannot be read.
    pub fn list(&self) -> Result<Vec<Backup>, StoreError> {
        let files = self.files()?.into_iter();
        Ok(files.map(|(made_at, file)| Backup { made_at, rows: rows(&file), file }).collect())
    }

    /// Makes a backup, unless the newest one has the same contents, and removes expired ones.
    ///
    /// # Errors
    /// If the records cannot be read or the folder cannot be written.
    pub fn make(&self, records: &Records) -> Result<PathBuf, StoreError> {
        let failed = |source| StoreError::Folder { path: self.folder.clone(), source };
        std::fs::create_dir_all(&self.folder).map_err(failed)?;
        // A fixed name: the next backup replaces the leftover of a killed process.
        let unfinished = self.folder.join("unfinished");
        remove(&unfinished).map_err(failed)?;
        let mut fresh = Connection::open(&unfinished)?;
        schema::migrate(&mut fresh, &unfinished)?;
        fresh.pragma_update(None, "application_id", APPLICATION)?;
        drop(fresh);
        records.copy_to(&unfinished)?;
        File::open(&unfinished).and_then(|file| file.sync_all()).map_err(failed)?;
        let newest = self.files()?.into_iter().next();
        if let Some((_, newest)) = &newest
            && is_same(&unfinished, newest).map_err(failed)?
        {
            remove(&unfinished).map_err(failed)?;
            return Ok(newest.clone());
        }
        let newest = newest.map_or(0, |(made_at, _)| made_at + 1);
        let now = SystemTime::now().duration_since(UNIX_EPOCH).map_or(0, |since| since.as_secs());
        let file = self.folder.join(format!("records-{}.db", now.max(newest)));
        std::fs::rename(&unfinished, &file).map_err(failed)?;
        self.remove_expired().map_err(failed)?;
        Ok(file)
    }

    /// Copies a database of an earlier version whole.
    ///
    /// # Errors
    /// If it cannot be read or the folder cannot be written.
    pub(crate) fn keep_earlier(&self, records: &Path, version: usize) -> Result<(), StoreError> {
        let failed = |source| StoreError::Folder { path: self.folder.clone(), source };
        std::fs::create_dir_all(&self.folder).map_err(failed)?;
        let unfinished = self.folder.join("unfinished");
        remove(&unfinished).map_err(failed)?;
        Connection::open(records)?.execute("VACUUM INTO ?1", [unfinished.to_string_lossy()])?;
        let kept = self.folder.join(format!("before-update-{version}.db"));
        std::fs::rename(&unfinished, kept).map_err(failed)
    }

    /// The newest backup that can be used.
    ///
    /// # Errors
    /// If the folder cannot be read.
    pub fn newest_good(&self) -> Result<Option<PathBuf>, StoreError> {
        let good = |(_, file): &(u64, PathBuf)| rows(file).is_ok();
        Ok(self.files()?.into_iter().find(good).map(|(_, file)| file))
    }

    fn files(&self) -> Result<Vec<(u64, PathBuf)>, StoreError> {
        let failed = |source| StoreError::Folder { path: self.folder.clone(), source };
        let entries = match std::fs::read_dir(&self.folder) {
            Ok(entries) => entries,
            Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(Vec::new()),
            Err(error) => return Err(failed(error)),
        };
        let mut files = Vec::new();
        for entry in entries {
            let file = entry.map_err(failed)?.path();
            let made_at = file.file_name().and_then(OsStr::to_str).and_then(|name| {
                name.strip_prefix("records-")?.strip_suffix(".db")?.parse::<u64>().ok()
            });
            files.extend(made_at.map(|made_at| (made_at, file)));
        }
        files.sort_by(|one, other| other.cmp(one));
        Ok(files)
    }

    fn remove_expired(&self) -> io::Result<()> {
        let Ok(files) = self.files() else { return Ok(()) };
        let expired = expired(&files.iter().map(|(made_at, _)| *made_at).collect::<Vec<_>>());
        files
            .iter()
            .filter(|(made_at, _)| expired.contains(made_at))
            .try_for_each(|(_, file)| remove(file))
    }
}

/// The times of the backups to remove, of times in seconds, newest first.
fn expired(times: &[u64]) -> Vec<u64> {
    let (newest, older) = times.split_at(times.len().min(NEWEST));
    let mut days: Vec<u64> = newest.last().map(|time| time / SECONDS_A_DAY).into_iter().collect();
    let mut expired = Vec::new();
    for time in older {
        let day = time / SECONDS_A_DAY;
        if days.contains(&day) || days.len() > DAYS {
            expired.push(*time);
        } else {
            days.push(day);
        }
    }
    expired
}

fn is_same(one: &Path, other: &Path) -> io::Result<bool> {
    Ok(std::fs::read(one)? == std::fs::read(other)?)
}

fn remove(file: &Path) -> io::Result<()> {
    match std::fs::remove_file(file) {
        Err(error) if error.kind() != io::ErrorKind::NotFound => Err(error),
        _ => Ok(()),
    }
}

/// The rows of a backup, or why it cannot be used.
fn rows(file: &Path) -> Result<Rows, String> {
    inspect(file).map_err(|error| error.to_string())?;
    let counted = || {
        let connection = Connection::open(file)?;
        let count = |sql: &str| connection.query_row(sql, [], |row| row.get::<_, u32>(0));
        Ok(Rows {
            places: count("SELECT COUNT(*) FROM places WHERE document <> ''")?,
            rules: count("SELECT COUNT(*) FROM rules")?,
            focus: count("SELECT COUNT(*) FROM focus")?,
            alts: count("SELECT COUNT(*) FROM alts")?,
        })
    };
    counted().map_err(|error: rusqlite::Error| error.to_string())
}

impl Records {
    /// Copies the user records to the database at `target`, which has the tables and no rows.
    fn copy_to(&self, target: &Path) -> Result<(), StoreError> {
        let connection = self.connection()?;
        attached(&connection, target, |connection| {
            let transaction = connection.unchecked_transaction()?;
            for table in USER_TABLES {
                let sql = format!("INSERT INTO other.{table} SELECT * FROM main.{table}");
                transaction.execute(&sql, [])?;
            }
            transaction.commit()
        })
    }

    /// Replaces the user records by those of another Kivet database, in one transaction. A place that
    /// differs gets a new revision.
    ///
    /// # Errors
    /// If the other cannot be read, or the records cannot be written.
    pub fn restore(&self, other: &Path) -> Result<Rows, StoreError> {
        if let Found::Earlier { .. } = inspect(other)? {
            return self.restore_earlier(other);
        }
        let connection = self.connection()?;
        attached(&connection, other, |connection| {
            let transaction = connection.unchecked_transaction()?;
            transaction.execute_batch(
                "INSERT INTO main.places (name, revision, document)
                SELECT name, revision, document FROM other.places WHERE true
                ON CONFLICT (name) DO UPDATE SET
                    revision = max(revision, excluded.revision) + (document <> excluded.document),
                    document = excluded.document;
                UPDATE main.places SET document = ''
                WHERE name NOT IN (SELECT name FROM other.places);",
            )?;
            for table in USER_TABLES.into_iter().filter(|table| *table != "places") {
                transaction.execute_batch(&format!(
                    "DELETE FROM main.{table}; INSERT INTO main.{table} SELECT * FROM other.{table};"
                ))?;
            }
            transaction.commit()
        })?;
        rows(other).map_err(|problem| StoreError::Broken { path: other.to_owned(), problem })
    }

    fn restore_earlier(&self, other: &Path) -> Result<Rows, StoreError> {
        let copy = self.path().with_extension("restored");
        let failed = |source| StoreError::Folder { path: copy.clone(), source };
        std::fs::copy(other, &copy).map_err(failed)?;
        let updated = Connection::open(&copy)
            .map_err(StoreError::from)
            .and_then(|mut earlier| schema::migrate(&mut earlier, &copy));
        let restored = updated.and_then(|()| self.restore(&copy));
        remove(&copy).map_err(failed)?;
        restored
    }
}

/// Copies the rows of all tables of the database at `path` without writing to its folder. Logs an
/// error if it cannot be read.
pub(crate) fn read_into(connection: &Connection, path: &Path) {
    let plain = path.to_string_lossy().replace('%', "%25").replace('?', "%3f").replace('#', "%23");
    // `mode=ro` needs to write files beside the database; `immutable=1` ignores the write-ahead log.
    let read = ["mode=ro", "immutable=1"].iter().find_map(|how| {
        let uri = format!("file:{plain}?{how}");
        attached(connection, Path::new(&uri), |connection| {
            for table in schema::tables(connection)? {
                let sql = format!("INSERT OR IGNORE INTO main.{table} SELECT * FROM other.{table}");
                connection.execute(&sql, [])?;
            }
            Ok(())
        })
        .ok()
    });
    if read.is_none() {
        tracing::error!(path = %path.display(), "the records cannot be read");
    }
}

/// Runs `work` while the database at `other` is attached under the name `other`.
fn attached<T>(
    connection: &Connection,
    other: &Path,
    work: impl FnOnce(&Connection) -> rusqlite::Result<T>,
) -> Result<T, StoreError> {
    connection.execute("ATTACH ?1 AS other", [other.to_string_lossy()])?;
    let done = work(connection);
    connection.execute_batch("DETACH other")?;
    Ok(done?)
}

#[cfg(test)]
mod tests {
    use kivet_recipe::Position;

    use super::*;

    fn place(name: &str, document: &str) -> (String, String) {
        (name.to_owned(), document.to_owned())
    }

    #[test]
    fn a_backup_holds_the_user_records_and_restores_them() {
        let folder = tempfile::tempdir().expect("a folder");
        let file = folder.path().join("records.db");
        let records = Records::open(&file).expect("opened");
        let backups = Backups::of(&file);
        assert_eq!(backups.list().expect("no folder yet"), []);
        records.keep_places(&[place("card", "{}"), place("lead", "{}")]).expect("kept");
        records.keep_rules("{}").expect("kept");
        records.set_focus("photos", "a.jpg", Some(Position::CENTER)).expect("kept");
        records.keep_offered("card", 1, "aa", "[]").expect("kept");
        let backup = backups.make(&records).expect("made");
        let rows = Rows { places: 2, rules: 1, focus: 1, alts: 0 };
        assert_eq!(backups.list().expect("listed")[0].rows, Ok(rows));

        records.keep_places(&[place("card", "{ }"), place("new", "{}")]).expect("changed");
        records.set_focus("photos", "a.jpg", None).expect("forgotten");
        assert_eq!(records.restore(&backup).expect("restored"), rows);
        let places = records.places().expect("asked");
        let places: Vec<_> = places.iter().map(|one| (one.name.as_str(), one.revision)).collect();
        assert_eq!(places, [("card", 3), ("lead", 1)], "a changed place never had its revision");
        assert_eq!(records.focus("photos", "a.jpg").expect("asked"), Some(Position::CENTER));
        assert_eq!(records.offered("card", "aa").expect("asked"), Some("[]".to_owned()));
    }

    #[test]
    fn broken_backups_are_listed_and_passed_over() {
        let folder = tempfile::tempdir().expect("a folder");
        let file = folder.path().join("records.db");
        let records = Records::open(&file).expect("opened");
        let backups = Backups::of(&file);
        let good = backups.make(&records).expect("made");
        assert_eq!(backups.make(&records).expect("nothing changed"), good);
        records.keep_rules("{}").expect("kept");
        let newer = backups.make(&records).expect("made in the same second");
        std::fs::write(&newer, b"cut").expect("written");
        let listed = backups.list().expect("listed");
        assert!(listed[0].rows.is_err() && listed[1].rows.is_ok(), "{listed:?}");
        assert_eq!(backups.newest_good().expect("listed"), Some(good));
        assert!(matches!(records.restore(&newer), Err(StoreError::Broken { .. })));
    }

    #[test]
    fn three_backups_stay_and_the_last_one_of_each_day_before() {
        let day = |day: u64, hour: u64| day * SECONDS_A_DAY + hour * 3600;
        let times = [day(30, 9), day(30, 8), day(30, 7), day(30, 6), day(29, 9), day(29, 8)];
        assert_eq!(expired(&times), [day(30, 6), day(29, 8)]);
        let daily: Vec<u64> = (0..20).map(|back| day(50 - back, 1)).collect();
        assert_eq!(daily.len() - expired(&daily).len(), NEWEST + DAYS);
    }
}
