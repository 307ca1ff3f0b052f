//! What was learnt as TOML that a person reads, edits and commits.

use std::fmt::Write as _;

use super::Learnt;
use crate::{PlaceDocument, rules::RuleDocument};

/// The rules file: each place and rule under a comment that says what it was drawn from.
pub fn toml(learnt: &Learnt, site: &str) -> String {
    let mut text = format!(
        "# Rules for {site}, drawn from how a browser laid its pages out.\n# Edit and commit them; `kivet apply` follows them. The first rule that fits a picture decides.\n"
    );
    for note in &learnt.notes {
        let _ = writeln!(text, "# To look at: {note}");
    }
    for (name, place, evidence) in &learnt.places {
        let _ = write!(text, "\n# {evidence}\n[places.{name}]\n{}", of_place(name, place));
    }
    for (rule, evidence) in &learnt.rules {
        let _ = write!(text, "\n# {evidence}\n[[rules]]\n{}", of_rule(rule));
    }
    text
}

fn of_place(name: &str, place: &PlaceDocument) -> String {
    let mut text = lines(&[
        ("sizes", Some(&place.sizes)),
        ("ratio", place.ratio.as_ref()),
        ("position", place.position.as_ref()),
        ("loading", place.loading.as_ref()),
    ]);
    if place.natural_cap {
        text += "natural-cap = true\n";
    }
    for one in &place.alternatives {
        let _ = write!(
            text,
            "[[places.{name}.alternatives]]\n{}",
            lines(&[
                ("media", Some(&one.media)),
                ("sizes", one.sizes.as_ref()),
                ("ratio", one.ratio.as_ref())
            ])
        );
    }
    text
}

fn of_rule(rule: &RuleDocument) -> String {
    let list = |texts: &[String]| match texts {
        [] => None,
        [one] => Some(quoted(one)),
        many => {
            Some(format!("[{}]", many.iter().map(|one| quoted(one)).collect::<Vec<_>>().join(", ")))
        }
    };
    let mut text = lines(&[("of", rule.of.as_ref()), ("select", rule.select.as_ref())]);
    let raw = [
        ("pages", list(&rule.pages.0)),
        ("files", list(&rule.files.0)),
        ("leave", rule.leave.then(|| "true".to_owned())),
        ("place", rule.place.as_deref().map(quoted)),
        ("loading", rule.loading.as_deref().map(quoted)),
        ("media", rule.media.as_deref().map(quoted)),
        ("near", rule.near.map(|near| near.to_string())),
        ("dimensions", rule.dimensions.as_deref().map(quoted)),
        ("sources", rule.sources.as_deref().map(quoted)),
    ];
    for (key, value) in raw {
        if let Some(value) = value {
            let _ = writeln!(text, "{key:<10} = {value}");
        }
    }
    text
}

fn lines(entries: &[(&str, Option<&String>)]) -> String {
    let written = entries.iter().filter_map(|(key, value)| Some((key, value.as_ref()?)));
    written.map(|(key, value)| format!("{key:<10} = {}\n", quoted(value))).collect()
}

fn quoted(text: &str) -> String {
    toml::Value::String(text.to_owned()).to_string()
}
