//! Where a rendition came from, and where its time went.

use std::time::Duration;

use kivet_image::Timings;

/// Where a rendition came from.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Source {
    /// The memory tier.
    Memory,
    /// The blob store.
    Disk,
    /// Made now, for this request.
    Made(MadeTimings),
    /// Made now for another request that asked first.
    Joined,
    /// Too much was waiting: another size or format of it that was ready.
    Nearest,
}

/// Where the time of a made rendition went.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct MadeTimings {
    /// Waiting for a free core.
    pub queued: Duration,
    /// Drawing and encoding.
    pub work: Timings,
}
