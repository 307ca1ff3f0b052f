//! Alternative texts: what stands in for an original where it cannot be seen, per language, and per
//! place where one use needs other words.

use rusqlite::params;

use crate::{Records, StoreError};

/// One text.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct AltRecord {
    /// The language as HTML's `lang` has it; empty for any.
    pub language: String,
    /// The place it is for; empty for all.
    pub place: String,
    /// The text; empty if the picture is decorative.
    pub text: String,
}

impl Records {
    /// All texts of an original.
    ///
    /// # Errors
    /// If the database cannot be read.
    pub fn alts(&self, shelf: &str, path: &str) -> Result<Vec<AltRecord>, StoreError> {
        let connection = self.connection()?;
        let mut statement = connection.prepare_cached(
            "SELECT language, place, text FROM alts WHERE shelf = ?1 AND path = ?2
            ORDER BY place, language",
        )?;
        let rows = statement.query_map(params![shelf, path], |row| {
            Ok(AltRecord { language: row.get(0)?, place: row.get(1)?, text: row.get(2)? })
        })?;
        Ok(rows.collect::<Result<_, _>>()?)
    }

    /// Keeps a text in place of the one for the same language and place.
    ///
    /// # Errors
    /// If the database cannot be written.
    pub fn keep_alt(&self, shelf: &str, path: &str, alt: &AltRecord) -> Result<(), StoreError> {
        let AltRecord { language, place, text } = alt;
        self.connection()?
            .prepare_cached(
                "INSERT OR REPLACE INTO alts (shelf, path, language, place, text)
                VALUES (?1, ?2, ?3, ?4, ?5)",
            )?
            .execute(params![shelf, path, language, place, text])?;
        Ok(())
    }

    /// Removes the text for a language and place; false if there is none.
    ///
    /// # Errors
    /// If the database cannot be written.
    pub fn remove_alt(
        &self,
        shelf: &str,
        path: &str,
        language: &str,
        place: &str,
    ) -> Result<bool, StoreError> {
        let removed = self
            .connection()?
            .prepare_cached(
                "DELETE FROM alts WHERE shelf = ?1 AND path = ?2 AND language = ?3 AND place = ?4",
            )?
            .execute(params![shelf, path, language, place])?;
        Ok(removed > 0)
    }
}
