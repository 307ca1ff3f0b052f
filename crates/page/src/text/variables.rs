//! Custom properties, handed down from element to element, and the values that name them (CSS
//! Custom Properties 1).

use std::{collections::HashMap, rc::Rc};

use super::declarations::Declaration;

/// What an element's custom properties are set to, by name.
pub(super) type Variables = Rc<HashMap<String, String>>;

/// How many names one value may come to: some name themselves.
const MAX_NAMES: usize = 256;

/// Longer values are none: doubled a few times, a short one fills the memory.
const LONGEST: usize = 4096;

/// The custom properties of an element with `own` declarations in one with `outer` ones.
pub(super) fn variables(own: &[&Declaration], outer: Option<&Variables>) -> Variables {
    let outer = outer.cloned().unwrap_or_default();
    let mut said = own.iter().filter(|one| one.name.starts_with("--")).peekable();
    if said.peek().is_none() {
        return outer;
    }
    let mut all = (*outer).clone();
    let said: Vec<String> = said
        .map(|one| {
            all.insert(one.name.clone(), one.value.clone());
            one.name.clone()
        })
        .collect();
    let filled: Vec<(String, Option<String>)> =
        said.into_iter().map(|name| (name.clone(), filled(&all[&name], &all))).collect();
    for (name, value) in filled {
        match value {
            Some(value) => all.insert(name, value),
            None => all.remove(&name),
        };
    }
    Rc::new(all)
}

/// A value with what it names in `var(...)` filled in; `None` if that is not there and nothing
/// stands for it.
pub(super) fn filled(value: &str, variables: &HashMap<String, String>) -> Option<String> {
    let mut left = MAX_NAMES;
    within(value, variables, &mut left)
}

fn within(value: &str, variables: &HashMap<String, String>, left: &mut usize) -> Option<String> {
    let Some(start) = value.find("var(") else { return Some(value.to_owned()) };
    *left = left.checked_sub(1)?;
    let inside = &value[start + "var(".len()..];
    let end = closing(inside)?;
    let (name, instead) = match inside[..end].split_once(',') {
        Some((name, instead)) => (name, Some(instead.trim())),
        None => (&inside[..end], None),
    };
    let named = variables.get(&name.trim().to_ascii_lowercase()).map(String::as_str);
    let filled =
        [named, instead].into_iter().flatten().find_map(|value| within(value, variables, left))?;
    let whole =
        format!("{}{filled}{}", &value[..start], within(&inside[end + 1..], variables, left)?);
    (whole.len() <= LONGEST).then_some(whole)
}

/// Where the parenthesis that stands open before `text` closes.
fn closing(text: &str) -> Option<usize> {
    let mut open = 0;
    text.char_indices().find_map(|(at, c)| match c {
        '(' => {
            open += 1;
            None
        }
        ')' if open == 0 => Some(at),
        ')' => {
            open -= 1;
            None
        }
        _ => None,
    })
}
