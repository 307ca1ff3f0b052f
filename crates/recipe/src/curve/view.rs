//! What a rendition shows of its original.

use serde::{Deserialize, Serialize};

use crate::{Facts, Plan};

/// How much of an original's detail a rendition holds: the base-two logarithm of drawn to cropped
/// pixels, in length.
#[derive(Clone, Copy, Debug, PartialEq, PartialOrd, Serialize, Deserialize)]
#[serde(transparent)]
pub struct Scale(pub(super) f32);

impl Scale {
    /// Its value: 0 at full size, -1 at half the width and height.
    pub const fn powers_of_two(self) -> f32 {
        self.0
    }

    /// The scale a plan draws at.
    pub fn of(plan: &Plan) -> Self {
        let share = plan.drawn.pixels() as f64 / (plan.crop.width * plan.crop.height).max(1.0);
        Self((share.log2() / 2.0) as f32)
    }
}

/// How a rendition shows its original: all that predictions know of both.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct View {
    /// How much of the original's detail it holds.
    pub scale: Scale,
    pub(super) detail: Option<f32>,
}

impl View {
    /// What a plan shows of an original.
    pub fn of(plan: &Plan, facts: &Facts) -> Self {
        Self { scale: Scale::of(plan), detail: facts.detail }
    }

    /// How much more complex its pixels are than usual, within 1.5 either way; 0 if unknown. The
    /// more a picture is reduced, the more of its detail comes together in a pixel.
    pub fn complexity(self) -> f32 {
        const USUAL: f32 = 2.9;
        const MAX: f32 = 1.5;
        self.detail.map_or(0.0, |detail| (detail - self.scale.0 / 2.0 - USUAL).clamp(-MAX, MAX))
    }
}
