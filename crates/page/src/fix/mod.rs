//! One fix for each element, from what all findings ask of it and all devices saw of it.

mod renditions;
mod tag;

use crate::{
    Fix,
    observation::{Element, Observation, Use},
};
use renditions::Renditions;
pub use tag::Shelved;
use tag::rewritten;

/// Puts together what findings ask of one element: one tag that serves every device, then what has
/// to be done elsewhere.
pub(crate) fn composed(
    seen: &[&Observation],
    element: &Element,
    asked: &[&Fix],
    shelved: &Shelved<'_>,
) -> String {
    let uses: Vec<(&Observation, &Use)> = seen
        .iter()
        .filter_map(|page| {
            let place = page.uses.iter().find(|place| place.element.path == element.path)?;
            Some((*page, place))
        })
        .collect();
    let mut words: Vec<String> = Vec::new();
    let mut attributes: Vec<(String, Option<String>)> = Vec::new();
    for fix in asked {
        match fix {
            Fix::Attributes(changes) => changes.iter().for_each(|one| set(&mut attributes, one)),
            Fix::Words(text) if !words.contains(text) => words.push(text.clone()),
            Fix::Words(_) | Fix::Renditions | Fix::Sizes => {}
        }
    }
    let wants = |fix: Fix| asked.contains(&&fix);
    let mut tag = None;
    if wants(Fix::Renditions) || wants(Fix::Sizes) {
        match Renditions::new(&uses, element, &attributes, shelved) {
            Ok(renditions) if wants(Fix::Renditions) => {
                tag = Some(renditions.written(element, &attributes));
                words.extend(renditions.shelf_wanted());
            }
            Ok(renditions) => set(&mut attributes, &("sizes".to_owned(), Some(renditions.sizes()))),
            Err(instead) => words.push(instead),
        }
    }
    if tag.is_none() && !attributes.is_empty() {
        tag = Some(rewritten(element, &attributes));
    }
    tag.into_iter().chain(words).collect::<Vec<_>>().join("; ")
}

/// Adds a change. Styles add up; of two that set one attribute the later counts, and what takes one
/// away gives in to what sets it.
fn set(changes: &mut Vec<(String, Option<String>)>, (name, value): &(String, Option<String>)) {
    match changes.iter_mut().find(|(known, _)| known == name) {
        None => changes.push((name.clone(), value.clone())),
        Some((_, known)) if name == "style" => {
            let both: Vec<&str> =
                [known.as_deref(), value.as_deref()].into_iter().flatten().collect();
            *known = Some(both.join("; "));
        }
        Some((_, known)) if value.is_some() => known.clone_from(value),
        Some(_) => {}
    }
}
