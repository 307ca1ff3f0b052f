//! Elements, as findings name them.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

/// Attributes by name, lower case.
pub type Attributes = BTreeMap<String, String>;

/// An element of a page.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase", default)]
pub struct Element {
    /// Its tag, lower case.
    pub tag: String,
    /// The one path from the root by tags and positions, such as `html>body>img:nth-of-type(2)`.
    pub path: String,
    /// A selector for people: as short as it still names this element.
    pub selector: String,
    /// The line of the source it begins on, where it stands in the source.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub line: Option<u64>,
    /// Its attributes; left out of reports, whose fixes are written already.
    #[serde(skip_serializing_if = "Attributes::is_empty")]
    pub attributes: Attributes,
}

/// An element around another.
#[derive(Clone, Debug, Default, PartialEq, Deserialize)]
#[serde(rename_all = "camelCase", default)]
pub struct Ancestor {
    /// Its tag, lower case.
    pub tag: String,
    /// Its attributes.
    pub attributes: Attributes,
}

impl Element {
    /// An attribute's value.
    pub fn attribute(&self, name: &str) -> Option<&str> {
        self.attributes.get(name).map(String::as_str)
    }

    /// An attribute's value in lower case without spaces around; empty if it is not there.
    pub fn keyword(&self, name: &str) -> String {
        self.attribute(name).unwrap_or_default().trim().to_ascii_lowercase()
    }

    /// A number of CSS pixels as `width` and `height` take it (HTML, 2.3.4.4).
    pub fn dimension(&self, name: &str) -> Option<f64> {
        let text = self.attribute(name)?.trim();
        let end = text.find(|c: char| !c.is_ascii_digit() && c != '.').unwrap_or(text.len());
        (!text.ends_with('%')).then(|| text[..end].parse().ok()).flatten()
    }

    /// The element's opening tag with `changes` made to its attributes: a value sets, `None`
    /// removes.
    pub fn rewritten(&self, changes: &[(&str, Option<String>)]) -> String {
        let mut attributes: Vec<(String, String)> =
            self.attributes.iter().map(|(name, value)| (name.clone(), value.clone())).collect();
        for (name, value) in changes {
            attributes.retain(|(known, _)| known != name);
            attributes.extend(value.iter().map(|value| ((*name).to_owned(), value.clone())));
        }
        attributes.sort_by_key(|(name, _)| {
            ORDER.iter().position(|known| known == name).unwrap_or(ORDER.len())
        });
        let written: String =
            attributes.iter().map(|(name, value)| attribute(name, value)).collect();
        format!("<{}{written}>", self.tag)
    }
}

/// The order people write attributes in; others follow.
const ORDER: [&str; 10] =
    ["rel", "as", "src", "href", "srcset", "sizes", "width", "height", "alt", "class"];

/// Addresses longer than this are shortened in markup that is only shown.
const LONG: usize = 160;

fn attribute(name: &str, value: &str) -> String {
    if value.is_empty() && name != "alt" && name != "src" {
        return format!(" {name}");
    }
    let value = value.split_ascii_whitespace().collect::<Vec<_>>().join(" ");
    let shown = match value.char_indices().nth(LONG) {
        Some((end, _)) if value.starts_with("data:") => format!("{}...", &value[..end]),
        _ => value,
    };
    format!(" {name}=\"{}\"", shown.replace('&', "&amp;").replace('"', "&quot;"))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn an_opening_tag_is_rewritten_as_people_write_it() {
        let attributes =
            [("loading", "lazy"), ("src", "a\"b.jpg"), ("width", "40px"), ("height", "50%")];
        let attributes = attributes.map(|(name, value)| (name.to_owned(), value.to_owned())).into();
        let element = Element { tag: "img".to_owned(), attributes, ..Element::default() };
        let fix = [
            ("loading", None),
            ("alt", Some(String::new())),
            ("fetchpriority", Some("high".to_owned())),
        ];
        assert_eq!(
            element.rewritten(&fix),
            r#"<img src="a&quot;b.jpg" width="40px" height="50%" alt="" fetchpriority="high">"#
        );
        assert_eq!((element.dimension("width"), element.dimension("height")), (Some(40.0), None));
    }
}
