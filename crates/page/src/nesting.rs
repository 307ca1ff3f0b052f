//! Limits on the nesting of CSS, checked before a text is read: its parsers and its matchers follow
//! nesting and combinators by recursion, which ends the process where the stack does.

/// Brackets that a media query list, a `sizes` attribute or a selector may open.
const MAX_OPENED: usize = 256;

/// Bytes of a selector.
const LONGEST_SELECTOR: usize = 4096;

/// Compound selectors of a selector, those in its functions included.
const MAX_COMPOUNDS: usize = 256;

/// The reason to refuse a text; `None` if it may be parsed. Counts brackets in strings and comments,
/// too, so that these cannot hide them.
pub(crate) fn too_deep(text: &str) -> Option<String> {
    let opened = text.bytes().filter(|byte| matches!(byte, b'(' | b'[' | b'{')).count();
    (opened > MAX_OPENED).then(|| format!("it opens {opened} brackets, {MAX_OPENED} at most"))
}

/// The same for one selector, or a list of them that is matched as one.
pub(crate) fn too_deep_selector(selector: &str) -> Option<String> {
    if selector.len() > LONGEST_SELECTOR {
        return Some(format!("it has {} bytes, {LONGEST_SELECTOR} at most", selector.len()));
    }
    let parts = selector.split(|c: char| c.is_whitespace() || matches!(c, '>' | '+' | '~' | ','));
    let compounds = parts.filter(|part| !part.is_empty()).count();
    if compounds > MAX_COMPOUNDS {
        return Some(format!("it has {compounds} parts, {MAX_COMPOUNDS} at most"));
    }
    too_deep(selector)
}

#[cfg(test)]
mod tests {
    use crate::{Basis, DEVICES, is_media_condition, length, media_matches};

    /// Texts that end a process whose parsers recurse without a limit.
    #[test]
    fn deep_texts_are_refused_and_read_on() {
        for deep in [300, 5_000, 100_000] {
            let opened = "(".repeat(deep);
            assert!(!is_media_condition(&opened));
            assert!(!media_matches(
                &format!("{opened}width > 1px{}", ")".repeat(deep)),
                &DEVICES[0]
            ));
            let calc = format!("calc({opened}1px{})", ")".repeat(deep));
            assert_eq!(length(&calc, &Basis::viewport(100.0, 100.0)), None);
            for selector in [
                "a ".repeat(deep),
                format!("{}a{}", ":not(".repeat(deep), ")".repeat(deep)),
                format!("{}a{}", ":is(".repeat(deep), ")".repeat(deep)),
                "a>".repeat(deep) + "a",
                "x".repeat(deep * 20),
            ] {
                let refused = selector.parse::<crate::rules::ElementSelector>();
                let said = refused.expect_err("a limit").to_string();
                assert!(said.contains("at most") && said.len() < 400, "{said}");
            }
        }
        assert!("main > .a :not(.b) img".parse::<crate::rules::ElementSelector>().is_ok());
    }
}
