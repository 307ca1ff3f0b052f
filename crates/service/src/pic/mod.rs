//! `/pic/<recipe>/<shelf>/<path>`: the pictures themselves.

mod drawn_problem;
mod handlers;
mod headers;
mod packed;
mod range;
mod ready;
mod request;

pub use handlers::{ready, routes};
pub use headers::Vary;
pub use packed::Packed;
pub use ready::ReadyAnswers;
pub use request::{Chosen, PictureRequest, request_of};

/// How the paths of pictures begin.
const PREFIX: &str = "/pic/";
