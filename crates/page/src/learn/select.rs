//! Selectors by which a picture may be known among others: by its own classes, by the elements
//! around it, by both.

use std::collections::BTreeSet;

use super::SeenPicture;
use crate::observation::Attributes;

/// How far up an ancestor counts that nothing but its tag tells apart.
const UP: usize = 3;

/// Elements whose tag alone tells something.
const TELLING: [&str; 13] = [
    "figure", "td", "th", "li", "header", "footer", "nav", "aside", "article", "section", "main",
    "h1", "a",
];

/// Parts of classes that scripts set or look for.
const PASSING: [&str; 10] =
    ["lazy", "loaded", "loading", "active", "visible", "hidden", "show", "js-", "is-", "aos"];

/// One element of a selector: a tag, a class or an id.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
enum Part {
    Tag(String),
    Class(String),
    Id(String),
}

/// A selector of descendants: the picture last, what is around it before.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(super) struct Selector {
    /// Less counts more: how well it says what the picture is.
    rank: u8,
    around: Vec<Part>,
    tag: String,
    class: Option<String>,
}

impl Part {
    fn matches(&self, tag: &str, attributes: &Attributes) -> bool {
        match self {
            Self::Tag(own) => own == tag,
            Self::Class(own) => classes(attributes).any(|class| class == own),
            Self::Id(own) => attributes.get("id") == Some(own),
        }
    }

    fn written(&self) -> String {
        match self {
            Self::Tag(tag) => tag.clone(),
            Self::Class(class) => format!(".{class}"),
            Self::Id(id) => format!("#{id}"),
        }
    }
}

impl Selector {
    /// As CSS.
    pub fn written(&self) -> String {
        let own = match &self.class {
            Some(class) => format!("{}.{class}", self.tag),
            None => self.tag.clone(),
        };
        self.around.iter().map(Part::written).chain([own]).collect::<Vec<_>>().join(" ")
    }

    /// True if it selects a picture.
    pub fn selects(&self, picture: &SeenPicture) -> bool {
        let own = &picture.element;
        let is_own = own.tag == self.tag
            && self
                .class
                .as_ref()
                .is_none_or(|class| classes(&own.attributes).any(|known| known == class));
        let mut wanted = self.around.iter().rev().peekable();
        for ancestor in &picture.ancestors {
            wanted.next_if(|part| part.matches(&ancestor.tag, &ancestor.attributes));
        }
        is_own && wanted.peek().is_none()
    }
}

/// The selectors of a picture.
pub(super) fn selectors(picture: &SeenPicture) -> BTreeSet<Selector> {
    let tag = &picture.element.tag;
    let own: Vec<String> = telling(&picture.element.attributes).map(str::to_owned).collect();
    let around = around(picture);
    let mut all = BTreeSet::new();
    let mut add = |rank: usize, around: &[&Part], class: Option<&String>| {
        all.insert(Selector {
            rank: rank.min(255) as u8,
            around: around.iter().map(|part| (*part).clone()).collect(),
            tag: tag.clone(),
            class: class.cloned(),
        });
    };
    add(90, &[], None);
    for class in &own {
        add(if is_utility(class) { 40 } else { 0 }, &[], Some(class));
    }
    for (depth, part) in &around {
        let weight = weight(part) + depth;
        add(10 + weight, &[part], None);
        for class in &own {
            add(20 + weight, &[part], Some(class));
        }
        for (_, outer) in around.iter().filter(|(other, _)| other > depth) {
            add(30 + weight + self::weight(outer), &[outer, part], None);
        }
    }
    all
}

/// Tags, classes and ids of the elements around a picture, with their distance.
fn around(picture: &SeenPicture) -> Vec<(usize, Part)> {
    let mut parts = Vec::new();
    for (depth, one) in picture.ancestors.iter().enumerate() {
        let classes = telling(&one.attributes).map(|class| Part::Class(class.to_owned()));
        let id = one.attributes.get("id").filter(|id| is_name(id)).cloned().map(Part::Id);
        let tag = (depth < UP && TELLING.contains(&one.tag.as_str()) || one.tag == "main")
            .then(|| Part::Tag(one.tag.clone()));
        parts.extend(classes.chain(id).chain(tag).map(|part| (depth, part)));
    }
    parts
}

fn weight(part: &Part) -> usize {
    match part {
        Part::Class(class) if is_utility(class) => 20,
        Part::Class(_) => 0,
        Part::Id(_) => 1,
        Part::Tag(_) => 4,
    }
}

/// True for a class that says how something looks and not what it is: such classes are shared by
/// much, and change with the looks.
fn is_utility(class: &str) -> bool {
    const WORDS: [&str; 24] = [
        "align",
        "bg",
        "border",
        "col",
        "container",
        "d",
        "flex",
        "float",
        "grid",
        "h",
        "image",
        "img",
        "items",
        "justify",
        "m",
        "order",
        "p",
        "position",
        "rounded",
        "row",
        "shadow",
        "text",
        "w",
        "wrapper",
    ];
    let first = class.split(['-', '_']).next().unwrap_or(class);
    class.ends_with(|c: char| c.is_ascii_digit()) || WORDS.contains(&first)
}

fn classes(attributes: &Attributes) -> impl Iterator<Item = &str> {
    attributes.get("class").into_iter().flat_map(|classes| classes.split_ascii_whitespace())
}

/// The classes that a page's author gave.
pub(super) fn telling(attributes: &Attributes) -> impl Iterator<Item = &str> {
    let is_telling =
        |class: &&str| is_name(class) && !PASSING.iter().any(|word| class.contains(word));
    classes(attributes).filter(is_telling)
}

/// The word that says best what a picture is.
pub(super) fn word(picture: &SeenPicture) -> String {
    let plain = |class: &&str| !is_utility(class);
    let own = telling(&picture.element.attributes).find(plain);
    let id = || picture.element.attributes.get("id").map(String::as_str).filter(|id| is_name(id));
    let of_ancestor = || {
        picture.ancestors.iter().take(4).find_map(|one| {
            let id = one.attributes.get("id").map(String::as_str).filter(|id| is_name(id));
            telling(&one.attributes).find(plain).or(id).or_else(|| spoken(&one.tag))
        })
    };
    let any = || telling(&picture.element.attributes).next();
    own.or_else(id).or_else(of_ancestor).or_else(any).unwrap_or("picture").to_owned()
}

fn spoken(tag: &str) -> Option<&str> {
    match tag {
        "td" | "th" => Some("cell"),
        "li" => Some("item"),
        "a" => None,
        tag => TELLING.contains(&tag).then_some(tag),
    }
}

fn is_name(text: &str) -> bool {
    text.starts_with(|c: char| c.is_ascii_alphabetic())
        && text.chars().all(|c| c.is_ascii_alphanumeric() || c == '-' || c == '_')
}
