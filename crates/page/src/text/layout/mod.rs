//! Where things are, roughly: blocks, columns, rows and pictures, without fonts. Widths come out as in a browser for
//! the layouts pages mostly use; heights of text are estimated from its length.

mod block;
mod flow;
mod kinds;
mod rows;
mod sized;

use std::collections::HashMap;

use scraper::ElementRef;

use super::{
    document::{Document, NodeId},
    style::{Style, Styles},
};
use crate::{Basis, Device, observation::Area};
pub(super) use kinds::{is_nowhere, is_out_of_flow, is_replaced, ratio};

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
}
