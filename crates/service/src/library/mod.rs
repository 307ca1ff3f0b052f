//! `/api/library`: the originals, their facts and what people say of them.

mod alts;
mod describe;
mod export;
mod handlers;
mod responses;

pub use alts::{AltChoice, AltOrder, alt_for};
pub use export::ExportOrder;
pub use handlers::{FocusOrder, routes};
pub use responses::{AltResponse, LibraryPage, OriginalResponse};
