//! A page read in one pass: where its pictures stand, and which rules' selectors they match.

use std::{borrow::Cow, cell::RefCell, ops::Range, rc::Rc};

use encoding_rs::WINDOWS_1252;
use lol_html::{
    AsciiCompatibleEncoding, HandlerResult, HtmlRewriter, Settings, element,
    errors::RewritingError,
    html_content::{Element, EndTag},
    text,
};
use memchr::{memchr_iter, memmem};

use super::{Found, FoundPicture, RewriteError, Scan};
use crate::{
    Budget, OverLimit,
    observation::Attributes,
    rules::{Of, Rules},
};

/// Reads a page.
///
/// # Errors
/// If its encoding is none that pages on the web may have without being marked by their first
/// bytes, it cannot be read at all, or exceeds the usual limits.
pub fn scan(html: &[u8], rules: &Rules) -> Result<Scan, RewriteError> {
    scan_within(html, rules, &Budget::default())
}

/// Reads a page within limits.
///
/// # Errors
/// As [`scan`].
pub fn scan_within(html: &[u8], rules: &Rules, budget: &Budget) -> Result<Scan, RewriteError> {
    budget.limits().check_text(html)?;
    if html.starts_with(&[0xff, 0xfe]) || html.starts_with(&[0xfe, 0xff]) {
        return Err(RewriteError::Encoding);
    }
    let is_utf8 = std::str::from_utf8(html).is_ok();
    let state = Rc::new(RefCell::new(State {
        scan: Scan { is_utf8, ..Scan::default() },
        budget: budget.clone(),
        ..State::default()
    }));
    read(html, rules, &state, is_utf8)?;
    let state = std::mem::take(&mut *state.borrow_mut());
    let mut found = state.scan;
    for (whole, inside) in state.without_script {
        let within = scan_within(&html[inside.clone()], rules, budget)?;
        let pictures = within.pictures.into_iter().map(|one| one.moved(inside.start));
        found
            .pictures
            .extend(pictures.map(|one| FoundPicture { noscript: Some(whole.clone()), ..one }));
    }
    found.pictures.sort_by_key(|one| one.img.tag.start);
    Ok(found)
}

#[derive(Default)]
struct State {
    scan: Scan,
    budget: Budget,
    /// Rules and marks that the element at this offset matched.
    at: usize,
    selected: Vec<usize>,
    left: bool,
    /// The `picture` that is open, with its sources so far.
    picture: Option<Vec<Found>>,
    noscript: Option<usize>,
    /// Its content, which the reader takes for text, as browsers with scripts do.
    noscript_text: Option<Range<usize>>,
    /// Each `noscript` with its content.
    without_script: Vec<(Range<usize>, Range<usize>)>,
    in_head: bool,
    head_seen: bool,
}

type Shared = Rc<RefCell<State>>;

type Reading<'a> = Settings<'a, 'a>;

fn read(html: &[u8], rules: &Rules, state: &Shared, is_utf8: bool) -> Result<(), RewriteError> {
    let words = Words::of(html);
    // Selectors first: what they find is taken up by the elements' own handlers.
    let settings = selecting(Settings::new(), rules, state);
    let settings = if words.mark {
        let marked = element!("[data-kivet=leave], [data-kivet=leave] *", on(state, State::leave));
        settings.append_element_content_handler(marked)
    } else {
        settings
    };
    let settings = if words.url {
        let styled = element!("[style*='url(' i]", on(state, State::styled));
        settings.append_element_content_handler(styled)
    } else {
        settings
    };
    let settings = if rules.rules.iter().any(|rule| rule.of == Of::Link) {
        settings.append_element_content_handler(element!("a[href]", on(state, State::link)))
    } else {
        settings
    };
    let settings = of_pictures(of_texts(of_head(settings, state), state), state)
        .with_encoding(if is_utf8 { AsciiCompatibleEncoding::utf_8() } else { latin() })
        .with_adjust_charset_on_meta_tag(!is_utf8)
        .with_strict(false);
    let mut reader = HtmlRewriter::new(settings, |_: &[u8]| {});
    reader.write(html).and_then(|()| reader.end()).map_err(|error| match error {
        RewritingError::ContentHandlerError(inner) => match inner.downcast::<OverLimit>() {
            Ok(over) => RewriteError::OverLimit(*over),
            Err(other) => RewriteError::Unreadable(other.to_string()),
        },
        error => RewriteError::Unreadable(error.to_string()),
    })
}

/// Notes which rules' selectors each element matches.
fn selecting<'a>(mut settings: Reading<'a>, rules: &'a Rules, state: &Shared) -> Reading<'a> {
    for (number, rule) in rules.rules.iter().enumerate() {
        for selector in rule.select.iter().flat_map(|select| select.parts.iter().flatten()) {
            let state = Rc::clone(state);
            let select = move |found: &mut Element<'_, '_>| {
                let mut state = state.borrow_mut();
                state.enter(found)?;
                if !state.selected.contains(&number) {
                    state.selected.push(number);
                }
                Ok(())
            };
            let handlers = lol_html::ElementContentHandlers::default().element(select);
            settings = settings.append_element_content_handler((Cow::Borrowed(selector), handlers));
        }
    }
    settings
}

/// What a page says anywhere. Selectors of attributes make the parser read every tag's, so those of
/// what it says nowhere are left out.
struct Words {
    mark: bool,
    url: bool,
}

impl Words {
    fn of(html: &[u8]) -> Self {
        // Looked for by their rarest part: a page has few of it, and this reads every page whole.
        let is = |from: Option<usize>, word: &str| {
            let found = from.and_then(|from| html.get(from..from + word.len()));
            found.is_some_and(|found| found.eq_ignore_ascii_case(word.as_bytes()))
        };
        let mut marks = memmem::find_iter(html, "-k").chain(memmem::find_iter(html, "-K"));
        let mut opened = memchr_iter(b'(', html);
        Self {
            mark: marks.any(|at| is(at.checked_sub("data".len()), "data-kivet")),
            url: opened.any(|at| is(at.checked_sub("url".len()), "url(")),
        }
    }
}

fn of_head<'a>(settings: Reading<'a>, state: &Shared) -> Reading<'a> {
    let head = closing(state, State::head, State::head_ends);
    settings
        .append_element_content_handler(element!("base[href]", on(state, State::base)))
        .append_element_content_handler(element!("head", head))
        .append_element_content_handler(element!("link, script, style", on(state, State::in_head)))
        .append_element_content_handler(element!("link[rel=preload]", on(state, State::preload)))
        .append_element_content_handler(element!(
            "link[rel~=stylesheet i][href]",
            on(state, State::stylesheet)
        ))
}

/// What the reader takes for text: stylesheets, and what shows without scripts.
fn of_texts<'a>(settings: Reading<'a>, state: &Shared) -> Reading<'a> {
    let noscript = closing(state, State::noscript, State::noscript_ends);
    let (sheets, without_script) = (Rc::clone(state), Rc::clone(state));
    settings
        .append_element_content_handler(element!("noscript", noscript))
        .append_element_content_handler(text!("noscript", move |text| {
            without_script.borrow_mut().noscript_text(text.source_location().bytes());
            Ok(())
        }))
        .append_element_content_handler(text!("style", move |text| {
            sheets.borrow_mut().sheet_text(text.source_location().bytes());
            Ok(())
        }))
}

fn of_pictures<'a>(settings: Reading<'a>, state: &Shared) -> Reading<'a> {
    let picture = closing(state, State::picture, |state, _| state.picture = None);
    settings
        .append_element_content_handler(element!("picture", picture))
        .append_element_content_handler(element!("source", on(state, State::source)))
        .append_element_content_handler(element!("img", on(state, State::img)))
        .append_element_content_handler(element!("iframe[src]", on(state, State::embed)))
}

/// A handler of elements.
fn on(
    state: &Shared,
    take: fn(&mut State, &mut Element<'_, '_>),
) -> impl FnMut(&mut Element<'_, '_>) -> HandlerResult + use<> {
    let state = Rc::clone(state);
    move |found| {
        let mut state = state.borrow_mut();
        state.enter(found)?;
        take(&mut state, found);
        Ok(())
    }
}

/// A handler of elements and of their end tags, where they have one.
fn closing(
    state: &Shared,
    take: fn(&mut State, &mut Element<'_, '_>),
    close: fn(&mut State, &EndTag<'_>),
) -> impl FnMut(&mut Element<'_, '_>) -> HandlerResult + use<> {
    let mut open = on(state, take);
    let state = Rc::clone(state);
    move |found| {
        open(found)?;
        let state = Rc::clone(&state);
        if let Some(handlers) = found.end_tag_handlers() {
            handlers.push(Box::new(move |end: &mut EndTag<'_>| {
                close(&mut state.borrow_mut(), end);
                Ok(())
            }));
        }
        Ok(())
    }
}

/// What browsers take pages for that say nothing.
fn latin() -> AsciiCompatibleEncoding {
    AsciiCompatibleEncoding::new(WINDOWS_1252).unwrap_or_else(AsciiCompatibleEncoding::utf_8)
}

impl State {
    /// Forgets what was found of another element.
    fn enter(&mut self, found: &Element<'_, '_>) -> Result<(), OverLimit> {
        let start = found.source_location().bytes().start;
        if self.at != start {
            self.budget.check_time()?;
            self.at = start;
            self.selected.clear();
            self.left = false;
        }
        Ok(())
    }

    fn found(&self, found: &Element<'_, '_>) -> Found {
        let mut attributes = Attributes::new();
        for one in found.attributes() {
            // Of two with one name the first counts.
            attributes.entry(one.name()).or_insert_with(|| decoded(one.value()));
        }
        Found {
            tag: found.source_location().bytes(),
            attributes,
            selected: self.selected.clone(),
            left: self.left,
        }
    }

    fn leave(&mut self, _: &mut Element<'_, '_>) {
        self.left = true;
    }

    fn base(&mut self, found: &mut Element<'_, '_>) {
        let href = found.get_attribute("href").map(decoded);
        self.scan.base = self.scan.base.take().or(href);
    }

    fn head(&mut self, _: &mut Element<'_, '_>) {
        self.in_head = !self.head_seen;
        self.head_seen = true;
    }

    fn head_ends(&mut self, end: &EndTag<'_>) {
        if std::mem::take(&mut self.in_head) {
            self.scan.head = self.scan.head.or(Some(end.source_location().bytes().start));
        }
    }

    fn in_head(&mut self, found: &mut Element<'_, '_>) {
        if self.in_head && self.noscript.is_none() {
            let start = found.source_location().bytes().start;
            self.scan.head = self.scan.head.or(Some(start));
        }
    }

    fn preload(&mut self, found: &mut Element<'_, '_>) {
        if found.get_attribute("as").is_some_and(|kind| kind.eq_ignore_ascii_case("image")) {
            let one = self.found(found);
            self.scan.preloads.push(one);
        }
    }

    fn stylesheet(&mut self, found: &mut Element<'_, '_>) {
        self.scan.stylesheets.extend(found.get_attribute("href").map(decoded));
    }

    fn noscript(&mut self, found: &mut Element<'_, '_>) {
        self.noscript = Some(found.source_location().bytes().start);
        self.noscript_text = None;
    }

    fn noscript_ends(&mut self, end: &EndTag<'_>) {
        let Some(start) = self.noscript.take() else { return };
        let whole = start..end.source_location().bytes().end;
        self.without_script.extend(self.noscript_text.take().map(|inside| (whole, inside)));
    }

    fn noscript_text(&mut self, place: Range<usize>) {
        match &mut self.noscript_text {
            Some(known) => known.end = place.end,
            None => self.noscript_text = Some(place),
        }
    }

    fn sheet_text(&mut self, place: Range<usize>) {
        match self.scan.sheets.last_mut().filter(|last| last.end == place.start) {
            Some(last) => last.end = place.end,
            None if place.is_empty() => {}
            None => self.scan.sheets.push(place),
        }
    }

    fn link(&mut self, found: &mut Element<'_, '_>) {
        let one = self.found(found);
        self.scan.links.push(one);
    }

    fn embed(&mut self, found: &mut Element<'_, '_>) {
        let one = self.found(found);
        self.scan.embeds.push(one);
    }

    fn styled(&mut self, found: &mut Element<'_, '_>) {
        // What an `img` has under it is a stand-in.
        if found.tag_name() != "img" {
            let one = self.found(found);
            self.scan.styled.push(one);
        }
    }

    fn picture(&mut self, _: &mut Element<'_, '_>) {
        self.picture = Some(Vec::new());
    }

    fn source(&mut self, found: &mut Element<'_, '_>) {
        let one = self.found(found);
        if let Some(sources) = &mut self.picture {
            sources.push(one);
        }
    }

    fn img(&mut self, found: &mut Element<'_, '_>) {
        let img = self.found(found);
        let in_picture = self.picture.is_some();
        let sources = self.picture.take().unwrap_or_default();
        self.scan.pictures.push(FoundPicture { img, in_picture, sources, noscript: None });
    }
}

/// An attribute's value with its character references read (HTML, 13.2.5.72).
fn decoded(value: String) -> String {
    if !value.contains('&') {
        return value;
    }
    let tag = format!("<i title=\"{}\">", value.replace('"', "&quot;"));
    let read = scraper::Html::parse_fragment(&tag);
    let title =
        read.tree.values().find_map(|node| node.as_element()?.attr("title").map(str::to_owned));
    title.unwrap_or(value)
}
