//! What every handler shares.

use std::sync::Arc;

use kivet_page::PageLimits;
use kivet_recipe::{Access, Policy};
use kivet_store::Records;

use crate::{
    metrics::Metrics,
    pic::{Compressed, ReadyResponses},
    pipeline::Pipeline,
    places::Places,
    shelves::Shelves,
    sign_in::SignIn,
};

/// The service's parts, shared: each request holds them, so that one count is all it costs.
pub type App = Arc<Parts>;

/// The service's parts.
pub struct Parts {
    /// Where originals live.
    pub shelves: Shelves,
    /// Where in layouts pictures appear.
    pub places: Places,
    /// Where renditions come from.
    pub pipeline: Pipeline,
    /// Answers that are ready.
    pub ready: ReadyResponses,
    /// Vectors under gzip.
    pub compressed: Compressed,
    /// What is remembered.
    pub records: Records,
    /// Who may look behind the scenes.
    pub sign_in: Arc<SignIn>,
    /// Counters.
    pub metrics: Metrics,
    /// What holds for all renditions.
    pub policy: Policy,
    /// Which recipes are answered.
    pub access: Arc<Access>,
    /// Limits of pages.
    pub page_limits: PageLimits,
    /// The off switch.
    pub plain: bool,
}
