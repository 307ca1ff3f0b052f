//! Who waits, who comes next, and what is free: bookkeeping without a clock or a thread.

use std::{
    collections::{BTreeMap, HashMap},
    net::IpAddr,
};

use super::{cost::Cost, requester::Requester};

/// Every piece counts as at least so many pixels: a header's worth of work is not free.
const LEAST: u64 = 50_000;

/// A place in the line: the smallest comes first.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(super) struct Rank {
    urgency: u8,
    /// Pixels of work for its client, this piece included, since the line was last empty: whoever
    /// has had less comes first (fair queueing by finish times).
    finish: u64,
    number: u64,
}

/// Called when a piece is let in.
pub(super) type Tell = Box<dyn FnOnce() + Send>;

struct Waiter {
    tell: Tell,
    pixels: u64,
    memory: u64,
}

/// All of it.
pub(super) struct State {
    free_cores: usize,
    /// Pieces that went on without a core.
    uncounted: usize,
    free_memory: u64,
    memory: u64,
    line: BTreeMap<Rank, Waiter>,
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
            uncounted: 0,
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
    pub(super) fn add(&mut self, requester: Requester, cost: Cost, tell: Tell) -> (Rank, u64) {
        let had = self.clients.entry(requester.client).or_default();
        *had = (*had).max(self.now) + cost.pixels.max(LEAST);
        let rank = Rank { urgency: requester.urgency(), finish: *had, number: self.next_number };
        self.next_number += 1;
        self.pixels += cost.pixels;
        let memory = cost.memory.min(self.memory);
        self.line.insert(rank, Waiter { tell, pixels: cost.pixels, memory });
        (rank, memory)
    }

    /// Lets the next piece in, if there is room for it. Nobody overtakes: what needs much would wait
    /// for ever.
    pub(super) fn next(&mut self) -> Option<Tell> {
        let first = self.line.first_entry()?;
        if self.free_cores == 0 || first.get().memory > self.free_memory {
            return None;
        }
        let (rank, waiter) = first.remove_entry();
        self.free_cores -= 1;
        self.free_memory -= waiter.memory;
        self.pixels -= waiter.pixels;
        self.now = self.now.max(rank.finish.saturating_sub(waiter.pixels.max(LEAST)));
        Some(waiter.tell)
    }

    /// Takes one who gives up out of line; false if it was let in meanwhile.
    pub(super) fn leave(&mut self, rank: Rank) -> bool {
        let waiter = self.line.remove(&rank);
        self.pixels -= waiter.as_ref().map_or(0, |waiter| waiter.pixels);
        waiter.is_some()
    }

    /// True if somebody more urgent waits for a core alone.
    pub(super) fn wants_core_of(&self, urgency: u8) -> bool {
        let first = self.line.first_key_value();
        self.free_cores == 0
            && first.is_some_and(|(rank, waiter)| {
                rank.urgency < urgency && waiter.memory <= self.free_memory
            })
    }

    /// Gives the core of a piece under way back and puts it in line, before all others that are no
    /// more urgent. It keeps its memory.
    pub(super) fn step_aside(&mut self, urgency: u8, tell: Tell) -> Rank {
        let rank = Rank { urgency, finish: 0, number: self.next_number };
        self.next_number += 1;
        self.line.insert(rank, Waiter { tell, pixels: 0, memory: 0 });
        self.release(0);
        rank
    }

    /// Lets one that stepped aside go on where all cores are taken.
    pub(super) fn go_on_uncounted(&mut self) {
        self.uncounted += 1;
    }

    pub(super) fn release(&mut self, memory: u64) {
        if self.uncounted > 0 {
            self.uncounted -= 1;
        } else {
            self.free_cores += 1;
        }
        self.free_memory += memory;
        if self.line.is_empty() {
            self.clients.clear();
            self.now = 0;
        }
    }

    #[cfg(test)]
    pub(super) const fn free_cores(&self) -> usize {
        self.free_cores
    }
}
