//! Examining a database file before it is opened for writing, and renaming one that is broken.

use std::{
    ffi::OsString,
    path::{Path, PathBuf},
    time::{SystemTime, UNIX_EPOCH},
};

use rusqlite::{Connection, ErrorCode};

use crate::{StoreError, patience::try_again, schema};

/// The application id of a Kivet database: `KIVT` (<https://sqlite.org/pragma.html>, application_id).
pub(crate) const APPLICATION: i32 = 0x4b49_5654;

/// A file that a database can be opened in.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Found {
    /// No file, or one without tables.
    Nothing,
    /// A database of an earlier version.
    Earlier {
        /// Steps of the schema that it has.
        version: usize,
    },
    /// A database of this version, or a later one.
    Current,
}

/// Refuses a file that is damaged or another program's, before anything is written to it.
pub(crate) fn inspect(path: &Path) -> Result<Found, StoreError> {
    let broken = |problem: String| StoreError::Broken { path: path.to_owned(), problem };
    if path.is_dir() {
        return Err(broken("it is a folder".to_owned()));
    }
    if !path.exists() {
        return Ok(Found::Nothing);
    }
    let told = |error: rusqlite::Error| match error.sqlite_error_code() {
        Some(ErrorCode::NotADatabase | ErrorCode::DatabaseCorrupt) => broken(error.to_string()),
        _ => StoreError::Records(error),
    };
    let file = Connection::open(path).map_err(told)?;
    file.busy_handler(Some(try_again)).map_err(told)?;
    let number = |of: &str| file.query_row(of, [], |row| row.get::<_, i32>(0)).map_err(told);
    let (application, version) = (number("PRAGMA application_id")?, number("PRAGMA user_version")?);
    let tables = schema::tables(&file).map_err(told)?;
    // Kivet's first versions did not say so, but counted their steps.
    let is_ours =
        application == APPLICATION || (application == 0 && (version > 0 || tables.is_empty()));
    if !is_ours {
        return Err(broken("it is another program's database".to_owned()));
    }
    let found: String =
        file.query_row("PRAGMA quick_check(1)", [], |row| row.get(0)).map_err(told)?;
    if found != "ok" {
        return Err(broken(found));
    }
    let version = usize::try_from(version).unwrap_or_default();
    if tables.is_empty() && version == 0 {
        return Ok(Found::Nothing);
    }
    if version < schema::STEPS.len() {
        return Ok(Found::Earlier { version });
    }
    match schema::all_tables()?.difference(&tables).next() {
        Some(missing) => Err(broken(format!("the table `{missing}` is missing"))),
        None => Ok(Found::Current),
    }
}

/// Renames a broken file, and what SQLite keeps beside it, so that nothing in it is lost.
pub(crate) fn set_aside(path: &Path) -> Result<PathBuf, StoreError> {
    let seconds = SystemTime::now().duration_since(UNIX_EPOCH).map_or(0, |since| since.as_secs());
    let with = |end: &str| {
        let mut name = OsString::from(path);
        name.push(end);
        PathBuf::from(name)
    };
    let aside = with(&format!(".broken-{seconds}"));
    let failed = |source| StoreError::Folder { path: path.to_owned(), source };
    std::fs::rename(path, &aside).map_err(failed)?;
    for end in ["-wal", "-shm"] {
        let beside = with(end);
        if beside.exists() {
            std::fs::rename(&beside, with(&format!(".broken-{seconds}{end}"))).map_err(failed)?;
        }
    }
    Ok(aside)
}
