//! Vectors: measured, cleaned, cropped by their viewBox, and drawn as pixels where a recipe asks
//! for such.

mod allowed;
mod clean;
mod cost;
mod cut;
mod drawn;
mod fonts;
mod measure;
mod sheet;

use std::{borrow::Cow, io::Read};

use flate2::read::MultiGzDecoder;
use kivet_recipe::Format;

use crate::ImageError;

pub(crate) use cut::cut;
pub use drawn::replaced_fonts;
pub(crate) use drawn::{draw, draw_whole};
pub use fonts::{Fonts, ReplacedFont};
pub(crate) use measure::{looks_like, probe};

/// How a gzip stream begins (RFC 1952, section 2.3.1).
const GZIP: [u8; 2] = [0x1F, 0x8B];

/// Above this many bytes, unpacked, a drawing is not read.
const MAX_BYTES: u64 = 16 << 20;

/// Nesting deeper than any drawing program writes; it keeps recursion within the stack.
const DEEPEST: usize = 200;

/// The markup, unpacked if it was packed.
fn text(bytes: &[u8]) -> Result<Cow<'_, str>, ImageError> {
    let text = if bytes.starts_with(&GZIP) {
        let mut unpacked = Vec::new();
        MultiGzDecoder::new(bytes)
            .take(MAX_BYTES + 1)
            .read_to_end(&mut unpacked)
            .map_err(damaged)?;
        Cow::Owned(String::from_utf8(unpacked).map_err(damaged)?)
    } else {
        Cow::Borrowed(std::str::from_utf8(bytes).map_err(damaged)?)
    };
    if text.len() as u64 > MAX_BYTES {
        return Err(damaged("it is larger than 16 MiB"));
    }
    Ok(text)
}

/// The parsed document. Entities are expanded within the parser's own bounds; those that explode
/// are errors.
fn parsed(text: &str) -> Result<roxmltree::Document<'_>, ImageError> {
    refuse_deep(text)?;
    let options =
        roxmltree::ParsingOptions { allow_dtd: true, nodes_limit: 500_000, ..Default::default() };
    roxmltree::Document::parse_with_options(text, options).map_err(damaged)
}

/// Refuses nesting beyond [`DEEPEST`] before anything that recurses sees it. One pass: a `<` inside a
/// tag, as attributes may hold, counts as one more element.
fn refuse_deep(text: &str) -> Result<(), ImageError> {
    let (mut depth, mut in_tag, mut last) = (0usize, false, 0u8);
    let bytes = text.as_bytes();
    for (at, byte) in bytes.iter().enumerate() {
        match byte {
            b'<' => match bytes.get(at + 1) {
                Some(b'/') => depth = depth.saturating_sub(1),
                Some(b'!' | b'?') | None => {}
                Some(_) => {
                    depth += 1;
                    in_tag = true;
                }
            },
            b'>' if std::mem::take(&mut in_tag) && last == b'/' => depth -= 1,
            _ => {}
        }
        last = *byte;
        // Twice as deep as allowed: attributes may hold `<`, which this count takes for elements.
        if depth > DEEPEST * 2 {
            return Err(damaged(format!("its elements are nested more than {DEEPEST} deep")));
        }
    }
    Ok(())
}

fn damaged(problem: impl ToString) -> ImageError {
    ImageError::damaged(Format::Svg, problem)
}

#[cfg(test)]
mod tests;
