//! What every form says: the sources a browser tries in turn, and what each has.

use kivet_recipe::{Facts, Format, Recipe, Size};

use super::{Options, Picture, Use};
use crate::{Layout, OfferedLayout, OfferedStep, Place};

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
    /// URL and width of each, smallest first.
    pub srcset: Vec<(String, u32)>,
    /// The `sizes` attribute.
    pub sizes: String,
    /// The largest: `width` and `height`.
    pub size: Size,
    /// The URL for whoever cannot choose: enough for most, too much for none.
    pub fallback: String,
}

/// No wider than this is what a browser gets that knows no `srcset`.
const FALLBACK_WIDTH: u32 = 1000;

impl Offer {
    pub(super) fn new(one: &Use<'_>, options: &Options) -> Self {
        let Use { picture, place, offered, .. } = one;
        let writer = Writer { picture, place };
        let typed = typed(options, picture.facts);
        let plain = plain_format(options, picture.facts);
        let mut sources = Vec::new();
        for ((media, layout), offered) in place.layouts().zip(&offered.layouts) {
            for (media, step) in capped(place, media, offered) {
                let only = std::slice::from_ref(step);
                sources.extend(typed.iter().map(|format| OfferedSource {
                    media: Some(media.clone()),
                    format: *format,
                    candidates: writer.candidates(layout, only, *format),
                }));
            }
            let wanted = typed.iter().filter(|format| media.is_some() || **format != plain);
            sources.extend(wanted.map(|format| OfferedSource {
                media: media.map(str::to_owned),
                format: *format,
                candidates: writer.candidates(layout, &offered.steps, *format),
            }));
        }
        // The place's own layout is the last.
        let steps = &offered.layouts[offered.layouts.len() - 1].steps;
        Self { sources, main: writer.candidates(&place.layout, steps, plain) }
    }

    /// True if an `img` alone does not say it all.
    pub fn needs_picture(&self) -> bool {
        !self.sources.is_empty()
    }
}

/// The formats that get sources, then none: what a browser takes that shows none of them.
fn typed(options: &Options, facts: &Facts) -> Vec<Option<Format>> {
    if facts.format == Format::Svg || options.typed.is_empty() {
        return vec![None];
    }
    let fits = |format: &&Format| {
        (!facts.animated || format.can_animate()) && (!facts.alpha || format.has_alpha())
    };
    let plain = plain_format(options, facts);
    options.typed.iter().filter(fits).copied().map(Some).chain([plain]).collect()
}

/// The format of what every browser shows, where the host does not choose.
fn plain_format(options: &Options, facts: &Facts) -> Option<Format> {
    if options.typed.is_empty() || facts.format == Format::Svg {
        return None;
    }
    Some(match (facts.animated, facts.alpha) {
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

struct Writer<'a> {
    picture: &'a Picture<'a>,
    place: &'a Place,
}

impl Writer<'_> {
    fn candidates(
        &self,
        layout: &Layout,
        steps: &[OfferedStep],
        format: Option<Format>,
    ) -> Candidates {
        let srcset: Vec<(String, u32)> = steps
            .iter()
            .map(|step| (self.picture.url(&step.recipe, format), step.size.width))
            .collect();
        let fallback = srcset.iter().rfind(|(_, width)| *width <= FALLBACK_WIDTH);
        let fallback = fallback.or(srcset.first()).map_or(String::new(), |(url, _)| url.clone());
        let auto = self.place.auto_sizes && self.place.loading.is_lazy();
        let sizes = layout.sizes.as_str();
        Candidates {
            sizes: if auto { format!("auto, {sizes}") } else { sizes.to_owned() },
            size: steps.last().map_or(self.picture.facts.size, |step| step.size),
            fallback,
            srcset,
        }
    }
}

impl Picture<'_> {
    /// The URL of a recipe that names no format, in a fixed one if it is given.
    pub(super) fn url(&self, recipe: &Recipe, format: Option<Format>) -> String {
        let version = self.version.map_or(String::new(), |version| format!("?v={version}"));
        let format = format.map_or(String::new(), |format| format!("_as-{format}"));
        format!("{}/pic/{recipe}{format}/{}{version}", self.base, self.path)
    }
}

impl Candidates {
    /// The parts of the `srcset` attribute; empty where one URL says it all.
    pub fn parts(&self) -> Vec<String> {
        if self.srcset.len() < 2 {
            return Vec::new();
        }
        self.all_parts()
    }

    /// As [`parts`](Self::parts), even if there is but one.
    pub fn all_parts(&self) -> Vec<String> {
        self.srcset.iter().map(|(url, width)| format!("{url} {width}w")).collect()
    }

    /// The `srcset` attribute on one line.
    pub fn attribute(&self) -> String {
        self.all_parts().join(", ")
    }
}
