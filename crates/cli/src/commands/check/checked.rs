//! What came of a check, as JSON has it.

use kivet_page::report::{Comparison, Report, ReportedFinding};
use serde::Serialize;

/// What `--json` prints.
#[derive(Serialize)]
#[serde(rename_all = "camelCase")]
pub struct Checked {
    #[serde(flatten)]
    pub report: Report,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub against: Option<Comparison>,
    /// Findings the baseline does not have.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub new_waste: Option<Vec<ReportedFinding>>,
    /// What `--fail-on` and `--baseline` fail it by.
    pub failed: Vec<String>,
}
