//! One computation per rendition at a time, however many ask; none at all once nobody does.
//!
//! A flight is a task of its own, so that a viewer who leaves does not throw away what others wait
//! for. While it waits in the queue it ends with its last waiter. Once it is under way it goes on
//! for [`GRACE`], in which a reloaded page may join it, and is then stopped.

use std::{
    collections::HashMap,
    future::Future,
    sync::{
        Arc, Mutex, MutexGuard, PoisonError,
        atomic::{AtomicU8, AtomicU64, AtomicUsize, Ordering},
    },
    time::Duration,
};

use kivet_image::{Limits, Work};
use kivet_store::Blob;
use tokio::{sync::watch, task::AbortHandle};
use tracing::Instrument;

use super::{PipelineError, RenditionKey};

/// How long work goes on after its last waiter left.
const GRACE: Duration = Duration::from_secs(2);

type Landed = Option<Result<Arc<Blob>, PipelineError>>;

/// The flights that wait or are under way. Cheap to clone.
#[derive(Clone, Default)]
pub(super) struct Flights {
    flights: Arc<Mutex<HashMap<RenditionKey, Arc<Flight>>>>,
    next_id: Arc<AtomicU64>,
}

struct Flight {
    id: u64,
    landed: watch::Receiver<Landed>,
    task: AbortHandle,
    control: Control,
    waiters: AtomicUsize,
}

/// How a flight is told to stop, and tells that it began.
#[derive(Clone, Debug, Default)]
pub(super) struct Control {
    /// Checked between the steps of the engine.
    pub(super) work: Work,
    stage: Arc<AtomicU8>,
}

const WAITING: u8 = 0;
const UNDER_WAY: u8 = 1;
const CANCELLED: u8 = 2;

impl Control {
    fn within(limits: Limits) -> Self {
        Self { work: Work::within(limits), stage: Arc::default() }
    }

    /// Says that work begins; false if nobody waits for it any more.
    pub(super) fn begin(&self) -> bool {
        self.stage.compare_exchange(WAITING, UNDER_WAY, Ordering::AcqRel, Ordering::Acquire).is_ok()
    }

    /// Cancels what has not begun; false if it has.
    fn cancel(&self) -> bool {
        self.stage.compare_exchange(WAITING, CANCELLED, Ordering::AcqRel, Ordering::Acquire).is_ok()
    }
}

impl Flights {
    /// What `make` gives for `key`, and whether it was begun for this call: an earlier one may be
    /// under way. Work that takes longer than `limits` allow is stopped.
    pub(super) async fn join<F>(
        &self,
        key: &RenditionKey,
        limits: Limits,
        make: impl FnOnce(Control) -> F,
    ) -> (Result<Arc<Blob>, PipelineError>, bool)
    where
        F: Future<Output = Result<Arc<Blob>, PipelineError>> + Send + 'static,
    {
        let (waiter, begun) = self.board(key, limits, make);
        let mut landed = waiter.flight.landed.clone();
        let result = landed.wait_for(Option::is_some).await.ok().and_then(|landed| landed.clone());
        (
            result.unwrap_or_else(|| Err(PipelineError::Broken("the work panicked".to_owned()))),
            begun,
        )
    }

    fn board<F>(
        &self,
        key: &RenditionKey,
        limits: Limits,
        make: impl FnOnce(Control) -> F,
    ) -> (Waiter, bool)
    where
        F: Future<Output = Result<Arc<Blob>, PipelineError>> + Send + 'static,
    {
        let mut flights = self.lock();
        let known = flights.get(key).cloned();
        let (flight, begun) = match known {
            Some(flight) => (flight, false),
            None => (self.start(key, limits, make), true),
        };
        flight.waiters.fetch_add(1, Ordering::Relaxed);
        flights.insert(key.clone(), Arc::clone(&flight));
        (Waiter { flights: self.clone(), key: key.clone(), flight }, begun)
    }

    fn start<F>(
        &self,
        key: &RenditionKey,
        limits: Limits,
        make: impl FnOnce(Control) -> F,
    ) -> Arc<Flight>
    where
        F: Future<Output = Result<Arc<Blob>, PipelineError>> + Send + 'static,
    {
        let control = Control::within(limits);
        let (tell, landed) = watch::channel(None);
        let id = self.next_id.fetch_add(1, Ordering::Relaxed);
        let ending = Ending { flights: self.clone(), key: key.clone(), id };
        let making = make(control.clone());
        let task = tokio::spawn(
            async move {
                let result = making.await;
                // The next request finds the result in the store, or tries again.
                drop(ending);
                tell.send_replace(Some(result));
            }
            .in_current_span(),
        );
        Arc::new(Flight {
            id,
            landed,
            task: task.abort_handle(),
            control,
            waiters: AtomicUsize::new(0),
        })
    }

    fn lock(&self) -> MutexGuard<'_, HashMap<RenditionKey, Arc<Flight>>> {
        self.flights.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Takes a flight off the list, unless another has its key by now.
    fn remove(&self, key: &RenditionKey, id: u64) {
        let mut flights = self.lock();
        if flights.get(key).is_some_and(|flight| flight.id == id) {
            flights.remove(key);
        }
    }
}

/// Takes its flight off the list however the task ends.
struct Ending {
    flights: Flights,
    key: RenditionKey,
    id: u64,
}

impl Drop for Ending {
    fn drop(&mut self) {
        self.flights.remove(&self.key, self.id);
    }
}

/// One request that waits for a flight.
struct Waiter {
    flights: Flights,
    key: RenditionKey,
    flight: Arc<Flight>,
}

impl Drop for Waiter {
    fn drop(&mut self) {
        let flight = &self.flight;
        if flight.waiters.fetch_sub(1, Ordering::AcqRel) > 1 || flight.task.is_finished() {
            return;
        }
        if flight.control.cancel() {
            self.flights.remove(&self.key, flight.id);
            flight.task.abort();
            return;
        }
        let flight = Arc::clone(flight);
        tokio::spawn(async move {
            let mut landed = flight.landed.clone();
            let landing = tokio::time::timeout(GRACE, landed.wait_for(Option::is_some));
            if landing.await.is_err() && flight.waiters.load(Ordering::Acquire) == 0 {
                flight.control.work.stop();
            }
        });
    }
}

#[cfg(test)]
mod tests {
    use kivet_image::ImageError;
    use tokio::sync::Notify;

    use super::*;

    fn key() -> RenditionKey {
        RenditionKey::from_index("k".to_owned())
    }

    /// Work that begins when it is let, then goes on until it is stopped.
    async fn endless(
        control: Control,
        let_begin: Arc<Notify>,
        began: Arc<Notify>,
    ) -> Result<Arc<Blob>, PipelineError> {
        let_begin.notified().await;
        assert!(control.begin());
        began.notify_one();
        loop {
            if let Err(source) = control.work.go_on() {
                return Err(PipelineError::Image { id: "an original".to_owned(), source });
            }
            tokio::time::sleep(Duration::from_millis(100)).await;
        }
    }

    #[tokio::test(start_paused = true)]
    async fn what_waits_in_the_queue_ends_with_its_last_waiter() {
        let (flights, let_begin, began) =
            (Flights::default(), Arc::new(Notify::new()), Arc::new(Notify::new()));
        let (mut controls, key) = (Vec::new(), key());
        let one = flights.join(&key, Limits::DEFAULT, |control| {
            controls.push(control.clone());
            endless(control, Arc::clone(&let_begin), Arc::clone(&began))
        });
        let left = tokio::time::timeout(Duration::from_millis(10), one).await;
        assert!(left.is_err() && flights.lock().is_empty());
        assert!(!controls[0].begin(), "it may not begin any more");
    }

    #[tokio::test(start_paused = true)]
    async fn what_is_under_way_can_be_joined_for_a_while_and_is_then_stopped() {
        let (flights, let_begin, began) =
            (Flights::default(), Arc::new(Notify::new()), Arc::new(Notify::new()));
        let join = |flights: Flights| {
            let (let_begin, began) = (Arc::clone(&let_begin), Arc::clone(&began));
            tokio::spawn(async move {
                flights
                    .join(&key(), Limits::DEFAULT, |control| endless(control, let_begin, began))
                    .await
            })
        };
        let first = join(flights.clone());
        let_begin.notify_one();
        began.notified().await;
        first.abort();
        assert!(first.await.is_err());
        tokio::time::sleep(GRACE / 2).await;
        let second = join(flights.clone());
        tokio::time::sleep(GRACE).await;
        assert!(!second.is_finished(), "a request waits for it again");
        second.abort();
        assert!(second.await.is_err());
        let flight = flights.lock().get(&key()).cloned().expect("still under way");
        tokio::time::sleep(GRACE * 2).await;
        let landed = flight.landed.borrow().clone().expect("it has ended");
        assert!(
            matches!(landed, Err(PipelineError::Image { source: ImageError::Stopped, .. })),
            "{landed:?}"
        );
        assert!(flights.lock().is_empty());
    }
}
