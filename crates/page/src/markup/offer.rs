//! What every form says: the sources a browser tries in turn, and what each has.

use kivet_recipe::{Facts, Format, Size};

use super::{Options, Picture, Use};
use crate::{Layout, Offered, OfferedLayout, OfferedStep, Place};

/// What a picture is offered as, in the order a browser tries it.
#[derive(Clone, Debug, PartialEq)]
pub struct Offer {
    /// The `source` elements: the first whose condition and type fit is taken.
    pub sources: Vec<OfferedSource>,
    /// What the `img` itself has.
    pub main: Candidates,
}

/// One `source`.
#[derive(Clone, Debug, PartialEq)]
pub struct OfferedSource {
    /// Its `media`, if it is for some screens only.
    pub media: Option<String>,
    /// Its format, if it is for some browsers only.
    pub format: Option<Format>,
    /// What it has.
    pub candidates: Candidates,
}

/// A `srcset` with what belongs to it.
#[derive(Clone, Debug, PartialEq)]
pub struct Candidates {
    /// Recipe and width of each, smallest first; at least one.
    pub steps: Vec<(String, u32)>,
    /// The `sizes` attribute.
    pub sizes: String,
    /// The largest: `width` and `height`.
    pub size: Size,
}

/// No wider than this is what a browser gets that knows no `srcset`.
const FALLBACK_WIDTH: u32 = 1000;

impl Offer {
    pub(super) fn new(one: &Use<'_>, options: &Options) -> Self {
        Self::of(one.place, one.offered, one.picture.facts, &options.typed)
    }

    /// What a place offers of an original, in formats with sources of their own, best first.
    pub fn of(place: &Place, offered: &Offered, facts: &Facts, formats: &[Format]) -> Self {
        let place = &*place.for_original(facts);
        let plain = plain_format(formats, offered, facts);
        let typed = typed(formats, plain, facts);
        let mut sources = Vec::new();
        for ((media, layout), offered) in place.layouts().zip(&offered.layouts) {
            let candidates =
                |steps: &[OfferedStep], format| candidates(place, layout, steps, format);
            for (media, step) in capped(place, media, offered) {
                let only = std::slice::from_ref(step);
                sources.extend(typed.iter().map(|format| OfferedSource {
                    media: Some(media.clone()),
                    format: *format,
                    candidates: candidates(only, *format),
                }));
            }
            let wanted = typed.iter().filter(|format| media.is_some() || **format != plain);
            sources.extend(wanted.map(|format| OfferedSource {
                media: media.map(str::to_owned),
                format: *format,
                candidates: candidates(&offered.steps, *format),
            }));
        }
        // The place's own layout is the last.
        let steps = &offered.layouts[offered.layouts.len() - 1].steps;
        Self { sources, main: candidates(place, &place.layout, steps, plain) }
    }

    /// True if an `img` alone does not say it all.
    pub fn needs_picture(&self) -> bool {
        !self.sources.is_empty()
    }
}

/// The formats in which a place offers an original: those with sources of their own, and last the one
/// that every browser shows; `None` where the host chooses.
pub(super) fn formats(wanted: &[Format], offered: &Offered, facts: &Facts) -> Vec<Option<Format>> {
    typed(wanted, plain_format(wanted, offered, facts), facts)
}

/// The formats that get sources, and last the one that every browser shows.
fn typed(formats: &[Format], plain: Option<Format>, facts: &Facts) -> Vec<Option<Format>> {
    if plain.is_none() {
        return vec![None];
    }
    let fits = |format: &&Format| {
        (!facts.animated || format.can_animate()) && (!facts.alpha || format.has_alpha())
    };
    formats.iter().filter(fits).copied().map(Some).chain([plain]).collect()
}

/// The format that every browser shows, where the host does not choose.
fn plain_format(formats: &[Format], offered: &Offered, facts: &Facts) -> Option<Format> {
    if formats.is_empty() || facts.format == Format::Svg {
        return None;
    }
    Some(match (facts.animated, facts.alpha || offered.is_lossless()) {
        (true, _) => Format::Gif,
        (false, true) => Format::Png,
        (false, false) => Format::Jpeg,
    })
}

/// The condition and step of each stretch of viewports on screens denser than the place's cap.
fn capped<'a>(
    place: &Place,
    media: Option<&str>,
    offered: &'a OfferedLayout,
) -> Vec<(String, &'a OfferedStep)> {
    let Some(cap) = place.density_cap else { return Vec::new() };
    // The least density above the cap that two decimals can say.
    let dense = format!("(min-resolution: {}dppx)", (cap.factor() * 100.0 + 1.0).round() / 100.0);
    let bands = offered.capped.iter().map(|band| {
        let narrow = band.up_to.map(|up_to| format!("(max-width: {up_to}px)"));
        let parts = media.map(in_parentheses).into_iter().chain([dense.clone()]).chain(narrow);
        (parts.collect::<Vec<_>>().join(" and "), &offered.steps[band.step])
    });
    bands.collect()
}

/// A condition that others can be joined to by `and`.
pub(super) fn in_parentheses(media: &str) -> String {
    let simple = media.starts_with('(') && !media.contains(") or") && !media.starts_with("((");
    if simple { media.to_owned() } else { format!("({media})") }
}

fn candidates(
    place: &Place,
    layout: &Layout,
    steps: &[OfferedStep],
    format: Option<Format>,
) -> Candidates {
    let written = |step: &OfferedStep| match format {
        Some(format) => format!("{}_as-{format}", step.recipe),
        None => step.recipe.as_str().to_owned(),
    };
    let auto = place.auto_sizes && place.loading.is_lazy();
    let sizes = layout.sizes.as_str();
    Candidates {
        steps: steps.iter().map(|step| (written(step), step.size.width)).collect(),
        sizes: if auto { format!("auto, {sizes}") } else { sizes.to_owned() },
        size: steps.last().map_or(Size::new(0, 0), |step| step.size),
    }
}

impl Picture<'_> {
    /// The URL of a recipe.
    pub fn url(&self, recipe: &str) -> String {
        let Self { base, path, version, facts: _ } = self;
        let mut url = String::with_capacity(base.len() + recipe.len() + path.len() + 32);
        for part in [*base, "/pic/", recipe, "/", *path] {
            url.push_str(part);
        }
        for part in version.iter().flat_map(|version| ["?v=", *version]) {
            url.push_str(part);
        }
        url
    }
}

impl Candidates {
    /// The parts of the `srcset` attribute; empty where one URL says it all.
    pub fn parts(&self, picture: &Picture<'_>) -> Vec<String> {
        if self.steps.len() < 2 { Vec::new() } else { self.all_parts(picture) }
    }

    /// As [`parts`](Self::parts), even if there is but one.
    pub fn all_parts(&self, picture: &Picture<'_>) -> Vec<String> {
        let part = |(recipe, width): &(String, u32)| {
            let mut part = picture.url(recipe);
            part.push(' ');
            part.push_str(&width.to_string());
            part.push('w');
            part
        };
        self.steps.iter().map(part).collect()
    }

    /// The `srcset` attribute on one line.
    pub fn srcset(&self, picture: &Picture<'_>) -> String {
        self.all_parts(picture).join(", ")
    }

    /// The URL for whoever cannot choose: enough for most, too much for none.
    pub fn fallback(&self, picture: &Picture<'_>) -> String {
        let enough = self.steps.iter().rfind(|(_, width)| *width <= FALLBACK_WIDTH);
        let step = enough.or(self.steps.first());
        step.map_or(String::new(), |(recipe, _)| picture.url(recipe))
    }
}
