//! How results and failures are printed.

use std::io::{ErrorKind, Write};

use anyhow::Result;
use serde::Serialize;
use tracing_subscriber::EnvFilter;

/// Prints `result` as JSON, or as `text` says. That a reader has gone away (`| head`, a closed
/// terminal) is not an error: a service must not end because its output is closed.
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

/// Shows what libraries warn of on standard error, a line each.
pub fn show_warnings() {
    let lines = tracing_subscriber::fmt().without_time().with_target(false).with_ansi(false);
    let filter = EnvFilter::try_from_env("KIVET_LOG")
        .unwrap_or_else(|_| EnvFilter::new("error,kivet_browser=warn"));
    // A service in the same process may have set up its own log.
    let _ = lines.with_env_filter(filter).with_writer(std::io::stderr).try_init();
}

/// A number of things for people: `1 page`, `2 pages`.
pub fn count(number: usize, thing: &str) -> String {
    let end = if number == 1 { "" } else { "s" };
    format!("{number} {thing}{end}")
}

/// A number of bytes for people.
pub fn bytes(count: u64) -> String {
    if count >= 1_000_000_000 {
        return format!("{:.1} GB", count as f64 / 1e9);
    }
    kivet_recipe::Bytes::new(count).to_string()
}
