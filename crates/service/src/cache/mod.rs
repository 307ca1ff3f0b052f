//! What is kept of renditions: `/api/cache`.

mod handlers;
mod responses;

pub use handlers::routes;
pub use responses::{CacheResponse, CachedGroup};
