//! Elements of a parsed tree: their identity and the name people know them by.

use html5ever::tree_builder::TreeSink;
use scraper::{ElementRef, HtmlTreeSink};

/// The identity of a node in its tree.
pub(super) type NodeId = <HtmlTreeSink as TreeSink>::Handle;

/// A tag with its id or first classes.
pub(super) fn own(element: ElementRef<'_>) -> String {
    if let Some(id) = element.attr("id").filter(|id| is_name(id)) {
        return format!("#{id}");
    }
    let classes = element.value().classes().filter(|class| is_name(class)).take(2);
    classes.fold(element.value().name().to_owned(), |selector, class| selector + "." + class)
}

fn is_name(text: &str) -> bool {
    !text.starts_with(|c: char| c.is_ascii_digit() || c == '-')
        && text.chars().all(|c| c.is_alphanumeric() || c == '-' || c == '_')
}
