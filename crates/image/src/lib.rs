//! Pixels: what a file holds, and renditions made of it.
//!
//! Pure functions over bytes: no I/O, no async, no globals. Codecs come from libraries; the work between decoding
//! and encoding (linear light, cropping, resampling, compositing) is our own.
//!
//! ```
//! use kivet_image::{Limits, encode, probe, Raster};
//! use kivet_recipe::{Encoding, Format, Size};
//!
//! let red = Raster::filled(Size::new(4, 3), [200, 30, 30, 255], false);
//! let png = encode(&red, Format::Png, Encoding::Lossless)?;
//! let facts = probe(&png, Limits::default())?;
//! assert_eq!((facts.format, facts.size), (Format::Png, Size::new(4, 3)));
//! # Ok::<(), kivet_image::ImageError>(())
//! ```
//!
//! [`probe`] reads facts without decoding pixels, [`render`] follows a [`Choice`](kivet_recipe::Choice),
//! [`encode`] writes one [`Raster`].

mod colour;
mod colours;
mod decode;
mod encode;
mod error;
mod limits;
mod metadata;
mod probe;
mod raster;
mod render;
mod resample;

pub use colours::few_colours;
pub use decode::{RowSource, open, reduction_for};
pub use encode::encode;
pub use error::ImageError;
pub use limits::Limits;
pub use metadata::{Metadata, metadata};
pub use probe::probe;
pub use raster::Raster;
pub use render::{Rendition, Timings, draw, render};
pub use resample::resample;
