//! One element's tag, and what is asked about its picture.

use crate::observation::Element;

/// Where a picture's file lies on a shelf, as `shelf/path`, by its address; `None` where no shelf
/// is known to hold it.
pub type Shelved<'a> = dyn Fn(&str) -> Option<String> + Sync + 'a;

/// The element's tag with changes made to it. What it says in `style` stays.
pub(super) fn rewritten(element: &Element, changes: &[(String, Option<String>)]) -> String {
    let merged: Vec<(&str, Option<String>)> = changes
        .iter()
        .map(|(name, value)| match (name.as_str(), element.attribute("style"), value) {
            ("style", Some(own), Some(more)) if !own.trim().is_empty() => {
                let own = own.trim().trim_end_matches(';');
                (name.as_str(), Some(format!("{own}; {more}")))
            }
            _ => (name.as_str(), value.clone()),
        })
        .collect();
    element.rewritten(&merged)
}
