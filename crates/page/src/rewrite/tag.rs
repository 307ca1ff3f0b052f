//! One opening tag as bytes, whose attributes are changed and whose rest stays.

use std::ops::Range;

/// An opening tag's attributes, by where they stand.
#[derive(Clone, Debug)]
pub struct Tag<'a> {
    raw: &'a [u8],
    attributes: Vec<Span>,
    /// Where the tag's name ends.
    name_ends: usize,
}

#[derive(Clone, Debug)]
struct Span {
    /// Lower case.
    name: String,
    /// The whole attribute, from its name to its value's closing quote.
    whole: Range<usize>,
}

/// What happens to an attribute.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Change {
    /// Its name, lower case.
    pub name: String,
    /// What it says from now on, as HTML without quotes around; `None` takes it away.
    pub value: Option<String>,
}

impl Change {
    /// Sets a value, given as plain text.
    pub fn set(name: &str, value: &str) -> Self {
        Self { name: name.to_owned(), value: Some(crate::markup::escaped(value)) }
    }

    /// Takes an attribute away.
    pub fn remove(name: &str) -> Self {
        Self { name: name.to_owned(), value: None }
    }
}

impl<'a> Tag<'a> {
    /// Reads a tag from its `<` to its `>` (HTML, 13.2.5.32 to 13.2.5.39).
    pub fn new(raw: &'a [u8]) -> Self {
        let is_end = |byte: u8| byte.is_ascii_whitespace() || matches!(byte, b'/' | b'>');
        let name_ends = raw.iter().position(|byte| is_end(*byte)).unwrap_or(raw.len());
        let mut attributes: Vec<Span> = Vec::new();
        let mut at = name_ends;
        while let Some(start) = next(raw, at, |byte| !is_end(byte)) {
            // An equals sign at the start is part of the name.
            let name_end =
                next(raw, start + 1, |byte| is_end(byte) || byte == b'=').unwrap_or(raw.len());
            let equals = next(raw, name_end, |byte| !byte.is_ascii_whitespace());
            let end = match equals.filter(|at| raw[*at] == b'=') {
                Some(equals) => value_ends(raw, equals + 1),
                None => name_end,
            };
            let name = String::from_utf8_lossy(&raw[start..name_end]).to_ascii_lowercase();
            // Of two with one name the first counts.
            if !attributes.iter().any(|known| known.name == name) {
                attributes.push(Span { name, whole: start..end });
            }
            at = end;
        }
        Self { raw, attributes, name_ends }
    }

    /// The tag with its attributes changed. New ones follow `src`, in the order given.
    pub fn changed(&self, changes: &[Change]) -> Vec<u8> {
        let written = |change: &Change| {
            let Change { name, value } = change;
            value.as_ref().map(|value| format!("{name}=\"{value}\""))
        };
        let is_known = |change: &&Change| self.attributes.iter().any(|one| one.name == change.name);
        let new: String = changes
            .iter()
            .filter(|change| !is_known(change))
            .filter_map(written)
            .map(|text| format!(" {text}"))
            .collect();
        let mut out = Vec::with_capacity(self.raw.len() + new.len());
        let after_src = self.attributes.iter().find(|one| one.name == "src");
        let spot = after_src.map_or(self.name_ends, |one| one.whole.end);
        let mut done = 0;
        if after_src.is_none() {
            out.extend_from_slice(&self.raw[..self.name_ends]);
            out.extend_from_slice(new.as_bytes());
            done = self.name_ends;
        }
        for one in &self.attributes {
            let change = changes.iter().find(|change| change.name == one.name);
            match change.map(written) {
                None => {}
                Some(Some(text)) => {
                    out.extend_from_slice(&self.raw[done..one.whole.start]);
                    out.extend_from_slice(text.as_bytes());
                    done = one.whole.end;
                }
                Some(None) => {
                    let before = &self.raw[done..one.whole.start];
                    out.extend_from_slice(before.trim_ascii_end());
                    done = one.whole.end;
                    // Two attributes must not grow together.
                    let follows = self.raw.get(done).copied().unwrap_or(b'>');
                    if !follows.is_ascii_whitespace() && !matches!(follows, b'>' | b'/') {
                        out.push(b' ');
                    }
                }
            }
            if after_src.is_some() && one.whole.end == spot {
                out.extend_from_slice(&self.raw[done..spot]);
                out.extend_from_slice(new.as_bytes());
                done = spot;
            }
        }
        out.extend_from_slice(&self.raw[done..]);
        out
    }
}

fn next(raw: &[u8], from: usize, fits: impl Fn(u8) -> bool) -> Option<usize> {
    (from..raw.len()).find(|at| fits(raw[*at]))
}

/// Where a value ends whose first byte, spaces apart, is at `from`.
fn value_ends(raw: &[u8], from: usize) -> usize {
    let Some(start) = next(raw, from, |byte| !byte.is_ascii_whitespace()) else { return raw.len() };
    match raw[start] {
        quote @ (b'"' | b'\'') => {
            next(raw, start + 1, |byte| byte == quote).map_or(raw.len(), |end| end + 1)
        }
        b'>' => start,
        _ => {
            next(raw, start, |byte| byte.is_ascii_whitespace() || byte == b'>').unwrap_or(raw.len())
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_tag_keeps_what_is_not_changed() {
        let changes = [
            Change::set("src", "/pic/a.jpg"),
            Change::set("srcset", "/pic/b \"2\" 2x"),
            Change::remove("data-src"),
        ];
        let cases = [
            ("<img src=a.jpg>", r#"<img src="/pic/a.jpg" srcset="/pic/b &quot;2&quot; 2x">"#),
            (
                "<IMG\n  class='x y'\n  SRC = 'a.jpg'\n  data-src=\"b.jpg\"\n  alt>",
                "<IMG\n  class='x y'\n  src=\"/pic/a.jpg\" srcset=\"/pic/b &quot;2&quot; 2x\"\n  alt>",
            ),
            (
                r#"<img data-src="b.jpg"alt="A > B"/>"#,
                r#"<img src="/pic/a.jpg" srcset="/pic/b &quot;2&quot; 2x" alt="A > B"/>"#,
            ),
            ("<img>", r#"<img src="/pic/a.jpg" srcset="/pic/b &quot;2&quot; 2x">"#),
            (
                "<img src=a src=b>",
                r#"<img src="/pic/a.jpg" srcset="/pic/b &quot;2&quot; 2x" src=b>"#,
            ),
            (
                "<img {% if big %}class=\"{{ c }}\"{% endif %} src=a.jpg />",
                "<img {% if big %}class=\"{{ c }}\"{% endif %} src=\"/pic/a.jpg\" srcset=\"/pic/b &quot;2&quot; 2x\" />",
            ),
        ];
        for (before, after) in cases {
            let changed = Tag::new(before.as_bytes()).changed(&changes);
            assert_eq!(String::from_utf8_lossy(&changed), after, "{before}");
        }
    }

    #[test]
    fn no_changes_change_nothing() {
        for raw in ["<img src='a'alt=b/>", "<img = == a=>", "<a\t/ href=x>", "<img src=\"a", "<img"]
        {
            assert_eq!(Tag::new(raw.as_bytes()).changed(&[]), raw.as_bytes(), "{raw}");
        }
    }
}
