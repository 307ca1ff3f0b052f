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
use selectors::matching::SelectorCaches;

use super::{
    key::{Key, OneSelector},
    node::{NodeId, own},
    siblings::Siblings,
};
use crate::{
    Budget, Element, OverLimit, limits::MAX_DEPTH, nesting::too_deep_selector,
    observation::Attributes, read_srcset,
};

/// A parsed page.
pub struct Document {
    pub(super) html: Html,
    made: HashMap<NodeId, Made>,
    /// Where each line of the source begins, lower case, for finding where a tag over several lines
    /// began.
    source: Vec<String>,
    by_key: OnceLock<HashMap<Key, Vec<NodeId>>>,
    siblings: OnceLock<Siblings>,
    described: RefCell<HashMap<NodeId, Element>>,
    over: Option<OverLimit>,
}

/// Where the parser made an element.
#[derive(Clone, Copy, Default)]
struct Made {
    /// The line on which its tag ends.
    line: u64,
    /// How many elements are around it.
    depth: u32,
}

/// Bytes parsed between two looks at the limits.
const CHUNK: usize = 4096;

/// An element that shares so much with so many others is named by its path: a shorter selector would
/// have to be compared with all of them.
const MANY: usize = 256;

impl Document {
    /// Parses a page as browsers do (HTML, 13.2), up to the default limits.
    pub fn parse(source: &str) -> Self {
        Self::parse_within(source, &Budget::default())
    }

    /// Parses a page up to the limits of a budget.
    pub fn parse_within(source: &str, budget: &Budget) -> Self {
        let sink = Lined {
            tree: HtmlTreeSink::new(Html::new_document()),
            line: Cell::new(1),
            made: RefCell::default(),
            deepest: Cell::new(0),
        };
        let mut parser = html5ever::parse_document(sink, ParseOpts::default());
        let mut over = budget.limits().check_text(source.as_bytes()).err();
        let mut rest = source;
        while over.is_none() && !rest.is_empty() {
            let (chunk, after) = rest.split_at(rest.floor_char_boundary(CHUNK.min(rest.len())));
            parser.process(chunk.into());
            rest = after;
            let sink = &parser.tokenizer.sink.sink;
            let too_deep = (sink.deepest.get() > MAX_DEPTH).then_some(OverLimit::Depth(MAX_DEPTH));
            over = too_deep.or(budget.check_time().err());
        }
        let (html, made) = parser.finish();
        let source = source.lines().map(str::to_ascii_lowercase).collect();
        Self {
            html,
            made,
            source,
            by_key: OnceLock::new(),
            siblings: OnceLock::new(),
            described: RefCell::default(),
            over,
        }
    }

    /// The limit at which reading ended, if it did.
    pub fn over_limit(&self) -> Option<&OverLimit> {
        self.over.as_ref()
    }

    /// The line an element begins on, where it stands in the source.
    pub(super) fn line(&self, element: ElementRef<'_>) -> Option<u64> {
        let end = self.made.get(&element.id())?.line;
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

    /// True if an element is the content of a `template` that no script has used yet: nothing in it
    /// is laid out, fetched or applied.
    pub(super) fn is_inert(element: ElementRef<'_>) -> bool {
        let mut around = element.ancestors().filter_map(ElementRef::wrap);
        around.any(|one| one.value().name() == "template" && one.attr("shadowrootmode").is_none())
    }

    /// True if an element is in a shadow tree, whose styles are its own.
    pub(super) fn is_in_shadow(element: ElementRef<'_>) -> bool {
        let mut around = element.ancestors().filter_map(ElementRef::wrap);
        around.any(|one| one.attr("shadowrootmode").is_some())
    }

    /// The element as findings name it.
    pub(super) fn describe(&self, element: ElementRef<'_>) -> Element {
        if let Some(known) = self.described.borrow().get(&element.id()) {
            return known.clone();
        }
        let described = Element {
            tag: element.value().name().to_owned(),
            path: self.siblings().path(element),
            selector: self.selector(element),
            line: self.line(element),
            attributes: attributes(element),
        };
        self.described.borrow_mut().insert(element.id(), described.clone());
        described
    }

    fn siblings(&self) -> &Siblings {
        self.siblings.get_or_init(|| Siblings::of(self.all()))
    }

    /// A selector for people: as short as it still names this element.
    fn selector(&self, element: ElementRef<'_>) -> String {
        let siblings = self.siblings();
        let placed = |element: ElementRef<'_>| siblings.placed(element);
        for part in [&own as &dyn Fn(ElementRef<'_>) -> String, &placed] {
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
        siblings.path(element).replace('>', " > ")
    }

    fn is_unique(&self, selector: &str) -> bool {
        let Some(selector) = OneSelector::parse(selector) else { return false };
        let holders = self.by_key.get_or_init(|| self.by_key()).get(&selector.key());
        let holders = holders.map_or(&[][..], Vec::as_slice);
        let nodes = holders.iter().filter_map(|id| self.html.tree.get(*id));
        let caches = &mut SelectorCaches::default();
        let mut found =
            nodes.filter_map(ElementRef::wrap).filter(|one| selector.matches(*one, None, caches));
        holders.len() <= MANY && found.nth(1).is_none()
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
        let siblings = self.siblings();
        let found =
            self.elements(&wanted.tag).find(|element| siblings.path(*element) == wanted_path)?;
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

/// The element around, below the root.
fn parent_element(element: ElementRef<'_>) -> Option<ElementRef<'_>> {
    element.parent().and_then(ElementRef::wrap).filter(|parent| parent.value().name() != "html")
}

pub(super) fn attributes(element: ElementRef<'_>) -> Attributes {
    element.value().attrs().map(|(name, value)| (name.to_owned(), value.to_owned())).collect()
}

/// The tree builder's sink, with a note of where each element was made.
struct Lined {
    tree: HtmlTreeSink,
    line: Cell<u64>,
    made: RefCell<HashMap<NodeId, Made>>,
    deepest: Cell<u32>,
}

impl TreeSink for Lined {
    type Handle = NodeId;
    type Output = (Html, HashMap<NodeId, Made>);
    type ElemName<'a> = Ref<'a, QualName>;

    fn finish(self) -> Self::Output {
        (self.tree.finish(), self.made.into_inner())
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
        self.made.borrow_mut().insert(id, Made { line: self.line.get(), depth: 0 });
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
        if let NodeOrText::AppendNode(node) = &child {
            let mut made = self.made.borrow_mut();
            let depth = made.get(parent).map_or(0, |around| around.depth) + 1;
            made.entry(*node).or_default().depth = depth;
            self.deepest.set(self.deepest.get().max(depth));
        }
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

    #[test]
    fn pages_are_read_as_far_as_their_limits_reach() {
        let deep = "<div>".repeat(20_000) + "<img src=a>";
        assert_eq!(Document::parse(&deep).over_limit(), Some(&OverLimit::Depth(MAX_DEPTH)));
        let wide = "<p>Kite".repeat(200_000);
        assert!(matches!(Document::parse(&wide).over_limit(), Some(OverLimit::Elements(_))));
        let no_elements = "1 < 2 <!--<3 ".repeat(300_000);
        assert_eq!(Document::parse(&no_elements).over_limit(), None);
        let stopped = Budget::default();
        drop(stopped.stop_on_drop());
        let document = Document::parse_within("<p>Kite<img src=a>", &stopped);
        assert_eq!(document.over_limit(), Some(&OverLimit::Stopped));
    }

    #[test]
    fn elements_of_long_lists_are_named_by_their_path() {
        let items = |count: usize| "<li><img src=a></li>".repeat(count);
        let document =
            Document::parse(&format!("<ol class=a>{}</ol><ol>{}</ol>", items(3), items(600)));
        let images: Vec<ElementRef<'_>> = document.elements("img").collect();
        let selector = |at: usize| document.describe(images[at]).selector;
        assert_eq!(selector(1), "html > body > ol:nth-of-type(1) > li:nth-of-type(2) > img");
        assert_eq!(selector(602), "html > body > ol:nth-of-type(2) > li:nth-of-type(600) > img");
        let few = Document::parse(&format!("<ol class=a>{}</ol>", items(3)));
        let image = few.elements("img").nth(1).expect("an image");
        assert_eq!(few.describe(image).selector, "li:nth-of-type(2) > img");
    }
}
