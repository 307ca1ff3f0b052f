//! The search for the encoder setting whose score meets a fidelity target.

use crate::{Effort, Fidelity, Format, Score, Setting};

/// Maximum encodes of a search with the fast preset, and with the slow one, where each takes
/// several times as long.
const MAX_TRIES: usize = 5;
const MAX_SLOW_TRIES: usize = 2;

/// Settings nearer to each other give the same file, or nearly so: AVIF takes whole ones. Others
/// tell tenths apart, which change the score at low settings.
const fn min_step(format: Format) -> f32 {
    if matches!(format, Format::Avif) { 0.5 } else { 0.05 }
}

/// A search for the setting that meets a target. Ask [`Search::next_setting`] what to try, tell
/// [`Search::tried`] what came out.
#[derive(Clone, Debug)]
pub struct Search {
    target: Fidelity,
    near: f32,
    /// The score that the expectation is asked for: the target, shifted by what was missed so far.
    aim: f32,
    max_tries: usize,
    min_step: f32,
    tried: Vec<(f32, f32)>,
}

impl Search {
    /// A search in `format` that ends within `near` of the target, or when it has cost what
    /// `effort` allows.
    pub fn new(format: Format, target: Fidelity, near: f32, effort: Effort) -> Self {
        let max_tries = if effort == Effort::Slow { MAX_SLOW_TRIES } else { MAX_TRIES };
        Self {
            target,
            near,
            max_tries,
            min_step: min_step(format),
            aim: target.as_f32(),
            tried: Vec::new(),
        }
    }

    /// What is searched for.
    pub const fn target(&self) -> Fidelity {
        self.target
    }

    fn goal(&self) -> f32 {
        self.target.as_f32()
    }

    /// The next setting to try; `None` once the target is met, or as nearly as settings and tries
    /// allow. `expected` gives the setting that should give a score; both may lie beyond their
    /// scales.
    pub fn next_setting(&self, expected: &dyn Fn(Score) -> f32) -> Option<Setting> {
        let miss = |tried: &(f32, f32)| (tried.1 - self.goal()).abs();
        if self.tried.iter().any(|tried| miss(tried) <= self.near)
            || self.tried.len() >= self.max_tries
        {
            return None;
        }
        let setting = self
            .between()
            .or_else(|| self.beyond())
            .unwrap_or_else(|| expected(Score::new(self.aim)));
        let setting = Setting::nearest_to(setting);
        self.tried
            .iter()
            .all(|(tried, _)| (tried - setting.get()).abs() >= self.min_step)
            .then_some(setting)
    }

    /// Tells what a setting gave.
    pub fn tried(&mut self, setting: Setting, score: Score) {
        self.aim += self.goal() - score.get();
        self.tried.push((setting.get(), score.get()));
    }

    /// On the line between the nearest tries on either side of the target, once there are both.
    fn between(&self) -> Option<f32> {
        let below = self
            .tried
            .iter()
            .filter(|tried| tried.1 < self.goal())
            .max_by(|a, b| a.1.total_cmp(&b.1))?;
        let above = self
            .tried
            .iter()
            .filter(|tried| tried.1 >= self.goal())
            .min_by(|a, b| a.1.total_cmp(&b.1))?;
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

    /// On the line through the last two tries, where the score rose with the setting: two that
    /// missed on one side say more about this picture than the expectation.
    fn beyond(&self) -> Option<f32> {
        let [.., before, last] = self.tried.as_slice() else { return None };
        let slope = (last.1 - before.1) / (last.0 - before.0);
        (slope > 0.0).then(|| last.0 + (self.goal() - last.1) / slope)
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    proptest! {
        /// Encoders that are steep at the bottom and flat at the top, led by an expectation that is
        /// off.
        #[test]
        fn the_target_is_met_in_a_few_tries(target in 30u8..=90, lift in -12.0f32..8.0, off in -8.0f32..8.0) {
            let encoder = |setting: f32| lift + 105.0 * (setting / 100.0).powf(0.45) - 8.0;
            let expected = |score: Score| ((score.get() + 8.0).max(0.0) / 105.0).powf(1.0 / 0.45) * 100.0 + off;
            prop_assume!(encoder(100.0) >= f32::from(target) && encoder(0.0) <= f32::from(target));
            let fidelity = Fidelity::new(target).expect("a fidelity");
            let mut search = Search::new(Format::Avif, fidelity, 1.5, Effort::Fast);
            let mut nearest = f32::MAX;
            while let Some(setting) = search.next_setting(&expected) {
                let score = Score::new(encoder(setting.get()));
                search.tried(setting, score);
                nearest = nearest.min(score.misses(fidelity));
            }
            prop_assert!(search.tried.len() <= MAX_TRIES);
            prop_assert!(nearest <= 1.5, "missed by {nearest} after {:?}", search.tried);
        }
    }
}
