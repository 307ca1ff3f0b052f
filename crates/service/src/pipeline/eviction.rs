//! Renditions on disk stay within a budget of bytes and days, the least recently used go first: in
//! the background, a few at a time.

use std::{
    collections::HashSet,
    sync::{
        Arc, Mutex, PoisonError,
        atomic::{AtomicU64, Ordering},
    },
    time::{Duration, SystemTime, UNIX_EPOCH},
};

use kivet_store::{Blobs, Records, StoreError};
use tokio::{sync::Notify, task::AbortHandle};

use crate::{blocking::blocking, metrics::Metrics};

/// How often it is looked whether there is too much.
const EVERY: Duration = Duration::from_secs(30);

/// Bytes by which the disk may grow before it is looked earlier.
const GROWTH: u64 = 32 << 20;

/// Renditions that go in one step, and the pause after it.
const STEP: usize = 64;
const PAUSE: Duration = Duration::from_millis(20);

/// What is left once there was too much, as a share of the budget: not each new rendition shall cost
/// an old one.
const LEFT: f64 = 0.95;

/// What renditions on disk may take.
#[derive(Clone, Copy, Debug)]
pub(super) struct Budget {
    pub(super) bytes: u64,
    pub(super) unused_for: Duration,
}

/// What was used and written since the last look. Cheap to clone.
#[derive(Clone, Default)]
pub(super) struct Use {
    seen: Arc<Seen>,
}

#[derive(Default)]
struct Seen {
    keys: Mutex<HashSet<String>>,
    grown: AtomicU64,
    look: Notify,
}

impl Use {
    /// Says that a rendition was of use.
    pub(super) fn of(&self, key: &str) {
        let mut keys = self.seen.keys.lock().unwrap_or_else(PoisonError::into_inner);
        if !keys.contains(key) {
            keys.insert(key.to_owned());
        }
    }

    /// Says that so many bytes were written.
    pub(super) fn grown(&self, bytes: u64) {
        if self.seen.grown.fetch_add(bytes, Ordering::Relaxed) + bytes > GROWTH {
            self.seen.look.notify_one();
        }
    }

    fn taken(&self) -> HashSet<String> {
        self.seen.grown.store(0, Ordering::Relaxed);
        std::mem::take(&mut *self.seen.keys.lock().unwrap_or_else(PoisonError::into_inner))
    }
}

/// The work; it ends when this is dropped.
pub(super) struct Eviction(AbortHandle);

impl Drop for Eviction {
    fn drop(&mut self) {
        self.0.abort();
    }
}

#[derive(Clone)]
struct Stores {
    records: Records,
    blobs: Blobs,
    metrics: Metrics,
    budget: Budget,
}

/// Starts the work. What memory has of a rendition that goes stays there: it is asked for.
pub(super) fn start(
    (records, blobs, metrics): (Records, Blobs, Metrics),
    budget: Budget,
    usage: Use,
) -> Eviction {
    let stores = Stores { records, blobs, metrics, budget };
    let work = async move {
        let sweeping = stores.blobs.clone();
        match blocking(move || sweeping.sweep()).await {
            Ok(0) => {}
            Ok(files) => tracing::info!(files, "removed what was left half written"),
            Err(error) => tracing::warn!(%error, "half-written files could not be removed"),
        }
        loop {
            let outcome = stores.look(&usage).await;
            stores.metrics.of_store("records", "renditions on disk", outcome);
            let _ = tokio::time::timeout(EVERY, usage.seen.look.notified()).await;
        }
    };
    Eviction(tokio::spawn(work).abort_handle())
}

impl Stores {
    /// Writes down what was used, then removes what is too much.
    async fn look(&self, usage: &Use) -> Result<(), StoreError> {
        let (now, used) = (seconds(), usage.taken());
        self.ask(move |records| records.used(used.iter().map(String::as_str), now)).await?;
        let oldest = now - self.budget.unused_for.as_secs().min(i64::MAX as u64) as i64;
        let held = self.ask(|records| records.held()).await?;
        let mut bytes = held.bytes;
        let wanted = if bytes > self.budget.bytes {
            (self.budget.bytes as f64 * LEFT) as u64
        } else {
            self.budget.bytes
        };
        let mut gone = 0;
        loop {
            let stalest = self.ask(|records| records.least_recently_used(STEP)).await?;
            let mut going = Vec::new();
            for (key, size, used_at) in stalest {
                let reason = match (used_at < oldest, bytes > wanted) {
                    (true, _) => "days",
                    (false, true) => "bytes",
                    (false, false) => break,
                };
                // First the blob: one that the index does not list would never be found again.
                self.blobs.remove(&key).await?;
                bytes = bytes.saturating_sub(size);
                self.metrics.evicted(reason);
                going.push(key);
            }
            if going.is_empty() {
                break;
            }
            gone += going.len();
            self.ask(move |records| records.forget_renditions(going.iter().map(String::as_str)))
                .await?;
            tokio::time::sleep(PAUSE).await;
        }
        self.metrics.holds(bytes);
        if gone > 0 {
            tracing::info!(gone, bytes, "removed the least recently used renditions");
        }
        Ok(())
    }

    async fn ask<T: Send + 'static>(
        &self,
        what: impl FnOnce(&Records) -> Result<T, StoreError> + Send + 'static,
    ) -> Result<T, StoreError> {
        let records = self.records.clone();
        blocking(move || what(&records)).await.map_err(|panicked| StoreError::Folder {
            path: "records".into(),
            source: std::io::Error::other(panicked),
        })?
    }
}

/// Seconds since 1970.
fn seconds() -> i64 {
    let since = SystemTime::now().duration_since(UNIX_EPOCH);
    since.map_or(0, |since| since.as_secs() as i64)
}
