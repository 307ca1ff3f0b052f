//! An installed Chromium driven over DevTools: what a page asks for, shows and shifts on a device.
//!
//! Used to measure pages, and by the end-to-end tests.

mod chromium;
mod device;
mod error;
mod tab;

pub use chromium::{Chromium, find};
pub use device::{DEVICES, Device};
pub use error::BrowserError;
pub use tab::{PictureRequest, Shown, Tab};
