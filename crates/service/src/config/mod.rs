//! What the service is told: `kivet.toml`, then the environment and flags over it.

mod read;

use std::{collections::BTreeMap, net::SocketAddr, path::PathBuf};

pub use read::{ConfigError, read};

/// Everything the service needs to start.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Config {
    /// Where to listen.
    pub listen: SocketAddr,
    /// Records, renditions, the admin token.
    pub data: PathBuf,
    /// The shelves by name.
    pub shelves: BTreeMap<String, ShelfSource>,
    /// Bounds on work and memory.
    pub limits: Limits,
    /// A folder holding `site/` and `originals/`, served under `/demo/`.
    pub demo: Option<PathBuf>,
}

/// Where a shelf's originals live.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum ShelfSource {
    /// A folder on this machine.
    Folder(PathBuf),
    /// A web server, by its address. Not read by this version.
    Web(String),
    /// An S3-compatible bucket, by its address. Not read by this version.
    Bucket(String),
}

/// Bounds on work and memory.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Limits {
    /// The most pixels an original may hold, in millions.
    pub megapixels: u64,
    /// Renditions kept in memory, in MiB.
    pub memory_mib: u64,
    /// Renditions that may wait to be made before further ones are turned away.
    pub queue: usize,
}

impl Default for Limits {
    fn default() -> Self {
        Self { megapixels: 150, memory_mib: 256, queue: 512 }
    }
}
