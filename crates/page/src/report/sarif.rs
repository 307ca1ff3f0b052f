//! SARIF 2.1.0 (OASIS), which code hosts and editors show beside the source.

use serde_json::{Value, json};

use super::{Report, ReportedFinding, Verdict};
use crate::Code;

/// Above this many bytes or milliseconds a finding is a warning, else a note.
const WARNING_BYTES: u64 = 20_000;
const WARNING_MS: f64 = 100.0;

/// The rule that limits on measures are reported by.
const LIMIT: &str = "limit";

impl Report {
    /// This report as a SARIF log: what `verdict` fails is an error.
    pub fn to_sarif(&self, verdict: &Verdict) -> String {
        let rule =
            |id: &str, title: &str| json!({ "id": id, "shortDescription": { "text": title } });
        let rules: Vec<Value> = Code::ALL
            .iter()
            .map(|code| rule(code.as_str(), code.title()))
            .chain([rule(LIMIT, "a measure is above its limit")])
            .collect();
        let findings = self
            .findings()
            .map(|(page, finding)| result(&page.page, finding, verdict.fails(page, finding)));
        let limits = verdict.limits.iter().map(|(page, text)| {
            json!({
                "ruleId": LIMIT,
                "ruleIndex": Code::ALL.len(),
                "level": "error",
                "message": { "text": text },
                "locations": [{ "physicalLocation": { "artifactLocation": { "uri": page } } }],
            })
        });
        let results: Vec<Value> = findings.chain(limits).collect();
        let log = json!({
            "$schema": "https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json",
            "version": "2.1.0",
            "runs": [{
                "tool": { "driver": { "name": "Kivet", "version": self.kivet, "rules": rules } },
                "results": results,
                "invocations": [{
                    "executionSuccessful": self.failures.is_empty(),
                    "toolExecutionNotifications": self.failures.iter().map(|failure| json!({
                        "level": "error",
                        "message": { "text": format!("{}: {}", failure.page, failure.problem) },
                    })).collect::<Vec<_>>(),
                }],
            }],
        });
        format!("{log:#}")
    }
}

fn result(page: &str, finding: &ReportedFinding, fails: bool) -> Value {
    let index = Code::ALL.iter().position(|code| *code == finding.code);
    let mut place = json!({ "artifactLocation": { "uri": page } });
    if let Some(line) = finding.element.line {
        place["region"] = json!({ "startLine": line });
    }
    let heavy = finding.bytes() >= WARNING_BYTES || finding.ms() >= WARNING_MS;
    let level = match (fails, heavy || finding.code == Code::BrokenPicture) {
        (true, _) => "error",
        (false, true) => "warning",
        (false, false) => "note",
    };
    json!({
        "ruleId": finding.code.as_str(),
        "ruleIndex": index,
        "level": level,
        "message": { "text": format!("{}. Fix: {}", finding.why, finding.fix) },
        "locations": [{
            "physicalLocation": place,
            "logicalLocations": [{ "fullyQualifiedName": finding.element.selector, "kind": "element" }],
        }],
        "partialFingerprints": { "element/v1": format!("{}:{}", finding.code, finding.element.path) },
        "properties": { "bytes": finding.bytes(), "milliseconds": finding.ms() },
    })
}
