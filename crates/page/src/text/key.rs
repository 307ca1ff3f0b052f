//! What an element has and a selector asks for, to find the one by the other: trying all of them on
//! each other takes minutes where both are many.

use cssparser::Parser;
use scraper::{ElementRef, selector::Simple};
use selectors::{
    bloom::BloomFilter,
    matching::{
        MatchingContext, MatchingForInvalidation, MatchingMode, NeedsSelectorFlags, QuirksMode,
        SelectorCaches, matches_selector,
    },
    parser::{AncestorHashes, Component, ParseRelative, Selector, SelectorList},
};

use crate::nesting::too_deep_selector;

/// One thing that an element has and a selector can ask for.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub(super) enum Key {
    Id(String),
    Class(String),
    /// In lower case.
    Tag(String),
    Any,
}

/// One selector, ready to be matched.
pub(super) struct OneSelector {
    selector: Selector<Simple>,
    /// Of what it asks of the elements around.
    around: AncestorHashes,
}

impl OneSelector {
    /// The first of a list; `None` if it is none, or longer or deeper than selectors are read.
    pub fn parse(text: &str) -> Option<Self> {
        if too_deep_selector(text).is_some() {
            return None;
        }
        let parser = &mut Parser::new(text);
        let list = SelectorList::parse(&scraper::selector::Parser, parser, ParseRelative::No);
        let selector = list.ok()?.slice().first()?.clone();
        let around = AncestorHashes::new(&selector, QuirksMode::NoQuirks);
        Some(Self { selector, around })
    }

    /// True if an element matches; `around` is the filter of its ancestors.
    pub fn matches(
        &self,
        element: ElementRef<'_>,
        around: Option<&BloomFilter>,
        caches: &mut SelectorCaches,
    ) -> bool {
        let mut context = MatchingContext::new(
            MatchingMode::Normal,
            around,
            caches,
            QuirksMode::NoQuirks,
            NeedsSelectorFlags::No,
            MatchingForInvalidation::No,
        );
        matches_selector(&self.selector, 0, Some(&self.around), &element, &mut context)
    }

    /// As CSS weighs it.
    pub fn specificity(&self) -> u32 {
        self.selector.specificity()
    }

    /// The key of the elements that it can match.
    pub fn key(&self) -> Key {
        Key::of(&self.selector)
    }
}

impl Key {
    /// All that an element has.
    pub(super) fn all_of(element: ElementRef<'_>) -> impl Iterator<Item = Self> {
        let own = element.value();
        let id = own.id().map(|id| Self::Id(id.to_owned()));
        let classes = own.classes().map(|class| Self::Class(class.to_owned()));
        let tag = Self::Tag(own.name().to_ascii_lowercase());
        id.into_iter().chain(classes).chain([tag, Self::Any])
    }

    /// The rarest of what the last part of a selector names.
    fn of(selector: &Selector<Simple>) -> Self {
        selector.iter().map(Self::of_component).max_by_key(Self::rarity).unwrap_or(Self::Any)
    }

    fn of_component(component: &Component<Simple>) -> Self {
        match component {
            Component::ID(id) => Self::Id(id.0.to_string()),
            Component::Class(class) => Self::Class(class.0.to_string()),
            Component::LocalName(name) => Self::Tag(name.lower_name.0.to_string()),
            Component::Is(list) | Component::Where(list) => Self::of_list(list),
            _ => Self::Any,
        }
    }

    /// Of alternatives only where there is one.
    fn of_list(list: &SelectorList<Simple>) -> Self {
        match list.slice() {
            [only] => Self::of(only),
            _ => Self::Any,
        }
    }

    const fn rarity(&self) -> u8 {
        match self {
            Self::Id(_) => 3,
            Self::Class(_) => 2,
            Self::Tag(_) => 1,
            Self::Any => 0,
        }
    }
}
