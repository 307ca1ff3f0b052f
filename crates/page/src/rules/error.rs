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
    /// There are too many rules.
    #[error(
        "there are {has} rules, {limit} at most; name what elements have in common instead of each file"
    )]
    TooMany {
        /// Rules there are.
        has: usize,
        /// The limit.
        limit: usize,
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
