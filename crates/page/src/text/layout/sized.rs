//! Pictures, frames, and what is taken out of the flow.

use scraper::ElementRef;

use super::{Layout, Room, is_replaced, ratio};
use crate::{Basis, observation::Area, text::style::Style};

impl Layout<'_> {
    /// A picture, frame or inline block: as wide as it says or is.
    pub(super) fn sized(&mut self, element: ElementRef<'_>, room: Room) -> f64 {
        if !is_replaced(element) {
            return self.block(element, room);
        }
        let style = self.styles.style(element);
        let font = self.font(element, style, room);
        self.fonts.insert(element.id(), font);
        let basis = Basis { percent: Some(room.width), ..self.basis(element) };
        let down = Basis { percent: room.height, ..basis };
        let side = |name: &str| style.length(name, &basis).unwrap_or(0.0);
        let padding = (side("padding-left") + side("padding-right"), side("padding-top") + side("padding-bottom"));
        let frame = matches!(element.value().name(), "iframe" | "video" | "embed" | "object");
        let natural = (self.natural)(element).or(frame.then_some((300.0, 150.0)));
        let own_ratio = style.get("aspect-ratio").and_then(ratio);
        let auto_ratio = style.get("aspect-ratio").is_none_or(|value| value.starts_with("auto"));
        let shape = natural.map(|(width, height)| width / height);
        let shape = if auto_ratio && !frame { shape.or(own_ratio) } else { own_ratio.or(shape.filter(|_| !frame)) };
        let set = (style.length("width", &basis), style.length("height", &down));
        let (mut width, mut height) = match (set, shape) {
            ((Some(width), Some(height)), _) => (width, height),
            ((Some(width), None), Some(shape)) => (width, width / shape),
            ((None, Some(height)), Some(shape)) => (height * shape, height),
            ((width, height), _) => {
                let (own_width, own_height) = natural.unwrap_or((0.0, 0.0));
                (width.unwrap_or(own_width), height.unwrap_or(own_height))
            }
        };
        if let Some(most) = style.length("max-width", &basis).filter(|most| *most < width) {
            if set.1.is_none() && width > 0.0 {
                height *= most / width;
            }
            width = most;
        }
        if let Some(most) = style.length("max-height", &down).filter(|most| *most < height) {
            if set.0.is_none() && height > 0.0 {
                width *= most / height;
            }
            height = most;
        }
        let margin = (side("margin-left"), side("margin-top"), side("margin-bottom"));
        let area =
            Area { x: room.x + margin.0, y: room.y + margin.1, width: width + padding.0, height: height + padding.1 };
        self.areas.insert(element.id(), area);
        area.height + margin.1 + margin.2
    }

    /// Something taken out of the flow: by its insets in the box around it.
    pub(super) fn placed(&mut self, element: ElementRef<'_>, style: &Style, room: Room) {
        let basis = Basis { percent: Some(room.width), ..self.basis(element) };
        let down = Basis { percent: room.height, ..basis };
        let (left, right) = (style.length("left", &basis), style.length("right", &basis));
        let (top, bottom) = (style.length("top", &down), style.length("bottom", &down));
        let width = match (left, right) {
            (Some(left), Some(right)) => (room.width - left - right).max(0.0),
            _ => room.width,
        };
        let within = Room { x: room.x + left.unwrap_or(0.0), y: room.y + top.unwrap_or(0.0), width, ..room };
        self.item(element, within);
        if let (None, Some(bottom), Some(height), Some(area)) = (top, bottom, room.height, self.area(element)) {
            self.areas.insert(element.id(), Area { y: room.y + height - bottom - area.height, ..area });
        }
    }
}
