//! Frames, films and objects of a page as text.

use scraper::ElementRef;

use super::{pictures::reserved, worked::Worked};
use crate::observation::Embed;

/// Every embed of the page. What it loads is for whoever fetches.
pub(super) fn embeds(worked: &Worked<'_>) -> Vec<Embed> {
    let is_embed = |element: &ElementRef<'_>| {
        matches!(element.value().name(), "iframe" | "video" | "embed" | "object")
    };
    let embed = |element: ElementRef<'_>| {
        let written = element.attr("src").or_else(|| element.attr("data")).unwrap_or_default();
        let area = worked.layout.area(element);
        Embed {
            element: worked.document.describe(element),
            url: if written.is_empty() { String::new() } else { worked.absolute(written) },
            area: area.unwrap_or_default(),
            reserved: reserved(worked, element),
            rendered: area.is_some_and(|area| area.width > 1.0),
            bytes_up_front: 0,
        }
    };
    worked.document.all().filter(is_embed).map(embed).collect()
}
