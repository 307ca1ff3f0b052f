//! What a piece of work holds while it is under way.

use std::{
    sync::{Arc, Mutex, PoisonError, mpsc},
    time::{Duration, Instant},
};

use super::shared::Shared;

/// How long a piece under way waits for more urgent ones in all. What they wait for may be in its
/// hands: a decode that both draw from.
const PATIENCE: Duration = Duration::from_secs(1);

/// A core and memory held; free again when dropped.
pub struct Permit {
    shared: Arc<Shared>,
    urgency: u8,
    memory: u64,
    /// What is left of it.
    patience: Mutex<Duration>,
}

impl Permit {
    pub(super) fn new(shared: Arc<Shared>, urgency: u8, memory: u64) -> Self {
        Self { shared, urgency, memory, patience: Mutex::new(PATIENCE) }
    }

    /// Between two steps of work: lends the core to whoever waits and is more urgent, and blocks
    /// until it is back.
    pub fn give_way(&self) {
        // A core is lent once: other threads of the same work wait here.
        let mut patience = self.patience.lock().unwrap_or_else(PoisonError::into_inner);
        if patience.is_zero() {
            return;
        }
        let (rank, back) = {
            let mut state = self.shared.lock();
            if !state.wants_core_of(self.urgency) {
                return;
            }
            let (tell, back) = mpsc::channel();
            (state.step_aside(self.urgency, Box::new(move || _ = tell.send(()))), back)
        };
        let lent = Instant::now();
        self.shared.let_in();
        if back.recv_timeout(*patience).is_err() {
            let mut state = self.shared.lock();
            if state.leave(rank) {
                state.go_on_uncounted();
            }
        }
        *patience = patience.saturating_sub(lent.elapsed());
    }
}

impl Drop for Permit {
    fn drop(&mut self) {
        self.shared.end(self.memory);
    }
}
