//! Markup as JSON.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// Finished markup.
#[derive(Debug, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct MarkupResponse {
    /// The element.
    pub html: String,
    /// What it offers, smallest first.
    pub ladder: Vec<LadderStepResponse>,
    /// What a person still has to decide.
    pub notes: Vec<String>,
}

/// One candidate of the `srcset`.
#[derive(Debug, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct LadderStepResponse {
    /// The recipe.
    pub recipe: String,
    /// Pixels across that come out.
    pub width: u32,
    /// Pixels down that come out.
    pub height: u32,
}
