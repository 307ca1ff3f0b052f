//! Why a service cannot start.

use std::{net::SocketAddr, path::PathBuf};

use kivet_store::StoreError;

/// Why a service cannot start.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum StartError {
    /// The port cannot be had.
    #[error("cannot listen on {address}; choose another with --listen")]
    Listen {
        /// Where.
        address: SocketAddr,
        /// Why.
        source: std::io::Error,
    },
    /// The data folder cannot be used.
    #[error("cannot use the data folder {}", path.display())]
    Data {
        /// The folder.
        path: PathBuf,
        /// Why.
        source: std::io::Error,
    },
    /// Another service uses the data folder.
    #[error(
        "the data folder {} is in use by another Kivet; stop it, or name another folder with --data",
        path.display()
    )]
    InUse {
        /// The folder.
        path: PathBuf,
    },
    /// A shelf cannot be opened.
    #[error(transparent)]
    Shelf(std::io::Error),
    /// An overlay cannot be used.
    #[error("the overlay `{name}`, {}: {problem}", picture.display())]
    Overlay {
        /// Its name.
        name: String,
        /// Its file.
        picture: PathBuf,
        /// What is wrong.
        problem: String,
    },
    /// The sample site's places cannot be used.
    #[error("the places in {}: {problem}", file.display())]
    Places {
        /// Their file.
        file: PathBuf,
        /// What is wrong.
        problem: String,
    },
    /// Records or blobs cannot be opened.
    #[error(transparent)]
    Store(#[from] StoreError),
    /// The system has no thread for the background.
    #[error("cannot start the background thread")]
    Background(#[source] std::io::Error),
    /// The counters cannot be set up.
    #[error("cannot set up the counters")]
    Metrics(#[from] prometheus::Error),
}
