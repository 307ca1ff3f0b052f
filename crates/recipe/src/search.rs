//! The search for the setting that meets a fidelity, and the verdict between a first rendition and a later one.

use crate::Fidelity;

/// A rendition this near the target is near enough, in points.
const NEAR: f32 = 1.0;

/// The most encodes of one search.
const MOST_TRIES: usize = 3;

/// Points of fidelity that one point of setting is worth before anything else is known.
const USUAL_SLOPE: f32 = 0.7;

/// A first rendition within so many points of its target is not replaced for likeness alone.
const TOLERATED: f32 = 2.5;

/// A search for the setting that gives a target. Ask [`Search::next_setting`] what to try, tell [`Search::tried`] what came out.
#[derive(Clone, Debug)]
pub struct Search {
    target: f32,
    begin: f32,
    tried: Vec<(f32, f32)>,
}

/// A search that begins at a predicted setting, 0 to 100.
pub fn search(target: Fidelity, begin: f32) -> Search {
    Search { target: f32::from(target.get()), begin: begin.clamp(0.0, 100.0), tried: Vec::new() }
}

impl Search {
    /// The next setting to try; `None` once the target is met, or as nearly as whole settings and patience allow.
    pub fn next_setting(&self) -> Option<f32> {
        let Some(nearest) = self.nearest() else { return Some(self.begin) };
        if (nearest.1 - self.target).abs() <= NEAR || self.tried.len() >= MOST_TRIES {
            return None;
        }
        let setting = self.guess(nearest).clamp(0.0, 100.0);
        // Encoders take whole settings, or nearly so.
        self.tried.iter().all(|(tried, _)| (tried - setting).abs() >= 0.5).then_some(setting)
    }

    /// Tells what a setting gave.
    pub fn tried(&mut self, setting: f32, fidelity: f32) {
        self.tried.push((setting, fidelity));
    }

    fn nearest(&self) -> Option<(f32, f32)> {
        let miss = |tried: &(f32, f32)| (tried.1 - self.target).abs();
        self.tried.iter().copied().min_by(|a, b| miss(a).total_cmp(&miss(b)))
    }

    /// From the nearest, along the line to another try, or by the usual slope.
    fn guess(&self, (setting, fidelity): (f32, f32)) -> f32 {
        let slope = self
            .tried
            .iter()
            .filter(|other| (other.0 - setting).abs() > 0.1)
            .map(|other| (other.1 - fidelity) / (other.0 - setting))
            .find(|slope| *slope > 0.05)
            .unwrap_or_else(|| usual_slope(setting));
        // One step never goes further than a line can be trusted.
        setting + ((self.target - fidelity) / slope).clamp(-25.0, 25.0)
    }
}

/// Near the top a point of setting is worth less likeness than in the middle.
fn usual_slope(setting: f32) -> f32 {
    if setting > 85.0 { USUAL_SLOPE } else { USUAL_SLOPE * 1.4 }
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
        let tolerated = later.misses(target) <= TOLERATED.max(self.misses(target));
        let smaller = is_worth_swapping(self.bytes, later.bytes) && tolerated;
        let nearer = self.misses(target) > TOLERATED && later.misses(target) + NEAR < self.misses(target);
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
        /// Encoders as curves that flatten towards the top, each setting off by a little.
        #[test]
        fn the_target_is_met_in_a_few_tries(
            points in 30u8..=90, lift in -15.0f32..10.0, bend in 0.6f32..1.4, off in -8.0f32..8.0,
        ) {
            let encoder = |setting: f32| lift + 100.0 * (setting / 100.0).powf(bend) * 0.98;
            let wanted = (0..=1000).map(|i| i as f32 / 10.0).find(|s| encoder(*s) >= f32::from(points));
            prop_assume!(wanted.is_some());
            let mut search = search(target(points), wanted.unwrap_or_default() + off);
            let mut tries = 0;
            while let Some(setting) = search.next_setting() {
                search.tried(setting, encoder(setting));
                tries += 1;
            }
            prop_assert!(tries <= MOST_TRIES);
            let (_, nearest) = search.nearest().expect("one try at least");
            prop_assert!((nearest - f32::from(points)).abs() <= 1.5, "{nearest} for {points}");
        }
    }
}
