//! What devices disagree on: a picture that is in the first screen of one and below that of
//! another, two pictures that are each the largest somewhere. One markup serves them all, so the
//! more common case decides, and the finding says so.

use super::pending::Pending;
use crate::{
    Code,
    observation::{Observation, Use},
};

/// Drops findings that the more common case contradicts, and explains the others' choice.
pub(super) fn settled(pending: Vec<Pending>, seen: &[&Observation]) -> Vec<Pending> {
    let first = first(&pending, seen);
    let mut kept: Vec<Pending> =
        pending.into_iter().filter(|one| stands(one, seen, first.as_deref())).collect();
    for one in &mut kept {
        explain(one, seen);
    }
    kept
}

/// The element whose picture is the largest paint on most devices, among those that are told to
/// load first or that claim to.
fn first(pending: &[Pending], seen: &[&Observation]) -> Option<String> {
    let about_first = |one: &&Pending| {
        matches!(one.code, Code::LargestNotUrgent | Code::LargestFoundLate | Code::SeveralUrgent)
    };
    let urgent = seen
        .iter()
        .flat_map(|page| &page.uses)
        .filter(|place| place.element.keyword("fetchpriority") == "high");
    let paths = pending
        .iter()
        .filter(about_first)
        .map(|one| one.element.path.as_str())
        .chain(urgent.map(|place| place.element.path.as_str()));
    // Of two with as many the one named first.
    let mut best: Option<(usize, &str)> = None;
    for path in paths {
        let count = count(seen, path, |page, place| page.is_largest(place));
        if best.is_none_or(|(most, _)| count > most) {
            best = Some((count, path));
        }
    }
    best.filter(|(count, _)| *count > 0).map(|(_, path)| path.to_owned())
}

/// On how many devices something is true of an element.
fn count(seen: &[&Observation], path: &str, holds: impl Fn(&Observation, &Use) -> bool) -> usize {
    let on = |page: &&&Observation| {
        page.uses.iter().any(|place| place.element.path == path && holds(page, place))
    };
    seen.iter().filter(on).count()
}

/// True if an element is in the first screen of at least half the devices.
fn is_near(seen: &[&Observation], path: &str) -> bool {
    2 * count(seen, path, |_, place| place.in_view) >= seen.len()
}

fn stands(one: &Pending, seen: &[&Observation], first: Option<&str>) -> bool {
    let path = one.element.path.as_str();
    let is_first = first == Some(path);
    match one.code {
        Code::EagerBelow | Code::HiddenNotLow => !is_near(seen, path),
        Code::LazyAbove => is_near(seen, path),
        Code::LargestNotUrgent => first.is_none_or(|_| is_first),
        Code::LargestFoundLate => first.is_none_or(|_| is_first) && is_near(seen, path),
        Code::SeveralUrgent => !is_first,
        _ => true,
    }
}

/// Says which devices the fix is not made for, if there are any.
fn explain(one: &mut Pending, seen: &[&Observation]) {
    let in_view = match one.code {
        Code::EagerBelow | Code::HiddenNotLow => true,
        Code::LazyAbove => false,
        _ => return,
    };
    let shows = |page: &&&Observation| {
        let mut uses = page.uses.iter().filter(|place| place.element.path == one.element.path);
        uses.any(|place| place.rendered && place.in_view == in_view)
    };
    let others: Vec<&str> = seen.iter().filter(shows).map(|page| page.device.name).collect();
    if !others.is_empty() {
        let other = if in_view { "in" } else { "outside" };
        one.why += &format!(
            "; it is {other} the first screen of the {}, and the fix is made for the others",
            others.join(", ")
        );
    }
}
