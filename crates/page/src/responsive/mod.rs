//! What `srcset`, `sizes` and media conditions mean on a screen, by the standards browsers follow.

mod candidates;
mod length;
mod media;
mod sizes;

pub use candidates::{Candidate, Source, pick, read_srcset, source_for};
pub use length::{Basis, length};
pub use media::{is_media_condition, media_matches};
pub use sizes::{Sizes, SizesError, SourceSize, source_size};
