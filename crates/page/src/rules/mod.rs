//! Rules: which pictures of a site's pages belong to which place, and which are left alone.
//!
//! A [`RulesDocument`] is what people write; [`Rules`] are checked. Precedence: `data-kivet="leave"`
//! on the element or around it; then any fitting rule that leaves; then the first fitting rule in
//! the order they are written. What no rule fits stays as it is.

mod document;
mod error;
mod judge;
mod pattern;
mod selector;

use std::{
    collections::{BTreeMap, HashMap},
    str::FromStr,
};

use kivet_recipe::{PlaceName, nearest};

pub use document::{OneOrMore, RuleDocument, RulesDocument};
pub use error::RuleError;
pub use judge::{Judged, Subject, Verdict};
use pattern::Patterns;
pub use selector::{ElementSelector, SelectorError};

use crate::{Loading, Place, first_on};

/// Checked rules.
#[derive(Debug, Default)]
pub struct Rules {
    /// What addresses begin with, and where that lies on a shelf; the longest beginning counts.
    pub addresses: Vec<(String, String)>,
    /// The places of these pages.
    pub places: BTreeMap<PlaceName, Place>,
    /// The rules in order.
    pub rules: Vec<Rule>,
    /// The rules without a selector, by number from 0.
    for_all: Vec<usize>,
    /// The rules by their selector, as written.
    by_selector: HashMap<String, Vec<usize>>,
}

/// Rules of one document.
const MAX_RULES: usize = 5_000;

/// One checked rule.
#[derive(Debug)]
pub struct Rule {
    /// What it is about.
    pub of: Of,
    /// What the element or one around it matches; everything if `None`.
    pub select: Option<ElementSelector>,
    pages: Patterns,
    files: Patterns,
    file: Option<String>,
    /// What happens.
    pub outcome: Outcome,
}

/// What a rule is about.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Of {
    /// `img`, and `picture` around it.
    #[default]
    Picture,
    /// A CSS background.
    Background,
    /// A frame, such as a film or a map.
    Embed,
    /// A link that opens a picture.
    Link,
}

/// What a rule does.
#[derive(Clone, Debug, PartialEq)]
pub enum Outcome {
    /// Nothing.
    Leave,
    /// The picture gets the markup of a place.
    Place(Placed),
    /// The picture or embed stays as it is, and waits until it is near the viewport.
    Wait,
}

/// How a picture gets the markup of a place.
#[derive(Clone, Debug, PartialEq)]
pub struct Placed {
    /// The place.
    pub place: PlaceName,
    /// Instead of the place's.
    pub loading: Option<Loading>,
    /// The screens on which it loads `first`; all if `None`.
    pub media: Option<String>,
    /// So many at the top of a page load `near`.
    pub near: usize,
    /// Which `width` and `height` are written.
    pub dimensions: Dimensions,
    /// False where no `picture` element may be put around it.
    pub sources: bool,
    /// True if a `srcset` that stands already stays.
    pub keep_srcset: bool,
    /// True to show the drawing of the same name.
    pub vector: bool,
}

/// The `width` and `height` that rewriting writes.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Dimensions {
    /// Nothing: what the page says stays.
    #[default]
    Keep,
    /// True `width` and `height` attributes.
    Write,
    /// The same with `height: auto`.
    Scale,
}

impl Dimensions {
    /// The name in rules.
    pub const fn name(self) -> &'static str {
        match self {
            Self::Keep => "keep",
            Self::Write => "write",
            Self::Scale => "scale",
        }
    }

    /// True if attributes are written.
    pub const fn are_written(self) -> bool {
        !matches!(self, Self::Keep)
    }
}

impl FromStr for Dimensions {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        let all = [Self::Keep, Self::Write, Self::Scale];
        let found = all.into_iter().find(|one| one.name() == text);
        found.ok_or_else(|| format!("`{text}` is none of keep, write and scale"))
    }
}

impl RulesDocument {
    /// The rules that this describes.
    ///
    /// # Errors
    /// Names the rule and the key at fault, and the way out.
    pub fn checked(&self) -> Result<Rules, RuleError> {
        if self.rules.len() > MAX_RULES {
            return Err(RuleError::TooMany { has: self.rules.len(), limit: MAX_RULES });
        }
        let places = self.places.iter().map(|(name, place)| {
            let name: PlaceName = name
                .parse()
                .map_err(|error: kivet_recipe::PlaceNameError| RuleError::place(name, &error))?;
            let checked =
                place.checked(&name).map_err(|error| RuleError::place(name.as_str(), &error))?;
            Ok((name, checked))
        });
        let mut addresses: Vec<(String, String)> = self
            .addresses
            .iter()
            .map(|(from, to)| (from.clone(), to.trim_end_matches('/').to_owned()))
            .collect();
        addresses.sort_by_key(|(from, _)| std::cmp::Reverse(from.len()));
        let rules = self.rules.iter().enumerate().map(|(at, rule)| rule.checked(at + 1));
        let rules: Vec<Rule> = rules.collect::<Result<_, _>>()?;
        let mut by_selector: HashMap<String, Vec<usize>> = HashMap::new();
        let mut for_all = Vec::new();
        for (at, rule) in rules.iter().enumerate() {
            match &rule.select {
                Some(select) => by_selector.entry(select.as_str().to_owned()).or_default().push(at),
                None => for_all.push(at),
            }
        }
        Ok(Rules {
            addresses,
            places: places.collect::<Result<_, _>>()?,
            rules,
            for_all,
            by_selector,
        })
    }
}

impl RuleDocument {
    fn checked(&self, number: usize) -> Result<Rule, RuleError> {
        let bad = |key: &'static str, problem: String| RuleError::Rule { number, key, problem };
        let of = self.of.as_deref().map_or(Ok(Of::default()), str::parse);
        let of = of.map_err(|problem| bad("of", problem))?;
        let select = self.select.as_deref().map(str::parse::<ElementSelector>).transpose();
        Ok(Rule {
            of,
            select: select.map_err(|error| bad("select", error.to_string()))?,
            pages: Patterns::new(&self.pages.0).map_err(|problem| bad("pages", problem))?,
            files: Patterns::new(&self.files.0).map_err(|problem| bad("files", problem))?,
            file: match self.files.0.as_slice() {
                [one] if !one.contains(['*', '?', '[', '{', '\\']) => Some(one.clone()),
                _ => None,
            },
            outcome: self.outcome(of, &bad)?,
        })
    }

    fn outcome(
        &self,
        of: Of,
        bad: &dyn Fn(&'static str, String) -> RuleError,
    ) -> Result<Outcome, RuleError> {
        let choice = |key: &'static str, value: &Option<String>, [on, off]: [&str; 2]| match value {
            Some(value) if value == on => Ok(true),
            Some(value) if value == off => Ok(false),
            Some(value) => Err(bad(key, format!("`{value}` is neither `{on}` nor `{off}`"))),
            None => Ok(false),
        };
        if self.leave {
            return match self.place {
                Some(_) => {
                    Err(bad("leave", "stands beside a place; write one of the two".to_owned()))
                }
                None => Ok(Outcome::Leave),
            };
        }
        if of == Of::Embed {
            return match self.loading.as_deref() {
                None | Some("later") => Ok(Outcome::Wait),
                Some(other) => {
                    Err(bad("loading", format!("`{other}`: an embed loads `later`, or is left")))
                }
            };
        }
        let waits = of == Of::Picture && self.loading.as_deref() == Some(Loading::Later.name());
        let Some(place) = self.place.as_deref() else {
            let problem =
                "is missing; name the place, or write leave = true, or loading = \"later\" alone";
            return if waits { Ok(Outcome::Wait) } else { Err(bad("place", problem.to_owned())) };
        };
        let place = place
            .parse()
            .map_err(|error: kivet_recipe::PlaceNameError| bad("place", error.to_string()))?;
        let loading = self.loading.as_deref().map(str::parse).transpose();
        let loading = loading.map_err(|problem| bad("loading", problem))?;
        Ok(Outcome::Place(Placed {
            place,
            loading,
            media: first_on(self.media.as_deref(), loading)
                .map_err(|problem| bad("media", problem))?,
            near: self.near.unwrap_or(0),
            dimensions: self
                .dimensions
                .as_deref()
                .map_or(Ok(Dimensions::Keep), str::parse)
                .map_err(|problem| bad("dimensions", problem))?,
            sources: !choice("sources", &self.sources, ["none", "write"])?,
            keep_srcset: choice("srcset", &self.srcset, ["keep", "replace"])?,
            vector: self.vector,
        }))
    }
}

impl Rules {
    /// The rules that have one of these selectors, as written.
    pub fn with_selectors(&self, selectors: &[String]) -> Vec<usize> {
        let known = selectors.iter().filter_map(|selector| self.by_selector.get(selector));
        known.flatten().copied().collect()
    }
}

impl Rule {
    /// The one file it is about, if it names one and no pattern.
    pub fn only_file(&self) -> Option<&str> {
        self.file.as_deref()
    }

    /// True if it names pages, and this one is among them.
    pub fn is_for(&self, page: &str) -> bool {
        self.pages.name(page)
    }
}

impl Of {
    const ALL: [Self; 4] = [Self::Picture, Self::Background, Self::Embed, Self::Link];

    /// The name in rules.
    pub const fn name(self) -> &'static str {
        match self {
            Self::Picture => "picture",
            Self::Background => "background",
            Self::Embed => "embed",
            Self::Link => "link",
        }
    }
}

impl FromStr for Of {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        let names = Self::ALL.map(Self::name);
        Self::ALL.into_iter().find(|of| of.name() == text).ok_or_else(|| {
            let near = nearest(text, names)
                .map_or(String::new(), |near| format!("; did you mean `{near}`?"));
            format!("`{text}` is not what rules are about: use {}{near}", names.join(", "))
        })
    }
}
