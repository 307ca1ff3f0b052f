//! What is under way: a line with page, device and time left on a terminal, a line a page elsewhere.

use std::{
    collections::BTreeSet,
    io::IsTerminal,
    sync::Mutex,
    time::{Duration, Instant},
};

use anyhow::{Context, Result};
use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use kivet_check::Progress;

/// Shows progress on standard error.
pub struct Bar {
    line: ProgressBar,
    begun: Instant,
    /// Pages named so far, where no terminal shows the line.
    named: Option<Mutex<BTreeSet<String>>>,
}

impl Bar {
    /// A line for so many pages.
    pub fn new(pages: usize) -> Result<Self> {
        let line = ProgressBar::hidden();
        let is_terminal = std::io::stderr().is_terminal();
        if is_terminal {
            let style = ProgressStyle::with_template("{pos} of {len} pages  {wide_msg}");
            line.set_style(style.context("a progress line")?);
            line.set_length(pages as u64);
            line.set_draw_target(ProgressDrawTarget::stderr());
            line.enable_steady_tick(Duration::from_millis(200));
        }
        let named = (!is_terminal && pages > 1).then(Mutex::default);
        Ok(Self { line, begun: Instant::now(), named })
    }

    pub fn show(&self, progress: &Progress<'_>) {
        let Progress { done, of, page, device } = *progress;
        if let Some(named) = &self.named {
            let Ok(mut named) = named.lock() else { return };
            if named.insert(page.to_owned()) {
                eprintln!("page {} of {of}: {page}", named.len());
            }
        }
        let left = (done > 0).then(|| {
            let each = self.begun.elapsed().as_secs_f64() / done as f64;
            format!(", {:.0} s left", each * (of - done) as f64)
        });
        self.line.set_position(done as u64);
        self.line.set_message(format!("{page} on the {device}{}", left.unwrap_or_default()));
    }

    pub fn clear(&self) {
        self.line.finish_and_clear();
    }
}
