//! How answers arrive: broken, by way of a redirect, kept too briefly; pages that cannot come back;
//! heavy embeds.

use super::{Code, Cost, Finding, Fix, name, size};
use crate::observation::{BackBlock, Element, Embed, Observation, Request, Role, Use};

/// A picture kept less than a day is fetched again by tomorrow's visit.
const DAY_S: u64 = 86_400;

/// An embed lighter than this is no heavier than a picture.
const HEAVY: u64 = 400_000;

pub(super) fn findings(page: &Observation) -> Vec<Finding> {
    let mut found: Vec<Finding> =
        page.uses.iter().filter_map(|place| broken(page, place)).collect();
    found.extend(page.exposed.iter().map(|what| exposed(what)));
    let unanswered = page.requests.iter().filter(|request| request.unanswered);
    found.extend(unanswered.map(|request| never_answered(page, request)));
    found.extend(page.dialogs.iter().map(|dialog| {
        of_page(
            Code::DialogOpened,
            dialog,
            &page.url,
            format!("{dialog}; scripts, and what they would load, wait until it is closed"),
            "show messages within the page, as a `dialog` element or text",
        )
    }));
    let mut told: Vec<&str> = Vec::new();
    for place in &page.uses {
        let Some(request) = page.request(&place.url) else { continue };
        if told.contains(&place.url.as_str()) || request.status >= 400 {
            continue;
        }
        told.push(&place.url);
        found.extend(redirected(place, request));
        found.extend(short(place, request));
    }
    found.extend(page.back.iter().map(|block| blocks_back(page, block)));
    let screen = f64::from(page.device.height);
    // Browsers fetch lazy frames some screens ahead; the page has done its part.
    let waits =
        |embed: &Embed| embed.element.keyword("loading") == "lazy" && embed.area.y >= screen;
    found.extend(
        page.embeds
            .iter()
            .filter(|embed| embed.bytes_up_front >= HEAVY && !waits(embed))
            .map(heavy),
    );
    found
}

fn blocks_back(page: &Observation, block: &BackBlock) -> Finding {
    let why = format!("{}: going back loads the whole page again", block.place);
    let other = format!("remove what the browser calls {}", block.reason);
    let way_out = match block.reason.as_str() {
        "no-store" => "Cache-Control: no-cache instead of no-store, unless the page is secret",
        "unload" => "listen to pagehide instead of unload",
        _ => &other,
    };
    of_page(Code::BlocksInstantBack, &block.reason, &page.url, why, way_out)
}

/// A finding about the page as a whole; `what` tells it from others of its code.
fn of_page(code: Code, what: &str, url: &str, why: String, way_out: &str) -> Finding {
    let element = Element {
        tag: "html".to_owned(),
        path: what.to_owned(),
        selector: "html".to_owned(),
        ..Element::default()
    };
    let fix = Fix::words(way_out);
    Finding { code, element, url: url.to_owned(), cost: Cost::NONE, why, fix }
}

fn exposed(what: &str) -> Finding {
    let why = format!("anybody can fetch {what}, and with the token change what the service does");
    let way_out = "move the data folder and kivet.toml out of the folder of pages, name the new folder as `data`, and remove the file admin-token for a new one";
    of_page(Code::DataExposed, what, what, why, way_out)
}

fn never_answered(page: &Observation, request: &Request) -> Finding {
    let url = &request.url;
    let why = format!("{url} was requested, and no byte of it arrived for 10 s");
    let way_out = "fix the server, or remove the element or script that requests it";
    let shown = page.uses.iter().find(|one| request.is_picture && request.asked_for(&one.url));
    match shown {
        Some(one) => Finding::at(Code::NeverAnswered, one, Cost::NONE, why, Fix::words(way_out)),
        None => of_page(Code::NeverAnswered, url, url, why, way_out),
    }
}

fn broken(page: &Observation, place: &Use) -> Option<Finding> {
    let src = place.element.attribute("src").unwrap_or_default().trim();
    if place.role == Role::Img
        && place.element.attribute("src").is_some()
        && src.is_empty()
        && place.url.is_empty()
    {
        return (place.element.attribute("srcset").is_none() && place.sources.is_empty()).then(
            || {
                let why = "src is empty".to_owned();
                Finding::at(
                    Code::BrokenPicture,
                    place,
                    Cost::NONE,
                    why,
                    Fix::words("name a picture, or remove the element"),
                )
            },
        );
    }
    let request = page
        .requests
        .iter()
        .filter(|request| request.is_picture)
        .find(|request| request.asked_for(&place.url))?;
    let why = match request.status {
        400.. => format!("{} answers {}", place.url, request.status),
        0 if request.bytes == 0 && !place.decoded => format!("{} cannot be reached", place.url),
        _ if request.status == 0 || place.decoded || place.role != Role::Img || !place.rendered => {
            return None;
        }
        _ if page.measured => {
            format!("{} is not a picture the browser can read ({})", place.url, request.media_type)
        }
        _ => match page.file(place) {
            Some(file) if file.facts.is_none() => {
                format!("{} is not in a known picture format ({})", place.url, request.media_type)
            }
            _ => return None,
        },
    };
    let bytes = (request.bytes > 0).then_some(request.bytes);
    // Checked as files, such a page has no service behind it unless one is named.
    let unserved = request.status == 404 && !request.headers_count && place.url.contains("/pic/");
    let fix = match unserved {
        true => "start the service that answers /pic/, and name it: --pictures 127.0.0.1:8484",
        false => "fix the address, or put the file there",
    };
    Some(Finding::at(Code::BrokenPicture, place, Cost { bytes, ms: None }, why, Fix::words(fix)))
}

fn redirected(place: &Use, request: &Request) -> Option<Finding> {
    let first = request.redirects.first()?;
    let ms: Option<f64> = request.redirects.iter().map(|one| one.ms).sum();
    let why = format!("{} sends on to {}", first.url, request.url);
    let fix = match place.role {
        Role::Img if place.element.attribute("srcset").is_none() => {
            Fix::set("src", request.url.clone())
        }
        _ => Fix::Words(format!("write {} where {} stands", request.url, first.url)),
    };
    Some(Finding::at(Code::RedirectBefore, place, Cost::ms(ms), why, fix))
}

fn short(place: &Use, request: &Request) -> Option<Finding> {
    let answered = request.status == 200 || request.status == 304;
    if !request.headers_count
        || !answered
        || request.lifetime_s.is_some_and(|lifetime| lifetime >= DAY_S)
    {
        return None;
    }
    let why = match request.lifetime_s {
        None => format!(
            "the answer for {} says nothing about how long it may be kept",
            name(&place.url)
        ),
        Some(0) => {
            format!("{} may not be kept, or must be asked for again every time", name(&place.url))
        }
        Some(lifetime) => format!("{} may be kept for {lifetime} s only", name(&place.url)),
    };
    let fix = Fix::words(
        "Cache-Control: public, max-age=31536000, immutable under an address that changes with the file",
    );
    Some(Finding::at(Code::ShortCaching, place, Cost::bytes(request.bytes), why, fix))
}

fn heavy(embed: &Embed) -> Finding {
    let why = format!(
        "{} loads {} before anybody asks for it",
        name(&embed.url),
        size(embed.bytes_up_front)
    );
    let fix = Fix::set("loading", "lazy");
    Finding {
        code: Code::HeavyEmbed,
        element: embed.element.clone(),
        url: embed.url.clone(),
        cost: Cost::bytes(embed.bytes_up_front),
        why,
        fix,
    }
}
