//! Reading a report's JSON, whichever version wrote it.

use serde_json::Value;

use super::{Report, VERSION};

/// Why a text is not taken as a report.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum ReportError {
    /// It is not a report's JSON.
    #[error("not a report of `kivet check`; write one with --report FILE.json")]
    NotAReport(#[source] serde_json::Error),
    /// It was written by an earlier or a later version of Kivet.
    #[error(
        "a report of version {found}, and this Kivet reads version {VERSION}; check the pages again with `kivet check TARGET --report FILE.json`"
    )]
    OtherVersion {
        /// The version it states.
        found: u64,
    },
}

impl Report {
    /// Reads the JSON of a report.
    ///
    /// # Errors
    /// If it is not a report, or one of another version.
    pub fn from_json(text: &str) -> Result<Self, ReportError> {
        let json: Value = serde_json::from_str(text).map_err(ReportError::NotAReport)?;
        match json.get("version").and_then(Value::as_u64) {
            Some(found) if found != u64::from(VERSION) => Err(ReportError::OtherVersion { found }),
            _ => serde_json::from_value(json).map_err(ReportError::NotAReport),
        }
    }
}
