//! Where things are, roughly: blocks, columns, rows and pictures, without fonts. Widths come out as in a browser for
//! the layouts pages mostly use; heights of text are estimated from its length.

use std::collections::HashMap;

use scraper::{ElementRef, Node};

use super::{
    document::{Document, NodeId},
    style::{Style, Styles},
    tracks::{span, tracks},
};
use crate::{Basis, Device, observation::Area};

/// A letter is about half as wide as its font is high.
const LETTER: f64 = 0.5;

/// The boxes of a page's elements: border boxes, in page coordinates.
pub(super) struct Layout<'a> {
    styles: &'a Styles,
    device: &'a Device,
    /// The natural size of the picture an element shows, in CSS pixels.
    natural: &'a dyn Fn(ElementRef<'_>) -> Option<(f64, f64)>,
    areas: HashMap<NodeId, Area>,
    fonts: HashMap<NodeId, f64>,
}

/// The room something is laid out in.
#[derive(Clone, Copy)]
struct Room {
    x: f64,
    y: f64,
    width: f64,
    /// Its height, where that is set.
    height: Option<f64>,
    font: f64,
    line: f64,
}

impl<'a> Layout<'a> {
    /// Lays out a page.
    pub fn of(
        document: &Document,
        styles: &'a Styles,
        device: &'a Device,
        natural: &'a dyn Fn(ElementRef<'_>) -> Option<(f64, f64)>,
    ) -> Self {
        let mut layout = Self { styles, device, natural, areas: HashMap::new(), fonts: HashMap::new() };
        let room = Room {
            x: 0.0,
            y: 0.0,
            width: f64::from(device.width),
            height: Some(f64::from(device.height)),
            font: 16.0,
            line: 1.2,
        };
        if let Some(root) = document.elements("html").next() {
            layout.block(root, room);
        }
        layout
    }

    /// The box of an element; `None` if it is laid out nowhere.
    pub fn area(&self, element: ElementRef<'_>) -> Option<Area> {
        self.areas.get(&element.id()).copied()
    }

    /// What lengths on an element are relative to, but for percentages.
    pub fn basis(&self, element: ElementRef<'_>) -> Basis {
        let em = self.fonts.get(&element.id()).copied().unwrap_or(16.0);
        Basis { em, ..Basis::viewport(f64::from(self.device.width), f64::from(self.device.height)) }
    }

    /// The box inside padding.
    pub fn content(&self, element: ElementRef<'_>) -> Option<Area> {
        let area = self.area(element)?;
        let style = self.styles.style(element);
        let basis = Basis { percent: Some(area.width), ..self.basis(element) };
        let side = |name: &str| style.length(name, &basis).unwrap_or(0.0);
        let (left, right) = (side("padding-left"), side("padding-right"));
        let (top, bottom) = (side("padding-top"), side("padding-bottom"));
        Some(Area {
            x: area.x + left,
            y: area.y + top,
            width: (area.width - left - right).max(0.0),
            height: (area.height - top - bottom).max(0.0),
        })
    }

    /// Lays out a block in the room and answers the height it takes, margins included.
    fn block(&mut self, element: ElementRef<'_>, room: Room) -> f64 {
        let styles = self.styles;
        let style = styles.style(element);
        let font = self.font(element, style, room);
        self.fonts.insert(element.id(), font);
        let basis = Basis { percent: Some(room.width), ..self.basis(element) };
        let tag = element.value().name();
        let side = |name: &str, usual: f64| match style.get(name) {
            Some("auto") => 0.0,
            Some(_) => style.length(name, &basis).unwrap_or(usual),
            None => usual,
        };
        let usual = usual_margin(tag, font);
        let margin = [
            side("margin-top", usual.0),
            side("margin-right", usual.1),
            side("margin-bottom", usual.0),
            side("margin-left", usual.1),
        ];
        let indent = if matches!(tag, "ul" | "ol") { 40.0 } else { 0.0 };
        let padding = [
            side("padding-top", 0.0),
            side("padding-right", 0.0),
            side("padding-bottom", 0.0),
            side("padding-left", indent),
        ];
        let inner = padding[1] + padding[3];
        let border_box = style.is("box-sizing", "border-box");
        let outer = |value: f64| if border_box { value } else { value + inner };
        let fill = (room.width - margin[1] - margin[3]).max(0.0);
        let mut width = style.length("width", &basis).map_or(fill, outer);
        if let Some(most) = style.length("max-width", &basis) {
            width = width.min(outer(most));
        }
        width = width.max(style.length("min-width", &basis).map_or(0.0, outer));
        let centred = style.is("margin-left", "auto") && style.is("margin-right", "auto");
        let x = if centred { room.x + (room.width - width).max(0.0) / 2.0 } else { room.x + margin[3] };
        let y = room.y + margin[0];
        let down = Basis { percent: room.height, ..basis };
        let set_height = self.ratio_height(style, width).or_else(|| style.length("height", &down));
        let line = style
            .get("line-height")
            .and_then(|value| value.parse().ok().or_else(|| Some(crate::length(value, &basis)? / font)))
            .unwrap_or(room.line);
        let inside = Room {
            x: x + padding[3],
            y: y + padding[0],
            width: (width - inner).max(0.0),
            height: set_height.or_else(|| style.length("min-height", &down)),
            font,
            line,
        };
        let content = self.contents(element, style, inside);
        let mut height = set_height.map_or(content + padding[0] + padding[2], |height| {
            if border_box { height } else { height + padding[0] + padding[2] }
        });
        height = height.max(style.length("min-height", &down).unwrap_or(0.0));
        if let Some(most) = style.length("max-height", &down) {
            height = height.min(most);
        }
        self.areas.insert(element.id(), Area { x, y, width, height });
        height + margin[0] + margin[2]
    }

    fn ratio_height(&self, style: &Style, width: f64) -> Option<f64> {
        let height_is_auto = style.get("height").is_none_or(|value| value == "auto");
        ratio(style.get("aspect-ratio")?).filter(|_| height_is_auto).map(|ratio| width / ratio)
    }

    fn font(&self, element: ElementRef<'_>, style: &Style, room: Room) -> f64 {
        let usual = match element.value().name() {
            "h1" => 2.0,
            "h2" => 1.5,
            "h3" => 1.17,
            "small" => 0.83,
            _ => 1.0,
        };
        let basis = Basis { em: room.font, percent: Some(room.font), ..self.basis(element) };
        style.length("font-size", &basis).unwrap_or(room.font * usual)
    }

    /// Lays out what is inside and answers its height.
    fn contents(&mut self, element: ElementRef<'_>, style: &Style, room: Room) -> f64 {
        match style.get("display") {
            Some("grid" | "inline-grid") => self.columns(element, style, room),
            Some("flex" | "inline-flex")
                if !style.get("flex-direction").is_some_and(|way| way.starts_with("column")) =>
            {
                self.row(element, style, room)
            }
            _ if element.value().name() == "tr" => self.row(element, style, room),
            _ => self.flow(element, room),
        }
    }

    /// Blocks below each other, with lines of text and pictures between them.
    fn flow(&mut self, element: ElementRef<'_>, room: Room) -> f64 {
        let (mut y, mut line) = (room.y, Line::default());
        let styles = self.styles;
        for child in element.children() {
            match child.value() {
                Node::Text(text) => line
                    .add(text.split_whitespace().map(|word| word.len() + 1).sum::<usize>() as f64 * room.font * LETTER),
                Node::Element(_) => {
                    let Some(child) = ElementRef::wrap(child) else { continue };
                    let style = styles.style(child);
                    if is_nowhere(child, style) {
                        continue;
                    }
                    if is_out_of_flow(style) {
                        self.placed(child, style, room);
                    } else if style.get("float").is_some_and(|side| side != "none") {
                        self.sized(child, Room { y, ..room });
                    } else if is_block(child, style) {
                        y += line.end(room);
                        let height = if is_replaced(child) {
                            self.sized(child, Room { y, ..room })
                        } else {
                            self.block(child, Room { y, ..room })
                        };
                        y += height;
                    } else {
                        self.inline(child, Room { y, ..room }, &mut line);
                    }
                }
                _ => {}
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
            let width = self.area(element).map_or(0.0, |area| area.width);
            line.width += width;
            line.tallest = line.tallest.max(height);
            return;
        }
        let start = line.width;
        for child in element.children() {
            match child.value() {
                Node::Text(text) => line
                    .add(text.split_whitespace().map(|word| word.len() + 1).sum::<usize>() as f64 * room.font * LETTER),
                Node::Element(_) => {
                    let Some(child) = ElementRef::wrap(child) else { continue };
                    let style = self.styles.style(child);
                    if is_nowhere(child, style) {
                        continue;
                    }
                    if is_out_of_flow(style) {
                        self.placed(child, style, room);
                    } else if is_block(child, style) {
                        let height = if is_replaced(child) { self.sized(child, room) } else { self.block(child, room) };
                        line.tallest = line.tallest.max(height);
                    } else {
                        self.inline(child, room, line);
                    }
                }
                _ => {}
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

    /// A picture, frame or inline block: as wide as it says or is.
    fn sized(&mut self, element: ElementRef<'_>, room: Room) -> f64 {
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
    fn placed(&mut self, element: ElementRef<'_>, style: &Style, room: Room) {
        let basis = Basis { percent: Some(room.width), ..self.basis(element) };
        let down = Basis { percent: room.height, ..basis };
        let (left, right) = (style.length("left", &basis), style.length("right", &basis));
        let (top, bottom) = (style.length("top", &down), style.length("bottom", &down));
        let width = match (left, right) {
            (Some(left), Some(right)) => (room.width - left - right).max(0.0),
            _ => room.width,
        };
        let within = Room { x: room.x + left.unwrap_or(0.0), y: room.y + top.unwrap_or(0.0), width, ..room };
        if is_replaced(element) {
            self.sized(element, within)
        } else {
            self.block(element, within)
        };
        if let (None, Some(bottom), Some(height), Some(area)) = (top, bottom, room.height, self.area(element)) {
            self.areas.insert(element.id(), Area { y: room.y + height - bottom - area.height, ..area });
        }
    }

    /// The children that take part in rows and columns.
    fn items<'e>(&self, element: ElementRef<'e>) -> Vec<ElementRef<'e>> {
        let styles = self.styles;
        element
            .child_elements()
            .filter(|child| !is_nowhere(*child, styles.style(*child)) && !is_out_of_flow(styles.style(*child)))
            .collect()
    }

    fn columns(&mut self, element: ElementRef<'_>, style: &Style, room: Room) -> f64 {
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

    fn row(&mut self, element: ElementRef<'_>, style: &Style, room: Room) -> f64 {
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

    fn item(&mut self, item: ElementRef<'_>, room: Room) -> f64 {
        if is_replaced(item) { self.sized(item, room) } else { self.block(item, room) }
    }
}

/// Lines of text and pictures not yet ended by a block.
#[derive(Default)]
struct Line {
    width: f64,
    tallest: f64,
}

impl Line {
    fn add(&mut self, width: f64) {
        self.width += width;
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

/// Width over height of an `aspect-ratio`.
pub(super) fn ratio(value: &str) -> Option<f64> {
    let value = value.trim_start_matches("auto").trim();
    let (across, down) = value.split_once('/').unwrap_or((value, "1"));
    let (across, down): (f64, f64) = (across.trim().parse().ok()?, down.trim().parse().ok()?);
    (across > 0.0 && down > 0.0).then(|| across / down)
}

pub(super) fn is_out_of_flow(style: &Style) -> bool {
    matches!(style.get("position"), Some("absolute" | "fixed"))
}

pub(super) fn is_replaced(element: ElementRef<'_>) -> bool {
    let name = element.value().name();
    matches!(name, "img" | "iframe" | "video" | "embed" | "object")
        || (name == "input" && element.attr("type") == Some("image"))
}

pub(super) fn is_nowhere(element: ElementRef<'_>, style: &Style) -> bool {
    let name = element.value().name();
    let never = matches!(
        name,
        "head"
            | "script"
            | "style"
            | "template"
            | "noscript"
            | "title"
            | "link"
            | "meta"
            | "source"
            | "base"
            | "datalist"
    );
    never || style.is("display", "none") || (element.attr("hidden").is_some() && style.get("display").is_none())
}

fn is_block(element: ElementRef<'_>, style: &Style) -> bool {
    match style.get("display") {
        Some(display) => !display.starts_with("inline") && display != "contents",
        None => matches!(
            element.value().name(),
            "html"
                | "body"
                | "div"
                | "p"
                | "h1"
                | "h2"
                | "h3"
                | "h4"
                | "h5"
                | "h6"
                | "section"
                | "article"
                | "main"
                | "header"
                | "footer"
                | "nav"
                | "aside"
                | "ul"
                | "ol"
                | "li"
                | "dl"
                | "dt"
                | "dd"
                | "figure"
                | "figcaption"
                | "table"
                | "tbody"
                | "thead"
                | "tr"
                | "td"
                | "th"
                | "form"
                | "fieldset"
                | "hr"
                | "pre"
                | "blockquote"
                | "address"
                | "details"
                | "summary"
                | "dialog"
        ),
    }
}

/// What browsers put above and below, and at the sides, where nothing else is said (HTML, 15.3).
fn usual_margin(tag: &str, font: f64) -> (f64, f64) {
    match tag {
        "body" => (8.0, 8.0),
        "p" | "ul" | "ol" | "dl" | "pre" => (font, 0.0),
        "h1" => (font * 0.67, 0.0),
        "h2" => (font * 0.83, 0.0),
        "h3" => (font, 0.0),
        "figure" | "blockquote" => (font, 40.0),
        _ => (0.0, 0.0),
    }
}
