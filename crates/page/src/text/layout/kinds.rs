//! What elements are to a layout, by their names and styles.

use scraper::ElementRef;

use crate::text::style::Style;

/// Width over height of an `aspect-ratio`.
pub fn ratio(value: &str) -> Option<f64> {
    let value = value.strip_prefix("auto").unwrap_or(value).trim();
    let (across, down) = value.split_once('/').unwrap_or((value, "1"));
    let (across, down): (f64, f64) = (across.trim().parse().ok()?, down.trim().parse().ok()?);
    (across > 0.0 && down > 0.0).then(|| across / down)
}

pub fn is_out_of_flow(style: &Style) -> bool {
    matches!(style.get("position"), Some("absolute" | "fixed"))
}

pub fn is_replaced(element: ElementRef<'_>) -> bool {
    let name = element.value().name();
    matches!(name, "img" | "iframe" | "video" | "embed" | "object")
        || (name == "input" && element.attr("type") == Some("image"))
}

pub fn is_nowhere(element: ElementRef<'_>, style: &Style) -> bool {
    let name = element.value().name();
    let never = matches!(
        name,
        "head"
            | "script"
            | "style"
            | "template"
            | "noscript"
            | "title"
            | "link"
            | "meta"
            | "source"
            | "base"
            | "datalist"
    );
    never
        || style.is("display", "none")
        || (is_closed(element) && style.get("display").is_none())
        || is_folded(element)
}

/// What browsers show only once it is opened (HTML, 15.3.1), where no style says otherwise.
fn is_closed(element: ElementRef<'_>) -> bool {
    element.attr("hidden").is_some()
        || element.attr("popover").is_some()
        || (element.value().name() == "dialog" && element.attr("open").is_none())
}

/// What `details` shows only once it is opened: all but its first `summary`.
fn is_folded(element: ElementRef<'_>) -> bool {
    let Some(around) = element.parent().and_then(ElementRef::wrap) else { return false };
    if around.value().name() != "details" || around.attr("open").is_some() {
        return false;
    }
    let summary = around.child_elements().find(|child| child.value().name() == "summary");
    summary != Some(element)
}

pub(super) fn is_block(element: ElementRef<'_>, style: &Style) -> bool {
    match style.get("display") {
        Some(display) => !display.starts_with("inline") && display != "contents",
        None => matches!(
            element.value().name(),
            "html"
                | "body"
                | "div"
                | "p"
                | "h1"
                | "h2"
                | "h3"
                | "h4"
                | "h5"
                | "h6"
                | "section"
                | "article"
                | "main"
                | "header"
                | "footer"
                | "nav"
                | "aside"
                | "ul"
                | "ol"
                | "li"
                | "dl"
                | "dt"
                | "dd"
                | "figure"
                | "figcaption"
                | "table"
                | "tbody"
                | "thead"
                | "tr"
                | "td"
                | "th"
                | "form"
                | "fieldset"
                | "hr"
                | "pre"
                | "blockquote"
                | "address"
                | "details"
                | "summary"
                | "dialog"
        ),
    }
}

/// What browsers put above and below, and at the sides, where nothing else is said (HTML, 15.3).
pub(super) fn usual_margin(tag: &str, font: f64) -> (f64, f64) {
    match tag {
        "body" => (8.0, 8.0),
        "p" | "ul" | "ol" | "dl" | "pre" => (font, 0.0),
        "h1" => (font * 0.67, 0.0),
        "h2" => (font * 0.83, 0.0),
        "h3" => (font, 0.0),
        "figure" | "blockquote" => (font, 40.0),
        _ => (0.0, 0.0),
    }
}
