//! An installed Chromium driven over DevTools: what a page asks for, shows and shifts on a device.
//!
//! Used to measure pages, and by the end-to-end tests.

mod boxes;
mod chromium;
mod error;
mod layout;
mod tab;
mod traffic;
mod visit;

pub use boxes::{FittedBox, PictureAt, TrialPicture};
pub use chromium::{Chromium, find};
pub use error::BrowserError;
pub use kivet_page::{DEVICES, Device};
pub use layout::{PageLayout, Rectangle, ShownPicture};
pub use tab::{Shown, Tab};
pub use visit::{Visit, VisitOptions};
