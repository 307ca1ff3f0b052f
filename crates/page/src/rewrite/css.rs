//! Pictures that stylesheets show as backgrounds.

use std::ops::Range;

use cssparser::{ParseError, Parser, Token};

/// A picture that a declaration of a stylesheet names.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct FoundBackground {
    /// Its address, as written; of an `image-set()` the last one, which is for the densest screens.
    pub written: String,
    /// The whole `url(...)` or `image-set(...)`, in bytes of the sheet.
    pub image: Range<usize>,
    /// The selectors of its rule, as written.
    pub selectors: Vec<String>,
    /// Where the outermost block around it ends, behind the closing brace: rules for the whole sheet
    /// can stand there. `None` outside a block, or in one that is not closed.
    pub block_ends: Option<usize>,
}

/// Blocks nested deeper are not looked into: no style sheet that people write has them.
const MAX_DEPTH: usize = 32;

/// The pictures that a stylesheet shows as backgrounds.
pub fn backgrounds(css: &str) -> Vec<FoundBackground> {
    let mut reader = Reader { css, found: Vec::new() };
    reader.block(0..css.len(), None, 0);
    reader.found
}

/// The stylesheets that a stylesheet imports, as written (CSS Cascade 5, section 2).
pub fn imports(css: &str) -> Vec<String> {
    let mut parser = Parser::new(css);
    let mut found = Vec::new();
    let mut after_import = false;
    while let Ok(token) = parser.next().cloned() {
        let import = std::mem::take(&mut after_import);
        match token {
            Token::AtKeyword(name) => after_import = name.eq_ignore_ascii_case("import"),
            Token::QuotedString(text) if import => found.push(text.to_string()),
            Token::UnquotedUrl(url) if import => found.push(url.to_string()),
            Token::Function(name) if import => found.extend(function(&name, &mut parser)),
            _ => {}
        }
    }
    found
}

struct Reader<'a> {
    css: &'a str,
    found: Vec<FoundBackground>,
}

impl Reader<'_> {
    /// Rules or declarations between two bytes.
    fn block(&mut self, within: Range<usize>, selectors: Option<&[String]>, depth: usize) {
        let text = &self.css[within.clone()];
        let mut parser = Parser::new(text);
        let mut start = within.start;
        loop {
            let Ok(token) = parser.next_including_whitespace_and_comments().cloned() else { break };
            let after = parser.position().byte_index() + within.start;
            match token {
                Token::CurlyBracketBlock => {
                    let closes = skip(&mut parser) + within.start;
                    let prelude = without_comments(&self.css[start..after - 1]);
                    let inner: Vec<String> = match prelude.starts_with('@') {
                        true => selectors.unwrap_or_default().to_vec(),
                        false => prelude.split(',').map(|one| one.trim().to_owned()).collect(),
                    };
                    let known = self.found.len();
                    if depth < MAX_DEPTH {
                        self.block(after..closes, Some(&inner), depth + 1);
                    }
                    let is_closed = self.css.as_bytes().get(closes) == Some(&b'}');
                    if depth == 0 && is_closed {
                        for one in &mut self.found[known..] {
                            one.block_ends = Some(closes + 1);
                        }
                    }
                    start = (closes + 1).min(within.end);
                }
                // One byte: before it stands the declaration, whatever functions are in it.
                Token::Semicolon => {
                    self.declaration(start..after - 1, selectors);
                    start = after;
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
        for (written, range) in images(value) {
            self.found.push(FoundBackground {
                written,
                image: range.start + offset..range.end + offset,
                selectors: selectors.unwrap_or_default().to_vec(),
                block_ends: None,
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

/// Each `url()` and `image-set()` that is a layer of a value: its address and where it stands. What
/// other functions mix into a picture of their own stays theirs.
fn images(value: &str) -> Vec<(String, Range<usize>)> {
    let mut parser = Parser::new(value);
    let mut found = Vec::new();
    loop {
        parser.skip_whitespace();
        let start = parser.position().byte_index();
        let Ok(token) = parser.next().cloned() else { return found };
        let image = match token {
            Token::UnquotedUrl(url) => Some(url.to_string()),
            Token::Function(name) => function(&name, &mut parser),
            _ => None,
        };
        if let Some(image) = image {
            found.push((image, start..parser.position().byte_index()));
        }
    }
}

/// The address that a `url()` or `image-set()` names.
fn function(name: &str, parser: &mut Parser<'_>) -> Option<String> {
    let name = name.to_ascii_lowercase();
    let address: Result<Option<String>, ParseError<()>> =
        parser.parse_nested_block(|inside| match name.as_str() {
            "url" => Ok(Some(inside.expect_string()?.to_string())),
            "image-set" | "-webkit-image-set" => Ok(last_candidate(inside)),
            _ => Ok(None),
        });
    address.ok().flatten()
}

/// The last address of an `image-set()` (CSS Images 4, section 2.4): a `url()` or a string.
fn last_candidate(parser: &mut Parser<'_>) -> Option<String> {
    let mut last = None;
    while let Ok(token) = parser.next().cloned() {
        match token {
            Token::UnquotedUrl(url) => last = Some(url.to_string()),
            Token::QuotedString(text) => last = Some(text.to_string()),
            Token::Function(name) if name.eq_ignore_ascii_case("url") => {
                let address: Result<String, ParseError<()>> =
                    parser.parse_nested_block(|inside| Ok(inside.expect_string()?.to_string()));
                last = address.ok().or(last);
            }
            _ => {}
        }
    }
    last
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

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_layer_that_names_a_picture_is_found_wherever_it_stands() {
        for (css, addresses) in [
            (".a { padding: 1px; background-image: url(\"a.jpg\"); color: red }", "a.jpg"),
            (
                ".a { background: linear-gradient(#0008, #0008), url('a b.jpg') center/cover }",
                "a b.jpg",
            ),
            (".a{background:var(--x) url(\"a.jpg\")}", "a.jpg"),
            (".a{background:url(a.jpg),url( \"b;{.jpg\" ) no-repeat;margin:0}", "a.jpg b;{.jpg"),
            ("@media (width > 1px) { .a { .b & { background: url('a(1).jpg') } } }", "a(1).jpg"),
            (".a { background: image-set('a.jpg' 1x, url(\"b.jpg\") 2x) }", "b.jpg"),
            (".a { background: cross-fade(url(a.jpg), url(b.jpg)) }", ""),
            (".a { --b: url(a.jpg); list-style: url(b.jpg); content: \"url(c.jpg)\" }", ""),
            (".a { background: url('a.jpg') /* ; url(b.jpg) */ !important }", "a.jpg"),
            (".a { background: url(\"a.jpg\"", "a.jpg"),
        ] {
            let found = backgrounds(css);
            let names: Vec<&str> = found.iter().map(|one| one.written.as_str()).collect();
            assert_eq!(names.join(" "), addresses, "{css}");
            for one in &found {
                let image = &css[one.image.clone()];
                assert!(image.contains(&one.written), "{css}: {image}");
                assert_eq!(one.block_ends, css.rfind('}').map(|at| at + 1), "{css}");
            }
        }
        // The attribute of an element has declarations alone.
        let style = "color:red;background-image:url('a.jpg')";
        assert_eq!(&style[backgrounds(style)[0].image.clone()], "url('a.jpg')");
    }

    #[test]
    fn imports_are_found() {
        let css = "@charset \"utf-8\"; @import 'a.css'; @import url(b.css) print; @import url('c.css'); .a { content: 'd.css' }";
        assert_eq!(imports(css), ["a.css", "b.css", "c.css"]);
    }

    #[test]
    fn blocks_nested_deeper_than_any_are_passed_over() {
        let css = format!("{}background:url(a.jpg){}", "a{".repeat(20_000), "}".repeat(20_000));
        assert_eq!(backgrounds(&css), []);
    }
}
