//! `/api/checks`: records of page checks, and checks made from here.

mod answers;
mod handlers;

pub use answers::{CheckedPage, Kept};
pub use handlers::routes;
