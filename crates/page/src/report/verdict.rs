//! What of a report fails, in words for people and for every form alike.

use super::{Budget, PageReport, Report, ReportedFinding};
use crate::Code;

/// What a report fails by.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Verdict {
    /// Findings that fail it, by page and key.
    findings: Vec<(String, Code, String)>,
    /// Limits that pages break, by page.
    pub limits: Vec<(String, String)>,
}

impl Verdict {
    /// What breaks a budget, and what a baseline does not have.
    pub fn new(
        report: &Report,
        budget: Option<&Budget>,
        beyond: &[(String, ReportedFinding)],
    ) -> Self {
        let mut verdict = Self::default();
        for (page, finding) in report.findings() {
            let new =
                beyond.iter().any(|(name, one)| *name == page.page && one.key() == finding.key());
            if new || budget.is_some_and(|budget| budget.forbids(finding.code)) {
                let (code, path) = finding.key();
                verdict.findings.push((page.page.clone(), code, path.to_owned()));
            }
        }
        verdict.limits = budget.map_or(Vec::new(), |budget| budget.limits_broken_by(report));
        verdict
    }

    /// True if nothing fails.
    pub fn is_good(&self) -> bool {
        self.findings.is_empty() && self.limits.is_empty()
    }

    /// True if this finding fails.
    pub fn fails(&self, page: &PageReport, finding: &ReportedFinding) -> bool {
        let (code, path) = finding.key();
        self.findings
            .iter()
            .any(|(name, known, at)| *name == page.page && *known == code && at == path)
    }

    /// Every failure as a sentence.
    pub fn said(&self, report: &Report) -> Vec<String> {
        let failing = report.findings().filter(|(page, finding)| self.fails(page, finding));
        let findings = failing.map(|(page, finding)| {
            let line = finding.element.line.map_or(String::new(), |line| format!(":{line}"));
            format!("{}{line}: {} at {}", page.page, finding.code, finding.element.selector)
        });
        let limits = self.limits.iter().map(|(page, text)| format!("{page}: {text}"));
        findings.chain(limits).collect()
    }
}
