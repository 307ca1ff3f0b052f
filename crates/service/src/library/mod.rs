//! `/api/library`: the originals and their facts.

mod answers;
mod handlers;

pub use answers::{LibraryPage, OriginalAnswer};
pub use handlers::{FocusOrder, routes};
