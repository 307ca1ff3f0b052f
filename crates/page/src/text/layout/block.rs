//! One block: its margins, its width, what is inside, its height.

use scraper::ElementRef;

use super::{Layout, Room, kinds::usual_margin, ratio};
use crate::{Basis, observation::Area, text::style::Style};

/// Widths of the four sides around a box.
#[derive(Clone, Copy)]
struct Sides {
    top: f64,
    right: f64,
    bottom: f64,
    left: f64,
}

impl Sides {
    /// Of `margin` or `padding`, where `usual` is what holds if nothing is said.
    fn of(name: &str, style: &Style, basis: &Basis, usual: Self) -> Self {
        let side = |which: &str, usual: f64| {
            let name = format!("{name}-{which}");
            match style.get(&name) {
                Some("auto") => 0.0,
                Some(_) => style.length(&name, basis).unwrap_or(usual),
                None => usual,
            }
        };
        Self {
            top: side("top", usual.top),
            right: side("right", usual.right),
            bottom: side("bottom", usual.bottom),
            left: side("left", usual.left),
        }
    }

    fn across(self) -> f64 {
        self.left + self.right
    }

    fn down(self) -> f64 {
        self.top + self.bottom
    }
}

impl Layout<'_> {
    /// Lays out a block in the room and answers the height it takes, margins included.
    pub(super) fn block(&mut self, element: ElementRef<'_>, room: Room) -> f64 {
        let styles = self.styles;
        let style = styles.style(element);
        let font = self.font(element, style, room);
        self.fonts.insert(element.id(), font);
        let basis = Basis { percent: Some(room.width), ..self.basis(element) };
        let down = Basis { percent: room.height, ..basis };
        let tag = element.value().name();
        let (above, beside) = usual_margin(tag, font);
        let usual = Sides { top: above, right: beside, bottom: above, left: beside };
        let margin = Sides::of("margin", style, &basis, usual);
        let indent = if matches!(tag, "ul" | "ol") { 40.0 } else { 0.0 };
        let usual = Sides { top: 0.0, right: 0.0, bottom: 0.0, left: indent };
        let padding = Sides::of("padding", style, &basis, usual);

        let width = outer_width(style, &basis, room.width - margin.across(), padding);
        let centred = style.is("margin-left", "auto") && style.is("margin-right", "auto");
        let x = if centred { room.x + (room.width - width).max(0.0) / 2.0 } else { room.x + margin.left };
        let y = room.y + margin.top;
        let set = ratio_height(style, width).or_else(|| style.length("height", &down));
        let inside = Room {
            x: x + padding.left,
            y: y + padding.top,
            width: (width - padding.across()).max(0.0),
            height: set.or_else(|| style.length("min-height", &down)),
            font,
            line: line_height(style, &basis, font).unwrap_or(room.line),
        };
        let content = self.contents(element, style, inside);
        let height = outer_height(style, &down, set, content, padding);
        self.areas.insert(element.id(), Area { x, y, width, height });
        height + margin.down()
    }
}

fn is_border_box(style: &Style) -> bool {
    style.is("box-sizing", "border-box")
}

/// The width of the border box: all of `fill` unless it is set, within its limits.
fn outer_width(style: &Style, basis: &Basis, fill: f64, padding: Sides) -> f64 {
    let outer = |value: f64| if is_border_box(style) { value } else { value + padding.across() };
    let width = style.length("width", basis).map_or(fill.max(0.0), outer);
    let most = style.length("max-width", basis).map_or(f64::INFINITY, outer);
    let least = style.length("min-width", basis).map_or(0.0, outer);
    width.min(most).max(least)
}

/// The height of the border box: that of its `content` unless it is `set`, within its limits.
fn outer_height(style: &Style, down: &Basis, set: Option<f64>, content: f64, padding: Sides) -> f64 {
    let height = match set {
        Some(height) if is_border_box(style) => height,
        Some(height) => height + padding.down(),
        None => content + padding.down(),
    };
    let least = style.length("min-height", down).unwrap_or(0.0);
    let most = style.length("max-height", down).unwrap_or(f64::INFINITY);
    height.max(least).min(most)
}

/// The height an `aspect-ratio` gives where none is set.
fn ratio_height(style: &Style, width: f64) -> Option<f64> {
    let height_is_auto = style.get("height").is_none_or(|value| value == "auto");
    ratio(style.get("aspect-ratio")?).filter(|_| height_is_auto).map(|ratio| width / ratio)
}

/// Lines as multiples of the font.
fn line_height(style: &Style, basis: &Basis, font: f64) -> Option<f64> {
    let value = style.get("line-height")?;
    value.parse().ok().or_else(|| Some(crate::length(value, basis)? / font))
}
