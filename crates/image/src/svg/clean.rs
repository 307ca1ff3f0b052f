//! What a drawing may say: shapes, paint, text and effects of its own. Scripts, event handlers,
//! foreign content and anything fetched from elsewhere are left out.

use std::fmt::Write;

use roxmltree::{Node, NodeType};

use super::DEEPEST;

const SVG: &str = "http://www.w3.org/2000/svg";
const XLINK: &str = "http://www.w3.org/1999/xlink";
const XML: &str = "http://www.w3.org/XML/1998/namespace";

/// Elements left out with all they hold.
const FORBIDDEN: [&str; 9] = [
    "script",
    "foreignObject",
    "iframe",
    "audio",
    "video",
    "canvas",
    "handler",
    "listener",
    "metadata",
];

/// Pictures may be carried inside as these.
const CARRIED: [&str; 6] = [
    "data:image/png;",
    "data:image/jpeg;",
    "data:image/jpg;",
    "data:image/gif;",
    "data:image/webp;",
    "data:image/avif;",
];

/// Writes an element and what it holds, cleaned. `replaced` stands in for attributes of that name.
pub(super) fn write(node: Node<'_, '_>, replaced: &[(&str, String)], out: &mut String) {
    element(node, replaced, out, 0);
}

fn element(node: Node<'_, '_>, replaced: &[(&str, String)], out: &mut String, depth: usize) {
    let name = node.tag_name();
    let foreign = name.namespace().is_some_and(|namespace| namespace != SVG);
    if foreign || FORBIDDEN.contains(&name.name()) || retargets(node) || depth > DEEPEST {
        return;
    }
    out.push('<');
    out.push_str(name.name());
    for attribute in node.attributes() {
        let Some(name) = written_name(attribute.namespace(), attribute.name()) else { continue };
        let is_replaced = replaced.iter().any(|(replaced, _)| *replaced == name);
        if !is_replaced && is_harmless(node.tag_name().name(), attribute.name(), attribute.value())
        {
            push_attribute(out, name, attribute.value());
        }
    }
    for (name, value) in replaced.iter().filter(|(_, value)| !value.is_empty()) {
        push_attribute(out, name, value);
    }
    if !node.has_children() {
        out.push_str("/>");
        return;
    }
    out.push('>');
    for child in node.children() {
        match child.node_type() {
            NodeType::Element => element(child, &[], out, depth + 1),
            NodeType::Text if node.tag_name().name() == "style" => {
                push_text(out, &harmless_sheet(child.text().unwrap_or("")))
            }
            NodeType::Text => push_text(out, child.text().unwrap_or("")),
            _ => {}
        }
    }
    // Writing to a string cannot fail.
    let _ = write!(out, "</{}>", name.name());
}

/// True for an animation that would change where something is fetched from, or add a handler.
fn retargets(node: Node<'_, '_>) -> bool {
    node.attribute("attributeName").is_some_and(|name| {
        let name = name.trim().to_ascii_lowercase();
        name.ends_with("href") || name.starts_with("on") || name == "style"
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

fn is_harmless(element: &str, name: &str, value: &str) -> bool {
    let name = name.to_ascii_lowercase();
    if name.starts_with("on") {
        return false;
    }
    if name == "href" {
        let value = value.trim();
        let carries = matches!(element, "image" | "feImage") && {
            let start = value.get(..value.len().min(32)).unwrap_or_default().to_ascii_lowercase();
            CARRIED.iter().any(|carried| start.starts_with(carried))
        };
        return value.starts_with('#') || carries;
    }
    let lower: String = value
        .chars()
        .filter(|c| !c.is_whitespace() && !c.is_control())
        .collect::<String>()
        .to_ascii_lowercase();
    !lower.contains("javascript:") && !lower.contains('\\') && urls_are_local(&lower)
}

/// True if every `url(...)` points within the document.
fn urls_are_local(css: &str) -> bool {
    css.split("url(")
        .skip(1)
        .all(|rest| rest.trim_start().trim_start_matches(['"', '\'']).starts_with('#'))
        && !css.contains("@import")
        && !css.contains("image-set(")
        && !css.contains("image(")
        && !css.contains("src(")
}

/// A style sheet, or nothing if it reaches out: its rules cannot be told apart safely without
/// reading CSS whole.
fn harmless_sheet(css: &str) -> String {
    let flat: String =
        css.chars().filter(|c| !c.is_whitespace()).collect::<String>().to_ascii_lowercase();
    if !flat.contains('\\') && urls_are_local(&flat) { css.to_owned() } else { String::new() }
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
