//! What one call may cost.

use std::{
    fmt,
    sync::{
        Arc,
        atomic::{AtomicBool, Ordering},
    },
    time::{Duration, Instant},
};

use kivet_recipe::Size;

use crate::ImageError;

/// Bounds on one original, checked against its header before any pixel is decoded, and on the work
/// it causes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Limits {
    /// The most pixels an original may hold.
    pub pixels: u64,
    /// The most bytes a file may have.
    pub bytes: u64,
    /// The most frames an animated picture may have.
    pub frames: u32,
    /// The most memory for a picture that cannot be read row by row, in bytes.
    pub whole: u64,
    /// The longest one rendition may take.
    pub time: Duration,
}

impl Limits {
    /// 150 million pixels and 256 MiB: above any camera's, far below what a hostile header can
    /// claim.
    pub const DEFAULT: Self = Self {
        pixels: 150_000_000,
        bytes: 256 << 20,
        frames: 1000,
        whole: 320 << 20,
        time: Duration::from_secs(60),
    };

    /// Refuses a size above the limits.
    ///
    /// # Errors
    /// [`ImageError::TooLarge`].
    pub fn check(self, size: Size) -> Result<(), ImageError> {
        if size.pixels() > self.pixels {
            return Err(ImageError::TooLarge { size, limit: self.pixels / 1_000_000 });
        }
        Ok(())
    }

    /// Refuses a file above the limits.
    ///
    /// # Errors
    /// [`ImageError::TooHeavy`].
    pub fn check_bytes(self, bytes: u64) -> Result<(), ImageError> {
        if bytes > self.bytes {
            return Err(ImageError::TooHeavy { bytes, limit: self.bytes });
        }
        Ok(())
    }

    /// Refuses a picture that must be held whole at `bytes` a pixel and would take too much memory.
    ///
    /// # Errors
    /// [`ImageError::TooMuchMemory`].
    pub fn check_whole(self, size: Size, bytes: u64) -> Result<(), ImageError> {
        let needed = size.pixels().saturating_mul(bytes);
        if needed > self.whole {
            return Err(ImageError::TooMuchMemory {
                size,
                mebibytes: needed >> 20,
                limit: self.whole >> 20,
            });
        }
        Ok(())
    }
}

impl Default for Limits {
    fn default() -> Self {
        Self::DEFAULT
    }
}

/// Work under way, and a way to end it from outside, or to hold it for a while: it stops within one
/// strip of rows. Clones share their end.
#[derive(Clone, Debug, Default)]
pub struct Work {
    stopped: Arc<AtomicBool>,
    until: Option<Instant>,
    give_way: Option<GiveWay>,
}

/// Called between steps; returns when the next one may begin.
#[derive(Clone)]
struct GiveWay(Arc<dyn Fn() + Send + Sync>);

impl fmt::Debug for GiveWay {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("GiveWay")
    }
}

impl Work {
    /// Work that may take as long as `limits` say.
    pub fn within(limits: Limits) -> Self {
        Self { until: Instant::now().checked_add(limits.time), ..Self::default() }
    }

    /// The same work, which calls `give_way` between its steps: that returns when the next one may
    /// begin.
    #[must_use]
    pub fn giving_way(&self, give_way: impl Fn() + Send + Sync + 'static) -> Self {
        Self { give_way: Some(GiveWay(Arc::new(give_way))), ..self.clone() }
    }

    /// True if it may not go on for ever.
    pub const fn has_end(&self) -> bool {
        self.until.is_some()
    }

    /// Refuses a step that cannot be stopped once it has begun and would take longer than is left.
    ///
    /// # Errors
    /// As [`go_on`](Self::go_on).
    pub fn has_time_for(&self, step: Duration) -> Result<(), ImageError> {
        self.go_on()?;
        let left = self.until.map(|until| until.saturating_duration_since(Instant::now()));
        if left.is_some_and(|left| left < step) { Err(ImageError::TooSlow) } else { Ok(()) }
    }

    /// Ends it.
    pub fn stop(&self) {
        self.stopped.store(true, Ordering::Relaxed);
    }

    /// Asks whether to go on, which may take a while where something else comes first.
    ///
    /// # Errors
    /// [`ImageError::Stopped`] or [`ImageError::TooSlow`].
    pub fn go_on(&self) -> Result<(), ImageError> {
        if let Some(GiveWay(give_way)) = &self.give_way {
            give_way();
        }
        if self.stopped.load(Ordering::Relaxed) {
            return Err(ImageError::Stopped);
        }
        match self.until {
            Some(until) if Instant::now() > until => Err(ImageError::TooSlow),
            _ => Ok(()),
        }
    }
}
