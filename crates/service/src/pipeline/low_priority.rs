//! A thread that gives way to all others, for work that no request waits for.

use tokio::sync::{mpsc, oneshot};
use tracing::Span;

use super::PipelineError;

/// The nice value: about a tenth of a viewer's share of a core where both want the same one. No
/// less: on a busy machine the lowest priority would starve it. Threads that encoders start from
/// this one inherit it.
const NICE: i32 = 10;

type Task = Box<dyn FnOnce() + Send>;

/// The thread. It ends when the last clone is dropped.
#[derive(Clone)]
pub(super) struct LowPriority(mpsc::UnboundedSender<Task>);

impl LowPriority {
    /// Starts the thread.
    pub(super) fn start() -> std::io::Result<Self> {
        let (tasks, mut waiting) = mpsc::unbounded_channel::<Task>();
        std::thread::Builder::new().name("kivet-background".to_owned()).spawn(move || {
            if let Err(error) =
                rustix::process::setpriority_process(Some(rustix::thread::gettid()), NICE)
            {
                tracing::warn!(%error, "background work has the same priority as viewers' work");
            }
            while let Some(task) = waiting.blocking_recv() {
                // A panic ends its own task only: the sender of its result is dropped, which tells
                // the waiter.
                let _ = std::panic::catch_unwind(std::panic::AssertUnwindSafe(task));
            }
        })?;
        Ok(Self(tasks))
    }

    /// Runs work on the thread, inside the caller's span.
    pub(super) async fn run<T: Send + 'static>(
        &self,
        work: impl FnOnce() -> Result<T, PipelineError> + Send + 'static,
    ) -> Result<T, PipelineError> {
        let broken = || PipelineError::Broken("background work panicked".to_owned());
        let (tell, told) = oneshot::channel();
        let span = Span::current();
        let task = Box::new(move || {
            // Whoever asked may be gone.
            let _ = tell.send(span.in_scope(work));
        });
        self.0.send(task).map_err(|_| broken())?;
        told.await.unwrap_or_else(|_| Err(broken()))
    }
}
