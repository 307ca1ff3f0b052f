//! What Kivet remembers: records in SQLite ([`Records`]) and rendition bytes in a blob store
//! ([`Blobs`]).
//!
//! Every blob carries its own header, so the index of renditions can be rebuilt from blobs alone.

mod alts;
mod at_hand;
mod backups;
mod blobs;
mod checks;
mod curves;
mod error;
mod focus;
mod inspect;
mod originals;
mod patience;
mod places;
mod records;
mod recovery;
mod reductions;
mod renditions;
mod rules;
mod schema;

pub use alts::AltRecord;
pub use backups::{Backup, Backups, Rows};
pub use blobs::{Blob, BlobHeader, Blobs, Stage, etag_of};
pub use checks::CheckRecord;
pub use error::StoreError;
pub use originals::{OriginalRecord, Stamp};
pub use places::PlaceRecord;
pub use records::Records;
pub use recovery::Recovery;
pub use reductions::Reductions;
pub use renditions::{Held, HeldOf, RenditionRecord};
