//! `/api/checks`: records of page checks, and checks made from here.

mod handlers;
mod responses;

pub use handlers::routes;
pub use responses::{CheckedPage, Kept};
