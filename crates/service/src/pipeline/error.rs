//! Why no rendition could be made.

use std::sync::Arc;

use kivet_image::ImageError;
use kivet_store::StoreError;

use crate::{
    blocking::Panicked,
    queue::QueueFull,
    shelves::{Original, ShelfUnavailable},
};

/// Why no rendition could be made.
#[derive(Clone, Debug, thiserror::Error)]
#[non_exhaustive]
pub enum PipelineError {
    /// The picture cannot be decoded or encoded.
    #[error("the original `{id}`")]
    Image {
        /// The original.
        id: String,
        /// Why.
        source: ImageError,
    },
    /// Too many renditions are waiting to be made.
    #[error(transparent)]
    Overloaded(#[from] QueueFull),
    /// The shelf is not there at the moment, and the rendition was not made before.
    #[error("{0}")]
    Lost(ShelfUnavailable),
    /// The file was replaced between being looked at and being read.
    #[error("the original `{id}` was being replaced; ask again")]
    Changed {
        /// The original.
        id: String,
    },
    /// The file could not be read any more.
    #[error("the original `{id}` cannot be read: {problem}")]
    Unreadable {
        /// The original.
        id: String,
        /// What the system says.
        problem: String,
    },
    /// Records or blobs failed.
    #[error(transparent)]
    Store(Arc<StoreError>),
    /// The work panicked, or its thread is gone.
    #[error("making the rendition broke down: {0}")]
    Broken(String),
}

impl PipelineError {
    /// A complaint of the engine about one original.
    pub(super) fn of_image(original: &Original, source: ImageError) -> Self {
        Self::Image { id: original.id.to_string(), source }
    }
}

impl From<StoreError> for PipelineError {
    fn from(error: StoreError) -> Self {
        Self::Store(Arc::new(error))
    }
}

impl From<Panicked> for PipelineError {
    fn from(error: Panicked) -> Self {
        Self::Broken(error.to_string())
    }
}
