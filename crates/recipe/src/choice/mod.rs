//! What to send: a pure function of recipe, facts, curves, request and policy, with its reasons.

mod candidates;
mod choose;
mod kind;
mod outcome;
mod target;
mod varies;

pub use choose::{ChoiceError, choose};
pub use kind::kind;
pub use outcome::{Candidate, Choice, Edits, Reason};
pub use target::Lowered;
pub use varies::{Varies, varies};

#[cfg(test)]
mod tests;
