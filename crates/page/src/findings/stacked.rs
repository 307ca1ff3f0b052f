//! Helpers that stand in each other's way: two lazy loaders, two picture services, exemptions that
//! miss.

use percent_encoding::percent_decode_str;
use url::Url;

use super::{Code, Cost, Finding, Fix};
use crate::loaders::holds_an_address;
use crate::observation::{Ancestor, Attributes, Element, Observation, Role, Use};

pub(super) fn findings(page: &Observation) -> Vec<Finding> {
    let of = |place: &Use| [two_lazy(place), two_services(place), exemption(place)];
    page.uses
        .iter()
        .filter(|place| place.role == Role::Img || !place.url.is_empty())
        .flat_map(of)
        .flatten()
        .collect()
}

/// Marks by which script loaders know their pictures: an address held back, or a class of theirs.
fn script_lazy(attributes: &Attributes) -> Vec<String> {
    let mut marks: Vec<String> = attributes
        .iter()
        .filter(|(name, value)| holds_an_address(name) && value.contains(['/', '.']))
        .map(|(name, _)| loader_of(name).to_owned())
        .collect();
    marks.dedup();
    let classes = attributes.get("class").map(String::as_str).unwrap_or_default();
    let is_loader = |class: &&str| LOADERS.contains(&class.to_ascii_lowercase().as_str());
    if marks.is_empty() {
        marks.extend(
            classes.split_ascii_whitespace().find(is_loader).map(|class| format!(".{class}")),
        );
    }
    marks
}

/// Classes by which scripts pick pictures out; others only style what waits.
const LOADERS: [&str; 9] = [
    "lazy",
    "lazyload",
    "lazyloading",
    "lazy-load",
    "lazy-loading",
    "js-lazy",
    "js-lazyload",
    "lazy-img",
    "lazy-image",
];

/// `data-src` and `data-srcset` belong to one loader, `data-later-src` to another.
fn loader_of(name: &str) -> &str {
    let end = ["-srcset", "-src", "-lazysrcset", "-lazysrc", "-bg", "-background", "-original"]
        .iter()
        .find_map(|end| name.strip_suffix(end));
    end.unwrap_or(name)
}

fn two_lazy(place: &Use) -> Option<Finding> {
    if place.role != Role::Img {
        return None;
    }
    let marks = script_lazy(&place.element.attributes);
    let native = place.element.keyword("loading") == "lazy";
    let (one, other) = match (native, marks.as_slice()) {
        (true, [mark, ..]) => ("loading=\"lazy\"", mark.as_str()),
        (false, [mark, other, ..]) => (mark.as_str(), other.as_str()),
        _ => return None,
    };
    let why = format!(
        "`{one}` and the script loader that `{other}` calls for both hold this picture back"
    );
    let changes = without_loader(&place.element);
    Some(Finding::at(Code::TwoLazyLoaders, place, Cost::NONE, why, Fix::all(&changes)))
}

/// The changes that give a picture to the browser: what scripts hold back stands in the attributes of
/// HTML, and the marks of their loaders are gone.
fn without_loader(element: &Element) -> Vec<(&str, Option<String>)> {
    let mut changes: Vec<(&str, Option<String>)> = vec![("loading", Some("lazy".to_owned()))];
    let held: Vec<(&String, &String)> =
        element.attributes.iter().filter(|(name, _)| holds_an_address(name)).collect();
    changes.extend(held.iter().map(|(name, _)| (name.as_str(), None)));
    let value = |is_set: bool| {
        let found = held.iter().find(|(name, _)| name.contains("srcset") == is_set);
        found.map(|(_, value)| (*value).clone())
    };
    changes.extend(value(false).map(|src| ("src", Some(src))));
    changes.extend(value(true).map(|srcset| ("srcset", Some(srcset))));
    if let Some(sizes) = element.attribute("data-sizes") {
        changes.push(("data-sizes", None));
        changes.extend((sizes != "auto").then(|| ("sizes", Some(sizes.to_owned()))));
    }
    let classes = element.attribute("class").unwrap_or_default();
    let is_loader = |class: &&str| LOADERS.contains(&class.to_ascii_lowercase().as_str());
    if classes.split_ascii_whitespace().any(|class| is_loader(&class)) {
        let others: Vec<&str> =
            classes.split_ascii_whitespace().filter(|class| !is_loader(class)).collect();
        changes.push(("class", (!others.is_empty()).then(|| others.join(" "))));
    }
    changes
}

/// Query keys by which addresses ask for a transform.
const KEYS: [&str; 14] = [
    "w", "h", "width", "height", "size", "resize", "q", "quality", "fit", "crop", "format",
    "scale", "ratio", "fidelity",
];

/// True if a URL, or a part of one, asks a service to transform a picture.
fn asks_for_a_transform(text: &str) -> bool {
    let (path, query) = text.split_once('?').unwrap_or((text, ""));
    let by_query = query.split('&').filter_map(|pair| pair.split_once('=')).any(|(key, value)| {
        KEYS.contains(&key.to_ascii_lowercase().as_str())
            && !value.is_empty()
            && !value.contains("//")
    });
    let by_path = path.split('/').skip(if path.contains("://") { 3 } else { 0 }).any(|segment| {
        // Names of files may hold a size; folders that do are instructions.
        let is_file = segment.contains('.') && path.ends_with(segment);
        let is_clause = |clause: &str| is_size_clause(clause) || clause == "resize";
        !is_file
            && (segment.split([',', '_', ';', ':', '=', '-']).any(is_clause)
                || has_assignment(segment))
    });
    by_query || by_path
}

/// `640w`, `w640`, `300x200`.
fn is_size_clause(clause: &str) -> bool {
    let digits = |text: &str| {
        !text.is_empty() && text.len() <= 5 && text.chars().all(|c| c.is_ascii_digit())
    };
    clause.strip_suffix(['w', 'h']).is_some_and(digits)
        || clause.strip_prefix(['w', 'h']).is_some_and(digits)
        || clause.split_once('x').is_some_and(|(across, down)| digits(across) && digits(down))
}

/// `width=640`, `w_640`, `q:80`.
fn has_assignment(segment: &str) -> bool {
    segment.split([',', ';', '&']).any(|clause| {
        clause.split_once(['=', '_', ':']).is_some_and(|(key, value)| {
            KEYS.contains(&key.to_ascii_lowercase().as_str())
                && value.starts_with(|c: char| c.is_ascii_digit() || c == 'a')
        })
    })
}

/// An address that carries another: what it asks for itself, and the other. `None` if it carries
/// none.
fn layers(url: &str) -> Option<(String, String)> {
    let parsed = Url::parse(url).ok()?;
    if let Some((_, inner)) = parsed.query_pairs().find(|(_, value)| is_scheme(value)) {
        let others = parsed.query_pairs().filter(|(_, value)| !is_scheme(value));
        let query: Vec<String> = others.map(|(key, value)| format!("{key}={value}")).collect();
        return Some((format!("{}?{}", parsed.path(), query.join("&")), inner.into_owned()));
    }
    let path = percent_decode_str(parsed.path()).decode_utf8_lossy().into_owned();
    let scheme = path.match_indices("http").map(|(at, _)| at).find(|at| is_scheme(&path[*at..]));
    // Or the same service's own prefix a second time.
    let start = scheme.or_else(|| path.match_indices("/pic/").map(|(at, _)| at).nth(1))?;
    let query = parsed.query().map_or(String::new(), |query| format!("?{query}"));
    Some((path[..start].to_owned(), format!("{}{query}", &path[start..])))
}

fn is_scheme(text: &str) -> bool {
    ["https://", "http://", "https:/", "http:/"].iter().any(|scheme| text.starts_with(scheme))
}

fn two_services(place: &Use) -> Option<Finding> {
    let url = if place.url.is_empty() { place.element.attribute("src")? } else { &place.url };
    if url.starts_with("data:") {
        return None;
    }
    let (outer, inner) = layers(url)?;
    let transforms = |layer: &str| layer.contains("/pic/") || asks_for_a_transform(layer);
    if !transforms(&outer) || !transforms(&inner) {
        return None;
    }
    let why = format!("one service is asked to transform what another transforms already: {inner}");
    let path = inner.split('?').next().unwrap_or(&inner);
    // What follows the file's name is an instruction, too.
    let original = path.split('/').rev().find(|part| is_picture_file(part));
    let fix = match original {
        Some(file) => format!("ask one of them, for the original: /pic/640w/<shelf>/{file}"),
        None => format!("ask one of them alone, for the original that {inner} transforms"),
    };
    let fix = Fix::Words(fix);
    Some(Finding::at(Code::TwoPictureServices, place, Cost::NONE, why, fix))
}

/// True for a part of a path that names a picture.
fn is_picture_file(part: &str) -> bool {
    const ENDINGS: [&str; 9] = ["jpg", "jpeg", "png", "gif", "webp", "avif", "jxl", "svg", "tiff"];
    let ending = part.rsplit_once('.').map(|(_, ending)| ending.to_ascii_lowercase());
    ending.is_some_and(|ending| ENDINGS.contains(&ending.as_str()))
}

/// Words that say "not".
const NOT: [&str; 8] = ["no", "not", "skip", "exclude", "without", "disable", "ignore", "never"];

/// True if a class or attribute name exempts from something done to pictures.
fn is_exemption(word: &str) -> bool {
    let word = word.to_ascii_lowercase();
    let parts: Vec<&str> = word.strip_prefix("data-").unwrap_or(&word).split(['-', '_']).collect();
    parts.len() > 1
        && parts.iter().any(|part| NOT.contains(part))
        && parts.iter().any(|part| about_lazy(part) || about_service(part))
        || NOT.iter().any(|not| {
            word.strip_prefix(not).is_some_and(|rest| about_lazy(rest) || about_service(rest))
        })
}

fn about_lazy(part: &str) -> bool {
    part.contains("lazy") || part == "defer"
}

fn about_service(part: &str) -> bool {
    ["optimi", "resiz", "transform", "convert", "kivet", "webp", "avif", "compress"]
        .iter()
        .any(|stem| part.starts_with(stem))
}

fn exemption(place: &Use) -> Option<Finding> {
    if place.role != Role::Img {
        return None;
    }
    let element = &place.element;
    let lazy = element.keyword("loading") == "lazy" || !script_lazy(&element.attributes).is_empty();
    let served = asks_for_a_transform(&place.url) || place.url.contains("/pic/");
    let own: Vec<&str> = marks(&element.attributes).collect();
    for around in place.ancestors.iter().filter(|around| around.tag != "body") {
        let mut found =
            marks(&around.attributes).filter(|mark| is_exemption(mark) && !own.contains(mark));
        let missed = found
            .find(|mark| (mark.contains("lazy") && lazy) || (!mark.contains("lazy") && served));
        let missed = missed.map(str::to_owned).or_else(|| misplaced(around, element, lazy, served));
        if let Some(mark) = missed {
            let why = format!(
                "`{mark}` stands on the {} around it; the picture itself is treated like any other",
                around.tag
            );
            let fix = if lazy && mark.contains("lazy") || mark.starts_with("loading") {
                Fix::remove("loading")
            } else {
                Fix::set("data-kivet", "leave")
            };
            return Some(Finding::at(Code::ExemptionMissesImage, place, Cost::NONE, why, fix));
        }
    }
    None
}

fn marks(attributes: &Attributes) -> impl Iterator<Item = &str> {
    let classes = attributes.get("class").map(String::as_str).unwrap_or_default();
    classes.split_ascii_whitespace().chain(attributes.keys().map(String::as_str))
}

/// Attributes that only work on the picture itself.
fn misplaced(
    around: &Ancestor,
    element: &crate::Element,
    lazy: bool,
    served: bool,
) -> Option<String> {
    let value =
        |name: &str| around.attributes.get(name).map(|value| value.trim().to_ascii_lowercase());
    if lazy && around.tag != "iframe" && value("loading").as_deref() == Some("eager") {
        return Some("loading=\"eager\"".to_owned());
    }
    let leave =
        value("data-kivet").as_deref() == Some("leave") && element.keyword("data-kivet") != "leave";
    (leave && served).then(|| "data-kivet=\"leave\"".to_owned())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_transform_inside_a_transform_is_seen() {
        let stacked = |url: &str| {
            let place = Use { url: url.to_owned(), ..Use::default() };
            two_services(&place).is_some()
        };
        for yes in [
            "https://a.test/w_400/https://b.test/fit/300x200/kite.jpg",
            "https://a.test/i?url=https%3A%2F%2Fb.test%2Fkite.jpg%3Fw%3D800&w=400",
            "https://a.test/pic/640w/web/b.test/pic/320w/photos/kite.jpg",
            "https://a.test/t/width=400,quality=80/https://b.test/resize/800/kite.jpg",
        ] {
            assert!(stacked(yes), "{yes}");
        }
        for no in [
            "https://a.test/kite.jpg?w=400",
            "https://a.test/w_400/https://b.test/kite.jpg",
            "https://a.test/pic/640w/photos/kite.jpg",
            "https://a.test/share?u=https://b.test/kite.jpg?w=3",
            "https://a.test/photos/kite-300x200.jpg",
        ] {
            assert!(!stacked(no), "{no}");
        }
    }

    #[test]
    fn a_picture_is_given_to_the_browser_whole() {
        let attributes = [
            ("class", "wide lazyload"),
            ("src", "data:,"),
            ("data-src", "k.jpg"),
            ("data-srcset", "k-2.jpg 2x"),
            ("data-sizes", "auto"),
            ("loading", "lazy"),
        ];
        let attributes: Attributes =
            attributes.map(|(name, value)| (name.to_owned(), value.to_owned())).into();
        let element = Element { tag: "img".to_owned(), attributes, ..Element::default() };
        let place = Use { element, ..Use::default() };
        let found = two_lazy(&place).expect("a finding");
        let Fix::Attributes(changes) = found.fix else { panic!("{:?}", found.fix) };
        let changes: Vec<(String, Option<String>)> =
            changes.into_iter().map(|(name, value)| (name.to_string(), value)).collect();
        for (name, value) in [
            ("class", Some("wide")),
            ("src", Some("k.jpg")),
            ("srcset", Some("k-2.jpg 2x")),
            ("data-src", None),
            ("data-srcset", None),
            ("data-sizes", None),
        ] {
            let wanted = (name.to_owned(), value.map(str::to_owned));
            assert!(changes.contains(&wanted), "{name}: {changes:?}");
        }
    }

    #[test]
    fn exemptions_are_told_from_other_words() {
        for yes in [
            "no-lazy",
            "skip-lazy",
            "nolazy",
            "data-no-lazy",
            "not_optimised",
            "no-resize",
            "data-skip-optimize",
        ] {
            assert!(is_exemption(yes), "{yes}");
        }
        for no in ["lazy", "lazyload", "nose", "notes", "no-js", "optimised", "data-src"] {
            assert!(!is_exemption(no), "{no}");
        }
    }
}
