//! The search for the setting that meets a fidelity, and the verdict between a first rendition and a later one.

use crate::{Effort, Fidelity, Format};

/// A later rendition is nearer only if it is nearer by more than this, in points.
const NEARER: f32 = 1.0;

/// A rendition this near its target is near enough, in points: none is looked for, or put in its place, for likeness alone.
pub const REFINED: f32 = 2.8;

/// The most encodes of a search by an encoder in a hurry; at its best each takes several times as long.
const MOST_TRIES: usize = 5;
const MOST_TRIES_AT_BEST: usize = 2;

/// Settings nearer to each other give the same file, or nearly so: AVIF takes whole ones. Others tell tenths apart, which at low
/// settings are points of likeness.
const fn least_step(format: Format) -> f32 {
    if matches!(format, Format::Avif) { 0.5 } else { 0.05 }
}

/// A search for the setting that gives a target. Ask [`Search::next_setting`] what to try, tell [`Search::tried`] what
/// came out.
pub struct Search<'a> {
    target: Fidelity,
    near: f32,
    /// What is asked of the expectation: above the target by what was missed so far.
    aim: f32,
    most: usize,
    least_step: f32,
    expected: &'a dyn Fn(f32) -> f32,
    tried: Vec<(f32, f32)>,
}

/// A search in `format` that ends within `near` points of the target, or when it has cost what `effort` allows, led by
/// `expected`: the setting that should give so many points, which may lie beyond 1 to 100.
pub fn search(
    format: Format,
    target: Fidelity,
    near: f32,
    effort: Effort,
    expected: &dyn Fn(f32) -> f32,
) -> Search<'_> {
    let most = if effort == Effort::Best { MOST_TRIES_AT_BEST } else { MOST_TRIES };
    let aim = f32::from(target.get());
    Search { target, near, most, least_step: least_step(format), aim, expected, tried: Vec::new() }
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
        if self.tried.iter().any(|tried| miss(tried) <= self.near) || self.tried.len() >= self.most {
            return None;
        }
        let setting =
            self.between().or_else(|| self.beyond()).unwrap_or_else(|| (self.expected)(self.aim)).clamp(0.0, 100.0);
        self.tried.iter().all(|(tried, _)| (tried - setting).abs() >= self.least_step).then_some(setting)
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

    /// On the line through the last two tries, where likeness rose with the setting: two that missed on one side tell more of this
    /// picture than what was expected.
    fn beyond(&self) -> Option<f32> {
        let [.., before, last] = self.tried.as_slice() else { return None };
        let slope = (last.1 - before.1) / (last.0 - before.0);
        (slope > 0.0).then(|| last.0 + (self.goal() - last.1) / slope)
    }
}

/// One scored rendition.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Finalist {
    /// The encoder's setting.
    pub setting: f32,
    /// Its likeness.
    pub fidelity: f32,
    /// Its bytes.
    pub bytes: u64,
}

/// What becomes of a first rendition.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Verdict {
    /// It is declared final.
    Keep,
    /// The later one takes its place.
    Swap,
}

impl Finalist {
    /// How far it is from the target, in points.
    pub fn misses(&self, target: Fidelity) -> f32 {
        (self.fidelity - f32::from(target.get())).abs()
    }

    /// Whether `later` takes this one's place: where it is at least a tenth smaller and no worse a likeness than is
    /// tolerated, or nearer a target that this one misses.
    pub fn against(&self, later: &Self, target: Fidelity) -> Verdict {
        let tolerated = later.misses(target) <= REFINED.max(self.misses(target));
        let smaller = is_worth_swapping(self.bytes, later.bytes) && tolerated;
        let nearer = self.misses(target) > REFINED && later.misses(target) + NEARER < self.misses(target);
        if smaller || nearer { Verdict::Swap } else { Verdict::Keep }
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

    fn target(points: u8) -> Fidelity {
        Fidelity::new(points).expect("a fidelity")
    }

    #[test]
    fn a_first_rendition_stays_unless_something_is_gained() {
        let one = |fidelity, bytes| Finalist { setting: 50.0, fidelity, bytes };
        let verdict = |first: Finalist, later| first.against(&later, target(70));
        assert_eq!(verdict(one(70.0, 1000), one(70.0, 901)), Verdict::Keep);
        assert_eq!(verdict(one(70.0, 1000), one(70.0, 900)), Verdict::Swap);
        assert_eq!(verdict(one(70.0, 1000), one(62.0, 700)), Verdict::Keep, "fewer bytes at the likeness's cost");
        assert_eq!(verdict(one(64.0, 1000), one(70.0, 1200)), Verdict::Swap);
        assert_eq!(verdict(one(68.0, 1000), one(70.0, 1100)), Verdict::Keep, "near enough");
        assert_eq!(verdict(one(76.0, 1000), one(75.5, 990)), Verdict::Keep, "hardly nearer");
    }

    proptest! {
        /// Encoders that are steep at the bottom and flat at the top, led by an expectation that is off.
        #[test]
        fn the_target_is_met_in_a_few_tries(points in 30u8..=90, lift in -12.0f32..8.0, off in -8.0f32..8.0) {
            let encoder = |setting: f32| lift + 105.0 * (setting / 100.0).powf(0.45) - 8.0;
            let expected = |points: f32| ((points + 8.0).max(0.0) / 105.0).powf(1.0 / 0.45) * 100.0 + off;
            prop_assume!(encoder(100.0) >= f32::from(points) && encoder(0.0) <= f32::from(points));
            let mut search = search(Format::Avif, target(points), 1.5, Effort::Fast, &expected);
            let mut nearest = f32::MAX;
            while let Some(setting) = search.next_setting() {
                let fidelity = encoder(setting);
                search.tried(setting, fidelity);
                nearest = nearest.min((fidelity - f32::from(points)).abs());
            }
            prop_assert!(search.tried.len() <= MOST_TRIES);
            prop_assert!(nearest <= 1.5, "missed by {nearest} after {:?}", search.tried);
        }
    }
}
