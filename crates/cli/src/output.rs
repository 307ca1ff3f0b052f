//! How results and failures are printed.

use std::io::{ErrorKind, Write};

use anyhow::Result;
use serde::Serialize;

/// Prints `result` as JSON, or as `text` says. A reader who has gone away (`| head`, a closed terminal) is no failure:
/// a service must not end because its output is closed.
pub fn print<T: Serialize>(json: bool, result: &T, text: impl FnOnce(&T) -> String) -> Result<()> {
    let text = if json { serde_json::to_string_pretty(result)? } else { text(result) };
    match writeln!(std::io::stdout(), "{}", text.trim_end()) {
        Err(error) if error.kind() != ErrorKind::BrokenPipe => Err(error.into()),
        _ => Ok(()),
    }
}

/// Prints an error with what led to it.
pub fn failure(error: &anyhow::Error, json: bool) {
    if json {
        eprintln!("{}", serde_json::json!({ "error": format!("{error:#}") }));
    } else {
        eprintln!("kivet: {error:#}");
    }
}

/// A number of bytes for people: three digits at most, in units of a thousand.
pub fn bytes(count: u64) -> String {
    match count {
        0..1_000 => format!("{count} B"),
        1_000..100_000 => format!("{:.1} kB", count as f64 / 1e3),
        100_000..1_000_000 => format!("{:.0} kB", count as f64 / 1e3),
        _ => format!("{:.2} MB", count as f64 / 1e6),
    }
}

#[cfg(test)]
mod tests {
    #[test]
    fn bytes_are_short() {
        let short: Vec<String> = [999, 1_500, 123_456, 2_345_678].map(super::bytes).to_vec();
        assert_eq!(short, ["999 B", "1.5 kB", "123 kB", "2.35 MB"]);
    }
}
