//! What can go wrong before a check begins, and what ends the check of one page.

use std::path::PathBuf;

use kivet_browser::BrowserError;
use kivet_page::OverLimit;

/// A check that cannot be made.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum CheckError {
    /// A file that holds no HTML.
    #[error("`{0}` holds no HTML; name an HTML file, a folder of them, an address or a sitemap")]
    NotAPage(String),
    /// What was named is neither an address nor a file.
    #[error("`{0}` is neither an http URL nor a file or folder that exists")]
    NoTarget(String),
    /// A folder or sitemap names no page.
    #[error(
        "{0} has no pages in it; name a folder with .html files, or a sitemap that lists addresses"
    )]
    NoPages(String),
    /// A file cannot be read.
    #[error("cannot read {}", path.display())]
    Read {
        /// The file.
        path: PathBuf,
        /// Why.
        source: std::io::Error,
    },
    /// Something cannot be fetched.
    #[error("cannot fetch {url}: {problem}")]
    Fetch {
        /// Its address.
        url: String,
        /// Why.
        problem: String,
    },
    /// A page cannot be measured on a device.
    #[error("not measured on the {device}: {problem}; --text reads it without a browser")]
    Visit {
        /// The device's name.
        device: &'static str,
        /// Why, with the page as it was named.
        problem: String,
    },
    /// A page exceeds the limits of what is read as text.
    #[error("{page} is not read as text: {over}; a check in the browser has no such limit")]
    OverLimit {
        /// The page, as it was named.
        page: String,
        /// The limit.
        over: OverLimit,
    },
    /// Work on a page panicked.
    #[error("the work on a page panicked: {0}")]
    Panicked(String),
    /// A sitemap is none.
    #[error("{url} is not a sitemap: {problem}")]
    Sitemap {
        /// Its address or path.
        url: String,
        /// What is wrong.
        problem: String,
    },
    /// Files cannot be served to the browser.
    #[error("cannot serve files to the browser on this machine")]
    Serve(#[source] std::io::Error),
    /// The browser.
    #[error(transparent)]
    Browser(#[from] BrowserError),
}
