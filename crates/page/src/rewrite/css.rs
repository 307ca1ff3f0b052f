//! Pictures that stylesheets show as backgrounds.

use std::ops::Range;

use cssparser::{ParseError, Parser, Token};

/// A picture that a declaration of a stylesheet names.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct FoundBackground {
    /// Its address, as written.
    pub written: String,
    /// The whole `url(...)`, in bytes of the sheet.
    pub url: Range<usize>,
    /// The selectors of its rule, as written.
    pub selectors: Vec<String>,
    /// The property it is a value of.
    pub property: String,
    /// Where its rule ends, behind the closing brace; `None` outside a rule.
    pub rule_ends: Option<usize>,
    /// True if it is the declaration's only picture and nothing but a rule of its own could override
    /// it: narrower screens can then be given rules of their own.
    pub alone: bool,
}

/// The pictures that a stylesheet shows as backgrounds.
pub fn backgrounds(css: &str) -> Vec<FoundBackground> {
    let mut reader = Reader { css, found: Vec::new() };
    reader.block(0..css.len(), None);
    reader.found
}

struct Reader<'a> {
    css: &'a str,
    found: Vec<FoundBackground>,
}

impl Reader<'_> {
    /// Rules or declarations between two bytes.
    fn block(&mut self, within: Range<usize>, selectors: Option<&[String]>) {
        let text = &self.css[within.clone()];
        let mut parser = Parser::new(text);
        let mut start = within.start;
        loop {
            let at = parser.position().byte_index() + within.start;
            let Ok(token) = parser.next_including_whitespace_and_comments().cloned() else { break };
            match token {
                Token::CurlyBracketBlock => {
                    let opens = parser.position().byte_index() + within.start;
                    let closes = skip(&mut parser) + within.start;
                    let prelude = without_comments(&self.css[start..at]);
                    let inner: Vec<String> = match prelude.starts_with('@') {
                        true => selectors.unwrap_or_default().to_vec(),
                        false => prelude.split(',').map(|one| one.trim().to_owned()).collect(),
                    };
                    let known = self.found.len();
                    self.block(opens..closes, Some(&inner));
                    let end = (closes + 1).min(within.end);
                    for one in self.found[known..].iter_mut().filter(|one| one.rule_ends.is_none())
                    {
                        one.rule_ends = Some(end);
                    }
                    start = end;
                }
                Token::Semicolon => {
                    self.declaration(start..at, selectors);
                    start = parser.position().byte_index() + within.start;
                }
                _ => {}
            }
        }
        self.declaration(start..within.end, selectors);
    }

    fn declaration(&mut self, whole: Range<usize>, selectors: Option<&[String]>) {
        let text = &self.css[whole.clone()];
        let Some((property, value)) = text.split_once(':') else { return };
        let property = without_comments(property).to_ascii_lowercase();
        if !matches!(property.as_str(), "background" | "background-image") {
            return;
        }
        let offset = whole.end - value.len();
        let urls = urls(value);
        let alone = urls.len() == 1 && !value.contains("!") && !value.contains("image-set(");
        for (written, range) in urls {
            self.found.push(FoundBackground {
                written,
                url: range.start + offset..range.end + offset,
                selectors: selectors.unwrap_or_default().to_vec(),
                property: property.clone(),
                rule_ends: None,
                alone,
            });
        }
    }
}

/// Where the block that just opened closes.
fn skip(parser: &mut Parser<'_>) -> usize {
    let closes: Result<usize, ParseError<()>> = parser.parse_nested_block(|inside| {
        while inside.next_including_whitespace_and_comments().is_ok() {}
        Ok(inside.position().byte_index())
    });
    closes.unwrap_or(parser.position().byte_index())
}

/// Each `url()` of a value: its address and where it stands.
fn urls(value: &str) -> Vec<(String, Range<usize>)> {
    let mut found = Vec::new();
    collect(&mut Parser::new(value), &mut found);
    found
}

fn collect(parser: &mut Parser<'_>, found: &mut Vec<(String, Range<usize>)>) {
    loop {
        parser.skip_whitespace();
        let start = parser.position().byte_index();
        let Ok(token) = parser.next().cloned() else { return };
        match token {
            Token::UnquotedUrl(url) => {
                found.push((url.to_string(), start..parser.position().byte_index()));
            }
            Token::Function(name) if name.eq_ignore_ascii_case("url") => {
                let address: Result<String, ParseError<()>> =
                    parser.parse_nested_block(|inside| Ok(inside.expect_string()?.to_string()));
                if let Ok(address) = address {
                    found.push((address, start..parser.position().byte_index()));
                }
            }
            Token::Function(_) | Token::ParenthesisBlock => {
                let _: Result<(), ParseError<()>> = parser.parse_nested_block(|inside| {
                    collect(inside, found);
                    Ok(())
                });
            }
            _ => {}
        }
    }
}

fn without_comments(text: &str) -> String {
    let mut out = String::new();
    let mut rest = text;
    while let Some((before, after)) = rest.split_once("/*") {
        out.push_str(before);
        rest = after.split_once("*/").map_or("", |(_, after)| after);
    }
    out.push_str(rest);
    out.trim().to_owned()
}
