//! Rows and columns: flex, grid and table rows.

use scraper::ElementRef;

use super::{LETTER, Layout, Room, is_nowhere, is_out_of_flow, is_replaced};
use crate::{
    Basis,
    text::{
        style::Style,
        tracks::{span, tracks},
    },
};

impl Layout<'_> {
    /// The children that take part in rows and columns.
    fn items<'e>(&self, element: ElementRef<'e>) -> Vec<ElementRef<'e>> {
        let styles = self.styles;
        element
            .child_elements()
            .filter(|child| !is_nowhere(*child, styles.style(*child)) && !is_out_of_flow(styles.style(*child)))
            .collect()
    }

    pub(super) fn columns(&mut self, element: ElementRef<'_>, style: &Style, room: Room) -> f64 {
        let basis = Basis { percent: Some(room.width), ..self.basis(element) };
        let gap = |name: &str| style.length(name, &basis).unwrap_or(0.0);
        let (across, down) = (gap("column-gap"), gap("row-gap"));
        let tracks = tracks(style.get("grid-template-columns").unwrap_or("1fr"), room.width, across, &basis);
        let (mut y, mut at) = (room.y, 0);
        let (mut x, mut tallest) = (room.x, 0.0_f64);
        for item in self.items(element) {
            let spans = span(self.styles.style(item), tracks.len());
            if at + spans > tracks.len() {
                y += tallest + down;
                (at, x, tallest) = (0, room.x, 0.0);
            }
            let width = tracks[at..at + spans].iter().sum::<f64>() + across * (spans as f64 - 1.0);
            tallest = tallest.max(self.item(item, Room { x, y, width, height: None, ..room }));
            x += width + across;
            at += spans;
        }
        y + tallest - room.y
    }

    pub(super) fn row(&mut self, element: ElementRef<'_>, style: &Style, room: Room) -> f64 {
        let basis = Basis { percent: Some(room.width), ..self.basis(element) };
        let gap = style.length("column-gap", &basis).unwrap_or(0.0);
        let wraps = style.get("flex-wrap").is_some_and(|wrap| wrap.starts_with("wrap"));
        let items = self.items(element);
        let wanted: Vec<(f64, f64)> = items.iter().map(|item| self.wanted(*item, room, &basis)).collect();
        let gaps = gap * (items.len() as f64 - 1.0).max(0.0);
        let over = room.width - gaps - wanted.iter().map(|(width, _)| width).sum::<f64>();
        let grow: f64 = wanted.iter().map(|(_, grow)| grow).sum();
        let (mut x, mut y, mut tallest, mut lowest) = (room.x, room.y, 0.0_f64, 0.0_f64);
        for (item, (width, own)) in items.iter().zip(&wanted) {
            let width = if over > 0.0 && grow > 0.0 { width + over * own / grow } else { *width };
            if wraps && x > room.x && x + width > room.x + room.width + 0.5 {
                y += tallest + style.length("row-gap", &basis).unwrap_or(0.0);
                (x, tallest) = (room.x, 0.0);
            }
            tallest = tallest.max(self.item(*item, Room { x, y, width, ..room }));
            lowest = lowest.max(y + tallest - room.y);
            x += width + gap;
        }
        lowest
    }

    /// The width an item of a row wants, and its share of what is over.
    fn wanted(&self, item: ElementRef<'_>, room: Room, basis: &Basis) -> (f64, f64) {
        let style = self.styles.style(item);
        let grow = style.get("flex-grow").and_then(|grow| grow.parse().ok()).unwrap_or(0.0);
        let padding =
            style.length("padding-left", basis).unwrap_or(0.0) + style.length("padding-right", basis).unwrap_or(0.0);
        let set = style.length("flex-basis", basis).or_else(|| style.length("width", basis));
        let content = || {
            let natural = item.descendent_elements().filter_map(|inner| {
                let style = self.styles.style(inner);
                if !is_replaced(inner) {
                    return None;
                }
                style.length("width", basis).or_else(|| Some((self.natural)(inner)?.0))
            });
            let letters: usize = item.text().map(str::len).sum();
            natural.fold(letters as f64 * room.font * LETTER, f64::max).min(room.width)
        };
        (set.unwrap_or_else(|| content() + padding), grow)
    }

    /// A block, or what is as large as it says.
    pub(super) fn item(&mut self, item: ElementRef<'_>, room: Room) -> f64 {
        if is_replaced(item) { self.sized(item, room) } else { self.block(item, room) }
    }
}
