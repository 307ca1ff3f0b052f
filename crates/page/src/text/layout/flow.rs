//! Blocks below each other, with lines of text and pictures between them.

use scraper::{ElementRef, Node};

use super::{LETTER, Layout, Room, is_nowhere, is_out_of_flow, is_replaced, kinds::is_block};
use crate::observation::Area;

impl Layout<'_> {
    /// Lays out what is inside a block and answers its height.
    pub(super) fn flow(&mut self, element: ElementRef<'_>, room: Room) -> f64 {
        let (mut y, mut line) = (room.y, Line::default());
        for child in element.children() {
            if let Node::Text(text) = child.value() {
                line.add(text, room);
            }
            let Some(child) = ElementRef::wrap(child) else { continue };
            let style = self.styles.style(child);
            let floats = style.get("float").is_some_and(|side| side != "none");
            if is_nowhere(child, style) {
                continue;
            }
            if is_out_of_flow(style) {
                self.placed(child, style, room);
            } else if floats {
                self.sized(child, Room { y, ..room });
            } else if is_block(child, style) {
                y += line.end(room);
                y += self.item(child, Room { y, ..room });
            } else {
                self.inline(child, Room { y, ..room }, &mut line);
            }
        }
        y + line.end(room) - room.y
    }

    /// An element within a line.
    fn inline(&mut self, element: ElementRef<'_>, room: Room, line: &mut Line) {
        let style = self.styles.style(element);
        if is_replaced(element) || style.get("display").is_some_and(|display| display.starts_with("inline-")) {
            let x = if line.width + 1.0 < room.width { room.x + line.width } else { room.x };
            let height = self.sized(element, Room { x, y: room.y + line.above(room), ..room });
            line.width += self.area(element).map_or(0.0, |area| area.width);
            line.tallest = line.tallest.max(height);
            return;
        }
        let start = line.width;
        for child in element.children() {
            if let Node::Text(text) = child.value() {
                line.add(text, room);
            }
            let Some(child) = ElementRef::wrap(child) else { continue };
            let style = self.styles.style(child);
            if is_nowhere(child, style) {
                continue;
            }
            if is_out_of_flow(style) {
                self.placed(child, style, room);
            } else if is_block(child, style) {
                line.tallest = line.tallest.max(self.item(child, room));
            } else {
                self.inline(child, room, line);
            }
        }
        let area = Area {
            x: room.x + start,
            y: room.y,
            width: (line.width - start).min(room.width),
            height: line.tallest.max(room.font * room.line),
        };
        self.areas.insert(element.id(), area);
    }
}

/// Lines of text and pictures not yet ended by a block.
#[derive(Default)]
struct Line {
    width: f64,
    tallest: f64,
}

impl Line {
    fn add(&mut self, text: &str, room: Room) {
        let letters: usize = text.split_whitespace().map(|word| word.len() + 1).sum();
        self.width += letters as f64 * room.font * LETTER;
    }

    /// The height of full lines above the one being filled.
    fn above(&self, room: Room) -> f64 {
        (self.width / room.width.max(1.0)).floor() * self.tallest.max(room.font * room.line)
    }

    fn end(&mut self, room: Room) -> f64 {
        let Self { width, tallest } = std::mem::take(self);
        if width <= 0.0 {
            return tallest;
        }
        let lines = (width / room.width.max(1.0)).ceil().max(1.0);
        let text = room.font * room.line;
        if tallest > text { (lines - 1.0).max(0.0) * tallest.min(text) + tallest } else { lines * text }
    }
}
