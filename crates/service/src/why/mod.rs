//! `/why/<recipe>/<shelf>/<path>`: what a request to the same address under `/pic/` would get, and
//! why.

mod handlers;
mod responses;

pub use handlers::routes;
pub use responses::{ReadyRendition, WhyResponse};
