//! Who waits, who comes next, and what is free: bookkeeping without a clock or a thread.

use std::{
    collections::{BTreeMap, HashMap},
    net::IpAddr,
};

use tokio::sync::oneshot;

use super::{asker::Asker, cost::Cost};

/// Every piece counts as at least so many pixels: a header's worth of work is not free.
const LEAST: u64 = 50_000;

/// A place in the line: the smallest comes first.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(super) struct Turn {
    urgency: u8,
    /// Pixels of work for its client, this piece included, since the line was last empty: whoever
    /// has had less comes first (fair queueing by finish times).
    finish: u64,
    number: u64,
}

struct Waiter {
    tell: oneshot::Sender<()>,
    pixels: u64,
    memory: u64,
}

/// All of it.
pub(super) struct State {
    free_cores: usize,
    free_memory: u64,
    memory: u64,
    line: BTreeMap<Turn, Waiter>,
    pixels: u64,
    /// Where newcomers begin: where the piece that was let in last began.
    now: u64,
    clients: HashMap<Option<IpAddr>, u64>,
    next_number: u64,
}

impl State {
    pub(super) fn new(cores: usize, memory: u64) -> Self {
        Self {
            free_cores: cores,
            free_memory: memory,
            memory,
            line: BTreeMap::new(),
            pixels: 0,
            now: 0,
            clients: HashMap::new(),
            next_number: 0,
        }
    }

    pub(super) fn waiting(&self) -> usize {
        self.line.len()
    }

    pub(super) const fn waiting_pixels(&self) -> u64 {
        self.pixels
    }

    /// Puts a piece in line; `tell` hears when it is let in, with so much memory.
    pub(super) fn add(
        &mut self,
        asker: Asker,
        cost: Cost,
        tell: oneshot::Sender<()>,
    ) -> (Turn, u64) {
        let had = self.clients.entry(asker.client).or_default();
        *had = (*had).max(self.now) + cost.pixels.max(LEAST);
        let turn = Turn { urgency: asker.urgency(), finish: *had, number: self.next_number };
        self.next_number += 1;
        self.pixels += cost.pixels;
        let memory = cost.memory.min(self.memory);
        self.line.insert(turn, Waiter { tell, pixels: cost.pixels, memory });
        (turn, memory)
    }

    /// Lets the next piece in, if there is room for it. Nobody overtakes: what needs much would wait
    /// for ever.
    pub(super) fn next(&mut self) -> Option<oneshot::Sender<()>> {
        let first = self.line.first_entry()?;
        if self.free_cores == 0 || first.get().memory > self.free_memory {
            return None;
        }
        let (turn, waiter) = first.remove_entry();
        self.free_cores -= 1;
        self.free_memory -= waiter.memory;
        self.pixels -= waiter.pixels;
        self.now = self.now.max(turn.finish - waiter.pixels.max(LEAST));
        Some(waiter.tell)
    }

    /// Takes one who gives up out of line; false if it was let in meanwhile.
    pub(super) fn leave(&mut self, turn: Turn) -> bool {
        let waiter = self.line.remove(&turn);
        self.pixels -= waiter.as_ref().map_or(0, |waiter| waiter.pixels);
        waiter.is_some()
    }

    pub(super) fn release(&mut self, memory: u64) {
        self.free_cores += 1;
        self.free_memory += memory;
        if self.line.is_empty() {
            self.clients.clear();
            self.now = 0;
        }
    }

    #[cfg(test)]
    pub(super) const fn has_free_core(&self) -> bool {
        self.free_cores > 0
    }
}
