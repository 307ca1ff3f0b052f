//! A line that says what is under way, on a terminal.

use std::{io::IsTerminal, time::Duration};

use anyhow::{Context, Result};
use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use kivet_check::Progress;

/// A line with page and device; nothing where nobody looks.
pub struct Bar(ProgressBar);

impl Bar {
    /// A line for so many pages.
    pub fn new(pages: usize) -> Result<Self> {
        let bar = ProgressBar::hidden();
        if std::io::stderr().is_terminal() {
            bar.set_draw_target(ProgressDrawTarget::stderr());
            bar.set_length(pages as u64);
            let style = ProgressStyle::with_template("{pos} of {len} pages  {wide_msg}");
            bar.set_style(style.context("a progress line")?);
            bar.enable_steady_tick(Duration::from_millis(200));
        }
        Ok(Self(bar))
    }

    pub fn show(&self, progress: &Progress<'_>) {
        self.0.set_position(progress.done as u64);
        self.0.set_message(format!("{} on the {}", progress.page, progress.device));
    }

    pub fn clear(&self) {
        self.0.finish_and_clear();
    }
}
