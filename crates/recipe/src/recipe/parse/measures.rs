//! Clauses that are numbers: sides, density, ratio.

use std::str::FromStr;

use super::super::{Density, Ratio, Recipe};
use crate::RecipeError;

/// The text before the unit, if the clause is a number and that unit.
pub(super) fn measure(clause: &str, unit: char) -> Option<&str> {
    let number = clause.strip_suffix(unit)?;
    (!number.is_empty() && number.chars().all(|c| c.is_ascii_digit() || c == '.')).then_some(number)
}

pub(super) fn side(clause: &str, number: &str, unit: char) -> Result<u32, RecipeError> {
    let max = Recipe::MAX_SIDE;
    let complain = |problem: String, nearest: u32| {
        RecipeError::new(clause, problem).nearest(format!("{nearest}{unit}"))
    };
    if let Ok(pixels) = number.parse::<u32>() {
        return match pixels {
            0 => Err(complain("asks for no pixels at all".to_owned(), 1)),
            1.. if pixels > max => {
                Err(complain(format!("is above the limit of {max} pixels"), max))
            }
            _ => Ok(pixels),
        };
    }
    match number.parse::<f64>() {
        Ok(pixels) if pixels.is_finite() && number.contains('.') => Err(complain(
            "must be whole pixels".to_owned(),
            pixels.round().clamp(1.0, f64::from(max)) as u32,
        )),
        _ => Err(complain(format!("is not a number of pixels from 1 to {max}"), max)),
    }
}

pub(super) fn density(clause: &str, number: &str) -> Result<Density, RecipeError> {
    let factor: f64 =
        number.parse().map_err(|_| RecipeError::new(clause, "is not a density").nearest("2x"))?;
    let hundredths = (factor * 100.0).round();
    if (factor * 100.0 - hundredths).abs() > 1e-6 {
        return Err(RecipeError::new(clause, "has more than two decimals")
            .nearest(format!("{}x", hundredths.clamp(50.0, 400.0) / 100.0)));
    }
    Density::from_hundredths(hundredths.clamp(0.0, 9999.0) as u16).ok_or_else(|| {
        RecipeError::new(clause, "is outside 0.5x to 4x").nearest(if factor < 0.5 {
            "0.5x"
        } else {
            "4x"
        })
    })
}

pub(super) fn ratio(clause: &str, rest: &str) -> Result<Ratio, RecipeError> {
    if let Some((width, height)) = pair::<u16>(rest, '-') {
        return Ratio::new(width, height).ok_or_else(|| {
            RecipeError::new(clause, "needs two whole numbers from 1 to 9999").nearest("ratio-3-2")
        });
    }
    let meant = [':', '/', 'x', '.'].into_iter().find_map(|separator| pair::<u16>(rest, separator));
    let meant = match rest.parse::<f64>() {
        Ok(quotient) => near_ratio(quotient),
        Err(_) => meant.and_then(|(width, height)| Ratio::new(width, height)),
    };
    let error = RecipeError::new(
        clause,
        "is not a ratio: write width and height as whole numbers joined by `-`",
    );
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

pub(super) fn pair<T: FromStr>(text: &str, separator: char) -> Option<(T, T)> {
    let (first, second) = text.split_once(separator)?;
    Some((first.parse().ok()?, second.parse().ok()?))
}
