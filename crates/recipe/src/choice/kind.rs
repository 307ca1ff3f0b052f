//! Whether an original is photographic or flat art: what the choice makes of it.

use super::choose::choose;
use crate::{Curves, Encoding, Facts, Kind, Policy, Recipe, Request};

/// The width at which an original is judged: that of a picture across a page.
const JUDGED_AT: u32 = 1000;

/// Flat art is what a client that reads every format is sent losslessly, or as a vector: that takes
/// no more bytes than the least loss that nobody sees.
pub fn kind(facts: &Facts, curves: &Curves, policy: &Policy) -> Kind {
    let across = Recipe::of_width(facts.size.width.min(JUDGED_AT));
    let recipe = across.with(|clauses| clauses.still = facts.animated).unwrap_or(across);
    let chosen = choose(&recipe, facts, curves, &Request::ANYTHING, policy);
    let is_lossy = |encoding| matches!(encoding, Encoding::Lossy { .. });
    match chosen {
        Ok(choice) if !is_lossy(choice.encoding) => Kind::Flat,
        _ => Kind::Photo,
    }
}
