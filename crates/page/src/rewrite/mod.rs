//! Pages rewritten to Kivet's markup by [`Rules`](crate::rules::Rules).
//!
//! Three steps, so that whoever knows the originals can be asked in between, and nothing but what
//! is meant changes: [`scan`] reads the page, [`plan`] says what each picture is to become, and
//! [`edits`] are the bytes that change. [`splice`] makes them; all else stays as it was.

mod address;
mod css;
mod edit;
mod found;
mod lighter;
mod picture;
mod plan;
mod scan;
mod tag;
#[cfg(test)]
mod tests;

pub use address::Address;
pub use css::{FoundBackground, backgrounds, imports};
pub use edit::{Edit, splice};
pub use found::{Found, FoundPicture, Scan};
pub use lighter::without_heavier;
pub use picture::{Decided, edits, sheet_edits};
pub use plan::{Fate, Loadings, Stays, Wanted, full_size, plan};
pub use scan::{scan, scan_within};

use crate::OverLimit;

/// A page that cannot be rewritten.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum RewriteError {
    /// UTF-16, which the web's standards let no editor write.
    #[error("the page is in UTF-16; save it as UTF-8")]
    Encoding,
    /// The reader gave up.
    #[error("the page cannot be read: {0}")]
    Unreadable(String),
    /// It exceeds a limit.
    #[error("the page is not rewritten: {0}")]
    OverLimit(#[from] OverLimit),
}
