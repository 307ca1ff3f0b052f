//! What a drawing may say: shapes, paint, text and effects of its own, by the lists of
//! [`allowed`]. It is written anew from the parsed tree, so that entities, comments and odd spellings
//! cannot bring in anything else.

use std::fmt::Write;

use base64::{Engine, engine::general_purpose::STANDARD as BASE64};
use roxmltree::{Node, NodeType};

use super::{
    DEEPEST,
    allowed::{ATTRIBUTES, ELEMENTS},
    sheet::is_self_contained,
};
use crate::Limits;

const SVG: &str = "http://www.w3.org/2000/svg";
const XLINK: &str = "http://www.w3.org/1999/xlink";
const XML: &str = "http://www.w3.org/XML/1998/namespace";

/// Pictures may be carried inside as these.
const CARRIED: [&str; 6] = [
    "data:image/png;",
    "data:image/jpeg;",
    "data:image/jpg;",
    "data:image/gif;",
    "data:image/webp;",
    "data:image/avif;",
];

/// The most pixels of all pictures that a drawing carries inside.
const CARRIED_PIXELS: u64 = 50_000_000;

/// Writes an element and what it holds, cleaned. `replaced` stands in for attributes of that name.
pub(super) fn write(node: Node<'_, '_>, replaced: &[(&str, String)], out: &mut String) {
    Cleaner { out, pixels_left: CARRIED_PIXELS }.element(node, replaced, 0);
}

struct Cleaner<'a> {
    out: &'a mut String,
    pixels_left: u64,
}

impl Cleaner<'_> {
    fn element(&mut self, node: Node<'_, '_>, replaced: &[(&str, String)], depth: usize) {
        let name = node.tag_name();
        let foreign = name.namespace().is_some_and(|namespace| namespace != SVG);
        if foreign || !ELEMENTS.contain(name.name()) || retargets(node) || depth > DEEPEST {
            return;
        }
        self.out.push('<');
        self.out.push_str(name.name());
        self.attributes(node, replaced);
        if !node.has_children() {
            self.out.push_str("/>");
            return;
        }
        self.out.push('>');
        if name.name() == "style" {
            self.sheet(node);
        } else {
            for child in node.children() {
                match child.node_type() {
                    NodeType::Element => self.element(child, &[], depth + 1),
                    NodeType::Text => push_text(self.out, child.text().unwrap_or("")),
                    _ => {}
                }
            }
        }
        // Writing to a string cannot fail.
        let _ = write!(self.out, "</{}>", name.name());
    }

    fn attributes(&mut self, node: Node<'_, '_>, replaced: &[(&str, String)]) {
        let mut has_address = false;
        for attribute in node.attributes() {
            let Some(name) = written_name(attribute.namespace(), attribute.name()) else {
                continue;
            };
            let value = attribute.value();
            if replaced.iter().any(|(replaced, _)| *replaced == name) || !is_known(name) {
                continue;
            }
            let is_harmless = if name == "href" {
                // Under its two names, an address would be written twice.
                !std::mem::replace(&mut has_address, true)
                    && self.is_own(node.tag_name().name(), value)
            } else {
                is_text(name) || is_self_contained(value)
            };
            if is_harmless {
                push_attribute(self.out, name, value);
            }
        }
        for (name, value) in replaced.iter().filter(|(_, value)| !value.is_empty()) {
            push_attribute(self.out, name, value);
        }
    }

    /// A style sheet, or nothing if it reaches out. It is judged as browsers read it: without the
    /// comments, elements and instructions that may split it.
    fn sheet(&mut self, node: Node<'_, '_>) {
        let texts = node.children().filter(|child| child.is_text());
        let css: String = texts.filter_map(|text| text.text()).collect();
        if is_self_contained(&css) {
            push_text(self.out, &css);
        }
    }

    /// True if an address points within the drawing, or is a picture it may carry.
    fn is_own(&mut self, element: &str, address: &str) -> bool {
        let address = address.trim();
        if address.starts_with('#') {
            return true;
        }
        let Some((kind, content)) = address.split_once(',') else { return false };
        let kind = kind.to_ascii_lowercase();
        let is_carried = matches!(element, "image" | "feImage")
            && CARRIED.iter().any(|carried| kind.starts_with(carried))
            && kind.ends_with(";base64");
        if !is_carried {
            return false;
        }
        let content: Vec<u8> = content.bytes().filter(|byte| !byte.is_ascii_whitespace()).collect();
        // What cannot be read shows nothing, and costs nothing.
        let Ok(bytes) = BASE64.decode(content) else { return true };
        let Ok(facts) = crate::probe(&bytes, Limits::DEFAULT) else { return false };
        let left = self.pixels_left.checked_sub(facts.size.pixels());
        self.pixels_left = left.unwrap_or(self.pixels_left);
        left.is_some()
    }
}

/// True for an animation that would change where something is fetched from, or add a handler.
fn retargets(node: Node<'_, '_>) -> bool {
    node.attribute("attributeName").is_some_and(|name| {
        let name = name.trim();
        !is_known(name) || matches!(name, "href" | "style" | "class" | "id")
    })
}

fn written_name<'a>(namespace: Option<&str>, name: &'a str) -> Option<&'a str> {
    match namespace {
        None => Some(name),
        // Today's name for the same thing (SVG 2, section 5.10).
        Some(XLINK) if name == "href" => Some("href"),
        Some(XML) if name == "space" => Some("xml:space"),
        Some(XML) if name == "lang" => Some("xml:lang"),
        Some(_) => None,
    }
}

/// True for what is never read as a style.
fn is_text(name: &str) -> bool {
    matches!(name, "id" | "class" | "lang" | "xml:lang" | "role")
        || name.starts_with("aria-")
        || name.starts_with("data-")
}

fn is_known(name: &str) -> bool {
    ATTRIBUTES.contain(name) || name.starts_with("aria-") || name.starts_with("data-")
}

fn push_attribute(out: &mut String, name: &str, value: &str) {
    out.push(' ');
    out.push_str(name);
    out.push_str("=\"");
    for c in value.chars() {
        match c {
            '"' => out.push_str("&quot;"),
            '&' => out.push_str("&amp;"),
            '<' => out.push_str("&lt;"),
            '\n' => out.push_str("&#10;"),
            '\t' => out.push_str("&#9;"),
            '\r' => out.push_str("&#13;"),
            c => out.push(allowed(c)),
        }
    }
    out.push('"');
}

fn push_text(out: &mut String, text: &str) {
    for c in text.chars() {
        match c {
            '&' => out.push_str("&amp;"),
            '<' => out.push_str("&lt;"),
            '>' => out.push_str("&gt;"),
            c => out.push(allowed(c)),
        }
    }
}

/// What XML does not allow (XML 1.0, 2.2), which entities can bring in, leaves a mark: were it left
/// out, what was judged harmless could close up to something else.
fn allowed(c: char) -> char {
    let is_allowed = matches!(c, '\t' | '\n' | '\r' | ' '..='\u{D7FF}' | '\u{E000}'..='\u{FFFD}' | '\u{10000}'..);
    if is_allowed { c } else { char::REPLACEMENT_CHARACTER }
}
