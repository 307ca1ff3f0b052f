//! `/api/markup`: the markup for a picture in a layout.

mod answers;
mod handlers;

pub use answers::MarkupAnswer;
pub use handlers::routes;
