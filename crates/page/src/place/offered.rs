//! What a place offers of one original: the ladder of each layout, with each step's own target.

use std::{fmt, ops::Deref};

use kivet_recipe::{
    Basis, Curves, Demand, Facts, Fidelity, Ladder, LadderLimits, LadderPoint, LadderStep, Ladders,
    Policy, Recipe, Request, Size, bytes_by_pixels, choose, every_step, fewest_widths,
    mean_doublings, stays_vector,
};
use serde::{Deserialize, Deserializer, Serialize, Serializer, de::Error};

use super::{Layout, Place, Population, Screen};
use crate::Device;

/// What a place offers of one original. Kept as it is for a revision of the place, so that URLs do
/// not change as more is learnt of the original.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Offered {
    /// For each of the place's layouts, in their order.
    pub layouts: Vec<OfferedLayout>,
}

/// What the steps of a ladder aim at.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Targets {
    /// The target at density 1, where the place has none.
    pub fidelity: Fidelity,
    /// What each doubling of density takes from it.
    pub density_step: u8,
    /// True if the original is sent losslessly unless a recipe names a target.
    pub lossless: bool,
}

/// The ladder of one layout.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct OfferedLayout {
    /// The candidates, smallest first; at least one.
    pub steps: Vec<OfferedStep>,
    /// What they cost.
    pub cost: Trade,
    /// What one width fewer would cost.
    pub fewer: Option<Trade>,
    /// What one more would cost.
    pub more: Option<Trade>,
    /// For screens denser than the place's cap: the step for each stretch of viewport widths,
    /// rising. Empty without a cap.
    pub capped: Vec<Band>,
}

/// One candidate.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct OfferedStep {
    /// Its recipe, width and target included.
    pub recipe: WrittenRecipe,
    /// The pixels that come out.
    pub size: Size,
    /// The bytes expected of it.
    pub bytes: u64,
    /// The share of views that take it.
    pub share: f64,
}

/// What a number of widths costs.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Trade {
    /// How many widths.
    pub widths: usize,
    /// Bytes above the exactly fitting ones, of all views together: 0.08 for 8%.
    pub surplus: f64,
    /// The same on the screen where it is largest.
    pub screen_surplus: f64,
    /// Pixels missing on average, in browsers that round to the nearer candidate.
    pub shortfall: f64,
}

/// A stretch of viewport widths.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Band {
    /// Its last width in CSS pixels; `None` for the last stretch.
    pub up_to: Option<u32>,
    /// The number of the step.
    pub step: usize,
}

impl Trade {
    fn of(ladder: &Ladder) -> Self {
        let Ladder { chosen, surplus, screen_surplus, shortfall } = ladder;
        Self {
            widths: chosen.len(),
            surplus: *surplus,
            screen_surplus: *screen_surplus,
            shortfall: *shortfall,
        }
    }
}

impl Offered {
    /// Chooses the widths of `place` for an original with `facts`; `bytes` says what a recipe is
    /// expected to take.
    pub fn new(
        place: &Place,
        facts: &Facts,
        population: &Population,
        targets: Targets,
        bytes: &dyn Fn(&Recipe) -> f64,
    ) -> Self {
        let targets = Targets {
            fidelity: place.fidelity.unwrap_or(targets.fidelity),
            lossless: targets.lossless && place.fidelity.is_none(),
            ..targets
        };
        let place = place.for_original(facts);
        let layouts = place.layouts().enumerate().map(|(at, (_, layout))| {
            let demands = demands(&place, at, layout, population);
            let ladders = Chooser { layout, facts, targets, bytes, demands };
            ladders.offered(&place)
        });
        Self { layouts: layouts.collect() }
    }

    /// The same with bytes as a service expects them that knows no more of the original than
    /// `facts`.
    pub fn expected(place: &Place, facts: &Facts, lossless: bool) -> Self {
        let (curves, policy) = (Curves::default(), Policy::default());
        let bytes =
            |recipe: &Recipe| expected_bytes(recipe, (facts, &curves), &Request::ANYTHING, &policy);
        let (fidelity, density_step) = (policy.fidelity, policy.density_step);
        let targets = Targets { fidelity, density_step, lossless };
        Self::new(place, facts, Population::assumed(), targets, &bytes)
    }

    /// True if its steps name no target, because the original is sent losslessly.
    pub fn is_lossless(&self) -> bool {
        let mut steps = self.layouts.iter().flat_map(|layout| &layout.steps);
        steps.all(|step| step.recipe.quality.is_none())
    }

    /// The layout and step that Chromium takes on a screen.
    pub fn taken_on(&self, place: &Place, device: &Device) -> (usize, &OfferedStep) {
        let at = place.layout_on(device);
        let (offered, layout) = (&self.layouts[at], place.layouts().nth(at).map(|(_, one)| one));
        let shown = layout.map_or(0.0, |layout| layout.sizes.shown_on(device));
        let capped = place.density_cap.is_some_and(|cap| device.density > cap.factor());
        let band =
            offered.capped.iter().find(|band| band.up_to.is_none_or(|up_to| device.width <= up_to));
        let step = match band.filter(|_| capped) {
            Some(band) => &offered.steps[band.step],
            None => offered.taken(shown * device.density),
        };
        (at, step)
    }
}

/// The bytes expected of a recipe's rendition. What is usual for pictures of a kind says little of how
/// one picture's bytes grow with its pixels, so that until it was measured only one width is asked
/// for, in the middle of those it was drawn from, and the others grow from there.
pub fn expected_bytes(
    recipe: &Recipe,
    (facts, curves): (&Facts, &Curves),
    request: &Request,
    policy: &Policy,
) -> f64 {
    const MIDDLE: u32 = 640;
    let best = |recipe: &Recipe| {
        let choice = choose(recipe, facts, curves, request, policy).ok()?;
        Some((*choice.candidates.first()?, choice.plan.size.pixels() as f64))
    };
    let Some((own, pixels)) = best(recipe) else { return 0.0 };
    if own.basis != Basis::Prior || own.predicted_score.is_none() {
        return own.predicted_bytes.get() as f64;
    }
    best(&recipe.at_width(MIDDLE)).map_or(0.0, |(middle, of)| {
        middle.predicted_bytes.get() as f64 * bytes_by_pixels(pixels / of)
    })
}

impl OfferedLayout {
    /// The step a browser takes that needs so many pixels across.
    pub fn taken(&self, pixels: f64) -> &OfferedStep {
        &self.steps[taken(&self.steps, pixels)]
    }
}

/// The number of the step a browser takes that needs so many pixels across.
fn taken(steps: &[OfferedStep], pixels: f64) -> usize {
    let enough = |step: &OfferedStep| f64::from(step.size.width) >= pixels;
    steps.iter().position(enough).unwrap_or(steps.len() - 1)
}

/// What the screens that show a layout need; all screens, where none of them is known to show it.
fn demands(place: &Place, at: usize, layout: &Layout, population: &Population) -> Vec<Demand> {
    let need = |screen: &Screen| {
        let density = place.density_on(screen.density);
        let pixels = (layout.sizes.shown_on(&screen.device()) * density).max(1.0);
        Demand { pixels, density, share: screen.share }
    };
    let shows = |screen: &&Screen| place.layout_on(&screen.device()) == at;
    let shown: Vec<Demand> = population.screens.iter().filter(shows).map(need).collect();
    if shown.is_empty() { population.screens.iter().map(need).collect() } else { shown }
}

struct Chooser<'a> {
    layout: &'a Layout,
    facts: &'a Facts,
    targets: Targets,
    bytes: &'a dyn Fn(&Recipe) -> f64,
    demands: Vec<Demand>,
}

impl Chooser<'_> {
    fn offered(&self, place: &Place) -> OfferedLayout {
        let [plain, dense] = [1.0, 2.0].map(|density| self.target_at(density));
        let steps = every_step(&self.aimed(&self.layout.crop.of(self.facts), plain), self.facts);
        let points: Vec<LadderPoint> = steps
            .iter()
            .map(|step| {
                let bytes = (self.bytes)(&step.recipe).max(1.0);
                let denser = (self.bytes)(&self.aimed(&step.recipe, dense)).max(1.0);
                LadderPoint { width: step.size.width, bytes, by_doubling: denser / bytes }
            })
            .collect();
        let ladders = fewest_widths(&points, &self.demands, LadderLimits::default());
        // Every picture has at least one step.
        let Some(Ladders { best, fewer, more }) = ladders else { return OfferedLayout::default() };
        let steps: Vec<OfferedStep> = best
            .chosen
            .iter()
            .map(|number| self.step(&steps[*number], &points, *number, &best))
            .collect();
        OfferedLayout {
            capped: self.bands(place, &steps),
            steps,
            cost: Trade::of(&best),
            fewer: fewer.as_ref().map(Trade::of),
            more: more.as_ref().map(Trade::of),
        }
    }

    fn step(
        &self,
        step: &LadderStep,
        points: &[LadderPoint],
        number: usize,
        ladder: &Ladder,
    ) -> OfferedStep {
        let takers: Vec<&Demand> = self
            .demands
            .iter()
            .filter(|demand| ladder.taken(points, demand.pixels) == Some(number))
            .collect();
        let all: f64 = self.demands.iter().map(|demand| demand.share).sum();
        let share = takers.iter().map(|demand| demand.share).sum::<f64>() / all.max(f64::EPSILON);
        let doublings = mean_doublings(takers);
        OfferedStep {
            recipe: self.aimed(&step.recipe, self.target_at(doublings.exp2())).into(),
            size: step.size,
            bytes: points[number].bytes_at(doublings) as u64,
            share,
        }
    }

    fn target_at(&self, density: f64) -> Fidelity {
        self.targets.fidelity.at_density(density, self.targets.density_step)
    }

    /// The recipe with its target. What is sent losslessly gets none: a target that a recipe names
    /// makes it lossy. A vector has none either, and where nothing is cut from it, it is the
    /// original.
    fn aimed(&self, recipe: &Recipe, target: Fidelity) -> Recipe {
        if stays_vector(recipe, self.facts) {
            let cut = recipe.in_any_quality();
            return if cut == Recipe::default() { Recipe::original() } else { cut };
        }
        if self.targets.lossless { recipe.clone() } else { recipe.with_fidelity(target) }
    }

    /// The stretches of viewport widths on which a screen denser than the cap takes one step.
    fn bands(&self, place: &Place, steps: &[OfferedStep]) -> Vec<Band> {
        let Some(cap) = place.density_cap.map(|cap| cap.factor()) else { return Vec::new() };
        let step_at = |width: u32| {
            let shown = self.layout.sizes.shown_on(&Device::screen(width, width, cap));
            taken(steps, shown * cap)
        };
        let mut bands: Vec<Band> = Vec::new();
        for width in NARROWEST..=WIDEST {
            let step = step_at(width);
            match bands.last_mut() {
                Some(last) if last.step == step => last.up_to = Some(width),
                _ => bands.push(Band { up_to: Some(width), step }),
            }
        }
        if let Some(last) = bands.last_mut() {
            last.up_to = None;
        }
        bands
    }
}

/// The viewport widths that are told apart, in CSS pixels.
const NARROWEST: u32 = 160;
const WIDEST: u32 = 4096;

/// A recipe beside its text, which markup writes again and again.
#[derive(Clone, Debug, PartialEq)]
pub struct WrittenRecipe {
    recipe: Recipe,
    text: String,
}

impl WrittenRecipe {
    /// As URLs have it.
    pub fn as_str(&self) -> &str {
        &self.text
    }
}

impl From<Recipe> for WrittenRecipe {
    fn from(recipe: Recipe) -> Self {
        Self { text: recipe.to_string(), recipe }
    }
}

impl Deref for WrittenRecipe {
    type Target = Recipe;

    fn deref(&self) -> &Recipe {
        &self.recipe
    }
}

impl fmt::Display for WrittenRecipe {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.text)
    }
}

impl Serialize for WrittenRecipe {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.serialize_str(&self.text)
    }
}

impl<'de> Deserialize<'de> for WrittenRecipe {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        let text = String::deserialize(deserializer)?;
        Ok(Self { recipe: text.parse().map_err(D::Error::custom)?, text })
    }
}

#[cfg(test)]
mod tests {
    use kivet_recipe::{Format, Storage};

    use super::*;
    use crate::PlaceDocument;

    fn offered(document: &PlaceDocument, size: Size) -> (Place, Offered) {
        let place = document.checked(&"card".parse().expect("a name")).expect("a place");
        let facts = Facts::plain(Format::Jpeg, size, Storage::Lossy);
        let bytes = |recipe: &Recipe| f64::from(recipe.width.unwrap_or(1)).powf(1.6);
        let targets = Targets { fidelity: Fidelity::DEFAULT, density_step: 8, lossless: false };
        let offered = Offered::new(&place, &facts, Population::assumed(), targets, &bytes);
        (place, offered)
    }

    #[test]
    fn steps_that_dense_screens_take_have_lower_targets() {
        let (_, offered) = offered(
            &PlaceDocument::of_sizes("(min-width: 60em) 300px, 100vw"),
            Size::new(4000, 3000),
        );
        let steps = &offered.layouts[0].steps;
        let target = |step: &OfferedStep| match step.recipe.quality {
            Some(kivet_recipe::Quality::Fidelity(target)) => target.get(),
            _ => panic!("a target"),
        };
        // Laptops need 300 pixels at density 1, phones 720 to 1290 at 2 to 3.
        assert_eq!((steps[0].size.width, target(&steps[0])), (300, 80));
        assert!(steps[1..].iter().all(|step| target(step) <= 78), "{steps:?}");
        assert_eq!(target(&steps[steps.len() - 1]), 72);
        let layout = &offered.layouts[0];
        assert!(layout.cost.surplus <= 0.08 && layout.cost.shortfall <= 0.1, "{layout:?}");
        assert!(layout.fewer.is_some_and(|fewer| fewer.surplus > layout.cost.surplus));
        let text = serde_json::to_string(&offered).expect("written");
        let read: Offered = serde_json::from_str(&text).expect("read");
        let recipes = |offered: &Offered| {
            let steps = offered.layouts.iter().flat_map(|layout| &layout.steps);
            steps.map(|step| (step.recipe.clone(), step.size)).collect::<Vec<_>>()
        };
        assert_eq!(recipes(&read), recipes(&offered));
    }

    #[test]
    fn a_vector_is_named_as_it_is_unless_something_is_cut_from_it() {
        let facts = Facts::plain(Format::Svg, Size::new(300, 100), Storage::Lossless);
        let recipes = |ratio: Option<&str>| {
            let (ratio, fidelity) = (ratio.map(str::to_owned), Some(60));
            let document = PlaceDocument { ratio, fidelity, ..PlaceDocument::of_sizes("140px") };
            let place = document.checked(&"logo".parse().expect("a name")).expect("a place");
            let offered = Offered::expected(&place, &facts, false);
            let steps = offered.layouts.into_iter().flat_map(|layout| layout.steps);
            steps.map(|step| step.recipe.to_string()).collect::<Vec<_>>()
        };
        assert_eq!(recipes(None), ["original"]);
        assert_eq!(recipes(Some("1-1")), ["ratio-1-1"]);
    }

    #[test]
    fn a_cap_gives_each_stretch_of_viewports_its_step() {
        let document = PlaceDocument { density_cap: Some(2.0), ..PlaceDocument::of_sizes("100vw") };
        let (place, offered) = offered(&document, Size::new(4000, 3000));
        let bands = &offered.layouts[0].capped;
        assert!(
            bands.windows(2).all(|pair| pair[0].up_to < pair[1].up_to || pair[1].up_to.is_none())
        );
        let dense = Device::screen(390, 740, 3.0);
        let taken = offered.taken_on(&place, &dense).1.size.width;
        assert!((780..860).contains(&taken), "{taken}");
        let usual = Device::screen(390, 740, 2.0);
        assert_eq!(offered.taken_on(&place, &usual).1.size.width, taken);
    }

    #[test]
    fn originals_of_every_size_have_a_ladder() {
        for size in [(1, 1), (39, 20), (40, 40), (160, 2000), (701, 467), (12000, 9)] {
            let (_, offered) =
                offered(&PlaceDocument::of_sizes("100vw"), Size::new(size.0, size.1));
            let steps = &offered.layouts[0].steps;
            assert!(steps.iter().all(|step| step.size.width <= size.0) && !steps.is_empty());
            // No screen needs more than 3456.
            assert_eq!(steps.last().map(|step| step.size.width), Some(size.0.min(3520)));
        }
    }
}
