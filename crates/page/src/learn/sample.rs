//! Which pages of a site are visited: enough of each kind of picture, not every page of a template.

use std::collections::{BTreeMap, BTreeSet};

use super::select::telling;
use crate::{Document, decode, observation::Attributes};

/// Sites of so many pages are visited whole.
const ALL_UP_TO: usize = 12;

/// Pages on which each kind of picture is seen, where there are as many.
const TIMES: usize = 3;

/// No more pages are visited.
const MAX_VISITED: usize = 40;

/// Pages visited for the second and third look at a kind.
const MAX_REPEATED: usize = 16;

/// Elements around a picture that count for its kind.
const UP: usize = 4;

/// The numbers of the pages to visit, of a site's `sources`, in order.
pub fn sample(sources: &[Vec<u8>]) -> Vec<usize> {
    if sources.len() <= ALL_UP_TO {
        return (0..sources.len()).collect();
    }
    let kinds: Vec<BTreeSet<String>> = sources.iter().map(|source| kinds(source)).collect();
    let mut missing: BTreeMap<&str, usize> = BTreeMap::new();
    for kind in kinds.iter().flatten() {
        let entry = missing.entry(kind).or_default();
        *entry = (*entry + 1).min(TIMES);
    }
    let mut visited: BTreeSet<usize> = BTreeSet::new();
    // A site's first page is unlike the others.
    let mut next = Some(0);
    while let Some(page) = next {
        visited.insert(page);
        for kind in &kinds[page] {
            if let Some(count) = missing.get_mut(kind.as_str()) {
                *count = count.saturating_sub(1);
            }
        }
        let repeats = visited.len() >= MAX_REPEATED;
        let gain = |page: usize| {
            let wanted = |kind: &&String| {
                let seen = visited.iter().any(|page| kinds[*page].contains(*kind));
                missing.get(kind.as_str()).is_some_and(|count| *count > 0) && !(repeats && seen)
            };
            kinds[page].iter().filter(wanted).count()
        };
        next = (0..sources.len())
            .filter(|page| !visited.contains(page) && visited.len() < MAX_VISITED)
            .map(|page| (gain(page), page))
            .filter(|(gain, _)| *gain > 0)
            .max_by_key(|(gain, page)| (*gain, std::cmp::Reverse(*page)))
            .map(|(_, page)| page);
    }
    visited.into_iter().collect()
}

/// The kinds of picture on a page: what is around each, and the stylesheets that lay it out.
fn kinds(source: &[u8]) -> BTreeSet<String> {
    let document = Document::parse(&decode(source, None));
    let mut sheets: Vec<&str> = document
        .all()
        .filter(|element| element.value().name() == "link")
        .filter(|element| element.attr("rel").is_some_and(|rel| rel.contains("stylesheet")))
        .filter_map(|element| element.attr("href")?.rsplit('/').next())
        .collect();
    sheets.sort_unstable();
    let sheets = sheets.join(" ");
    let is_picture = |element: &scraper::ElementRef<'_>| {
        element.value().name() == "img"
            || element.attr("style").is_some_and(|style| style.contains("url("))
    };
    let of = |element: scraper::ElementRef<'_>| {
        let around = element.ancestors().filter_map(scraper::ElementRef::wrap).take(UP);
        let parts: Vec<String> = [element].into_iter().chain(around).map(named).collect();
        format!("{} in {sheets}", parts.join(" < "))
    };
    document.all().filter(is_picture).map(of).collect()
}

/// An element's tag and telling classes.
fn named(element: scraper::ElementRef<'_>) -> String {
    let class = element.attr("class").map(|class| ("class".to_owned(), class.to_owned()));
    let attributes: Attributes = class.into_iter().collect();
    let mut classes: Vec<&str> = telling(&attributes).collect();
    classes.sort_unstable();
    format!("{}.{}", element.value().name(), classes.join("."))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_template_is_visited_a_few_times_and_each_kind_of_picture_is_seen() {
        let page = |number: usize| {
            let extra = if number == 97 { "<aside><img src=map.png></aside>" } else { "" };
            let figure = if number.is_multiple_of(2) {
                "<figure class=shot><img src=a.png></figure>"
            } else {
                ""
            };
            format!(
                "<link rel=stylesheet href=a.css><p><img class=icon src=i.png></p>{figure}{extra}"
            )
        };
        let sources: Vec<Vec<u8>> = (0..130).map(|number| page(number).into_bytes()).collect();
        let visited = sample(&sources);
        assert!(visited.len() <= 5 && visited.contains(&0) && visited.contains(&97), "{visited:?}");
        assert_eq!(sample(&sources[..9]).len(), 9);
    }
}
