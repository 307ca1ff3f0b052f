//! As many renditions at a time as there are cores, and a bounded number waiting, by count and by pixels.

use std::sync::{
    Arc,
    atomic::{AtomicU64, AtomicUsize, Ordering},
};

use tokio::sync::{OwnedSemaphorePermit, Semaphore};

use super::PipelineError;

/// The queue of viewers' work. Cheap to clone.
#[derive(Clone)]
pub(super) struct Queue {
    cores: Arc<Semaphore>,
    load: Arc<Load>,
    max_waiting: usize,
    max_pixels: u64,
}

/// What is waiting or under way.
#[derive(Default)]
struct Load {
    waiting: AtomicUsize,
    pixels: AtomicU64,
    present: AtomicUsize,
}

/// A core held; free again when dropped.
pub(super) struct Turn {
    _core: OwnedSemaphorePermit,
    _present: Present,
}

impl Queue {
    pub(super) fn new(max_waiting: usize, most_megapixels: u64) -> Self {
        let cores = std::thread::available_parallelism().map_or(1, usize::from);
        let max_pixels = most_megapixels * 1_000_000;
        Self { cores: Arc::new(Semaphore::new(cores)), load: Arc::default(), max_waiting, max_pixels }
    }

    /// Waits for a core, for a rendition of so many `pixels`. Work larger than the bound still waits where nothing else
    /// does.
    pub(super) async fn turn(&self, pixels: u64) -> Result<Turn, PipelineError> {
        let present = Present::new(&self.load);
        let waiting = self.load.waiting.fetch_add(1, Ordering::Relaxed);
        let waiting_pixels = self.load.pixels.fetch_add(pixels, Ordering::Relaxed);
        let _leaves = Leaves { load: Arc::clone(&self.load), pixels };
        if waiting >= self.max_waiting || (waiting > 0 && waiting_pixels + pixels > self.max_pixels) {
            return Err(PipelineError::Overloaded { waiting, megapixels: waiting_pixels / 1_000_000 });
        }
        let core = Arc::clone(&self.cores).acquire_owned().await;
        let core = core.map_err(|closed| PipelineError::Broken(closed.to_string()))?;
        Ok(Turn { _core: core, _present: present })
    }

    /// True if no viewer's work is waiting or under way.
    pub(super) fn is_idle(&self) -> bool {
        self.load.present.load(Ordering::Relaxed) == 0
    }
}

/// Counts a viewer's work from its asking to its end.
struct Present(Arc<Load>);

impl Present {
    fn new(load: &Arc<Load>) -> Self {
        load.present.fetch_add(1, Ordering::Relaxed);
        Self(Arc::clone(load))
    }
}

impl Drop for Present {
    fn drop(&mut self) {
        self.0.present.fetch_sub(1, Ordering::Relaxed);
    }
}

/// Counts a waiter out again, also when it gives up.
struct Leaves {
    load: Arc<Load>,
    pixels: u64,
}

impl Drop for Leaves {
    fn drop(&mut self) {
        self.load.waiting.fetch_sub(1, Ordering::Relaxed);
        self.load.pixels.fetch_sub(self.pixels, Ordering::Relaxed);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A queue whose cores are all taken, and the turns that took them.
    async fn full(max_waiting: usize, most_megapixels: u64) -> (Queue, Vec<Turn>) {
        let queue = Queue::new(max_waiting, most_megapixels);
        let mut turns = Vec::new();
        while queue.cores.available_permits() > 0 {
            turns.push(queue.turn(1).await.expect("a free core"));
        }
        (queue, turns)
    }

    async fn waiter(queue: &Queue, pixels: u64) -> tokio::task::JoinHandle<bool> {
        let before = queue.load.waiting.load(Ordering::Relaxed);
        let waiting = queue.clone();
        let task = tokio::spawn(async move { waiting.turn(pixels).await.is_ok() });
        while queue.load.waiting.load(Ordering::Relaxed) == before {
            tokio::task::yield_now().await;
        }
        task
    }

    #[tokio::test]
    async fn past_either_bound_the_next_is_turned_away_and_the_rest_still_get_their_turn() {
        let (queue, turns) = full(2, 1).await;
        let waiters = [waiter(&queue, 600_000).await, waiter(&queue, 400_000).await];
        assert!(matches!(queue.turn(1).await, Err(PipelineError::Overloaded { waiting: 2, .. })));
        drop(turns);
        for waiter in waiters {
            assert!(waiter.await.expect("the waiter ends"));
        }
        assert!(queue.is_idle() && queue.load.pixels.load(Ordering::Relaxed) == 0);

        let (queue, _turns) = full(100, 1).await;
        let _huge = waiter(&queue, 5_000_000).await;
        assert!(matches!(queue.turn(1).await, Err(PipelineError::Overloaded { waiting: 1, megapixels: 5 })));
        assert!(!queue.is_idle());
    }
}
