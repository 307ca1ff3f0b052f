//! As many renditions at a time as there are cores, and a bounded number waiting, by count and by
//! pixels.

use std::sync::{
    Arc,
    atomic::{AtomicU64, AtomicUsize, Ordering},
};

use tokio::sync::{OwnedSemaphorePermit, Semaphore, watch};

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
struct Load {
    waiting: AtomicUsize,
    pixels: AtomicU64,
    /// Waiting or under way; the background waits for none.
    jobs: watch::Sender<usize>,
}

/// A core held; free again when dropped.
pub(super) struct Permit {
    _core: OwnedSemaphorePermit,
    _job: JobGuard,
}

impl Queue {
    pub(super) fn new(max_waiting: usize, max_megapixels: u64) -> Self {
        let cores = std::thread::available_parallelism().map_or(1, usize::from);
        let load = Load {
            waiting: AtomicUsize::new(0),
            pixels: AtomicU64::new(0),
            jobs: watch::Sender::new(0),
        };
        let max_pixels = max_megapixels * 1_000_000;
        Self {
            cores: Arc::new(Semaphore::new(cores)),
            load: Arc::new(load),
            max_waiting,
            max_pixels,
        }
    }

    /// Waits for a core, for a rendition of so many `pixels`. Work larger than the bound still
    /// waits where nothing else does. Dropping the future leaves the queue.
    pub(super) async fn permit(&self, pixels: u64) -> Result<Permit, PipelineError> {
        let job = JobGuard::new(&self.load);
        let waiting = self.load.waiting.fetch_add(1, Ordering::Relaxed);
        let waiting_pixels = self.load.pixels.fetch_add(pixels, Ordering::Relaxed);
        let _waiter = WaiterGuard { load: Arc::clone(&self.load), pixels };
        if waiting >= self.max_waiting || (waiting > 0 && waiting_pixels + pixels > self.max_pixels)
        {
            return Err(PipelineError::Overloaded {
                waiting,
                megapixels: waiting_pixels / 1_000_000,
            });
        }
        let core = Arc::clone(&self.cores).acquire_owned().await;
        let core = core.map_err(|closed| PipelineError::Broken(closed.to_string()))?;
        Ok(Permit { _core: core, _job: job })
    }

    /// Waits until no viewer's work is waiting or under way.
    pub(super) async fn idle(&self) {
        let mut jobs = self.load.jobs.subscribe();
        // The sender lives as long as this queue does.
        let _ = jobs.wait_for(|jobs| *jobs == 0).await;
    }
}

/// Counts a viewer's work from its asking to its end.
struct JobGuard(Arc<Load>);

impl JobGuard {
    fn new(load: &Arc<Load>) -> Self {
        load.jobs.send_modify(|jobs| *jobs += 1);
        Self(Arc::clone(load))
    }
}

impl Drop for JobGuard {
    fn drop(&mut self) {
        self.0.jobs.send_modify(|jobs| *jobs -= 1);
    }
}

/// Counts a waiter out again, also when it gives up.
struct WaiterGuard {
    load: Arc<Load>,
    pixels: u64,
}

impl Drop for WaiterGuard {
    fn drop(&mut self) {
        self.load.waiting.fetch_sub(1, Ordering::Relaxed);
        self.load.pixels.fetch_sub(self.pixels, Ordering::Relaxed);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A queue whose cores are all taken, and the permits that took them.
    async fn full(max_waiting: usize, max_megapixels: u64) -> (Queue, Vec<Permit>) {
        let queue = Queue::new(max_waiting, max_megapixels);
        let mut permits = Vec::new();
        while queue.cores.available_permits() > 0 {
            permits.push(queue.permit(1).await.expect("a free core"));
        }
        (queue, permits)
    }

    async fn waiter(queue: &Queue, pixels: u64) -> tokio::task::JoinHandle<bool> {
        let before = queue.load.waiting.load(Ordering::Relaxed);
        let waiting = queue.clone();
        let task = tokio::spawn(async move { waiting.permit(pixels).await.is_ok() });
        while queue.load.waiting.load(Ordering::Relaxed) == before {
            tokio::task::yield_now().await;
        }
        task
    }

    #[tokio::test]
    async fn past_either_bound_the_next_is_turned_away_and_the_rest_still_get_a_permit() {
        let (queue, permits) = full(2, 1).await;
        let waiters = [waiter(&queue, 600_000).await, waiter(&queue, 400_000).await];
        assert!(matches!(queue.permit(1).await, Err(PipelineError::Overloaded { waiting: 2, .. })));
        drop(permits);
        for waiter in waiters {
            assert!(waiter.await.expect("the waiter ends"));
        }
        queue.idle().await;
        assert_eq!(queue.load.pixels.load(Ordering::Relaxed), 0);

        let (queue, _permits) = full(100, 1).await;
        let _huge = waiter(&queue, 5_000_000).await;
        assert!(matches!(
            queue.permit(1).await,
            Err(PipelineError::Overloaded { waiting: 1, megapixels: 5 })
        ));
    }

    #[tokio::test]
    async fn who_gives_up_leaves_the_queue() {
        let (queue, permits) = full(2, 1).await;
        let leaving = waiter(&queue, 900_000).await;
        leaving.abort();
        assert!(leaving.await.is_err());
        assert_eq!(queue.load.waiting.load(Ordering::Relaxed), 0);
        drop(permits);
        queue.idle().await;
    }
}
