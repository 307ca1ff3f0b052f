//! Documents: the markup Kivet writes for a picture.
//!
//! Pure: strings in, strings out.

mod device;
mod findings;
mod fit;
mod img;
mod lifetime;
pub mod observation;
pub mod report;
mod responsive;
mod text;

pub use device::{DEVICES, Device};
pub use findings::{Code, Cost, Finding, findings};
pub use fit::{Sample, TOLERANCE, fit_sizes};
pub use img::{Alt, Loading, Markup, MarkupError, Picture, img};
pub use lifetime::cache_lifetime;
pub use observation::{Element, Observation, Use};
pub use responsive::*;
pub use text::{Document, TextPage, observe};

/// How Kivet names itself to the servers of pages it checks.
pub const USER_AGENT: &str = concat!("Kivet-Check/", env!("CARGO_PKG_VERSION"));
