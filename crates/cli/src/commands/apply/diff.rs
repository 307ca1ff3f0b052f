//! What changes, as a unified diff.

use std::io::{ErrorKind, IsTerminal, Write};

use anyhow::Result;
use similar::{ChangeTag, TextDiff};

/// Prints the difference, in colour on a terminal.
pub fn print(path: &str, before: &[u8], after: &[u8]) -> Result<()> {
    let text = written(path, before, after, std::io::stdout().is_terminal());
    match std::io::stdout().write_all(text.as_bytes()) {
        Err(error) if error.kind() != ErrorKind::BrokenPipe => Err(error.into()),
        _ => Ok(()),
    }
}

/// The difference without colours.
pub fn unified(path: &str, before: &[u8], after: &[u8]) -> String {
    written(path, before, after, false)
}

fn written(path: &str, before: &[u8], after: &[u8], colour: bool) -> String {
    let (before, after) = (String::from_utf8_lossy(before), String::from_utf8_lossy(after));
    let diff = TextDiff::from_lines(before.as_ref(), after.as_ref());
    let mut text = format!("--- a/{path}\n+++ b/{path}\n");
    for hunk in diff.unified_diff().context_radius(1).iter_hunks() {
        text.push_str(&format!("{}\n", hunk.header()));
        for change in hunk.iter_changes() {
            let (sign, code) = match change.tag() {
                ChangeTag::Delete => ('-', "\x1b[31m"),
                ChangeTag::Insert => ('+', "\x1b[32m"),
                ChangeTag::Equal => (' ', ""),
            };
            let line = change.value().trim_end_matches('\n');
            let paint = colour && !code.is_empty();
            let (on, off) = if paint { (code, "\x1b[0m") } else { ("", "") };
            text.push_str(&format!("{on}{sign}{line}{off}\n"));
            if change.missing_newline() {
                text.push_str("\\ No newline at end of file\n");
            }
        }
    }
    text
}
