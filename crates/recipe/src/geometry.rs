//! What is cropped and what size comes out: CSS `object-fit` and `object-position` (CSS Images 3,
//! sections 5.1 and 5.2) with one rule of our own: nothing is ever enlarged.

use crate::{
    CanvasColour, Facts, Fit, Format, Orientation, Placement, Position, Recipe, Rect, Size,
    Storage, subject::Stretch,
};

/// The canvas a `contain` picture lies on.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Canvas {
    /// Pixels between the canvas's left edge and the picture.
    pub left: u32,
    /// Pixels between the canvas's top edge and the picture.
    pub top: u32,
}

/// What to cut from an original and what to make of it.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Plan {
    /// How the stored pixels are turned to be what the recipe sees.
    pub turned: Orientation,
    /// The region kept, of the picture so turned.
    pub crop: Rect,
    /// The size that region is drawn at; never above the region's own, but for vectors.
    pub drawn: Size,
    /// Where it is drawn, if the rendition is larger than it.
    pub canvas: Option<Canvas>,
    /// The size of the rendition.
    pub size: Size,
    /// The size that was asked for, if it was larger than the original can give.
    pub requested_size: Option<Size>,
}

/// The plan of `recipe` for an upright original of `natural` pixels (at least 1 by 1) of which
/// nothing else is known: sizes are right, and crops without a position are taken from the middle.
pub fn plan(recipe: &Recipe, natural: Size) -> Plan {
    plan_for(recipe, &Facts::plain(Format::Png, natural, Storage::Lossy))
}

/// True if the original is a vector and its rendition is one too. Filters, overlays and the search for
/// borders need pixels; all else a vector can follow as one.
pub fn stays_vector(recipe: &Recipe, facts: &Facts) -> bool {
    facts.format == Format::Svg
        && recipe.format.is_none()
        && recipe.filters.is_empty()
        && recipe.overlays.is_empty()
        && !recipe.trim
}

/// The plan of `recipe` for an original with `facts`.
pub fn plan_for(recipe: &Recipe, facts: &Facts) -> Plan {
    let scene = Scene::new(recipe, facts);
    let Rect { width, height, .. } = scene.whole;
    let asked = asked_box(recipe, width, height);
    let plan = match recipe.effective_fit() {
        None | Some(Fit::Fill) => scene.scaled(scene.whole, asked),
        Some(Fit::Cover) => scene.scaled(scene.cover(recipe, asked.0 / asked.1), asked),
        Some(Fit::Contain) if recipe.canvas.is_some() => scene.on_canvas(recipe, asked),
        Some(Fit::Contain | Fit::ScaleDown) => {
            let scale = (asked.0 / width).min(asked.1 / height);
            scene.scaled(scene.whole, (width * scale, height * scale))
        }
    };
    Plan { turned: recipe.turned(facts.orientation), ..plan }
}

/// The box the recipe asks for, density included; sides left open follow the ratio, else the
/// original.
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

/// The picture as the recipe sees it: turned, its borders off where it asks.
struct Scene<'a> {
    /// All of it that counts.
    whole: Rect,
    /// The turned picture, borders included.
    size: Size,
    /// From upright to turned.
    turn: Orientation,
    facts: &'a Facts,
}

impl<'a> Scene<'a> {
    fn new(recipe: &Recipe, facts: &'a Facts) -> Self {
        let turn = recipe.turned(Orientation::default());
        let upright = Rect::whole(facts.size);
        let kept = facts.trim_box.filter(|_| recipe.trim).unwrap_or(upright);
        Self { whole: turn.apply_to(kept, facts.size), size: turn.apply(facts.size), turn, facts }
    }

    /// The largest region of the wanted shape, placed as `object-position` says, or around what
    /// matters.
    fn cover(&self, recipe: &Recipe, ratio: f64) -> Rect {
        let Rect { x, y, width: nw, height: nh } = self.whole;
        let (width, height) = if nw / nh > ratio { (nh * ratio, nh) } else { (nw, nw / ratio) };
        let (left, top) = match recipe.position {
            Some(Placement::At(position)) => position.shares(),
            Some(Placement::Subject) => self.around_subject(width, height),
            Some(Placement::Focus) | None => self.facts.focus.map_or_else(
                || self.around_subject(width, height),
                |focus| self.around_focus(focus, width, height),
            ),
        };
        Rect { x: x + (nw - width) * left, y: y + (nh - height) * top, width, height }
    }

    /// Shares of the free space that put the middle of the window on the focus, as nearly as it
    /// fits.
    fn around_focus(&self, focus: Position, width: f64, height: f64) -> (f64, f64) {
        let (x, y) = focus.shares();
        let upright = self.facts.size;
        let point = Rect {
            x: x * f64::from(upright.width),
            y: y * f64::from(upright.height),
            width: 0.0,
            height: 0.0,
        };
        let point = self.turn.apply_to(point, upright);
        let share = |at: f64, from: f64, length: f64, window: f64| {
            let free = length - window;
            if free > 0.0 { ((at - from - window / 2.0) / free).clamp(0.0, 1.0) } else { 0.5 }
        };
        let Rect { x, y, width: nw, height: nh } = self.whole;
        (share(point.x, x, nw, width), share(point.y, y, nh, height))
    }

    fn around_subject(&self, width: f64, height: f64) -> (f64, f64) {
        let Some(analysis) = &self.facts.analysis else { return Position::CENTER.shares() };
        let subject = analysis.subject.turned(self.turn);
        let (nw, nh) = (f64::from(self.size.width), f64::from(self.size.height));
        let Rect { x, y, width: ww, height: wh } = self.whole;
        let across = Stretch { from: x / nw, to: (x + ww) / nw };
        let down = Stretch { from: y / nh, to: (y + wh) / nh };
        (subject.across(across, width / nw), subject.down(down, height / nh))
    }

    /// `crop` drawn at the asked size, or at the largest size of that shape which it fills.
    fn scaled(&self, crop: Rect, asked: (f64, f64)) -> Plan {
        let scale = match self.facts.format {
            Format::Svg => 1.0,
            _ => (crop.width / asked.0).min(crop.height / asked.1).min(1.0),
        };
        let size = whole_pixels(asked.0 * scale, asked.1 * scale);
        self.plan(crop, size, None, size, asked)
    }

    /// The picture whole inside the box, the box filled up; a box too large shrinks until the
    /// picture is not enlarged.
    fn on_canvas(&self, recipe: &Recipe, asked: (f64, f64)) -> Plan {
        let scale = (asked.0 / self.whole.width).min(asked.1 / self.whole.height);
        let shrink = if self.facts.format == Format::Svg { 1.0 } else { scale.max(1.0) };
        let size = whole_pixels(asked.0 / shrink, asked.1 / shrink);
        let (left, top) = match recipe.position {
            Some(Placement::At(position)) => position.shares(),
            _ => Position::CENTER.shares(),
        };
        let (left, right) = snapped(size.width, self.whole.width * scale / shrink, left);
        let (top, bottom) = snapped(size.height, self.whole.height * scale / shrink, top);
        let drawn = Size::new(right - left, bottom - top);
        let canvas = Canvas { left, top };
        self.plan(self.whole, drawn, Some(canvas), size, asked)
    }

    fn plan(
        &self,
        crop: Rect,
        drawn: Size,
        canvas: Option<Canvas>,
        size: Size,
        asked: (f64, f64),
    ) -> Plan {
        let wanted = whole_pixels(asked.0, asked.1);
        let requested_size = (wanted != size).then_some(wanted);
        Plan { turned: self.turn, crop, drawn, canvas, size, requested_size }
    }
}

/// Both edges of a picture `length` long in a box, each rounded to the pixel it is nearest to, as
/// browsers snap them.
fn snapped(box_length: u32, length: f64, share: f64) -> (u32, u32) {
    let start = (f64::from(box_length) - length).max(0.0) * share;
    let (from, to) = (start.round() as u32, (start + length).round() as u32);
    // A picture at its own size must not gain a pixel where an edge falls on a half and the
    // arithmetic is a hair off.
    let max = (length - 1e-6).ceil() as u32;
    let to = to.clamp(1, box_length).min(from + max.max(1));
    (from.min(to - 1), to)
}

fn whole_pixels(width: f64, height: f64) -> Size {
    Size::new((width.round() as u32).max(1), (height.round() as u32).max(1))
}

impl Plan {
    /// The colour around the drawn picture, if any of the rendition lies outside it.
    pub fn surround(&self, recipe: &Recipe) -> Option<CanvasColour> {
        recipe.canvas.filter(|_| self.drawn != self.size)
    }

    /// The region kept, in the coordinates of the stored picture.
    pub fn stored_crop(&self, upright: Size, orientation: Orientation) -> Rect {
        let stored = orientation.apply(upright);
        self.turned.inverse().apply_to(self.crop, self.turned.apply(stored))
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::{Analysis, Subject};

    fn planned(recipe: &str, width: u32, height: u32) -> Plan {
        plan(&recipe.parse().expect(recipe), Size::new(width, height))
    }

    #[track_caller]
    fn gives(recipe: &str, natural: (u32, u32), size: (u32, u32)) {
        assert_eq!(
            planned(recipe, natural.0, natural.1).size,
            Size::new(size.0, size.1),
            "{recipe}"
        );
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
        assert_eq!(planned("8000w", 4000, 3000).requested_size, Some(Size::new(8000, 6000)));
        assert_eq!(planned("640w", 4000, 3000).requested_size, None);
    }

    #[test]
    fn position_shares_out_what_is_cut() {
        let crop = |recipe: &str| planned(recipe, 4000, 3000).crop;
        assert_eq!(crop("ratio-1-1").x, 500.0);
        assert_eq!(crop("ratio-1-1_at-left").x, 0.0);
        assert_eq!(crop("ratio-1-1_at-30-40").x, 300.0);
        assert_eq!(crop("ratio-4-1_at-bottom").y, 2000.0);
        let canvas =
            planned("400w_400h_contain_on-clear_at-top", 4000, 3000).canvas.expect("a canvas");
        assert_eq!((canvas.left, canvas.top), (0, 0));
        let halves = planned("3742w_2330h_2.16x_contain_on-102030_at-0-11", 5516, 1585);
        assert_eq!(halves.drawn, Size::new(5516, 1585), "edges on a half do not add a pixel");
    }

    #[test]
    fn turns_and_flips_come_before_the_box() {
        gives("640w_rotate-90", (4000, 3000), (640, 853));
        gives("640w_rotate-180_flip-x", (4000, 3000), (640, 480));
        let turned = planned("ratio-1-1_at-top_rotate-90", 4000, 3000);
        let stored = turned.stored_crop(Size::new(4000, 3000), Orientation::default());
        assert_eq!(
            (stored.x, stored.width),
            (0.0, 3000.0),
            "the left edge is on top after a quarter turn clockwise"
        );
    }

    #[test]
    fn a_crop_follows_the_focus_then_the_subject_then_the_middle() {
        let mut facts = Facts::plain(Format::Jpeg, Size::new(400, 100), Storage::Lossy);
        let left =
            |recipe: &str, facts: &Facts| plan_for(&recipe.parse().expect(recipe), facts).crop.x;
        assert_eq!(left("ratio-1-1", &facts), 150.0);
        let weights = (0..8).map(|x| if x == 7 { 255 } else { 0 }).collect();
        let subject = Subject::new(8, weights).expect("a grid");
        facts.analysis = Some(Analysis { subject, dominant: [0; 3], soft: None });
        assert_eq!(left("ratio-1-1", &facts), 300.0);
        facts.focus = Position::new(25, 50);
        assert_eq!(
            (left("ratio-1-1", &facts), left("ratio-1-1_at-subject", &facts)),
            (50.0, 300.0)
        );
        assert_eq!(left("ratio-1-1_flip-x", &facts), 250.0);
        facts.trim_box = Some(Rect { x: 120.0, y: 0.0, width: 200.0, height: 100.0 });
        assert_eq!(left("ratio-1-1_trim", &facts), 120.0);
        assert_eq!(plan_for(&"trim".parse().expect("a recipe"), &facts).size, Size::new(200, 100));
    }

    #[test]
    fn vectors_have_no_largest_size() {
        let facts = Facts::plain(Format::Svg, Size::new(40, 30), Storage::Vector);
        assert_eq!(plan_for(&"640w".parse().expect("a recipe"), &facts).size, Size::new(640, 480));
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
            prop_assert!(f64::from(plan.drawn.width) <= (crop.width + 0.5).max(1.0) + 1e-6);
            prop_assert!(f64::from(plan.drawn.height) <= (crop.height + 0.5).max(1.0) + 1e-6);
            prop_assert!(plan.size.width >= plan.drawn.width && plan.size.height >= plan.drawn.height);
            if let Some(at) = plan.canvas {
                prop_assert!(at.left + plan.drawn.width <= plan.size.width);
                prop_assert!(at.top + plan.drawn.height <= plan.size.height);
            }
        }
    }
}
