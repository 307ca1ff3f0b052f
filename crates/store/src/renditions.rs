//! The index of renditions: which blobs there are, of which originals, and when each was last of use.

use kivet_recipe::Format;
use rusqlite::{Connection, params};
use serde::{Deserialize, Serialize};

use crate::{Records, StoreError};

/// One line of the rendition index; its blob says the same, so that the index can be made anew.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
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

/// How many renditions there are, of some sort or in all.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Held {
    /// Renditions.
    pub count: u64,
    /// Bytes of their pictures.
    pub bytes: u64,
}

/// What the index holds of one shelf in one format.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct HeldOf {
    /// The shelf.
    pub shelf: String,
    /// The format's name.
    pub format: String,
    /// How many.
    pub held: Held,
}

impl Records {
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

    /// Adds a rendition to the index, as of use now.
    ///
    /// # Errors
    /// If the database cannot be written.
    pub fn keep_rendition(&self, record: &RenditionRecord) -> Result<(), StoreError> {
        insert(&*self.connection()?, "INSERT OR REPLACE", record)
    }

    /// Lists renditions that are not listed yet.
    ///
    /// # Errors
    /// If the database cannot be written.
    pub fn list_renditions(&self, renditions: &[RenditionRecord]) -> Result<(), StoreError> {
        let mut connection = self.connection()?;
        let all = connection.transaction()?;
        for rendition in renditions {
            insert(&all, "INSERT OR IGNORE", rendition)?;
        }
        Ok(all.commit()?)
    }

    /// The keys of all renditions.
    ///
    /// # Errors
    /// If the database cannot be read.
    pub fn rendition_keys(&self) -> Result<Vec<String>, StoreError> {
        let connection = self.connection()?;
        let mut all = connection.prepare_cached("SELECT key FROM renditions")?;
        let keys = all.query_map([], |row| row.get(0))?;
        Ok(keys.collect::<Result<_, _>>()?)
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

    /// What the index holds in all.
    ///
    /// # Errors
    /// If the database cannot be read.
    pub fn held(&self) -> Result<Held, StoreError> {
        let held = self.connection()?.query_row(
            "SELECT COUNT(*), COALESCE(SUM(bytes), 0) FROM renditions",
            [],
            |row| {
                let (count, bytes): (i64, i64) = (row.get(0)?, row.get(1)?);
                Ok(Held { count: count as u64, bytes: bytes as u64 })
            },
        )?;
        Ok(held)
    }

    /// What the index holds of each shelf in each format, the most bytes first.
    ///
    /// # Errors
    /// If the database cannot be read.
    pub fn held_by_shelf(&self) -> Result<Vec<HeldOf>, StoreError> {
        let connection = self.connection()?;
        let mut sums = connection.prepare_cached(
            "SELECT shelf, format, COUNT(*), SUM(bytes) AS sum FROM renditions
                GROUP BY shelf, format ORDER BY sum DESC, shelf, format",
        )?;
        let rows = sums.query_map([], |row| {
            let (count, bytes): (i64, i64) = (row.get(2)?, row.get(3)?);
            let held = Held { count: count as u64, bytes: bytes as u64 };
            Ok(HeldOf { shelf: row.get(0)?, format: row.get(1)?, held })
        })?;
        Ok(rows.collect::<Result<_, _>>()?)
    }

    /// Says that renditions were of use at a time, in seconds since 1970.
    ///
    /// # Errors
    /// If the database cannot be written.
    pub fn used<'a>(
        &self,
        keys: impl IntoIterator<Item = &'a str>,
        at: i64,
    ) -> Result<(), StoreError> {
        let mut connection = self.connection()?;
        let all = connection.transaction()?;
        {
            let mut one =
                all.prepare_cached("UPDATE renditions SET used_at = ?2 WHERE key = ?1")?;
            for key in keys {
                one.execute(params![key, at])?;
            }
        }
        Ok(all.commit()?)
    }

    /// The renditions that were of use the longest ago, at most `limit`: key, bytes, and when.
    ///
    /// # Errors
    /// If the database cannot be read.
    pub fn least_recently_used(&self, limit: usize) -> Result<Vec<(String, u64, i64)>, StoreError> {
        let connection = self.connection()?;
        let mut found = connection.prepare_cached(
            "SELECT key, bytes, used_at FROM renditions ORDER BY used_at, key LIMIT ?1",
        )?;
        let rows = found.query_map(params![limit as i64], |row| {
            let bytes: i64 = row.get(1)?;
            Ok((row.get(0)?, bytes as u64, row.get(2)?))
        })?;
        Ok(rows.collect::<Result<_, _>>()?)
    }

    /// Takes renditions off the index.
    ///
    /// # Errors
    /// If the database cannot be written.
    pub fn forget_renditions<'a>(
        &self,
        keys: impl IntoIterator<Item = &'a str>,
    ) -> Result<(), StoreError> {
        let mut connection = self.connection()?;
        let all = connection.transaction()?;
        {
            let mut one = all.prepare_cached("DELETE FROM renditions WHERE key = ?1")?;
            for key in keys {
                one.execute(params![key])?;
            }
        }
        Ok(all.commit()?)
    }
}

fn insert(
    connection: &Connection,
    verb: &str,
    rendition: &RenditionRecord,
) -> Result<(), StoreError> {
    let RenditionRecord { key, shelf, path, recipe, format, width, height, bytes, family } =
        rendition;
    connection
        .prepare_cached(&format!(
            "{verb} INTO renditions
                (key, shelf, path, recipe, format, width, height, bytes, family, used_at)
                VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, unixepoch())"
        ))?
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
