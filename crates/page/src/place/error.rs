//! A place that cannot be used.

/// What is wrong with a place, and the way out.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("the place `{place}`, {key}: {problem}")]
pub struct PlaceError {
    /// The place's name, as written.
    pub place: String,
    /// The key at fault.
    pub key: String,
    /// What is wrong with it.
    pub problem: String,
}
