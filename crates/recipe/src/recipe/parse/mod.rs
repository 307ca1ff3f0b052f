//! From the address's text to a [`Recipe`], with errors that point at the clause and offer the
//! nearest valid one.

mod combinations;
mod edits;
mod guess;
mod measures;

use std::str::FromStr;

use super::{CanvasColour, Clauses, Fit, Keep, Placement, Quality, Recipe};
use crate::{Fidelity, Format, Position, RecipeError, nearest};
use combinations::check_combinations;
use guess::unknown;
use measures::{density, measure, pair, ratio, side};

impl FromStr for Recipe {
    type Err = RecipeError;

    fn from_str(text: &str) -> Result<Self, RecipeError> {
        parse(text).map_err(|error| error.within(text))
    }
}

fn parse(text: &str) -> Result<Recipe, RecipeError> {
    if text.is_empty() {
        return Err(RecipeError::new("", "is empty: say at least one thing, such as a width")
            .nearest("640w"));
    }
    let mut clauses = Clauses::default();
    let mut read = Vec::new();
    for clause in text.split('_') {
        read_clause(&mut clauses, clause)?;
        read.push(clause);
    }
    check_combinations(&clauses, &read)?;
    Ok(Recipe { clauses })
}

/// Refuses clauses that were not read from text and could not have been.
pub(super) fn check(clauses: &Clauses) -> Result<(), RecipeError> {
    let written = clauses.written();
    let written: Vec<&str> = written.iter().map(String::as_str).collect();
    let mut read = Clauses::default();
    written.iter().try_for_each(|clause| read_clause(&mut read, clause))?;
    check_combinations(clauses, &written)
}

fn read_clause(recipe: &mut Clauses, clause: &str) -> Result<(), RecipeError> {
    if clause.is_empty() {
        return Err(RecipeError::new(
            "",
            "is an empty clause: join clauses by one `_`, with none at the ends",
        ));
    }
    if let Some(name) = clause.strip_prefix('@') {
        let problem = "names no place: use a-z, 0-9 and `-` after the `@`";
        let place = name.parse().map_err(|_| RecipeError::new(clause, problem))?;
        return set(&mut recipe.place, clause, place);
    }
    if let Some(filter) = edits::filter(clause) {
        return edits::add_filter(recipe, clause, filter?);
    }
    if let Some(number) = measure(clause, 'w') {
        return set(&mut recipe.width, clause, side(clause, number, 'w')?);
    }
    if let Some(number) = measure(clause, 'h') {
        return set(&mut recipe.height, clause, side(clause, number, 'h')?);
    }
    if let Some(number) = measure(clause, 'x') {
        return set(&mut recipe.density, clause, density(clause, number)?);
    }
    if let Some(fit) = Fit::ALL.into_iter().find(|fit| fit.name() == clause) {
        return set(&mut recipe.fit, clause, fit);
    }
    match clause {
        "lossless" => return set(&mut recipe.quality, clause, Quality::Lossless),
        "at-focus" => return set(&mut recipe.position, clause, Placement::Focus),
        "at-subject" => return set(&mut recipe.position, clause, Placement::Subject),
        "keep-credit" => return set(&mut recipe.keep, clause, Keep::Credit),
        "keep-all" => return set(&mut recipe.keep, clause, Keep::All),
        "trim" => return raise(&mut recipe.trim, clause),
        "flip-x" => return raise(&mut recipe.flip_x, clause),
        "flip-y" => return raise(&mut recipe.flip_y, clause),
        "still" => return raise(&mut recipe.still, clause),
        "original" => return raise(&mut recipe.original, clause),
        _ => {}
    }
    match clause.split_once('-') {
        Some(("ratio", rest)) => set(&mut recipe.ratio, clause, ratio(clause, rest)?),
        Some(("at", rest)) => {
            set(&mut recipe.position, clause, Placement::At(position(clause, rest)?))
        }
        Some(("fidelity", rest)) => {
            set(&mut recipe.quality, clause, Quality::Fidelity(fidelity(clause, rest)?))
        }
        Some(("as", rest)) => set(&mut recipe.format, clause, format(clause, rest)?),
        Some(("rotate", rest)) => set(&mut recipe.turn, clause, edits::turn(clause, rest)?),
        Some(("overlay", rest)) => edits::overlay(recipe, clause, rest),
        Some(("on", rest)) => set(&mut recipe.canvas, clause, canvas(clause, rest)?),
        _ => Err(unknown(clause, read_clause)),
    }
}

fn set<T>(slot: &mut Option<T>, clause: &str, value: T) -> Result<(), RecipeError> {
    if slot.is_some() {
        return Err(RecipeError::new(
            clause,
            "says a second time what another clause already says; keep one of them",
        ));
    }
    *slot = Some(value);
    Ok(())
}

/// Sets a word that is there or not.
fn raise(flag: &mut bool, clause: &str) -> Result<(), RecipeError> {
    if std::mem::replace(flag, true) {
        return Err(RecipeError::new(clause, "is said twice; keep one of them"));
    }
    Ok(())
}

fn position(clause: &str, rest: &str) -> Result<Position, RecipeError> {
    if let Some((_, position)) =
        Position::KEYWORDS.into_iter().find(|(keyword, _)| *keyword == rest)
    {
        return Ok(position);
    }
    if let Some((x, y)) = pair::<u32>(rest, '-') {
        let clamped = |share: u32| share.min(100) as u8;
        let within = Position::new(clamped(x), clamped(y)).unwrap_or(Position::CENTER);
        if x <= 100 && y <= 100 {
            return Ok(within);
        }
        return Err(RecipeError::new(clause, "is outside the picture: percents go from 0 to 100")
            .nearest(within.to_string()));
    }
    let swapped = rest.split_once('-').map(|(first, second)| format!("{second}-{first}"));
    let keyword = swapped
        .as_deref()
        .and_then(|swapped| Position::KEYWORDS.into_iter().find(|(keyword, _)| *keyword == swapped))
        .map(|(keyword, _)| keyword)
        .or_else(|| nearest(rest, Position::KEYWORDS.map(|(keyword, _)| keyword)));
    Err(RecipeError::new(clause, "is not a position: use two percents from 0 to 100, or sides")
        .nearest(keyword.map_or("at-50-50".to_owned(), |keyword| format!("at-{keyword}"))))
}

fn fidelity(clause: &str, rest: &str) -> Result<Fidelity, RecipeError> {
    let asked = rest.parse::<f64>().ok();
    asked
        .filter(|value| value.fract() == 0.0)
        .and_then(|value| u8::try_from(value as i64).ok())
        .and_then(Fidelity::new)
        .ok_or_else(|| {
            let within = asked.map_or(80.0, |value| value.round().clamp(1.0, 100.0));
            RecipeError::new(clause, "is not a whole number from 1 to 100")
                .nearest(format!("fidelity-{within}"))
        })
}

fn format(clause: &str, rest: &str) -> Result<Format, RecipeError> {
    match Format::from_name(rest) {
        Some(format) if Format::NAMEABLE.contains(&format) => Ok(format),
        _ => {
            let name = if rest == "jpg" {
                Some("jpeg")
            } else {
                nearest(rest, Format::NAMEABLE.map(Format::name))
            };
            Err(RecipeError::new(
                clause,
                "is not a format Kivet can make: avif, jxl, webp, jpeg, png or gif",
            )
            .nearest(format!("as-{}", name.unwrap_or("jpeg"))))
        }
    }
}

fn canvas(clause: &str, rest: &str) -> Result<CanvasColour, RecipeError> {
    if rest == "clear" {
        return Ok(CanvasColour::Clear);
    }
    let lower = rest.trim_start_matches('#').to_ascii_lowercase();
    let rgb = |text: &str| -> Option<[u8; 3]> {
        let part = |i: usize| u8::from_str_radix(text.get(i..i + 2)?, 16).ok();
        (text.len() == 6).then(|| Some([part(0)?, part(2)?, part(4)?]))?
    };
    if let Some(colour) = rgb(&lower) {
        return if lower == rest {
            Ok(CanvasColour::Rgb(colour))
        } else {
            Err(RecipeError::new(clause, "must be six lower-case hexadecimal digits")
                .nearest(format!("on-{lower}")))
        };
    }
    let doubled: String = lower.chars().flat_map(|digit| [digit, digit]).collect();
    let meant =
        if rgb(&doubled).is_some() { format!("on-{doubled}") } else { "on-ffffff".to_owned() };
    Err(RecipeError::new(clause, "is not a colour: write six hexadecimal digits, or `on-clear`")
        .nearest(meant))
}

#[cfg(test)]
mod tests;
