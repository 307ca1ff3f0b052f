//! What to send: a pure function of recipe, facts and what the request accepts, with its reasons.

use std::fmt;

use serde::Serialize;

use crate::{
    Accepted, CanvasColour, Facts, Fidelity, Filter, Format, Gamut, Keep, Kind, Plan, Policy, Quality, Recipe,
    fidelity::{expected, expected_lossless},
    plan_for,
};

/// Formats Kivet writes.
const WRITTEN: [Format; 6] = [Format::Avif, Format::Jxl, Format::Webp, Format::Jpeg, Format::Png, Format::Gif];

/// The most pixels a vector is drawn at: it has no size of its own to hold it back.
const MOST_DRAWN: u64 = 40_000_000;

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
    /// In at most 256 colours a frame: exactly where there are no more.
    Palette,
    /// As a vector: cleaned, cropped by its viewBox.
    Vector,
    /// The file itself: location cut out, unless all metadata is kept.
    Original,
}

impl fmt::Display for Encoding {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Lossy { setting } => write!(f, "lossy {setting:.1}"),
            Self::Lossless => f.write_str("lossless"),
            Self::Palette => f.write_str("256 colours"),
            Self::Vector => f.write_str("vector"),
            Self::Original => f.write_str("original"),
        }
    }
}

/// How long an encoder may take.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Effort {
    /// Somebody is waiting.
    #[default]
    Fast,
    /// Nobody is waiting, and the bytes will be sent many times.
    Best,
}

/// What happens to pixels after they are drawn.
#[derive(Clone, Debug, Default, PartialEq, Serialize)]
pub struct Edits {
    /// Filters in the order they are applied.
    #[serde(serialize_with = "as_text")]
    pub filters: Vec<Filter>,
    /// Pixels of the rendition to one of the asked box before density: what lengths in filters are multiplied by.
    pub scale: f32,
    /// Sharpening by policy, in percent.
    pub sharpen: u16,
    /// Names of pictures laid over it, in order.
    pub overlays: Vec<String>,
    /// What lies around the picture and under its transparent parts.
    #[serde(skip)]
    pub canvas: Option<CanvasColour>,
    /// Metadata kept.
    #[serde(skip)]
    pub keep: Option<Keep>,
}

fn as_text<S: serde::Serializer>(filters: &[Filter], serializer: S) -> Result<S::Ok, S::Error> {
    serializer.collect_seq(filters.iter().map(Filter::to_string))
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
    /// A vector stays one.
    Vector,
    /// The recipe asks for the original.
    Original,
}

/// What to make of an original for one request, and why.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Choice {
    /// What to cut and at which size.
    pub plan: Plan,
    /// What is done to the pixels then.
    pub edits: Edits,
    /// True if the rendition moves as the original does.
    pub moving: bool,
    /// The colours it holds.
    pub gamut: Gamut,
    /// The format to write.
    pub format: Format,
    /// How to write it.
    pub encoding: Encoding,
    /// How long the encoder may take.
    pub effort: Effort,
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
    /// A vector would be drawn at more pixels than is allowed.
    #[error("the drawing would be {size} pixels, more than the {} million a vector is drawn at; ask for a smaller width", MOST_DRAWN / 1_000_000)]
    TooMany {
        /// The rendition's size.
        size: crate::Size,
    },
    /// The named format is not written by this build.
    #[error("this build of Kivet writes no {format}; leave `as-{format}` out, or name avif, webp, jpeg or png")]
    NotBuilt {
        /// The format.
        format: Format,
    },
}

/// True if what a request accepts can change the answer: what `Vary` says. Never a matter of the request itself.
pub fn varies_by_accept(recipe: &Recipe, facts: &Facts) -> bool {
    recipe.format.is_none() && !recipe.original && !stays_vector(recipe, facts)
}

/// Filters, overlays and the search for borders need pixels; all else a vector can follow as one.
fn stays_vector(recipe: &Recipe, facts: &Facts) -> bool {
    facts.format == Format::Svg
        && recipe.format.is_none()
        && recipe.filters.is_empty()
        && recipe.overlays.is_empty()
        && !recipe.trim
}

/// Chooses what to make of an original with `facts` for a request that accepts `accepted`.
///
/// # Errors
/// If no format that may be sent can hold the size.
pub fn choose(recipe: &Recipe, facts: &Facts, accepted: Accepted, policy: &Policy) -> Result<Choice, ChoiceError> {
    let plan = plan_for(recipe, facts);
    if recipe.original {
        // A drawing is cleaned whoever asks for it, and however it is packed.
        let encoding = if facts.format == Format::Svg { Encoding::Vector } else { Encoding::Original };
        return Ok(passed_on(recipe, facts, plan, encoding, Reason::Original));
    }
    if stays_vector(recipe, facts) {
        return Ok(passed_on(recipe, facts, plan, Encoding::Vector, Reason::Vector));
    }
    if facts.format == Format::Svg && plan.size.pixels() > MOST_DRAWN {
        return Err(ChoiceError::TooMany { size: plan.size });
    }
    if recipe.format == Some(Format::Jxl) && !policy.jxl {
        return Err(ChoiceError::NotBuilt { format: Format::Jxl });
    }
    let moving = facts.motion && !recipe.still && recipe.format.is_none_or(Format::can_move);
    let transparent = is_transparent(recipe, facts, &plan);
    let exact =
        recipe.quality == Some(Quality::Lossless) || (recipe.quality.is_none() && facts.kind == Kind::Flat && !moving);
    let target = match recipe.quality {
        Some(Quality::Fidelity(fidelity)) => fidelity,
        _ => Fidelity::DEFAULT,
    };
    let mut candidates: Vec<Candidate> = WRITTEN
        .into_iter()
        .filter(|format| policy.jxl || *format != Format::Jxl)
        .filter(|format| match recipe.format {
            Some(named) => *format == named,
            None if moving => accepted.contains(*format) && format.can_move(),
            // Nothing that stands still gains from GIF's 256 colours.
            None => accepted.contains(*format) && *format != Format::Gif && (format.has_alpha() || !transparent),
        })
        .filter(|format| plan.size.width.max(plan.size.height) <= format.max_side())
        .filter_map(|format| candidate(format, facts.kind, exact, recipe.format.is_some(), target, plan.size.pixels()))
        .collect();
    candidates.sort_by_key(|candidate| candidate.predicted_bytes);
    let Some(best) = candidates.first().copied() else {
        let format = recipe.format.unwrap_or(Format::Png);
        return Err(ChoiceError::TooLong { size: plan.size, format, max: format.max_side() });
    };
    let wide = facts.wide && best.format != Format::Gif && facts.format != Format::Svg;
    Ok(Choice {
        edits: edits(recipe, &plan, policy),
        plan,
        moving,
        gamut: if wide { policy.gamut } else { Gamut::Srgb },
        format: best.format,
        encoding: best.encoding,
        effort: Effort::Fast,
        flatten: flatten(recipe, best.format, transparent),
        target: matches!(best.encoding, Encoding::Lossy { .. }).then_some(target),
        candidates,
        reason: if recipe.format.is_some() { Reason::Named } else { Reason::FewestBytes },
    })
}

/// The original in its own format.
fn passed_on(recipe: &Recipe, facts: &Facts, plan: Plan, encoding: Encoding, reason: Reason) -> Choice {
    Choice {
        edits: edits(recipe, &plan, &Policy::default()),
        plan,
        moving: facts.motion,
        gamut: Gamut::Srgb,
        format: facts.format,
        encoding,
        effort: Effort::Fast,
        flatten: None,
        target: None,
        candidates: Vec::new(),
        reason,
    }
}

fn is_transparent(recipe: &Recipe, facts: &Facts, plan: &Plan) -> bool {
    recipe.canvas.is_none_or(|canvas| canvas == CanvasColour::Clear)
        && (facts.alpha || plan.surround(recipe) == Some(CanvasColour::Clear) || fades_out(recipe))
}

/// On `on-clear` a blur fades out at the edges, as CSS draws it.
fn fades_out(recipe: &Recipe) -> bool {
    let blurs = |filter: &Filter| filter.effect == crate::Effect::Blur && filter.region.is_none();
    recipe.canvas == Some(CanvasColour::Clear) && recipe.filters.iter().any(blurs)
}

fn edits(recipe: &Recipe, plan: &Plan, policy: &Policy) -> Edits {
    let density = recipe.density.map_or(1.0, |density| density.factor());
    let given = plan.held_back_from.map_or(1.0, |asked| f64::from(plan.size.width) / f64::from(asked.width));
    let reduced = f64::from(plan.drawn.width) < plan.crop.width;
    Edits {
        filters: recipe.filters.clone(),
        scale: (density * given) as f32,
        sharpen: if reduced { policy.sharpen } else { 0 },
        overlays: recipe.overlays.clone(),
        canvas: recipe.canvas,
        keep: recipe.keep,
    }
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
    let exactly = if format == Format::Gif { Encoding::Palette } else { Encoding::Lossless };
    let lossless = || expected_lossless(format, kind).map(|bytes| (exactly, bytes));
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
    use crate::Size;

    fn facts(alpha: bool, kind: Kind) -> Facts {
        Facts { alpha, ..Facts::plain(Format::Jpeg, Size::new(4800, 3200), kind) }
    }

    #[track_caller]
    fn sends(recipe: &str, facts: &Facts, accept: &str, format: Format) -> Choice {
        let recipe = recipe.parse().expect(recipe);
        let choice = choose(&recipe, facts, Accepted::from_header(accept), &Policy::default()).expect("a choice");
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
        let error = choose(&"as-webp".parse().expect("a recipe"), &wide, Accepted::EVERYTHING, &Policy::default())
            .expect_err("too long");
        assert!(error.to_string().contains("20000 x 100"), "{error}");
        sends("fidelity-70", &wide, "image/webp", Format::Jpeg);
    }

    #[test]
    fn what_moves_keeps_moving_where_the_viewer_can_see_it() {
        let windsock = Facts { motion: true, ..Facts::plain(Format::Gif, Size::new(400, 300), Kind::Flat) };
        assert!(sends("200w", &windsock, "image/avif,image/webp", Format::Webp).moving);
        assert!(sends("200w", &windsock, "*/*", Format::Gif).moving);
        assert!(!sends("200w_still", &windsock, "*/*", Format::Png).moving);
        assert!(!sends("200w_as-avif", &windsock, "*/*", Format::Avif).moving);
    }

    #[test]
    fn a_vector_stays_one_unless_pixels_are_asked_for() {
        let mark = Facts { alpha: true, ..Facts::plain(Format::Svg, Size::new(40, 30), Kind::Flat) };
        assert_eq!(sends("640w_ratio-1-1", &mark, "image/avif", Format::Svg).encoding, Encoding::Vector);
        assert_eq!(sends("640w_as-png", &mark, "image/avif", Format::Png).plan.size, Size::new(640, 480));
        sends("640w_blur-3", &mark, "image/webp", Format::Webp);
        assert!(!varies_by_accept(&"640w".parse().expect("a recipe"), &mark));
        let huge = choose(&"16000w_as-jxl".parse().expect("a recipe"), &mark, Accepted::EVERYTHING, &Policy::default());
        assert!(matches!(huge, Err(ChoiceError::TooMany { .. })));
    }

    #[test]
    fn a_wide_gamut_is_kept_where_the_policy_says_so() {
        let front = Facts { wide: true, ..facts(false, Kind::Photo) };
        let gamut = |policy: Policy| {
            choose(&"640w".parse().expect("a recipe"), &front, Accepted::EVERYTHING, &policy).expect("a choice").gamut
        };
        assert_eq!(gamut(Policy::default()), Gamut::Srgb);
        assert_eq!(gamut(Policy { gamut: Gamut::DisplayP3, ..Policy::default() }), Gamut::DisplayP3);
    }

    proptest! {
        #[test]
        fn no_format_is_sent_that_was_not_accepted(
            avif in any::<bool>(), webp in any::<bool>(), alpha in any::<bool>(), flat in any::<bool>(), width in 1u32..6000,
        ) {
            let header = format!("{}{}*/*", if avif { "image/avif," } else { "" }, if webp { "image/webp," } else { "" });
            let facts = facts(alpha, if flat { Kind::Flat } else { Kind::Photo });
            let recipe: Recipe = format!("{width}w").parse().expect("a recipe");
            let choice = choose(&recipe, &facts, Accepted::from_header(&header), &Policy::default()).expect("a choice");
            prop_assert!(avif || choice.format != Format::Avif);
            prop_assert!(webp || choice.format != Format::Webp);
            prop_assert!(!alpha || choice.format.has_alpha());
            prop_assert!(choice.candidates.iter().all(|other| other.predicted_bytes >= choice.candidates[0].predicted_bytes));
        }
    }
}
