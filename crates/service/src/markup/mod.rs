//! `/api/markup`: the markup for pictures in a place, and what a place would do.

mod handlers;
mod order;
mod prepared;
mod preview;
mod responses;

pub use handlers::routes;
pub use order::{MarkupOrder, read_base, read_format};
pub use prepared::{Prepared, prepared};
pub use responses::{LadderResponse, MarkupResponse, PictureMarkup};
