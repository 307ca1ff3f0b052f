//! Work that no request waits for: curves first, then final renditions, one at a time.

use std::{
    collections::{HashSet, VecDeque},
    sync::{Arc, Mutex, MutexGuard, PoisonError},
};

use tokio::sync::Notify;
use tracing::Instrument;

use super::{Job, PipelineError, RenditionKey, improver::Improver};
use crate::shelves::Original;

/// The maximum of tasks remembered of one kind; a task that was dropped is added again when its
/// rendition is next sent.
const MAX_TASKS: usize = 20_000;

/// One thing to do.
#[derive(Clone, Debug)]
pub(super) enum Task {
    /// Measure the curves of an original.
    Measure(Arc<Original>),
    /// Make the final rendition that follows a first one.
    Improve {
        /// The rendition's key.
        key: RenditionKey,
        /// What it is of.
        job: Box<Job>,
    },
}

impl Task {
    fn name(&self) -> &str {
        match self {
            Self::Measure(original) => &original.record.hash,
            Self::Improve { key, .. } => key.as_str(),
        }
    }

    fn span(&self) -> tracing::Span {
        match self {
            Self::Measure(original) => tracing::info_span!("measure", original = %original.id),
            Self::Improve { job, .. } => {
                tracing::info_span!("improve", original = %job.original.id, recipe = %job.choice.recipe)
            }
        }
    }
}

/// The tasks at hand. The work ends when the last clone is dropped.
#[derive(Clone)]
pub(super) struct Background {
    tasks: Arc<Tasks>,
    _running: Arc<AbortOnDrop>,
}

struct AbortOnDrop(tokio::task::AbortHandle);

impl Drop for AbortOnDrop {
    fn drop(&mut self) {
        self.0.abort();
    }
}

#[derive(Default)]
struct Tasks {
    lists: Mutex<Lists>,
    added: Notify,
}

#[derive(Default)]
struct Lists {
    measures: VecDeque<Task>,
    improvements: VecDeque<Task>,
    names: HashSet<String>,
}

impl Background {
    /// Starts working through tasks.
    pub(super) fn start(improver: Improver) -> Self {
        let tasks = Arc::new(Tasks::default());
        let waiting = Arc::clone(&tasks);
        let running = tokio::spawn(async move {
            loop {
                let task = waiting.next().await;
                let (name, span) = (task.name().to_owned(), task.span());
                async {
                    if let Err(error) = carry_out(&improver, task).await {
                        tracing::warn!(error = %crate::causes(&error), "background work failed");
                    }
                }
                .instrument(span)
                .await;
                waiting.lists().names.remove(&name);
            }
        });
        Self { tasks, _running: Arc::new(AbortOnDrop(running.abort_handle())) }
    }

    /// Adds a task, unless it is there already.
    pub(super) fn add(&self, task: Task) {
        let mut lists = self.tasks.lists();
        if !lists.names.insert(task.name().to_owned()) {
            return;
        }
        let list = if matches!(task, Task::Measure(_)) {
            &mut lists.measures
        } else {
            &mut lists.improvements
        };
        list.push_back(task);
        if list.len() > MAX_TASKS
            && let Some(dropped) = list.pop_front()
        {
            lists.names.remove(dropped.name());
        }
        drop(lists);
        self.tasks.added.notify_one();
    }

    /// How many tasks wait or are under way.
    pub(super) fn tasks(&self) -> usize {
        self.tasks.lists().names.len()
    }
}

async fn carry_out(improver: &Improver, task: Task) -> Result<(), PipelineError> {
    match task {
        Task::Measure(original) => improver.measure(original).await,
        Task::Improve { key, job } => improver.improve(key, *job).await,
    }
}

impl Tasks {
    fn lists(&self) -> MutexGuard<'_, Lists> {
        self.lists.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// The next task, curves before improvements, as soon as there is one.
    async fn next(&self) -> Task {
        loop {
            let next = {
                let mut lists = self.lists();
                lists.measures.pop_front().or_else(|| lists.improvements.pop_front())
            };
            match next {
                Some(task) => return task,
                None => self.added.notified().await,
            }
        }
    }
}
