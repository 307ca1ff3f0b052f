//! Who may administer: the holder of the token in the data folder, or of a cookie got through a single-use link.

mod handlers;
mod sessions;

pub use handlers::{Admin, SignInLink, is_local, routes};
pub use sessions::SignIn;
