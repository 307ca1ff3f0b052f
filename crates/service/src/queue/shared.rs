//! What the queue and its permits share.

use std::sync::{Mutex, MutexGuard, PoisonError};

use tokio::sync::watch;

use super::state::State;

pub(super) struct Shared {
    state: Mutex<State>,
    /// Pieces waiting or under way; the background waits for none.
    pub(super) pieces: watch::Sender<usize>,
}

impl Shared {
    pub(super) fn new(cores: usize, memory: u64) -> Self {
        Self { state: Mutex::new(State::new(cores, memory)), pieces: watch::Sender::new(0) }
    }

    pub(super) fn lock(&self) -> MutexGuard<'_, State> {
        self.state.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Gives what is free to those whose turn it is.
    pub(super) fn let_in(&self) {
        let mut state = self.lock();
        while let Some(tell) = state.next() {
            tell();
        }
    }

    pub(super) fn end(&self, memory: u64) {
        self.lock().release(memory);
        self.let_in();
        self.pieces.send_modify(|pieces| *pieces -= 1);
    }
}
