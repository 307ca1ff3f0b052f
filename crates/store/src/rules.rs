//! The rules by which pages are rewritten.

use rusqlite::{OptionalExtension, params};

use crate::{Records, StoreError};

impl Records {
    /// The rules as JSON, if any are kept.
    ///
    /// # Errors
    /// If the database cannot be read.
    pub fn rules(&self) -> Result<Option<String>, StoreError> {
        Ok(self
            .connection()?
            .prepare_cached("SELECT document FROM rules")?
            .query_row([], |row| row.get(0))
            .optional()?)
    }

    /// Keeps rules, in the stead of those that were.
    ///
    /// # Errors
    /// If the database cannot be written.
    pub fn keep_rules(&self, document: &str) -> Result<(), StoreError> {
        self.connection()?
            .prepare_cached(
                "INSERT INTO rules (id, document) VALUES (1, ?1)
                ON CONFLICT (id) DO UPDATE SET document = ?1",
            )?
            .execute(params![document])?;
        Ok(())
    }
}
