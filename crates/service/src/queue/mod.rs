//! Viewers' work: as many pieces at a time as there are cores and memory for, the most urgent first
//! and viewers in turn, and a bounded number waiting, by count and by pixels.

mod asker;
mod cost;
mod state;

use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

use tokio::sync::{oneshot, watch};

pub use asker::Asker;
pub use cost::Cost;
use state::{State, Turn};

/// The queue. Cheap to clone.
#[derive(Clone)]
pub struct Queue {
    shared: Arc<Shared>,
    max_waiting: usize,
    max_pixels: u64,
}

struct Shared {
    state: Mutex<State>,
    /// Pieces waiting or under way; the background waits for none.
    pieces: watch::Sender<usize>,
}

/// Too much is waiting.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error(
    "{waiting} renditions of {megapixels} megapixels in all are already waiting to be made; ask again in a moment"
)]
pub struct QueueFull {
    /// How many.
    pub waiting: usize,
    /// Their pixels, in millions.
    pub megapixels: u64,
}

/// A core and memory held; free again when dropped.
pub struct Permit {
    shared: Arc<Shared>,
    memory: u64,
}

impl Queue {
    /// A queue over this machine's cores and `memory` bytes, where at most `max_waiting` pieces
    /// wait, of `max_megapixels` in all.
    pub fn new(max_waiting: usize, max_megapixels: u64, memory: u64) -> Self {
        let cores = std::thread::available_parallelism().map_or(1, usize::from);
        let shared =
            Shared { state: Mutex::new(State::new(cores, memory)), pieces: watch::Sender::new(0) };
        Self { shared: Arc::new(shared), max_waiting, max_pixels: max_megapixels * 1_000_000 }
    }

    /// Waits for a core and memory. Work larger than a bound still gets its turn, alone. Dropping the
    /// future leaves the queue.
    ///
    /// # Errors
    /// If too much is waiting already.
    pub async fn permit(&self, asker: Asker, cost: Cost) -> Result<Permit, QueueFull> {
        let (let_in, (turn, memory)) = {
            let mut state = self.shared.lock();
            let (waiting, pixels) = (state.waiting(), state.waiting_pixels());
            if waiting >= self.max_waiting
                || (waiting > 0 && pixels + cost.pixels > self.max_pixels)
            {
                return Err(QueueFull { waiting, megapixels: pixels / 1_000_000 });
            }
            let (tell, let_in) = oneshot::channel();
            (let_in, state.add(asker, cost, tell))
        };
        self.shared.pieces.send_modify(|pieces| *pieces += 1);
        let leaving = Leaving { shared: &self.shared, turn, memory };
        self.shared.let_in();
        // The sender stays in the line until then.
        let _ = let_in.await;
        std::mem::forget(leaving);
        Ok(Permit { shared: Arc::clone(&self.shared), memory })
    }

    /// Waits until no viewer's work is waiting or under way.
    pub async fn idle(&self) {
        let mut pieces = self.shared.pieces.subscribe();
        // The sender lives as long as this queue does.
        let _ = pieces.wait_for(|pieces| *pieces == 0).await;
    }
}

impl Shared {
    fn lock(&self) -> MutexGuard<'_, State> {
        self.state.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Gives what is free to those whose turn it is.
    fn let_in(&self) {
        let mut state = self.lock();
        while let Some(tell) = state.next() {
            // One that has just left gives it back itself.
            let _ = tell.send(());
        }
    }

    fn end(&self, memory: u64) {
        self.lock().release(memory);
        self.let_in();
        self.pieces.send_modify(|pieces| *pieces -= 1);
    }
}

/// Leaves the queue when the wait is given up: out of the line, or with what was just granted.
struct Leaving<'a> {
    shared: &'a Shared,
    turn: Turn,
    memory: u64,
}

impl Drop for Leaving<'_> {
    fn drop(&mut self) {
        let left = self.shared.lock().leave(self.turn);
        if left {
            self.shared.pieces.send_modify(|pieces| *pieces -= 1);
            // The next in line may need less.
            self.shared.let_in();
        } else {
            self.shared.end(self.memory);
        }
    }
}

impl Drop for Permit {
    fn drop(&mut self) {
        self.shared.end(self.memory);
    }
}

#[cfg(test)]
mod tests {
    use std::net::IpAddr;

    use super::*;

    const MIB: u64 = 1 << 20;

    fn cost(pixels: u64, memory: u64) -> Cost {
        Cost { pixels, memory }
    }

    fn asker(urgency: u8, client: u8) -> Asker {
        let client = Some(IpAddr::from([127, 0, 0, client]));
        Asker { client, ..Asker::default() }.usually(Some(urgency))
    }

    /// A queue whose cores are all taken, and the permits that took them.
    async fn full(max_waiting: usize, max_megapixels: u64) -> (Queue, Vec<Permit>) {
        let queue = Queue::new(max_waiting, max_megapixels, 100 * MIB);
        let mut permits = Vec::new();
        while queue.shared.lock().has_free_core() {
            permits.push(queue.permit(Asker::default(), cost(1, 1)).await.expect("a free core"));
        }
        (queue, permits)
    }

    /// One that waits, and writes its name down when it gets its turn.
    async fn waiter(
        queue: &Queue,
        (name, asker, cost): (&'static str, Asker, Cost),
        turns: &Arc<Mutex<Vec<&'static str>>>,
    ) -> tokio::task::JoinHandle<()> {
        let before = queue.shared.lock().waiting();
        let (waiting, turns) = (queue.clone(), Arc::clone(turns));
        let task = tokio::spawn(async move {
            let permit = waiting.permit(asker, cost).await.expect("room to wait");
            turns.lock().expect("no panic").push(name);
            drop(permit);
        });
        while queue.shared.lock().waiting() == before {
            tokio::task::yield_now().await;
        }
        task
    }

    #[tokio::test]
    async fn past_either_bound_the_next_is_turned_away_and_the_rest_still_get_their_turn() {
        let (queue, permits) = full(2, 1).await;
        let turns = Arc::default();
        let plain = |pixels| ("", Asker::default(), cost(pixels, 1));
        let waiters = [
            waiter(&queue, plain(600_000), &turns).await,
            waiter(&queue, plain(400_000), &turns).await,
        ];
        let refused = queue.permit(Asker::default(), cost(1, 1)).await;
        assert!(matches!(refused, Err(QueueFull { waiting: 2, megapixels: 1 })));
        drop(permits);
        for waiter in waiters {
            waiter.await.expect("it ends");
        }
        queue.idle().await;
        assert_eq!(queue.shared.lock().waiting_pixels(), 0);

        let (queue, _permits) = full(100, 1).await;
        let _huge = waiter(&queue, plain(5_000_000), &turns).await;
        let refused = queue.permit(Asker::default(), cost(1, 1)).await;
        assert!(matches!(refused, Err(QueueFull { waiting: 1, megapixels: 5 })));
    }

    #[tokio::test]
    async fn who_gives_up_leaves_the_queue() {
        let (queue, permits) = full(2, 1).await;
        let leaving =
            waiter(&queue, ("", Asker::default(), cost(900_000, MIB)), &Arc::default()).await;
        leaving.abort();
        assert!(leaving.await.is_err());
        assert_eq!(queue.shared.lock().waiting(), 0);
        drop(permits);
        queue.idle().await;
        let (queue, _permits) = full(2, 1).await;
        assert_eq!(queue.shared.lock().waiting(), 0, "all cores and memory were free again");
    }

    #[tokio::test]
    async fn the_urgent_come_first_and_one_client_does_not_hold_up_the_others() {
        let (queue, mut permits) = full(100, 1000).await;
        let turns: Arc<Mutex<Vec<&str>>> = Arc::default();
        let mut waiters = Vec::new();
        for piece in [
            ("greedy 1", asker(3, 1), cost(1_000_000, MIB)),
            ("greedy 2", asker(3, 1), cost(1_000_000, MIB)),
            ("greedy 3", asker(3, 1), cost(1_000_000, MIB)),
            ("modest 1", asker(3, 2), cost(400_000, MIB)),
            ("modest 2", asker(3, 2), cost(400_000, MIB)),
            ("later", asker(5, 3), cost(1, 1)),
            ("urgent", asker(1, 1), cost(9_000_000, MIB)),
        ] {
            waiters.push(waiter(&queue, piece, &turns).await);
        }
        // One core is given back: the rest comes one after the other.
        permits.pop();
        for waiter in waiters {
            waiter.await.expect("it ends");
        }
        let turns = turns.lock().expect("no panic").clone();
        assert_eq!(
            turns,
            ["urgent", "modest 1", "modest 2", "greedy 1", "greedy 2", "greedy 3", "later"]
        );
    }

    #[tokio::test]
    async fn memory_is_shared_out_and_what_needs_more_than_there_is_runs_alone() {
        let queue = Queue::new(100, 1000, 100 * MIB);
        let ask = |memory| queue.permit(Asker::default(), cost(1, memory * MIB));
        let half = ask(60).await.expect("room");
        let turns = Arc::default();
        let huge = waiter(&queue, ("huge", Asker::default(), cost(1, 900 * MIB)), &turns).await;
        let behind = waiter(&queue, ("behind", Asker::default(), cost(1, MIB)), &turns).await;
        assert!(turns.lock().expect("no panic").is_empty(), "nobody overtakes");
        drop(half);
        huge.await.expect("it ends");
        behind.await.expect("it ends");
        assert_eq!(*turns.lock().expect("no panic"), ["huge", "behind"]);
    }
}
