//! A recipe's clauses and its outcome as JSON.

use kivet_recipe::{
    Candidate, CanvasColour, Choice, Clauses as RecipeClauses, Fit, Format, Plan, Quality, Recipe,
    Size,
};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use crate::schema;

/// A recipe that can be followed, taken apart.
#[derive(Debug, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct RecipeResponse {
    /// The canonical form.
    pub canonical: String,
    /// Its clauses.
    pub clauses: Clauses,
    /// What comes out for the original that was named, for a client that accepts every format.
    pub outcome: Option<Outcome>,
}

/// The clauses of a recipe; absent ones are not in it.
#[derive(Debug, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct Clauses {
    /// `640w`.
    pub width: Option<u32>,
    /// `360h`.
    pub height: Option<u32>,
    /// `2x`.
    pub density: Option<f64>,
    /// `ratio-3-2`, without `ratio-`.
    pub ratio: Option<String>,
    /// `cover` and its kin.
    #[schema(schema_with = schema::optional_fit, required = false)]
    pub fit: Option<Fit>,
    /// `at-top`, without `at-`.
    pub position: Option<String>,
    /// `fidelity-70`.
    pub fidelity: Option<u8>,
    /// `lossless`.
    pub lossless: bool,
    /// `as-avif`, without `as-`.
    #[schema(schema_with = schema::optional_format, required = false)]
    pub format: Option<Format>,
    /// `on-f4efe6`, without `on-`.
    pub canvas: Option<String>,
    /// All other clauses, as written: places, turns, filters, overlays, metadata.
    pub edits: Vec<String>,
}

/// What comes out.
#[derive(Debug, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct Outcome {
    /// Pixels across.
    pub width: u32,
    /// Pixels down.
    pub height: u32,
    /// The region kept, in pixels of the upright original: left, top, width, height.
    pub crop: [f64; 4],
    /// What was asked for, width and height, if it was larger than the original can give.
    pub requested_size: Option<[u32; 2]>,
    /// Every format that could be sent, fewest expected bytes first.
    pub candidates: Vec<CandidateResponse>,
}

/// One format that could be sent.
#[derive(Debug, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct CandidateResponse {
    /// The format.
    #[schema(schema_with = schema::format)]
    pub format: Format,
    /// How it would be written, in words.
    pub encoding: String,
    /// Bytes expected.
    pub predicted_bytes: u64,
}

impl RecipeResponse {
    /// A recipe, and what comes of it where an original was named.
    pub fn new(recipe: &Recipe, choice: Option<&Choice>) -> Self {
        Self {
            canonical: recipe.to_string(),
            clauses: Clauses::of(recipe),
            outcome: choice.map(Outcome::of),
        }
    }
}

impl Clauses {
    fn of(recipe: &Recipe) -> Self {
        let RecipeClauses {
            width,
            height,
            density,
            place,
            ratio,
            fit,
            position,
            trim,
            turn,
            flip_x,
            flip_y,
            filters,
            overlays,
            still,
            quality,
            format,
            canvas,
            keep,
            original: _,
        } = &**recipe;
        let word = |set: bool, word: &str| set.then(|| word.to_owned());
        let edits = place
            .iter()
            .map(|name| format!("@{name}"))
            .chain(word(*trim, "trim"))
            .chain(turn.map(|turn| format!("rotate-{}", turn.degrees())))
            .chain(word(*flip_x, "flip-x"))
            .chain(word(*flip_y, "flip-y"))
            .chain(filters.iter().map(ToString::to_string))
            .chain(overlays.iter().map(|name| format!("overlay-{name}")))
            .chain(word(*still, "still"))
            .chain(keep.map(|keep| keep.name().to_owned()))
            .collect();
        let argument =
            |clause: String, word: &str| clause.strip_prefix(word).unwrap_or(&clause).to_owned();
        Self {
            width: *width,
            height: *height,
            density: density.map(|density| density.factor()),
            ratio: ratio.map(|ratio| argument(ratio.to_string(), "ratio-")),
            fit: *fit,
            position: position.map(|position| argument(position.to_string(), "at-")),
            fidelity: quality.and_then(|quality| match quality {
                Quality::Fidelity(fidelity) => Some(fidelity.get()),
                Quality::Lossless => None,
            }),
            lossless: *quality == Some(Quality::Lossless),
            format: *format,
            canvas: canvas.map(|canvas: CanvasColour| argument(canvas.to_string(), "on-")),
            edits,
        }
    }
}

impl Outcome {
    fn of(choice: &Choice) -> Self {
        let Plan { crop, size, requested_size, .. } = &choice.plan;
        let answer = |candidate: &Candidate| CandidateResponse {
            format: candidate.format,
            encoding: candidate.encoding.to_string(),
            predicted_bytes: candidate.predicted_bytes.get(),
        };
        Self {
            width: size.width,
            height: size.height,
            crop: [crop.x, crop.y, crop.width, crop.height],
            requested_size: requested_size.map(|Size { width, height }| [width, height]),
            candidates: choice.candidates.iter().map(answer).collect(),
        }
    }
}
