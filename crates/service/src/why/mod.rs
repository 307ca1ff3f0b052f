//! `/why/<recipe>/<shelf>/<path>`: what a request to the same address under `/pic/` would get, and why.

mod answers;
mod handlers;

pub use answers::WhyAnswer;
pub use handlers::routes;
