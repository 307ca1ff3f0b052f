//! What can go wrong between us and the browser.

use chromiumoxide::error::CdpError;

/// A browser that cannot be started or asked.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum BrowserError {
    /// No Chromium is installed where it is looked for.
    #[error(
        "no Chromium was found on this machine; install Debian's package `chromium`, name one with --browser, or read pages with --text"
    )]
    NotFound,
    /// It could not be started.
    #[error("Chromium could not be started: {0}")]
    NotStarted(String),
    /// Its process ended while it was in use.
    #[error("Chromium ended before it was done; it was killed, or the machine ran out of memory")]
    Ended,
    /// It did not do as told.
    #[error("Chromium failed")]
    Failed(#[source] CdpError),
    /// A page could not be had.
    #[error("{url} {problem}")]
    NoPage {
        /// The page.
        url: String,
        /// What came instead.
        problem: String,
    },
    /// A page's script answered something else than was asked for.
    #[error("a script's answer cannot be read")]
    Unreadable(#[from] serde_json::Error),
}

impl From<CdpError> for BrowserError {
    fn from(error: CdpError) -> Self {
        match error {
            CdpError::ChannelSendError(_) => Self::Ended,
            error => Self::Failed(error),
        }
    }
}
