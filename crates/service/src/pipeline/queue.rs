//! As many renditions at a time as there are cores, and a bounded number waiting.

use std::sync::{
    Arc,
    atomic::{AtomicUsize, Ordering},
};

use tokio::sync::{OwnedSemaphorePermit, Semaphore};

use super::PipelineError;

/// The queue. Cheap to clone.
#[derive(Clone)]
pub(super) struct Queue {
    cores: Arc<Semaphore>,
    waiting: Arc<AtomicUsize>,
    most_waiting: usize,
}

impl Queue {
    pub(super) fn new(most_waiting: usize) -> Self {
        let cores = std::thread::available_parallelism().map_or(1, usize::from);
        Self { cores: Arc::new(Semaphore::new(cores)), waiting: Arc::default(), most_waiting }
    }

    /// Waits for a core, which is free again when the turn is dropped.
    pub(super) async fn turn(&self) -> Result<OwnedSemaphorePermit, PipelineError> {
        let waiting = self.waiting.fetch_add(1, Ordering::Relaxed);
        let _leaves = Leaves(Arc::clone(&self.waiting));
        if waiting >= self.most_waiting {
            return Err(PipelineError::Overloaded { waiting });
        }
        let turn = Arc::clone(&self.cores).acquire_owned().await;
        turn.map_err(|closed| PipelineError::Broken(closed.to_string()))
    }
}

/// Counts a waiter out again, also when it gives up.
struct Leaves(Arc<AtomicUsize>);

impl Drop for Leaves {
    fn drop(&mut self) {
        self.0.fetch_sub(1, Ordering::Relaxed);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[tokio::test]
    async fn past_the_bound_the_next_is_turned_away_and_the_rest_still_get_their_turn() {
        let queue = Queue::new(2);
        let cores = queue.cores.available_permits();
        let mut turns = Vec::new();
        for _ in 0..cores {
            turns.push(queue.turn().await.expect("a free core"));
        }
        let waiters: Vec<_> = (0..2)
            .map(|_| {
                let queue = queue.clone();
                tokio::spawn(async move { queue.turn().await.is_ok() })
            })
            .collect();
        while queue.waiting.load(Ordering::Relaxed) < 2 {
            tokio::task::yield_now().await;
        }
        assert!(matches!(queue.turn().await, Err(PipelineError::Overloaded { waiting: 2 })));
        turns.clear();
        for waiter in waiters {
            assert!(waiter.await.expect("the waiter ends"));
        }
        assert_eq!(queue.waiting.load(Ordering::Relaxed), 0);
    }
}
