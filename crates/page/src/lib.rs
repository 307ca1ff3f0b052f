//! Documents: the markup Kivet writes for a picture, and what pages waste.
//!
//! Pure: no I/O, no async. [`markup`] writes elements for a [`Place`]; [`observe`] works out from a page's text what
//! a browser would take and show; [`findings`] says what is wrong with an [`Observation`], measured
//! or worked out; [`report`] puts findings of several devices and runs together; [`fit_sizes`]
//! writes `sizes` for a layout.
//!
//! ```
//! use kivet_page::{Device, SourceSize, source_size};
//!
//! let phone = Device::named("phone").expect("a device");
//! assert_eq!(source_size("(max-width: 600px) 50vw, 300px", &phone), SourceSize::Pixels(206.0));
//! ```

mod device;
mod encoding;
mod findings;
mod fit;
mod fix;
pub mod learn;
mod lifetime;
mod limits;
mod loaders;
pub mod markup;
mod nesting;
pub mod observation;
mod place;
pub mod report;
mod responsive;
pub mod rewrite;
pub mod rules;
mod text;

pub use device::{DEVICES, Device};
pub use encoding::decode;
pub use findings::{Code, Cost, Finding, Fix, findings};
pub use fit::{Sample, TOLERANCE, fit_sizes};
pub use fix::Shelved;
pub use lifetime::cache_lifetime;
pub use limits::{Budget, OverLimit, PageLimits, StopOnDrop};
pub use observation::{Element, Observation, Use};
pub use place::*;
pub use responsive::*;
pub use text::{Document, TextPage, observe};

/// How Kivet names itself to the servers of pages it checks.
pub const USER_AGENT: &str = concat!("Kivet-Check/", env!("CARGO_PKG_VERSION"));
