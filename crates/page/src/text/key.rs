//! What an element has and a selector asks for, to find the one by the other: trying all of them on
//! each other takes minutes where both are many.

use cssparser::Parser;
use scraper::{ElementRef, selector::Simple};
use selectors::parser::{Component, ParseRelative, Selector, SelectorList};

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

/// The parts of a list of selectors; `None` if it is none, or longer or deeper than selectors are read.
pub(super) fn selectors(text: &str) -> Option<SelectorList<Simple>> {
    if too_deep_selector(text).is_some() {
        return None;
    }
    let parser = &mut Parser::new(text);
    SelectorList::parse(&scraper::selector::Parser, parser, ParseRelative::No).ok()
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
    pub(super) fn of(selector: &Selector<Simple>) -> Self {
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
