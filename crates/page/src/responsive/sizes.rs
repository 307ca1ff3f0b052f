//! The `sizes` attribute (HTML, 4.8.4.2.2).

use cssparser::{ParseError, Parser, Token};

use super::{
    length::{Basis, next_length},
    media::next_condition,
};
use crate::{Device, nesting::too_deep};

/// What `sizes` says on a device.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum SourceSize {
    /// As wide as the layout shows it; only lazy pictures may say so.
    Auto,
    /// This many CSS pixels.
    Pixels(f64),
}

/// The source size on `device`; 100vw where `sizes` is absent or cannot be read, as browsers take
/// it.
pub fn source_size(sizes: &str, device: &Device) -> SourceSize {
    let basis = Basis::viewport(f64::from(device.width), f64::from(device.height));
    if too_deep(sizes).is_some() {
        return SourceSize::Pixels(basis.viewport.0);
    }
    let mut parser = Parser::new(sizes);
    if parser.try_parse(|parser| parser.expect_ident_matching("auto")).is_ok() {
        return SourceSize::Auto;
    }
    let entries = parser.parse_comma_separated_ignoring_errors(|entry| one(entry, device, &basis));
    let first = entries.into_iter().flatten().next();
    SourceSize::Pixels(first.unwrap_or(f64::from(device.width)))
}

/// The length of one entry whose condition holds.
fn one(
    parser: &mut Parser<'_>,
    device: &Device,
    basis: &Basis,
) -> Result<Option<f64>, ParseError<()>> {
    let starts_condition = match peeked(parser)? {
        Token::ParenthesisBlock => true,
        Token::Ident(word) => word.eq_ignore_ascii_case("not"),
        _ => false,
    };
    let holds = if starts_condition { next_condition(parser, device)? == Some(true) } else { true };
    // What is worked out below zero is zero; written so, it is no size.
    let is_worked_out = matches!(peeked(parser)?, Token::Function(_));
    let length = next_length(parser, basis)?;
    let length = if is_worked_out { length.max(0.0) } else { length };
    parser.expect_exhausted()?;
    Ok((holds && length >= 0.0).then_some(length))
}

/// A `sizes` attribute that every browser reads as it is meant. Guaranteed: each entry has a length,
/// each but the last a media condition of known features, the last none; no `auto`.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Sizes(String);

/// A text that cannot stand in `sizes`.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error(
    "`{sizes}` cannot stand in sizes: {problem}; write lengths such as `(min-width: 60em) 33vw, 100vw`"
)]
pub struct SizesError {
    /// As given.
    pub sizes: String,
    /// What is wrong, with the entry at fault.
    pub problem: String,
}

impl Sizes {
    /// As the attribute is written.
    pub fn as_str(&self) -> &str {
        &self.0
    }

    /// The same with each length at most so many pixels.
    pub fn capped(&self, pixels: u32) -> Self {
        let entry = |entry: &str| {
            // The length follows the last space outside parentheses.
            let mut depth = 0_i32;
            let outside = |c: char| {
                depth += i32::from(c == '(') - i32::from(c == ')');
                c == ' ' && depth == 0
            };
            let spaces: Vec<usize> = entry.match_indices(outside).map(|(at, _)| at).collect();
            let (condition, length) = match spaces.last() {
                Some(at) => (&entry[..=*at], &entry[at + 1..]),
                None => ("", entry),
            };
            let number = length.strip_suffix("px").and_then(|number| number.parse::<f64>().ok());
            match number {
                _ if length == "0" => entry.to_owned(),
                Some(number) => format!("{condition}{}px", number.min(f64::from(pixels))),
                None => format!("{condition}min({length}, {pixels}px)"),
            }
        };
        Self(entries(&self.0).into_iter().map(entry).collect::<Vec<_>>().join(", "))
    }

    /// The width in CSS pixels on a screen.
    pub fn shown_on(&self, device: &Device) -> f64 {
        match source_size(&self.0, device) {
            SourceSize::Pixels(pixels) => pixels,
            SourceSize::Auto => f64::from(device.width),
        }
    }

    /// True if the width hangs on more than the viewport's width.
    pub fn depends_on_height(&self) -> bool {
        (200..3000).step_by(50).any(|width| {
            let at = |height| self.shown_on(&Device::screen(width, height, 1.0));
            at(300) != at(4000)
        })
    }
}

impl std::str::FromStr for Sizes {
    type Err = SizesError;

    fn from_str(text: &str) -> Result<Self, SizesError> {
        let refuse = |problem: String| SizesError { sizes: text.to_owned(), problem };
        let entries = entries(text);
        let last = entries.len() - 1;
        for (at, entry) in entries.iter().enumerate() {
            let conditional =
                check_entry(entry).map_err(|why| refuse(format!("`{entry}` {why}")))?;
            if at < last && !conditional {
                return Err(refuse(format!(
                    "`{entry}` has no condition, so nothing after it counts"
                )));
            }
            if at == last && conditional {
                return Err(refuse(
                    "the last entry needs no condition: it is what holds everywhere else"
                        .to_owned(),
                ));
            }
        }
        Ok(Self(text.split_whitespace().collect::<Vec<_>>().join(" ")))
    }
}

/// The entries of a list: split at commas outside parentheses.
fn entries(text: &str) -> Vec<&str> {
    let mut depth = 0_i32;
    let outside = |c: char| {
        depth += i32::from(c == '(') - i32::from(c == ')');
        c == ',' && depth == 0
    };
    text.split(outside).map(str::trim).collect()
}

/// Whether an entry has a condition, or what is wrong with it.
fn check_entry(entry: &str) -> Result<bool, &'static str> {
    const NO_LENGTH: &str = "is not a length";
    if entry.is_empty() {
        return Err("is empty");
    }
    // Media conditions stand in parentheses and may compare by `<` and `>`.
    if entry.contains(['<', '>', '"', '{', '}', ';']) && !entry.contains('(') {
        return Err("holds a character that lengths never do");
    }
    if entry.starts_with("auto") {
        return Err("is added where a place says `auto-sizes`, never written");
    }
    if entry.contains('%') {
        return Err("is a percentage, which means nothing in sizes (HTML, 4.8.4.2.2)");
    }
    if too_deep(entry).is_some() {
        return Err("opens more brackets than are read");
    }
    let device = Device::screen(1000, 700, 1.0);
    let mut parser = Parser::new(entry);
    let conditional = matches!(peeked(&mut parser), Ok(Token::ParenthesisBlock))
        || peeked(&mut parser).is_ok_and(
            |token| matches!(token, Token::Ident(word) if word.eq_ignore_ascii_case("not")),
        );
    if conditional {
        match next_condition(&mut parser, &device) {
            Ok(Some(_)) => {}
            Ok(None) => return Err("has a condition with a media feature that is not known"),
            Err(_) => return Err("has a condition that cannot be read"),
        }
    }
    if let Ok(Token::Number { value, .. }) = peeked(&mut parser)
        && value != 0.0
    {
        return Err("needs a unit, such as px or vw");
    }
    let basis = Basis::viewport(1000.0, 700.0);
    // What is worked out below zero at one window is zero there.
    let is_worked_out = matches!(peeked(&mut parser), Ok(Token::Function(_)));
    let length = next_length(&mut parser, &basis).map_err(|_| NO_LENGTH)?;
    parser.expect_exhausted().map_err(|_| "has something after its length")?;
    if length < 0.0 && !is_worked_out { Err("is below zero") } else { Ok(conditional) }
}

fn peeked<'i>(parser: &mut Parser<'i>) -> Result<Token<'i>, ParseError<()>> {
    let state = parser.state();
    let token = parser.next()?.clone();
    parser.reset(&state);
    Ok(token)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn sizes_that_a_browser_would_read_otherwise_are_refused() {
        for good in [
            "100vw",
            "(min-width: 60em) calc((100vw - 4rem) / 3), 100vw",
            "not (min-width: 10px) 0, min(100vw, 40em)",
            "(min-width: 60em) and (orientation: landscape) 33vw, max(100vw, 93vh)",
        ] {
            assert_eq!(good.parse::<Sizes>().map(|sizes| sizes.0), Ok(good.to_owned()));
            let capped = good.parse::<Sizes>().map(|sizes| sizes.capped(300).0).expect("sizes");
            assert_eq!(capped.parse::<Sizes>().map(|sizes| sizes.0), Ok(capped.clone()), "{good}");
        }
        let capped = |text: &str| text.parse::<Sizes>().map(|sizes| sizes.capped(300).0);
        assert_eq!(
            capped("(max-width: 500px) calc(100vw - 20px), 640px"),
            Ok("(max-width: 500px) min(calc(100vw - 20px), 300px), 300px".to_owned())
        );
        for (bad, part) in [
            ("", "`` is empty"),
            ("50%", "`50%` is a percentage"),
            ("640", "`640` needs a unit"),
            ("100vw,", "`100vw` has no condition"),
            ("(min-width: 1px) 50vw", "the last entry needs no condition"),
            ("100vw, (min-width: 1px) 50vw", "`100vw` has no condition"),
            ("(min-widht: 60em) 33vw, 100vw", "media feature that is not known"),
            ("100vw\" onload=\"x", "holds a character"),
            ("100vw;", "holds a character"),
            ("auto, 100vw", "never written"),
            ("(min-width: 60em) 33vw 20px, 100vw", "something after its length"),
            ("-20px", "below zero"),
            ("100vq", "is not a length"),
            ("calc(100vw - 20)", "is not a length"),
        ] {
            let said = bad.parse::<Sizes>().expect_err(bad).to_string();
            assert!(said.contains(part), "{bad}: {said}");
        }
    }

    #[test]
    fn the_first_entry_that_holds_decides() {
        let laptop = Device::named("laptop").expect("a device");
        let phone = Device::named("phone").expect("a device");
        let sizes = "(max-width: 600px) calc(100vw - 32px), (min-width: 1000px) and (orientation: landscape) 33vw, 50vw";
        assert_eq!(source_size(sizes, &phone), SourceSize::Pixels(380.0));
        let SourceSize::Pixels(wide) = source_size(sizes, &laptop) else { panic!("pixels") };
        assert!((wide - 450.78).abs() < 0.01, "{wide}");
        assert_eq!(source_size("auto, 100vw", &phone), SourceSize::Auto);
        for broken in ["", "33%", "banana", "(min-width: 1px)"] {
            assert_eq!(source_size(broken, &phone), SourceSize::Pixels(412.0), "{broken}");
        }
        assert_eq!(source_size("50%, 200px", &phone), SourceSize::Pixels(200.0));
        assert_eq!(source_size("(calc(1px)) 10px, 300px", &phone), SourceSize::Pixels(300.0));
    }
}
