//! `link rel="preload"` (HTML, 4.6.7.14), as an element and as a `Link` header (RFC 8288): it names
//! exactly what the picture's own markup would take.

use super::{
    Markup, Offer, OfferedSource, Options, Use,
    element::{Element, Value},
    offer::{Candidates, in_parentheses},
};

pub(super) fn write(one: &Use<'_>, offer: &Offer, options: &Options) -> Markup {
    let links = links(offer, options.first_on.as_deref());
    let elements: Vec<String> =
        links.iter().map(|link| link.element(one, options).html(options.compact)).collect();
    let headers = links.iter().map(|link| format!("Link: {}", link.header(one, options))).collect();
    let lazy = one.place.loading.is_lazy().then(|| {
        format!(
            "{}: the place is `{}`; preload the one picture that loads `first`, and no other",
            one.picture.path,
            one.place.loading.name()
        )
    });
    Markup {
        text: elements.join("\n"),
        headers,
        notes: lazy.into_iter().collect(),
        ..Markup::default()
    }
}

/// The elements, each on one line.
pub(super) fn elements(one: &Use<'_>, offer: &Offer, options: &Options) -> Vec<String> {
    links(offer, options.first_on.as_deref())
        .iter()
        .map(|link| link.element(one, options).html(true))
        .collect()
}

/// One preload. No two hold on the same screen.
pub(super) struct Link<'a> {
    pub(super) media: Option<String>,
    format: Option<&'static str>,
    pub(super) candidates: &'a Candidates,
}

/// A link for each source of the first format, each on the screens that the ones before leave; and
/// all `on` some screens only, where the picture loads first on those alone.
pub(super) fn links<'a>(offer: &'a Offer, on: Option<&str>) -> Vec<Link<'a>> {
    let first = offer.sources.iter().find_map(|source| source.format);
    let of_first = |source: &&OfferedSource| source.format == first;
    let mut before: Vec<&str> = Vec::new();
    let mut links: Vec<Link<'_>> = offer
        .sources
        .iter()
        .filter(of_first)
        .map(|source| {
            let media = joined(on, exclusive(&before, source.media.as_deref()));
            before.extend(source.media.as_deref());
            let format = source.format.map(|format| format.media_type());
            Link { media, format, candidates: &source.candidates }
        })
        .collect();
    // With typed sources, the last of them is for every screen already.
    if first.is_none() {
        let media = joined(on, exclusive(&before, None));
        links.push(Link { media, format: None, candidates: &offer.main });
    }
    links
}

fn joined(on: Option<&str>, media: Option<String>) -> Option<String> {
    match (on, media) {
        (Some(on), Some(media)) => Some(format!("{} and {media}", in_parentheses(on))),
        (on, media) => media.or(on.map(str::to_owned)),
    }
}

/// Where `media` holds and none of those before it: a range where all are maxima of one feature.
pub(super) fn exclusive(before: &[&str], media: Option<&str>) -> Option<String> {
    if let Some(range) = range(before, media) {
        return Some(range);
    }
    let others = before.iter().map(|other| format!("(not {})", doubled(other)));
    let parts: Vec<String> = media.map(in_parentheses).into_iter().chain(others).collect();
    (!parts.is_empty()).then(|| parts.join(" and "))
}

/// The range of a feature above the maxima before it, up to the maximum of `media` where it has one;
/// `None` where that is no range.
fn range(before: &[&str], media: Option<&str>) -> Option<String> {
    let parts: Vec<(&str, &str)> = before.iter().map(|one| maximum(one)).collect::<Option<_>>()?;
    let (feature, above) = *parts.last()?;
    let rises = parts.windows(2).all(|pair| pair[0].0 == feature && less(pair[0].1, pair[1].1));
    let own = match media {
        Some(media) => Some(maximum(media).filter(|own| own.0 == feature)?),
        None => None,
    };
    match own {
        _ if !rises => None,
        Some((_, up_to)) => less(above, up_to).then(|| format!("({above} < {feature} <= {up_to})")),
        None => Some(format!("({feature} > {above})")),
    }
}

/// The feature and the value of `(max-FEATURE: VALUE)`.
fn maximum(media: &str) -> Option<(&str, &str)> {
    let inner = media.strip_prefix("(max-")?.strip_suffix(')')?;
    let (feature, value) = inner.split_once(':')?;
    (!value.contains(['(', ')'])).then(|| (feature.trim(), value.trim()))
}

/// True if one value of a feature is less than another of the same unit.
fn less(one: &str, other: &str) -> bool {
    let ratio = |text: &str| {
        let (across, down) = text.split_once('/')?;
        Some(across.trim().parse::<f64>().ok()? / down.trim().parse::<f64>().ok()?)
    };
    let number = |text: &str| ratio(text).or_else(|| text.strip_suffix("px")?.parse().ok());
    number(one).zip(number(other)).is_some_and(|(one, other)| one < other)
}

/// A condition as `not` takes it: in parentheses of its own, unless it is one feature.
fn doubled(media: &str) -> String {
    let one_feature = media.starts_with('(') && media.matches('(').count() == 1;
    if one_feature { media.to_owned() } else { format!("({media})") }
}

impl Link<'_> {
    fn element(&self, one: &Use<'_>, options: &Options) -> Element {
        let (picture, candidates) = (&one.picture, self.candidates);
        let link = Element::new("link")
            .text("rel", "preload")
            .text("as", "image")
            .maybe("media", self.media.clone())
            .maybe("type", self.format)
            .text("href", candidates.fallback(picture));
        let link = match candidates.parts(picture) {
            parts if parts.is_empty() => link,
            parts => {
                link.with("imagesrcset", Value::List(parts)).text("imagesizes", &candidates.sizes)
            }
        };
        link.text("fetchpriority", "high")
            .maybe("crossorigin", options.cross_origin.map(|mode| mode.name()))
    }

    fn header(&self, one: &Use<'_>, options: &Options) -> String {
        let (picture, candidates) = (&one.picture, self.candidates);
        let mut text = format!("<{}>; rel=preload; as=image", candidates.fallback(picture));
        let mut add = |name: &str, value: &str| text.push_str(&format!("; {name}=\"{value}\""));
        if candidates.steps.len() > 1 {
            add("imagesrcset", &candidates.srcset(picture));
            add("imagesizes", &candidates.sizes);
        }
        if let Some(media) = &self.media {
            add("media", media);
        }
        if let Some(format) = self.format {
            add("type", format);
        }
        if let Some(mode) = options.cross_origin {
            add("crossorigin", mode.name());
        }
        add("fetchpriority", "high");
        text
    }
}
