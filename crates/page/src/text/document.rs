//! A page's source as a tree whose elements know their lines.

use std::{
    borrow::Cow,
    cell::{Cell, Ref, RefCell},
    collections::HashMap,
    sync::OnceLock,
};

use html5ever::{
    Attribute, ParseOpts, QualName,
    tendril::{StrTendril, TendrilSink},
    tree_builder::{ElementFlags, NodeOrText, QuirksMode, TreeSink},
};
use scraper::{ElementRef, Html, HtmlTreeSink};

use super::key::{Key, selectors};
use crate::{Element, nesting::too_deep_selector, observation::Attributes, read_srcset};

/// The identity of a node in its tree.
pub(super) type NodeId = <HtmlTreeSink as TreeSink>::Handle;

/// A parsed page.
pub struct Document {
    pub(super) html: Html,
    lines: HashMap<NodeId, u64>,
    /// Where each line of the source begins, lower case, for finding where a tag over several lines
    /// began.
    source: Vec<String>,
    by_key: OnceLock<HashMap<Key, Vec<NodeId>>>,
}

impl Document {
    /// Parses a page as browsers do (HTML, 13.2).
    pub fn parse(source: &str) -> Self {
        let sink = Lined {
            tree: HtmlTreeSink::new(Html::new_document()),
            line: Cell::new(1),
            lines: RefCell::default(),
        };
        let (html, lines) = html5ever::parse_document(sink, ParseOpts::default()).one(source);
        let source = source.lines().map(str::to_ascii_lowercase).collect();
        Self { html, lines, source, by_key: OnceLock::new() }
    }

    /// The line an element begins on, where it stands in the source.
    pub(super) fn line(&self, element: ElementRef<'_>) -> Option<u64> {
        let end = *self.lines.get(&element.id())?;
        let opening = format!("<{}", element.value().name());
        // The parser knows the line a tag ends on.
        let begins =
            self.source.iter().take(end as usize).rposition(|line| line.contains(&opening));
        begins.map(|at| at as u64 + 1)
    }

    /// All elements with this tag, in order.
    pub(super) fn elements<'a>(
        &'a self,
        tag: &'a str,
    ) -> impl Iterator<Item = ElementRef<'a>> + 'a {
        self.all().filter(move |element| element.value().name() == tag)
    }

    /// All elements, in order.
    pub(crate) fn all(&self) -> impl Iterator<Item = ElementRef<'_>> {
        self.html.tree.root().descendants().filter_map(ElementRef::wrap)
    }

    /// The element as findings name it.
    pub(super) fn describe(&self, element: ElementRef<'_>) -> Element {
        Element {
            tag: element.value().name().to_owned(),
            path: path(element),
            selector: self.selector(element),
            line: self.line(element),
            attributes: attributes(element),
        }
    }

    /// A selector for people: as short as it still names this element.
    fn selector(&self, element: ElementRef<'_>) -> String {
        for part in [own as fn(ElementRef<'_>) -> String, placed] {
            let mut selector = part(element);
            let mut at = element;
            let may_grow =
                |selector: &str| too_deep_selector(selector).is_none() && !self.is_unique(selector);
            while let Some(parent) = parent_element(at).filter(|_| may_grow(&selector)) {
                selector = format!("{} > {selector}", part(parent));
                at = parent;
            }
            if self.is_unique(&selector) {
                return selector;
            }
        }
        path(element).replace('>', " > ")
    }

    fn is_unique(&self, selector: &str) -> bool {
        let Some(key) = selectors(selector).and_then(|list| list.slice().first().map(Key::of))
        else {
            return false;
        };
        scraper::Selector::parse(selector).is_ok_and(|selector| self.has_one(&selector, &key))
    }

    fn has_one(&self, selector: &scraper::Selector, key: &Key) -> bool {
        let holders = self.by_key.get_or_init(|| self.by_key()).get(key);
        let nodes = holders.into_iter().flatten().filter_map(|id| self.html.tree.get(*id));
        let mut found = nodes.filter_map(ElementRef::wrap).filter(|one| selector.matches(one));
        found.nth(1).is_none()
    }

    /// All elements by what they have.
    fn by_key(&self) -> HashMap<Key, Vec<NodeId>> {
        let mut by_key: HashMap<Key, Vec<NodeId>> = HashMap::new();
        for element in self.all() {
            for key in Key::all_of(element) {
                let holders = by_key.entry(key).or_default();
                // A class may be given twice.
                if holders.last() != Some(&element.id()) {
                    holders.push(element.id());
                }
            }
        }
        by_key
    }

    /// The line and source form of the element at `path`, if it is the one described: browsers and
    /// scripts change trees, so that its tag and id must agree.
    pub fn line_of(&self, wanted: &Element) -> Option<u64> {
        let wanted_path = wanted.path.split("::").next().unwrap_or_default();
        let found = self.elements(&wanted.tag).find(|element| path(*element) == wanted_path)?;
        let same =
            |name: &str| found.attr(name) == wanted.attribute(name) || found.attr(name).is_none();
        (same("id") && same("alt")).then(|| self.line(found)).flatten()
    }

    /// Every address the source names as something to load.
    pub fn addresses(&self) -> Vec<String> {
        let mut found = Vec::new();
        for element in self.all() {
            let read = |name: &str| element.attr(name).map(|value| value.trim().to_owned());
            found.extend(["src", "poster", "data", "data-src"].into_iter().filter_map(read));
            if element.value().name() == "link" {
                found.extend(read("href"));
            }
            let sets = ["srcset", "imagesrcset", "data-srcset"].into_iter().filter_map(read);
            found.extend(sets.flat_map(|set| read_srcset(&set)).map(|candidate| candidate.url));
        }
        found
    }
}

/// The path from the root by tags and positions, as `collect.js` writes it.
pub(super) fn path(element: ElementRef<'_>) -> String {
    let mut parts = Vec::new();
    let mut at = Some(element);
    while let Some(element) = at {
        let tag = element.value().name();
        let parent = element.parent().and_then(ElementRef::wrap);
        let place = parent.and_then(|parent| {
            let same: Vec<_> =
                parent.child_elements().filter(|one| one.value().name() == tag).collect();
            let position = same.iter().position(|one| *one == element)?;
            (same.len() > 1).then(|| format!(":nth-of-type({})", position + 1))
        });
        parts.push(format!("{tag}{}", place.unwrap_or_default()));
        at = parent;
    }
    parts.reverse();
    parts.join(">")
}

fn own(element: ElementRef<'_>) -> String {
    if let Some(id) = element.attr("id").filter(|id| is_name(id)) {
        return format!("#{id}");
    }
    let classes = element.value().classes().filter(|class| is_name(class)).take(2);
    classes.fold(element.value().name().to_owned(), |selector, class| selector + "." + class)
}

/// As [`own`], with its place among siblings where they look alike.
fn placed(element: ElementRef<'_>) -> String {
    let tag = element.value().name();
    let siblings =
        || parent_element(element).into_iter().flat_map(|parent| parent.child_elements());
    if siblings().filter(|one| own(*one) == own(element)).count() < 2 {
        return own(element);
    }
    let position = siblings()
        .filter(|one| one.value().name() == tag)
        .position(|one| one == element)
        .unwrap_or(0);
    format!("{}:nth-of-type({})", own(element), position + 1)
}

/// The element around, below the root.
fn parent_element(element: ElementRef<'_>) -> Option<ElementRef<'_>> {
    element.parent().and_then(ElementRef::wrap).filter(|parent| parent.value().name() != "html")
}

fn is_name(text: &str) -> bool {
    !text.starts_with(|c: char| c.is_ascii_digit() || c == '-')
        && text.chars().all(|c| c.is_alphanumeric() || c == '-' || c == '_')
}

pub(super) fn attributes(element: ElementRef<'_>) -> Attributes {
    element.value().attrs().map(|(name, value)| (name.to_owned(), value.to_owned())).collect()
}

/// The tree builder's sink, with a note of the line each element was made on.
struct Lined {
    tree: HtmlTreeSink,
    line: Cell<u64>,
    lines: RefCell<HashMap<NodeId, u64>>,
}

impl TreeSink for Lined {
    type Handle = NodeId;
    type Output = (Html, HashMap<NodeId, u64>);
    type ElemName<'a> = Ref<'a, QualName>;

    fn finish(self) -> Self::Output {
        (self.tree.finish(), self.lines.into_inner())
    }

    fn set_current_line(&self, line: u64) {
        self.line.set(line);
    }

    fn create_element(
        &self,
        name: QualName,
        attributes: Vec<Attribute>,
        flags: ElementFlags,
    ) -> NodeId {
        let id = self.tree.create_element(name, attributes, flags);
        self.lines.borrow_mut().insert(id, self.line.get());
        id
    }

    fn parse_error(&self, message: Cow<'static, str>) {
        self.tree.parse_error(message);
    }

    fn get_document(&self) -> NodeId {
        self.tree.get_document()
    }

    fn elem_name<'a>(&'a self, target: &'a NodeId) -> Ref<'a, QualName> {
        self.tree.elem_name(target)
    }

    fn create_comment(&self, text: StrTendril) -> NodeId {
        self.tree.create_comment(text)
    }

    fn create_pi(&self, target: StrTendril, data: StrTendril) -> NodeId {
        self.tree.create_pi(target, data)
    }

    fn append(&self, parent: &NodeId, child: NodeOrText<NodeId>) {
        self.tree.append(parent, child);
    }

    fn append_based_on_parent_node(
        &self,
        element: &NodeId,
        before: &NodeId,
        child: NodeOrText<NodeId>,
    ) {
        self.tree.append_based_on_parent_node(element, before, child);
    }

    fn append_doctype_to_document(&self, name: StrTendril, public: StrTendril, system: StrTendril) {
        self.tree.append_doctype_to_document(name, public, system);
    }

    fn get_template_contents(&self, target: &NodeId) -> NodeId {
        self.tree.get_template_contents(target)
    }

    fn same_node(&self, one: &NodeId, other: &NodeId) -> bool {
        one == other
    }

    fn set_quirks_mode(&self, mode: QuirksMode) {
        self.tree.set_quirks_mode(mode);
    }

    fn append_before_sibling(&self, sibling: &NodeId, node: NodeOrText<NodeId>) {
        self.tree.append_before_sibling(sibling, node);
    }

    fn add_attrs_if_missing(&self, target: &NodeId, attributes: Vec<Attribute>) {
        self.tree.add_attrs_if_missing(target, attributes);
    }

    fn remove_from_parent(&self, target: &NodeId) {
        self.tree.remove_from_parent(target);
    }

    fn reparent_children(&self, node: &NodeId, parent: &NodeId) {
        self.tree.reparent_children(node, parent);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn elements_know_the_line_they_begin_on() {
        let source = "<!doctype html>\n<body>\n<p>One <img src=a>\n<div class=card>\n<img\n  src=\"../../b.jpg\"\n  alt=x>\n</div>";
        let document = Document::parse(source);
        let images: Vec<Element> =
            document.elements("img").map(|image| document.describe(image)).collect();
        assert_eq!(images.iter().map(|image| image.line).collect::<Vec<_>>(), [Some(3), Some(5)]);
        assert_eq!(images[1].path, "html>body>div>img");
        assert_eq!(images[1].selector, "div.card > img");
        assert_eq!(document.line_of(&images[1]), Some(5));
        assert_eq!(document.addresses(), ["a", "../../b.jpg"]);
    }
}
