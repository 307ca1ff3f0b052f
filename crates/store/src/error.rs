//! What can go wrong with records and blobs.

use std::path::PathBuf;

/// A record or blob that could not be read or written.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum StoreError {
    /// The data folder cannot be used.
    #[error("cannot use the data folder {}", path.display())]
    Folder {
        /// The folder or file at fault.
        path: PathBuf,
        /// Why.
        source: std::io::Error,
    },
    /// The database file cannot be brought to this version's tables.
    #[error("cannot bring the records in {} up to date", path.display())]
    Migration {
        /// The database file.
        path: PathBuf,
        /// Why.
        source: rusqlite_migration::Error,
    },
    /// The database file is damaged, or not Kivet's.
    #[error("the records in {} cannot be used: {problem}", path.display())]
    Broken {
        /// The database file.
        path: PathBuf,
        /// What is wrong with it.
        problem: String,
    },
    /// The database file has tables this version does not know.
    #[error("the records in {} were written by a later version of Kivet; run that one, or name another data folder", path.display())]
    Later {
        /// The database file.
        path: PathBuf,
    },
    /// The database file was deleted or replaced after it was opened.
    #[error("{} was deleted or replaced while it was in use; start the service again, which takes places, rules, focal points and texts from the newest backup", path.display())]
    Replaced {
        /// The database file.
        path: PathBuf,
    },
    /// SQLite refused.
    #[error("the records could not be read or written")]
    Records(#[from] rusqlite::Error),
    /// No connection to the records came free.
    #[error("no connection to the records")]
    Busy(#[from] r2d2::Error),
    /// The blob store refused.
    #[error("the blob store failed")]
    Blobs(#[from] object_store::Error),
    /// A record holds something this version cannot read.
    #[error("a record of {what} cannot be read")]
    Unreadable {
        /// What the record is of.
        what: &'static str,
        /// Why.
        source: serde_json::Error,
    },
}
