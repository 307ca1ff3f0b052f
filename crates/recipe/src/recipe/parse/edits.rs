//! Clauses that change what is seen: filters and their regions, turns, overlays.

use super::super::{Clauses, Turn};
use crate::{Effect, Filter, RecipeError, Region, nearest};

/// The filter a clause asks for; `None` if it names none.
pub(super) fn filter(clause: &str) -> Option<Result<Filter, RecipeError>> {
    // A point between digits belongs to the amount, and is refused with it.
    let region = clause
        .split_once('.')
        .filter(|(_, region)| !region.starts_with(|c: char| c.is_ascii_digit()));
    let (head, region) = region.map_or((clause, None), |(head, region)| (head, Some(region)));
    let (name, amount) = head.rsplit_once('-')?;
    let effect = Effect::ALL.into_iter().find(|effect| effect.name() == name)?;
    Some(read(clause, effect, amount, region))
}

fn read(
    clause: &str,
    effect: Effect,
    amount: &str,
    region: Option<&str>,
) -> Result<Filter, RecipeError> {
    let name = effect.name();
    let (least, most) = effect.range();
    let tail = region.map_or(String::new(), |region| format!(".{region}"));
    let Some(asked) = amount.parse::<f64>().ok().filter(|asked| asked.is_finite()) else {
        let (low, high) =
            if effect.is_length() { ("pixels", "") } else { ("an amount", " without a sign") };
        return Err(RecipeError::new(
            clause,
            format!("needs {low} after its name: a whole number{high}"),
        )
        .nearest(format!("{name}-{}", most.min(50))));
    };
    let within = asked.round().clamp(f64::from(least), f64::from(most));
    if asked != within {
        return Err(RecipeError::new(
            clause,
            format!("is not a whole number from {least} to {most}"),
        )
        .nearest(format!("{name}-{within}{tail}")));
    }
    let region = region.map(|region| self::region(clause, head_of(clause), region)).transpose()?;
    Filter::new(effect, within as u16, region)
        .ok_or_else(|| RecipeError::new(clause, "is outside its range"))
}

fn head_of(clause: &str) -> &str {
    clause.split('.').next().unwrap_or(clause)
}

/// `in-x-y-w-h` in percent.
fn region(clause: &str, head: &str, text: &str) -> Result<Region, RecipeError> {
    let parts: Option<Vec<u32>> = text
        .strip_prefix("in-")
        .map(|rest| rest.split('-').map_while(|part| part.parse().ok()).collect());
    let Some(&[x, y, width, height]) = parts.as_deref() else {
        return Err(RecipeError::new(
            clause,
            "has a region that is none: write left, top, width and height in percent",
        )
        .nearest(format!("{head}.in-10-10-50-50")));
    };
    let start = |at: u32| at.min(99) as u8;
    let length = |from: u32, length: u32| length.clamp(1, 100 - u32::from(start(from))) as u8;
    let nearest = Region::new(start(x), start(y), length(x, width), length(y, height));
    let asked = [x, y, width, height].map(|part| u8::try_from(part).unwrap_or(u8::MAX));
    match (Region::new(asked[0], asked[1], asked[2], asked[3]), nearest) {
        (Some(region), _) => Ok(region),
        (None, nearest) => {
            let error = RecipeError::new(
                clause,
                "has a region that is empty or reaches beyond the picture's 100 percent",
            );
            let whole = |region: Region| format!("{head}.in-{}", region.text());
            Err(match nearest {
                Some(region) => error.nearest(whole(region)),
                None => error,
            })
        }
    }
}

/// `rotate-90`.
pub(super) fn turn(clause: &str, rest: &str) -> Result<Turn, RecipeError> {
    let degrees = rest.parse::<f64>().ok().filter(|degrees| degrees.is_finite());
    if let Some(turn) =
        Turn::ALL.into_iter().find(|turn| degrees == Some(f64::from(turn.degrees())))
    {
        return Ok(turn);
    }
    let quarters = degrees.map_or(1.0, |degrees| (degrees / 90.0).round()).clamp(1.0, 3.0);
    Err(RecipeError::new(clause, "is not a quarter turn clockwise: 90, 180 or 270")
        .nearest(format!("rotate-{}", quarters * 90.0)))
}

/// `overlay-mark`: the name, whether or not one is configured under it.
pub(super) fn overlay(recipe: &mut Clauses, clause: &str, name: &str) -> Result<(), RecipeError> {
    let plain = |c: char| c.is_ascii_lowercase() || c.is_ascii_digit() || c == '-';
    if name.is_empty() || !name.chars().all(plain) {
        return Err(RecipeError::new(clause, "needs a name of lower-case letters, digits and `-`"));
    }
    if recipe.overlays.iter().any(|known| known == name) {
        return Err(RecipeError::new(clause, "is laid over the picture already; keep one of them"));
    }
    recipe.overlays.push(name.to_owned());
    Ok(())
}

/// Adds a filter at its place in the order; refuses one that is there already for the same region.
pub(super) fn add_filter(
    recipe: &mut Clauses,
    clause: &str,
    filter: Filter,
) -> Result<(), RecipeError> {
    let same = |known: &Filter| known.effect == filter.effect && known.region == filter.region;
    if recipe.filters.iter().any(same) {
        return Err(RecipeError::new(
            clause,
            "says a second time what another clause already says; keep one of them",
        ));
    }
    recipe.filters.push(filter);
    recipe.filters.sort_unstable();
    Ok(())
}

/// The filter a misspelt one may be meant for.
pub(super) fn near_filter(word: &str) -> Option<&'static str> {
    nearest(word, Effect::ALL.map(Effect::name))
}
