//! What to send: a pure function of recipe, facts and what the request accepts, with its reasons.

use std::fmt;

use serde::Serialize;

use crate::{
    Accepted, CanvasColour, Facts, Fidelity, Format, Kind, Plan, Quality, Recipe,
    fidelity::{expected, expected_lossless},
    plan,
};

/// Formats this version writes.
const WRITTEN: [Format; 4] = [Format::Avif, Format::Webp, Format::Jpeg, Format::Png];

/// How a format is to be written.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
#[serde(rename_all = "lowercase", tag = "how")]
pub enum Encoding {
    /// At the encoder's own quality setting, 0 to 100.
    Lossy {
        /// The setting.
        setting: f32,
    },
    /// Exactly.
    Lossless,
}

impl fmt::Display for Encoding {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Lossy { setting } => write!(f, "lossy {setting:.1}"),
            Self::Lossless => f.write_str("lossless"),
        }
    }
}

/// One format that could be sent.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
pub struct Candidate {
    /// The format.
    pub format: Format,
    /// How it would be written.
    pub encoding: Encoding,
    /// The bytes it is expected to take.
    pub predicted_bytes: u64,
}

/// Why a format was chosen.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Reason {
    /// The recipe names it with `as-`.
    Named,
    /// Of those the request accepts, it is expected to take the fewest bytes.
    FewestBytes,
}

/// What to make of an original for one request, and why.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Choice {
    /// What to cut and at which size.
    pub plan: Plan,
    /// The format to write.
    pub format: Format,
    /// How to write it.
    pub encoding: Encoding,
    /// The opaque colour to lay under transparent parts; `None` keeps them.
    pub flatten: Option<[u8; 3]>,
    /// The fidelity aimed at; exact if `None`.
    pub target: Option<Fidelity>,
    /// Every format that could have been sent, fewest expected bytes first.
    pub candidates: Vec<Candidate>,
    /// The rule that decided.
    pub reason: Reason,
}

/// A recipe that cannot be followed for this original.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum ChoiceError {
    /// A side is longer than any format, or the one named, can hold.
    #[error(
        "the rendition would be {size} pixels, more than {format} can hold ({max} a side); ask for a smaller width"
    )]
    TooLong {
        /// The rendition's size.
        size: crate::Size,
        /// The format asked for.
        format: Format,
        /// Its longest side.
        max: u32,
    },
}

/// True if what a request accepts can change the answer: what `Vary` says. Never a matter of the request itself.
pub const fn varies_by_accept(recipe: &Recipe) -> bool {
    recipe.format.is_none()
}

/// Chooses what to make of an original with `facts` for a request that accepts `accepted`.
///
/// # Errors
/// If no format that may be sent can hold the size.
pub fn choose(recipe: &Recipe, facts: &Facts, accepted: Accepted) -> Result<Choice, ChoiceError> {
    let plan = plan(recipe, facts.size);
    let transparent = recipe.canvas.is_none_or(|canvas| canvas == CanvasColour::Clear)
        && (facts.alpha || plan.surround(recipe) == Some(CanvasColour::Clear));
    let exact = recipe.quality == Some(Quality::Lossless) || (recipe.quality.is_none() && facts.kind == Kind::Flat);
    let target = match recipe.quality {
        Some(Quality::Fidelity(fidelity)) => fidelity,
        _ => Fidelity::DEFAULT,
    };
    let mut candidates: Vec<Candidate> = WRITTEN
        .into_iter()
        .filter(|format| match recipe.format {
            Some(named) => *format == named,
            None => accepted.contains(*format) && (format.has_alpha() || !transparent),
        })
        .filter(|format| plan.size.width.max(plan.size.height) <= format.max_side())
        .filter_map(|format| candidate(format, facts.kind, exact, recipe.format.is_some(), target, plan.size.pixels()))
        .collect();
    candidates.sort_by_key(|candidate| candidate.predicted_bytes);
    let Some(best) = candidates.first().copied() else {
        let format = recipe.format.unwrap_or(Format::Png);
        return Err(ChoiceError::TooLong { size: plan.size, format, max: format.max_side() });
    };
    Ok(Choice {
        plan,
        format: best.format,
        encoding: best.encoding,
        flatten: flatten(recipe, best.format, transparent),
        target: matches!(best.encoding, Encoding::Lossy { .. }).then_some(target),
        candidates,
        reason: if recipe.format.is_some() { Reason::Named } else { Reason::FewestBytes },
    })
}

/// The colour under transparent parts: the recipe's, else white where the format has no alpha.
fn flatten(recipe: &Recipe, format: Format, transparent: bool) -> Option<[u8; 3]> {
    match recipe.canvas {
        Some(CanvasColour::Rgb(colour)) => Some(colour),
        _ if transparent && !format.has_alpha() => Some([255; 3]),
        _ => None,
    }
}

/// How `format` would be written. Flat art is written exactly where the format can; a format named outright is
/// written the way it can.
fn candidate(format: Format, kind: Kind, exact: bool, named: bool, target: Fidelity, pixels: u64) -> Option<Candidate> {
    let lossless = || expected_lossless(format, kind).map(|bytes| (Encoding::Lossless, bytes));
    let lossy = || {
        expected(format, target)
            .map(|expected| (Encoding::Lossy { setting: expected.setting }, expected.bytes_per_pixel))
    };
    let (encoding, bytes_per_pixel) = match (exact, named) {
        (true, false) => lossless()?,
        (true, true) => lossless().or_else(lossy)?,
        (false, _) => lossy().or_else(lossless)?,
    };
    Some(Candidate { format, encoding, predicted_bytes: (bytes_per_pixel as f64 * pixels as f64).round() as u64 })
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::{Orientation, Size};

    fn facts(alpha: bool, kind: Kind) -> Facts {
        Facts {
            format: Format::Jpeg,
            size: Size::new(4800, 3200),
            orientation: Orientation::default(),
            alpha,
            motion: false,
            kind,
            profile: None,
        }
    }

    #[track_caller]
    fn sends(recipe: &str, facts: &Facts, accept: &str, format: Format) -> Choice {
        let recipe = recipe.parse().expect(recipe);
        let choice = choose(&recipe, facts, Accepted::from_header(accept)).expect("a choice");
        assert_eq!(choice.format, format);
        choice
    }

    #[test]
    fn the_request_decides_among_what_it_accepts() {
        let photo = facts(false, Kind::Photo);
        sends("640w", &photo, "image/avif,image/webp,*/*", Format::Avif);
        sends("640w", &photo, "image/webp,*/*", Format::Webp);
        sends("640w", &photo, "*/*", Format::Jpeg);
        assert_eq!(sends("640w_as-png", &photo, "image/avif", Format::Png).reason, Reason::Named);
    }

    #[test]
    fn transparency_is_kept_unless_a_canvas_or_a_format_forbids_it() {
        let cut_out = facts(true, Kind::Photo);
        sends("640w", &cut_out, "*/*", Format::Png);
        assert_eq!(sends("640w_on-102030", &cut_out, "*/*", Format::Jpeg).flatten, Some([16, 32, 48]));
        assert_eq!(sends("640w_as-jpeg", &cut_out, "*/*", Format::Jpeg).flatten, Some([255; 3]));
        let opaque = facts(false, Kind::Photo);
        sends("300w_300h_contain_on-clear", &opaque, "*/*", Format::Png);
        sends("640w_on-clear", &opaque, "*/*", Format::Jpeg);
    }

    #[test]
    fn flat_art_is_exact_unless_the_recipe_asks_otherwise() {
        let logo = facts(true, Kind::Flat);
        assert_eq!(sends("320w", &logo, "image/avif,image/webp", Format::Webp).encoding, Encoding::Lossless);
        sends("320w", &logo, "image/avif", Format::Png);
        let lossy = sends("320w_as-jpeg", &logo, "*/*", Format::Jpeg);
        assert!(matches!(lossy.encoding, Encoding::Lossy { .. }));
    }

    #[test]
    fn what_no_format_can_hold_is_refused_with_its_size() {
        let mut wide = facts(false, Kind::Photo);
        wide.size = Size::new(20_000, 100);
        let error = choose(&"as-webp".parse().expect("a recipe"), &wide, Accepted::EVERYTHING).expect_err("too long");
        assert!(error.to_string().contains("20000 x 100"), "{error}");
        sends("fidelity-70", &wide, "image/webp", Format::Jpeg);
    }

    proptest! {
        #[test]
        fn no_format_is_sent_that_was_not_accepted(
            avif in any::<bool>(), webp in any::<bool>(), alpha in any::<bool>(), flat in any::<bool>(), width in 1u32..6000,
        ) {
            let header = format!("{}{}*/*", if avif { "image/avif," } else { "" }, if webp { "image/webp," } else { "" });
            let facts = facts(alpha, if flat { Kind::Flat } else { Kind::Photo });
            let recipe: Recipe = format!("{width}w").parse().expect("a recipe");
            let choice = choose(&recipe, &facts, Accepted::from_header(&header)).expect("a choice");
            prop_assert!(avif || choice.format != Format::Avif);
            prop_assert!(webp || choice.format != Format::Webp);
            prop_assert!(!alpha || choice.format.has_alpha());
            prop_assert!(choice.candidates.iter().all(|other| other.predicted_bytes >= choice.candidates[0].predicted_bytes));
        }
    }
}
