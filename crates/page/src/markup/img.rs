//! `img`, and `picture` around it.

use super::{
    Markup, Offer, OfferedSource, Options, Use,
    element::{Element, Value},
    waiting::Waiting,
};
use crate::Loading;

pub(super) fn write(one: &Use<'_>, offer: &Offer, options: &Options, picture: bool) -> Markup {
    let waiting = Waiting::of(one, options.classes);
    let element = element(one, offer, options, picture, &waiting);
    Markup {
        text: element.html(options.compact),
        css: waiting.css(),
        notes: notes(one, options),
        ..Markup::default()
    }
}

/// The element, with its sources where it is a `picture`.
pub(super) fn element(
    one: &Use<'_>,
    offer: &Offer,
    options: &Options,
    picture: bool,
    waiting: &Waiting,
) -> Element {
    let img = img(one, offer, options, waiting);
    if !picture {
        return img;
    }
    let sources = offer.sources.iter().map(|source| self::source(one, source, true));
    Element::new("picture").holding(sources.chain([img]).collect())
}

/// The attributes of the `img`, with their values as HTML has them.
pub(super) fn attributes(
    one: &Use<'_>,
    offer: &Offer,
    options: &Options,
) -> Vec<(&'static str, String)> {
    img(one, offer, options, &Waiting::of(one, options.classes)).into_attributes()
}

/// The sources, each on one line.
pub(super) fn sources(one: &Use<'_>, offer: &Offer, sized: bool) -> Vec<String> {
    offer.sources.iter().map(|source| self::source(one, source, sized).html(true)).collect()
}

fn img(one: &Use<'_>, offer: &Offer, options: &Options, waiting: &Waiting) -> Element {
    let main = &offer.main;
    let loading = one.place.loading;
    let mut img = Element::new("img").text("src", main.fallback(&one.picture));
    let parts = main.parts(&one.picture);
    // One candidate needs no choosing among.
    if !parts.is_empty() {
        img = img.with("srcset", Value::List(parts)).text("sizes", &main.sizes);
    }
    let img = img
        .with("width", Value::Number(main.size.width))
        .with("height", Value::Number(main.size.height))
        .maybe("alt", one.alt.value())
        .text("loading", loading.attribute())
        .maybe("fetchpriority", options.priority(loading))
        .text("decoding", "async")
        .maybe("crossorigin", options.cross_origin.map(|mode| mode.name()));
    waiting.on(img)
}

fn source(one: &Use<'_>, source: &OfferedSource, sized: bool) -> Element {
    let OfferedSource { media, format, candidates } = source;
    let element = Element::new("source")
        .maybe("media", media.clone())
        .maybe("type", format.map(|format| format.media_type()))
        .with("srcset", Value::List(candidates.all_parts(&one.picture)))
        .text("sizes", &candidates.sizes);
    if !sized {
        return element;
    }
    element
        .with("width", Value::Number(candidates.size.width))
        .with("height", Value::Number(candidates.size.height))
}

/// What a person still has to decide.
pub(super) fn notes(one: &Use<'_>, options: &Options) -> Vec<String> {
    let preload = (one.place.loading == Loading::First).then(|| match &options.first_on {
        Some(media) => format!(
            "{}: loads first on {media}: preload it there with the same --media and --form preload",
            one.picture.path
        ),
        None => format!(
            "{}: loads first; if the page's HTML names it late, preload it too: --form preload",
            one.picture.path
        ),
    });
    one.alt.note(one.picture.path).into_iter().chain(preload).collect()
}
