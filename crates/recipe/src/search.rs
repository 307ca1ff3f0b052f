//! The search for the setting that meets a fidelity, and the decision between a first rendition and a later one.

use crate::{Effort, Fidelity, Format};

/// A later rendition counts as nearer only if its score is nearer by more than this.
const NEARER: f32 = 1.0;

/// A rendition this near its target is near enough: no other is searched for, or swapped in, for its score alone.
pub const REFINED: f32 = 2.8;

/// Maximum encodes of a search with the fast preset, and with the slow one, where each takes several times as long.
const MAX_TRIES: usize = 5;
const MAX_SLOW_TRIES: usize = 2;

/// Settings nearer to each other give the same file, or nearly so: AVIF takes whole ones. Others tell tenths apart, which at low
/// settings change the score.
const fn min_step(format: Format) -> f32 {
    if matches!(format, Format::Avif) { 0.5 } else { 0.05 }
}

/// A search for the setting that gives a target. Ask [`Search::next_setting`] what to try, tell [`Search::tried`] what
/// came out.
pub struct Search<'a> {
    target: Fidelity,
    near: f32,
    /// What is asked of the expectation: above the target by what was missed so far.
    aim: f32,
    max: usize,
    min_step: f32,
    expected: &'a dyn Fn(f32) -> f32,
    tried: Vec<(f32, f32)>,
}

/// A search in `format` that ends within `near` of the target, or when it has cost what `effort` allows, led by
/// `expected`: the setting that should give a score, which may lie beyond 1 to 100.
pub fn search(
    format: Format,
    target: Fidelity,
    near: f32,
    effort: Effort,
    expected: &dyn Fn(f32) -> f32,
) -> Search<'_> {
    let max = if effort == Effort::Slow { MAX_SLOW_TRIES } else { MAX_TRIES };
    let aim = f32::from(target.get());
    Search { target, near, max, min_step: min_step(format), aim, expected, tried: Vec::new() }
}

impl Search<'_> {
    /// What is searched for.
    pub fn target(&self) -> Fidelity {
        self.target
    }

    fn goal(&self) -> f32 {
        f32::from(self.target.get())
    }

    /// The next setting to try; `None` once the target is met, or as nearly as settings and patience allow.
    pub fn next_setting(&self) -> Option<f32> {
        let miss = |tried: &(f32, f32)| (tried.1 - self.goal()).abs();
        if self.tried.iter().any(|tried| miss(tried) <= self.near) || self.tried.len() >= self.max {
            return None;
        }
        let setting =
            self.between().or_else(|| self.beyond()).unwrap_or_else(|| (self.expected)(self.aim)).clamp(0.0, 100.0);
        self.tried.iter().all(|(tried, _)| (tried - setting).abs() >= self.min_step).then_some(setting)
    }

    /// Tells what a setting gave.
    pub fn tried(&mut self, setting: f32, fidelity: f32) {
        self.aim += self.goal() - fidelity;
        self.tried.push((setting, fidelity));
    }

    /// On the line between the nearest tries on either side of the target, once there are both.
    fn between(&self) -> Option<f32> {
        let below = self.tried.iter().filter(|tried| tried.1 < self.goal()).max_by(|a, b| a.1.total_cmp(&b.1))?;
        let above = self.tried.iter().filter(|tried| tried.1 >= self.goal()).min_by(|a, b| a.1.total_cmp(&b.1))?;
        let share = (self.goal() - below.1) / (above.1 - below.1);
        // Where the last two fell on one side the line is bent: half as far from the other end.
        let side = |tried: &(f32, f32)| tried.1 >= self.goal();
        let bent = match self.tried.as_slice() {
            [_, .., before, last] if side(before) && side(last) => share / 2.0,
            [_, .., before, last] if !side(before) && !side(last) => (1.0 + share) / 2.0,
            _ => share,
        };
        Some(below.0 + (above.0 - below.0) * bent)
    }

    /// On the line through the last two tries, where score rose with the setting: two that missed on one side tell more of this
    /// picture than what was expected.
    fn beyond(&self) -> Option<f32> {
        let [.., before, last] = self.tried.as_slice() else { return None };
        let slope = (last.1 - before.1) / (last.0 - before.0);
        (slope > 0.0).then(|| last.0 + (self.goal() - last.1) / slope)
    }
}

/// One scored rendition.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Trial {
    /// The encoder's setting.
    pub setting: f32,
    /// Its score.
    pub fidelity: f32,
    /// Its bytes.
    pub bytes: u64,
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
        (self.fidelity - f32::from(target.get())).abs()
    }

    /// Whether `later` takes this one's place: where it is at least a tenth smaller and no worse a score than is
    /// tolerated, or nearer a target that this one misses.
    pub fn against(&self, later: &Self, target: Fidelity) -> Decision {
        let tolerated = later.misses(target) <= REFINED.max(self.misses(target));
        let smaller = is_worth_swapping(self.bytes, later.bytes) && tolerated;
        let nearer = self.misses(target) > REFINED && later.misses(target) + NEARER < self.misses(target);
        if smaller || nearer { Decision::Swap } else { Decision::Keep }
    }
}

/// True if `later` bytes are at least a tenth fewer than `first`.
pub const fn is_worth_swapping(first: u64, later: u64) -> bool {
    later * 10 <= first * 9
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn target(score: u8) -> Fidelity {
        Fidelity::new(score).expect("a fidelity")
    }

    #[test]
    fn a_first_rendition_stays_unless_something_is_gained() {
        let one = |fidelity, bytes| Trial { setting: 50.0, fidelity, bytes };
        let decision = |first: Trial, later| first.against(&later, target(70));
        assert_eq!(decision(one(70.0, 1000), one(70.0, 901)), Decision::Keep);
        assert_eq!(decision(one(70.0, 1000), one(70.0, 900)), Decision::Swap);
        assert_eq!(decision(one(70.0, 1000), one(62.0, 700)), Decision::Keep, "fewer bytes at the score's cost");
        assert_eq!(decision(one(64.0, 1000), one(70.0, 1200)), Decision::Swap);
        assert_eq!(decision(one(68.0, 1000), one(70.0, 1100)), Decision::Keep, "near enough");
        assert_eq!(decision(one(76.0, 1000), one(75.5, 990)), Decision::Keep, "hardly nearer");
    }

    proptest! {
        /// Encoders that are steep at the bottom and flat at the top, led by an expectation that is off.
        #[test]
        fn the_target_is_met_in_a_few_tries(score in 30u8..=90, lift in -12.0f32..8.0, off in -8.0f32..8.0) {
            let encoder = |setting: f32| lift + 105.0 * (setting / 100.0).powf(0.45) - 8.0;
            let expected = |score: f32| ((score + 8.0).max(0.0) / 105.0).powf(1.0 / 0.45) * 100.0 + off;
            prop_assume!(encoder(100.0) >= f32::from(score) && encoder(0.0) <= f32::from(score));
            let mut search = search(Format::Avif, target(score), 1.5, Effort::Fast, &expected);
            let mut nearest = f32::MAX;
            while let Some(setting) = search.next_setting() {
                let fidelity = encoder(setting);
                search.tried(setting, fidelity);
                nearest = nearest.min((fidelity - f32::from(score)).abs());
            }
            prop_assert!(search.tried.len() <= MAX_TRIES);
            prop_assert!(nearest <= 1.5, "missed by {nearest} after {:?}", search.tried);
        }
    }
}
