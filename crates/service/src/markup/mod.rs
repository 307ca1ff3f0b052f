//! `/api/markup`: the markup for pictures in a place.

mod handlers;
mod order;
mod responses;

pub use handlers::routes;
pub use order::MarkupOrder;
pub use responses::{LadderResponse, MarkupResponse, PictureMarkup};
