//! Where a picture lies in its box, and what of it is seen (CSS Images 3, 5.5; CSS Backgrounds 3,
//! 3.9).

use serde::Deserialize;

/// A rectangle in CSS pixels, page coordinates.
#[derive(Clone, Copy, Debug, Default, PartialEq, Deserialize)]
#[serde(default)]
pub struct Area {
    /// Left edge.
    pub x: f64,
    /// Top edge.
    pub y: f64,
    /// Extent across.
    pub width: f64,
    /// Extent down.
    pub height: f64,
}

impl Area {
    /// The part both have; empty if none.
    pub fn intersection(self, other: Self) -> Self {
        let (x, y) = (self.x.max(other.x), self.y.max(other.y));
        let right = (self.x + self.width).min(other.x + other.width);
        let bottom = (self.y + self.height).min(other.y + other.height);
        Self { x, y, width: (right - x).max(0.0), height: (bottom - y).max(0.0) }
    }

    /// True if there is nothing in it.
    pub fn is_empty(self) -> bool {
        self.width < 0.5 || self.height < 0.5
    }

    /// CSS pixels it covers.
    pub fn extent(self) -> f64 {
        self.width * self.height
    }
}

/// A box at one window, in CSS pixels.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Boxed {
    /// The window.
    pub window: (f64, f64),
    /// The box; zero if it is not shown.
    pub size: (f64, f64),
    /// Why it was measured there.
    pub of: Window,
}

/// Why a page was laid out at a window.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Window {
    /// It is a device's.
    Device,
    /// It is of the sweep over widths, all at one height.
    Swept,
    /// It has another height or shape.
    Shape,
}

/// How a picture is stretched over its box.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Covering {
    /// It keeps its ratio; what stands over is cut.
    Kept,
    /// It is stretched to the box.
    Stretched,
    /// It is a tile or a piece of a sprite: what is not seen was not meant to be.
    Piece,
}

/// Where a whole picture is drawn, and which part of that is seen.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Placement {
    /// The whole picture, in page coordinates.
    pub drawn: Area,
    /// What of it is seen.
    pub seen: Area,
    /// How it got there.
    pub covering: Covering,
}

impl Placement {
    /// Places a picture whose sides relate as `ratio` (width over height) in `area`, of which
    /// `uncut` is left.
    pub fn new(natural: (f64, f64), area: Area, uncut: Area, fit: &str, position: &str) -> Self {
        let ratio = natural.0 / natural.1;
        let inside = area.width.min(area.height * ratio);
        let outside = area.width.max(area.height * ratio);
        let (width, height, covering) = match fit {
            "contain" => (inside, inside / ratio, Covering::Kept),
            "cover" => (outside, outside / ratio, Covering::Kept),
            "none" => (natural.0, natural.1, Covering::Kept),
            "scale-down" => (inside.min(natural.0), inside.min(natural.0) / ratio, Covering::Kept),
            "fill" | "100% 100%" => (area.width, area.height, Covering::Stretched),
            other => background_size(other, area, ratio, natural),
        };
        let (left, top) = offset(position, area.width - width, area.height - height);
        let drawn = Area { x: area.x + left, y: area.y + top, width, height };
        Self { drawn, seen: drawn.intersection(area).intersection(uncut), covering }
    }

    /// The seen part in fractions of the picture: left, top, width, height.
    pub fn seen_part(&self) -> Area {
        let Area { x, y, width, height } = self.drawn;
        if self.drawn.is_empty() {
            return Area::default();
        }
        Area {
            x: (self.seen.x - x) / width,
            y: (self.seen.y - y) / height,
            width: self.seen.width / width,
            height: self.seen.height / height,
        }
    }

    /// The share of the picture that is cut away, 0 to 1.
    pub fn cut(&self) -> f64 {
        let part = self.seen_part();
        1.0 - part.width * part.height
    }
}

/// Sizes other than the two keywords: lengths, percentages, `auto`.
fn background_size(
    size: &str,
    area: Area,
    ratio: f64,
    natural: (f64, f64),
) -> (f64, f64, Covering) {
    let side = |text: Option<&str>, whole: f64| {
        let text = text?;
        text.strip_suffix('%')
            .and_then(|number| Some(number.parse::<f64>().ok()? / 100.0 * whole))
            .or_else(|| text.strip_suffix("px")?.parse().ok())
    };
    let mut words = size.split_ascii_whitespace();
    match (side(words.next(), area.width), side(words.next(), area.height)) {
        (Some(width), Some(height)) => (width, height, Covering::Stretched),
        (Some(width), None) => (width, width / ratio, Covering::Piece),
        (None, Some(height)) => (height * ratio, height, Covering::Piece),
        (None, None) => (natural.0, natural.1, Covering::Piece),
    }
}

/// Left and top for a computed position, given the room that is over (negative where something is
/// cut).
fn offset(position: &str, across: f64, down: f64) -> (f64, f64) {
    let one = |text: Option<&str>, room: f64| {
        let text = text.unwrap_or("50%");
        text.strip_suffix('%')
            .and_then(|number| Some(number.parse::<f64>().ok()? / 100.0 * room))
            .or_else(|| text.strip_suffix("px")?.parse().ok())
            .unwrap_or(room / 2.0)
    };
    let mut words = position.split_ascii_whitespace();
    (one(words.next(), across), one(words.next(), down))
}

#[cfg(test)]
mod tests {
    use super::*;

    const BOX: Area = Area { x: 10.0, y: 20.0, width: 300.0, height: 100.0 };

    #[test]
    fn what_is_cut_is_what_css_cuts() {
        let placed = |fit: &str| Placement::new((600.0, 400.0), BOX, BOX, fit, "50% 50%");
        assert_eq!(placed("cover").drawn, Area { x: 10.0, y: -30.0, width: 300.0, height: 200.0 });
        assert_eq!(placed("cover").seen_part(), Area { x: 0.0, y: 0.25, width: 1.0, height: 0.5 });
        assert_eq!(placed("contain").drawn, Area { x: 85.0, y: 20.0, width: 150.0, height: 100.0 });
        assert_eq!((placed("contain").cut(), placed("fill").cut()), (0.0, 0.0));
        assert!((placed("none").cut() - (1.0 - 300.0 * 100.0 / 240_000.0)).abs() < 1e-9);
        assert_eq!(placed("auto").covering, Covering::Piece);
    }

    #[test]
    fn a_clipping_parent_cuts_too() {
        let half = Area { height: 50.0, ..BOX };
        let placed = Placement::new((300.0, 100.0), BOX, half, "fill", "50% 50%");
        assert_eq!(placed.cut(), 0.5);
        let elsewhere = Area { x: 900.0, ..BOX };
        assert!(Placement::new((300.0, 100.0), BOX, elsewhere, "fill", "50% 50%").seen.is_empty());
    }
}
