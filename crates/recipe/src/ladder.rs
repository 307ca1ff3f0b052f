//! The ladder: the fewest widths that serve a population of screens with little waste.
//!
//! A browser takes the least candidate that has enough pixels, so a set of widths costs each screen
//! the bytes between what it needs and the next width above. Screens of several densities that take
//! one width share its target, which is too high for the densest of them: that costs bytes, too. Some
//! browsers round down where the lower one is nearer, and then show too few pixels.

/// What a picture's bytes are multiplied by where its pixels are multiplied by `share`, of the same
/// scene at the same target: detail comes together as a picture is reduced. The power is 0.61 in the
/// median of fourteen photographs between 400 and 1,120 pixels across, and 0.69 on average.
pub fn bytes_by_pixels(share: f64) -> f64 {
    share.powf(0.65)
}

/// One screen's need.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Demand {
    /// Device pixels across that the picture takes there.
    pub pixels: f64,
    /// Device pixels per CSS pixel, as far as the picture shall follow them.
    pub density: f64,
    /// The share of views.
    pub share: f64,
}

impl Demand {
    /// How often its density doubles that of a plain screen: each time takes from the target.
    pub fn doublings(&self) -> f64 {
        self.density.max(1.0).log2()
    }
}

/// The doublings that one target for several screens is made for: their mean; none for no screen.
pub fn mean_doublings<'d>(demands: impl IntoIterator<Item = &'d Demand>) -> f64 {
    let (doublings, share) = demands.into_iter().fold((0.0, 0.0), |(doublings, share), demand| {
        (doublings + demand.doublings() * demand.share, share + demand.share)
    });
    if share > 0.0 { doublings / share } else { 0.0 }
}

/// What a ladder may cost.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct LadderLimits {
    /// Bytes above the exactly fitting ones, of all views together.
    pub surplus: f64,
    /// The same on any one screen.
    pub screen_surplus: f64,
    /// Pixels missing on average, in browsers that round to the nearer candidate.
    pub shortfall: f64,
}

impl Default for LadderLimits {
    fn default() -> Self {
        Self { surplus: 0.08, screen_surplus: 0.12, shortfall: 0.1 }
    }
}

/// A width that can be offered.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct LadderPoint {
    /// Pixels across that really come out.
    pub width: u32,
    /// The bytes expected of it at the target for plain screens.
    pub bytes: f64,
    /// What they are multiplied by at the target for twice the density.
    pub by_doubling: f64,
}

impl LadderPoint {
    /// The bytes expected of it at the target for a density of so many doublings.
    pub fn bytes_at(&self, doublings: f64) -> f64 {
        self.bytes * self.by_doubling.powf(doublings)
    }
}

/// Some of the widths, and what they cost.
#[derive(Clone, Debug, PartialEq)]
pub struct Ladder {
    /// Indices into the points, rising.
    pub chosen: Vec<usize>,
    /// Bytes above the exactly fitting ones, of all views together: 0.08 for 8%.
    pub surplus: f64,
    /// The same on the screen where it is largest, of those that a step in between would serve.
    pub screen_surplus: f64,
    /// Pixels missing on average, in browsers that round to the nearer candidate.
    pub shortfall: f64,
}

impl Ladder {
    /// The index of the point that a browser takes where it needs so many pixels.
    pub fn taken(&self, points: &[LadderPoint], pixels: f64) -> Option<usize> {
        let enough = |at: &&usize| f64::from(points[**at].width) >= pixels;
        self.chosen.iter().find(enough).or(self.chosen.last()).copied()
    }
}

/// A ladder, with what one width fewer or more would do.
#[derive(Clone, Debug, PartialEq)]
pub struct Ladders {
    /// The one to offer.
    pub best: Ladder,
    /// The cheapest with one width fewer.
    pub fewer: Option<Ladder>,
    /// The cheapest with one width more.
    pub more: Option<Ladder>,
}

/// The fewest of `points` that keep within `limits`, and of as many those that cost least. Where
/// even all of them exceed a limit, the fewest that cost no more than all.
///
/// `points` rise; `None` if there are none. The largest that any screen needs is always chosen.
pub fn fewest_widths(
    points: &[LadderPoint],
    demands: &[Demand],
    limits: LadderLimits,
) -> Option<Ladders> {
    let needs = Needs::new(points, demands)?;
    let top = needs.top();
    let all = needs.ladder((0..=top).collect());
    // Sums of many small numbers are a hair off.
    let surplus = limits.surplus.max(all.surplus + 1e-9);
    let shortfall = limits.shortfall.max(all.shortfall + 1e-9);
    let within = |ladder: &Ladder| {
        ladder.surplus <= surplus
            && ladder.shortfall <= shortfall
            && ladder.screen_surplus <= limits.screen_surplus
    };
    let costs = needs.costs(top, limits.screen_surplus);
    let mut rows: Vec<Row> = vec![(0..=top).map(|last| (costs[last][0], None)).collect()];
    let mut fewer = None;
    let mut best = needs.ladder(chain(&rows, top));
    while !within(&best) && best.chosen.len() <= top {
        add_row(&mut rows, &costs);
        fewer = Some(std::mem::replace(&mut best, needs.ladder(chain(&rows, top))));
    }
    let more = (best.chosen.len() <= top).then(|| {
        add_row(&mut rows, &costs);
        needs.ladder(chain(&rows, top))
    });
    Some(Ladders { best, fewer, more })
}

/// How often a screen counts that exceeds its limit.
const FORBIDDEN: f64 = 1e9;

/// For each last point: the least cost of a set that ends there, and the point before it.
type Row = Vec<(f64, Option<usize>)>;

/// Adds the sets that are one larger.
fn add_row(rows: &mut Vec<Row>, costs: &[Vec<f64>]) {
    let previous = &rows[rows.len() - 1];
    let next = (0..costs.len()).map(|last| cheapest(previous, costs, last)).collect();
    rows.push(next);
}

/// The cheapest set one larger that ends at `last`.
fn cheapest(previous: &Row, costs: &[Vec<f64>], last: usize) -> (f64, Option<usize>) {
    (0..last)
        .map(|before| (previous[before].0 + costs[last][before + 1], Some(before)))
        .min_by(|a, b| a.0.total_cmp(&b.0))
        .unwrap_or((f64::INFINITY, None))
}

/// The set that ends at `top`, read back through the rows.
fn chain(rows: &[Row], top: usize) -> Vec<usize> {
    let mut chosen = vec![top];
    for row in rows.iter().rev() {
        if let Some(before) = row[chosen[chosen.len() - 1]].1 {
            chosen.push(before);
        }
    }
    chosen.reverse();
    chosen
}

/// What screens need, with the bytes that would fit exactly.
struct Needs<'a> {
    points: &'a [LadderPoint],
    demands: Vec<(Demand, f64)>,
}

impl<'a> Needs<'a> {
    fn new(points: &'a [LadderPoint], demands: &[Demand]) -> Option<Self> {
        let largest = f64::from(points.last()?.width);
        let served = |demand: &Demand| {
            let demand = Demand { pixels: demand.pixels.clamp(1.0, largest), ..*demand };
            (demand, bytes_at(points, demand.pixels, demand.doublings()))
        };
        Some(Self { points, demands: demands.iter().map(served).collect() })
    }

    /// The number of the largest point that any screen needs.
    fn top(&self) -> usize {
        let most = self.demands.iter().map(|(demand, _)| demand.pixels).fold(0.0, f64::max);
        let enough = |point: &LadderPoint| f64::from(point.width) >= most;
        self.points.iter().position(enough).unwrap_or(self.points.len() - 1)
    }

    /// `costs[last][before + 1]`: the surplus bytes of the screens between two chosen points, which
    /// all take `last`; `before + 1` is 0 where there is none before. A screen that exceeds its
    /// limit, where a step in between would serve it, counts so much that it decides.
    fn costs(&self, top: usize, screen_limit: f64) -> Vec<Vec<f64>> {
        let cost = |before: Option<usize>, last: usize| -> f64 {
            let from = before.map_or(0.0, |before| f64::from(self.points[before].width));
            let point = self.points[last];
            let takers = self.demands.iter().filter(|(demand, _)| {
                demand.pixels > from && demand.pixels <= f64::from(point.width)
            });
            let sent = point.bytes_at(mean_doublings(takers.clone().map(|(demand, _)| demand)));
            takers
                .map(|(demand, exact)| {
                    let surplus = (sent - exact).max(0.0);
                    let avoidable = last > 0
                        && demand.pixels <= f64::from(self.points[last - 1].width)
                        && surplus > screen_limit * exact;
                    surplus * demand.share * if avoidable { FORBIDDEN } else { 1.0 }
                })
                .sum()
        };
        (0..=top)
            .map(|last| (0..=last).map(|before| cost(before.checked_sub(1), last)).collect())
            .collect()
    }

    fn ladder(&self, chosen: Vec<usize>) -> Ladder {
        let sent = self.sent(&chosen);
        let (mut more, mut exact, mut short, mut views) = (0.0, 0.0, 0.0, 0.0);
        for ((demand, fitting), sent) in self.demands.iter().zip(&sent) {
            let (below, taken) = self.around(&chosen, demand.pixels);
            // What one screen is sent too little makes up for nothing.
            more += (sent - fitting).max(0.0) * demand.share;
            exact += fitting * demand.share;
            short += shortfall(below, taken, demand.pixels) * demand.share;
            views += demand.share;
        }
        let surplus = if exact > 0.0 { more / exact } else { 0.0 };
        let screen_surplus = self.worst(&chosen, &sent);
        let shortfall = if views > 0.0 { short / views } else { 0.0 };
        Ladder { chosen, surplus, screen_surplus, shortfall }
    }

    /// The bytes that each screen is sent: at the target of all that take the same width.
    fn sent(&self, chosen: &[usize]) -> Vec<f64> {
        let width = |demand: &Demand| self.around(chosen, demand.pixels).1.width;
        let sent = |(demand, _): &(Demand, f64)| {
            let (_, taken) = self.around(chosen, demand.pixels);
            let takers = self.demands.iter().map(|(demand, _)| demand);
            taken.bytes_at(mean_doublings(takers.filter(|one| width(one) == taken.width)))
        };
        self.demands.iter().map(sent).collect()
    }

    /// The largest surplus on any screen that a step in between would serve better.
    fn worst(&self, chosen: &[usize], sent: &[f64]) -> f64 {
        let surplus = |((demand, exact), sent): (&(Demand, f64), &f64)| {
            let (_, taken) = self.around(chosen, demand.pixels);
            let finer = self.points.iter().find(|point| f64::from(point.width) >= demand.pixels);
            let avoidable = finer.is_some_and(|finer| finer.width < taken.width);
            if avoidable && *exact > 0.0 { sent / exact - 1.0 } else { 0.0 }
        };
        self.demands.iter().zip(sent).map(surplus).fold(0.0, f64::max)
    }

    /// The chosen point below what is needed, and the one that is taken.
    fn around(&self, chosen: &[usize], pixels: f64) -> (Option<LadderPoint>, LadderPoint) {
        let enough = |at: &usize| f64::from(self.points[*at].width) >= pixels;
        let at = chosen.iter().position(enough).unwrap_or(chosen.len() - 1);
        let below = at.checked_sub(1).map(|below| self.points[chosen[below]]);
        (below, self.points[chosen[at]])
    }
}

/// The share of pixels missing where a browser takes the nearer of two by their ratio.
fn shortfall(below: Option<LadderPoint>, taken: LadderPoint, pixels: f64) -> f64 {
    let Some(below) = below.map(|below| f64::from(below.width)) else { return 0.0 };
    let middle = (below * f64::from(taken.width)).sqrt();
    if pixels < middle { 1.0 - below / pixels } else { 0.0 }
}

/// The bytes of so many pixels across at the target of a density, between the points: bytes follow a
/// power of width.
fn bytes_at(points: &[LadderPoint], pixels: f64, doublings: f64) -> f64 {
    let at = points.partition_point(|point| f64::from(point.width) < pixels);
    let above = points[at.min(points.len() - 1)];
    let bytes = above.bytes_at(doublings);
    let Some(below) = at.checked_sub(1).map(|below| points[below]) else {
        // Below the least width, a rendition shrinks with its area.
        let share = pixels / f64::from(above.width);
        return bytes * share * share;
    };
    let span = (f64::from(above.width) / f64::from(below.width)).ln();
    let share = (pixels / f64::from(below.width)).ln() / span.max(f64::EPSILON);
    let least = below.bytes_at(doublings);
    least * (bytes / least).powf(share.clamp(0.0, 1.0))
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::STEPS;

    fn points(up_to: u32) -> Vec<LadderPoint> {
        let point =
            |width: u32| LadderPoint { width, bytes: f64::from(width).powf(1.6), by_doubling: 0.7 };
        let below = STEPS.into_iter().filter(|width| *width < up_to);
        below.chain([up_to]).map(point).collect()
    }

    fn demand(pixels: f64, share: f64) -> Demand {
        Demand { pixels, density: 1.0, share }
    }

    fn widths(points: &[LadderPoint], ladder: &Ladder) -> Vec<u32> {
        ladder.chosen.iter().map(|at| points[*at].width).collect()
    }

    fn found(points: &[LadderPoint], demands: &[Demand]) -> Ladders {
        fewest_widths(points, demands, LadderLimits::default()).expect("points")
    }

    #[test]
    fn one_screen_needs_one_width() {
        let points = points(3840);
        let Ladders { best, fewer, more } = found(&points, &[demand(640.0, 1.0)]);
        assert_eq!((widths(&points, &best), fewer), (vec![640], None));
        assert!(best.surplus.abs() < 1e-9 && more.is_some_and(|more| more.chosen.len() == 2));
    }

    #[test]
    fn dense_screens_get_a_width_of_their_own_rather_than_a_target_too_high_for_them() {
        let points = points(1920);
        let dense = Demand { density: 3.0, ..demand(1137.0, 0.5) };
        let best = found(&points, &[dense, demand(1180.0, 0.5)]).best;
        assert_eq!(widths(&points, &best), [1160, 1200]);
        let alike = found(&points, &[demand(1137.0, 0.5), demand(1180.0, 0.5)]).best;
        assert_eq!(widths(&points, &alike), [1200]);
    }

    #[test]
    fn a_small_original_gives_all_it_has() {
        let points = points(500);
        let demands = [demand(320.0, 0.5), demand(3000.0, 0.5)];
        let best = found(&points, &demands).best;
        assert_eq!(widths(&points, &best), [320, 500]);
        assert_eq!(best.taken(&points, 3000.0).map(|at| points[at].width), Some(500));
        assert_eq!(fewest_widths(&[], &demands, LadderLimits::default()), None);
    }

    proptest! {
        #[test]
        fn the_ladder_keeps_its_limits_and_no_smaller_one_does(
            needs in prop::collection::vec((30.0f64..4000.0, 0.01f64..1.0, 1.0f64..3.0), 1..8),
            up_to in 41u32..300,
        ) {
            let points = points(up_to);
            let demands: Vec<Demand> = needs
                .iter()
                .map(|(pixels, share, density)| Demand {
                    density: *density,
                    ..demand(pixels / 10.0, *share)
                })
                .collect();
            let Ladders { best, fewer, more } = found(&points, &demands);
            prop_assert!(best.chosen.windows(2).all(|pair| pair[0] < pair[1]));
            let needs = Needs::new(&points, &demands).expect("points");
            let all = needs.ladder((0..points.len()).collect());
            let limits = LadderLimits::default();
            let within = |ladder: &Ladder| {
                ladder.surplus <= limits.surplus.max(all.surplus + 1e-9)
                    && ladder.shortfall <= limits.shortfall.max(all.shortfall + 1e-9)
                    && ladder.screen_surplus <= limits.screen_surplus
            };
            prop_assert!(within(&best));
            prop_assert!(fewer.is_none_or(|fewer| fewer.chosen.len() + 1 == best.chosen.len()));
            prop_assert!(more.is_none_or(|more| more.surplus <= best.surplus + 1e-9));
            // Of all smaller sets, none saves more bytes without breaking another limit.
            if points.len() <= 12 {
                for set in 1_u32..1 << points.len() {
                    let chosen: Vec<usize> = (0..points.len()).filter(|at| set >> at & 1 == 1).collect();
                    let serves = chosen.last() == best.chosen.last();
                    if serves && chosen.len() < best.chosen.len() {
                        prop_assert!(!within(&needs.ladder(chosen.clone())), "{chosen:?}");
                    }
                }
            }
        }
    }
}
