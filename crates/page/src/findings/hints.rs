//! Preloads and preconnects against what the page then does.

use url::{Origin, Url};

use super::{Code, Cost, Finding, Fix, name};
use crate::observation::{Hint, Observation, Request, Role, Use};
use crate::read_srcset;

pub(super) fn findings(page: &Observation) -> Vec<Finding> {
    let mut found: Vec<Finding> =
        page.hints.iter().filter_map(|hint| preload(page, hint)).collect();
    found.extend(page.hints.iter().filter_map(|hint| unused_connection(page, hint)));
    found.extend(missing_connections(page));
    found
}

fn preload(page: &Observation, hint: &Hint) -> Option<Finding> {
    if hint.rel != "preload"
        || hint.element.keyword("as") != "image"
        || !hint.matches
        || hint.url.is_empty()
    {
        return None;
    }
    let fetched: Vec<_> = page
        .requests
        .iter()
        .filter(|request| request.is_picture && request.asked_for(&hint.url))
        .collect();
    let bytes: u64 = fetched.iter().map(|request| request.bytes).sum();
    let users: Vec<&Use> =
        page.uses.iter().filter(|place| same(&place.url, &hint.url, page)).collect();
    let (code, why, fix) = if users.is_empty() {
        match page.uses.iter().find(|place| offers(page, place, &hint.url)) {
            Some(place) => (
                Code::PreloadMismatched,
                format!(
                    "{} is preloaded, and the page then takes {}",
                    name(&hint.url),
                    name(&place.url)
                ),
                Fix::Words(equal_to(hint, place)),
            ),
            None => (
                Code::PreloadUnused,
                format!("{} is preloaded and shown nowhere", name(&hint.url)),
                Fix::words("remove this link"),
            ),
        }
    } else {
        let modes: Vec<bool> = fetched.iter().map(|request| request.cross_origin_mode).collect();
        let twice =
            fetched.len() > 1 && fetched.iter().filter(|request| request.bytes > 0).count() > 1;
        let mixed = modes.contains(&true) && modes.contains(&false);
        if !twice && !mixed && crossorigin_agrees(page, hint, &users) {
            return None;
        }
        (
            Code::PreloadMismatched,
            format!(
                "{} is preloaded with another crossorigin than its image has, and fetched twice",
                name(&hint.url)
            ),
            Fix::Words(equal_to(hint, users[0])),
        )
    };
    Some(Finding {
        code,
        element: hint.element.clone(),
        url: hint.url.clone(),
        cost: Cost::bytes(bytes),
        why,
        fix,
    })
}

fn same(one: &str, other: &str, page: &Observation) -> bool {
    one == other
        || page.requests.iter().any(|request| request.url == one && request.asked_for(other))
}

/// In text nothing was fetched; what would be fetched twice is told from the attributes.
fn crossorigin_agrees(page: &Observation, hint: &Hint, users: &[&Use]) -> bool {
    let mode = |element: &crate::Element| {
        element.attribute("crossorigin").map(|value| value == "use-credentials")
    };
    page.measured
        || users
            .iter()
            .any(|place| place.role != Role::Img || mode(&place.element) == mode(&hint.element))
}

/// True if the address is one the element could have taken.
fn offers(page: &Observation, place: &Use, url: &str) -> bool {
    let sets = place
        .sources
        .iter()
        .map(|source| source.srcset.as_str())
        .chain(place.element.attribute("srcset"));
    let written = sets.flat_map(read_srcset).map(|candidate| candidate.url);
    let mut offered = written.chain(place.element.attribute("src").map(str::to_owned));
    let base = Url::parse(&page.url).ok();
    offered.any(|offer| {
        base.as_ref()
            .and_then(|base| base.join(&offer).ok())
            .is_some_and(|offer| offer.as_str() == url)
    })
}

/// The preload that agrees with how a picture is used.
fn equal_to(hint: &Hint, place: &Use) -> String {
    let own = |name: &str| place.element.attribute(name).map(str::to_owned);
    let srcset = own("srcset");
    let href =
        if srcset.is_some() { None } else { Some(own("src").unwrap_or_else(|| place.url.clone())) };
    let sizes = srcset.as_ref().and(own("sizes"));
    hint.element.rewritten(&[
        ("href", href),
        ("imagesrcset", srcset),
        ("imagesizes", sizes),
        ("crossorigin", own("crossorigin")),
    ])
}

fn origin(url: &str) -> Option<Origin> {
    Url::parse(url).ok().map(|url| url.origin()).filter(Origin::is_tuple)
}

fn unused_connection(page: &Observation, hint: &Hint) -> Option<Finding> {
    // In text nobody asked for stylesheets' fonts and scripts' data; looking a name up costs nothing.
    if !page.measured || hint.rel != "preconnect" {
        return None;
    }
    let host = origin(&hint.url)?;
    let comes_from = |request: &&Request| {
        let urls = request.redirects.iter().map(|from| &from.url).chain([&request.url]);
        urls.into_iter().any(|url| origin(url).as_ref() == Some(&host))
    };
    let mut from = page.requests.iter().filter(comes_from).peekable();
    let is_late = from.peek().is_some();
    if from.any(|request| request.before_scroll) || origin(&page.url) == Some(host.clone()) {
        return None;
    }
    let name = host.ascii_serialization();
    let why = match is_late {
        true => format!(
            "a connection to {name} is opened, and nothing comes from there before the page is scrolled: browsers close one that is idle for 10 s"
        ),
        false => {
            format!("a connection to {name} is opened, and nothing on the page comes from there")
        }
    };
    let fix = Fix::words("remove this link, or name the host the pictures come from");
    Some(Finding {
        code: Code::PreconnectUnused,
        element: hint.element.clone(),
        url: hint.url.clone(),
        cost: Cost::NONE,
        why,
        fix,
    })
}

fn missing_connections(page: &Observation) -> Vec<Finding> {
    let own = origin(&page.url);
    let mut found: Vec<Finding> = Vec::new();
    for place in page.uses.iter().filter(|place| place.in_view && place.role != Role::Poster) {
        let Some(host) = origin(&place.url) else { continue };
        let hinted = page.hints.iter().any(|hint| {
            matches!(hint.rel.as_str(), "preconnect" | "preload" | "dns-prefetch")
                && origin(&hint.url).as_ref() == Some(&host)
        });
        let link = Fix::Words(format!(
            "<link rel=\"preconnect\" href=\"{}\">",
            host.ascii_serialization()
        ));
        if own.as_ref() == Some(&host) || hinted || found.iter().any(|one| one.fix == link) {
            continue;
        }
        // What is spent before the first byte, beyond one journey there and back: looking up and
        // connecting.
        let ms = page
            .request(&place.url)
            .filter(|_| page.measured)
            .map(|_| f64::from(page.device.latency_ms));
        let why = format!(
            "{} in the first screen comes from {}, and no preconnect prepares that",
            name(&place.url),
            host.ascii_serialization()
        );
        found.push(Finding::at(Code::PreconnectMissing, place, Cost::ms(ms), why, link));
    }
    found
}
