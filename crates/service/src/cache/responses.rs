//! The JSON of the cache.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// What renditions take on disk.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct CacheResponse {
    /// How many there are.
    pub renditions: u64,
    /// Bytes of their pictures.
    pub bytes: u64,
    /// Bytes they may have; the least recently used go first.
    pub max_bytes: u64,
    /// Days that one stays which nobody asks for.
    pub unused_days: u64,
    /// What there is of each shelf in each format, the most bytes first.
    pub groups: Vec<CachedGroup>,
}

/// Renditions of one shelf in one format.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct CachedGroup {
    /// The shelf.
    pub shelf: String,
    /// The format.
    pub format: String,
    /// How many.
    pub renditions: u64,
    /// Bytes of their pictures.
    pub bytes: u64,
}
