//! `/pic/<recipe>/<shelf>/<path>`: the pictures themselves.

mod handlers;
mod headers;

pub use handlers::routes;
