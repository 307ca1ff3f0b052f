//! What a clause that is nothing we know may have meant.

use super::super::Clauses;
use super::edits::near_filter;
use crate::{Format, RecipeError, nearest};

/// Words that begin or are a clause.
const VOCABULARY: [&str; 26] = [
    "cover",
    "contain",
    "fill",
    "scale-down",
    "lossless",
    "ratio-3-2",
    "fidelity-70",
    "at-center",
    "at-30-40",
    "at-focus",
    "at-subject",
    "as-avif",
    "as-jxl",
    "as-webp",
    "as-jpeg",
    "as-png",
    "as-gif",
    "on-ffffff",
    "on-clear",
    "640w",
    "original",
    "trim",
    "flip-x",
    "flip-y",
    "still",
    "keep-credit",
];

/// A clause that is nothing we know: guess what was meant.
pub(super) fn unknown(clause: &str, read: ReadClause) -> RecipeError {
    let error = RecipeError::new(clause, "is not a clause of a recipe");
    match guess(clause).and_then(|guess| working(guess, read)) {
        Some(nearest) => error.nearest(nearest),
        None => error,
    }
}

/// How a clause is read into others.
type ReadClause = fn(&mut Clauses, &str) -> Result<(), RecipeError>;

/// A guessed clause if it can be read, else what its own error would offer.
fn working(guess: String, read: ReadClause) -> Option<String> {
    match read(&mut Clauses::default(), &guess) {
        Ok(()) => Some(guess),
        Err(error) => error.nearest,
    }
}

fn guess(clause: &str) -> Option<String> {
    let digits: String = clause.chars().filter(char::is_ascii_digit).collect();
    let letters: String = clause.chars().filter(char::is_ascii_alphabetic).collect();
    if !digits.is_empty() {
        match letters.to_ascii_lowercase().as_str() {
            "" | "px" | "w" | "width" | "wide" => return Some(format!("{digits}w")),
            "h" | "height" | "high" => return Some(format!("{digits}h")),
            "x" | "dpr" | "density" => return Some(format!("{digits}x")),
            "q" | "quality" => return Some(format!("fidelity-{digits}")),
            _ => {}
        }
    }
    if let Some(format) = Format::from_name(if clause == "jpg" { "jpeg" } else { clause }) {
        return Some(format!("as-{format}"));
    }
    if let Some((word, argument)) = clause.rsplit_once('-')
        && let Some(filter) = near_filter(word).filter(|_| word.len() > 3)
    {
        return Some(format!("{filter}-{argument}"));
    }
    if let Some((word, argument)) = clause.split_once('-')
        && let Some(known) =
            nearest(word, ["ratio", "fidelity", "at", "as", "on", "rotate", "overlay"])
                .filter(|_| word.len() > 2)
    {
        return Some(format!("{known}-{argument}"));
    }
    // A filter without its amount, which its own error offers.
    if let Some(filter) = near_filter(clause).filter(|_| clause.len() > 3) {
        return Some(format!("{filter}-"));
    }
    nearest(clause, VOCABULARY).map(str::to_owned)
}
