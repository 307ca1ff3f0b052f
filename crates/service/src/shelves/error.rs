//! Why an original cannot be had.

use std::sync::Arc;

use kivet_image::ImageError;
use kivet_store::StoreError;

use super::original::{OriginalId, PathError};
use crate::{blocking::Panicked, queue::QueueFull};

/// A shelf whose folder is gone, or empty though it was not: a mount that was lost.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error(
    "the folder of the shelf `{name}` is not there at the moment; what was made of its originals before is still sent"
)]
pub struct ShelfUnavailable {
    /// The shelf.
    pub name: String,
}

/// Why an original cannot be had.
#[derive(Clone, Debug, thiserror::Error)]
pub enum ShelfError {
    /// No shelf has that name.
    #[error("there is no shelf `{name}`{}", nearest.as_ref().map_or(String::new(), |nearest| format!("; did you mean `{nearest}`?")))]
    UnknownShelf {
        /// The name asked for.
        name: String,
        /// The nearest that exists.
        nearest: Option<String>,
    },
    /// The shelf is of a kind this version does not read.
    #[error(
        "the shelf `{name}` is {kind}, which this version of Kivet cannot read yet; only folder shelves are"
    )]
    UnreadShelf {
        /// The shelf.
        name: String,
        /// What it is.
        kind: &'static str,
    },
    /// The path is not written as a path on a shelf can be.
    #[error(transparent)]
    BadPath(#[from] PathError),
    /// The path leads out of the shelf's folder.
    #[error("`{id}` leads out of its shelf's folder; only files inside it are served")]
    LeavesShelf {
        /// What was asked for.
        id: OriginalId,
    },
    /// The whole shelf is not there at the moment.
    #[error(transparent)]
    Lost(#[from] ShelfUnavailable),
    /// Too much is waiting to be looked at.
    #[error(transparent)]
    Overloaded(#[from] QueueFull),
    /// Nothing is there.
    #[error("there is no original `{id}`; `kivet library list {}` shows what there is", id.shelf())]
    NotFound {
        /// What was asked for.
        id: OriginalId,
    },
    /// It is there but the system does not let it be read.
    #[error("the original `{id}` cannot be read: {problem}")]
    Unreadable {
        /// What was asked for.
        id: OriginalId,
        /// What the system says.
        problem: String,
    },
    /// It was replaced while it was read.
    #[error("the original `{id}` is being replaced; ask again")]
    Changing {
        /// What was asked for.
        id: OriginalId,
    },
    /// It is there but is no picture that can be used.
    #[error("the original `{id}`")]
    NotUsable {
        /// What was asked for.
        id: OriginalId,
        /// Why.
        source: ImageError,
    },
    /// The records failed.
    #[error(transparent)]
    Store(Arc<StoreError>),
    /// Looking at the file panicked.
    #[error(transparent)]
    Broken(Panicked),
}

impl From<StoreError> for ShelfError {
    fn from(error: StoreError) -> Self {
        Self::Store(Arc::new(error))
    }
}

impl From<Panicked> for ShelfError {
    fn from(error: Panicked) -> Self {
        Self::Broken(error)
    }
}
