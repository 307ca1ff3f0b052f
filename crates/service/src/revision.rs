//! A count of changes, by which what was worked out before one is told from what holds now.

use std::sync::{
    Arc,
    atomic::{AtomicU64, Ordering},
};

/// How often that has changed which answers to picture requests rest on: places, focus points,
/// curves, renditions that took another's place. Clones share the count.
#[derive(Clone, Debug, Default)]
pub struct Revision(Arc<AtomicU64>);

impl Revision {
    /// The count now. Read it before working something out, and compare before using that again.
    pub fn now(&self) -> u64 {
        self.0.load(Ordering::Acquire)
    }

    /// Counts a change, once it is there to be read.
    pub fn advance(&self) {
        self.0.fetch_add(1, Ordering::AcqRel);
    }
}
