//! Lists of grid tracks (CSS Grid 2, 7.2) and of the columns of text, as the layout library takes
//! them.

use taffy::{
    GridTemplateComponent, GridTemplateRepetition, LengthPercentage, MaxTrackSizingFunction,
    MinTrackSizingFunction, RepetitionCount, TrackSizingFunction, prelude::TaffyFitContent,
};

use super::lengths::{Amount, Lengths};
use crate::{
    Basis,
    text::{
        sheet::separate,
        style::{inside, spaced},
    },
};

/// Tracks, and the names of the lines before, between and after them.
pub(super) struct Tracks {
    pub tracks: Vec<GridTemplateComponent<String>>,
    pub names: Vec<Vec<String>>,
}

impl Tracks {
    /// Reads a list; `None` if a part of it is not one, which makes the whole invalid.
    pub fn read(list: &str, basis: &Basis, lengths: &mut Lengths) -> Option<Self> {
        let (tracks, names) = listed(list, |part| {
            Some(match inside("repeat", part) {
                Some(repeated) => {
                    GridTemplateComponent::Repeat(repetition(repeated, basis, lengths)?)
                }
                None => GridTemplateComponent::Single(track(part, basis, lengths)?),
            })
        })?;
        Some(Self { tracks, names })
    }

    /// The columns of text (CSS Multi-column 1, 3.4): as many as fit, where `width` says how wide they
    /// are at least, and no more than `count`.
    pub fn columns(
        (count, width): (Option<&str>, Option<&str>),
        gap: &str,
        basis: &Basis,
        lengths: &mut Lengths,
    ) -> Option<Self> {
        let count = match count {
            Some(count) => Some(count.parse::<u16>().ok().filter(|count| *count > 0)?),
            None => None,
        };
        let list = match (count, width) {
            (None, None) => return None,
            (Some(count), None) => format!("repeat({count}, minmax(0px, 1fr))"),
            (None, Some(width)) => format!("repeat(auto-fill, minmax(min({width}, 100%), 1fr))"),
            (Some(count), Some(width)) => {
                // A hair less, so that rounding makes room for none too few.
                let most = format!("(100% - {} * {gap}) / {count} - 0.01px", count - 1);
                format!("repeat(auto-fill, minmax(max(min({width}, 100%), {most}), 1fr))")
            }
        };
        Self::read(&list, basis, lengths)
    }
}

/// What `read` makes of the parts of a list, with the names of the lines around them; at least one.
fn listed<T>(
    list: &str,
    mut read: impl FnMut(&str) -> Option<T>,
) -> Option<(Vec<T>, Vec<Vec<String>>)> {
    let (mut parts, mut line_names) = (Vec::new(), vec![Vec::new()]);
    for part in spaced(list) {
        if let Some(names) = names(part) {
            line_names.last_mut()?.extend(names);
            continue;
        }
        parts.push(read(part)?);
        line_names.push(Vec::new());
    }
    (!parts.is_empty()).then_some((parts, line_names))
}

/// The names in brackets.
fn names(part: &str) -> Option<impl Iterator<Item = String>> {
    let names = part.strip_prefix('[')?.strip_suffix(']')?;
    Some(names.split_ascii_whitespace().map(str::to_owned))
}

fn repetition(
    repeated: &str,
    basis: &Basis,
    lengths: &mut Lengths,
) -> Option<GridTemplateRepetition<String>> {
    let (count, list) = repeated.split_once(',')?;
    let count = match count.trim() {
        "auto-fill" => RepetitionCount::AutoFill,
        "auto-fit" => RepetitionCount::AutoFit,
        // More than any page has, and than the library can count.
        count => RepetitionCount::Count(count.parse::<u32>().ok()?.try_into().unwrap_or(u16::MAX)),
    };
    let (tracks, line_names) = listed(list, |part| track(part, basis, lengths))?;
    Some(GridTemplateRepetition { count, tracks, line_names })
}

fn track(text: &str, basis: &Basis, lengths: &mut Lengths) -> Option<TrackSizingFunction> {
    let (least, most) = if let Some(range) = inside("minmax", text) {
        let [least, most] = separate(range)[..] else { return None };
        (min(least, basis, lengths)?, max(most, basis, lengths)?)
    } else if let Some(limit) = inside("fit-content", text) {
        let limit = length(limit, basis, lengths)?;
        (MinTrackSizingFunction::auto(), TaffyFitContent::fit_content(limit))
    } else {
        let least = min(text, basis, lengths).unwrap_or(MinTrackSizingFunction::auto());
        (least, max(text, basis, lengths)?)
    };
    Some(TrackSizingFunction { min: least, max: most })
}

fn min(text: &str, basis: &Basis, lengths: &mut Lengths) -> Option<MinTrackSizingFunction> {
    Some(match text {
        "auto" => MinTrackSizingFunction::auto(),
        "min-content" => MinTrackSizingFunction::min_content(),
        "max-content" => MinTrackSizingFunction::max_content(),
        _ => length(text, basis, lengths)?.into(),
    })
}

fn max(text: &str, basis: &Basis, lengths: &mut Lengths) -> Option<MaxTrackSizingFunction> {
    match text.strip_suffix("fr") {
        Some(share) => Some(MaxTrackSizingFunction::fr(share.parse().ok()?)),
        None => Some(min(text, basis, lengths)?.into()),
    }
}

fn length(text: &str, basis: &Basis, lengths: &mut Lengths) -> Option<LengthPercentage> {
    match lengths.read(text, basis) {
        Amount::Auto | Amount::Keyword(_) => None,
        amount => Some(amount.or_nothing()),
    }
}
