//! Where things are, roughly: a page's boxes, laid out by a layout library without fonts. Widths
//! come out as in a browser for what pages mostly use; the size of text is estimated from its
//! length.

mod boxes;
mod kinds;
mod lengths;
mod sides;
mod tracks;
mod translate;
mod tree;

use std::collections::HashMap;

use scraper::ElementRef;

use super::{document::Document, node::NodeId, style::Styles};
use crate::{Basis, Device, observation::Area};
pub(super) use kinds::{is_nowhere, is_out_of_flow, ratio};
use sides::{Natural, Sides, basis};
use tree::Tree;

/// The boxes of a page's elements, in page coordinates.
pub(super) struct Layout<'a> {
    device: &'a Device,
    boxes: HashMap<NodeId, Sides>,
    fonts: HashMap<NodeId, f64>,
}

impl<'a> Layout<'a> {
    /// Lays out a page.
    pub fn of(
        document: &Document,
        styles: &Styles,
        device: &'a Device,
        natural: Natural<'_>,
    ) -> Self {
        let mut tree = Tree::new(styles, device, natural);
        let boxes =
            document.elements("html").next().map(|html| tree.lay_out(html)).unwrap_or_default();
        Self { device, boxes, fonts: tree.into_fonts() }
    }

    /// The border box of an element; `None` if it is laid out nowhere.
    pub fn area(&self, element: ElementRef<'_>) -> Option<Area> {
        self.boxes.get(&element.id()).map(|sides| sides.border)
    }

    /// The box inside border and padding.
    pub fn content(&self, element: ElementRef<'_>) -> Option<Area> {
        self.boxes.get(&element.id()).map(|sides| sides.content)
    }

    /// What lengths on an element are relative to, but for percentages.
    pub fn basis(&self, element: ElementRef<'_>) -> Basis {
        basis(self.device, self.fonts.get(&element.id()).copied().unwrap_or(16.0))
    }
}
