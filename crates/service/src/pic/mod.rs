//! `/pic/<recipe>/<shelf>/<path>`: the pictures themselves.

mod drawn_problem;
mod handlers;
mod headers;
mod range;
mod request;

pub use handlers::routes;
pub use headers::Vary;
pub use request::{Chosen, PictureRequest, request_of};
