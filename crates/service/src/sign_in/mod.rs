//! Who may administer: the holder of the token in the data folder, or of a cookie got through a
//! single-use link.

mod guard;
mod handlers;
mod sessions;

pub use guard::{Admin, LocalOrAdmin, OnAdminListener};
pub use handlers::{SignInLink, routes};
pub use sessions::{COOKIE as SESSION_COOKIE, SignIn, TOKEN_FILE};
