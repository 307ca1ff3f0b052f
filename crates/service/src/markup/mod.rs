//! `/api/markup`: the markup for pictures in a place, and what a place would do.

mod handlers;
mod order;
mod preview;
mod responses;

pub use handlers::routes;
pub use order::MarkupOrder;
pub use responses::{LadderResponse, MarkupResponse, PictureMarkup};
