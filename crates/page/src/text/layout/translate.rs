//! CSS as the layout library takes it: lengths in pixels or percentages, keywords, tracks.

use std::str::FromStr;

use taffy::{
    BoxSizing, Display, GridTemplateArea, GridTemplateAreas, Line, Overflow, Point, Position, Rect,
    Size,
};

use super::{
    kinds::usual_margin,
    lengths::{Amount, Lengths},
    tracks::Tracks,
};
use crate::{Basis, text::style::Style};

/// What browsers give an element where nothing is said.
pub(super) struct Usual<'a> {
    tag: &'a str,
    /// Above and below, and at the sides.
    margin: (f64, f64),
    indent: f64,
}

impl<'a> Usual<'a> {
    pub fn of(tag: &'a str, font: f64) -> Self {
        let indent = if matches!(tag, "ul" | "ol") { 40.0 } else { 0.0 };
        Self { tag, margin: usual_margin(tag, font), indent }
    }
}

/// One element's style while it is translated.
struct Translation<'a> {
    style: &'a Style,
    basis: &'a Basis,
    lengths: &'a mut Lengths,
}

impl Translation<'_> {
    fn amount(&mut self, name: &str) -> Amount {
        self.style.get(name).map_or(Amount::Auto, |text| self.lengths.read(text, self.basis))
    }

    /// The four sides of a box.
    fn sides<T>(
        &mut self,
        name: impl Fn(&str) -> String,
        usual: Rect<f64>,
        of: impl Fn(Amount) -> T,
    ) -> Rect<T> {
        let mut side = |which: &str, usual: f64| {
            let name = name(which);
            of(if self.style.get(&name).is_some() {
                self.amount(&name)
            } else {
                Amount::Pixels(usual as f32)
            })
        };
        Rect {
            left: side("left", usual.left),
            right: side("right", usual.right),
            top: side("top", usual.top),
            bottom: side("bottom", usual.bottom),
        }
    }

    /// A keyword of the library's own, which spells them as CSS does.
    fn keyword<T: FromStr>(&self, name: &str) -> Option<T> {
        self.style.get(name)?.parse().ok()
    }

    fn number(&self, name: &str, usual: f32) -> f32 {
        self.style.get(name).and_then(|value| value.parse().ok()).unwrap_or(usual)
    }

    fn display(&self, tag: &str) -> Display {
        match self.style.get("display") {
            Some("flex" | "inline-flex") => Display::Flex,
            Some("grid" | "inline-grid") => Display::Grid,
            Some("flow-root" | "inline-block") => Display::FlowRoot,
            None if tag == "tr" => Display::Flex,
            _ => Display::Block,
        }
    }

    /// The columns of a box that flows in some: what stands in it is as wide as one.
    fn columns(&mut self) -> Option<Tracks> {
        let style = self.style;
        let flows = matches!(style.get("display"), None | Some("block" | "flow-root"));
        let said = |name: &str| style.get(name).filter(|value| flows && *value != "auto");
        let asked = (said("column-count"), said("column-width"));
        Tracks::columns(asked, column_gap(style), self.basis, self.lengths)
    }

    fn overflow(&self, name: &str) -> Overflow {
        match self.style.get(name) {
            Some("hidden" | "auto" | "scroll") => Overflow::Hidden,
            Some("clip") => Overflow::Clip,
            _ => Overflow::Visible,
        }
    }

    fn tracks(&mut self, name: &str) -> Option<Tracks> {
        Tracks::read(self.style.get(name)?, self.basis, self.lengths)
    }

    fn line(&self, name: &str) -> Option<Line<taffy::GridPlacement>> {
        let value = self.style.get(name)?;
        // A name alone stands for both lines of its area.
        let alone = if value.starts_with(|c: char| c.is_alphabetic()) && !value.starts_with("span ")
        {
            value
        } else {
            "auto"
        };
        let (start, end) = value.split_once('/').unwrap_or((value, alone));
        Some(Line { start: start.trim().parse().ok()?, end: end.trim().parse().ok()? })
    }
}

/// The gap between columns of text, which is a letter's height if nothing is said.
fn column_gap(style: &Style) -> &str {
    style.get("column-gap").filter(|gap| *gap != "normal").unwrap_or("1em")
}

/// An element's style, but for what hangs on its content.
pub(super) fn translate(
    style: &Style,
    usual: &Usual<'_>,
    basis: &Basis,
    lengths: &mut Lengths,
) -> taffy::Style {
    let mut from = Translation { style, basis, lengths };
    let mut to = taffy::Style { display: from.display(usual.tag), ..taffy::Style::default() };
    boxed(&mut from, usual, &mut to);
    aligned(&mut from, usual, &mut to);
    gridded(&mut from, &mut to);
    to
}

fn boxed(from: &mut Translation<'_>, usual: &Usual<'_>, to: &mut taffy::Style) {
    let zero = Rect { left: 0.0, right: 0.0, top: 0.0, bottom: 0.0 };
    let (above, beside) = usual.margin;
    let margin = Rect { left: beside, right: beside, top: above, bottom: above };
    to.box_sizing = from.keyword("box-sizing").unwrap_or(BoxSizing::ContentBox);
    to.position = from.keyword("position").unwrap_or(Position::Static);
    to.float = from.keyword("float").unwrap_or_default();
    to.clear = from.keyword("clear").unwrap_or_default();
    to.overflow = Point { x: from.overflow("overflow-x"), y: from.overflow("overflow-y") };
    to.size =
        Size { width: from.amount("width").dimension(), height: from.amount("height").dimension() };
    to.min_size = Size {
        width: from.amount("min-width").or_auto(),
        height: from.amount("min-height").or_auto(),
    };
    to.max_size = Size {
        width: from.amount("max-width").or_auto(),
        height: from.amount("max-height").or_auto(),
    };
    to.margin = from.sides(|side| format!("margin-{side}"), margin, Amount::or_auto);
    to.padding = from.sides(
        |side| format!("padding-{side}"),
        Rect { left: usual.indent, ..zero },
        Amount::or_nothing,
    );
    to.border = from.sides(|side| format!("border-{side}-width"), zero, Amount::or_nothing);
    let mut auto = |name: &str| from.amount(name).or_auto();
    to.inset =
        Rect { left: auto("left"), right: auto("right"), top: auto("top"), bottom: auto("bottom") };
}

fn aligned(from: &mut Translation<'_>, usual: &Usual<'_>, to: &mut taffy::Style) {
    to.gap = Size {
        width: from.amount("column-gap").or_nothing(),
        height: from.amount("row-gap").or_nothing(),
    };
    to.flex_basis = from.amount("flex-basis").dimension();
    to.flex_direction = from.keyword("flex-direction").unwrap_or_default();
    to.flex_wrap = from.keyword("flex-wrap").unwrap_or_default();
    let is_cell = matches!(usual.tag, "td" | "th");
    to.flex_grow = from.number("flex-grow", if is_cell { 1.0 } else { 0.0 });
    to.flex_shrink = from.number("flex-shrink", 1.0);
    if let Some(align) = from.keyword("align-items") {
        to.align_items = align;
    }
    if let Some(justify) = from.keyword("justify-items") {
        to.justify_items = justify;
    }
    if let Some(align) = from.keyword("align-content") {
        to.align_content = align;
    }
    if let Some(justify) = from.keyword("justify-content") {
        to.justify_content = justify;
    }
    to.align_self = from.keyword("align-self");
    to.justify_self = from.keyword("justify-self");
}

fn gridded(from: &mut Translation<'_>, to: &mut taffy::Style) {
    if let Some(columns) = from.columns() {
        to.grid_template_columns = columns.tracks;
        to.display = Display::Grid;
        to.gap.width = from.lengths.read(column_gap(from.style), from.basis).or_nothing();
    } else if let Some(columns) = from.tracks("grid-template-columns") {
        to.grid_template_columns = columns.tracks;
        to.grid_template_column_names = columns.names;
    }
    if let Some(rows) = from.tracks("grid-template-rows") {
        to.grid_template_rows = rows.tracks;
        to.grid_template_row_names = rows.names;
    }
    to.grid_template_areas = from.style.get("grid-template-areas").and_then(areas);
    to.grid_auto_flow = from.keyword("grid-auto-flow").unwrap_or_default();
    to.grid_column = from.line("grid-column").unwrap_or_default();
    to.grid_row = from.line("grid-row").unwrap_or_default();
}

/// Maximum rows and columns of named areas; longer lists are ignored.
const MAX_NAMED: usize = 100;

/// Named areas (CSS Grid 2, 7.3): a string for each row, a name or a dot for each column.
fn areas(template: &str) -> Option<GridTemplateAreas<String>> {
    let rows: Vec<Vec<&str>> = template
        .split(['"', '\''])
        .skip(1)
        .step_by(2)
        .map(|row| row.split_whitespace().collect())
        .collect();
    if rows.len() > MAX_NAMED || rows.iter().any(|row| row.len() > MAX_NAMED) {
        return None;
    }
    let mut areas: Vec<GridTemplateArea<String>> = Vec::new();
    for (row, names) in (1..).zip(&rows) {
        for (column, name) in (1..).zip(names).filter(|(_, name)| !name.starts_with('.')) {
            match areas.iter_mut().find(|area| area.name == *name) {
                Some(area) => {
                    (area.row_end, area.column_end) = (row + 1, area.column_end.max(column + 1))
                }
                None => areas.push(GridTemplateArea {
                    name: (*name).to_owned(),
                    row_start: row,
                    row_end: row + 1,
                    column_start: column,
                    column_end: column + 1,
                }),
            }
        }
    }
    let column_count = u16::try_from(rows.first()?.len()).ok()?;
    Some(GridTemplateAreas { areas, row_count: u16::try_from(rows.len()).ok()?, column_count })
}
