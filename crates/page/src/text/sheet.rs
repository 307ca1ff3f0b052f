//! Stylesheets: rules with their selectors, conditions and declarations (CSS Syntax 3), and what
//! keyframes move.

use std::{collections::HashMap, rc::Rc};

use cssparser::{
    AtRuleParser, CowRcStr, DeclarationParser, ParseError, Parser, ParserState,
    QualifiedRuleParser, RuleBodyItemParser, RuleBodyParser, StyleSheetParser,
};

use super::{
    declarations::{Body, Declaration, body, rest_of},
    key::{Key, OneSelector},
};
use crate::{Budget, OverLimit, nesting::too_deep_selector};

/// One selector with what it sets.
pub(super) struct Rule {
    /// Without its pseudo-element.
    pub selector: OneSelector,
    /// What an element must have for it.
    pub key: Key,
    /// `::before` or `::after`.
    pub pseudo: Option<&'static str>,
    /// As CSS weighs it.
    pub specificity: u32,
    /// The number of its cascade layer, in the order they are named; `None` outside of any, where
    /// what is important weighs least and all else most (CSS Cascading 5, 6.4.4).
    pub layer: Option<usize>,
    /// Media queries around it, outermost first.
    pub media: Rc<[String]>,
    /// What it sets.
    pub declarations: Rc<[Declaration]>,
}

/// What was read of stylesheets, in order.
#[derive(Default)]
pub(super) struct Sheet {
    pub rules: Vec<Rule>,
    /// The names of cascade layers, inner ones with their outer ones' before a dot.
    layers: Vec<String>,
    /// By name, the first property of keyframes that lays the page out anew.
    pub moving_keyframes: HashMap<String, String>,
}

/// Properties whose animation lays the page out anew.
pub(super) const LAYOUT: [&str; 22] = [
    "inset",
    "inset-inline",
    "inset-block",
    "inset-inline-start",
    "inset-inline-end",
    "inset-block-start",
    "inset-block-end",
    "margin-inline",
    "margin-block",
    "margin-inline-start",
    "margin-inline-end",
    "margin-block-start",
    "margin-block-end",
    "top",
    "left",
    "right",
    "bottom",
    "margin",
    "margin-top",
    "margin-left",
    "margin-right",
    "margin-bottom",
];

impl Sheet {
    /// Adds a stylesheet. `absolute` makes the addresses in its values absolute.
    ///
    /// # Errors
    /// If it is too long, or there are too many selectors now.
    pub fn read(
        &mut self,
        css: &str,
        media: &[String],
        absolute: &dyn Fn(&str) -> String,
        budget: &Budget,
    ) -> Result<(), OverLimit> {
        let limits = budget.limits();
        if css.len() > limits.bytes {
            return Err(OverLimit::Bytes { has: css.len(), limit: limits.bytes });
        }
        let mut parser = Parser::new(css);
        let mut reader = Reader {
            sheet: self,
            media: media.into(),
            layer: None,
            depth: 0,
            absolute,
            max_rules: limits.rules,
        };
        // Rules that cannot be read are skipped, as browsers do.
        for _ in StyleSheetParser::new(&mut parser, &mut reader) {
            budget.check_time()?;
        }
        match self.rules.len() > limits.rules {
            true => Err(OverLimit::Rules(limits.rules)),
            false => Ok(()),
        }
    }
}

impl Sheet {
    /// The number of a layer, which counts as named from now on.
    fn layer(&mut self, name: &str) -> usize {
        self.layers.iter().position(|known| known == name).unwrap_or_else(|| {
            self.layers.push(name.to_owned());
            self.layers.len() - 1
        })
    }
}

/// Rules in rules beyond this are skipped, and nested selectors that are too long: `& &` in `& &`
/// fills the memory.
const MAX_NESTED: usize = 32;

struct Reader<'a> {
    sheet: &'a mut Sheet,
    media: Rc<[String]>,
    layer: Option<String>,
    /// How many rules and at-rules are around.
    depth: usize,
    absolute: &'a dyn Fn(&str) -> String,
    /// Beyond so many selectors rules are not read.
    max_rules: usize,
}

/// What stands before the braces of an at-rule.
enum Around {
    Media(String),
    Keyframes(String),
    Layer(String),
    /// `@scope`, `@supports`: taken as holding.
    Holds,
    /// `@supports not`: taken as not holding.
    Never,
}

impl Reader<'_> {
    /// The same within something more; `None` where that holds no rules.
    fn within(&mut self, around: Around) -> Option<Reader<'_>> {
        if self.depth >= MAX_NESTED {
            return None;
        }
        let (mut media, mut layer) = (Rc::clone(&self.media), self.layer.clone());
        match around {
            Around::Media(query) => media = media.iter().cloned().chain([query]).collect(),
            Around::Layer(name) => {
                let name =
                    if name.is_empty() { format!("#{}", self.sheet.layers.len()) } else { name };
                let name = self.full(&name);
                self.sheet.layer(&name);
                layer = Some(name);
            }
            Around::Holds => {}
            Around::Never | Around::Keyframes(_) => return None,
        }
        Some(Reader {
            sheet: self.sheet,
            media,
            layer,
            depth: self.depth + 1,
            absolute: self.absolute,
            max_rules: self.max_rules,
        })
    }

    /// A layer's name with those around it.
    fn full(&self, name: &str) -> String {
        self.layer.as_ref().map_or_else(|| name.to_owned(), |outer| format!("{outer}.{name}"))
    }

    /// Reads the inside of a rule: what it sets, then the rules nested in it (CSS Nesting 1).
    fn rule(&mut self, selectors: &str, parser: &mut Parser<'_>) {
        let before = self.sheet.rules.len();
        if before > self.max_rules {
            return;
        }
        let mut inside = Inside { selectors, reader: self };
        let declarations: Rc<[Declaration]> =
            RuleBodyParser::new(parser, &mut inside).filter_map(Result::ok).flatten().collect();
        let layer = self.layer.as_ref().map(|name| self.sheet.layer(name));
        let own = separate(selectors).into_iter().filter_map(|selector| {
            let (bare, pseudo) = without_pseudo(selector);
            let bare = if bare.is_empty() { "*" } else { bare };
            // Selectors of states that come and go, such as :hover, are not known to the parser and
            // so never match.
            let selector = OneSelector::parse(bare)?;
            let (specificity, key) = (selector.specificity(), selector.key());
            let (media, declarations) = (Rc::clone(&self.media), Rc::clone(&declarations));
            Some(Rule { selector, key, pseudo, specificity, layer, media, declarations })
        });
        let own: Vec<Rule> = own.take(self.max_rules + 1).collect();
        self.sheet.rules.splice(before..before, own);
    }
}

fn around(name: &str, rest: String) -> Result<Around, ParseError<()>> {
    match name.to_ascii_lowercase().as_str() {
        "media" => Ok(Around::Media(rest)),
        "keyframes" | "-webkit-keyframes" => {
            Ok(Around::Keyframes(rest.trim_matches('"').to_owned()))
        }
        "layer" => Ok(Around::Layer(rest)),
        "supports" if rest.to_ascii_lowercase().starts_with("not") => Ok(Around::Never),
        "supports" | "scope" => Ok(Around::Holds),
        _ => Err(ParseError::custom(())),
    }
}

impl<'i> AtRuleParser<'i> for Reader<'_> {
    type Prelude = Around;
    type AtRule = ();
    type Error = ();

    fn parse_prelude(
        &mut self,
        name: CowRcStr<'i>,
        parser: &mut Parser<'i>,
    ) -> Result<Around, ParseError<()>> {
        around(&name, rest_of(parser))
    }

    /// `@layer` that only names layers.
    fn rule_without_block(&mut self, around: Around, _: &ParserState) -> Result<(), ()> {
        let Around::Layer(names) = around else { return Err(()) };
        for name in separate(&names) {
            let name = self.full(name);
            self.sheet.layer(&name);
        }
        Ok(())
    }

    fn parse_block(
        &mut self,
        around: Around,
        _: &ParserState,
        parser: &mut Parser<'i>,
    ) -> Result<(), ParseError<()>> {
        if let Around::Keyframes(name) = around {
            let mut reader = Frames { absolute: self.absolute, moved: None };
            for _ in StyleSheetParser::new(parser, &mut reader) {}
            self.sheet.moving_keyframes.extend(reader.moved.map(|property| (name, property)));
        } else if let Some(mut reader) = self.within(around) {
            for _ in StyleSheetParser::new(parser, &mut reader) {}
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
        self.rule(&selectors, parser);
        Ok(())
    }
}

/// The inside of a rule with `selectors`, which may hold other rules.
struct Inside<'r, 'a> {
    selectors: &'r str,
    reader: &'r mut Reader<'a>,
}

impl<'i> DeclarationParser<'i> for Inside<'_, '_> {
    type Declaration = Option<Declaration>;
    type Error = ();

    fn parse_value(
        &mut self,
        name: CowRcStr<'i>,
        parser: &mut Parser<'i>,
        state: &ParserState,
    ) -> Result<Option<Declaration>, ParseError<()>> {
        Body { absolute: self.reader.absolute }.parse_value(name, parser, state).map(Some)
    }
}

impl<'i> AtRuleParser<'i> for Inside<'_, '_> {
    type Prelude = Around;
    type AtRule = Option<Declaration>;
    type Error = ();

    fn parse_prelude(
        &mut self,
        name: CowRcStr<'i>,
        parser: &mut Parser<'i>,
    ) -> Result<Around, ParseError<()>> {
        around(&name, rest_of(parser))
    }

    fn parse_block(
        &mut self,
        around: Around,
        _: &ParserState,
        parser: &mut Parser<'i>,
    ) -> Result<Option<Declaration>, ParseError<()>> {
        if let Some(mut reader) = self.reader.within(around) {
            reader.rule(self.selectors, parser);
        }
        Ok(None)
    }
}

impl<'i> QualifiedRuleParser<'i> for Inside<'_, '_> {
    type Prelude = String;
    type QualifiedRule = Option<Declaration>;
    type Error = ();

    fn parse_prelude(&mut self, parser: &mut Parser<'i>) -> Result<String, ParseError<()>> {
        Ok(rest_of(parser))
    }

    fn parse_block(
        &mut self,
        selectors: String,
        _: &ParserState,
        parser: &mut Parser<'i>,
    ) -> Result<Option<Declaration>, ParseError<()>> {
        let outer = format!(":is({})", self.selectors);
        let nested = separate(&selectors).into_iter().map(|inner| match inner.contains('&') {
            true => inner.replace('&', &outer),
            false => format!("{outer} {inner}"),
        });
        let nested = nested.collect::<Vec<String>>().join(", ");
        let reader = self.reader.within(Around::Holds);
        let reader = reader.filter(|_| too_deep_selector(&nested).is_none());
        let mut reader = reader.ok_or_else(|| ParseError::custom(()))?;
        reader.rule(&nested, parser);
        Ok(None)
    }
}

impl RuleBodyItemParser<'_, Option<Declaration>, ()> for Inside<'_, '_> {
    fn parse_declarations(&self) -> bool {
        true
    }

    fn parse_qualified(&self) -> bool {
        true
    }
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

    fn parse_block(
        &mut self,
        (): (),
        _: &ParserState,
        parser: &mut Parser<'i>,
    ) -> Result<(), ParseError<()>> {
        let names = body(parser, self.absolute).into_iter().map(|one| one.name);
        let moved = names.into_iter().find(|name| LAYOUT.contains(&name.as_str()));
        self.moved = self.moved.take().or(moved);
        Ok(())
    }
}
