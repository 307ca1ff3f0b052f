//! Documents: the markup Kivet writes for a picture.
//!
//! Pure: strings in, strings out.

mod device;
mod findings;
mod img;
pub mod observation;
mod responsive;

pub use device::{DEVICES, Device};
pub use findings::{Code, Cost, Finding, findings};
pub use img::{Alt, Loading, Markup, MarkupError, Picture, img};
pub use observation::{Element, Observation, Use};
pub use responsive::*;
