//! What is known of originals.

use kivet_recipe::Facts;
use rusqlite::{OptionalExtension, params};

use crate::{Records, StoreError};

/// What tells one state of a file from another without reading it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub struct Stamp {
    /// Length in bytes.
    pub bytes: u64,
    /// Last change of its bytes, in milliseconds since 1970.
    pub modified_ms: i64,
    /// Last change of the file, whatever its owner says: in nanoseconds since 1970, and 0 where the
    /// system keeps none.
    pub changed_ns: i64,
    /// Its number in its file system.
    pub inode: u64,
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

impl Records {
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
                "SELECT hash, facts FROM originals WHERE shelf = ?1 AND path = ?2 AND bytes = ?3
                    AND modified_ms = ?4 AND changed_ns = ?5 AND inode = ?6",
            )?
            .query_row(
                params![
                    shelf,
                    path,
                    stamp.bytes as i64,
                    stamp.modified_ms,
                    stamp.changed_ns,
                    stamp.inode as i64
                ],
                |row| Ok((row.get(0)?, row.get(1)?)),
            )
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
        let stamp = record.stamp;
        let facts = serde_json::to_string(&record.facts)
            .map_err(|source| StoreError::Unreadable { what: "facts", source })?;
        self.connection()?
            .prepare_cached(
                "INSERT OR REPLACE INTO originals
                    (shelf, path, bytes, modified_ms, changed_ns, inode, hash, facts)
                    VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8)",
            )?
            .execute(params![
                shelf,
                path,
                stamp.bytes as i64,
                stamp.modified_ms,
                stamp.changed_ns,
                stamp.inode as i64,
                record.hash,
                facts
            ])?;
        Ok(())
    }

    /// What was last learnt of an original, whatever became of its file.
    ///
    /// # Errors
    /// If the database cannot be read.
    pub fn last_known(
        &self,
        shelf: &str,
        path: &str,
    ) -> Result<Option<OriginalRecord>, StoreError> {
        let stamp: Option<Stamp> = self
            .connection()?
            .prepare_cached(
                "SELECT bytes, modified_ms, changed_ns, inode FROM originals
                    WHERE shelf = ?1 AND path = ?2",
            )?
            .query_row(params![shelf, path], |row| {
                let (bytes, inode): (i64, i64) = (row.get(0)?, row.get(3)?);
                Ok(Stamp {
                    bytes: bytes as u64,
                    modified_ms: row.get(1)?,
                    changed_ns: row.get(2)?,
                    inode: inode as u64,
                })
            })
            .optional()?;
        stamp.map_or(Ok(None), |stamp| self.original(shelf, path, stamp))
    }

    /// Forgets what was learnt of an original, which was not so.
    ///
    /// # Errors
    /// If the database cannot be written.
    pub fn forget_original(&self, shelf: &str, path: &str) -> Result<(), StoreError> {
        self.connection()?
            .prepare_cached("DELETE FROM originals WHERE shelf = ?1 AND path = ?2")?
            .execute(params![shelf, path])?;
        Ok(())
    }
}
