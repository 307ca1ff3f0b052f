//! Threads that give way to others: to those that serve requests, and among each other by their
//! nice values.

use std::{io, sync::Arc, time::Duration};

use tokio::runtime::{Builder, Runtime};

use crate::blocking::Panicked;

/// The nice value of pictures that nobody called urgent: about a tenth of the share of a core that
/// those and the async threads have where both want the same one.
pub(super) const USUAL: i32 = 10;

/// The nice value of work that no request waits for: two thirds of what viewers' work has, which it
/// lets go first anyway. No less: on a busy machine it would starve.
pub(super) const BACKGROUND: i32 = 12;

/// How long one waits for more work. What it has freed can be given back only once it is gone.
const IDLE: Duration = Duration::from_secs(2);

/// Some such threads. Threads that encoders start from them inherit their nice value. Cheap to clone;
/// they end with the last clone.
#[derive(Clone)]
pub(super) struct LowPriority(Arc<Threads>);

/// A thread may lower its own priority, but not raise it again: these keep theirs.
struct Threads(Option<Runtime>);

impl Drop for Threads {
    fn drop(&mut self) {
        // Waiting for them is not allowed on an async thread.
        if let Some(runtime) = self.0.take() {
            runtime.shutdown_background();
        }
    }
}

impl LowPriority {
    /// Starts as many threads of that nice value as have work at a time, up to `at_most`.
    pub(super) fn new(name: &str, nice: i32, at_most: usize) -> io::Result<Self> {
        let lowered = move || {
            let own = Some(rustix::thread::gettid());
            if let Err(error) = rustix::process::setpriority_process(own, nice) {
                tracing::warn!(%error, "a thread keeps the priority of urgent work");
            }
        };
        let mut threads = Builder::new_current_thread();
        threads.thread_name(name).max_blocking_threads(at_most).thread_keep_alive(IDLE);
        threads.on_thread_start(lowered);
        Ok(Self(Arc::new(Threads(Some(threads.build()?)))))
    }

    /// Runs work on one of the threads, inside the caller's span.
    ///
    /// # Errors
    /// If it panics.
    pub(super) async fn run<T: Send + 'static>(
        &self,
        work: impl FnOnce() -> T + Send + 'static,
    ) -> Result<T, Panicked> {
        let span = tracing::Span::current();
        let Threads(Some(threads)) = &*self.0 else { unreachable!("there until dropped") };
        let done = threads.spawn_blocking(move || span.in_scope(work)).await;
        done.map_err(|error| Panicked::of(&error))
    }
}
