//! `/api/library`: the originals and their facts.

mod handlers;
mod responses;

pub use handlers::{FocusOrder, routes};
pub use responses::{LibraryPage, OriginalResponse};
