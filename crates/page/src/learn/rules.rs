//! Rules that give every picture its place, checked against the pages they were drawn from.

use std::collections::{BTreeMap, BTreeSet};

use super::{
    Learnt, SeenPage,
    group::{Grouped, Member, counted},
};
use crate::{
    Loading,
    observation::Role,
    rewrite::{Fate, plan, scan},
    rules::{Of, OneOrMore, RuleDocument, RulesDocument},
};

/// What a rule does with the pictures of one shape on one page.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
struct Treatment {
    place: String,
    near: usize,
    loading: Option<&'static str>,
    dimensions: bool,
}

pub(super) fn rules(pages: &[SeenPage], grouped: &Grouped) -> Vec<(RuleDocument, String)> {
    let mut rules = firsts(pages, grouped);
    rules.extend(backgrounds(pages, grouped));
    let mut shapes: BTreeMap<_, BTreeMap<Option<Treatment>, BTreeSet<usize>>> = BTreeMap::new();
    let mut by_page: BTreeMap<(_, usize), Vec<&Member>> = BTreeMap::new();
    for member in imgs(pages, grouped) {
        by_page.entry((&member.shape, member.page)).or_default().push(member);
    }
    for ((shape, page), members) in by_page {
        let treatment = treatment(pages, grouped, &members);
        shapes.entry(shape).or_default().entry(treatment).or_default().insert(page);
    }
    for (shape, treatments) in shapes {
        // Those of fewer pages say which; what most do is said last, for all others.
        let mut order: Vec<_> =
            treatments.into_iter().filter_map(|(one, pages)| Some((one?, pages))).collect();
        order.sort_by_key(|(_, pages)| pages.len());
        let last = order.len().saturating_sub(1);
        for (at, (treatment, on)) in order.into_iter().enumerate() {
            let paths: Vec<String> = on.iter().map(|page| pages[*page].path.clone()).collect();
            let evidence = format!("on {}", some(&paths));
            let rule = RuleDocument {
                select: Some(shape.selector.clone()),
                pages: OneOrMore(if at == last { Vec::new() } else { paths }),
                place: Some(treatment.place),
                loading: treatment.loading.map(str::to_owned),
                near: (treatment.near > 0).then_some(treatment.near),
                dimensions: treatment.dimensions.then(|| "write".to_owned()),
                ..RuleDocument::default()
            };
            rules.push((rule, evidence));
        }
    }
    let late = pages.iter().map(|page| page.late_embeds).sum::<usize>();
    if late > 0 {
        let rule =
            RuleDocument { of: Some(Of::Embed.name().to_owned()), ..RuleDocument::default() };
        rules.push((rule, format!("{} below the first screen", counted(late, "frame"))));
    }
    rules
}

fn imgs<'a>(pages: &'a [SeenPage], grouped: &'a Grouped) -> impl Iterator<Item = &'a Member> {
    let is_img = |member: &&Member| pages[member.page].pictures[member.picture].role == Role::Img;
    grouped.members.iter().filter(is_img).filter(|member| grouped.place(member).is_some())
}

/// The largest paint of each page.
fn firsts(pages: &[SeenPage], grouped: &Grouped) -> Vec<(RuleDocument, String)> {
    let first = grouped.members.iter().filter(|member| member.loading == Loading::First);
    let rules = first.filter_map(|member| {
        let (page, picture) = (&pages[member.page], &pages[member.page].pictures[member.picture]);
        let place = grouped.place(member)?.to_owned();
        let on: usize = picture.devices.iter().filter(|one| one.largest).count();
        let evidence = format!("the largest paint on {on} of {} devices", picture.devices.len());
        let background = picture.role == Role::Background;
        let rule = RuleDocument {
            of: background.then(|| Of::Background.name().to_owned()),
            select: (!background).then(|| member.shape.selector.clone()),
            pages: OneOrMore(vec![page.path.clone()]),
            files: OneOrMore(vec![file(&picture.file)]),
            place: Some(place),
            loading: Some(Loading::First.name().to_owned()),
            media: member.media.clone(),
            dimensions: picture.dimensions.then(|| "write".to_owned()),
            ..RuleDocument::default()
        };
        Some((rule, evidence))
    });
    rules.collect()
}

/// Backgrounds stand in stylesheets, which are pages of their own to rules.
fn backgrounds(pages: &[SeenPage], grouped: &Grouped) -> Vec<(RuleDocument, String)> {
    let mut known = BTreeSet::new();
    let mut rules = Vec::new();
    for member in &grouped.members {
        let picture = &pages[member.page].pictures[member.picture];
        let Some(place) = grouped.place(member).filter(|_| picture.role == Role::Background) else {
            continue;
        };
        if !known.insert(file(&picture.file)) {
            continue;
        }
        let loading = grouped.loading(place) == Loading::Later;
        let rule = RuleDocument {
            of: Some(Of::Background.name().to_owned()),
            files: OneOrMore(vec![file(&picture.file)]),
            place: Some(place.to_owned()),
            // Without the page script a background cannot wait.
            loading: loading.then(|| Loading::Near.name().to_owned()),
            ..RuleDocument::default()
        };
        rules.push((
            rule,
            format!("of {} on {}", picture.element.selector, pages[member.page].path),
        ));
    }
    rules
}

/// What is done with the pictures of one shape on one page; `None` if they differ, and each needs a
/// rule of its own.
fn treatment(pages: &[SeenPage], grouped: &Grouped, members: &[&Member]) -> Option<Treatment> {
    let place = grouped.place(members[0])?;
    if members.iter().any(|member| grouped.place(member) != Some(place)) {
        return None;
    }
    let usual = grouped.loading(place);
    let plain: Vec<Loading> =
        members.iter().map(|member| member.loading).filter(|one| *one != Loading::First).collect();
    let near = plain.iter().take_while(|one| **one == Loading::Near).count();
    let rest = &plain[near..];
    let dimensions =
        members.iter().all(|member| pages[member.page].pictures[member.picture].dimensions);
    let treatment =
        |near, loading| Some(Treatment { place: place.to_owned(), near, loading, dimensions });
    match rest.first() {
        None if plain.is_empty() => treatment(0, None),
        None if usual == Loading::Near => treatment(0, None),
        None if usual == Loading::Later => treatment(near, None),
        None => treatment(0, Some(Loading::Near.name())),
        Some(one) if rest.iter().any(|other| other != one) => None,
        Some(Loading::Later) if usual == Loading::Later => treatment(near, None),
        Some(one) if near == 0 && *one == usual => treatment(0, None),
        Some(one) if near == 0 => treatment(0, Some(one.name())),
        Some(_) => None,
    }
}

/// Holds the rules against the pages, and puts a rule of its own before the others for each picture
/// that another would take. What no rule can tell apart is noted.
pub(super) fn corrected(pages: &[SeenPage], grouped: &Grouped, learnt: &mut Learnt) -> Vec<String> {
    let mut notes = Vec::new();
    for round in 0..2 {
        let wrong = wrong(pages, grouped, learnt);
        for (member, line) in wrong {
            let (page, picture) =
                (&pages[member.page], &pages[member.page].pictures[member.picture]);
            let Some(place) = grouped.place(member) else { continue };
            if round == 1 {
                notes.push(format!(
                    "{}:{line} {}: no rule tells it apart from others in another place",
                    page.path, picture.address
                ));
                continue;
            }
            let rule = RuleDocument {
                select: Some(member.shape.selector.clone()),
                pages: OneOrMore(vec![page.path.clone()]),
                files: OneOrMore(vec![file(&picture.file)]),
                place: Some(place.to_owned()),
                loading: Some(member.loading.name().to_owned()),
                media: member.media.clone(),
                dimensions: picture.dimensions.then(|| "write".to_owned()),
                ..RuleDocument::default()
            };
            learnt.rules.insert(0, (rule, "laid out unlike the others of its kind".to_owned()));
        }
    }
    notes
}

/// The pictures that rules give another place than theirs, with their lines.
fn wrong<'a>(
    pages: &[SeenPage],
    grouped: &'a Grouped,
    learnt: &Learnt,
) -> Vec<(&'a Member, usize)> {
    let document = RulesDocument {
        places: learnt
            .places
            .iter()
            .map(|(name, place, _)| (name.clone(), place.clone()))
            .collect(),
        rules: learnt.rules.iter().map(|(rule, _)| rule.clone()).collect(),
        ..RulesDocument::default()
    };
    let Ok(rules) = document.checked() else { return Vec::new() };
    let mut wrong = Vec::new();
    for (at, page) in pages.iter().enumerate() {
        let Ok(found) = scan(&page.source, &rules) else { continue };
        for wanted in plan(&page.source, &found, &rules, &page.path) {
            if wanted.of != Of::Picture || wanted.source.is_some() {
                continue;
            }
            let member = grouped.members.iter().find(|member| {
                let picture = &pages[member.page].pictures[member.picture];
                member.page == at
                    && picture.role == Role::Img
                    && picture.element.line == Some(wanted.line as u64)
                    && picture.file == wanted.address.path()
            });
            let Some(member) = member else { continue };
            let given = match &wanted.fate {
                Fate::Place { placed, .. } => Some(placed.place.as_str()),
                _ => None,
            };
            if given != grouped.place(member) {
                wrong.push((member, wanted.line));
            }
        }
    }
    wrong
}

/// The path of a file as patterns have it, whatever signs are in it.
fn file(path: &str) -> String {
    let path = path.split_once("://").map_or(path, |(_, rest)| rest);
    let mut pattern = String::new();
    for c in path.chars() {
        if "*?[]{}\\".contains(c) {
            pattern.push('\\');
        }
        pattern.push(c);
    }
    pattern
}

fn some(paths: &[String]) -> String {
    match paths {
        [one] => one.clone(),
        [one, two] => format!("{one} and {two}"),
        [one, ..] => format!("{one} and {} more pages", paths.len() - 1),
        [] => "no page".to_owned(),
    }
}
