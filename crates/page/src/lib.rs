//! Documents: the markup Kivet writes for a picture.
//!
//! Pure: strings in, strings out.

mod device;
mod img;
mod responsive;

pub use device::{DEVICES, Device};
pub use img::{Alt, Loading, Markup, MarkupError, Picture, img};
pub use responsive::*;
