//! Limits of a page: its text may come from anybody, and a few kilobytes of it can ask for minutes
//! of work and gigabytes of memory.

use std::{
    sync::{
        Arc,
        atomic::{AtomicBool, Ordering},
    },
    time::{Duration, Instant},
};

/// The most that one page may have and take.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct PageLimits {
    /// Bytes of its document, or of a stylesheet.
    pub bytes: usize,
    /// Elements.
    pub elements: usize,
    /// Pictures, where it is read as text: findings compare them with each other.
    pub pictures: usize,
    /// Selectors of its stylesheets in all.
    pub rules: usize,
    /// Time to work on it.
    pub time: Duration,
}

impl PageLimits {
    /// 16 MiB, 100,000 elements, 50,000 selectors and 20 s: pages that people read have far less. A
    /// standard or book on a single page may have more elements; it stays as it is.
    pub const DEFAULT: Self = Self {
        bytes: 16 << 20,
        elements: 100_000,
        pictures: 5_000,
        rules: 50_000,
        time: Duration::from_secs(20),
    };

    /// Refuses a text above the limits by its length and by the tags that it may open; parses
    /// nothing.
    ///
    /// # Errors
    /// [`OverLimit::Bytes`] and [`OverLimit::Elements`].
    pub fn check_text(&self, text: &[u8]) -> Result<(), OverLimit> {
        if text.len() > self.bytes {
            return Err(OverLimit::Bytes { has: text.len(), limit: self.bytes });
        }
        let opens = |at: &usize| text.get(at + 1).is_some_and(u8::is_ascii_alphabetic);
        let tags = memchr::memchr_iter(b'<', text).filter(opens).count();
        if tags > self.elements {
            return Err(OverLimit::Elements(self.elements));
        }
        Ok(())
    }
}

impl Default for PageLimits {
    fn default() -> Self {
        Self::DEFAULT
    }
}

/// Elements that may be nested in each other where a page is read as text: as many as Chromium nests
/// before it puts further ones beside each other.
pub(crate) const MAX_DEPTH: u32 = 512;

/// A limit that a page exceeds.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum OverLimit {
    /// Its text is too long.
    #[error("it has {has} bytes, {limit} at most")]
    Bytes {
        /// Bytes that it has.
        has: usize,
        /// The limit.
        limit: usize,
    },
    /// It has too many elements; the limit.
    #[error("it has more than {0} elements")]
    Elements(usize),
    /// It has too many pictures; the limit.
    #[error("it has more than {0} pictures")]
    Pictures(usize),
    /// Its elements are nested too deep; the limit.
    #[error("its elements are nested more than {0} deep")]
    Depth(u32),
    /// Its stylesheets have too many selectors; the limit.
    #[error("its stylesheets have more than {0} selectors")]
    Rules(usize),
    /// It takes too long.
    #[error("it takes longer than {} s", .0.as_secs())]
    Time(Duration),
    /// The client has left.
    #[error("the work on it was stopped")]
    Stopped,
}

/// The limits of the work on one page, with its end; clones share both.
#[derive(Clone, Debug)]
pub struct Budget {
    limits: PageLimits,
    until: Instant,
    stopped: Arc<AtomicBool>,
}

impl Budget {
    /// A budget whose time begins now.
    pub fn new(limits: PageLimits) -> Self {
        Self { limits, until: Instant::now() + limits.time, stopped: Arc::default() }
    }

    /// Its limits.
    pub const fn limits(&self) -> &PageLimits {
        &self.limits
    }

    /// Refuses further work after the end of the time, or once it was stopped.
    ///
    /// # Errors
    /// [`OverLimit::Time`] and [`OverLimit::Stopped`].
    pub fn check_time(&self) -> Result<(), OverLimit> {
        if self.stopped.load(Ordering::Relaxed) {
            return Err(OverLimit::Stopped);
        }
        match Instant::now() < self.until {
            true => Ok(()),
            false => Err(OverLimit::Time(self.limits.time)),
        }
    }

    /// Stops the work of all clones when the returned value is dropped: when a client leaves, the
    /// future that holds it is.
    pub fn stop_on_drop(&self) -> StopOnDrop {
        StopOnDrop(Arc::clone(&self.stopped))
    }
}

impl Default for Budget {
    fn default() -> Self {
        Self::new(PageLimits::DEFAULT)
    }
}

/// Stops the work of a [`Budget`] when it is dropped.
#[derive(Debug)]
pub struct StopOnDrop(Arc<AtomicBool>);

impl Drop for StopOnDrop {
    fn drop(&mut self) {
        self.0.store(true, Ordering::Relaxed);
    }
}
