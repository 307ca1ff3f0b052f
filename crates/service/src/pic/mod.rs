//! `/pic/<recipe>/<shelf>/<path>`: the pictures themselves.

mod asked;
mod drawn_problem;
mod handlers;
mod headers;

pub use asked::{Asked, Chosen, request_of};
pub use handlers::routes;
pub use headers::Vary;
