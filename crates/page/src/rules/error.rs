//! Rules that cannot be used.

use std::fmt::Display;

/// What is wrong with rules, and the way out.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum RuleError {
    /// A rule is wrong.
    #[error("rule {number}, {key}: {problem}")]
    Rule {
        /// Counted from 1.
        number: usize,
        /// The key at fault.
        key: &'static str,
        /// What is wrong with it.
        problem: String,
    },
    /// A place is wrong.
    #[error("{problem}")]
    Place {
        /// Its name, as written.
        name: String,
        /// What is wrong with it.
        problem: String,
    },
}

impl RuleError {
    pub(super) fn place(name: &str, problem: &dyn Display) -> Self {
        Self::Place { name: name.to_owned(), problem: problem.to_string() }
    }
}
