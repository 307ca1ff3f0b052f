//! What to send: a pure function of recipe, facts, curves, request and policy, with its reasons.

mod candidates;
mod target;
mod varies;

use std::fmt;

use serde::{Deserialize, Serialize};

use crate::{
    Basis, CanvasColour, Curves, Facts, Fidelity, Filter, Format, Gamut, Keep, Plan, Policy, Recipe, Request,
    WidthFrom, plan_for,
};
use candidates::Scene;
use target::Aim;
pub use target::Lowered;
pub use varies::{Varies, varies};

/// The most pixels a vector is drawn at: it has no size of its own to hold it back.
const MAX_DRAWN_PIXELS: u64 = 40_000_000;

/// A format expected to take more than so many times the fewest bytes is not tried: hardly any turns out to take the fewest. WebP
/// takes longest to write, so it must be nearer.
const fn trial_limit(format: Format) -> f64 {
    if matches!(format, Format::Webp) { 1.1 } else { 1.3 }
}

/// How a format is to be written.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
#[serde(rename_all = "lowercase", tag = "how")]
pub enum Encoding {
    /// At the encoder's own quality setting, 0 to 100.
    Lossy {
        /// The setting.
        setting: f32,
    },
    /// Losslessly.
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

/// The preset of an encoder.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Effort {
    /// The fast preset: for a response that a viewer waits for.
    #[default]
    Fast,
    /// The slow preset: for the background, where the bytes are sent many times.
    Slow,
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

fn shown<S: serde::Serializer>(recipe: &Recipe, serializer: S) -> Result<S::Ok, S::Error> {
    serializer.collect_str(recipe)
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
    /// The bytes its final rendition is expected to take.
    pub predicted_bytes: u64,
    /// The score expected of it; lossless if `None`.
    pub predicted_fidelity: Option<f32>,
    /// What both rest on.
    pub basis: Basis,
}

/// Why a format was chosen.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Reason {
    /// The recipe names it with `as-`.
    Named,
    /// Of those the request accepts, it is expected to take the fewest bytes.
    FewestBytes,
    /// Others are expected to take fewer bytes, but the request wants them less, by more than they save.
    Preferred,
    /// It is the least work to write among those whose bytes the policy finds close enough.
    LeastWork,
    /// A vector stays one.
    Vector,
    /// The recipe asks for the original.
    Original,
}

/// What to make of an original for one request, and why.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Choice {
    /// The recipe that is followed: its width settled by the hints where it left it open, its density by thrift.
    #[serde(serialize_with = "shown")]
    pub recipe: Recipe,
    /// Where the width comes from.
    pub width: WidthFrom,
    /// What to cut and at which size.
    pub plan: Plan,
    /// What is done to the pixels then.
    pub edits: Edits,
    /// True if the rendition moves as the original does.
    pub animated: bool,
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
    /// The fidelity aimed at; lossless if `None`.
    pub target: Option<Fidelity>,
    /// What lowered the target.
    pub lowered: Vec<Lowered>,
    /// Every format that could have been sent: those that reach the target first, fewest expected bytes first.
    pub candidates: Vec<Candidate>,
    /// The rule that decided.
    pub reason: Reason,
}

impl Choice {
    /// True if a client hint decided the pixels: an answer for this viewer alone.
    pub const fn is_private(&self) -> bool {
        matches!(self.width, WidthFrom::Hints { .. })
    }

    /// The lossy candidates that may turn out to take the fewest bytes: worth trying once at this very size.
    pub fn trial_candidates(&self) -> impl Iterator<Item = &Candidate> {
        let fewest = self.candidates.first().map_or(0.0, |best| best.predicted_bytes as f64);
        let lossy = |one: &&Candidate| matches!(one.encoding, Encoding::Lossy { .. });
        self.candidates
            .iter()
            .filter(lossy)
            .filter(move |one| one.predicted_bytes as f64 <= fewest * trial_limit(one.format))
    }
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
    #[error("the drawing would be {size} pixels, more than the {} million a vector is drawn at; ask for a smaller width", MAX_DRAWN_PIXELS / 1_000_000)]
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

/// Filters, overlays and the search for borders need pixels; all else a vector can follow as one.
fn stays_vector(recipe: &Recipe, facts: &Facts) -> bool {
    facts.format == Format::Svg
        && recipe.format.is_none()
        && recipe.filters.is_empty()
        && recipe.overlays.is_empty()
        && !recipe.trim
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
        let encoding = if facts.format == Format::Svg { Encoding::Vector } else { Encoding::Original };
        return Ok(passed_on(recipe, facts, encoding, Reason::Original));
    }
    if stays_vector(recipe, facts) {
        return Ok(passed_on(recipe, facts, Encoding::Vector, Reason::Vector));
    }
    let (recipe, width) = request.settle(recipe);
    let (recipe, aim) = Aim::of(recipe, request, policy);
    let plan = plan_for(&recipe, facts);
    if facts.format == Format::Svg && plan.size.pixels() > MAX_DRAWN_PIXELS {
        return Err(ChoiceError::TooMany { size: plan.size });
    }
    if recipe.format == Some(Format::Jxl) && !policy.jxl {
        return Err(ChoiceError::NotBuilt { format: Format::Jxl });
    }
    let animated = facts.animated && !recipe.still && recipe.format.is_none_or(Format::can_animate);
    let transparent = is_transparent(&recipe, facts, &plan);
    let (target, accepted) = (aim.target, request.accepted);
    let scene = Scene { recipe: &recipe, facts, curves, policy, plan: &plan, animated, transparent, target, accepted };
    let candidates = scene.candidates();
    let Some((best, reason)) = scene.best(&candidates) else {
        let format = recipe.format.unwrap_or(Format::Png);
        return Err(ChoiceError::TooLong { size: plan.size, format, max: format.max_side() });
    };
    // What moves is written without a profile.
    let wide = facts.wide && !animated && best.format != Format::Gif && facts.format != Format::Svg;
    let lossy = matches!(best.encoding, Encoding::Lossy { .. });
    Ok(Choice {
        edits: edits(&recipe, &plan, policy),
        width,
        animated,
        gamut: if wide { policy.gamut } else { Gamut::Srgb },
        format: best.format,
        encoding: scene.first_encoding(&best),
        effort: Effort::Fast,
        flatten: flatten(&recipe, best.format, transparent),
        target: lossy.then_some(aim.target),
        lowered: if lossy { aim.lowered } else { Vec::new() },
        candidates,
        reason,
        plan,
        recipe,
    })
}

/// The original in its own format.
fn passed_on(recipe: &Recipe, facts: &Facts, encoding: Encoding, reason: Reason) -> Choice {
    let plan = plan_for(recipe, facts);
    Choice {
        edits: edits(recipe, &plan, &Policy::default()),
        recipe: recipe.clone(),
        width: WidthFrom::Recipe,
        plan,
        animated: facts.animated,
        gamut: Gamut::Srgb,
        format: facts.format,
        encoding,
        effort: Effort::Fast,
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
    let given = plan.requested_size.map_or(1.0, |asked| f64::from(plan.size.width) / f64::from(asked.width));
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

#[cfg(test)]
mod tests;
