//! Work that no request waits for: curves first, then improvements, one at a time, at low priority.

use std::{
    collections::{HashSet, VecDeque},
    sync::{Arc, Condvar, Mutex, MutexGuard, PoisonError, Weak},
    time::Duration,
};

use super::{Job, workshop::Workshop};
use crate::shelves::Original;

/// The most tasks remembered of one kind; a task forgotten is asked for again when its rendition is next sent.
const MAX: usize = 20_000;

/// How long the thread sleeps before it asks again whether anybody needs it.
const NAP: Duration = Duration::from_millis(250);

/// One thing to do.
#[derive(Clone, Debug)]
pub(super) enum Task {
    /// Measure the curves of an original.
    Measure(Arc<Original>),
    /// Make the final rendition that follows a first one.
    Improve {
        /// The rendition's key.
        key: String,
        /// What it is of.
        job: Box<Job>,
    },
}

impl Task {
    fn name(&self) -> &str {
        match self {
            Self::Measure(original) => &original.record.hash,
            Self::Improve { key, .. } => key,
        }
    }
}

/// The tasks at hand. The thread ends when the last clone is dropped.
#[derive(Clone)]
pub(super) struct Background(Arc<Tasks>);

#[derive(Default)]
struct Tasks {
    lists: Mutex<Lists>,
    added: Condvar,
}

#[derive(Default)]
struct Lists {
    measures: VecDeque<Task>,
    improvements: VecDeque<Task>,
    names: HashSet<String>,
}

impl Background {
    /// Starts the thread, which works in `workshop`.
    pub(super) fn start(workshop: Workshop) -> std::io::Result<Self> {
        let tasks = Arc::new(Tasks::default());
        let waiting = Arc::downgrade(&tasks);
        let runtime = tokio::runtime::Handle::current();
        std::thread::Builder::new().name("kivet-background".to_owned()).spawn(move || {
            give_way();
            while let Some(task) = next(&waiting) {
                workshop.wait_until_idle();
                let name = task.name().to_owned();
                if let Err(error) = workshop.do_task(task, &runtime) {
                    tracing::warn!("background work failed: {error}");
                }
                if let Some(tasks) = waiting.upgrade() {
                    tasks.lists().names.remove(&name);
                }
            }
        })?;
        Ok(Self(tasks))
    }

    /// Adds a task, unless it is there already.
    pub(super) fn add(&self, task: Task) {
        let mut lists = self.0.lists();
        if !lists.names.insert(task.name().to_owned()) {
            return;
        }
        let list = if matches!(task, Task::Measure(_)) { &mut lists.measures } else { &mut lists.improvements };
        list.push_back(task);
        if list.len() > MAX
            && let Some(forgotten) = list.pop_front()
        {
            lists.names.remove(forgotten.name());
        }
        drop(lists);
        self.0.added.notify_one();
    }

    /// How many tasks wait or are under way.
    pub(super) fn tasks(&self) -> usize {
        self.0.lists().names.len()
    }
}

impl Tasks {
    fn lists(&self) -> MutexGuard<'_, Lists> {
        self.lists.lock().unwrap_or_else(PoisonError::into_inner)
    }
}

/// The next task, curves before improvements; `None` once nobody can add any.
fn next(waiting: &Weak<Tasks>) -> Option<Task> {
    loop {
        let tasks = waiting.upgrade()?;
        let mut lists = tasks.lists();
        if let Some(task) = lists.measures.pop_front().or_else(|| lists.improvements.pop_front()) {
            return Some(task);
        }
        let _woken = tasks.added.wait_timeout(lists, NAP);
    }
}

/// About a tenth of a viewer's share of a core, where both want the same one. No less: on a busy machine the last step
/// would starve it. Threads that encoders start from this one inherit it.
fn give_way() {
    const NICE: i32 = 10;
    if let Err(error) = rustix::process::setpriority_process(Some(rustix::thread::gettid()), NICE) {
        tracing::warn!("background work runs beside viewers' at the same priority: {error}");
    }
}
