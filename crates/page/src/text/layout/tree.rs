//! A page's elements as the boxes the layout library lays out.

use std::collections::HashMap;

use scraper::{ElementRef, Node};
use taffy::{AlignItems, Dimension, Display, ExpandedDimension, FlexWrap, Size};

use super::{
    boxes::{Boxes, Content},
    kinds::{is_block, is_nowhere, is_out_of_flow, is_replaced, ratio},
    sides::{Natural, Sides, basis},
    translate::{Usual, translate},
};
use crate::{
    Basis, Device,
    observation::Area,
    text::{
        node::NodeId,
        style::{Style, Styles},
    },
};

/// Elements in elements beyond this are laid out nowhere: every level takes room on the stack, and
/// no page for people has so many.
const MAX_DEPTH: usize = 128;

/// What is inherited.
#[derive(Clone, Copy)]
struct Around {
    font: f64,
    line: f64,
    depth: usize,
}

impl Around {
    const PAGE: Self = Self { font: 16.0, line: 1.2, depth: 0 };

    fn is_too_deep(self) -> bool {
        self.depth > MAX_DEPTH
    }
}

/// A box among others in a flow.
enum Piece {
    /// On a line with its neighbours.
    Inline(taffy::NodeId),
    /// On its own.
    Block(taffy::NodeId),
    /// Beside what goes on: taken out of the flow, or floating.
    Aside(taffy::NodeId),
    Break,
}

pub(super) struct Tree<'a> {
    styles: &'a Styles,
    device: &'a Device,
    natural: Natural<'a>,
    boxes: Boxes,
    of: HashMap<NodeId, taffy::NodeId>,
    /// Elements without a box of their own, and the boxes in them.
    spread: Vec<(NodeId, Vec<taffy::NodeId>)>,
    fonts: HashMap<NodeId, f64>,
}

impl<'a> Tree<'a> {
    pub fn new(styles: &'a Styles, device: &'a Device, natural: Natural<'a>) -> Self {
        let (of, fonts) = (HashMap::new(), HashMap::new());
        Self { styles, device, natural, boxes: Boxes::default(), of, spread: Vec::new(), fonts }
    }

    pub fn into_fonts(self) -> HashMap<NodeId, f64> {
        self.fonts
    }

    /// The boxes of everything in `html`.
    pub fn lay_out(&mut self, html: ElementRef<'_>) -> HashMap<NodeId, Sides> {
        let (width, height) = (self.device.width as f32, self.device.height as f32);
        let page = self.element(html, Around::PAGE);
        let screen = taffy::Style {
            display: Display::Block,
            size: Size { width: Dimension::length(width), height: Dimension::length(height) },
            ..taffy::Style::default()
        };
        let screen = self.boxes.add(screen, Content::Nothing, vec![page]);
        self.boxes.lay_out(screen, (width, height));
        let mut placed = HashMap::new();
        self.place(screen, (0.0, 0.0), &mut placed);
        let mut sides: HashMap<NodeId, Sides> = self
            .of
            .iter()
            .filter_map(|(element, own)| Some((*element, *placed.get(own)?)))
            .collect();
        for (element, inside) in &self.spread {
            let areas = inside.iter().filter_map(|one| placed.get(one)).map(|sides| sides.border);
            if let Some(border) = areas.reduce(around_both) {
                sides.insert(*element, Sides { border, content: border });
            }
        }
        sides
    }

    /// Where a box and all in it are on the page.
    fn place(
        &self,
        node: taffy::NodeId,
        around: (f64, f64),
        placed: &mut HashMap<taffy::NodeId, Sides>,
    ) {
        let layout = self.boxes.layout(node);
        let at = (around.0 + f64::from(layout.location.x), around.1 + f64::from(layout.location.y));
        let inset = |border: f32, padding: f32| f64::from(border + padding);
        let (left, top) = (
            inset(layout.border.left, layout.padding.left),
            inset(layout.border.top, layout.padding.top),
        );
        let right = inset(layout.border.right, layout.padding.right);
        let bottom = inset(layout.border.bottom, layout.padding.bottom);
        let (width, height) = (f64::from(layout.size.width), f64::from(layout.size.height));
        let border = Area { x: at.0, y: at.1, width, height };
        let content = Area {
            x: at.0 + left,
            y: at.1 + top,
            width: (width - left - right).max(0.0),
            height: (height - top - bottom).max(0.0),
        };
        placed.insert(node, Sides { border, content });
        for inside in self.boxes.placed(node) {
            self.place(inside, at, placed);
        }
    }

    /// A box of its own.
    fn element(&mut self, element: ElementRef<'_>, around: Around) -> taffy::NodeId {
        let style = self.styles.style(element);
        let own = self.inherited(element, style, around);
        let basis = basis(self.device, own.font);
        let usual = Usual::of(element.value().name(), own.font);
        let mut translated = translate(style, &usual, &basis, &mut self.boxes.lengths);
        let node = if is_replaced(element) {
            self.replaced(element, style, translated)
        } else {
            translated.aspect_ratio =
                style.get("aspect-ratio").and_then(ratio).map(|ratio| ratio as f32);
            let inside = match translated.display {
                Display::Flex | Display::Grid => self.items(element, own),
                _ => self.flow(element, own),
            };
            self.boxes.add(translated, Content::Nothing, inside)
        };
        self.of.insert(element.id(), node);
        node
    }

    /// A picture, a film, a frame.
    fn replaced(
        &mut self,
        element: ElementRef<'_>,
        style: &Style,
        translated: taffy::Style,
    ) -> taffy::NodeId {
        let is_frame = matches!(element.value().name(), "iframe" | "video" | "embed" | "object");
        let natural = (self.natural)(element).or(is_frame.then_some((300.0, 150.0)));
        let said = style.get("aspect-ratio").and_then(ratio);
        let is_preferred =
            style.get("aspect-ratio").is_some_and(|value| !value.starts_with("auto"));
        let shown = natural.map(|(width, height)| width / height).filter(|_| !is_frame);
        let shape = if is_preferred || is_frame { said.or(shown) } else { shown.or(said) }
            .map(|shape| shape as f32);
        // Where both sides are said, a ratio says nothing.
        let is_said = !translated.size.width.is_auto() && !translated.size.height.is_auto();
        let (width, height) = natural.unwrap_or_default();
        let (mut natural, mut size) = ((width as f32, height as f32), translated.size);
        // A width within a share of what is around gives way as a natural one does.
        let is_within_share = translated.max_size.width.into_raw().uses_percentage();
        if let (ExpandedDimension::Length(said), true) = (size.width.expand(), is_within_share) {
            natural = (said, shape.map_or(natural.1, |shape| said / shape));
            size.width = Dimension::auto();
        }
        let aspect_ratio = shape.filter(|_| !is_said);
        let style = taffy::Style { item_is_replaced: true, aspect_ratio, size, ..translated };
        self.boxes.add(style, Content::Picture { natural, shape }, Vec::new())
    }

    /// The children of rows and columns.
    fn items(&mut self, element: ElementRef<'_>, own: Around) -> Vec<taffy::NodeId> {
        let styles = self.styles;
        let mut items: Vec<(i32, taffy::NodeId)> = Vec::new();
        if own.is_too_deep() {
            return Vec::new();
        }
        for child in element.children() {
            if let Node::Text(text) = child.value() {
                items.extend(self.text(text, own).map(|node| (0, node)));
            }
            let Some(child) = ElementRef::wrap(child) else { continue };
            let style = styles.style(child);
            if is_nowhere(child, style) {
                continue;
            }
            if style.is("display", "contents") {
                let within = self.inherited(child, style, own);
                let inside = self.items(child, within);
                self.spread.push((child.id(), inside.clone()));
                items.extend(inside.into_iter().map(|node| (0, node)));
            } else {
                let order = style.get("order").and_then(|order| order.parse().ok()).unwrap_or(0);
                items.push((order, self.element(child, own)));
            }
        }
        items.sort_by_key(|(order, _)| *order);
        items.into_iter().map(|(_, node)| node).collect()
    }

    /// Blocks below each other, with lines of text and pictures between them.
    fn flow(&mut self, element: ElementRef<'_>, own: Around) -> Vec<taffy::NodeId> {
        let (mut inside, mut line) = (Vec::new(), Vec::new());
        for piece in self.pieces(element, own) {
            match piece {
                Piece::Inline(node) => line.push(node),
                Piece::Aside(node) => inside.push(node),
                Piece::Block(node) => {
                    inside.extend(self.line(&mut line));
                    inside.push(node);
                }
                Piece::Break => inside.extend(self.line(&mut line)),
            }
        }
        inside.extend(self.line(&mut line));
        inside
    }

    fn line(&mut self, pieces: &mut Vec<taffy::NodeId>) -> Option<taffy::NodeId> {
        let style = taffy::Style {
            display: Display::Flex,
            flex_wrap: FlexWrap::Wrap,
            align_items: AlignItems::FLEX_END,
            ..taffy::Style::default()
        };
        let pieces = std::mem::take(pieces);
        (!pieces.is_empty()).then(|| self.boxes.add(style, Content::Nothing, pieces))
    }

    fn pieces(&mut self, element: ElementRef<'_>, own: Around) -> Vec<Piece> {
        let styles = self.styles;
        let mut pieces = Vec::new();
        if own.is_too_deep() {
            return pieces;
        }
        for child in element.children() {
            if let Node::Text(text) = child.value() {
                pieces.extend(self.text(text, own).map(Piece::Inline));
            }
            let Some(child) = ElementRef::wrap(child) else { continue };
            let style = styles.style(child);
            let floats = style.get("float").is_some_and(|side| side != "none");
            if is_nowhere(child, style) {
                continue;
            }
            if child.value().name() == "br" {
                pieces.push(Piece::Break);
            } else if is_out_of_flow(style) || floats {
                pieces.push(Piece::Aside(self.element(child, own)));
            } else if is_block(child, style) {
                pieces.push(Piece::Block(self.element(child, own)));
            } else if is_replaced(child)
                || style.get("display").is_some_and(|display| display.starts_with("inline-"))
            {
                pieces.push(Piece::Inline(self.element(child, own)));
            } else {
                let within = self.inherited(child, style, own);
                let inside = self.pieces(child, within);
                let nodes = inside.iter().filter_map(|piece| match piece {
                    Piece::Inline(node) | Piece::Block(node) | Piece::Aside(node) => Some(*node),
                    Piece::Break => None,
                });
                self.spread.push((child.id(), nodes.collect()));
                pieces.extend(inside);
            }
        }
        pieces
    }

    fn text(&mut self, text: &str, own: Around) -> Option<taffy::NodeId> {
        let words = || text.split_whitespace().map(str::len);
        let (letters, longest) = (words().map(|length| length + 1).sum::<usize>(), words().max()?);
        let content = Content::Text {
            letters: letters as f32,
            longest: longest as f32,
            font: own.font as f32,
            line: own.line as f32,
        };
        let style = taffy::Style { display: Display::Block, ..taffy::Style::default() };
        Some(self.boxes.add(style, content, Vec::new()))
    }

    /// What an element hands down; remembers its font.
    fn inherited(&mut self, element: ElementRef<'_>, style: &Style, around: Around) -> Around {
        let usual = match element.value().name() {
            "h1" => 2.0,
            "h2" => 1.5,
            "h3" => 1.17,
            "small" => 0.83,
            _ => 1.0,
        };
        let of_font = Basis { percent: Some(around.font), ..basis(self.device, around.font) };
        let font = style.length("font-size", &of_font).unwrap_or(around.font * usual);
        self.fonts.insert(element.id(), font);
        let set = style.get("line-height").and_then(|value| {
            value
                .parse()
                .ok()
                .or_else(|| Some(crate::length(value, &basis(self.device, font))? / font))
        });
        Around { font, line: set.unwrap_or(around.line), depth: around.depth + 1 }
    }
}

fn around_both(a: Area, b: Area) -> Area {
    let (x, y) = (a.x.min(b.x), a.y.min(b.y));
    let (right, bottom) =
        ((a.x + a.width).max(b.x + b.width), (a.y + a.height).max(b.y + b.height));
    Area { x, y, width: right - x, height: bottom - y }
}
