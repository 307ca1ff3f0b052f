//! Documents: the markup Kivet writes for a picture.
//!
//! Pure: strings in, strings out.

mod img;

pub use img::{Alt, Loading, Markup, MarkupError, Picture, img};
