//! From the address's text to a [`Recipe`], with errors that point at the clause and offer the nearest valid one.

use std::str::FromStr;

use crate::{
    CanvasColour, Density, Fidelity, Fit, Format, Position, Quality, Ratio, Recipe, RecipeError, nearest::nearest,
};

/// Words that begin or are a clause this version follows.
const VOCABULARY: [&str; 16] = [
    "cover",
    "contain",
    "fill",
    "scale-down",
    "lossless",
    "ratio-3-2",
    "fidelity-70",
    "at-center",
    "at-30-40",
    "as-avif",
    "as-webp",
    "as-jpeg",
    "as-png",
    "on-ffffff",
    "on-clear",
    "640w",
];

/// Clauses of the language that this version does not follow yet: exact words, then first words.
const NOT_YET_WORDS: [&str; 9] =
    ["original", "trim", "flip-x", "flip-y", "still", "keep-credit", "keep-all", "at-focus", "at-subject"];
const NOT_YET_PREFIXES: [&str; 11] = [
    "rotate-",
    "blur-",
    "saturate-",
    "brightness-",
    "contrast-",
    "grayscale-",
    "sepia-",
    "hue-rotate-",
    "sharpen-",
    "pixelate-",
    "overlay-",
];

impl FromStr for Recipe {
    type Err = RecipeError;

    fn from_str(text: &str) -> Result<Self, RecipeError> {
        parse(text).map_err(|error| error.within(text))
    }
}

fn parse(text: &str) -> Result<Recipe, RecipeError> {
    if text.is_empty() {
        return Err(RecipeError::new("", "is empty: say at least one thing, such as a width").nearest("640w"));
    }
    let mut recipe = Recipe::default();
    let mut read = Vec::new();
    for clause in text.split('_') {
        read_clause(&mut recipe, clause)?;
        read.push(clause);
    }
    check_together(&recipe, &read)?;
    Ok(recipe)
}

fn read_clause(recipe: &mut Recipe, clause: &str) -> Result<(), RecipeError> {
    if clause.is_empty() {
        return Err(RecipeError::new("", "is an empty clause: join clauses by one `_`, with none at the ends"));
    }
    if let Some(error) = not_yet(clause) {
        return Err(error);
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
    if clause == "lossless" {
        return set(&mut recipe.quality, clause, Quality::Lossless);
    }
    match clause.split_once('-') {
        Some(("ratio", rest)) => set(&mut recipe.ratio, clause, ratio(clause, rest)?),
        Some(("at", rest)) => set(&mut recipe.position, clause, position(clause, rest)?),
        Some(("fidelity", rest)) => set(&mut recipe.quality, clause, Quality::Fidelity(fidelity(clause, rest)?)),
        Some(("as", rest)) => set(&mut recipe.format, clause, format(clause, rest)?),
        Some(("on", rest)) => set(&mut recipe.canvas, clause, canvas(clause, rest)?),
        _ => Err(unknown(clause)),
    }
}

fn set<T>(slot: &mut Option<T>, clause: &str, value: T) -> Result<(), RecipeError> {
    if slot.is_some() {
        return Err(RecipeError::new(clause, "says a second time what another clause already says; keep one of them"));
    }
    *slot = Some(value);
    Ok(())
}

fn not_yet(clause: &str) -> Option<RecipeError> {
    let known = NOT_YET_WORDS.contains(&clause)
        || clause.starts_with('@')
        || NOT_YET_PREFIXES.iter().any(|prefix| clause.starts_with(prefix));
    let problem = "belongs to the recipe language but this version of Kivet cannot follow it yet; leave it out";
    known.then(|| RecipeError::new(clause, problem))
}

/// The text before the unit, if the clause is a number and that unit.
fn measure(clause: &str, unit: char) -> Option<&str> {
    let number = clause.strip_suffix(unit)?;
    (!number.is_empty() && number.chars().all(|c| c.is_ascii_digit() || c == '.')).then_some(number)
}

fn side(clause: &str, number: &str, unit: char) -> Result<u32, RecipeError> {
    let max = Recipe::MAX_SIDE;
    let complain =
        |problem: String, nearest: u32| RecipeError::new(clause, problem).nearest(format!("{nearest}{unit}"));
    if let Ok(pixels) = number.parse::<u32>() {
        return match pixels {
            0 => Err(complain("asks for no pixels at all".to_owned(), 1)),
            1.. if pixels > max => Err(complain(format!("is above the limit of {max} pixels"), max)),
            _ => Ok(pixels),
        };
    }
    match number.parse::<f64>() {
        Ok(pixels) if pixels.is_finite() && number.contains('.') => {
            Err(complain("must be whole pixels".to_owned(), pixels.round().clamp(1.0, f64::from(max)) as u32))
        }
        _ => Err(complain(format!("is not a number of pixels from 1 to {max}"), max)),
    }
}

fn density(clause: &str, number: &str) -> Result<Density, RecipeError> {
    let factor: f64 = number.parse().map_err(|_| RecipeError::new(clause, "is not a density").nearest("2x"))?;
    let hundredths = (factor * 100.0).round();
    if (factor * 100.0 - hundredths).abs() > 1e-6 {
        return Err(RecipeError::new(clause, "has more than two decimals")
            .nearest(format!("{}x", hundredths.clamp(50.0, 400.0) / 100.0)));
    }
    Density::from_hundredths(hundredths.clamp(0.0, 9999.0) as u16).ok_or_else(|| {
        RecipeError::new(clause, "is outside 0.5x to 4x").nearest(if factor < 0.5 { "0.5x" } else { "4x" })
    })
}

fn ratio(clause: &str, rest: &str) -> Result<Ratio, RecipeError> {
    if let Some((width, height)) = pair::<u16>(rest, '-') {
        return Ratio::new(width, height)
            .ok_or_else(|| RecipeError::new(clause, "needs two whole numbers from 1 to 9999").nearest("ratio-3-2"));
    }
    let meant = [':', '/', 'x', '.'].into_iter().find_map(|separator| pair::<u16>(rest, separator));
    let meant = match rest.parse::<f64>() {
        Ok(quotient) => near_ratio(quotient),
        Err(_) => meant.and_then(|(width, height)| Ratio::new(width, height)),
    };
    let error = RecipeError::new(clause, "is not a ratio: write width and height as whole numbers joined by `-`");
    Err(error.nearest(meant.map_or("ratio-3-2".to_owned(), |ratio| ratio.to_string())))
}

/// The ratio of small whole numbers closest to a quotient.
fn near_ratio(quotient: f64) -> Option<Ratio> {
    if !(0.01..=100.0).contains(&quotient) {
        return None;
    }
    (1..=20u16)
        .filter_map(|height| Ratio::new((quotient * f64::from(height)).round() as u16, height))
        .min_by(|a, b| (a.value() - quotient).abs().total_cmp(&(b.value() - quotient).abs()))
}

fn pair<T: FromStr>(text: &str, separator: char) -> Option<(T, T)> {
    let (first, second) = text.split_once(separator)?;
    Some((first.parse().ok()?, second.parse().ok()?))
}

fn position(clause: &str, rest: &str) -> Result<Position, RecipeError> {
    if let Some((_, position)) = Position::KEYWORDS.into_iter().find(|(keyword, _)| *keyword == rest) {
        return Ok(position);
    }
    if let Some((x, y)) = pair::<u32>(rest, '-') {
        let clamped = |share: u32| share.min(100) as u8;
        let within = Position::new(clamped(x), clamped(y)).unwrap_or(Position::CENTER);
        if x <= 100 && y <= 100 {
            return Ok(within);
        }
        return Err(
            RecipeError::new(clause, "is outside the picture: percents go from 0 to 100").nearest(within.to_string())
        );
    }
    let swapped = rest.split_once('-').map(|(first, second)| format!("{second}-{first}"));
    let keyword = swapped
        .as_deref()
        .and_then(|swapped| Position::KEYWORDS.into_iter().find(|(keyword, _)| *keyword == swapped))
        .map(|(keyword, _)| keyword)
        .or_else(|| nearest(rest, Position::KEYWORDS.map(|(keyword, _)| keyword)));
    Err(RecipeError::new(clause, "is no position: use two percents from 0 to 100, or sides")
        .nearest(keyword.map_or("at-50-50".to_owned(), |keyword| format!("at-{keyword}"))))
}

fn fidelity(clause: &str, rest: &str) -> Result<Fidelity, RecipeError> {
    let asked = rest.parse::<f64>().ok();
    asked
        .filter(|value| value.fract() == 0.0)
        .and_then(|value| u8::try_from(value as i64).ok())
        .and_then(Fidelity::new)
        .ok_or_else(|| {
            let within = asked.map_or(70.0, |value| value.round().clamp(1.0, 100.0));
            RecipeError::new(clause, "is not a whole number from 1 to 100").nearest(format!("fidelity-{within}"))
        })
}

fn format(clause: &str, rest: &str) -> Result<Format, RecipeError> {
    match Format::from_name(rest) {
        Some(Format::Jxl | Format::Gif) => Err(not_made(clause)),
        Some(format) if format != Format::Svg => Ok(format),
        _ => {
            let name = if rest == "jpg" { Some("jpeg") } else { nearest(rest, Format::NAMEABLE.map(Format::name)) };
            Err(RecipeError::new(clause, "is no format Kivet can make: avif, webp, jpeg or png")
                .nearest(format!("as-{}", name.unwrap_or("jpeg"))))
        }
    }
}

fn not_made(clause: &str) -> RecipeError {
    RecipeError::new(clause, "names a format this version of Kivet cannot write yet").nearest("as-webp")
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
            Err(RecipeError::new(clause, "must be six lower-case hexadecimal digits").nearest(format!("on-{lower}")))
        };
    }
    let doubled: String = lower.chars().flat_map(|digit| [digit, digit]).collect();
    let meant = if rgb(&doubled).is_some() { format!("on-{doubled}") } else { "on-ffffff".to_owned() };
    Err(RecipeError::new(clause, "is no colour: write six hexadecimal digits, or `on-clear`").nearest(meant))
}

/// A clause that is nothing we know: guess what was meant.
fn unknown(clause: &str) -> RecipeError {
    let error = RecipeError::new(clause, "is not a clause of a recipe");
    match guess(clause).and_then(working) {
        Some(nearest) => error.nearest(nearest),
        None => error,
    }
}

/// A guessed clause if it can be read, else what its own error would offer.
fn working(guess: String) -> Option<String> {
    match read_clause(&mut Recipe::default(), &guess) {
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
    if let Some((word, argument)) = clause.split_once('-')
        && let Some(known) = nearest(word, ["ratio", "fidelity", "at", "as", "on"]).filter(|_| word.len() > 2)
    {
        return Some(format!("{known}-{argument}"));
    }
    nearest(clause, VOCABULARY).map(str::to_owned)
}

/// Rules about clauses that only make sense together; `read` holds them as written, in order.
fn check_together(recipe: &Recipe, read: &[&str]) -> Result<(), RecipeError> {
    let written = |wanted: &dyn Fn(&str) -> bool| read.iter().copied().find(|clause| wanted(clause)).unwrap_or("");
    let has_side = recipe.width.is_some() || recipe.height.is_some();
    if recipe.ratio.is_some() && recipe.width.is_some() && recipe.height.is_some() {
        let clause = written(&|clause| clause.starts_with("ratio-"));
        return Err(RecipeError::new(
            clause,
            "has nothing left to complete beside a width and a height; drop one of the three",
        ));
    }
    if let Some(fit) = recipe.fit
        && !recipe.has_shape()
    {
        return Err(RecipeError::new(fit.name(), "needs a box: two sides, or a ratio")
            .nearest(format!("{}_ratio-3-2", fit.name())));
    }
    if let Some(density) = recipe.density
        && !has_side
    {
        return Err(RecipeError::new(&density.to_string(), "has no width or height to multiply")
            .nearest(format!("640w_{density}")));
    }
    let placed =
        recipe.effective_fit() == Some(Fit::Cover) || (recipe.fit == Some(Fit::Contain) && recipe.canvas.is_some());
    if recipe.position.is_some() && !placed {
        let clause = written(&|clause| clause.starts_with("at-"));
        let problem = "has nothing to place: only `cover`, and `contain` on a canvas, leave anything over";
        return Err(RecipeError::new(clause, problem).nearest(format!("{clause}_ratio-3-2")));
    }
    if recipe.quality == Some(Quality::Lossless)
        && let Some(format @ (Format::Jpeg | Format::Avif)) = recipe.format
    {
        let problem = format!("cannot be written as {format} here: WebP and PNG are the exact formats");
        return Err(RecipeError::new("lossless", problem).nearest("lossless_as-webp"));
    }
    Ok(())
}

#[cfg(test)]
mod tests;
