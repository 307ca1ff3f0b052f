//! One fix for each element, from what all findings ask of it and all devices saw of it.

mod renditions;
mod tag;
#[cfg(test)]
mod tests;

use crate::{
    Fix,
    observation::{Element, Observation, Role, Use},
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
    let uses = uses_of(seen, element);
    let mut words: Vec<String> = Vec::new();
    let mut attributes: Vec<(String, Option<String>)> = Vec::new();
    for fix in asked {
        match fix {
            Fix::Attributes(changes) => changes.iter().for_each(|one| set(&mut attributes, one)),
            Fix::Words(text) if !words.contains(text) => words.push(text.clone()),
            Fix::Words(_) | Fix::Renditions | Fix::Sizes | Fix::Preload(_) => {}
        }
    }
    let wants = |fix: Fix| asked.contains(&&fix);
    let mut preloads: Vec<String> = asked.iter().filter_map(|fix| preload(fix)).collect();
    let mut tag = None;
    if wants(Fix::Renditions) || wants(Fix::Sizes) {
        match Renditions::new(&uses, element, &attributes, shelved) {
            Ok(renditions) if wants(Fix::Renditions) => match renditions.command() {
                Some(command) => words.push(command),
                None => {
                    tag = Some(renditions.written(element, &attributes));
                    words.extend(renditions.shelf_wanted());
                    words.extend(renditions.declaration(element));
                    // What was shown so far is not asked for any more.
                    if !preloads.is_empty() {
                        preloads = renditions.preloads();
                    }
                }
            },
            Ok(renditions) => set(&mut attributes, &("sizes".to_owned(), Some(renditions.sizes()))),
            Err(instead) => words.push(instead.to_owned()),
        }
    }
    if tag.is_none() && !attributes.is_empty() {
        tag = Some(rewritten(element, &attributes));
    }
    tag.into_iter().chain(preloads).chain(words).collect::<Vec<_>>().join("; ")
}

/// The uses of an element on each device. For a background, all uses of its file: a style sheet
/// shows one file in several elements, and one fix serves them.
fn uses_of<'a>(seen: &[&'a Observation], element: &Element) -> Vec<(&'a Observation, &'a Use)> {
    let mut found = Vec::new();
    for page in seen {
        let own = page.uses.iter().filter(|one| one.element.path == element.path);
        for one in own.take(1) {
            let shares = |other: &&Use| {
                one.role == Role::Background && other.role == one.role && other.url == one.url
            };
            let others = page.uses.iter().filter(shares).filter(|other| !std::ptr::eq(*other, one));
            found.extend(std::iter::once(one).chain(others).map(|one| (*page, one)));
        }
    }
    found
}

/// The preload of what an element shows already.
fn preload(fix: &Fix) -> Option<String> {
    let Fix::Preload(url) = fix else { return None };
    let link = Element { tag: "link".to_owned(), ..Element::default() };
    let set = |name: &'static str, value: &str| (name, Some(value.to_owned()));
    Some(link.rewritten(&[
        set("rel", "preload"),
        set("as", "image"),
        set("href", url),
        set("fetchpriority", "high"),
    ]))
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
