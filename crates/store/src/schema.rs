//! The tables, step by step from the first version's. A database counts its steps: none is changed or
//! taken away once it was released.

use std::{collections::BTreeSet, path::Path};

use rusqlite::Connection;
use rusqlite_migration::{M, MigrationDefinitionError, Migrations};

use crate::StoreError;

/// The tables of user records, which backups hold. The others are rebuilt from originals and blobs.
pub(crate) const USER_TABLES: [&str; 5] = ["places", "ladders", "rules", "focus", "alts"];

/// Brings the database at `path` to today's tables.
pub(crate) fn migrate(connection: &mut Connection, path: &Path) -> Result<(), StoreError> {
    Migrations::from_slice(STEPS).to_latest(connection).map_err(|source| match source {
        rusqlite_migration::Error::MigrationDefinition(
            MigrationDefinitionError::DatabaseTooFarAhead,
        ) => StoreError::Later { path: path.to_owned() },
        source => StoreError::Migration { path: path.to_owned(), source },
    })
}

/// The tables of a database.
pub(crate) fn tables(connection: &Connection) -> rusqlite::Result<BTreeSet<String>> {
    connection
        .prepare("SELECT name FROM sqlite_master WHERE type = 'table'")?
        .query_map([], |row| row.get(0))?
        .collect()
}

/// Today's tables.
pub(crate) fn all_tables() -> Result<BTreeSet<String>, StoreError> {
    let mut fresh = Connection::open_in_memory()?;
    migrate(&mut fresh, Path::new(":memory:"))?;
    Ok(tables(&fresh)?)
}

/// From nothing to today's tables.
pub(crate) const STEPS: &[M<'static>] = &[
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
    // Facts are learnt anew: what tells one state of a file from another holds more.
    M::up(
        "DELETE FROM originals;
    ALTER TABLE originals ADD COLUMN changed_ns INTEGER NOT NULL DEFAULT 0;
    ALTER TABLE originals ADD COLUMN inode INTEGER NOT NULL DEFAULT 0;
    ALTER TABLE renditions ADD COLUMN used_at INTEGER NOT NULL DEFAULT 0;
    UPDATE renditions SET used_at = made_at;
    CREATE INDEX renditions_by_use ON renditions (used_at, key);",
    ),
];
