//! Records in SQLite: what is known of originals, and the index of renditions.
//!
//! Calls block; callers on an async thread move them off it.

use std::path::{Path, PathBuf};

use kivet_recipe::{Facts, Format};
use r2d2::{Pool, PooledConnection};
use r2d2_sqlite::SqliteConnectionManager;
use rusqlite::{OptionalExtension, params};
use rusqlite_migration::{M, MigrationDefinitionError, Migrations};

use crate::StoreError;

const STEPS: &[M<'static>] = &[
    M::up(
        "CREATE TABLE originals (
        shelf TEXT NOT NULL,
        path TEXT NOT NULL,
        bytes INTEGER NOT NULL,
        modified_ms INTEGER NOT NULL,
        hash TEXT NOT NULL,
        facts TEXT NOT NULL,
        PRIMARY KEY (shelf, path)
    ) STRICT;
    CREATE TABLE renditions (
        key TEXT PRIMARY KEY,
        shelf TEXT NOT NULL,
        path TEXT NOT NULL,
        recipe TEXT NOT NULL,
        format TEXT NOT NULL,
        width INTEGER NOT NULL,
        height INTEGER NOT NULL,
        bytes INTEGER NOT NULL,
        made_at INTEGER NOT NULL DEFAULT (unixepoch())
    ) STRICT;
    CREATE INDEX renditions_by_original ON renditions (shelf, path);",
    ),
    M::up(
        "CREATE TABLE checks (
        id INTEGER PRIMARY KEY,
        page TEXT NOT NULL,
        at INTEGER NOT NULL,
        mode TEXT NOT NULL,
        findings INTEGER NOT NULL,
        measures TEXT NOT NULL,
        report TEXT NOT NULL
    ) STRICT;
    CREATE INDEX checks_by_page ON checks (page, id);",
    ),
    M::up(
        "CREATE TABLE curves (
        hash TEXT NOT NULL,
        format TEXT NOT NULL,
        measured TEXT NOT NULL,
        PRIMARY KEY (hash, format)
    ) STRICT;
    CREATE TABLE focus (
        shelf TEXT NOT NULL,
        path TEXT NOT NULL,
        x INTEGER NOT NULL,
        y INTEGER NOT NULL,
        PRIMARY KEY (shelf, path)
    ) STRICT;
    ALTER TABLE renditions ADD COLUMN family TEXT NOT NULL DEFAULT '';
    CREATE INDEX renditions_by_family ON renditions (family);",
    ),
    // Facts hold more since this step: they are learnt anew. The steps after it once dropped the
    // curves of changed encoders, which the revision beside each curve tells now; a database counts
    // its steps, so they stay.
    M::up("DELETE FROM originals;"),
    M::up("SELECT 1;"),
    M::up("SELECT 1;"),
    M::up("SELECT 1;"),
    M::up("SELECT 1;"),
    M::up("SELECT 1;"),
    M::up("SELECT 1;"),
    M::up("ALTER TABLE curves ADD COLUMN revision INTEGER NOT NULL DEFAULT 0;"),
    M::up(
        "CREATE TABLE places (
        name TEXT PRIMARY KEY,
        revision INTEGER NOT NULL,
        document TEXT NOT NULL
    ) STRICT;
    CREATE TABLE ladders (
        place TEXT NOT NULL,
        hash TEXT NOT NULL,
        offered TEXT NOT NULL,
        PRIMARY KEY (place, hash)
    ) STRICT;
    CREATE TABLE alts (
        shelf TEXT NOT NULL,
        path TEXT NOT NULL,
        language TEXT NOT NULL,
        place TEXT NOT NULL,
        text TEXT NOT NULL,
        PRIMARY KEY (shelf, path, language, place)
    ) STRICT;",
    ),
    M::up(
        "CREATE TABLE rules (
        id INTEGER PRIMARY KEY CHECK (id = 1),
        document TEXT NOT NULL
    ) STRICT;",
    ),
];

/// What tells one state of a file from another without reading it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub struct Stamp {
    /// Length in bytes.
    pub bytes: u64,
    /// Last change, in milliseconds since 1970.
    pub modified_ms: i64,
}

/// What is known of one original.
#[derive(Clone, Debug, PartialEq)]
pub struct OriginalRecord {
    /// The state of the file this was learnt from.
    pub stamp: Stamp,
    /// BLAKE3 hash of its bytes, in hexadecimal.
    pub hash: String,
    /// Its facts.
    pub facts: Facts,
}

/// One line of the rendition index.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct RenditionRecord {
    /// The key of its blob.
    pub key: String,
    /// The shelf of its original.
    pub shelf: String,
    /// The path of its original.
    pub path: String,
    /// The canonical recipe.
    pub recipe: String,
    /// Its format.
    pub format: Format,
    /// Pixels across.
    pub width: u32,
    /// Pixels down.
    pub height: u32,
    /// Bytes of the picture.
    pub bytes: u64,
    /// What it shares with renditions of the same shape at other sizes, in other formats and
    /// fidelities.
    pub family: String,
}

/// The database.
#[derive(Clone, Debug)]
pub struct Records {
    pool: Pool<SqliteConnectionManager>,
}

impl Records {
    /// Opens the database file, making it or bringing it up to date as needed.
    ///
    /// # Errors
    /// If the file cannot be opened or was written by a later version.
    pub fn open(path: &Path) -> Result<Self, StoreError> {
        let manager = SqliteConnectionManager::file(path).with_init(|connection| {
            connection
                .execute_batch("PRAGMA journal_mode = WAL; PRAGMA synchronous = NORMAL; PRAGMA busy_timeout = 5000;")
        });
        let pool = Pool::builder().max_size(4).build(manager)?;
        let at = |source| match source {
            rusqlite_migration::Error::MigrationDefinition(
                MigrationDefinitionError::DatabaseTooFarAhead,
            ) => StoreError::Later { path: PathBuf::from(path) },
            source => StoreError::Migration { path: PathBuf::from(path), source },
        };
        Migrations::from_slice(STEPS).to_latest(&mut *pool.get()?).map_err(at)?;
        Ok(Self { pool })
    }

    pub(crate) fn connection(
        &self,
    ) -> Result<PooledConnection<SqliteConnectionManager>, StoreError> {
        Ok(self.pool.get()?)
    }

    /// What was learnt of an original when it was in the state `stamp`; `None` if it has changed
    /// since or is new.
    ///
    /// # Errors
    /// If the database cannot be read.
    pub fn original(
        &self,
        shelf: &str,
        path: &str,
        stamp: Stamp,
    ) -> Result<Option<OriginalRecord>, StoreError> {
        let row: Option<(String, String)> = self
            .connection()?
            .prepare_cached(
                "SELECT hash, facts FROM originals WHERE shelf = ?1 AND path = ?2 AND bytes = ?3 AND modified_ms = ?4",
            )?
            .query_row(params![shelf, path, stamp.bytes as i64, stamp.modified_ms], |row| {
                Ok((row.get(0)?, row.get(1)?))
            })
            .optional()?;
        let Some((hash, facts)) = row else { return Ok(None) };
        // Facts in an older form are learnt anew.
        let Ok(facts) = serde_json::from_str::<Facts>(&facts) else { return Ok(None) };
        let focus = self.focus(shelf, path)?;
        Ok(Some(OriginalRecord { stamp, hash, facts: Facts { focus, ..facts } }))
    }

    /// Keeps what was learnt of an original.
    ///
    /// # Errors
    /// If the database cannot be written.
    pub fn keep_original(
        &self,
        shelf: &str,
        path: &str,
        record: &OriginalRecord,
    ) -> Result<(), StoreError> {
        let facts = serde_json::to_string(&record.facts)
            .map_err(|source| StoreError::Unreadable { what: "facts", source })?;
        self.connection()?
            .prepare_cached("INSERT OR REPLACE INTO originals (shelf, path, bytes, modified_ms, hash, facts) VALUES (?1, ?2, ?3, ?4, ?5, ?6)")?
            .execute(params![shelf, path, record.stamp.bytes as i64, record.stamp.modified_ms, record.hash, facts])?;
        Ok(())
    }

    /// True if the index has a rendition under `key`.
    ///
    /// # Errors
    /// If the database cannot be read.
    pub fn has_rendition(&self, key: &str) -> Result<bool, StoreError> {
        Ok(self
            .connection()?
            .prepare_cached("SELECT 1 FROM renditions WHERE key = ?1")?
            .exists(params![key])?)
    }

    /// Adds a rendition to the index.
    ///
    /// # Errors
    /// If the database cannot be written.
    pub fn keep_rendition(&self, record: &RenditionRecord) -> Result<(), StoreError> {
        let RenditionRecord { key, shelf, path, recipe, format, width, height, bytes, family } =
            record;
        self.connection()?
            .prepare_cached("INSERT OR REPLACE INTO renditions (key, shelf, path, recipe, format, width, height, bytes, family) VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9)")?
            .execute(params![
                key,
                shelf,
                path,
                recipe,
                format.name(),
                width,
                height,
                *bytes as i64,
                family
            ])?;
        Ok(())
    }

    /// The renditions of one family: key, format, pixels across.
    ///
    /// # Errors
    /// If the database cannot be read.
    pub fn family(&self, family: &str) -> Result<Vec<(String, Format, u32)>, StoreError> {
        let connection = self.connection()?;
        let mut found = connection
            .prepare_cached("SELECT key, format, width FROM renditions WHERE family = ?1")?;
        let rows =
            found.query_map(params![family], |row| Ok((row.get(0)?, row.get(1)?, row.get(2)?)))?;
        let rows: Vec<(String, String, u32)> = rows.collect::<Result<_, _>>()?;
        // A format that this version does not know stands in for nothing.
        let known = |(key, format, width): (String, String, u32)| {
            Some((key, Format::from_name(&format)?, width))
        };
        Ok(rows.into_iter().filter_map(known).collect())
    }

    /// Asks the database for an answer that costs nothing.
    ///
    /// # Errors
    /// If it gives none.
    pub fn ping(&self) -> Result<(), StoreError> {
        self.connection()?.query_row("SELECT 1", [], |_| Ok(()))?;
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use kivet_recipe::{Size, Storage};

    use super::*;

    #[test]
    fn records_outlive_the_process_and_forget_what_changed() {
        let folder = tempfile::tempdir().expect("a folder");
        let file = folder.path().join("records.db");
        let stamp = Stamp { bytes: 9, modified_ms: 1_000 };
        let facts = Facts {
            profile: Some("Display P3".to_owned()),
            ..Facts::plain(Format::Jpeg, Size::new(4000, 3000), Storage::Lossy)
        };
        let record = OriginalRecord { stamp, hash: "aa".to_owned(), facts };
        let rendition = RenditionRecord {
            key: "k".to_owned(),
            shelf: "photos".to_owned(),
            path: "a.jpg".to_owned(),
            recipe: "640w".to_owned(),
            format: Format::Avif,
            width: 640,
            height: 480,
            bytes: 1234,
            family: "f".to_owned(),
        };
        {
            let records = Records::open(&file).expect("opened");
            records.keep_original("photos", "a.jpg", &record).expect("kept");
            records.keep_rendition(&rendition).expect("kept");
        }
        let records = Records::open(&file).expect("opened again");
        assert_eq!(records.original("photos", "a.jpg", stamp).expect("asked"), Some(record));
        let changed = Stamp { modified_ms: 2_000, ..stamp };
        assert_eq!(records.original("photos", "a.jpg", changed).expect("asked"), None);
        assert!(
            records.has_rendition("k").expect("asked")
                && !records.has_rendition("other").expect("asked")
        );
        assert_eq!(records.family("f").expect("asked"), [("k".to_owned(), Format::Avif, 640)]);
        records.ping().expect("it answers");
    }

    #[test]
    fn databases_of_every_earlier_version_keep_what_people_made_and_a_later_one_is_refused() {
        let folder = tempfile::tempdir().expect("a folder");
        let rows = [
            "INSERT INTO checks (page, at, mode, findings, measures, report) VALUES ('p', 1, 'text', 0, '{}', '{}')",
            "INSERT INTO focus (shelf, path, x, y) VALUES ('photos', 'a.jpg', 20, 70)",
            r#"INSERT INTO curves (hash, format, measured) VALUES
                ('aa', 'jpeg', '{"curves":[],"seen":[]}'), ('aa', 'avif', '{"curves":[],"seen":[]}')"#,
        ];
        for version in 1..STEPS.len() {
            let file = folder.path().join(format!("{version}.db"));
            let mut older = rusqlite::Connection::open(&file).expect("opened");
            Migrations::from_slice(&STEPS[..version]).to_latest(&mut older).expect("made");
            // The first versions had fewer tables.
            let [checked, focused, measured] = rows.map(|row| older.execute(row, []).is_ok());
            drop(older);
            let records =
                Records::open(&file).unwrap_or_else(|error| panic!("version {version}: {error}"));
            let checks: bool = records
                .connection()
                .expect("free")
                .prepare("SELECT 1 FROM checks")
                .expect("a table")
                .exists([])
                .expect("asked");
            assert_eq!(
                (checks, records.focus("photos", "a.jpg").expect("asked").is_some()),
                (checked, focused),
                "{version}"
            );
            let curves = records.curves("aa", |_| 1).expect("asked").0;
            assert!(
                curves.is_empty(),
                "{version}: curves of encoders at no revision, or an earlier one"
            );
            records.keep_curve("aa", Format::Avif, 1, &Default::default()).expect("kept");
            assert_eq!(records.curves("aa", |_| 1).expect("asked").0.len(), 1);
            assert_eq!(records.places().expect("a table"), []);
            if version + 1 == STEPS.len() {
                assert!(checked && focused && measured, "what is kept was there");
            }
        }
        let later = folder.path().join("later.db");
        drop(Records::open(&later).expect("made"));
        let ahead = format!("PRAGMA user_version = {}", STEPS.len() + 1);
        rusqlite::Connection::open(&later)
            .and_then(|file| file.execute_batch(&ahead))
            .expect("written");
        let refused = Records::open(&later).expect_err("unknown tables").to_string();
        assert!(refused.contains("later.db were written by a later version of Kivet"), "{refused}");
    }
}
