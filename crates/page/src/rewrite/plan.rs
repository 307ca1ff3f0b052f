//! What each picture of a page is to become, by the rules.

use super::{Address, Found, FoundBackground, FoundPicture, Scan, backgrounds};
use crate::{
    Device, Loading, Place, Population, Screen,
    loaders::holds_an_address,
    media_matches,
    observation::Attributes,
    read_srcset,
    rules::{Judged, Of, Outcome, Placed, Rules, Subject},
};

/// Something of a page that rules judge.
#[derive(Clone, Debug, PartialEq)]
pub struct Wanted {
    /// What it is.
    pub of: Of,
    /// Its number among the scan's pictures, links, embeds or styled elements.
    pub number: usize,
    /// For a `source` with a media condition of its own, its number in its `picture`; for a
    /// background that a `style` attribute names, its number in that.
    pub source: Option<usize>,
    /// The line it begins on.
    pub line: usize,
    /// The address of its picture at full size, as written.
    pub written: String,
    /// Where that leads.
    pub address: Address,
    /// What the rules say.
    pub judged: Judged,
    /// What comes of it.
    pub fate: Fate,
}

/// What comes of a picture.
#[derive(Clone, Debug, PartialEq)]
pub enum Fate {
    /// The markup of a place; `near` if it is among the first that its rule takes.
    Place {
        /// How.
        placed: Placed,
        /// Whether it is among the first.
        near: bool,
    },
    /// The embed waits.
    Wait,
    /// It stays as it is.
    Stays(Stays),
}

/// Why something stays as it is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Stays {
    /// `data-kivet="leave"` stands on it or around it.
    Marked,
    /// A rule says so.
    Rule,
    /// No rule fits.
    NoRule,
    /// It asks Kivet already.
    Ours,
    /// A template puts its address in.
    Template,
    /// It names no picture.
    Nothing,
    /// It has a `srcset`, and its rule keeps those.
    HasSrcset,
}

impl Stays {
    /// The reason as people read it.
    pub const fn said(self) -> &'static str {
        match self {
            Self::Marked => "data-kivet=\"leave\" stands on it or around it",
            Self::Rule => "a rule leaves it",
            Self::NoRule => "no rule fits it",
            Self::Ours => "asks Kivet already",
            Self::Template => "a template puts its address in",
            Self::Nothing => "names no picture",
            Self::HasSrcset => "has a srcset, which its rule keeps",
        }
    }
}

/// Hands out loading policies down a page: on every screen one picture loads `first`.
#[derive(Debug, Default)]
pub struct Loadings {
    /// The screens of each `first` so far; all if `None`.
    firsts: Vec<Option<String>>,
}

impl Loadings {
    /// The policy of the next picture: its rule's, else its place's; and true if it would have been
    /// a second `first`, and has its place's, or `near`, for that.
    pub fn of(&mut self, placed: &Placed, near: bool, place: &Place) -> (Loading, bool) {
        match placed.loading.unwrap_or(place.loading) {
            Loading::First if self.has_first_on(placed.media.as_deref()) => match place.loading {
                Loading::First => (Loading::Near, true),
                Loading::Later if near => (Loading::Near, true),
                other => (other, true),
            },
            Loading::First => {
                self.firsts.push(placed.media.clone());
                (Loading::First, false)
            }
            Loading::Later if near => (Loading::Near, false),
            other => (other, false),
        }
    }

    /// True if some screen would have two.
    fn has_first_on(&self, media: Option<&str>) -> bool {
        let holds = |media: Option<&str>, device: &Device| {
            media.is_none_or(|media| media_matches(media, device))
        };
        let meets = |known: &Option<String>| {
            let screens = &Population::assumed().screens;
            screens
                .iter()
                .map(Screen::device)
                .any(|device| holds(media, &device) && holds(known.as_deref(), &device))
        };
        self.firsts.iter().any(meets)
    }
}

/// Judges everything on a page.
pub fn plan(html: &[u8], scan: &Scan, rules: &Rules, page: &str) -> Vec<Wanted> {
    let mut planner = Planner { scan, rules, page, taken: vec![0; rules.rules.len()] };
    let mut wanted = Vec::new();
    for (number, picture) in scan.pictures.iter().enumerate() {
        wanted.extend(planner.picture(number, picture));
    }
    for (number, link) in scan.links.iter().enumerate() {
        wanted.extend(planner.link(number, link));
    }
    for (number, embed) in scan.embeds.iter().enumerate() {
        let src = embed.attribute("src").unwrap_or_default().to_owned();
        wanted.push(planner.judged(Of::Embed, number, embed, src));
    }
    for (number, found) in scan.styled.iter().enumerate() {
        wanted.extend(planner.backgrounds(number, found));
    }
    wanted.extend(planner.first_backgrounds());
    number_lines(html, scan, &mut wanted);
    wanted
}

struct Planner<'a> {
    scan: &'a Scan,
    rules: &'a Rules,
    page: &'a str,
    /// Pictures that each rule took so far.
    taken: Vec<usize>,
}

impl Planner<'_> {
    fn picture(&mut self, number: usize, picture: &FoundPicture) -> Vec<Wanted> {
        let mut main = self.judged(Of::Picture, number, &picture.img, full_address(picture));
        let has_srcset =
            picture.img.attributes.contains_key("srcset") || !picture.sources.is_empty();
        if let Fate::Place { placed, .. } = &main.fate
            && placed.keep_srcset
            && has_srcset
        {
            main.fate = Fate::Stays(Stays::HasSrcset);
        }
        let mut all = Vec::new();
        if let Fate::Place { placed, near } = main.fate.clone() {
            for (at, address) in directed(picture) {
                let address_of = Address::of(&address, self.page, self.scan.base.as_deref());
                all.push(Wanted {
                    source: Some(at),
                    written: address,
                    address: address_of,
                    fate: Fate::Place { placed: placed.clone(), near },
                    ..main.clone()
                });
            }
        }
        all.insert(0, main);
        all
    }

    /// A link that opens a picture.
    fn link(&mut self, number: usize, link: &Found) -> Option<Wanted> {
        let href = link.attribute("href")?.to_owned();
        let address = Address::of(&href, self.page, self.scan.base.as_deref());
        let name = address.path().to_ascii_lowercase();
        let opens_picture = PICTURES.iter().any(|ending| name.ends_with(ending));
        opens_picture.then(|| self.judged(Of::Link, number, link, href))
    }

    /// The backgrounds that a `style` attribute names.
    fn backgrounds(&mut self, number: usize, found: &Found) -> Vec<Wanted> {
        let named = backgrounds(found.attribute("style").unwrap_or_default());
        let judge = |(at, one): (usize, FoundBackground)| Wanted {
            source: Some(at),
            ..self.judged(Of::Background, number, found, one.written)
        };
        named.into_iter().enumerate().map(judge).collect()
    }

    /// The backgrounds that a rule for this page alone loads first: they stand in a stylesheet, and
    /// are found too late unless the page names them.
    fn first_backgrounds(&mut self) -> Vec<Wanted> {
        let rules = self.rules;
        let firsts = rules.rules.iter().enumerate().filter_map(|(number, rule)| {
            let Outcome::Place(placed) = &rule.outcome else { return None };
            let first = rule.of == Of::Background && placed.loading == Some(Loading::First);
            Some((number, rule.only_file().filter(|_| first && rule.is_for(self.page))?))
        });
        let firsts: Vec<(usize, &str)> = firsts.collect();
        firsts
            .into_iter()
            .filter_map(|(number, file)| self.first_background(number, file))
            .collect()
    }

    fn first_background(&mut self, number: usize, file: &str) -> Option<Wanted> {
        let selected: Vec<usize> = (0..self.rules.rules.len()).collect();
        let subject =
            Subject { of: Of::Background, page: self.page, file, selected: &selected, left: false };
        let judged = self.rules.judge(&subject);
        let address = Address::Site(file.to_owned());
        let fate = self.fate(&address, &judged, false);
        let written = file.to_owned();
        (judged.rule == Some(number)).then_some(Wanted {
            of: Of::Background,
            number: 0,
            source: None,
            line: 0,
            written,
            address,
            judged,
            fate,
        })
    }

    fn judged(&mut self, of: Of, number: usize, found: &Found, written: String) -> Wanted {
        let address = Address::of(&written, self.page, self.scan.base.as_deref());
        let subject = Subject {
            of,
            page: self.page,
            file: address.path(),
            selected: &found.selected,
            left: found.left,
        };
        let judged = self.rules.judge(&subject);
        let fate = self.fate(&address, &judged, found.left);
        Wanted { of, number, source: None, line: 0, written, address, judged, fate }
    }

    fn fate(&mut self, address: &Address, judged: &Judged, left: bool) -> Fate {
        match address {
            _ if left => return Fate::Stays(Stays::Marked),
            Address::Ours => return Fate::Stays(Stays::Ours),
            Address::Template => return Fate::Stays(Stays::Template),
            Address::Nothing => return Fate::Stays(Stays::Nothing),
            Address::Site(_) | Address::Away(_) => {}
        }
        let Some(rule) = judged.rule else { return Fate::Stays(Stays::NoRule) };
        match &self.rules.rules[rule].outcome {
            Outcome::Leave => Fate::Stays(Stays::Rule),
            Outcome::Wait => Fate::Wait,
            Outcome::Place(placed) => {
                self.taken[rule] += 1;
                Fate::Place { placed: placed.clone(), near: self.taken[rule] <= placed.near }
            }
        }
    }
}

/// Endings of picture files.
const PICTURES: [&str; 10] =
    [".jpg", ".jpeg", ".png", ".gif", ".webp", ".avif", ".jxl", ".svg", ".tif", ".tiff"];

/// The address of a picture at its largest, from its own attributes and those of the `source`
/// elements before it.
pub fn full_size(img: &Attributes, sources: &[Attributes]) -> String {
    let found =
        |attributes: &Attributes| Found { attributes: attributes.clone(), ..Found::default() };
    full_address(&FoundPicture {
        img: found(img),
        sources: sources.iter().map(found).collect(),
        ..FoundPicture::default()
    })
}

/// The address of a picture at its largest: what a script would put in, the widest candidate, or
/// `src`.
fn full_address(picture: &FoundPicture) -> String {
    let img = &picture.img;
    let held = img.attributes.iter().filter(|(name, _)| holds_an_address(name));
    let (sets, single): (Vec<_>, Vec<_>) = held.partition(|(name, _)| name.ends_with("srcset"));
    let of_sets = sets.iter().filter_map(|(_, set)| widest(set)).next();
    let own = || img.attribute("srcset").and_then(widest);
    // Without a script's, a `source` for all screens is as good as the `img`'s own.
    let of_sources = || {
        let open = picture.sources.iter().filter(|source| source.attribute("media").is_none());
        open.filter_map(|source| source.attribute("srcset")).find_map(widest)
    };
    let src = || img.attribute("src").filter(|src| !src.trim().starts_with("data:"));
    of_sets
        .or_else(|| single.first().map(|(_, address)| (*address).clone()))
        .or_else(own)
        .or_else(|| src().map(str::to_owned))
        .or_else(of_sources)
        .unwrap_or_default()
}

/// The widest or densest candidate.
pub(super) fn widest(srcset: &str) -> Option<String> {
    let candidates = read_srcset(srcset);
    let size = |one: &crate::Candidate| one.width.or(one.density).unwrap_or(1.0);
    candidates.into_iter().max_by(|one, other| size(one).total_cmp(&size(other))).map(|one| one.url)
}

/// The sources with media conditions of their own, the first of each condition, and their
/// addresses.
fn directed(picture: &FoundPicture) -> Vec<(usize, String)> {
    let mut seen: Vec<&str> = Vec::new();
    let sources = picture.sources.iter().enumerate().filter_map(|(at, source)| {
        let media = source.attribute("media")?;
        let is_new = !seen.contains(&media);
        seen.push(media);
        is_new.then(|| Some((at, widest(source.attribute("srcset")?)?))).flatten()
    });
    sources.collect()
}

fn number_lines(html: &[u8], scan: &Scan, wanted: &mut [Wanted]) {
    let start = |one: &Wanted| match one.of {
        Of::Link => scan.links[one.number].tag.start,
        Of::Embed => scan.embeds[one.number].tag.start,
        Of::Background if one.source.is_some() => scan.styled[one.number].tag.start,
        Of::Background => scan.head.unwrap_or(0),
        Of::Picture => scan.pictures[one.number].img.tag.start,
    };
    let mut order: Vec<&mut Wanted> = wanted.iter_mut().collect();
    order.sort_by_key(|one| start(one));
    let (mut line, mut at) = (1, 0);
    for one in order {
        let to = start(one);
        line += html[at..to].iter().filter(|byte| **byte == b'\n').count();
        (one.line, at) = (line, to);
    }
}
