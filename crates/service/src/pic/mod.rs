//! `/pic/<recipe>/<shelf>/<path>`: the pictures themselves.

mod compressed;
mod drawn_problem;
mod handlers;
mod headers;
mod range;
mod ready;
mod request;

pub use compressed::Compressed;
pub use handlers::{ready, routes};
pub use headers::{Vary, is_current};
pub use ready::ReadyResponses;
pub use request::{Chosen, PictureRequest, request_of};

/// How the paths of pictures begin.
const PREFIX: &str = "/pic/";
