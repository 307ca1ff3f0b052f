//! Boxes in boxes, as the layout library walks them.

use taffy::{
    AvailableSpace, BlockContext, Cache, CacheTree, Display, Layout, LayoutBlockContainer,
    LayoutContainingBlock, LayoutFlexboxContainer, LayoutGridContainer, LayoutInput, LayoutOutput,
    LayoutPartialTree, NodeId, RunMode, Size, Style, TraversePartialTree, TraverseTree,
    compute_block_layout, compute_cached_layout, compute_flexbox_layout, compute_grid_layout,
    compute_hidden_layout, compute_leaf_layout, compute_oof_layout, compute_root_layout,
};

use super::lengths::Lengths;

/// A letter is about half as wide as its font is high.
const LETTER: f32 = 0.5;

/// What is in a box that has no boxes inside.
pub(super) enum Content {
    Nothing,
    Text {
        letters: f32,
        longest: f32,
        font: f32,
        line: f32,
    },
    /// Natural width and height, and the one over the other where there is such a ratio.
    Picture {
        natural: (f32, f32),
        shape: Option<f32>,
    },
}

struct Inner {
    style: Style,
    content: Content,
    children: Vec<NodeId>,
    /// What is taken out of the flow and placed by this box.
    taken_out: Vec<NodeId>,
    cache: Cache,
    layout: Layout,
}

/// The boxes of a page, each after those inside it.
#[derive(Default)]
pub(super) struct Boxes {
    all: Vec<Inner>,
    pub lengths: Lengths,
}

impl Boxes {
    pub fn add(&mut self, style: Style, content: Content, children: Vec<NodeId>) -> NodeId {
        let (cache, layout) = (Cache::new(), Layout::new());
        self.all.push(Inner { style, content, children, taken_out: Vec::new(), cache, layout });
        NodeId::from(self.all.len() - 1)
    }

    pub fn lay_out(&mut self, root: NodeId, room: (f32, f32)) {
        let room = Size {
            width: AvailableSpace::Definite(room.0),
            height: AvailableSpace::Definite(room.1),
        };
        compute_root_layout(self, root, room);
    }

    /// Where a box is in the one that places it.
    pub fn layout(&self, node: NodeId) -> &Layout {
        &self.inner(node).layout
    }

    /// What a box places: its children, and what was taken out of the flow further inside.
    pub fn placed(&self, node: NodeId) -> impl Iterator<Item = NodeId> {
        let inner = self.inner(node);
        let flows = |child: &&NodeId| !self.inner(**child).style.position.is_out_of_flow();
        inner.children.iter().filter(flows).chain(&inner.taken_out).copied()
    }

    fn inner(&self, node: NodeId) -> &Inner {
        &self.all[usize::from(node)]
    }

    fn inner_mut(&mut self, node: NodeId) -> &mut Inner {
        &mut self.all[usize::from(node)]
    }

    fn inside(
        &mut self,
        node: NodeId,
        inputs: LayoutInput,
        block: Option<&mut BlockContext<'_>>,
    ) -> LayoutOutput {
        if inputs.run_mode == RunMode::PerformHiddenLayout {
            return compute_hidden_layout(self, node);
        }
        compute_cached_layout(self, node, inputs, |boxes, node, inputs| {
            let inner = boxes.inner(node);
            let mut output = match inner.style.display {
                _ if inner.children.is_empty() => boxes.leaf(node, inputs),
                Display::Block => compute_block_layout(boxes, node, inputs, block),
                Display::FlowRoot => compute_block_layout(boxes, node, inputs, None),
                Display::Flex => compute_flexbox_layout(boxes, node, inputs),
                Display::Grid => compute_grid_layout(boxes, node, inputs),
                Display::None => compute_hidden_layout(boxes, node),
            };
            if inputs.run_mode == RunMode::PerformLayout {
                compute_oof_layout(boxes, node, &mut output);
            }
            output
        })
    }

    fn leaf(&self, node: NodeId, inputs: LayoutInput) -> LayoutOutput {
        let Inner { style, content, .. } = self.inner(node);
        let is_picture = matches!(content, Content::Picture { .. });
        let unasked = inputs.known_dimensions.width.is_none()
            && inputs.available_space.width == AvailableSpace::MinContent;
        // A picture that is a share of its surroundings does not widen them (CSS Sizing 3, 5.2.2).
        let narrow = (is_picture && unasked && is_share(style)).then(|| {
            let size = Size { width: taffy::Dimension::length(0.0), height: style.size.height };
            Style { size, aspect_ratio: None, ..style.clone() }
        });
        let lay_out = |inputs: &LayoutInput| {
            let resolve = |handle: *const (), around: f32| self.lengths.resolve(handle, around);
            compute_leaf_layout(
                *inputs,
                narrow.as_ref().unwrap_or(style),
                resolve,
                |known, room| match narrow {
                    Some(_) => Size { width: 0.0, height: known.height.unwrap_or(0.0) },
                    None if is_picture => content.size(known.or(within(inputs, room)), room),
                    None => content.size(known, room),
                },
            )
        };
        let open = inputs.known_dimensions;
        let output = lay_out(&inputs);
        let follows = is_picture && narrow.is_none() && open.height.is_none();
        if !follows || open.width.is_some() || !style.size.height.is_auto() {
            return output;
        }
        // The library holds a picture's width within its limits; the height follows (CSS 2, 10.4).
        let known_dimensions = Size { width: Some(output.size.width), height: None };
        lay_out(&LayoutInput { known_dimensions, ..inputs })
    }
}

/// The width inside border and padding, where the width of the whole is settled: when it lays out for
/// good, the library tells only how much room that leaves.
fn within(inputs: &LayoutInput, room: Size<AvailableSpace>) -> Size<Option<f32>> {
    let width = inputs.known_dimensions.width.and(room.width.into_option());
    Size { width, height: None }
}

fn is_share(style: &Style) -> bool {
    style.size.width.into_raw().uses_percentage()
        || style.max_size.width.into_raw().uses_percentage()
}

impl Content {
    fn size(&self, known: Size<Option<f32>>, room: Size<AvailableSpace>) -> Size<f32> {
        match *self {
            Self::Nothing => Size::ZERO,
            Self::Picture { natural, shape } => match (known.width, known.height, shape) {
                (Some(width), None, Some(shape)) => Size { width, height: width / shape },
                (None, Some(height), Some(shape)) => Size { width: height * shape, height },
                (width, height, _) => {
                    Size { width: width.unwrap_or(natural.0), height: height.unwrap_or(natural.1) }
                }
            },
            Self::Text { letters, longest, font, line } => {
                let (all, word) = (letters * font * LETTER, longest * font * LETTER);
                let width = known.width.unwrap_or(match room.width {
                    AvailableSpace::Definite(width) => all.min(width.max(word)),
                    AvailableSpace::MinContent => word,
                    AvailableSpace::MaxContent => all,
                });
                let lines = (all / width.max(1.0)).ceil().max(1.0);
                Size { width, height: known.height.unwrap_or(lines * font * line) }
            }
        }
    }
}

impl TraversePartialTree for Boxes {
    type ChildIter<'a> = std::iter::Copied<std::slice::Iter<'a, NodeId>>;

    fn child_ids(&self, node: NodeId) -> Self::ChildIter<'_> {
        self.inner(node).children.iter().copied()
    }

    fn child_count(&self, node: NodeId) -> usize {
        self.inner(node).children.len()
    }

    fn get_child_id(&self, node: NodeId, at: usize) -> NodeId {
        self.inner(node).children[at]
    }
}

impl TraverseTree for Boxes {}

impl LayoutPartialTree for Boxes {
    type CustomIdent = String;
    type CoreContainerStyle<'a> = &'a Style;

    fn get_core_container_style(&self, node: NodeId) -> &Style {
        &self.inner(node).style
    }

    fn set_unrounded_layout(&mut self, node: NodeId, layout: &Layout) {
        self.inner_mut(node).layout = *layout;
    }

    fn resolve_calc_value(&self, handle: *const (), around: f32) -> f32 {
        self.lengths.resolve(handle, around)
    }

    fn compute_child_layout(&mut self, node: NodeId, inputs: LayoutInput) -> LayoutOutput {
        self.inside(node, inputs, None)
    }
}

impl LayoutContainingBlock for Boxes {
    type OofItemStyle<'a> = &'a Style;

    fn get_oof_item_style(&self, node: NodeId) -> &Style {
        &self.inner(node).style
    }

    fn clear_hoisted_children(&mut self, node: NodeId) {
        self.inner_mut(node).taken_out.clear();
    }

    fn add_hoisted_children(&mut self, node: NodeId, taken_out: &[NodeId]) {
        self.inner_mut(node).taken_out.extend_from_slice(taken_out);
    }
}

impl CacheTree for Boxes {
    fn cache_get(&mut self, node: NodeId, inputs: &LayoutInput) -> Option<LayoutOutput> {
        self.inner_mut(node).cache.get(inputs)
    }

    fn cache_store(&mut self, node: NodeId, inputs: &LayoutInput, output: LayoutOutput) {
        self.inner_mut(node).cache.store(inputs, output);
    }

    fn cache_clear(&mut self, node: NodeId) {
        self.inner_mut(node).cache.clear();
    }
}

impl LayoutBlockContainer for Boxes {
    type BlockContainerStyle<'a> = &'a Style;
    type BlockItemStyle<'a> = &'a Style;

    fn get_block_container_style(&self, node: NodeId) -> &Style {
        &self.inner(node).style
    }

    fn get_block_child_style(&self, node: NodeId) -> &Style {
        &self.inner(node).style
    }

    fn compute_block_child_layout(
        &mut self,
        node: NodeId,
        inputs: LayoutInput,
        block: Option<&mut BlockContext<'_>>,
    ) -> LayoutOutput {
        self.inside(node, inputs, block)
    }
}

impl LayoutFlexboxContainer for Boxes {
    type FlexboxContainerStyle<'a> = &'a Style;
    type FlexboxItemStyle<'a> = &'a Style;

    fn get_flexbox_container_style(&self, node: NodeId) -> &Style {
        &self.inner(node).style
    }

    fn get_flexbox_child_style(&self, node: NodeId) -> &Style {
        &self.inner(node).style
    }
}

impl LayoutGridContainer for Boxes {
    type GridContainerStyle<'a> = &'a Style;
    type GridItemStyle<'a> = &'a Style;

    fn get_grid_container_style(&self, node: NodeId) -> &Style {
        &self.inner(node).style
    }

    fn get_grid_child_style(&self, node: NodeId) -> &Style {
        &self.inner(node).style
    }
}
