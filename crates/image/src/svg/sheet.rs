//! What a style sheet, a `style` attribute or the value of a presentation attribute reaches for.

use cssparser::{ParseError, Parser, Token};

use super::allowed::{AT_RULES, FUNCTIONS, Names};

/// Blocks within blocks, beyond which nobody writes.
const DEEPEST: usize = 32;

/// True if nothing in it fetches or could: every address points within the document, every function
/// and rule is one that only paints. Read token by token (CSS Syntax 3, section 4), so that no
/// spelling hides one.
pub(super) fn is_self_contained(css: &str) -> bool {
    walk(&mut Parser::new(css), DEEPEST)
}

fn walk(input: &mut Parser<'_>, depth: usize) -> bool {
    if depth == 0 {
        return false;
    }
    loop {
        let Ok(token) = input.next_including_whitespace_and_comments() else { return true };
        let inside = match token {
            Token::UnquotedUrl(address) if !is_local(address) => return false,
            Token::BadUrl(_) | Token::BadString(_) => return false,
            Token::AtKeyword(name) if !is_one_of(&AT_RULES, name) => return false,
            Token::Function(name) if name.eq_ignore_ascii_case("url") => Inside::Address,
            Token::Function(name) if !is_one_of(&FUNCTIONS, name) => return false,
            Token::Function(_)
            | Token::ParenthesisBlock
            | Token::SquareBracketBlock
            | Token::CurlyBracketBlock => Inside::Anything,
            _ => continue,
        };
        let judged = input.parse_nested_block(|nested| {
            Ok::<_, ParseError<()>>(match inside {
                Inside::Anything => walk(nested, depth - 1),
                Inside::Address => nested.expect_string().is_ok_and(|address| is_local(address)),
            })
        });
        if judged != Ok(true) {
            return false;
        }
    }
}

enum Inside {
    Anything,
    /// What follows `url(` where that is a text in quotes.
    Address,
}

fn is_local(address: &str) -> bool {
    address.trim_start().starts_with('#')
}

fn is_one_of(known: &Names, name: &str) -> bool {
    known.contain(&name.to_ascii_lowercase())
}
