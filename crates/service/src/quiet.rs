//! What follows once work has ended: what only work needs is forgotten, and freed memory goes back to
//! the system.

use std::time::Duration;

use crate::pipeline::Pipeline;

/// A shorter pause, as between two pages of a reader, is none.
const PAUSE: Duration = Duration::from_secs(5);

/// Waits for work and for its end, then calls `give_back`; for ever.
pub(super) async fn tidy(pipeline: Pipeline, give_back: fn()) {
    loop {
        pipeline.quiet_after_work(PAUSE).await;
        if let Err(error) = pipeline.give_back(give_back).await {
            tracing::warn!(error = %crate::causes(&error), "memory could not be given back");
        }
    }
}
