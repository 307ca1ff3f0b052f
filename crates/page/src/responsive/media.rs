//! Media queries (Media Queries Level 4, sections 2 and 3) against a device.

use cssparser::{ParseError, Parser, Token};

use super::length::{Basis, next_length};
use crate::{Device, nesting::too_deep};

type Parsed<T> = Result<T, ParseError<()>>;

/// True if a media query list matches the device. A feature that is not known matches nothing, not
/// even negated.
pub fn media_matches(text: &str, device: &Device) -> bool {
    if text.trim().is_empty() {
        return true;
    }
    if too_deep(text).is_some() {
        return false;
    }
    let mut parser = Parser::new(text);
    parser.parse_comma_separated_ignoring_errors(|query| one(query, device)).contains(&Some(true))
}

/// True if the media condition in parentheses can be read, and every feature in it is known: one
/// condition, with no media type and no list, so that others can be joined to it by `and`.
pub fn is_media_condition(text: &str) -> bool {
    let device = Device::screen(1000, 700, 1.0);
    let mut parser = Parser::new(text);
    let mut read = || parser.parse_entirely(|parser| condition(parser, &device));
    too_deep(text).is_none() && read().is_ok_and(|answer| answer.is_some())
}

/// As [`media_matches`] for one media condition at the front of `parser`, as in `sizes`; `None` if
/// it hangs on something unknown.
pub(super) fn next_condition(parser: &mut Parser<'_>, device: &Device) -> Parsed<Option<bool>> {
    condition(parser, device)
}

/// A whole query; `None` if it hangs on something unknown.
fn one(parser: &mut Parser<'_>, device: &Device) -> Parsed<Option<bool>> {
    if let Ok(answer) = parser.try_parse(|parser| condition(parser, device)) {
        return Ok(answer);
    }
    let mut word = parser.expect_ident()?.to_ascii_lowercase();
    let negated = word == "not";
    if negated || word == "only" {
        word = parser.expect_ident()?.to_ascii_lowercase();
    }
    let mut answer = Some(matches!(word.as_str(), "all" | "screen"));
    if parser.try_parse(|parser| parser.expect_ident_matching("and")).is_ok() {
        answer = both(answer, condition(parser, device)?);
    }
    Ok(if negated { answer.map(|answer| !answer) } else { answer })
}

fn condition(parser: &mut Parser<'_>, device: &Device) -> Parsed<Option<bool>> {
    if parser.try_parse(|parser| parser.expect_ident_matching("not")).is_ok() {
        return Ok(in_parentheses(parser, device)?.map(|answer| !answer));
    }
    let mut answer = in_parentheses(parser, device)?;
    let joins = |parser: &mut Parser<'_>, word: &str| {
        parser.try_parse(|parser| parser.expect_ident_matching(word)).is_ok()
    };
    // One word joins all: both in one condition need parentheses.
    if joins(parser, "and") {
        answer = both(answer, in_parentheses(parser, device)?);
        while joins(parser, "and") {
            answer = both(answer, in_parentheses(parser, device)?);
        }
    } else {
        while joins(parser, "or") {
            answer = either(answer, in_parentheses(parser, device)?);
        }
    }
    Ok(answer)
}

fn both(one: Option<bool>, other: Option<bool>) -> Option<bool> {
    match (one, other) {
        (Some(false), _) | (_, Some(false)) => Some(false),
        (Some(true), Some(true)) => Some(true),
        _ => None,
    }
}

fn either(one: Option<bool>, other: Option<bool>) -> Option<bool> {
    match (one, other) {
        (Some(true), _) | (_, Some(true)) => Some(true),
        (Some(false), Some(false)) => Some(false),
        _ => None,
    }
}

fn in_parentheses(parser: &mut Parser<'_>, device: &Device) -> Parsed<Option<bool>> {
    parser.expect_parenthesis_block()?;
    parser.parse_nested_block(|inner| {
        if let Ok(answer) = inner.try_parse(|inner| {
            let answer = condition(inner, device)?;
            inner.expect_exhausted()?;
            Ok::<_, ParseError<()>>(answer)
        }) {
            return Ok(answer);
        }
        let answer = feature(inner, device).unwrap_or(None);
        while inner.next().is_ok() {}
        Ok(answer)
    })
}

/// How a value is compared with the device's.
#[derive(Clone, Copy, PartialEq)]
enum Comparison {
    Less,
    AtMost,
    Equal,
    AtLeast,
    More,
}

impl Comparison {
    fn holds(self, device: f64, value: f64) -> bool {
        match self {
            Self::Less => device < value,
            Self::AtMost => device <= value + 1e-6,
            Self::Equal => (device - value).abs() < 1e-6,
            Self::AtLeast => device >= value - 1e-6,
            Self::More => device > value,
        }
    }

    /// True if a value between two may be compared by this and then by `other`: `a < width < b`,
    /// not `a < width > b`.
    fn bounds_with(self, other: Self) -> bool {
        let (rises, falls) = ([Self::More, Self::AtLeast], [Self::Less, Self::AtMost]);
        (rises.contains(&self) && falls.contains(&other))
            || (falls.contains(&self) && rises.contains(&other))
    }

    const fn mirrored(self) -> Self {
        match self {
            Self::Less => Self::More,
            Self::AtMost => Self::AtLeast,
            Self::Equal => Self::Equal,
            Self::AtLeast => Self::AtMost,
            Self::More => Self::Less,
        }
    }
}

fn feature(parser: &mut Parser<'_>, device: &Device) -> Parsed<Option<bool>> {
    let name =
        parser.try_parse(|parser| parser.expect_ident().map(|name| name.to_ascii_lowercase()));
    let Ok(name) = name else { return range(parser, device) };
    if parser.is_exhausted() {
        return Ok(Actual::of(&name, device)
            .map(|actual| actual.value != 0.0)
            .or_else(|| keyword(&name, None)));
    }
    if let Ok(compared) = parser.try_parse(comparison) {
        let Some(actual) = Actual::of(&name, device) else { return Ok(None) };
        return actual.next(parser, device).map(|value| Some(compared.holds(actual.value, value)));
    }
    parser.expect_colon()?;
    if let Ok(word) =
        parser.try_parse(|parser| parser.expect_ident().map(|word| word.to_ascii_lowercase()))
    {
        if name == "orientation" {
            let own = if device.height >= device.width { "portrait" } else { "landscape" };
            return Ok(matches!(word.as_str(), "portrait" | "landscape").then_some(word == own));
        }
        return Ok(keyword(&name, Some(&word)));
    }
    let (name, compared) = match name.strip_prefix("-webkit-").unwrap_or(&name) {
        name if name.starts_with("min-") => (name[4..].to_owned(), Comparison::AtLeast),
        name if name.starts_with("max-") => (name[4..].to_owned(), Comparison::AtMost),
        name => (name.to_owned(), Comparison::Equal),
    };
    let Some(actual) = Actual::of(&name, device) else { return Ok(None) };
    actual.next(parser, device).map(|value| Some(compared.holds(actual.value, value)))
}

/// `400px <= width [<= 700px]`, which has the name in its midst; both signs point the same way.
fn range(parser: &mut Parser<'_>, device: &Device) -> Parsed<Option<bool>> {
    let start = parser.state();
    while parser.try_parse(comparison).is_err() {
        parser.next()?;
    }
    let name = parser.expect_ident()?.to_ascii_lowercase();
    let Some(actual) = Actual::of(&name, device) else { return Ok(None) };
    parser.reset(&start);
    let low = actual.next(parser, device)?;
    let first = comparison(parser)?.mirrored();
    parser.expect_ident()?;
    let above = first.holds(actual.value, low);
    if parser.is_exhausted() {
        return Ok(Some(above));
    }
    let second = comparison(parser)?;
    let high = actual.next(parser, device)?;
    Ok(first.bounds_with(second).then(|| above && second.holds(actual.value, high)))
}

/// What values of a feature are.
enum Quantity {
    Length,
    Resolution,
    Ratio,
    Number,
}

/// The device's own value of a feature that can be measured.
struct Actual {
    value: f64,
    quantity: Quantity,
}

impl Actual {
    fn of(name: &str, device: &Device) -> Option<Self> {
        let (width, height) = (f64::from(device.width), f64::from(device.height));
        let (value, quantity) = match name {
            "width" | "device-width" => (width, Quantity::Length),
            "height" | "device-height" => (height, Quantity::Length),
            "aspect-ratio" | "device-aspect-ratio" => (width / height, Quantity::Ratio),
            "resolution" => (device.density, Quantity::Resolution),
            "device-pixel-ratio" => (device.density, Quantity::Number),
            "color" => (8.0, Quantity::Number),
            "monochrome" | "grid" => (0.0, Quantity::Number),
            _ => return None,
        };
        Some(Self { value, quantity })
    }

    /// The next value to compare with: CSS pixels, dots per CSS pixel, a ratio or a number.
    fn next(&self, parser: &mut Parser<'_>, device: &Device) -> Parsed<f64> {
        match self.quantity {
            Quantity::Length => next_length(
                parser,
                &Basis::viewport(f64::from(device.width), f64::from(device.height)),
            ),
            Quantity::Resolution => resolution(parser),
            Quantity::Number => Ok(f64::from(parser.expect_number()?)),
            Quantity::Ratio => {
                let above = f64::from(parser.expect_number()?);
                let below = parser.try_parse(|parser| {
                    parser.expect_delim('/')?;
                    parser.expect_number()
                });
                Ok(above / below.map_or(1.0, f64::from))
            }
        }
    }
}

/// What a browser under test says of features that are words.
fn keyword(name: &str, word: Option<&str>) -> Option<bool> {
    let (own, off) = match name {
        "prefers-color-scheme" => ("light", ""),
        "prefers-reduced-motion"
        | "prefers-reduced-data"
        | "prefers-contrast"
        | "prefers-reduced-transparency" => ("no-preference", "no-preference"),
        "display-mode" => ("browser", ""),
        "scripting" => ("enabled", "none"),
        "update" => ("fast", "none"),
        "color-gamut" => ("srgb", ""),
        "dynamic-range" => ("standard", ""),
        "forced-colors" | "inverted-colors" => ("none", "none"),
        _ => return None,
    };
    Some(word.map_or(own != off, |word| word == own))
}

fn comparison(parser: &mut Parser<'_>) -> Parsed<Comparison> {
    let sign = match parser.next()? {
        Token::Delim(sign @ ('<' | '>' | '=')) => *sign,
        _ => return Err(ParseError::custom(())),
    };
    let or_equal = sign != '=' && parser.try_parse(|parser| parser.expect_delim('=')).is_ok();
    Ok(match (sign, or_equal) {
        ('<', false) => Comparison::Less,
        ('<', true) => Comparison::AtMost,
        ('>', false) => Comparison::More,
        ('>', true) => Comparison::AtLeast,
        _ => Comparison::Equal,
    })
}

/// Dots per CSS pixel.
fn resolution(parser: &mut Parser<'_>) -> Parsed<f64> {
    let Token::Dimension { value, unit, .. } = parser.next()? else {
        return Err(ParseError::custom(()));
    };
    let dots = match unit.to_ascii_lowercase().as_str() {
        "dppx" | "x" => 1.0,
        "dpi" => 1.0 / 96.0,
        "dpcm" => 2.54 / 96.0,
        _ => return Err(ParseError::custom(())),
    };
    Ok(f64::from(*value) * dots)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_condition_is_one_without_a_type() {
        for good in ["(max-width: 40em)", "not (min-width: 1px)", "((width > 1px) or (color))"] {
            assert!(is_media_condition(good), "{good}");
        }
        for bad in
            ["", "screen", "(max-width: 40em), (color)", "(max-widht: 40em)", "max-width: 1px"]
        {
            assert!(!is_media_condition(bad), "{bad}");
        }
    }

    #[test]
    fn queries_match_as_the_standard_says() {
        let phone = Device::named("phone").expect("a device");
        for yes in [
            "",
            "all",
            "screen",
            "only screen and (max-width: 600px)",
            "(min-width: 412px)",
            "(width <= 412px)",
            "(400px <= width < 500px)",
            "(orientation: portrait)",
            "(min-resolution: 2dppx)",
            "(resolution >= 288dpi)",
            "(-webkit-min-device-pixel-ratio: 2.5)",
            "print, (max-width: 40em)",
            "not print",
            "not (min-width: 500px)",
            "(min-width: 100px) and (not (orientation: landscape))",
            "(min-width: 900px) or (min-height: 900px)",
            "(max-aspect-ratio: 1/2)",
            "(prefers-color-scheme: light)",
            "((max-width: 500px))",
            "(color)",
        ] {
            assert!(media_matches(yes, &phone), "{yes}");
        }
        for no in [
            "print",
            "(min-width: 413px)",
            "not all",
            "(orientation: landscape)",
            "(prefers-color-scheme: dark)",
            "(some-future: thing)",
            "not (some-future: thing)",
            "screen and",
            "(width > 412px)",
            "(prefers-reduced-motion)",
        ] {
            assert!(!media_matches(no, &phone), "{no}");
        }
    }
}
