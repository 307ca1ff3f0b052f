//! Rules that give every picture its place, checked against the pages they were drawn from.
//!
//! A list of decisions, of which the first that holds counts: each takes as many pictures as one
//! selector tells apart from all that are laid out otherwise or nowhere. File names are the last
//! resort, because the next picture has another.

use std::collections::{BTreeMap, BTreeSet};

use super::{
    Learnt, SeenPage, SeenPicture, Trial,
    group::{Grouped, Member, counted},
    select::{Selector, selectors},
};
use crate::{
    Loading,
    observation::Role,
    rewrite::{Fate, plan, scan},
    rules::{Dimensions, Of, OneOrMore, RuleDocument, RulesDocument},
};

/// The share of the pictures a selector takes that must be of one place, where no selector tells all of
/// one place apart: rules of their own are written for the others.
const MOSTLY: f64 = 0.7;

/// The share of a rule's pages on which its first picture must be the largest paint, so that the rule
/// says so for all.
const MOSTLY_FIRST: f64 = 0.75;

pub(super) fn rules(pages: &[SeenPage], grouped: &Grouped) -> Vec<(RuleDocument, String)> {
    let drawer = Drawer { pages, grouped };
    let decisions = drawer.decisions();
    let general: Vec<bool> =
        decisions.iter().map(|decision| drawer.is_first_everywhere(decision)).collect();
    let mut rules = drawer.firsts(&decisions, &general);
    rules.extend(drawer.backgrounds());
    for (decision, first) in decisions.iter().zip(general) {
        rules.extend(drawer.written(decision, first));
    }
    rules.extend(drawer.hidden(&decisions));
    let late = pages.iter().map(|page| page.late_embeds).sum::<usize>();
    if late > 0 {
        let rule =
            RuleDocument { of: Some(Of::Embed.name().to_owned()), ..RuleDocument::default() };
        rules.push((rule, format!("{} below the first screen", counted(late, "frame"))));
    }
    rules
}

/// Some pictures of one place that a selector tells apart from all that no decision before took.
struct Decision<'a> {
    selector: Selector,
    place: &'a str,
    members: Vec<&'a Member>,
}

struct Drawer<'a> {
    pages: &'a [SeenPage],
    grouped: &'a Grouped,
}

impl<'a> Drawer<'a> {
    fn picture(&self, member: &Member) -> &'a SeenPicture {
        &self.pages[member.page].pictures[member.picture]
    }

    /// The list of decisions: at each turn the selector that takes most of what is left.
    fn decisions(&self) -> Vec<Decision<'a>> {
        let is_img = |member: &&Member| self.picture(member).role == Role::Img;
        let mut left: Vec<&Member> = self.grouped.members.iter().filter(is_img).collect();
        let candidates: BTreeSet<Selector> = left
            .iter()
            .filter(|member| self.grouped.place(member).is_some())
            .flat_map(|member| selectors(self.picture(member)))
            .collect();
        let taken: BTreeMap<&Selector, BTreeSet<(usize, usize)>> = candidates
            .iter()
            .map(|selector| {
                let of = left.iter().filter(|member| selector.selects(self.picture(member)));
                (selector, of.map(|member| (member.page, member.picture)).collect())
            })
            .collect();
        let mut decisions = Vec::new();
        loop {
            let of = |selector: &Selector| -> Vec<&'a Member> {
                let known = &taken[selector];
                let is_taken = |member: &&&Member| known.contains(&(member.page, member.picture));
                left.iter().filter(is_taken).copied().collect()
            };
            let decided = |judge: &dyn Fn(&[&'a Member]) -> Option<&'a str>| {
                let all = candidates.iter().filter_map(|selector| {
                    let members = of(selector);
                    let place = judge(&members)?;
                    Some(Decision { selector: selector.clone(), place, members })
                });
                // Of those that take as many, the one that ranks first.
                all.reduce(|best, one| match one.members.len() > best.members.len() {
                    true => one,
                    false => best,
                })
            };
            let best = decided(&|members| self.pure(members));
            // One that takes several nearly all of one place says more than one for each picture.
            let mixed = || decided(&|members| self.mostly(members));
            let best = match best.filter(|best| best.members.len() > 1) {
                Some(best) => Some(best),
                None => mixed().or_else(|| decided(&|members| self.pure(members))),
            };
            let Some(mut best) = best else { return decisions };
            let of_place = |member: &&Member| self.grouped.place(member) == Some(best.place);
            let taken = best.members.clone();
            best.members.retain(of_place);
            left.retain(|member| !taken.iter().any(|taken| std::ptr::eq(*taken, *member)));
            decisions.push(best);
        }
    }

    /// Rules for pictures that are shown at no window and have no place: they load once they are near
    /// the viewport.
    fn hidden(&self, decisions: &[Decision<'a>]) -> Vec<(RuleDocument, String)> {
        let is_taken = |member: &Member| {
            let selects = |one: &Decision<'_>| one.selector.selects(self.picture(member));
            decisions.iter().any(selects)
        };
        let imgs = self.grouped.members.iter().filter(|one| self.picture(one).role == Role::Img);
        let mut left: Vec<&Member> = imgs.filter(|member| !is_taken(member)).collect();
        let mut rules = Vec::new();
        loop {
            let hidden = |member: &&&Member| {
                self.grouped.place(member).is_none() && self.picture(member).is_never_shown()
            };
            let candidates: BTreeSet<Selector> =
                left.iter().filter(hidden).flat_map(|one| selectors(self.picture(one))).collect();
            let count = |selector: &Selector| {
                let mut of = left.iter().filter(|one| selector.selects(self.picture(one)));
                let all = of.clone().count();
                of.all(|member| hidden(&member)).then_some(all)
            };
            let best = candidates.into_iter().filter_map(|one| Some((count(&one)?, one)));
            let Some((count, selector)) = best.reduce(|a, b| if b.0 > a.0 { b } else { a }) else {
                return rules;
            };
            left.retain(|member| !selector.selects(self.picture(member)));
            let rule = RuleDocument {
                select: Some(selector.written()),
                loading: Some(Loading::Later.name().to_owned()),
                ..RuleDocument::default()
            };
            rules.push((rule, format!("{}, shown at no window", counted(count, "picture"))));
        }
    }

    /// The place that all of them have, with markup that leaves all their boxes alone.
    fn pure(&self, members: &[&'a Member]) -> Option<&'a str> {
        let first = members.first()?;
        let place = self.grouped.place(first)?;
        let same = members.iter().all(|member| self.grouped.place(member) == Some(place));
        (same && self.trial(members).dimensions().is_some()).then_some(place)
    }

    /// The place that most of several have.
    fn mostly(&self, members: &[&'a Member]) -> Option<&'a str> {
        let mut counts: BTreeMap<&str, usize> = BTreeMap::new();
        for place in members.iter().filter_map(|member| self.grouped.place(member)) {
            *counts.entry(place).or_default() += 1;
        }
        let (place, count) = counts.into_iter().max_by_key(|(_, count)| *count)?;
        let of_place: Vec<&Member> = members
            .iter()
            .filter(|member| self.grouped.place(member) == Some(place))
            .copied()
            .collect();
        let enough = count >= 2 && count as f64 >= MOSTLY * members.len() as f64;
        (enough && self.trial(&of_place).dimensions().is_some()).then_some(place)
    }

    fn trial(&self, members: &[&Member]) -> Trial {
        members.iter().map(|member| self.picture(member).trial).fold(Trial::PASSED, Trial::and)
    }

    /// The members of a decision on each page, in document order.
    fn by_page(&self, decision: &Decision<'a>) -> BTreeMap<usize, Vec<&'a Member>> {
        let mut pages: BTreeMap<usize, Vec<&Member>> = BTreeMap::new();
        for member in &decision.members {
            pages.entry(member.page).or_default().push(member);
        }
        pages
    }

    /// True if the first picture that a decision takes is the largest paint on nearly all its pages.
    fn is_first_everywhere(&self, decision: &Decision<'a>) -> bool {
        let pages = self.by_page(decision);
        let is_first = |members: &&Vec<&Member>| {
            members.first().is_some_and(|one| one.loading == Loading::First && one.media.is_none())
        };
        let first = pages.values().filter(is_first).count();
        pages.len() >= 2 && first as f64 >= MOSTLY_FIRST * pages.len() as f64
    }

    /// The rule of a decision; where the number of pictures above the fold differs between pages,
    /// rules for those pages before it.
    fn written(&self, decision: &Decision<'a>, first: bool) -> Vec<(RuleDocument, String)> {
        let mut counts: BTreeMap<(usize, Option<&'static str>), Vec<usize>> = BTreeMap::new();
        for (page, members) in self.by_page(decision) {
            counts.entry(self.above(decision, &members)).or_default().push(page);
        }
        let mut order: Vec<_> = counts.into_iter().collect();
        order.sort_by_key(|(_, pages)| pages.len());
        let last = order.len().saturating_sub(1);
        let all = decision.members.len();
        let rules = order.into_iter().enumerate().map(|(at, ((near, loading), on))| {
            let paths: Vec<String> = on.iter().map(|page| self.pages[*page].path.clone()).collect();
            let evidence = match at == last {
                true => format!("{}, on {}", counted(all, "picture"), some(&paths)),
                false => format!("on {}", some(&paths)),
            };
            let loading = if first { Some(Loading::First.name()) } else { loading };
            let rule = RuleDocument {
                select: Some(decision.selector.written()),
                pages: OneOrMore(if at == last { Vec::new() } else { paths }),
                loading: loading.map(str::to_owned),
                near: (near > 0).then_some(near),
                ..self.placed(decision.place, &decision.members)
            };
            (rule, evidence)
        });
        rules.collect()
    }

    /// How many pictures at the top of a page load near, and the loading of the others where it is
    /// not the place's.
    fn above(&self, decision: &Decision<'a>, members: &[&Member]) -> (usize, Option<&'static str>) {
        let usual = self.grouped.loading(decision.place);
        let others: Vec<Loading> = members
            .iter()
            .map(|member| member.loading)
            .filter(|one| *one != Loading::First)
            .collect();
        let near = others.iter().take_while(|one| **one == Loading::Near).count();
        let rest = &others[near..];
        match rest.first() {
            None if usual == Loading::Near || others.is_empty() => (0, None),
            None if usual == Loading::Later => (near, None),
            None => (0, Some(Loading::Near.name())),
            Some(one) if near == 0 && rest.iter().all(|other| other == one) => {
                (0, (*one != usual).then(|| one.name()))
            }
            Some(_) if usual == Loading::Later => (near, None),
            Some(_) => (near, Some(Loading::Later.name())),
        }
    }

    /// The place of some pictures, and the markup that leaves their boxes alone.
    fn placed(&self, place: &str, members: &[&Member]) -> RuleDocument {
        let trial = self.trial(members);
        let dimensions = trial.dimensions().filter(|one| *one != Dimensions::Keep);
        RuleDocument {
            place: Some(place.to_owned()),
            dimensions: dimensions.map(|one| one.name().to_owned()),
            sources: (!trial.wrapped).then(|| "none".to_owned()),
            ..RuleDocument::default()
        }
    }

    /// The largest paints that no decision names for all its pages.
    fn firsts(&self, decisions: &[Decision<'a>], general: &[bool]) -> Vec<(RuleDocument, String)> {
        let said = |member: &Member| {
            decisions.iter().zip(general).any(|(decision, general)| {
                *general && decision.members.iter().any(|one| std::ptr::eq(*one, member))
            })
        };
        let first = self.grouped.members.iter().filter(|member| member.loading == Loading::First);
        let rules = first.filter(|member| !said(member)).filter_map(|member| {
            let (page, picture) = (&self.pages[member.page], self.picture(member));
            let place = self.grouped.place(member)?;
            let on: usize = picture.devices.iter().filter(|one| one.largest).count();
            let evidence =
                format!("the largest paint on {on} of {} devices", picture.devices.len());
            let background = picture.role == Role::Background;
            let rule = RuleDocument {
                of: background.then(|| Of::Background.name().to_owned()),
                pages: OneOrMore(vec![page.path.clone()]),
                files: OneOrMore(vec![file(&picture.file)]),
                loading: Some(Loading::First.name().to_owned()),
                media: member.media.clone(),
                ..self.placed(place, &[member])
            };
            Some((rule, evidence))
        });
        rules.collect()
    }

    /// Backgrounds stand in stylesheets, which are pages of their own to rules.
    fn backgrounds(&self) -> Vec<(RuleDocument, String)> {
        let mut known = BTreeSet::new();
        let mut rules = Vec::new();
        for member in &self.grouped.members {
            let picture = self.picture(member);
            let place = self.grouped.place(member).filter(|_| picture.role == Role::Background);
            let Some(place) = place.filter(|_| known.insert(file(&picture.file))) else { continue };
            let loading = self.grouped.loading(place) == Loading::Later;
            let rule = RuleDocument {
                of: Some(Of::Background.name().to_owned()),
                files: OneOrMore(vec![file(&picture.file)]),
                place: Some(place.to_owned()),
                // Without the page script a background cannot wait.
                loading: loading.then(|| Loading::Near.name().to_owned()),
                ..RuleDocument::default()
            };
            let selector = &picture.element.selector;
            rules.push((rule, format!("of {selector} on {}", self.pages[member.page].path)));
        }
        rules
    }
}

/// Holds the rules against the pages, and puts a rule of its own before the others for each picture
/// that another would take. What no rule can tell apart is noted.
pub(super) fn corrected(pages: &[SeenPage], grouped: &Grouped, learnt: &mut Learnt) -> Vec<String> {
    let drawer = Drawer { pages, grouped };
    let mut notes = Vec::new();
    for round in 0..2 {
        let wrong = wrong(pages, grouped, learnt);
        for (member, line) in wrong {
            let (page, picture) = (&pages[member.page], drawer.picture(member));
            if round == 1 {
                notes.push(format!(
                    "{}:{line} {}: no rule tells it apart from others in another place",
                    page.path, picture.address
                ));
                continue;
            }
            let only = RuleDocument {
                pages: OneOrMore(vec![page.path.clone()]),
                files: OneOrMore(vec![file(&picture.file)]),
                ..RuleDocument::default()
            };
            let (rule, why) = match grouped.place(member) {
                Some(place) => {
                    let loading = Some(member.loading.name().to_owned());
                    let media = member.media.clone();
                    let placed = drawer.placed(place, &[member]);
                    let RuleDocument { pages, files, .. } = only;
                    (
                        RuleDocument { pages, files, loading, media, ..placed },
                        "laid out unlike the others of its kind",
                    )
                }
                // How it is laid out once it is shown is not known.
                None => (RuleDocument { leave: true, ..only }, "shown at no window that was seen"),
            };
            learnt.rules.insert(0, (rule, why.to_owned()));
        }
    }
    notes
}

/// Learned places and rules as a rules document.
pub(super) fn document(learnt: &Learnt) -> RulesDocument {
    let places = learnt.places.iter().map(|(name, place, _)| (name.clone(), place.clone()));
    RulesDocument {
        places: places.collect(),
        rules: learnt.rules.iter().map(|(rule, _)| rule.clone()).collect(),
        ..RulesDocument::default()
    }
}

/// The pictures that rules give another place than theirs, with their lines.
fn wrong<'a>(
    pages: &[SeenPage],
    grouped: &'a Grouped,
    learnt: &Learnt,
) -> Vec<(&'a Member, usize)> {
    let Ok(rules) = document(learnt).checked() else { return Vec::new() };
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
