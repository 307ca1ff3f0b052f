//! JUnit XML, which continuous integration shows: a suite a page, a case a code.

use std::fmt::Write;

use super::{PageReport, Report, ReportedFinding, Verdict};
use crate::Code;

impl Report {
    /// This report as JUnit XML. Every code is a case of every page, so that what is fixed shows as
    /// passed; what `verdict` does not fail is told in the output of a case that passes.
    pub fn to_junit(&self, verdict: &Verdict) -> String {
        let mut xml = String::from(
            "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<testsuites name=\"kivet check\">\n",
        );
        for page in &self.pages {
            suite(&mut xml, page, verdict);
        }
        for failure in &self.failures {
            let (page, problem) = (escaped(&failure.page), escaped(&failure.problem));
            let _ = writeln!(
                xml,
                "  <testsuite name=\"{page}\" tests=\"1\" failures=\"0\" errors=\"1\"><testcase name=\"page\" classname=\"{page}\"><error message=\"{problem}\"/></testcase></testsuite>"
            );
        }
        xml + "</testsuites>\n"
    }
}

fn suite(xml: &mut String, page: &PageReport, verdict: &Verdict) {
    let name = escaped(&page.page);
    let limits: Vec<&str> = verdict
        .limits
        .iter()
        .filter(|(known, _)| *known == page.page)
        .map(|(_, text)| text.as_str())
        .collect();
    let fails =
        |code: &Code| page.findings.iter().any(|one| one.code == *code && verdict.fails(page, one));
    let failed =
        Code::ALL.iter().filter(|code| fails(code)).count() + usize::from(!limits.is_empty());
    // Writing to a string cannot fail.
    let _ = writeln!(
        xml,
        "  <testsuite name=\"{name}\" tests=\"{}\" failures=\"{failed}\">",
        Code::ALL.len() + 1
    );
    for code in Code::ALL {
        case(xml, page, verdict, *code);
    }
    let broken = match limits.is_empty() {
        true => String::new(),
        false => format!("<failure message=\"{}\"/>", escaped(&limits.join("; "))),
    };
    let _ = writeln!(xml, "    <testcase name=\"limits\" classname=\"{name}\">{broken}</testcase>");
    let _ = writeln!(xml, "  </testsuite>");
}

/// All findings of one code on a page.
fn case(xml: &mut String, page: &PageReport, verdict: &Verdict, code: Code) {
    let name = escaped(&page.page);
    let (failing, other): (Vec<_>, Vec<_>) = page
        .findings
        .iter()
        .filter(|one| one.code == code)
        .partition(|one| verdict.fails(page, one));
    let said = |found: &[&ReportedFinding]| {
        let lines = found.iter().map(|one| {
            let line = one.element.line.map_or(String::new(), |line| format!(" (line {line})"));
            escaped(&format!("{}{line}: {}. Fix: {}", one.element.selector, one.why, one.fix))
        });
        lines.collect::<Vec<_>>().join("\n")
    };
    if failing.is_empty() && other.is_empty() {
        let _ = writeln!(xml, "    <testcase name=\"{code}\" classname=\"{name}\"/>");
        return;
    }
    let _ = writeln!(xml, "    <testcase name=\"{code}\" classname=\"{name}\">");
    if !failing.is_empty() {
        let _ = writeln!(
            xml,
            "      <failure message=\"{}, {} times\">{}</failure>",
            escaped(code.title()),
            failing.len(),
            said(&failing)
        );
    }
    if !other.is_empty() {
        let _ = writeln!(xml, "      <system-out>{}</system-out>", said(&other));
    }
    let _ = writeln!(xml, "    </testcase>");
}

/// Text that may stand in XML; control characters have no place there at all.
pub(super) fn escaped(text: &str) -> String {
    let text: String = text.chars().filter(|c| !c.is_control() || *c == '\n').collect();
    text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;").replace('"', "&quot;")
}
