//! The bytes that change for what was decided.

use std::{collections::BTreeSet, ops::Range};

use kivet_recipe::Format;

use super::{
    Address, Edit, Fate, Found, FoundBackground, FoundPicture, Scan, Wanted, backgrounds, splice,
    tag::{Change, Tag},
};
use crate::{
    Loading,
    loaders::holds_an_address,
    markup::{self, Offer, Options, Use},
    rules::{Dimensions, Of, Placed},
};

/// What a wanted picture becomes.
#[derive(Clone, Debug)]
pub struct Decided<'a> {
    /// What was wanted.
    pub wanted: &'a Wanted,
    /// How the place is applied.
    pub placed: &'a Placed,
    /// The picture in its place, with the loading policy it has here.
    pub one: Use<'a>,
}

/// The changes to a page: each decided picture, the embeds that wait, and in its head the preload
/// of the picture that loads `first`.
pub fn edits(
    html: &[u8],
    scan: &Scan,
    wanted: &[Wanted],
    decided: &[Decided<'_>],
    options: &Options,
) -> Vec<Edit> {
    let page = Page { html, scan, decided, options };
    let mut edits: Vec<Edit> = Vec::new();
    for one in decided {
        match (one.wanted.of, one.wanted.source) {
            (Of::Link, _) => edits.push(page.link(one)),
            (Of::Picture, None) => edits.extend(page.picture(one)),
            (Of::Picture, Some(source)) => edits.push(page.source(one, source)),
            (Of::Background | Of::Embed, _) => {}
        }
    }
    edits.extend(page.styled());
    for one in wanted.iter().filter(|one| one.fate == Fate::Wait) {
        let tag = match one.of {
            Of::Embed => &scan.embeds[one.number].tag,
            _ => &scan.pictures[one.number].img.tag,
        };
        edits.push(page.tag(tag, &[Change::set("loading", "lazy")]));
    }
    edits.extend(page.head());
    edits.retain(|edit| html[edit.range.clone()] != edit.bytes[..]);
    edits
}

struct Page<'a> {
    html: &'a [u8],
    scan: &'a Scan,
    decided: &'a [Decided<'a>],
    options: &'a Options,
}

impl Page<'_> {
    fn tag(&self, tag: &Range<usize>, changes: &[Change]) -> Edit {
        let style = self.scan.styled.iter().position(|one| one.tag == *tag);
        let changes: Vec<Change> =
            changes.iter().cloned().chain(style.and_then(|at| self.style(at))).collect();
        let changed = Tag::new(&self.html[tag.clone()]).changed(&changes);
        Edit { range: tag.clone(), bytes: self.encoded(changed) }
    }

    /// Text that we write, in pages of another encoding as character references.
    fn encoded(&self, bytes: Vec<u8>) -> Vec<u8> {
        // What was there already is in the page's encoding, whatever that is.
        if self.scan.is_utf8 || std::str::from_utf8(&bytes).is_err() {
            return bytes;
        }
        let text = String::from_utf8_lossy(&bytes);
        let reference = |c: char| match c.is_ascii() {
            true => c.to_string(),
            false => format!("&#{};", u32::from(c)),
        };
        text.chars().map(reference).collect::<String>().into_bytes()
    }

    /// How a picture is written. Where the head cannot say on which screens it loads first, it does
    /// on all.
    fn options_of(&self, decided: &Decided<'_>) -> Options {
        let said = self.scan.head.is_some() && !self.directs(decided);
        let first_on = decided.placed.media.clone().filter(|_| said);
        let wraps = self.may_have_sources(decided);
        let typed = if wraps { self.options.typed.clone() } else { Vec::new() };
        Options { first_on, typed, ..self.options.clone() }
    }

    /// True if a picture has a `picture` element, or may get one.
    fn may_have_sources(&self, decided: &Decided<'_>) -> bool {
        decided.placed.sources || self.scan.pictures[decided.wanted.number].in_picture
    }

    /// True if the page's own media conditions choose among pictures: that is found early enough in
    /// its HTML.
    fn directs(&self, decided: &Decided<'_>) -> bool {
        let sources = &self.scan.pictures[decided.wanted.number].sources;
        sources.iter().any(|source| source.attributes.contains_key("media"))
    }

    fn picture(&self, decided: &Decided<'_>) -> Vec<Edit> {
        let picture = &self.scan.pictures[decided.wanted.number];
        let sized = decided.placed.dimensions.are_written();
        let parts = markup::parts(&decided.one, &self.options_of(decided), sized);
        let changes = changes(picture, decided, &parts);
        let mut edits = Vec::new();
        let mut img = self.tag(&picture.img.tag, &changes);
        // A page that crops differently on some screens goes on doing so.
        let directs = self.directs(decided);
        for (at, source) in picture.sources.iter().enumerate() {
            let kept = self.decided.iter().any(|one| {
                one.wanted.number == decided.wanted.number && one.wanted.source == Some(at)
            });
            if !kept {
                edits.push(Edit::remove(self.with_space_before(&source.tag)));
            }
        }
        if !directs && !parts.sources.is_empty() && self.may_have_sources(decided) {
            let sources = parts.sources.concat();
            // Without a box of its own, the element leaves its child where it was: in a flex or grid
            // container it would be the item instead.
            let (open, close) = match (picture.in_picture, self.options.classes) {
                (true, _) => ("", ""),
                (false, true) => ("<picture class=\"kivet-picture\">", "</picture>"),
                (false, false) => ("<picture style=\"display:contents\">", "</picture>"),
            };
            let mut bytes = format!("{open}{sources}").into_bytes();
            bytes.extend(img.bytes);
            bytes.extend(close.bytes());
            img.bytes = bytes;
        }
        edits.push(img);
        edits.extend(self.stand_in(decided.wanted.number));
        edits
    }

    /// The `noscript` that stood in for a picture which a script put in: the picture now shows
    /// without it.
    fn stand_in(&self, number: usize) -> Option<Edit> {
        let picture = &self.scan.pictures[number];
        let held = picture.img.attributes.keys().any(|name| holds_an_address(name));
        let next =
            self.scan.pictures.get(number + 1).filter(|_| held && picture.noscript.is_none())?;
        let around = next.noscript.clone()?;
        let same = self.decided.iter().filter(|one| one.wanted.of == Of::Picture);
        let named: Vec<&Address> = same
            .filter(|one| [number, number + 1].contains(&one.wanted.number))
            .map(|one| &one.wanted.address)
            .collect();
        let between = &self.html[picture.img.tag.end..around.start];
        let follows = between.iter().all(u8::is_ascii_whitespace);
        (follows && named.len() == 2 && named[0] == named[1]).then(|| Edit::remove(around))
    }

    /// Elements that show backgrounds by their `style` attribute. Those that change for another
    /// reason too are changed at once: of edits to the same bytes the first is made.
    fn styled(&self) -> Vec<Edit> {
        let shows = |at: &usize| self.of_style(*at).next().is_some();
        let tags = (0..self.scan.styled.len()).filter(shows).map(|at| &self.scan.styled[at].tag);
        tags.map(|tag| self.tag(tag, &[])).collect()
    }

    /// The decided backgrounds of a `style` attribute.
    fn of_style(&self, number: usize) -> impl Iterator<Item = &Decided<'_>> {
        self.decided.iter().filter(move |one| {
            one.wanted.of == Of::Background
                && one.wanted.source.is_some()
                && one.wanted.number == number
        })
    }

    /// A `style` attribute whose backgrounds are named by custom properties, which the head sets for
    /// every screen; all else in it stays. A part of a page, which has no head, names what the
    /// widest screens show.
    fn style(&self, number: usize) -> Option<Change> {
        let style = self.scan.styled[number].attribute("style")?;
        let named = backgrounds(style);
        let edits: Vec<Edit> = self
            .of_style(number)
            .filter_map(|one| {
                let range = named.get(one.wanted.source?)?.image.clone();
                let value = match self.scan.head {
                    Some(_) => format!("var({})", background_name(&one.one)),
                    None => markup::background_value(&one.one, &self.options.typed),
                };
                Some(Edit { range, bytes: value.into_bytes() })
            })
            .collect();
        let changed = String::from_utf8(splice(style.as_bytes(), &edits)).ok()?;
        (!edits.is_empty()).then(|| Change::set("style", &changed))
    }

    fn source(&self, decided: &Decided<'_>, at: usize) -> Edit {
        let source = &self.scan.pictures[decided.wanted.number].sources[at];
        let Use { place, offered, picture, .. } = decided.one;
        let main = Offer::of(place, offered, picture.facts, &[]).main;
        let mut changes = vec![
            Change::set("srcset", &main.srcset(&picture)),
            Change::set("sizes", &main.sizes),
            Change::remove("type"),
        ];
        if decided.placed.dimensions.are_written() {
            changes.push(Change::set("width", &main.size.width.to_string()));
            changes.push(Change::set("height", &main.size.height.to_string()));
        }
        self.tag(&source.tag, &changes)
    }

    /// The largest that the place offers.
    fn link(&self, decided: &Decided<'_>) -> Edit {
        let Use { place, offered, picture, .. } = decided.one;
        let main = Offer::of(place, offered, picture.facts, &[]).main;
        let largest = main.steps.last().map_or(String::new(), |(recipe, _)| picture.url(recipe));
        self.tag(&self.scan.links[decided.wanted.number].tag, &[Change::set("href", &largest)])
    }

    fn head(&self) -> Vec<Edit> {
        let mut edits: Vec<Edit> = self.stale_preloads();
        let Some(at) = self.scan.head else { return edits };
        let pictures = || self.decided.iter().filter(|one| one.wanted.of == Of::Picture);
        let mut lines = Vec::new();
        if let Some(base) = pictures().map(|one| one.one.picture.base).find(|base| !base.is_empty())
        {
            let link = format!("<link rel=\"preconnect\" href=\"{}\">", markup::escaped(base));
            lines.push(link);
        }
        let firsts = pictures().filter(|one| {
            let is_main = one.wanted.source.is_none();
            is_main && one.one.place.loading == Loading::First && !self.directs(one)
        });
        lines.extend(
            firsts.flat_map(|one| markup::parts(&one.one, &self.options_of(one), false).preloads),
        );
        let backgrounds = || self.decided.iter().filter(|one| one.wanted.of == Of::Background);
        // In a stylesheet, of which a page hears late, only what loads first is a page's matter.
        let early = backgrounds()
            .filter(|one| one.wanted.source.is_none() || one.one.place.loading == Loading::First);
        lines.extend(early.flat_map(|one| {
            let media = one.placed.media.as_deref();
            markup::background_preloads(&one.one, media, &self.options.typed)
        }));
        let named: BTreeSet<String> = backgrounds()
            .filter(|one| one.wanted.source.is_some())
            .map(|one| background_rules(&one.one, &self.options.typed))
            .collect();
        lines.extend(named.iter().map(|rules| format!("<style>{rules}</style>")));
        // A page that has them already gets no second.
        lines.retain(|line| !self.html.windows(line.len()).any(|known| known == line.as_bytes()));
        let text: String = lines.iter().map(|line| format!("{line}\n")).collect();
        if !text.is_empty() {
            edits.push(Edit { range: at..at, bytes: self.encoded(text.into_bytes()) });
        }
        edits
    }

    /// Preloads of what is not asked for any more.
    fn stale_preloads(&self) -> Vec<Edit> {
        let replaced: Vec<&str> = self.decided.iter().map(|one| one.one.picture.path).collect();
        let names = |link: &&Found| {
            let set = link.attribute("imagesrcset").and_then(super::plan::widest);
            let address =
                set.or_else(|| link.attribute("href").map(str::to_owned)).unwrap_or_default();
            let file =
                address.split(['?', '#']).next().unwrap_or_default().trim_start_matches("../");
            !file.is_empty() && replaced.iter().any(|path| path.ends_with(file))
        };
        let stale = self.scan.preloads.iter().filter(|link| !link.left).filter(names);
        stale.map(|link| Edit::remove(self.with_space_after(&link.tag))).collect()
    }

    fn with_space_after(&self, tag: &Range<usize>) -> Range<usize> {
        tag.start..self.html.len() - self.html[tag.end..].trim_ascii_start().len()
    }

    fn with_space_before(&self, tag: &Range<usize>) -> Range<usize> {
        self.html[..tag.start].trim_ascii_end().len()..tag.end
    }
}

/// The custom property that names a background in a place.
fn background_name(one: &Use<'_>) -> String {
    let path = one.picture.path.replace(|c: char| !c.is_ascii_alphanumeric(), "-");
    format!("--{}-{path}", one.place.name())
}

/// The rules that set it for every screen.
fn background_rules(one: &Use<'_>, typed: &[Format]) -> String {
    markup::background_variable(one, &background_name(one), typed)
}

/// The changes to a stylesheet, for its backgrounds with the number of what each becomes among
/// `decided`: the declaration names a custom property, so that its layers, its position and the
/// cascade stay as they are, and rules after the outermost block set that for every screen.
pub fn sheet_edits(
    backgrounds: &[FoundBackground],
    decided: &[Decided<'_>],
    typed: &[Format],
) -> Vec<Edit> {
    let mut edits = Vec::new();
    let mut set: BTreeSet<String> = BTreeSet::new();
    for one in decided {
        let background = &backgrounds[one.wanted.number];
        let Some(end) = background.block_ends else {
            let value = markup::background_value(&one.one, typed);
            edits.push(Edit { range: background.image.clone(), bytes: value.into_bytes() });
            continue;
        };
        let name = background_name(&one.one);
        let value = format!("var({name})");
        edits.push(Edit { range: background.image.clone(), bytes: value.into_bytes() });
        let selector = background.selectors.join(", ");
        let waiting = markup::background_waiting(&one.one, &selector);
        let rules = set.insert(name).then(|| background_rules(&one.one, typed));
        edits.extend(
            rules.into_iter().chain(waiting).map(|text| Edit::insert(end, &format!("\n{text}"))),
        );
    }
    edits
}

/// What an `img` says from now on.
fn changes(picture: &FoundPicture, decided: &Decided<'_>, parts: &markup::Parts) -> Vec<Change> {
    let img = &picture.img;
    let has = |name: &str| img.attributes.contains_key(name);
    let size = dimensions(img, decided, parts);
    let mut changes = Vec::new();
    let mut style = String::new();
    for (name, value) in &parts.img {
        let set = Change { name: (*name).to_owned(), value: Some(value.clone()) };
        match *name {
            "alt" | "decoding" if has(name) => {}
            "width" | "height" => {}
            "style" => style.clone_from(value),
            "class" => {
                let words =
                    img.attribute("class").map(markup::escaped).into_iter().chain([value.clone()]);
                changes.push(Change {
                    name: "class".to_owned(),
                    value: Some(words.collect::<Vec<_>>().join(" ")),
                });
            }
            _ => changes.push(set),
        }
    }
    let sized = decided.placed.dimensions;
    if let Some((width, height)) = size.filter(|_| sized.are_written()) {
        changes.push(Change::set("width", &width.to_string()));
        changes.push(Change::set("height", &height.to_string()));
    }
    if sized == Dimensions::Scale {
        style = if style.is_empty() {
            "height:auto".to_owned()
        } else {
            format!("{style};height:auto")
        };
    }
    let has_room = sized.are_written() || (has("width") && has("height"));
    if !has_room {
        // It reserves the room where the style sheet gives one side, and moves nothing where not.
        let ratio = format!("aspect-ratio:auto {}/{}", parts.size.width, parts.size.height);
        style = if style.is_empty() { ratio } else { format!("{style};{ratio}") };
    }
    if !style.is_empty() {
        let own =
            img.attribute("style").map(|own| markup::escaped(own.trim().trim_end_matches(';')));
        let all: Vec<String> =
            own.into_iter().filter(|own| !own.is_empty()).chain([style]).collect();
        changes.push(Change { name: "style".to_owned(), value: Some(all.join(";")) });
    }
    let written = |name: &str| parts.img.iter().any(|(known, _)| *known == name);
    for stale in
        ["srcset", "sizes", "fetchpriority"].into_iter().filter(|name| has(name) && !written(name))
    {
        changes.push(Change::remove(stale));
    }
    changes.extend(without_loader(img));
    changes
}

/// The `width` and `height` that an `img` gets; `None` where its own are as good.
fn dimensions(img: &Found, decided: &Decided<'_>, parts: &markup::Parts) -> Option<(u32, u32)> {
    let own = |name: &str| {
        let text = img.attribute(name)?.trim();
        Some(text.strip_suffix("px").unwrap_or(text).parse::<f64>().ok().filter(|one| *one > 0.0))
    };
    let is_cropped = decided.one.place.crops();
    // The original's own, whatever the largest candidate is: layouts may follow it.
    let size = if is_cropped { parts.size } else { decided.one.picture.facts.size };
    let ratio = f64::from(size.width) / f64::from(size.height);
    let rounded = |value: f64| value.round().max(1.0) as u32;
    match (own("width"), own("height")) {
        (None, None) => Some((size.width, size.height)),
        // The page's own width stays: the other side goes with it.
        (Some(Some(width)), None) => Some((rounded(width), rounded(width / ratio))),
        (None, Some(Some(height))) => Some((rounded(height * ratio), rounded(height))),
        (Some(Some(width)), Some(Some(height))) => {
            let agrees = (width / height / ratio - 1.0).abs() < SAME_RATIO;
            (!agrees && !is_cropped).then_some((size.width, size.height))
        }
        // A percentage, or no number.
        _ => None,
    }
}

/// Ratios of attributes that differ by less are the same, as whole pixels make them.
const SAME_RATIO: f64 = 0.015;

/// Takes away what made a script hold the picture back.
fn without_loader(img: &Found) -> Vec<Change> {
    let held: Vec<Change> = img
        .attributes
        .keys()
        .filter(|name| holds_an_address(name))
        .map(|name| Change::remove(name))
        .collect();
    if held.is_empty() {
        return held;
    }
    let classes = img.attribute("class").map(|classes| {
        let kept: Vec<&str> = classes
            .split_ascii_whitespace()
            .filter(|class| !class.to_ascii_lowercase().contains("lazy"))
            .collect();
        if kept.is_empty() {
            Change::remove("class")
        } else {
            Change::set("class", &kept.join(" "))
        }
    });
    let sizes = img.attributes.contains_key("data-sizes").then(|| Change::remove("data-sizes"));
    held.into_iter().chain(sizes).chain(classes).collect()
}
