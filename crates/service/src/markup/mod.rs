//! `/api/markup`: the markup for a picture in a layout.

mod handlers;
mod responses;

pub use handlers::routes;
pub use responses::MarkupResponse;
