//! What every handler shares.

use std::sync::Arc;

use kivet_recipe::{Access, Policy};
use kivet_store::Records;

use crate::{
    metrics::Metrics, pipeline::Pipeline, places::Places, shelves::Shelves, sign_in::SignIn,
};

/// The service's parts. Cheap to clone.
#[derive(Clone)]
pub struct App {
    /// Where originals live.
    pub shelves: Shelves,
    /// Where in layouts pictures appear.
    pub places: Places,
    /// Where renditions come from.
    pub pipeline: Pipeline,
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
    /// The off switch.
    pub plain: bool,
}
