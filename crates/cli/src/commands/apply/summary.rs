//! What was rewritten, for people.

use std::{collections::BTreeMap, path::Path};

use kivet_page::{
    rewrite::Stays,
    rules::{RuleDocument, RulesDocument},
};
use kivet_service::{PictureChange, RewriteResponse};

use crate::output;

/// Pages with what changed in each, why others stay, and what a person has to decide.
pub fn text(pages: &BTreeMap<String, RewriteResponse>, written: Option<&Path>) -> String {
    let all = || pages.values().flat_map(|page| &page.pictures);
    let changed = pages.values().filter(|page| page.changed).count();
    let rewritten = all().filter(|one| one.stays.is_none()).count();
    let mut lines: Vec<String> = Vec::new();
    for (path, page) in pages.iter().filter(|(_, page)| !page.pictures.is_empty()) {
        let done = page.pictures.iter().filter(|one| one.stays.is_none()).count();
        lines.push(format!(
            "{path}: {done} of {} rewritten{}",
            page.pictures.len(),
            by_place(page)
        ));
    }
    let mut reasons: BTreeMap<&str, Vec<String>> = BTreeMap::new();
    for (path, page) in pages {
        for one in &page.pictures {
            if let Some(reason) = &one.stays {
                reasons.entry(reason).or_default().push(format!(
                    "{path}:{} {}",
                    one.line,
                    shortened(&one.address)
                ));
            }
        }
    }
    for (reason, places) in reasons {
        if reason == Stays::Nothing.said() {
            let count = output::count(places.len(), "picture");
            lines.push(format!(
                "\nstay as they are: {count} with a data URL, a fragment or no URL; --json lists them"
            ));
            continue;
        }
        lines.push(format!("\nstays as it is: {reason}"));
        lines.extend(some(&places));
    }
    let notes: Vec<String> = pages
        .iter()
        .flat_map(|(path, page)| page.notes.iter().map(move |note| format!("{path}, {note}")))
        .collect();
    if !notes.is_empty() {
        lines.push("\nfor a person to decide".to_owned());
        lines.extend(some(&notes));
    }
    let done = match written {
        Some(folder) => format!("written to {}", folder.display()),
        None => "nothing written".to_owned(),
    };
    lines.push(format!(
        "\n{rewritten} of {} pictures rewritten in {changed} of {} documents; {done}",
        all().count(),
        pages.len()
    ));
    lines.join("\n")
}

/// The beginning of a URL that would fill the terminal.
fn shortened(address: &str) -> String {
    const MAX_CHARACTERS: usize = 100;
    match address.char_indices().nth(MAX_CHARACTERS) {
        Some((end, _)) => format!("{}...", &address[..end]),
        None => address.to_owned(),
    }
}

/// How many to show of a list before the rest is counted.
const SHOWN: usize = 12;

fn some(all: &[String]) -> Vec<String> {
    let mut lines: Vec<String> = all.iter().take(SHOWN).map(|one| format!("  {one}")).collect();
    if all.len() > SHOWN {
        lines.push(format!("  and {} more; --json lists them", all.len() - SHOWN));
    }
    lines
}

fn by_place(page: &RewriteResponse) -> String {
    let mut places: BTreeMap<&str, usize> = BTreeMap::new();
    for place in page.pictures.iter().filter_map(|one| one.place.as_deref()) {
        *places.entry(place).or_default() += 1;
    }
    let named: Vec<String> =
        places.iter().map(|(place, count)| format!("{count} {place}")).collect();
    if named.is_empty() { String::new() } else { format!(" ({})", named.join(", ")) }
}

/// For each picture the rule that decided, and why other rules for such elements did not.
pub fn explained(page: &RewriteResponse, rules: Option<&RulesDocument>) -> String {
    let lines = page.pictures.iter().flat_map(|one| {
        let head = format!("line {}: {} {}", one.line, one.of, one.address);
        let said = one.verdicts.iter().map(|verdict| {
            let rule = rules
                .and_then(|rules| rules.rules.get(verdict.rule - 1))
                .map_or(String::new(), shown);
            format!("    rule {}{rule}: {}", verdict.rule, verdict.said)
        });
        [head, format!("  {}", outcome(one))].into_iter().chain(said).collect::<Vec<_>>()
    });
    lines.collect::<Vec<_>>().join("\n")
}

fn outcome(one: &PictureChange) -> String {
    let by = one.rule.map_or(String::new(), |rule| format!(", by rule {rule}"));
    match (&one.stays, &one.place, &one.loading) {
        (Some(reason), _, _) => format!("stays as it is: {reason}"),
        (None, Some(place), loading) => {
            let loading = loading.as_deref().unwrap_or("later");
            format!("becomes {place}, loads {loading}{by}")
        }
        (None, None, _) => format!("waits until it is near the viewport{by}"),
    }
}

/// A rule's conditions in short.
fn shown(rule: &RuleDocument) -> String {
    let mut parts = Vec::new();
    parts.extend(rule.select.clone());
    parts.extend((!rule.pages.0.is_empty()).then(|| format!("pages {}", rule.pages.0.join(" "))));
    parts.extend((!rule.files.0.is_empty()).then(|| format!("files {}", rule.files.0.join(" "))));
    if parts.is_empty() { " (all)".to_owned() } else { format!(" ({})", parts.join(", ")) }
}
