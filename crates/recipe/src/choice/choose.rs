//! The rules of the choice.

use super::{
    candidates::Scene,
    outcome::{Choice, Edits, Reason},
    target::Aim,
};
use crate::{
    CanvasColour, Curves, Encoding, Facts, Filter, Format, Gamut, Plan, Policy, Recipe, Request,
    Size, WidthFrom, plan_for, stays_vector,
};

/// The most pixels a vector is drawn at: it has no size of its own to hold it back.
const MAX_DRAWN_PIXELS: u64 = 40_000_000;

/// A recipe that cannot be followed for this original.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum ChoiceError {
    /// A side is longer than any format, or the one named, can hold.
    #[error(
        "the rendition would be {size} pixels, more than {format} can hold ({max} a side); ask for a smaller width"
    )]
    TooLong {
        /// The rendition's size.
        size: Size,
        /// The format asked for.
        format: Format,
        /// Its longest side.
        max: u32,
    },
    /// A vector would be drawn at more pixels than is allowed.
    #[error("the drawing would be {size} pixels, more than the {} million a vector is drawn at; ask for a smaller width", MAX_DRAWN_PIXELS / 1_000_000)]
    TooMany {
        /// The rendition's size.
        size: Size,
    },
    /// The named format is not written by this build.
    #[error(
        "this build of Kivet writes no {format}; leave `as-{format}` out, or name avif, webp, jpeg or png"
    )]
    NotBuilt {
        /// The format.
        format: Format,
    },
}

/// Chooses what to make of an original with `facts` and `curves` for one request.
///
/// # Errors
/// If no format that may be sent can hold the size.
pub fn choose(
    recipe: &Recipe,
    facts: &Facts,
    curves: &Curves,
    request: &Request,
    policy: &Policy,
) -> Result<Choice, ChoiceError> {
    if recipe.original {
        // A drawing is cleaned whoever asks for it, and however it is packed.
        let encoding =
            if facts.format == Format::Svg { Encoding::Vector } else { Encoding::Original };
        return Ok(passed_on(recipe, facts, encoding, Reason::Original));
    }
    if stays_vector(recipe, facts) {
        return Ok(passed_on(recipe, facts, Encoding::Vector, Reason::Vector));
    }
    let (recipe, width) = request.settle(recipe);
    let (recipe, aim) = Aim::of(recipe, width, request, policy);
    let plan = plan_for(&recipe, facts);
    check(&recipe, facts, &plan, policy)?;
    let animated = facts.animated && !recipe.still && recipe.format.is_none_or(Format::can_animate);
    let transparent = is_transparent(&recipe, facts, &plan);
    let (target, accepted) = (aim.target, request.accepted);
    let scene = Scene {
        recipe: &recipe,
        facts,
        curves,
        policy,
        plan: &plan,
        animated,
        transparent,
        target,
        accepted,
    };
    let candidates = scene.candidates();
    let Some((best, reason)) = scene.best(&candidates) else {
        let format = recipe.format.unwrap_or(Format::Png);
        return Err(ChoiceError::TooLong { size: plan.size, format, max: format.max_side() });
    };
    // What moves is written without a profile.
    let wide = facts.wide && !animated && best.format != Format::Gif && facts.format != Format::Svg;
    let lossy = matches!(best.encoding, Encoding::Lossy { .. });
    let private = matches!(width, WidthFrom::Hints { .. }) || (lossy && aim.by_hint);
    if scene.is_original_lighter(&best) {
        let choice = passed_on(&recipe, facts, Encoding::Original, Reason::LighterOriginal);
        return Ok(Choice { private, width, candidates, plan, ..choice });
    }
    Ok(Choice {
        edits: edits(&recipe, &plan, policy),
        private,
        width,
        animated,
        gamut: if wide { policy.gamut } else { Gamut::Srgb },
        format: best.format,
        encoding: scene.first_encoding(&best),
        full_chroma: lossy && facts.storage.is_lossless(),
        flatten: flatten(&recipe, best.format, transparent),
        target: lossy.then_some(aim.target),
        lowered: if lossy { aim.lowered } else { Vec::new() },
        candidates,
        reason,
        plan,
        recipe,
    })
}

/// Refuses vectors drawn too large, and a format that this build does not write.
fn check(recipe: &Recipe, facts: &Facts, plan: &Plan, policy: &Policy) -> Result<(), ChoiceError> {
    if facts.format == Format::Svg && plan.size.pixels() > MAX_DRAWN_PIXELS {
        return Err(ChoiceError::TooMany { size: plan.size });
    }
    match recipe.format {
        Some(format @ Format::Jxl) if !policy.jxl => Err(ChoiceError::NotBuilt { format }),
        _ => Ok(()),
    }
}

/// The original in its own format.
fn passed_on(recipe: &Recipe, facts: &Facts, encoding: Encoding, reason: Reason) -> Choice {
    let plan = plan_for(recipe, facts);
    Choice {
        edits: edits(recipe, &plan, &Policy::default()),
        recipe: recipe.clone(),
        width: WidthFrom::Recipe,
        private: false,
        plan,
        animated: facts.animated,
        gamut: Gamut::Srgb,
        format: facts.format,
        encoding,
        full_chroma: false,
        flatten: None,
        target: None,
        lowered: Vec::new(),
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
    let given = plan
        .requested_size
        .map_or(1.0, |asked| f64::from(plan.size.width) / f64::from(asked.width));
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
