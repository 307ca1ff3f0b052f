//! `/api/rules`: which pictures of a site's pages belong to which place.

mod handlers;
mod kept;

pub use handlers::routes;
pub use kept::{kept, read};
