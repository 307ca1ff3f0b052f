//! CSS lengths and the math functions over them (CSS Values and Units, sections 6 and 10).

use cssparser::{ParseError, Parser, Token};

use crate::nesting::too_deep;

/// What relative lengths are relative to.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Basis {
    /// The viewport in CSS pixels, across and down.
    pub viewport: (f64, f64),
    /// The font size of the element, in CSS pixels.
    pub em: f64,
    /// The font size of the page, in CSS pixels.
    pub rem: f64,
    /// What 100% is, in CSS pixels, where that is known.
    pub percent: Option<f64>,
}

impl Basis {
    /// What lengths in `sizes` and media queries are relative to: the viewport and the initial
    /// font.
    pub const fn viewport(width: f64, height: f64) -> Self {
        Self { viewport: (width, height), em: 16.0, rem: 16.0, percent: None }
    }
}

/// A length, or a number on its way to becoming one.
#[derive(Clone, Copy, Debug)]
struct Amount {
    value: f64,
    is_number: bool,
}

impl Amount {
    const fn pixels(value: f64) -> Self {
        Self { value, is_number: false }
    }
}

type Parsed<T> = Result<T, ParseError<()>>;

/// The length in CSS pixels; `None` if it is none, or relative to something unknown.
pub fn length(text: &str, basis: &Basis) -> Option<f64> {
    if too_deep(text).is_some() {
        return None;
    }
    let mut parser = Parser::new(text);
    let amount = parser.parse_entirely(|parser| value(parser, basis)).ok()?;
    as_length(amount)
}

/// As [`length`], for a parser in the midst of something longer.
pub(super) fn next_length(parser: &mut Parser<'_>, basis: &Basis) -> Parsed<f64> {
    let amount = value(parser, basis)?;
    as_length(amount).ok_or_else(|| ParseError::custom(()))
}

fn as_length(amount: Amount) -> Option<f64> {
    // Zero is the one number that is a length.
    (!amount.is_number || amount.value == 0.0).then_some(amount.value)
}

fn value(parser: &mut Parser<'_>, basis: &Basis) -> Parsed<Amount> {
    let token = parser.next()?.clone();
    match &token {
        Token::Number { value, .. } => Ok(Amount { value: f64::from(*value), is_number: true }),
        Token::Percentage { unit_value, .. } => match basis.percent {
            Some(whole) => Ok(Amount::pixels(whole * f64::from(*unit_value))),
            None => Err(ParseError::custom(())),
        },
        Token::Dimension { value, unit, .. } => match pixels_per(unit, basis) {
            Some(pixels) => Ok(Amount::pixels(f64::from(*value) * pixels)),
            None => Err(ParseError::custom(())),
        },
        Token::ParenthesisBlock => parser.parse_nested_block(|inner| sum(inner, basis)),
        Token::Function(name) => {
            let name = name.to_ascii_lowercase();
            parser.parse_nested_block(|inner| function(&name, inner, basis))
        }
        _ => Err(ParseError::custom(())),
    }
}

fn pixels_per(unit: &str, basis: &Basis) -> Option<f64> {
    let (width, height) = basis.viewport;
    Some(match unit.to_ascii_lowercase().as_str() {
        "px" => 1.0,
        "vw" | "svw" | "lvw" | "dvw" | "vi" => width / 100.0,
        "vh" | "svh" | "lvh" | "dvh" | "vb" => height / 100.0,
        "vmin" => width.min(height) / 100.0,
        "vmax" => width.max(height) / 100.0,
        "em" => basis.em,
        "rem" => basis.rem,
        // Half an em is what CSS falls back to where a font is not at hand.
        "ex" | "ch" => basis.em / 2.0,
        "in" => 96.0,
        "cm" => 96.0 / 2.54,
        "mm" => 96.0 / 25.4,
        "pt" => 96.0 / 72.0,
        "pc" => 16.0,
        _ => return None,
    })
}

fn function(name: &str, parser: &mut Parser<'_>, basis: &Basis) -> Parsed<Amount> {
    if name == "calc" {
        return sum(parser, basis);
    }
    let arguments = parser.parse_comma_separated(|argument| sum(argument, basis))?;
    let values = || arguments.iter().map(|argument| argument.value);
    // Inside functions zero is a number, too, and does not go with lengths.
    if arguments.iter().any(|argument| argument.is_number != arguments[0].is_number) {
        return Err(ParseError::custom(()));
    }
    let value = match (name, arguments.as_slice()) {
        ("min", _) => values().fold(f64::INFINITY, f64::min),
        ("max", _) => values().fold(f64::NEG_INFINITY, f64::max),
        ("clamp", [least, wanted, most]) => wanted.value.min(most.value).max(least.value),
        _ => return Err(ParseError::custom(())),
    };
    Ok(Amount { value, is_number: arguments.iter().all(|argument| argument.is_number) })
}

fn sum(parser: &mut Parser<'_>, basis: &Basis) -> Parsed<Amount> {
    let mut total = product(parser, basis)?;
    while let Ok(sign) = parser.try_parse(|parser| operator(parser, ['+', '-'])) {
        let next = product(parser, basis)?;
        if next.is_number != total.is_number {
            return Err(ParseError::custom(()));
        }
        total.value += if sign == '+' { next.value } else { -next.value };
    }
    Ok(total)
}

fn product(parser: &mut Parser<'_>, basis: &Basis) -> Parsed<Amount> {
    let mut total = value(parser, basis)?;
    while let Ok(sign) = parser.try_parse(|parser| operator(parser, ['*', '/'])) {
        let next = value(parser, basis)?;
        // A length times a length is none, nor is anything over one.
        if !next.is_number && (sign == '/' || !total.is_number) {
            return Err(ParseError::custom(()));
        }
        total.value = if sign == '*' { total.value * next.value } else { total.value / next.value };
        total.is_number &= next.is_number;
    }
    Ok(total)
}

fn operator(parser: &mut Parser<'_>, either: [char; 2]) -> Parsed<char> {
    match parser.next()? {
        Token::Delim(sign) if either.contains(sign) => Ok(*sign),
        _ => Err(ParseError::custom(())),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lengths_are_what_css_says() {
        let basis = Basis { percent: Some(600.0), ..Basis::viewport(1000.0, 500.0) };
        for (text, pixels) in [
            ("320px", 320.0),
            ("50vw", 500.0),
            ("20em", 320.0),
            ("calc(100vw - 2 * 30px)", 940.0),
            ("calc((100vw - 40px) / 3)", 320.0),
            ("min(400px, 90vw)", 400.0),
            ("clamp(200px, 10vw, 300px)", 200.0),
            ("25%", 150.0),
            ("0", 0.0),
            ("calc(50% + max(1rem, 4px))", 316.0),
        ] {
            assert_eq!(length(text, &basis).map(f64::round), Some(pixels), "{text}");
        }
        for text in ["12", "auto", "10px 4px", "", "10parsecs", "calc(1px +)"] {
            assert_eq!(length(text, &basis), None, "{text}");
        }
        assert_eq!(length("10%", &Basis::viewport(1000.0, 500.0)), None);
    }
}
