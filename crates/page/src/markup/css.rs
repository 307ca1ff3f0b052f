//! A CSS background: `image-set()` (CSS Images 4, section 2.4) within media conditions.

use kivet_recipe::Format;

use super::{
    Markup, Options, Use,
    element::Element,
    offer::{formats, in_parentheses},
    preload::exclusive,
};
use crate::{Device, Layout, Place, Population, Screen};

/// The densities that an `image-set()` tells apart.
const DENSITIES: [f64; 4] = [1.0, 1.5, 2.0, 3.0];

/// Viewports at which the picture is shown this much wider than at the narrowest of them share a
/// rule, density by density.
const BAND: f64 = 1.06;

/// No background has more rules for stretches of viewports, unless it has more layouts.
const MAX_STRETCHES: usize = 8;

/// Each layout may have so many.
const MIN_STRETCHES: usize = 4;

pub(super) fn write(one: &Use<'_>, options: &Options) -> Markup {
    let selector = options.selector.clone().unwrap_or_else(|| format!(".{}", one.place.name));
    let formats = formats(&options.typed, one.offered, one.picture.facts);
    let rules = Rules { one, formats: &formats, selector: &selector, variable: None };
    let mut text = rules.all();
    let loading = one.place.loading;
    text.extend(waiting(one, &selector));
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

/// Rules that set a custom property to the picture that each screen shows. A declaration that names
/// it by `var()` keeps its layers, its position and its place in the cascade, and media conditions
/// apply where the declaration itself cannot have any.
pub(super) fn variable(one: &Use<'_>, name: &str, typed: &[Format]) -> String {
    let formats = formats(typed, one.offered, one.picture.facts);
    let rules = Rules { one, formats: &formats, selector: ":root", variable: Some(name) };
    let on_one_line = |rule: &String| rule.split_whitespace().collect::<Vec<_>>().join(" ");
    let all: String = rules.all().iter().map(on_one_line).collect();
    if !all.contains("image-set(") {
        return all;
    }
    // `var()` of an unknown function is no background at all: browsers that do not know `image-set()`
    // get the widest picture.
    let widest = widest(one, &formats);
    let plain = widest.first().map_or("", |candidate| candidate.url.as_str());
    let test = match formats.first().copied().flatten() {
        Some(format) => format!("image-set(url(\"\") 1x type(\"{}\"))", format.media_type()),
        None => "image-set(url(\"\") 1x)".to_owned(),
    };
    format!(":root {{ {name}: url(\"{plain}\"); }}@supports (background-image: {test}) {{ {all} }}")
}

/// The widest screens' picture as a value of `background-image`.
pub(super) fn value(one: &Use<'_>, typed: &[Format]) -> String {
    let formats = formats(typed, one.offered, one.picture.facts);
    let set = widest(one, &formats);
    if set.is_empty() { "none".to_owned() } else { as_value(&set) }
}

fn widest(one: &Use<'_>, formats: &[Option<Format>]) -> Vec<Candidate> {
    let layouts: Vec<_> = one.place.layouts().enumerate().collect();
    let last = layouts
        .last()
        .and_then(|(number, (_, layout))| stretches(one, formats, *number, layout).pop());
    last.map_or_else(Vec::new, |(_, set)| set)
}

/// One candidate of an `image-set()`.
#[derive(Clone, Debug, PartialEq)]
struct Candidate {
    url: String,
    density: f64,
    /// Its format, if it is for browsers that know that.
    format: Option<Format>,
}

/// As CSS: a picture for each format and density.
fn as_value(set: &[Candidate]) -> String {
    match set {
        [Candidate { url, format: None, .. }] => format!("url(\"{url}\")"),
        several => {
            let part = |Candidate { url, density, format }: &Candidate| {
                let kind = format.map(|format| format!(" type(\"{}\")", format.media_type()));
                format!("url(\"{url}\") {density}x{}", kind.unwrap_or_default())
            };
            format!("image-set({})", several.iter().map(part).collect::<Vec<_>>().join(", "))
        }
    }
}

/// The rule that keeps the elements at `selector` without their background until the page script
/// finds them near the viewport; `None` unless the place loads late. Without script they have it.
pub(super) fn waiting(one: &Use<'_>, selector: &str) -> Option<String> {
    one.place.loading.is_lazy().then(|| {
        format!(
            "@media (scripting: enabled) {{\n  :is({selector})[data-kivet=\"background\"]:not([data-kivet-seen]) {{\n    background-image: none;\n  }}\n}}"
        )
    })
}

struct Rules<'a> {
    one: &'a Use<'a>,
    /// The formats that are offered, best first; the last is for every browser.
    formats: &'a [Option<Format>],
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
        let stretches = stretches(self.one, self.formats, number, layout);
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

    fn rule(&self, set: &[Candidate]) -> String {
        let plain = set.iter().find(|one| one.format.is_none()).cloned();
        // Browsers that do not know the second keep the first.
        let lines: Vec<String> = match (self.variable, plain) {
            (Some(name), _) => vec![format!("{name}: {};", as_value(set))],
            (None, Some(plain)) if set.len() > 1 => [&[plain], set]
                .iter()
                .map(|set| format!("background-image: {};", as_value(set)))
                .collect(),
            (None, _) => vec![format!("background-image: {};", as_value(set))],
        };
        format!("{} {{\n  {}\n}}", self.selector, lines.join("\n  "))
    }
}

/// The last viewport width of a stretch, and the candidates there.
type Stretch = (u32, Vec<Candidate>);

/// What a layout shows on each stretch of viewports, narrowest first.
fn stretches(
    one: &Use<'_>,
    formats: &[Option<Format>],
    number: usize,
    layout: &Layout,
) -> Vec<Stretch> {
    let mut stretches: Vec<Stretch> = Vec::new();
    for (up_to, shown) in bands(one.place, number, layout) {
        let of = |format: &Option<Format>| set(one, *format, number, shown);
        let set: Vec<Candidate> = formats.iter().flat_map(of).collect();
        match stretches.last_mut() {
            Some(last) if last.1 == set => last.0 = up_to,
            _ => stretches.push((up_to, set)),
        }
    }
    stretches
}

/// The candidates of one format; the last format of all is written without its type.
fn set(one: &Use<'_>, format: Option<Format>, number: usize, shown: Shown) -> Vec<Candidate> {
    let cap = one.place.density_on(f64::INFINITY);
    let is_plain = |format: Format| matches!(format, Format::Jpeg | Format::Png | Format::Gif);
    let mut set: Vec<Candidate> = Vec::new();
    for (density, shown) in DENSITIES.into_iter().zip(shown).filter(|(one, _)| *one <= cap) {
        let recipe = &one.offered.layouts[number].taken(shown * density).recipe;
        let url = match format {
            Some(format) => one.picture.url(&format!("{recipe}_as-{format}")),
            None => one.picture.url(recipe.as_str()),
        };
        // A browser takes the least density that suffices: one URL stands under its highest.
        match set.last_mut() {
            Some(last) if last.url == url => last.density = density,
            _ => set.push(Candidate {
                url,
                density,
                format: format.filter(|format| !is_plain(*format)),
            }),
        }
    }
    set
}

/// Preloads of a background: on every screen that it loads first on exactly one holds, and names
/// what the rules show there.
pub(super) fn preloads(one: &Use<'_>, on: Option<&str>, typed: &[Format]) -> Vec<String> {
    let formats = formats(typed, one.offered, one.picture.facts);
    // The first format is what most browsers take; others find the picture a little later.
    let format = formats.first().copied().flatten();
    let mut links = Vec::new();
    let mut before: Vec<&str> = Vec::new();
    for (number, (media, layout)) in one.place.layouts().enumerate() {
        let stretches = stretches(one, &formats[..1], number, layout);
        let last = stretches.len().saturating_sub(1);
        let mut from = None;
        for (at, (up_to, set)) in stretches.iter().enumerate() {
            let narrow = (at < last).then_some(*up_to);
            let on = on.map(in_parentheses);
            let parts = on.into_iter().chain(exclusive(&before, media)).chain(range(from, narrow));
            let condition = parts.collect::<Vec<_>>().join(" and ");
            let candidates: Vec<String> =
                set.iter().map(|one| format!("{} {}x", one.url, one.density)).collect();
            let link = Element::new("link")
                .text("rel", "preload")
                .text("as", "image")
                .maybe("media", (!condition.is_empty()).then_some(condition))
                .maybe("type", format.map(|format| format.media_type()))
                .text("href", set[0].url.clone())
                .maybe("imagesrcset", (set.len() > 1).then(|| candidates.join(", ")))
                .text("fetchpriority", "high");
            links.push(link.html(true));
            from = Some(*up_to);
        }
        before.extend(media);
    }
    links
}

/// The condition for viewports wider than `above` and at most as wide as `up_to`.
fn range(above: Option<u32>, up_to: Option<u32>) -> Option<String> {
    match (above, up_to) {
        (Some(above), Some(up_to)) => Some(format!("({above}px < width <= {up_to}px)")),
        (Some(above), None) => Some(format!("(width > {above}px)")),
        (None, Some(up_to)) => Some(format!("(width <= {up_to}px)")),
        (None, None) => None,
    }
}

/// How wide a picture is shown at most on screens of each of `DENSITIES`, in CSS pixels.
type Shown = [f64; DENSITIES.len()];

/// Stretches of viewport widths on which a layout is shown: the last width of each, and how wide
/// the picture is there at most.
fn bands(place: &Place, number: usize, layout: &Layout) -> Vec<(u32, Shown)> {
    let all = || Population::assumed().screens.iter().map(Screen::device);
    let mut screens: Vec<Device> =
        all().filter(|device| place.layout_on(device) == number).collect();
    if screens.is_empty() {
        screens = all().collect();
    }
    screens.sort_by_key(|device| device.width);
    let mut bands: Vec<Band> = Vec::new();
    for device in screens {
        let next = Band::of(&device, place, layout);
        match bands.last_mut() {
            Some(last) if last.up_to == next.up_to || last.with(&next).spread() <= BAND => {
                *last = last.with(&next);
            }
            _ => bands.push(next),
        }
    }
    // A layout for windows of one shape has few screens, and each of them counts.
    let limit = (MAX_STRETCHES / (place.alternatives.len() + 1)).max(MIN_STRETCHES);
    while bands.len() > limit {
        let spread = |at: &usize| bands[*at].with(&bands[at + 1]).spread();
        let closest =
            (0..bands.len() - 1).min_by(|one, other| spread(one).total_cmp(&spread(other)));
        let Some(at) = closest else { break };
        bands[at] = bands[at].with(&bands[at + 1]);
        bands.remove(at + 1);
    }
    bands.into_iter().map(|band| (band.up_to, band.shown())).collect()
}

/// Screens whose viewports share a rule.
#[derive(Clone, Copy)]
struct Band {
    up_to: u32,
    /// How wide the picture is shown at least and at most on screens of each of `DENSITIES`.
    shown: [Option<(f64, f64)>; DENSITIES.len()],
}

impl Band {
    fn of(device: &Device, place: &Place, layout: &Layout) -> Self {
        let shown = layout.sizes.shown_on(device).max(1.0);
        let density = place.density_on(device.density);
        let at = DENSITIES.iter().position(|one| density <= *one).unwrap_or(DENSITIES.len() - 1);
        let mut band = Self { up_to: device.width, shown: [None; DENSITIES.len()] };
        band.shown[at] = Some((shown, shown));
        band
    }

    fn with(&self, wider: &Self) -> Self {
        let both = |at: usize| match (self.shown[at], wider.shown[at]) {
            (Some(one), Some(other)) => Some((f64::min(one.0, other.0), f64::max(one.1, other.1))),
            (one, other) => one.or(other),
        };
        Self { up_to: wider.up_to, shown: std::array::from_fn(both) }
    }

    /// How many times as wide as on the narrowest screen of its density the picture is shown.
    fn spread(&self) -> f64 {
        let of_density = self.shown.iter().flatten().map(|(least, most)| most / least);
        of_density.fold(1.0, f64::max)
    }

    /// The widths to send pictures for: where no screen of a density is known, the widest of all.
    fn shown(&self) -> Shown {
        let widest = self.shown.iter().flatten().map(|(_, most)| *most).fold(1.0, f64::max);
        self.shown.map(|one| one.map_or(widest, |(_, most)| most))
    }
}
