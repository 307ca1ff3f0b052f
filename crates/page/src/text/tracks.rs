//! The columns of grids.

use super::{
    sheet::separate,
    style::{Style, spaced},
};
use crate::Basis;

/// The columns of a grid in CSS pixels (CSS Grid 2, 7.2): lengths, fractions, `repeat()` of either.
pub(super) fn tracks(template: &str, width: f64, gap: f64, basis: &Basis) -> Vec<f64> {
    let mut words: Vec<String> = Vec::new();
    for word in spaced(template) {
        match word.strip_prefix("repeat(").and_then(|inner| inner.strip_suffix(')')) {
            Some(inner) => {
                let parts = separate(inner);
                let [count, track @ ..] = parts.as_slice() else { continue };
                let track = track.join(", ");
                let least = track
                    .strip_prefix("minmax(")
                    .and_then(|inner| crate::length(separate(inner.trim_end_matches(')')).first()?, basis));
                let times = count.trim().parse().unwrap_or_else(|_| {
                    let least = least.or_else(|| crate::length(&track, basis)).unwrap_or(width);
                    (((width + gap) / (least + gap)).floor() as usize).max(1)
                });
                words.extend((0..times.min(64)).flat_map(|_| spaced(&track).into_iter().map(str::to_owned)));
            }
            None => words.push(word.to_owned()),
        }
    }
    let fraction = |word: &str| {
        let word = word
            .strip_prefix("minmax(")
            .and_then(|inner| separate(inner.trim_end_matches(')')).last().copied().map(str::to_owned))
            .unwrap_or(word.to_owned());
        word.strip_suffix("fr").and_then(|number| number.parse::<f64>().ok())
    };
    let fixed: f64 =
        words.iter().filter(|word| fraction(word).is_none()).filter_map(|word| crate::length(word, basis)).sum();
    let whole: f64 = words.iter().filter_map(|word| fraction(word)).sum();
    let over = (width - fixed - gap * (words.len() as f64 - 1.0)).max(0.0);
    let tracks: Vec<f64> = words
        .iter()
        .map(|word| {
            fraction(word).map_or_else(
                || crate::length(word, basis).unwrap_or(over / words.len() as f64),
                |own| over * own / whole,
            )
        })
        .collect();
    if tracks.is_empty() { vec![width] } else { tracks }
}

/// How many of a grid's columns an item takes.
pub(super) fn span(style: &Style, columns: usize) -> usize {
    let value = style.get("grid-column").unwrap_or_default();
    if value.replace(' ', "") == "1/-1" {
        return columns;
    }
    let spans = value.split("span").nth(1).and_then(|number| number.trim().parse::<usize>().ok()).unwrap_or(1);
    spans.clamp(1, columns.max(1))
}
