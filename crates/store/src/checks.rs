//! Records of page checks: what a page sent and needed each time it was looked at.

use rusqlite::{OptionalExtension, params};

use crate::{Records, StoreError};

/// One check of one page.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct CheckRecord {
    /// Its number, in the order checks were kept.
    pub id: i64,
    /// The page.
    pub page: String,
    /// When it was checked, in seconds since 1970.
    pub at: i64,
    /// `text` or `browser`.
    pub mode: String,
    /// How many findings there were.
    pub findings: u32,
    /// What each device measured, as JSON.
    pub measures: String,
}

impl Records {
    /// Keeps a check with its whole report, and answers its number.
    ///
    /// # Errors
    /// If the database cannot be written.
    pub fn keep_check(&self, check: &CheckRecord, report: &str) -> Result<i64, StoreError> {
        let CheckRecord { id: _, page, at, mode, findings, measures } = check;
        let connection = self.connection()?;
        connection
            .prepare_cached(
                "INSERT INTO checks (page, at, mode, findings, measures, report) VALUES (?1, ?2, ?3, ?4, ?5, ?6)",
            )?
            .execute(params![page, at, mode, findings, measures, report])?;
        Ok(connection.last_insert_rowid())
    }

    /// All checks, oldest first; of each page the latest `most`.
    ///
    /// # Errors
    /// If the database cannot be read.
    pub fn checks(&self, limit: u32) -> Result<Vec<CheckRecord>, StoreError> {
        let connection = self.connection()?;
        let mut statement = connection.prepare_cached(
            "SELECT id, page, at, mode, findings, measures FROM (
                SELECT *, row_number() OVER (PARTITION BY page ORDER BY id DESC) AS age FROM checks
            ) WHERE age <= ?1 ORDER BY id",
        )?;
        let rows = statement.query_map(params![limit], |row| {
            Ok(CheckRecord {
                id: row.get(0)?,
                page: row.get(1)?,
                at: row.get(2)?,
                mode: row.get(3)?,
                findings: row.get(4)?,
                measures: row.get(5)?,
            })
        })?;
        Ok(rows.collect::<Result<_, _>>()?)
    }

    /// The whole report of a check.
    ///
    /// # Errors
    /// If the database cannot be read.
    pub fn check_report(&self, id: i64) -> Result<Option<String>, StoreError> {
        let connection = self.connection()?;
        let mut statement = connection.prepare_cached("SELECT report FROM checks WHERE id = ?1")?;
        Ok(statement.query_row(params![id], |row| row.get(0)).optional()?)
    }
}
