//! The one way from async code to work that blocks.

/// Blocking work panicked.
#[derive(Clone, Debug, thiserror::Error)]
#[error("the work panicked: {0}")]
pub struct Panicked(String);

/// Runs work that blocks or computes off the async threads, inside the caller's span.
///
/// # Errors
/// If it panics.
pub async fn blocking<T: Send + 'static>(
    work: impl FnOnce() -> T + Send + 'static,
) -> Result<T, Panicked> {
    let span = tracing::Span::current();
    let done = tokio::task::spawn_blocking(move || span.in_scope(work)).await;
    done.map_err(|error| Panicked(error.to_string()))
}
