//! CSS selectors as a streaming reader follows them: descendants, children, classes, attributes,
//! positions from the start.

use std::str::FromStr;

use lol_html::Selector;

use crate::nesting::too_deep_selector;

/// A selector that an element, or one around it, matches.
#[derive(Debug)]
pub struct ElementSelector {
    text: String,
    /// For each of the list: the element itself, and all within it.
    pub(crate) parts: Vec<[Selector; 2]>,
}

/// Characters of a selector that an error repeats.
const SHOWN: usize = 120;

/// A selector that cannot be followed.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("`{selector}`: {problem}; use tags, classes, ids, attributes, descendants and children")]
pub struct SelectorError {
    selector: String,
    problem: String,
}

impl ElementSelector {
    /// The selector, as written.
    pub fn as_str(&self) -> &str {
        &self.text
    }
}

impl FromStr for ElementSelector {
    type Err = SelectorError;

    fn from_str(text: &str) -> Result<Self, SelectorError> {
        let refused = |problem: String| SelectorError {
            selector: text.chars().take(SHOWN).collect(),
            problem,
        };
        if let Some(problem) = too_deep_selector(text) {
            return Err(refused(problem));
        }
        let parse = |selector: String| {
            selector.parse::<Selector>().map_err(|error| refused(error.to_string()))
        };
        let parts = of_list(text)
            .into_iter()
            .map(|part| Ok([parse(part.to_owned())?, parse(format!("{part} *"))?]));
        Ok(Self { text: text.to_owned(), parts: parts.collect::<Result<_, _>>()? })
    }
}

/// The selectors of a list: split at commas outside parentheses, brackets and quotes.
fn of_list(text: &str) -> Vec<&str> {
    let (mut depth, mut quote, mut start) = (0_u32, None, 0);
    let mut parts = Vec::new();
    for (at, c) in text.char_indices() {
        match (quote, c) {
            (Some(open), _) if c == open => quote = None,
            (Some(_), _) => {}
            (None, '"' | '\'') => quote = Some(c),
            (None, '(' | '[') => depth += 1,
            (None, ')' | ']') => depth = depth.saturating_sub(1),
            (None, ',') if depth == 0 => {
                parts.push(text[start..at].trim());
                start = at + 1;
            }
            _ => {}
        }
    }
    parts.push(text[start..].trim());
    parts
}
