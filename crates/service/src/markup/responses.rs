//! Markup as JSON.

use kivet_page::{OfferedLayout, OfferedStep, Trade, markup::Markup};
use kivet_recipe::Quality;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// Finished markup.
#[derive(Debug, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct MarkupResponse {
    /// The markup of each original, in the order they were named.
    pub pictures: Vec<PictureMarkup>,
    /// Elements for the page's head.
    pub head: Vec<String>,
    /// Headers for the page's response.
    pub headers: Vec<String>,
    /// Rules for the page's stylesheet.
    pub css: Vec<String>,
    /// What a person still has to decide.
    pub notes: Vec<String>,
}

/// The markup of one original.
#[derive(Debug, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct PictureMarkup {
    /// The original, as `shelf/path`.
    pub original: String,
    /// The markup.
    pub text: String,
    /// What the place offers of it: a ladder for each of its layouts.
    pub ladders: Vec<LadderResponse>,
}

/// The candidates of one layout, and what they cost.
#[derive(Debug, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct LadderResponse {
    /// The media condition of the layout; absent for the one that holds everywhere else.
    pub media: Option<String>,
    /// The candidates, smallest first.
    pub steps: Vec<StepResponse>,
    /// What they cost.
    pub cost: TradeResponse,
    /// What one width fewer would cost.
    pub fewer: Option<TradeResponse>,
    /// What one more would cost.
    pub more: Option<TradeResponse>,
}

/// One candidate.
#[derive(Debug, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct StepResponse {
    /// Its recipe.
    pub recipe: String,
    /// Pixels across that come out.
    pub width: u32,
    /// Pixels down that come out.
    pub height: u32,
    /// The fidelity target; absent for vectors.
    pub target: Option<u8>,
    /// The bytes expected of it.
    pub bytes: u64,
    /// The share of views that take it, 0 to 1.
    pub share: f64,
}

/// What a number of widths costs over the population of screens.
#[derive(Clone, Copy, Debug, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct TradeResponse {
    /// How many widths.
    pub widths: usize,
    /// Bytes above the exactly fitting ones, of all views together: 0.08 for 8%.
    pub surplus: f64,
    /// The same on the screen where it is largest.
    pub screen_surplus: f64,
    /// Pixels missing on average, in browsers that round to the nearer candidate.
    pub shortfall: f64,
}

impl MarkupResponse {
    /// Adds one picture's markup; what holds for the whole page is said once.
    pub(super) fn add(&mut self, markup: Markup, one: PictureMarkup) {
        let Markup { text: _, head, headers, css, notes } = markup;
        self.pictures.push(one);
        add_new(&mut self.head, head);
        add_new(&mut self.headers, headers);
        add_new(&mut self.css, css);
        add_new(&mut self.notes, notes);
    }
}

fn add_new(known: &mut Vec<String>, more: impl IntoIterator<Item = String>) {
    for line in more {
        if !known.contains(&line) {
            known.push(line);
        }
    }
}

impl LadderResponse {
    /// Of one layout.
    pub fn of(media: Option<&str>, offered: &OfferedLayout) -> Self {
        Self {
            media: media.map(str::to_owned),
            steps: offered.steps.iter().map(StepResponse::of).collect(),
            cost: TradeResponse::of(&offered.cost),
            fewer: offered.fewer.as_ref().map(TradeResponse::of),
            more: offered.more.as_ref().map(TradeResponse::of),
        }
    }
}

impl StepResponse {
    fn of(step: &OfferedStep) -> Self {
        let OfferedStep { recipe, size, bytes, share } = step;
        Self {
            recipe: recipe.to_string(),
            width: size.width,
            height: size.height,
            target: recipe.quality.and_then(|quality| match quality {
                Quality::Fidelity(target) => Some(target.get()),
                Quality::Lossless => None,
            }),
            bytes: *bytes,
            share: *share,
        }
    }
}

impl TradeResponse {
    fn of(trade: &Trade) -> Self {
        let Trade { widths, surplus, screen_surplus, shortfall } = *trade;
        Self { widths, surplus, screen_surplus, shortfall }
    }
}
