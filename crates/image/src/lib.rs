//! Pixels: what a file holds, and renditions made of it.
//!
//! Pure functions over bytes: no I/O, no async, no globals. Codecs come from libraries; the work
//! between decoding and encoding (linear light, cropping, resampling, compositing) is our own.
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
//! [`probe`] reads facts without decoding pixels, [`render`] follows a
//! [`Choice`](kivet_recipe::Choice), [`encode`] writes one [`Raster`].

mod analysis;
mod colour;
mod decode;
mod encode;
mod error;
mod filter;
mod first;
mod guarded;
mod limits;
mod metadata;
mod overlay;
mod probe;
mod raster;
mod reduction;
mod render;
mod resample;
mod riff;
mod score;
mod svg;

pub use analysis::{analyse, analyse_small, find_trim_box, kind};
pub use decode::{Reading, RowSource, open, reduction_for};
pub use encode::{Writing, encode, encoder_revision, write};
pub use error::ImageError;
pub use first::{FirstEncode, encode_first, encode_near, try_setting};
pub use limits::{Limits, Work};
pub use metadata::{Credit, Kept, Metadata, credit, kept, metadata, without_location};
pub use overlay::{Assets, Overlay};
pub use probe::probe;
pub use raster::Raster;
pub use reduction::Reduction;
pub use render::{Rendition, Task, Timings, draw, draw_edited, render};
pub(crate) use render::{draw_plan, redraw, redraw_turned};
pub use resample::resample;
pub(crate) use resample::resampled;
pub use score::{Probe, Reference};
pub use svg::{Fonts, ReplacedFont, replaced_fonts};

/// True if this build reads and writes JPEG XL.
pub const JXL: bool = cfg!(feature = "jxl");

/// Those of `formats` that this build writes.
#[cfg(test)]
fn written<const N: usize>(formats: [kivet_recipe::Format; N]) -> Vec<kivet_recipe::Format> {
    formats.into_iter().filter(|format| JXL || *format != kivet_recipe::Format::Jxl).collect()
}
