//! `/api/rewrite`: a page or stylesheet in, the same with Kivet's markup out.

mod handlers;
mod linked;
mod locate;
mod order;
mod pictures;
mod responses;
mod sheet;

pub use handlers::routes;
pub use order::RewriteOrder;
pub use responses::{PictureChange, RewriteResponse, RuleVerdict};
