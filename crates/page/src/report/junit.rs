//! JUnit XML, which continuous integration shows: a suite a page, a case a code.

use std::fmt::Write;

use super::{PageReport, Report};
use crate::Code;

impl Report {
    /// This report as JUnit XML. Every code is a case of every page, so that what is fixed shows as
    /// passed.
    pub fn to_junit(&self) -> String {
        let mut xml = String::from(
            "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<testsuites name=\"kivet check\">\n",
        );
        for page in &self.pages {
            suite(&mut xml, page);
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

fn suite(xml: &mut String, page: &PageReport) {
    let name = escaped(&page.page);
    let failed =
        Code::ALL.iter().filter(|code| page.findings.iter().any(|one| one.code == **code)).count();
    // Writing to a string cannot fail.
    let _ = writeln!(
        xml,
        "  <testsuite name=\"{name}\" tests=\"{}\" failures=\"{failed}\">",
        Code::ALL.len()
    );
    for code in Code::ALL {
        let found: Vec<_> = page.findings.iter().filter(|one| one.code == *code).collect();
        if found.is_empty() {
            let _ = writeln!(xml, "    <testcase name=\"{code}\" classname=\"{name}\"/>");
            continue;
        }
        let _ = writeln!(xml, "    <testcase name=\"{code}\" classname=\"{name}\">");
        let lines: Vec<String> = found
            .iter()
            .map(|one| {
                let line = one.element.line.map_or(String::new(), |line| format!(" (line {line})"));
                escaped(&format!("{}{line}: {}. Fix: {}", one.element.selector, one.why, one.fix))
            })
            .collect();
        let title = escaped(code.title());
        let _ = writeln!(
            xml,
            "      <failure message=\"{title}, {} times\">{}</failure>",
            found.len(),
            lines.join("\n")
        );
        let _ = writeln!(xml, "    </testcase>");
    }
    let _ = writeln!(xml, "  </testsuite>");
}

/// Text that may stand in XML; control characters have no place there at all.
pub(super) fn escaped(text: &str) -> String {
    let text: String = text.chars().filter(|c| !c.is_control() || *c == '\n').collect();
    text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;").replace('"', "&quot;")
}
