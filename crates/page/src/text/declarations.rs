//! Declarations: properties and their values (CSS Syntax 3, 5.5.5).

use cssparser::{
    AtRuleParser, CowRcStr, DeclarationParser, ParseError, Parser, ParserState,
    QualifiedRuleParser, RuleBodyItemParser, RuleBodyParser,
};

/// A property and its value.
#[derive(Clone, Debug)]
pub(super) struct Declaration {
    pub name: String,
    pub value: String,
    pub important: bool,
}

/// The declarations of a style attribute.
pub(super) fn declarations(style: &str, absolute: &dyn Fn(&str) -> String) -> Vec<Declaration> {
    body(&mut Parser::new(style), absolute)
}

/// The declarations of a block; those that cannot be read are skipped, as browsers do.
pub(super) fn body(parser: &mut Parser<'_>, absolute: &dyn Fn(&str) -> String) -> Vec<Declaration> {
    RuleBodyParser::new(parser, &mut Body { absolute }).filter_map(Result::ok).collect()
}

/// The inside of a rule that holds no other rules.
pub(super) struct Body<'a> {
    pub absolute: &'a dyn Fn(&str) -> String,
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
        let value =
            if value.contains("url(") { with_absolute(&value, self.absolute) } else { value };
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

/// What is left of the text.
pub(super) fn rest_of(parser: &mut Parser<'_>) -> String {
    let start = parser.position();
    while parser.next().is_ok() {}
    parser.slice_from(start).trim().to_owned()
}
