//! A page on a device, worked out from its text: what a browser would take, show and ask for.

use std::collections::HashMap;

use scraper::ElementRef;
use url::Url;

use super::{
    document::Document,
    embeds,
    layout::Layout,
    pictures,
    sheet::{LAYOUT, Sheet},
    style::Styles,
    worked::{TextPage, Worked, absolute},
};
use crate::{
    Budget, Device, OverLimit,
    observation::{
        BackBlock, Element, Hint, Largest, Moving, Observation, Request, Role, Started, Use,
    },
    read_srcset,
};

/// The observations of a page from its text, one for each device.
///
/// # Errors
/// If it exceeds the budget.
pub fn observe(
    page: TextPage<'_>,
    devices: &[Device],
    budget: &Budget,
) -> Result<Vec<Observation>, OverLimit> {
    let document = Document::parse_within(page.html, budget);
    if let Some(over) = document.over_limit() {
        return Err(over.clone());
    }
    let base = document.base(page.url);
    let page = TextPage { url: &base, ..page };
    let sheet = sheet(&document, page, budget)?;
    devices.iter().map(|device| on_device(page, &document, &sheet, device, budget)).collect()
}

fn on_device(
    page: TextPage<'_>,
    document: &Document,
    sheet: &Sheet,
    device: &Device,
    budget: &Budget,
) -> Result<Observation, OverLimit> {
    let to_absolute = |address: &str| absolute(page.url, address);
    let styles = Styles::of(document, sheet, device, &to_absolute, budget)?;
    let natural = |element: ElementRef<'_>| pictures::natural(element, page, device);
    let layout = Layout::of(document, &styles, device, &natural);
    let worked = Worked { page, device, document, styles: &styles, layout: &layout, budget };
    let uses = pictures::uses(&worked)?;
    let mut requests = requests(&uses);
    requests.extend(others(&worked));
    Ok(Observation {
        url: page.url.to_string(),
        device: *device,
        measured: false,
        milestones: Default::default(),
        largest: largest(&worked, &uses),
        uses,
        requests,
        files: page.files.clone(),
        embeds: embeds::embeds(&worked),
        hints: hints(&worked),
        moving: moving(&worked, sheet),
        shift: 0.0,
        shifts: Vec::new(),
        back: back(&worked),
        dialogs: Vec::new(),
        exposed: Vec::new(),
        restored: None,
    })
}

/// All stylesheets in the order they stand in the page.
fn sheet(document: &Document, page: TextPage<'_>, budget: &Budget) -> Result<Sheet, OverLimit> {
    let mut sheet = Sheet::default();
    let applies = |one: &ElementRef<'_>| !Document::is_inert(*one) && !Document::is_in_shadow(*one);
    let is_sheet = |one: &ElementRef<'_>| matches!(one.value().name(), "style" | "link");
    for element in document.all().filter(is_sheet).filter(applies) {
        let media: Vec<String> = element.attr("media").map(str::to_owned).into_iter().collect();
        match element.value().name() {
            "style" => {
                let css: String = element.text().collect();
                sheet.read(&css, &media, &|address| absolute(page.url, address), budget)?;
            }
            "link" if is_stylesheet(element) => {
                let url = absolute(page.url, element.attr("href").unwrap_or_default());
                let Some((_, css)) = page.sheets.iter().find(|(known, _)| *known == url) else {
                    continue;
                };
                let base = Url::parse(&url).unwrap_or_else(|_| page.url.clone());
                sheet.read(css, &media, &|address| absolute(&base, address), budget)?;
            }
            _ => {}
        }
    }
    Ok(sheet)
}

fn is_stylesheet(element: ElementRef<'_>) -> bool {
    let rel = element.attr("rel").unwrap_or_default().to_ascii_lowercase();
    let mut words = rel.split_ascii_whitespace();
    words.any(|word| word == "stylesheet") && !rel.contains("alternate")
}

impl Document {
    /// What relative addresses are relative to.
    fn base(&self, url: &Url) -> Url {
        let written = self.elements("base").find_map(|base| base.attr("href").map(str::to_owned));
        written.and_then(|href| url.join(&href).ok()).unwrap_or_else(|| url.clone())
    }

    /// The addresses of the stylesheets the page links.
    pub fn stylesheets(&self, url: &Url) -> Vec<Url> {
        let base = self.base(url);
        let links = self.elements("link").filter(|link| is_stylesheet(*link));
        links.filter_map(|link| base.join(link.attr("href")?).ok()).collect()
    }
}

/// A request for each picture the page asks for by itself.
fn requests(uses: &[Use]) -> Vec<Request> {
    let mut requests: Vec<Request> = Vec::new();
    let mut by_url: HashMap<&str, usize> = HashMap::new();
    for place in
        uses.iter().filter(|place| !place.url.is_empty() && !place.url.starts_with("data:"))
    {
        // Lazy pictures that are laid out nowhere are never asked for; backgrounds of such elements
        // neither.
        let lazy = place.element.keyword("loading") == "lazy";
        if !place.rendered && (lazy || place.role == Role::Background) {
            continue;
        }
        let at_once = !lazy || place.in_view;
        if let Some(known) = by_url.get(place.url.as_str()) {
            requests[*known].before_scroll |= at_once;
            continue;
        }
        by_url.insert(&place.url, requests.len());
        let started =
            if place.role == Role::Background { Started::Stylesheet } else { Started::Markup };
        requests.push(Request {
            url: place.url.clone(),
            is_picture: true,
            started,
            before_scroll: at_once,
            ..Request::default()
        });
    }
    requests
}

/// What else the text names to be fetched: enough to know which hosts are used.
fn others(worked: &Worked<'_>) -> Vec<Request> {
    let scripts: String =
        worked.document.elements("script").flat_map(|script| script.text()).collect();
    let styles = worked.page.sheets.iter().map(|(_, css)| css.as_str());
    let texts: Vec<&str> = styles.chain([scripts.as_str()]).collect();
    let in_text =
        texts.iter().flat_map(|text| text.match_indices("http").map(|(at, _)| &text[at..]));
    let in_text = in_text
        .filter_map(|text| Url::parse(text.split(['"', '\'', ')', '`', ' ', '\n']).next()?).ok());
    let in_markup =
        worked.document.all().filter(|element| !is_hint(*element)).filter_map(|element| {
            let name = if element.value().name() == "link" { "href" } else { "src" };
            Url::parse(&worked.absolute(element.attr(name)?)).ok()
        });
    in_text
        .chain(in_markup)
        .map(|url| Request { url: url.to_string(), ..Request::default() })
        .collect()
}

const HINTS: [&str; 3] = ["preload", "preconnect", "dns-prefetch"];

fn is_hint(element: ElementRef<'_>) -> bool {
    element.value().name() == "link" && rel_of(element).is_some()
}

fn rel_of(element: ElementRef<'_>) -> Option<&'static str> {
    let rel = element.attr("rel")?.to_ascii_lowercase();
    HINTS.into_iter().find(|known| rel.split_ascii_whitespace().any(|word| word == *known))
}

fn hints(worked: &Worked<'_>) -> Vec<Hint> {
    let hint = |link: ElementRef<'_>| {
        let rel = rel_of(link)?;
        let url = match link.attr("imagesrcset") {
            Some(srcset) => {
                pictures::taken(
                    &read_srcset(srcset),
                    link.attr("imagesizes").unwrap_or_default(),
                    None,
                    worked.device,
                )?
                .0
            }
            None => link.attr("href").unwrap_or_default().to_owned(),
        };
        Some(Hint {
            element: worked.document.describe(link),
            rel: rel.to_owned(),
            url: worked.absolute(&url),
            matches: crate::media_matches(link.attr("media").unwrap_or_default(), worked.device),
        })
    };
    worked.document.elements("link").filter_map(hint).collect()
}

fn moving(worked: &Worked<'_>, sheet: &Sheet) -> Vec<Moving> {
    let mut moving = Vec::new();
    for element in worked.document.all() {
        let style = worked.styles.style(element);
        let names = style.get("animation-name").unwrap_or_default();
        let animated =
            names.split(',').find_map(|name| sheet.moving_keyframes.get(name.trim()).cloned());
        let listed = style.get("transition-property").unwrap_or_default();
        let changed =
            listed.split(',').map(str::trim).find(|name| LAYOUT.contains(name)).map(str::to_owned);
        if let Some(property) = animated.or(changed) {
            moving.push(Moving { element: worked.document.describe(element), property });
        }
    }
    moving
}

fn back(worked: &Worked<'_>) -> Vec<BackBlock> {
    let mut back = Vec::new();
    if worked.page.no_store {
        back.push(BackBlock {
            reason: "no-store".to_owned(),
            place: "the page is sent with no-store".to_owned(),
        });
    }
    let listens = |script: ElementRef<'_>| {
        let text: String =
            script.text().collect::<String>().replace(char::is_whitespace, "").replace('"', "'");
        text.contains("addEventListener('unload'") || text.contains("onunload=")
    };
    let attribute = worked.document.elements("body").any(|body| body.attr("onunload").is_some());
    if attribute || worked.document.elements("script").any(listens) {
        back.push(BackBlock {
            reason: "unload".to_owned(),
            place: "a listener for unload, in the page".to_owned(),
        });
    }
    back
}

/// What covers most of the first screen: a picture, or a block of text.
fn largest(worked: &Worked<'_>, uses: &[Use]) -> Option<Largest> {
    let screen = pictures::screen(worked.device);
    let seen = |place: &&Use| place.area.intersection(place.uncut).intersection(screen).extent();
    let candidates = uses
        .iter()
        .filter(|place| place.in_view && !place.url.is_empty() && place.role != Role::Poster);
    let picture = candidates.max_by(|a, b| seen(a).total_cmp(&seen(b)))?;
    let is_text = |element: &ElementRef<'_>| {
        let holds_words = element
            .children()
            .any(|child| child.value().as_text().is_some_and(|text| !text.trim().is_empty()));
        holds_words && !matches!(element.value().name(), "a" | "span" | "b" | "i" | "em" | "strong")
    };
    let blocks = worked.document.all().filter(is_text);
    let text = blocks
        .filter_map(|block| Some(worked.layout.area(block)?.intersection(screen).extent()))
        .fold(0.0, f64::max);
    if seen(&picture) < text {
        return Some(Largest { element: Element::default(), ..Largest::default() });
    }
    Some(Largest {
        element: picture.element.clone(),
        url: picture.url.clone(),
        at_ms: None,
        split: None,
    })
}
