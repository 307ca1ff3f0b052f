//! What is cropped and what size comes out: CSS `object-fit` and `object-position` (CSS Images 3, sections 5.1
//! and 5.2) with one rule of our own: nothing is ever enlarged.

use serde::{Deserialize, Serialize};

use crate::{CanvasColour, Fit, Position, Recipe};

/// Width and height in whole pixels.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub struct Size {
    /// Pixels from left to right.
    pub width: u32,
    /// Pixels from top to bottom.
    pub height: u32,
}

impl Size {
    /// A size of `width` by `height` pixels.
    pub const fn new(width: u32, height: u32) -> Self {
        Self { width, height }
    }

    /// How many pixels it holds.
    pub const fn pixels(self) -> u64 {
        self.width as u64 * self.height as u64
    }
}

impl std::fmt::Display for Size {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{} x {}", self.width, self.height)
    }
}

/// A region of the upright original in its own pixels; fractions are meant.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
pub struct Rect {
    /// Left edge.
    pub x: f64,
    /// Top edge.
    pub y: f64,
    /// Width, above 0.
    pub width: f64,
    /// Height, above 0.
    pub height: f64,
}

/// The canvas a `contain` picture lies on.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
pub struct Canvas {
    /// Pixels between the canvas's left edge and the picture.
    pub left: u32,
    /// Pixels between the canvas's top edge and the picture.
    pub top: u32,
}

/// What to cut from an original and what to make of it.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
pub struct Plan {
    /// The region kept.
    pub crop: Rect,
    /// The size that region is drawn at; never above the region's own.
    pub drawn: Size,
    /// Where it is drawn, if the rendition is larger than it.
    pub canvas: Option<Canvas>,
    /// The size of the rendition.
    pub size: Size,
    /// The size that was asked for, if it was larger than the original can give.
    pub held_back_from: Option<Size>,
}

/// The plan of `recipe` for an original shown at `natural` pixels (at least 1 by 1).
pub fn plan(recipe: &Recipe, natural: Size) -> Plan {
    let (nw, nh) = (f64::from(natural.width), f64::from(natural.height));
    let whole = Rect { x: 0.0, y: 0.0, width: nw, height: nh };
    let asked = asked_box(recipe, nw, nh);
    match recipe.effective_fit() {
        None => scaled(whole, (nw, nh), asked),
        Some(Fit::Cover) => {
            let crop = cover(recipe.position.unwrap_or(Position::CENTER), nw, nh, asked.0 / asked.1);
            scaled(crop, (crop.width, crop.height), asked)
        }
        Some(Fit::Fill) => scaled(whole, (nw, nh), asked),
        Some(Fit::Contain) if recipe.canvas.is_some() => on_canvas(recipe, whole, asked),
        Some(Fit::Contain | Fit::ScaleDown) => {
            let scale = (asked.0 / nw).min(asked.1 / nh);
            scaled(whole, (nw, nh), (nw * scale, nh * scale))
        }
    }
}

/// The box the recipe asks for, density included; sides left open follow the ratio, else the original.
fn asked_box(recipe: &Recipe, nw: f64, nh: f64) -> (f64, f64) {
    let density = recipe.density.map_or(1.0, |density| density.factor());
    let ratio = recipe.ratio.map_or(nw / nh, |ratio| ratio.value());
    let side = |pixels: u32| f64::from(pixels) * density;
    match (recipe.width, recipe.height) {
        (Some(width), Some(height)) => (side(width), side(height)),
        (Some(width), None) => (side(width), side(width) / ratio),
        (None, Some(height)) => (side(height) * ratio, side(height)),
        (None, None) => {
            let height = nh.min(nw / ratio);
            (height * ratio, height)
        }
    }
}

/// The largest region of the wanted shape, placed as `object-position` says.
fn cover(position: Position, nw: f64, nh: f64, ratio: f64) -> Rect {
    let (width, height) = if nw / nh > ratio { (nh * ratio, nh) } else { (nw, nw / ratio) };
    let (left, top) = position.shares();
    Rect { x: (nw - width) * left, y: (nh - height) * top, width, height }
}

/// `crop` drawn at the asked size, or at the largest size of that shape which `limit` allows.
fn scaled(crop: Rect, limit: (f64, f64), asked: (f64, f64)) -> Plan {
    let scale = (limit.0 / asked.0).min(limit.1 / asked.1).min(1.0);
    let size = whole_pixels(asked.0 * scale, asked.1 * scale);
    let wanted = whole_pixels(asked.0, asked.1);
    Plan { crop, drawn: size, canvas: None, size, held_back_from: (wanted != size).then_some(wanted) }
}

/// The picture whole inside the box, the box filled up; a box too large shrinks until the picture is not enlarged.
fn on_canvas(recipe: &Recipe, whole: Rect, asked: (f64, f64)) -> Plan {
    let scale = (asked.0 / whole.width).min(asked.1 / whole.height);
    let shrink = scale.max(1.0);
    let size = whole_pixels(asked.0 / shrink, asked.1 / shrink);
    let drawn = whole_pixels(whole.width * scale / shrink, whole.height * scale / shrink);
    let drawn = Size::new(drawn.width.min(size.width), drawn.height.min(size.height));
    let (left, top) = recipe.position.unwrap_or(Position::CENTER).shares();
    let canvas = Canvas {
        left: (f64::from(size.width - drawn.width) * left).round() as u32,
        top: (f64::from(size.height - drawn.height) * top).round() as u32,
    };
    let wanted = whole_pixels(asked.0, asked.1);
    Plan { crop: whole, drawn, canvas: Some(canvas), size, held_back_from: (wanted != size).then_some(wanted) }
}

fn whole_pixels(width: f64, height: f64) -> Size {
    Size::new((width.round() as u32).max(1), (height.round() as u32).max(1))
}

impl Plan {
    /// The colour around the drawn picture, if any of the rendition lies outside it.
    pub fn surround(&self, recipe: &Recipe) -> Option<CanvasColour> {
        recipe.canvas.filter(|_| self.drawn != self.size)
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn planned(recipe: &str, width: u32, height: u32) -> Plan {
        plan(&recipe.parse().expect(recipe), Size::new(width, height))
    }

    #[track_caller]
    fn gives(recipe: &str, natural: (u32, u32), size: (u32, u32)) {
        assert_eq!(planned(recipe, natural.0, natural.1).size, Size::new(size.0, size.1), "{recipe}");
    }

    #[test]
    fn sizes_follow_the_box() {
        gives("640w", (4000, 3000), (640, 480));
        gives("360h", (4000, 3000), (480, 360));
        gives("320w_2x", (4000, 3000), (640, 480));
        gives("ratio-1-1", (4000, 3000), (3000, 3000));
        gives("640w_ratio-16-9", (4000, 3000), (640, 360));
        gives("640w_640h_contain", (4000, 3000), (640, 480));
        gives("640w_640h_contain_on-ffffff", (4000, 3000), (640, 640));
        gives("640w_640h_fill", (4000, 3000), (640, 640));
        gives("640w_640h_scale-down", (4000, 3000), (640, 480));
        gives("1w", (100, 9000), (1, 90));
        gives("as-webp", (4000, 3000), (4000, 3000));
    }

    #[test]
    fn a_box_too_large_gives_the_largest_of_its_shape_and_says_so() {
        gives("8000w", (4000, 3000), (4000, 3000));
        gives("4000w_4000h", (4000, 3000), (3000, 3000));
        gives("1000w_1000h_contain_on-ffffff", (400, 300), (400, 400));
        gives("1000w_500h_fill", (400, 300), (400, 200));
        assert_eq!(planned("8000w", 4000, 3000).held_back_from, Some(Size::new(8000, 6000)));
        assert_eq!(planned("640w", 4000, 3000).held_back_from, None);
    }

    #[test]
    fn position_shares_out_what_is_cut() {
        let crop = |recipe: &str| planned(recipe, 4000, 3000).crop;
        assert_eq!(crop("ratio-1-1").x, 500.0);
        assert_eq!(crop("ratio-1-1_at-left").x, 0.0);
        assert_eq!(crop("ratio-1-1_at-30-40").x, 300.0);
        assert_eq!(crop("ratio-4-1_at-bottom").y, 2000.0);
        let canvas = planned("400w_400h_contain_on-clear_at-top", 4000, 3000).canvas.expect("a canvas");
        assert_eq!((canvas.left, canvas.top), (0, 0));
    }

    proptest! {
        #[test]
        fn nothing_is_enlarged_and_every_crop_lies_inside(
            width in 1u32..9000, height in 1u32..9000, w in 1u32..9000, h in 1u32..9000,
            fit in 0usize..4, x in 0u8..=100, y in 0u8..=100, density in 50u16..=400, canvas in any::<bool>(),
        ) {
            let fit = Fit::ALL[fit];
            let mut text = format!("{w}w_{h}h_{}x_{}", f64::from(density) / 100.0, fit.name());
            if canvas { text.push_str("_on-102030"); }
            if fit == Fit::Cover || (fit == Fit::Contain && canvas) { text.push_str(&format!("_at-{x}-{y}")); }
            let plan = planned(&text, width, height);
            let crop = plan.crop;
            prop_assert!(crop.x >= -1e-6 && crop.y >= -1e-6);
            prop_assert!(crop.x + crop.width <= f64::from(width) + 1e-6);
            prop_assert!(crop.y + crop.height <= f64::from(height) + 1e-6);
            // Half a pixel of rounding, and the floor of one pixel, are all that is allowed.
            prop_assert!(f64::from(plan.drawn.width) <= (crop.width + 0.5).max(1.0));
            prop_assert!(f64::from(plan.drawn.height) <= (crop.height + 0.5).max(1.0));
            prop_assert!(plan.size.width >= plan.drawn.width && plan.size.height >= plan.drawn.height);
            if let Some(at) = plan.canvas {
                prop_assert!(at.left + plan.drawn.width <= plan.size.width);
                prop_assert!(at.top + plan.drawn.height <= plan.size.height);
            }
        }
    }
}
