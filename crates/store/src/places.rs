//! Places, and the ladders that they offer of originals.

use rusqlite::{OptionalExtension, params};

use crate::{Records, StoreError};

/// A place as it is kept.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct PlaceRecord {
    /// Its name.
    pub name: String,
    /// Counts its changes, from 1. It never falls, not even when a place is removed and made again.
    pub revision: i64,
    /// The place as JSON.
    pub document: String,
}

impl Records {
    /// All places, by name.
    ///
    /// # Errors
    /// If the database cannot be read.
    pub fn places(&self) -> Result<Vec<PlaceRecord>, StoreError> {
        let connection = self.connection()?;
        let mut statement = connection.prepare_cached(
            "SELECT name, revision, document FROM places WHERE document <> '' ORDER BY name",
        )?;
        let rows = statement.query_map([], |row| {
            Ok(PlaceRecord { name: row.get(0)?, revision: row.get(1)?, document: row.get(2)? })
        })?;
        Ok(rows.collect::<Result<_, _>>()?)
    }

    /// Keeps places by name and document, all or none; one that changed gets another revision, and
    /// its ladders go.
    ///
    /// # Errors
    /// If the database cannot be written.
    pub fn keep_places(&self, places: &[(String, String)]) -> Result<(), StoreError> {
        let mut connection = self.connection()?;
        let transaction = connection.transaction()?;
        for (name, document) in places {
            let changed = transaction
                .prepare_cached(
                    "INSERT INTO places (name, revision, document) VALUES (?1, 1, ?2)
                    ON CONFLICT (name) DO UPDATE SET revision = revision + 1, document = ?2
                    WHERE document <> ?2",
                )?
                .execute(params![name, document])?;
            if changed > 0 {
                transaction
                    .prepare_cached("DELETE FROM ladders WHERE place = ?1")?
                    .execute(params![name])?;
            }
        }
        Ok(transaction.commit()?)
    }

    /// Removes a place; false if there is none of that name. Its revision stays, so that one made
    /// again is not taken for it.
    ///
    /// # Errors
    /// If the database cannot be written.
    pub fn remove_place(&self, name: &str) -> Result<bool, StoreError> {
        let mut connection = self.connection()?;
        let transaction = connection.transaction()?;
        let removed = transaction
            .prepare_cached("UPDATE places SET document = '' WHERE name = ?1 AND document <> ''")?
            .execute(params![name])?;
        transaction
            .prepare_cached("DELETE FROM ladders WHERE place = ?1")?
            .execute(params![name])?;
        transaction.commit()?;
        Ok(removed > 0)
    }

    /// What a place offers of the original with this hash, as JSON, if that was kept.
    ///
    /// # Errors
    /// If the database cannot be read.
    pub fn offered(&self, place: &str, hash: &str) -> Result<Option<String>, StoreError> {
        Ok(self
            .connection()?
            .prepare_cached("SELECT offered FROM ladders WHERE place = ?1 AND hash = ?2")?
            .query_row(params![place, hash], |row| row.get(0))
            .optional()?)
    }

    /// Stores what a layout that belongs to no stored place offers of an original, unless that is
    /// stored already.
    ///
    /// # Errors
    /// If the database cannot be written.
    pub fn keep_offered_once(
        &self,
        layout: &str,
        hash: &str,
        offered: &str,
    ) -> Result<(), StoreError> {
        self.connection()?
            .prepare_cached(
                "INSERT OR IGNORE INTO ladders (place, hash, offered) VALUES (?1, ?2, ?3)",
            )?
            .execute(params![layout, hash, offered])?;
        Ok(())
    }

    /// Keeps what a place at `revision` offers of an original; nothing if the place has changed
    /// since.
    ///
    /// # Errors
    /// If the database cannot be written.
    pub fn keep_offered(
        &self,
        place: &str,
        revision: i64,
        hash: &str,
        offered: &str,
    ) -> Result<(), StoreError> {
        self.connection()?
            .prepare_cached(
                "INSERT OR REPLACE INTO ladders (place, hash, offered)
                SELECT ?1, ?3, ?4 FROM places WHERE name = ?1 AND revision = ?2",
            )?
            .execute(params![place, revision, hash, offered])?;
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_changed_place_drops_its_ladders_and_its_revision_never_falls() {
        let folder = tempfile::tempdir().expect("a folder");
        let records = Records::open(&folder.path().join("records.db")).expect("opened");
        let keep = |document: &str| {
            let place = [("card".to_owned(), document.to_owned())];
            records.keep_places(&place).expect("kept");
            records.places().expect("asked").pop().expect("one").revision
        };
        assert_eq!((keep("{}"), keep("{}")), (1, 1));
        records.keep_offered("card", 1, "aa", "[]").expect("kept");
        assert_eq!(
            (keep("{}"), records.offered("card", "aa").expect("asked")),
            (1, Some("[]".to_owned()))
        );
        assert_eq!((keep("{ }"), records.offered("card", "aa").expect("asked")), (2, None));
        records.keep_offered("card", 1, "aa", "[]").expect("too late");
        assert_eq!(records.offered("card", "aa").expect("asked"), None);
        assert!(records.remove_place("card").expect("removed"));
        assert!(!records.remove_place("card").expect("gone"));
        assert_eq!((records.places().expect("asked").len(), keep("{}")), (0, 3));
    }
}
