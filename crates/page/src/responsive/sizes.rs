//! The `sizes` attribute (HTML, 4.8.4.2.2).

use cssparser::{ParseError, Parser, Token};

use super::{
    length::{Basis, next_length},
    media::next_condition,
};
use crate::Device;

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
    let holds = if starts_condition { next_condition(parser, device)? } else { true };
    // What is worked out below zero is zero; written so, it is no size.
    let is_worked_out = matches!(peeked(parser)?, Token::Function(_));
    let length = next_length(parser, basis)?;
    let length = if is_worked_out { length.max(0.0) } else { length };
    parser.expect_exhausted()?;
    Ok((holds && length >= 0.0).then_some(length))
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
