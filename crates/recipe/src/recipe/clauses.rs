//! The clauses of a recipe as plain data, and how they are written.

use std::fmt;

use super::values::{CanvasColour, Density, Fit, Keep, Placement, Quality, Ratio, Turn};
use crate::{Filter, Format, Orientation, PlaceName};

/// The clauses of a recipe, absent ones empty. Nothing is guaranteed of them until they are a
/// [`Recipe`](super::Recipe).
#[derive(Clone, Debug, Default, PartialEq, Eq, Hash)]
pub struct Clauses {
    /// `640w`: width of the box in pixels, 1 to [`Recipe::MAX_SIDE`](super::Recipe::MAX_SIDE).
    pub width: Option<u32>,
    /// `360h`: height of the box in pixels, 1 to [`Recipe::MAX_SIDE`](super::Recipe::MAX_SIDE).
    pub height: Option<u32>,
    /// `2x`: multiplies the box.
    pub density: Option<Density>,
    /// `@card`: the geometry of a place.
    pub place: Option<PlaceName>,
    /// `ratio-3-2`: completes a missing side, and crops.
    pub ratio: Option<Ratio>,
    /// `cover`, `contain`, `fill`, `scale-down`.
    pub fit: Option<Fit>,
    /// `at-30-40`, `at-top`, `at-subject`: what `cover` keeps, where `contain` puts the picture on
    /// its canvas.
    pub position: Option<Placement>,
    /// `trim`: uniform borders off, before anything else.
    pub trim: bool,
    /// `rotate-90`: turned clockwise, after the original's own orientation was applied.
    pub turn: Option<Turn>,
    /// `flip-x`: left and right swap places, after the turn.
    pub flip_x: bool,
    /// `flip-y`: top and bottom swap places, after the turn.
    pub flip_y: bool,
    /// Filters in the order they are applied; none twice on one region.
    pub filters: Vec<Filter>,
    /// `overlay-mark`: names of configured pictures laid over it, in the order they are laid; none
    /// twice.
    pub overlays: Vec<String>,
    /// `still`: the first frame of an animated picture.
    pub still: bool,
    /// `fidelity-70` or `lossless`.
    pub quality: Option<Quality>,
    /// `as-avif`: a fixed format.
    pub format: Option<Format>,
    /// `on-f4efe6`, `on-clear`: the colour behind the picture.
    pub canvas: Option<CanvasColour>,
    /// `keep-credit`, `keep-all`: metadata kept.
    pub keep: Option<Keep>,
    /// `original`: the file itself, location cut out. Stands alone.
    pub original: bool,
}

impl Clauses {
    /// The fit that applies: the one named, else `cover` where the recipe gives two sides or a
    /// ratio.
    pub fn effective_fit(&self) -> Option<Fit> {
        self.fit.or_else(|| self.has_shape().then_some(Fit::Cover))
    }

    /// True if width and height are both settled, or their ratio is.
    pub fn has_shape(&self) -> bool {
        self.ratio.is_some() || (self.width.is_some() && self.height.is_some())
    }

    /// True if nothing in it says how many pixels are wanted.
    pub fn leaves_width_open(&self) -> bool {
        self.width.is_none() && self.height.is_none() && self.density.is_none() && !self.original
    }

    /// How stored pixels are turned to be what the recipe sees: upright first, then as it asks.
    pub fn turned(&self, orientation: Orientation) -> Orientation {
        let flips = Orientation { transpose: false, flip_x: self.flip_x, flip_y: self.flip_y };
        orientation.then(self.turn.map_or(Orientation::UPRIGHT, Turn::orientation)).then(flips)
    }

    /// True if the crop follows the subject that analysis finds.
    pub fn wants_subject(&self) -> bool {
        self.effective_fit() == Some(Fit::Cover)
            && matches!(self.position, None | Some(Placement::Focus | Placement::Subject))
    }

    /// Each clause as it is written, in canonical order.
    pub fn written(&self) -> Vec<String> {
        let Self {
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
            original,
        } = self;
        let word = |set: bool, word: &str| set.then(|| word.to_owned());
        let geometry = [
            width.map(|pixels| format!("{pixels}w")),
            height.map(|pixels| format!("{pixels}h")),
            density.map(|density| density.to_string()),
            place.as_ref().map(|name| format!("@{name}")),
            ratio.map(|ratio| ratio.to_string()),
            fit.map(|fit| fit.name().to_owned()),
            position.map(|position| position.to_string()),
            word(*trim, "trim"),
            turn.map(|turn| format!("rotate-{}", turn.degrees())),
            word(*flip_x, "flip-x"),
            word(*flip_y, "flip-y"),
        ];
        let edits = filters
            .iter()
            .map(Filter::to_string)
            .chain(overlays.iter().map(|name| format!("overlay-{name}")));
        let output = [
            word(*still, "still"),
            quality.map(|quality| quality.to_string()),
            format.map(|format| format!("as-{format}")),
            canvas.map(|canvas| canvas.to_string()),
            keep.map(|keep| keep.name().to_owned()),
            word(*original, "original"),
        ];
        geometry.into_iter().flatten().chain(edits).chain(output.into_iter().flatten()).collect()
    }
}

impl fmt::Display for Clauses {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.written().join("_"))
    }
}
