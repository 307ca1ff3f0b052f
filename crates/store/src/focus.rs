//! The focal point marked on an original. It stays when the file is replaced.

use kivet_recipe::Position;
use rusqlite::{OptionalExtension, params};

use crate::{Records, StoreError};

impl Records {
    /// The focus of an original, if it has one.
    ///
    /// # Errors
    /// If the database cannot be read.
    pub fn focus(&self, shelf: &str, path: &str) -> Result<Option<Position>, StoreError> {
        let row: Option<(u8, u8)> = self
            .connection()?
            .prepare_cached("SELECT x, y FROM focus WHERE shelf = ?1 AND path = ?2")?
            .query_row(params![shelf, path], |row| Ok((row.get(0)?, row.get(1)?)))
            .optional()?;
        Ok(row.and_then(|(x, y)| Position::new(x, y)))
    }

    /// Sets the focus of an original, or takes it away.
    ///
    /// # Errors
    /// If the database cannot be written.
    pub fn set_focus(
        &self,
        shelf: &str,
        path: &str,
        focus: Option<Position>,
    ) -> Result<(), StoreError> {
        let connection = self.connection()?;
        match focus {
            Some(focus) => {
                let (x, y) = focus.percents();
                connection
                    .prepare_cached(
                        "INSERT OR REPLACE INTO focus (shelf, path, x, y) VALUES (?1, ?2, ?3, ?4)",
                    )?
                    .execute(params![shelf, path, x, y])?
            }
            None => connection
                .prepare_cached("DELETE FROM focus WHERE shelf = ?1 AND path = ?2")?
                .execute(params![shelf, path])?,
        };
        Ok(())
    }
}
