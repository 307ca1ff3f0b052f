//! The selector by which a picture is known among others, and a readable name from it.

use super::SeenPicture;
use crate::observation::{Attributes, Role};

/// How far up a telling ancestor may stand.
const UP: usize = 4;

/// Elements whose tag alone tells something.
const TELLING: [&str; 11] =
    ["figure", "td", "th", "li", "header", "footer", "nav", "aside", "article", "section", "main"];

/// Classes that scripts set or look for.
const PASSING: [&str; 8] = ["lazy", "loaded", "active", "visible", "hidden", "show", "js-", "is-"];

/// A selector, most telling part first: its own class, that of an element around it, or a tag.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(super) struct Shape {
    /// Less counts more: own class, class around, tag around, tag alone.
    pub rank: u8,
    /// The selector.
    pub selector: String,
    /// The word it turns on.
    pub word: String,
}

pub(super) fn shape(picture: &SeenPicture) -> Shape {
    let tag = &picture.element.tag;
    if let Some(class) = class(&picture.element.attributes) {
        return Shape { rank: 0, selector: format!("{tag}.{class}"), word: class };
    }
    if picture.role == Role::Background
        && let Some(id) = id(&picture.element.attributes)
    {
        return Shape { rank: 0, selector: format!("#{id}"), word: id };
    }
    for around in picture.ancestors.iter().take(UP) {
        if let Some(class) = class(&around.attributes) {
            return Shape { rank: 1, selector: format!(".{class} {tag}"), word: class };
        }
        if let Some(id) = id(&around.attributes) {
            return Shape { rank: 1, selector: format!("#{id} {tag}"), word: id };
        }
        if TELLING.contains(&around.tag.as_str()) {
            let selector = format!("{} {tag}", around.tag);
            return Shape { rank: 2, selector, word: spoken(&around.tag).to_owned() };
        }
    }
    Shape { rank: 3, selector: tag.clone(), word: "picture".to_owned() }
}

fn spoken(tag: &str) -> &str {
    match tag {
        "td" | "th" => "cell",
        "li" => "item",
        other => other,
    }
}

fn class(attributes: &Attributes) -> Option<String> {
    let classes = attributes.get("class")?;
    let telling = |class: &&str| is_name(class) && !PASSING.iter().any(|word| class.contains(word));
    classes.split_ascii_whitespace().find(telling).map(str::to_owned)
}

fn id(attributes: &Attributes) -> Option<String> {
    attributes.get("id").filter(|id| is_name(id)).cloned()
}

fn is_name(text: &str) -> bool {
    text.starts_with(|c: char| c.is_ascii_alphabetic())
        && text.chars().all(|c| c.is_ascii_alphanumeric() || c == '-' || c == '_')
}

/// A word as a place's name: `a-z`, `0-9` and `-`.
pub(super) fn name(word: &str) -> String {
    let mut name = String::new();
    for c in word.chars() {
        match c {
            'A'..='Z' => {
                if name.ends_with(|c: char| c.is_ascii_lowercase()) {
                    name.push('-');
                }
                name.push(c.to_ascii_lowercase());
            }
            'a'..='z' | '0'..='9' => name.push(c),
            _ if !name.ends_with('-') => name.push('-'),
            _ => {}
        }
    }
    let name: String = name.trim_matches('-').chars().take(30).collect();
    if name.starts_with(|c: char| c.is_ascii_lowercase()) {
        name
    } else {
        format!("place-{name}").trim_end_matches('-').to_owned()
    }
}
