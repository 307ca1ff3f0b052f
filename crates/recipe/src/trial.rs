//! Encodes that were scored, and which of two is worth sending.

use crate::{Bytes, Fidelity, Score, Setting};

/// A later trial counts as nearer only if its score is nearer by more than this.
const NEARER: f32 = 1.0;

/// A rendition this near its target is near enough: no other is searched for, or swapped in, for
/// its score alone.
pub const REFINED: f32 = 2.8;

/// One encode, scored.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Trial {
    /// The encoder's setting.
    pub setting: Setting,
    /// Its score.
    pub score: Score,
    /// Its bytes.
    pub bytes: Bytes,
}

/// What becomes of a first rendition.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Decision {
    /// It is declared final.
    Keep,
    /// The later one takes its place.
    Swap,
}

impl Trial {
    /// How far its score is from the target.
    pub fn misses(&self, target: Fidelity) -> f32 {
        self.score.misses(target)
    }

    /// Whether `later` takes this one's place: it is at least a tenth smaller with a score that is
    /// tolerated, or it is nearer a target that this one misses, and either lighter or better.
    pub fn decide(&self, later: &Self, target: Fidelity) -> Decision {
        let tolerated = later.misses(target) <= REFINED.max(self.misses(target));
        let smaller = is_worth_swapping(self.bytes, later.bytes) && tolerated;
        let pays = later.bytes <= self.bytes || later.score.get() > self.score.get();
        let nearer = pays
            && self.misses(target) > REFINED
            && later.misses(target) + NEARER < self.misses(target);
        if smaller || nearer { Decision::Swap } else { Decision::Keep }
    }
}

/// True if `later` bytes are at least a tenth fewer than `first`.
pub const fn is_worth_swapping(first: Bytes, later: Bytes) -> bool {
    later.get() * 10 <= first.get() * 9
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_first_rendition_stays_unless_something_is_gained() {
        let one = |score, bytes| Trial {
            setting: Setting::MIDDLE,
            score: Score::new(score),
            bytes: Bytes::new(bytes),
        };
        let decide =
            |first: Trial, later| first.decide(&later, Fidelity::new(70).expect("a fidelity"));
        assert_eq!(decide(one(70.0, 1000), one(70.0, 901)), Decision::Keep);
        assert_eq!(decide(one(70.0, 1000), one(70.0, 900)), Decision::Swap);
        assert_eq!(
            decide(one(70.0, 1000), one(62.0, 700)),
            Decision::Keep,
            "fewer bytes at the score's cost"
        );
        assert_eq!(decide(one(64.0, 1000), one(70.0, 1200)), Decision::Swap);
        assert_eq!(decide(one(68.0, 1000), one(70.0, 1100)), Decision::Keep, "near enough");
        assert_eq!(decide(one(80.0, 1000), one(71.0, 1100)), Decision::Keep, "heavier and worse");
        assert_eq!(decide(one(76.0, 1000), one(75.5, 990)), Decision::Keep, "hardly nearer");
    }
}
