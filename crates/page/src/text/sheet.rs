//! Stylesheets: rules with their selectors, conditions and declarations (CSS Syntax 3), and what keyframes move.

use std::collections::HashMap;

use cssparser::{
    AtRuleParser, CowRcStr, DeclarationParser, ParseError, Parser, ParserState, QualifiedRuleParser,
    RuleBodyItemParser, RuleBodyParser, StyleSheetParser,
};
use selectors::parser::{ParseRelative, SelectorList};

/// One selector with what it sets.
pub(super) struct Rule {
    /// Without its pseudo-element.
    pub selector: scraper::Selector,
    /// `::before` or `::after`.
    pub pseudo: Option<&'static str>,
    /// As CSS weighs it.
    pub specificity: u32,
    /// Media queries around it, outermost first.
    pub media: Vec<String>,
    /// What it sets.
    pub declarations: Vec<Declaration>,
}

/// A property and its value.
#[derive(Clone, Debug)]
pub(super) struct Declaration {
    pub name: String,
    pub value: String,
    pub important: bool,
}

/// What was read of stylesheets, in order.
#[derive(Default)]
pub(super) struct Sheet {
    pub rules: Vec<Rule>,
    /// By name, the first property of keyframes that lays the page out anew.
    pub moving_keyframes: HashMap<String, String>,
}

/// Properties whose animation lays the page out anew.
pub(super) const LAYOUT: [&str; 9] =
    ["top", "left", "right", "bottom", "margin", "margin-top", "margin-left", "margin-right", "margin-bottom"];

impl Sheet {
    /// Adds a stylesheet. `absolute` makes the addresses in its values absolute.
    pub fn read(&mut self, css: &str, media: &[String], absolute: &dyn Fn(&str) -> String) {
        let mut parser = Parser::new(css);
        let mut reader = Reader { sheet: self, media: media.to_vec(), absolute };
        // Rules that cannot be read are skipped, as browsers do.
        for _ in StyleSheetParser::new(&mut parser, &mut reader) {}
    }
}

/// The declarations of a style attribute.
pub(super) fn declarations(style: &str, absolute: &dyn Fn(&str) -> String) -> Vec<Declaration> {
    body(&mut Parser::new(style), absolute)
}

fn body(parser: &mut Parser<'_>, absolute: &dyn Fn(&str) -> String) -> Vec<Declaration> {
    RuleBodyParser::new(parser, &mut Body { absolute }).filter_map(Result::ok).collect()
}

struct Reader<'a> {
    sheet: &'a mut Sheet,
    media: Vec<String>,
    absolute: &'a dyn Fn(&str) -> String,
}

/// What stands before the braces of an at-rule.
enum Around {
    Media(String),
    Keyframes(String),
    /// `@supports`, `@layer`: taken as holding.
    Holds,
}

fn rest_of(parser: &mut Parser<'_>) -> String {
    let start = parser.position();
    while parser.next().is_ok() {}
    parser.slice_from(start).trim().to_owned()
}

impl<'i> AtRuleParser<'i> for Reader<'_> {
    type Prelude = Around;
    type AtRule = ();
    type Error = ();

    fn parse_prelude(&mut self, name: CowRcStr<'i>, parser: &mut Parser<'i>) -> Result<Around, ParseError<()>> {
        let rest = rest_of(parser);
        match name.to_ascii_lowercase().as_str() {
            "media" => Ok(Around::Media(rest)),
            "keyframes" | "-webkit-keyframes" => Ok(Around::Keyframes(rest.trim_matches('"').to_owned())),
            "supports" | "layer" | "scope" => Ok(Around::Holds),
            _ => Err(ParseError::custom(())),
        }
    }

    fn parse_block(&mut self, around: Around, _: &ParserState, parser: &mut Parser<'i>) -> Result<(), ParseError<()>> {
        match around {
            Around::Keyframes(name) => {
                let mut frames = Sheet::default();
                let mut reader = Frames { absolute: self.absolute, moved: None };
                for _ in StyleSheetParser::new(parser, &mut reader) {}
                frames.moving_keyframes.extend(reader.moved.map(|property| (name, property)));
                self.sheet.moving_keyframes.extend(frames.moving_keyframes);
            }
            Around::Media(query) => {
                let media = [self.media.as_slice(), &[query]].concat();
                let mut reader = Reader { sheet: self.sheet, media, absolute: self.absolute };
                for _ in StyleSheetParser::new(parser, &mut reader) {}
            }
            Around::Holds => {
                let mut reader = Reader { sheet: self.sheet, media: self.media.clone(), absolute: self.absolute };
                for _ in StyleSheetParser::new(parser, &mut reader) {}
            }
        }
        Ok(())
    }
}

impl<'i> QualifiedRuleParser<'i> for Reader<'_> {
    type Prelude = String;
    type QualifiedRule = ();
    type Error = ();

    fn parse_prelude(&mut self, parser: &mut Parser<'i>) -> Result<String, ParseError<()>> {
        Ok(rest_of(parser))
    }

    fn parse_block(
        &mut self,
        selectors: String,
        _: &ParserState,
        parser: &mut Parser<'i>,
    ) -> Result<(), ParseError<()>> {
        let declarations = body(parser, self.absolute);
        for selector in separate(&selectors) {
            let (bare, pseudo) = without_pseudo(selector);
            let bare = if bare.is_empty() { "*" } else { bare };
            // Selectors of states that come and go, such as :hover, are not known to the parser and so never match.
            let (Ok(selector), Some(specificity)) = (scraper::Selector::parse(bare), specificity(bare)) else {
                continue;
            };
            let media = self.media.clone();
            self.sheet.rules.push(Rule { selector, pseudo, specificity, media, declarations: declarations.clone() });
        }
        Ok(())
    }
}

fn specificity(selector: &str) -> Option<u32> {
    let list = SelectorList::parse(&scraper::selector::Parser, &mut Parser::new(selector), ParseRelative::No).ok()?;
    list.slice().first().map(selectors::parser::Selector::specificity)
}

/// The selectors of a list: commas inside parentheses do not part.
pub(super) fn separate(list: &str) -> Vec<&str> {
    let (mut depth, mut start, mut parts) = (0_i32, 0, Vec::new());
    for (at, c) in list.char_indices() {
        match c {
            '(' | '[' => depth += 1,
            ')' | ']' => depth -= 1,
            ',' if depth == 0 => {
                parts.push(list[start..at].trim());
                start = at + 1;
            }
            _ => {}
        }
    }
    parts.push(list[start..].trim());
    parts
}

fn without_pseudo(selector: &str) -> (&str, Option<&'static str>) {
    for pseudo in ["::before", "::after", ":before", ":after"] {
        if let Some(bare) = selector.strip_suffix(pseudo) {
            return (bare, Some(if pseudo.ends_with("before") { "::before" } else { "::after" }));
        }
    }
    (selector, None)
}

/// Keyframes: only what they move counts.
struct Frames<'a> {
    absolute: &'a dyn Fn(&str) -> String,
    moved: Option<String>,
}

impl AtRuleParser<'_> for Frames<'_> {
    type Prelude = ();
    type AtRule = ();
    type Error = ();
}

impl<'i> QualifiedRuleParser<'i> for Frames<'_> {
    type Prelude = ();
    type QualifiedRule = ();
    type Error = ();

    fn parse_prelude(&mut self, parser: &mut Parser<'i>) -> Result<(), ParseError<()>> {
        rest_of(parser);
        Ok(())
    }

    fn parse_block(&mut self, (): (), _: &ParserState, parser: &mut Parser<'i>) -> Result<(), ParseError<()>> {
        let names = body(parser, self.absolute).into_iter().map(|one| one.name);
        let moved = names.into_iter().find(|name| LAYOUT.contains(&name.as_str()));
        self.moved = self.moved.take().or(moved);
        Ok(())
    }
}

/// The inside of a rule.
struct Body<'a> {
    absolute: &'a dyn Fn(&str) -> String,
}

impl<'i> DeclarationParser<'i> for Body<'_> {
    type Declaration = Declaration;
    type Error = ();

    fn parse_value(
        &mut self,
        name: CowRcStr<'i>,
        parser: &mut Parser<'i>,
        _: &ParserState,
    ) -> Result<Declaration, ParseError<()>> {
        let text = rest_of(parser);
        let (value, important) = match text.to_ascii_lowercase().rfind("!important") {
            Some(at) => (text[..at].trim().to_owned(), true),
            None => (text, false),
        };
        let value = if value.contains("url(") { with_absolute(&value, self.absolute) } else { value };
        Ok(Declaration { name: name.to_ascii_lowercase(), value, important })
    }
}

/// The value with the addresses in `url(...)` absolute and in quotes.
fn with_absolute(value: &str, absolute: &dyn Fn(&str) -> String) -> String {
    let (mut out, mut rest) = (String::new(), value);
    while let Some(start) = rest.find("url(") {
        let Some(end) = rest[start..].find(')').map(|at| at + start) else { break };
        let address = rest[start + 4..end].trim().trim_matches(['"', '\'']);
        out += &format!("{}url(\"{}\")", &rest[..start], absolute(address));
        rest = &rest[end + 1..];
    }
    out + rest
}

impl AtRuleParser<'_> for Body<'_> {
    type Prelude = ();
    type AtRule = Declaration;
    type Error = ();
}

impl QualifiedRuleParser<'_> for Body<'_> {
    type Prelude = ();
    type QualifiedRule = Declaration;
    type Error = ();
}

impl RuleBodyItemParser<'_, Declaration, ()> for Body<'_> {
    fn parse_declarations(&self) -> bool {
        true
    }

    fn parse_qualified(&self) -> bool {
        false
    }
}
