//! What is to be made of which original, for which request.

use std::sync::Arc;

use kivet_recipe::{Choice, Encoding, Recipe, Request};

use crate::shelves::Original;

/// What is to be made of which original.
#[derive(Clone, Debug)]
pub struct Job {
    /// The original.
    pub original: Arc<Original>,
    /// The recipe that was asked for.
    pub recipe: Recipe,
    /// What the first request for it said.
    pub request: Request,
    /// What was chosen for that request.
    pub choice: Choice,
}

impl Job {
    /// True if its pixels are drawn and encoded; false for vectors that stay vectors, and for originals.
    pub fn is_drawn(&self) -> bool {
        !matches!(self.choice.encoding, Encoding::Vector | Encoding::Original)
    }
}
