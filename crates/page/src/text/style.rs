//! The cascade (CSS Cascading 4), as far as pictures and their places need it: what each element is
//! set to.

use std::collections::HashMap;

use scraper::ElementRef;

use super::{
    ancestors::Ancestors,
    declarations::{Declaration, declarations},
    document::Document,
    node::NodeId,
    rule_index::RuleIndex,
    sheet::{Rule, Sheet, separate},
    shorthand,
    variables::{self, Variables, variables},
};
use crate::{Basis, Budget, Device, OverLimit, length, media_matches};

/// The values set on one element or pseudo-element, by property; shorthands are taken apart.
#[derive(Clone, Debug, Default)]
pub(super) struct Style {
    values: HashMap<String, String>,
}

/// The styles of a page on a device.
pub(super) struct Styles {
    elements: HashMap<NodeId, Style>,
    /// Pseudo-elements by the element they belong to.
    pseudo: HashMap<NodeId, Vec<(&'static str, Style)>>,
    nothing: Style,
}

impl Style {
    /// The value of a property; `None` if nothing sets it.
    pub fn get(&self, name: &str) -> Option<&str> {
        self.values.get(name).map(String::as_str)
    }

    /// True if a property has this value.
    pub fn is(&self, name: &str, value: &str) -> bool {
        self.get(name).is_some_and(|own| own.eq_ignore_ascii_case(value))
    }

    /// A length in CSS pixels; `None` for `auto`, for nothing, and for what hangs on something
    /// unknown.
    pub fn length(&self, name: &str, basis: &Basis) -> Option<f64> {
        length(self.get(name)?, basis)
    }

    fn set(&mut self, name: &str, value: &str) {
        self.values.insert(name.to_owned(), value.to_owned());
    }

    fn apply(&mut self, Declaration { name, value, .. }: &Declaration) {
        let words: Vec<&str> = spaced(value);
        if let Some(own) = shorthand::physical(name) {
            return self.set(&own, value);
        }
        if let Some([one, other]) = shorthand::both_sides(name) {
            return self.pair([&one, &other], &words, "0");
        }
        match name.as_str() {
            "margin" | "padding" | "inset" | "border-width" => self.four_sides(name, &words),
            "border" | "border-top" | "border-right" | "border-bottom" | "border-left" => {
                self.border(name, &words)
            }
            "overflow" => self.pair(["overflow-x", "overflow-y"], &words, "visible"),
            "gap" | "grid-gap" => self.pair(["row-gap", "column-gap"], &words, "0"),
            "place-items" => self.pair(["align-items", "justify-items"], &words, "normal"),
            "place-content" => self.pair(["align-content", "justify-content"], &words, "normal"),
            "place-self" => self.pair(["align-self", "justify-self"], &words, "normal"),
            "grid-area" if !value.contains('/') => {
                self.pair(["grid-row", "grid-column"], &[value], "auto")
            }
            "grid-template" => {
                for (own, value) in shorthand::grid_template(value) {
                    self.set(own, &value);
                }
            }
            "columns" => self.columns(&words),
            "container" => {
                let kind = value.split_once('/').map_or("normal", |(_, kind)| kind.trim());
                self.set("container-type", kind);
            }
            "background" => self.background(value),
            "flex" => self.flex(&words),
            "flex-flow" => {
                let wrap = words.iter().find(|word| word.contains("wrap"));
                let direction = words.iter().find(|word| !word.contains("wrap"));
                self.set("flex-wrap", wrap.unwrap_or(&"nowrap"));
                self.set("flex-direction", direction.unwrap_or(&"row"));
            }
            "font" => self.font(&words),
            "animation" => self.set(
                "animation-name",
                &separate(value).iter().flat_map(|one| spaced(one)).collect::<Vec<_>>().join(","),
            ),
            "transition" => {
                let names: Vec<&str> =
                    separate(value).iter().filter_map(|one| spaced(one).first().copied()).collect();
                self.set("transition-property", &names.join(","));
            }
            _ => self.set(name, value),
        }
    }

    /// `columns` (CSS Multi-column 1, 3.4).
    fn columns(&mut self, words: &[&str]) {
        let is_count = |word: &&&str| word.parse::<u16>().is_ok();
        let (count, width) =
            (words.iter().find(is_count), words.iter().find(|word| !is_count(word)));
        self.set("column-count", count.unwrap_or(&"auto"));
        self.set("column-width", width.unwrap_or(&"auto"));
    }

    /// The size and line height of a `font`.
    fn font(&mut self, words: &[&str]) {
        let is_size = |word: &&&str| word.starts_with(|c: char| c.is_ascii_digit() || c == '.');
        if let Some(size) = words.iter().find(is_size) {
            let (size, line) = size.split_once('/').unwrap_or((size, "1.2"));
            self.set("font-size", size);
            self.set("line-height", line);
        }
    }

    /// A value for each of the four sides, from one to four words.
    fn four_sides(&mut self, name: &str, words: &[&str]) {
        let sides = match words {
            [all] => [all, all, all, all],
            [block, inline] => [block, inline, block, inline],
            [top, inline, bottom] => [top, inline, bottom, inline],
            [top, right, bottom, left] => [top, right, bottom, left],
            _ => return,
        };
        for (side, value) in SIDES.into_iter().zip(sides) {
            match name {
                "inset" => self.set(side, value),
                "border-width" => {
                    self.set(&format!("border-{side}-width"), border_width(&["solid", value]))
                }
                _ => self.set(&format!("{name}-{side}"), value),
            }
        }
    }

    fn border(&mut self, name: &str, words: &[&str]) {
        let sides = name.strip_prefix("border-").map_or(SIDES.to_vec(), |side| vec![side]);
        for side in sides {
            self.set(&format!("border-{side}-width"), border_width(words));
        }
    }

    /// The first word for one property and the last for the other.
    fn pair(&mut self, [first, last]: [&str; 2], words: &[&str], usual: &str) {
        self.set(first, words.first().unwrap_or(&usual));
        self.set(last, words.last().unwrap_or(&usual));
    }

    /// `background: url(...) position / size`, one layer after the other; sizes and positions of
    /// the first are kept.
    fn background(&mut self, value: &str) {
        self.set("background-image", value);
        let first = separate(value).first().copied().unwrap_or_default();
        let (before, after) = at_slash(first);
        let is_place = |word: &&str| {
            matches!(*word, "center" | "top" | "bottom" | "left" | "right")
                || word.ends_with('%')
                || word.ends_with("px")
        };
        let place: Vec<&str> = spaced(before).into_iter().filter(is_place).collect();
        self.set(
            "background-position",
            &if place.is_empty() { "0% 0%".to_owned() } else { place.join(" ") },
        );
        let size: Vec<&str> = spaced(after)
            .into_iter()
            .filter(|word| is_place(word) || matches!(*word, "cover" | "contain" | "auto"))
            .collect();
        self.set(
            "background-size",
            &if size.is_empty() { "auto".to_owned() } else { size.join(" ") },
        );
    }

    /// `flex` (CSS Flexbox 1, 7.1).
    fn flex(&mut self, words: &[&str]) {
        let numbers: Vec<&str> =
            words.iter().filter(|word| word.parse::<f64>().is_ok()).copied().collect();
        let basis = words.iter().find(|word| word.parse::<f64>().is_err());
        let (grow, shrink, basis) = match words {
            ["none"] => ("0", "0", "auto"),
            ["initial"] => ("0", "1", "auto"),
            _ => (
                numbers.first().copied().unwrap_or("1"),
                numbers.get(1).copied().unwrap_or("1"),
                basis.copied().unwrap_or("0px"),
            ),
        };
        for (name, value) in [("flex-grow", grow), ("flex-shrink", shrink), ("flex-basis", basis)] {
            self.set(name, value);
        }
    }
}

const SIDES: [&str; 4] = ["top", "right", "bottom", "left"];

/// The width a `border` of these words has: none without a style (CSS Backgrounds 3, 3.3).
fn border_width<'a>(words: &[&'a str]) -> &'a str {
    const STYLES: [&str; 8] =
        ["solid", "dashed", "dotted", "double", "groove", "ridge", "inset", "outset"];
    if !words.iter().any(|word| STYLES.contains(word)) {
        return "0px";
    }
    let is_width = |word: &&&str| word.starts_with(|c: char| c.is_ascii_digit() || c == '.');
    match words.iter().find_map(|word| ["thin", "thick"].into_iter().find(|known| known == word)) {
        Some("thin") => "1px",
        Some(_) => "5px",
        None => words.iter().find(is_width).map_or("3px", |word| *word),
    }
}

/// The position and the size of a background layer: before and after a slash outside parentheses.
fn at_slash(layer: &str) -> (&str, &str) {
    let mut depth = 0_i32;
    let slash = layer.char_indices().find(|(_, c)| {
        depth += i32::from(*c == '(') - i32::from(*c == ')');
        *c == '/' && depth == 0
    });
    slash.map_or((layer, ""), |(at, _)| (&layer[..at], &layer[at + 1..]))
}

/// What stands in the parentheses of a function.
pub(super) fn inside<'a>(name: &str, call: &'a str) -> Option<&'a str> {
    call.strip_prefix(name)?.strip_prefix('(')?.strip_suffix(')')
}

/// The words of a value: spaces inside parentheses or brackets do not part.
pub(super) fn spaced(value: &str) -> Vec<&str> {
    let (mut depth, mut start, mut words) = (0_i32, None, Vec::new());
    for (at, c) in value.char_indices() {
        match c {
            '(' | '[' => depth += 1,
            ')' | ']' => depth -= 1,
            _ => {}
        }
        if c.is_whitespace() && depth == 0 {
            words.extend(start.take().map(|start: usize| &value[start..at]));
        } else {
            start.get_or_insert(at);
        }
    }
    words.extend(start.map(|start| &value[start..]));
    words
}

impl Styles {
    /// The styles of all elements.
    ///
    /// # Errors
    /// If the time is over.
    pub fn of(
        document: &Document,
        sheet: &Sheet,
        device: &Device,
        absolute: &dyn Fn(&str) -> String,
        budget: &Budget,
    ) -> Result<Self, OverLimit> {
        let holds = |rule: &&Rule| rule.media.iter().all(|query| media_matches(query, device));
        let rules = RuleIndex::new(sheet.rules.iter().filter(holds));
        let mut styles =
            Self { elements: HashMap::new(), pseudo: HashMap::new(), nothing: Style::default() };
        let mut handed_down: HashMap<NodeId, Variables> = HashMap::new();
        let mut ancestors = Ancestors::default();
        for element in document.all() {
            budget.check_time()?;
            let matching = rules.matching(element, Some(ancestors.of(element)));
            ancestors.enter(element);
            let of = |pseudo: Option<&'static str>| {
                matching.iter().filter(move |rule| rule.pseudo == pseudo).copied()
            };
            let inline =
                element.attr("style").map_or_else(Vec::new, |style| declarations(style, absolute));
            let own = cascaded(of(None), &inline);
            let outer = element.parent().and_then(|parent| handed_down.get(&parent.id()));
            let variables = variables(&own, outer);
            for pseudo in ["::before", "::after"] {
                let own = cascaded(of(Some(pseudo)), &[]);
                if !own.is_empty() {
                    let style = applied(&own, &variables);
                    styles.pseudo.entry(element.id()).or_default().push((pseudo, style));
                }
            }
            let mut style = hints(element);
            style.values.extend(applied(&own, &variables).values);
            styles.elements.insert(element.id(), style);
            handed_down.insert(element.id(), variables);
        }
        Ok(styles)
    }

    /// The styles of an element's `::before` and `::after`.
    pub fn pseudo(
        &self,
        element: ElementRef<'_>,
    ) -> impl Iterator<Item = (&'static str, &Style)> + use<'_> {
        let own = self.pseudo.get(&element.id());
        own.into_iter().flatten().map(|(pseudo, style)| (*pseudo, style))
    }

    /// The style of an element.
    pub fn style(&self, element: ElementRef<'_>) -> &Style {
        self.elements.get(&element.id()).unwrap_or(&self.nothing)
    }
}

/// Declarations in the order they win: by importance, then layer, specificity and place; style
/// attributes before rules.
fn cascaded<'d>(
    rules: impl Iterator<Item = &'d Rule>,
    inline: &'d [Declaration],
) -> Vec<&'d Declaration> {
    let mut weighed: Vec<(&Declaration, &Rule)> =
        rules.flat_map(|rule| rule.declarations.iter().map(move |one| (one, rule))).collect();
    // Sorting keeps what weighs alike in its order.
    weighed.sort_by_key(|(one, rule)| {
        let layer = rule.layer.map_or(i64::MAX, |layer| layer as i64);
        (one.important, if one.important { -layer } else { layer }, rule.specificity)
    });
    let (plain, important): (Vec<&Declaration>, Vec<_>) =
        weighed.into_iter().map(|(one, _)| one).partition(|one| !one.important);
    let (inline_plain, inline_important): (Vec<&Declaration>, Vec<_>) =
        inline.iter().partition(|one| !one.important);
    plain.into_iter().chain(inline_plain).chain(important).chain(inline_important).collect()
}

fn applied(cascaded: &[&Declaration], variables: &Variables) -> Style {
    let mut style = Style::default();
    for one in cascaded {
        // An unresolved `var()` computes to `unset` and still overrides earlier declarations.
        let value = variables::filled(&one.value, variables).unwrap_or_else(|| "unset".to_owned());
        style.apply(&Declaration { name: one.name.clone(), value, important: one.important });
    }
    style
}

/// What `width` and `height` attributes set (HTML, 15.4.3).
fn hints(element: ElementRef<'_>) -> Style {
    let mut style = Style::default();
    if matches!(element.value().name(), "img" | "iframe" | "video" | "embed" | "object" | "input") {
        let read = |name: &str| element.attr(name).map(str::trim).filter(|value| !value.is_empty());
        for name in ["width", "height"] {
            if let Some(value) = read(name) {
                style.set(
                    name,
                    &if value.parse::<f64>().is_ok() {
                        format!("{value}px")
                    } else {
                        value.to_owned()
                    },
                );
            }
        }
        if let (Some(Ok(width)), Some(Ok(height))) =
            (read("width").map(str::parse::<f64>), read("height").map(str::parse::<f64>))
        {
            style.set("aspect-ratio", &format!("auto {width} / {height}"));
        }
    }
    style
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::DEVICES;

    /// The width that the cascade gives `#k` in `main.page > p.card#k` (CSS Cascade 5, section 6;
    /// Custom Properties 1).
    fn width(css: &str, inline: &str) -> Option<String> {
        let html = format!("<main class=page><p class=card id=k style='{inline}'>Kite</p></main>");
        let document = Document::parse(&html);
        let same = |url: &str| url.to_owned();
        let mut sheet = Sheet::default();
        let budget = Budget::default();
        sheet.read(css, &[], &same, &budget).expect("few rules");
        let styles = Styles::of(&document, &sheet, &DEVICES[1], &same, &budget).expect("time");
        let element = document.elements("p").next().expect("the element");
        styles.style(element).get("width").map(str::to_owned)
    }

    #[test]
    fn a_slash_parts_position_and_size_however_it_is_spaced() {
        for layer in ["url(a/b.jpg) center/cover", "center / cover url(a/b.jpg)", "0% 5px/cover"] {
            let mut style = Style::default();
            style.background(layer);
            assert!(style.is("background-size", "cover"), "{layer}: {style:?}");
        }
    }

    #[test]
    fn the_declaration_wins_that_the_standard_lets_win() {
        for (css, inline, wins) in [
            (".card { width: 2px } p { width: 1px }", "", "2px"),
            ("p { width: 1px } p { width: 2px }", "", "2px"),
            ("#k { width: 2px } main .card.card { width: 1px }", "", "2px"),
            ("p { width: 1px }", "width: 2px", "2px"),
            ("p { width: 2px !important }", "width: 1px", "2px"),
            ("p { width: 2px !important } #k { width: 1px }", "", "2px"),
            (
                "@layer a, b; @layer b { p { width: 2px } } @layer a { #k { width: 1px } }",
                "",
                "2px",
            ),
            ("p { width: 2px } @layer a { #k { width: 1px } }", "", "2px"),
            ("@layer a { p { width: 2px !important } } p { width: 1px !important }", "", "2px"),
            ("main { --w: 2px } p { width: var(--w) }", "", "2px"),
            ("p { width: var(--none, 2px) }", "", "2px"),
            (".page { & > p { width: 2px } } p { width: 1px }", "", "2px"),
            ("@media (max-width: 500px) { p { width: 2px } }", "", "2px"),
        ] {
            assert_eq!(width(css, inline).as_deref(), Some(wins), "{css} {inline}");
        }
        assert_eq!(width("@media (min-width: 500px) { p { width: 1px } }", ""), None);
        // An unresolved `var()` computes to `unset` and still overrides.
        assert_ne!(
            width("p { width: 1px } .card { width: var(--none) }", "").as_deref(),
            Some("1px")
        );
    }
}
