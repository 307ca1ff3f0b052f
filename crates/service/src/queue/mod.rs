//! Viewers' work: as many pieces at a time as there are cores and memory for, the most urgent first
//! and viewers in turn, and a bounded number waiting, by count and by pixels.

mod cost;
mod permit;
mod requester;
mod shared;
mod state;

use std::{sync::Arc, time::Duration};

use tokio::sync::oneshot;

pub use cost::Cost;
pub use permit::Permit;
pub use requester::Requester;
use shared::Shared;
use state::Rank;

/// The queue. Cheap to clone.
#[derive(Clone)]
pub struct Queue {
    shared: Arc<Shared>,
    max_waiting: usize,
    max_pixels: u64,
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

impl Queue {
    /// A queue over this machine's cores and `memory` bytes, where at most `max_waiting` pieces
    /// wait, of `max_megapixels` in all.
    pub fn new(max_waiting: usize, max_megapixels: u64, memory: u64) -> Self {
        let cores = std::thread::available_parallelism().map_or(1, usize::from);
        Self {
            shared: Arc::new(Shared::new(cores, memory)),
            max_waiting,
            max_pixels: max_megapixels * 1_000_000,
        }
    }

    /// Waits for a core and memory. Work larger than a bound still gets its turn, alone. Dropping the
    /// future leaves the queue.
    ///
    /// # Errors
    /// If too much is waiting already.
    pub async fn permit(&self, requester: Requester, cost: Cost) -> Result<Permit, QueueFull> {
        let (let_in, (rank, memory)) = {
            let mut state = self.shared.lock();
            let (waiting, pixels) = (state.waiting(), state.waiting_pixels());
            if waiting >= self.max_waiting
                || (waiting > 0 && pixels + cost.pixels > self.max_pixels)
            {
                return Err(QueueFull { waiting, megapixels: pixels / 1_000_000 });
            }
            let (tell, let_in) = oneshot::channel();
            // One that has just left gives it back itself.
            let tell = Box::new(move || _ = tell.send(()));
            (let_in, state.add(requester, cost, tell))
        };
        self.shared.pieces.send_modify(|pieces| *pieces += 1);
        let guard = WaitGuard { shared: &self.shared, rank, memory };
        self.shared.let_in();
        // The sender stays in the line until then.
        let _ = let_in.await;
        std::mem::forget(guard);
        Ok(Permit::new(Arc::clone(&self.shared), requester.urgency(), memory))
    }

    /// Waits for work to come or to end.
    pub async fn worked(&self) {
        // The sender lives as long as this queue does.
        let _ = self.shared.pieces.subscribe().changed().await;
    }

    /// Waits for `pause`: true if there is work then, or some came meanwhile.
    pub async fn works_within(&self, pause: Duration) -> bool {
        let pieces = self.shared.pieces.subscribe();
        tokio::time::sleep(pause).await;
        pieces.has_changed().unwrap_or(false) || *pieces.borrow() > 0
    }

    /// Waits until no viewer's work is waiting or under way.
    pub async fn idle(&self) {
        let mut pieces = self.shared.pieces.subscribe();
        // The sender lives as long as this queue does.
        let _ = pieces.wait_for(|pieces| *pieces == 0).await;
    }
}

/// Leaves the queue when the wait is given up: out of the line, or with what was just granted.
struct WaitGuard<'a> {
    shared: &'a Shared,
    rank: Rank,
    memory: u64,
}

impl Drop for WaitGuard<'_> {
    fn drop(&mut self) {
        let left = self.shared.lock().leave(self.rank);
        if left {
            self.shared.pieces.send_modify(|pieces| *pieces -= 1);
            // The next in line may need less.
            self.shared.let_in();
        } else {
            self.shared.end(self.memory);
        }
    }
}

#[cfg(test)]
mod tests {
    use std::{net::IpAddr, sync::Mutex};

    use super::*;

    const MIB: u64 = 1 << 20;

    fn cores() -> usize {
        std::thread::available_parallelism().map_or(1, usize::from)
    }

    impl Permit {
        /// Gives way as work does, on a thread of its own.
        async fn give_way_in_background(self: &Arc<Self>, turns: &Arc<Mutex<Vec<&'static str>>>) {
            let (own, turns) = (Arc::clone(self), Arc::clone(turns));
            let gave_way = tokio::task::spawn_blocking(move || {
                own.give_way();
                turns.lock().expect("no panic").push("went on");
            });
            gave_way.await.expect("it goes on");
        }
    }

    fn cost(pixels: u64, memory: u64) -> Cost {
        Cost { pixels, memory }
    }

    fn requester(urgency: u8, client: u8) -> Requester {
        let client = Some(IpAddr::from([127, 0, 0, client]));
        Requester { client, ..Requester::default() }.usually(Some(urgency))
    }

    /// A queue whose cores are all taken, and the permits that took them.
    async fn full(max_waiting: usize, max_megapixels: u64) -> (Queue, Vec<Permit>) {
        let queue = Queue::new(max_waiting, max_megapixels, 100 * MIB);
        let mut permits = Vec::new();
        while queue.shared.lock().free_cores() > 0 {
            permits
                .push(queue.permit(Requester::default(), cost(1, 1)).await.expect("a free core"));
        }
        (queue, permits)
    }

    /// One that waits, and writes its name down when it gets its turn.
    async fn waiter(
        queue: &Queue,
        (name, requester, cost): (&'static str, Requester, Cost),
        turns: &Arc<Mutex<Vec<&'static str>>>,
    ) -> tokio::task::JoinHandle<()> {
        let before = queue.shared.lock().waiting();
        let (waiting, turns) = (queue.clone(), Arc::clone(turns));
        let task = tokio::spawn(async move {
            let permit = waiting.permit(requester, cost).await.expect("room to wait");
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
        let plain = |pixels| ("", Requester::default(), cost(pixels, 1));
        let waiters = [
            waiter(&queue, plain(600_000), &turns).await,
            waiter(&queue, plain(400_000), &turns).await,
        ];
        let refused = queue.permit(Requester::default(), cost(1, 1)).await;
        assert!(matches!(refused, Err(QueueFull { waiting: 2, megapixels: 1 })));
        drop(permits);
        for waiter in waiters {
            waiter.await.expect("it ends");
        }
        queue.idle().await;
        assert_eq!(queue.shared.lock().waiting_pixels(), 0);

        let (queue, _permits) = full(100, 1).await;
        let _huge = waiter(&queue, plain(5_000_000), &turns).await;
        let refused = queue.permit(Requester::default(), cost(1, 1)).await;
        assert!(matches!(refused, Err(QueueFull { waiting: 1, megapixels: 5 })));
    }

    #[tokio::test]
    async fn who_gives_up_leaves_the_queue() {
        let (queue, permits) = full(2, 1).await;
        let leaving =
            waiter(&queue, ("", Requester::default(), cost(900_000, MIB)), &Arc::default()).await;
        leaving.abort();
        assert!(leaving.await.is_err());
        assert_eq!(queue.shared.lock().waiting(), 0);
        drop(permits);
        queue.idle().await;
        let (queue, _permits) = full(2, 1).await;
        assert_eq!(queue.shared.lock().waiting(), 0, "all cores and memory were free again");
    }

    #[tokio::test]
    async fn a_pause_is_told_from_work() {
        const PAUSE: Duration = Duration::from_millis(50);
        let queue = Queue::new(10, 100, MIB);
        let ask = queue.permit(Requester::default(), cost(1, 1));
        // Who listens does so before the work comes.
        let ((), permit) = tokio::join!(biased; queue.worked(), ask);
        assert!(queue.works_within(PAUSE).await, "it is under way");
        let ends = async move { drop(permit) };
        assert!(tokio::join!(queue.works_within(PAUSE), ends).0, "it ended only now");
        assert!(!queue.works_within(PAUSE).await);
    }

    #[tokio::test]
    async fn the_urgent_come_first_and_one_client_does_not_hold_up_the_others() {
        let (queue, mut permits) = full(100, 1000).await;
        let turns: Arc<Mutex<Vec<&str>>> = Arc::default();
        let mut waiters = Vec::new();
        for piece in [
            ("greedy 1", requester(3, 1), cost(1_000_000, MIB)),
            ("greedy 2", requester(3, 1), cost(1_000_000, MIB)),
            ("greedy 3", requester(3, 1), cost(1_000_000, MIB)),
            ("modest 1", requester(3, 2), cost(400_000, MIB)),
            ("modest 2", requester(3, 2), cost(400_000, MIB)),
            ("later", requester(5, 3), cost(1, 1)),
            ("urgent", requester(1, 1), cost(9_000_000, MIB)),
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
    async fn work_under_way_gives_way_to_what_is_more_urgent_and_goes_on_after_it() {
        let (queue, mut permits) = full(100, 1000).await;
        let own = Arc::new(permits.pop().expect("a core"));
        own.give_way();
        let turns = Arc::default();
        let same = waiter(&queue, ("same", requester(3, 2), cost(1, 1)), &turns).await;
        let urgent = waiter(&queue, ("urgent", requester(1, 2), cost(1, 1)), &turns).await;
        own.give_way_in_background(&turns).await;
        urgent.await.expect("it ends");
        drop(own);
        same.await.expect("it ends");
        assert_eq!(*turns.lock().expect("no panic"), ["urgent", "went on", "same"]);
        drop(permits);
        queue.idle().await;
        assert_eq!(queue.shared.lock().free_cores(), cores());
    }

    #[tokio::test]
    async fn nothing_waits_long_for_what_is_more_urgent() {
        let (queue, mut permits) = full(100, 1000).await;
        let own = Arc::new(permits.pop().expect("a core"));
        let urgent = queue.permit(requester(1, 2), cost(1, 1));
        let (urgent, ()) = tokio::join!(urgent, async {
            tokio::task::yield_now().await;
            // The urgent one holds on to the core for as long as this waits.
            own.give_way_in_background(&Arc::default()).await;
        });
        let urgent = urgent.expect("a core");
        own.give_way_in_background(&Arc::default()).await;
        drop((own, urgent, permits));
        queue.idle().await;
        assert_eq!(queue.shared.lock().free_cores(), cores());
    }

    #[tokio::test]
    async fn memory_is_shared_out_and_what_needs_more_than_there_is_runs_alone() {
        let queue = Queue::new(100, 1000, 100 * MIB);
        let ask = |memory| queue.permit(Requester::default(), cost(1, memory * MIB));
        let half = ask(60).await.expect("room");
        let turns = Arc::default();
        let huge = waiter(&queue, ("huge", Requester::default(), cost(1, 900 * MIB)), &turns).await;
        let behind = waiter(&queue, ("behind", Requester::default(), cost(1, MIB)), &turns).await;
        assert!(turns.lock().expect("no panic").is_empty(), "nobody overtakes");
        drop(half);
        huge.await.expect("it ends");
        behind.await.expect("it ends");
        assert_eq!(*turns.lock().expect("no panic"), ["huge", "behind"]);
    }
}
