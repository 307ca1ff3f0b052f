//! A CSS background: `image-set()` (CSS Images 4, section 2.4) within media conditions.

use super::{Markup, Options, Use, element::Element, offer::in_parentheses, preload::exclusive};
use crate::{Device, Layout, Place, Population, Screen};

/// The densities that an `image-set()` tells apart.
const DENSITIES: [f64; 4] = [1.0, 1.5, 2.0, 3.0];

/// Viewports at which the picture is shown this much wider than at the narrowest of them share a
/// rule.
const BAND: f64 = 1.13;

pub(super) fn write(one: &Use<'_>, options: &Options) -> Markup {
    let selector = options.selector.clone().unwrap_or_else(|| format!(".{}", one.place.name));
    let rules = Rules { one, selector: &selector, variable: None };
    let mut text = rules.all();
    let loading = one.place.loading;
    if loading.is_lazy() {
        text.push(rules.waiting());
    }
    let note = if loading.is_lazy() {
        format!(
            "{}: put data-kivet=\"background\" on the element and load /kivet.js: it then waits until it comes near the viewport",
            one.picture.path
        )
    } else {
        format!(
            "{}: a background is found once its stylesheet is there; if it is the largest paint, preload it: --form preload",
            one.picture.path
        )
    };
    Markup { text: text.join("\n"), notes: vec![note], ..Markup::default() }
}

/// The value of a custom property for all screens, for a `style` attribute that names it by `var()`:
/// an attribute cannot hold media conditions.
pub(super) fn variable(one: &Use<'_>, name: &str) -> String {
    let rules = Rules { one, selector: ":root", variable: Some(name) };
    rules.all().iter().map(|rule| rule.split_whitespace().collect::<Vec<_>>().join(" ")).collect()
}

/// What the widest screens show, as a value of `background-image`.
pub(super) fn value(one: &Use<'_>) -> String {
    let layouts: Vec<_> = one.place.layouts().enumerate().collect();
    let widest =
        layouts.last().and_then(|(number, (_, layout))| stretches(one, *number, layout).pop());
    widest.map_or_else(|| "none".to_owned(), |(_, set)| as_value(&set))
}

/// A picture for each density.
fn as_value(set: &[(String, f64)]) -> String {
    match set {
        [(only, _)] => format!("url(\"{only}\")"),
        several => {
            let parts: Vec<String> =
                several.iter().map(|(one, density)| format!("url(\"{one}\") {density}x")).collect();
            format!("image-set({})", parts.join(", "))
        }
    }
}

struct Rules<'a> {
    one: &'a Use<'a>,
    selector: &'a str,
    /// The custom property to set instead of the background.
    variable: Option<&'a str>,
}

impl Rules<'_> {
    /// The rules of all layouts. What comes later counts more, and of the alternatives the first
    /// does: so they come last, in reverse.
    fn all(&self) -> Vec<String> {
        let layouts: Vec<_> = self.one.place.layouts().enumerate().collect();
        let of = |(number, (media, layout))| self.of_layout(number, media, layout);
        layouts.into_iter().rev().flat_map(of).collect()
    }

    /// A rule for each stretch of viewports, the widest first: it holds without a condition.
    fn of_layout(&self, number: usize, media: Option<&str>, layout: &Layout) -> Vec<String> {
        let stretches = stretches(self.one, number, layout);
        let last = stretches.len().saturating_sub(1);
        let written = |(at, (up_to, set)): (usize, &Stretch)| {
            let body = self.rule(set);
            let narrow = (at < last).then(|| format!("(max-width: {up_to}px)"));
            let condition: Vec<String> =
                media.map(in_parentheses).into_iter().chain(narrow).collect();
            if condition.is_empty() {
                return body;
            }
            let body = body.replace('\n', "\n  ");
            format!("@media {} {{\n  {body}\n}}", condition.join(" and "))
        };
        stretches.iter().enumerate().rev().map(written).collect()
    }

    fn rule(&self, set: &[(String, f64)]) -> String {
        // Browsers that do not know the second keep the first.
        let lines: Vec<String> = match self.variable {
            Some(name) => vec![format!("{name}: {};", as_value(set))],
            None => [&set[..1], set][..set.len().min(2)]
                .iter()
                .map(|set| format!("background-image: {};", as_value(set)))
                .collect(),
        };
        format!("{} {{\n  {}\n}}", self.selector, lines.join("\n  "))
    }

    /// Until the page script finds the element near the viewport, it has no background; without
    /// script it has.
    fn waiting(&self) -> String {
        format!(
            "@media (scripting: enabled) {{\n  :is({})[data-kivet=\"background\"]:not([data-kivet-seen]) {{\n    background-image: none;\n  }}\n}}",
            self.selector
        )
    }
}

/// The last viewport width of a stretch, and the URL for each density there.
type Stretch = (u32, Vec<(String, f64)>);

/// What a layout shows on each stretch of viewports, narrowest first.
fn stretches(one: &Use<'_>, number: usize, layout: &Layout) -> Vec<Stretch> {
    let mut stretches: Vec<Stretch> = Vec::new();
    for (up_to, shown) in bands(one.place, number, layout) {
        let set = set(one, number, shown);
        match stretches.last_mut() {
            Some(last) if last.1 == set => last.0 = up_to,
            _ => stretches.push((up_to, set)),
        }
    }
    stretches
}

fn set(one: &Use<'_>, number: usize, shown: f64) -> Vec<(String, f64)> {
    let cap = one.place.density_on(f64::INFINITY);
    let mut set: Vec<(String, f64)> = Vec::new();
    for density in DENSITIES.into_iter().filter(|density| *density <= cap) {
        let recipe = &one.offered.layouts[number].taken(shown * density).recipe;
        let url = one.picture.url(recipe.as_str());
        // A browser takes the least density that suffices: one URL stands under its highest.
        match set.last_mut() {
            Some((known, serves)) if *known == url => *serves = density,
            _ => set.push((url, density)),
        }
    }
    set
}

/// Preloads of a background: on every screen that it loads first on exactly one holds, and names
/// what the rules show there.
pub(super) fn preloads(one: &Use<'_>, on: Option<&str>) -> Vec<String> {
    let mut links = Vec::new();
    let mut before: Vec<&str> = Vec::new();
    for (number, (media, layout)) in one.place.layouts().enumerate() {
        let stretches = stretches(one, number, layout);
        let last = stretches.len().saturating_sub(1);
        let mut from = None;
        for (at, (up_to, set)) in stretches.iter().enumerate() {
            let wide = from.map(|from: u32| format!("(min-width: {from}px)"));
            let narrow = (at < last).then(|| format!("(max-width: {up_to}px)"));
            let on = on.map(in_parentheses);
            let parts = on.into_iter().chain(exclusive(&before, media)).chain(wide).chain(narrow);
            let condition = parts.collect::<Vec<_>>().join(" and ");
            let candidates: Vec<String> =
                set.iter().map(|(url, density)| format!("{url} {density}x")).collect();
            let link = Element::new("link")
                .text("rel", "preload")
                .text("as", "image")
                .maybe("media", (!condition.is_empty()).then_some(condition))
                .text("href", set[0].0.clone())
                .maybe("imagesrcset", (set.len() > 1).then(|| candidates.join(", ")))
                .text("fetchpriority", "high");
            links.push(link.html(true));
            from = Some(up_to + 1);
        }
        before.extend(media);
    }
    links
}

/// Stretches of viewport widths on which a layout is shown: the last width of each, and how wide
/// the picture is there at most.
fn bands(place: &Place, number: usize, layout: &Layout) -> Vec<(u32, f64)> {
    let all = || Population::assumed().screens.iter().map(Screen::device);
    let mut screens: Vec<Device> =
        all().filter(|device| place.layout_on(device) == number).collect();
    if screens.is_empty() {
        screens = all().collect();
    }
    screens.sort_by_key(|device| device.width);
    let mut bands: Vec<Band> = Vec::new();
    for device in screens {
        let shown = layout.sizes.shown_on(&device).max(1.0);
        match bands.last_mut() {
            Some(band) if band.takes(device.width, shown) => {
                *band = Band {
                    up_to: device.width,
                    least: band.least.min(shown),
                    most: band.most.max(shown),
                };
            }
            _ => bands.push(Band { up_to: device.width, least: shown, most: shown }),
        }
    }
    bands.into_iter().map(|band| (band.up_to, band.most)).collect()
}

struct Band {
    up_to: u32,
    least: f64,
    most: f64,
}

impl Band {
    /// True if a screen may share the rule: it is about as wide there, or of the same viewport.
    fn takes(&self, width: u32, shown: f64) -> bool {
        width == self.up_to || shown.max(self.most) <= self.least.min(shown) * BAND
    }
}
