//! What one call may cost.

use std::{
    fmt,
    sync::{
        Arc, OnceLock,
        atomic::{AtomicBool, Ordering},
    },
    thread::ThreadId,
    time::{Duration, Instant},
};

use cpu_time::ThreadTime;
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
/// strip of rows. Clones share their end, and the time, which begins with the first step.
#[derive(Clone, Debug, Default)]
pub struct Work {
    stopped: Arc<AtomicBool>,
    time: Option<Duration>,
    clock: Arc<OnceLock<Clock>>,
    give_way: Option<GiveWay>,
}

/// On a busy machine work may take so many times as long as on one of its own.
const MAX_SHARED: u32 = 4;

/// The time of work: on the wall, and on the processor as far as the thread that began it is asked.
#[derive(Debug)]
struct Clock {
    began: Instant,
    thread: ThreadId,
    processor: Duration,
}

/// The time that a step takes.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct Step {
    pub wall: Duration,
    pub processor: Duration,
}

impl Step {
    /// The time since `began`, on this thread.
    pub fn since((wall, processor): (Instant, ThreadTime)) -> Self {
        Self { wall: wall.elapsed(), processor: processor.elapsed() }
    }

    /// So many times as long.
    pub fn times(self, factor: f64) -> Self {
        let times = |one: Duration| Duration::from_secs_f64(one.as_secs_f64() * factor);
        Self { wall: times(self.wall), processor: times(self.processor) }
    }
}

impl Clock {
    fn start() -> Self {
        Self {
            began: Instant::now(),
            thread: std::thread::current().id(),
            processor: ThreadTime::now().as_duration(),
        }
    }

    /// Refuses what would be over `time` after one more step: its own fault, or that of others.
    fn check(&self, time: Duration, step: Step) -> Result<(), ImageError> {
        let wall = self.began.elapsed() + step.wall;
        if wall <= time {
            return Ok(());
        }
        let own = std::thread::current().id() == self.thread;
        let used = ThreadTime::now().as_duration().saturating_sub(self.processor);
        match own && used + step.processor <= time {
            true if wall > time * MAX_SHARED => Err(ImageError::Busy),
            true => Ok(()),
            false => Err(ImageError::TooSlow),
        }
    }
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
    /// Work that may take as much time of a processor as `limits` say.
    pub fn within(limits: Limits) -> Self {
        Self { time: Some(limits.time), ..Self::default() }
    }

    /// The same work, which calls `give_way` between its steps: that returns when the next one may
    /// begin.
    #[must_use]
    pub fn giving_way(&self, give_way: impl Fn() + Send + Sync + 'static) -> Self {
        Self { give_way: Some(GiveWay(Arc::new(give_way))), ..self.clone() }
    }

    /// True if it may not go on for ever.
    pub const fn has_end(&self) -> bool {
        self.time.is_some()
    }

    /// Refuses a step that cannot be stopped once it has begun and would take longer than is left.
    ///
    /// # Errors
    /// As [`go_on`](Self::go_on).
    pub(crate) fn has_time_for(&self, step: Step) -> Result<(), ImageError> {
        self.go_on()?;
        self.check_time(step)
    }

    fn check_time(&self, step: Step) -> Result<(), ImageError> {
        let Some(time) = self.time else { return Ok(()) };
        self.clock.get_or_init(Clock::start).check(time, step)
    }

    /// Ends it.
    pub fn stop(&self) {
        self.stopped.store(true, Ordering::Relaxed);
    }

    /// Asks whether to go on, which may take a while where something else comes first.
    ///
    /// # Errors
    /// [`ImageError::Stopped`], [`ImageError::TooSlow`], or [`ImageError::Busy`] where other work on
    /// the machine is the reason.
    pub fn go_on(&self) -> Result<(), ImageError> {
        if let Some(GiveWay(give_way)) = &self.give_way {
            give_way();
        }
        if self.stopped.load(Ordering::Relaxed) {
            return Err(ImageError::Stopped);
        }
        self.check_time(Step::default())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn time_that_others_took_is_not_its_own() {
        let time = Duration::from_millis(50);
        let work = Work::within(Limits { time, ..Limits::DEFAULT });
        // Its time begins with its first step.
        std::thread::sleep(2 * time);
        assert_eq!(work.go_on(), Ok(()));
        // Waiting takes no time of the processor.
        std::thread::sleep(2 * time);
        assert_eq!(work.go_on(), Ok(()));
        let step = |processor| Step { wall: time, processor };
        assert_eq!(work.has_time_for(step(time / 5)), Ok(()));
        assert_eq!(work.has_time_for(step(time)), Err(ImageError::TooSlow));
        std::thread::sleep(time * MAX_SHARED);
        assert_eq!(work.go_on(), Err(ImageError::Busy));
        let elsewhere = std::thread::spawn(move || work.go_on()).join().expect("no panic");
        assert_eq!(elsewhere, Err(ImageError::TooSlow));
    }
}
