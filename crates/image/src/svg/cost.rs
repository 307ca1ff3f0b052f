//! How long a vector would take to draw, told before it is begun: the renderer cannot be stopped.

use std::{
    collections::{HashMap, HashSet},
    time::Duration,
};

use resvg::usvg::{Group, ImageKind, Node, Paint, Path, Rect, Tree, filter};
use roxmltree::Document;

use super::damaged;
use crate::{ImageError, Limits};

/// Elements once each reference is replaced by what it stands for: far above what drawing programs
/// write, far below what fills memory.
const MAX_ELEMENTS: u64 = 200_000;

/// Steps that the renderer takes in a second at the least: one step visits one pixel once. Measured by
/// `cargo test -p kivet-image -- heavy_vectors --nocapture`.
const STEPS_A_SECOND: f64 = 40e6;

/// Steps of visiting an element at all.
const VISIT: f64 = 500.0;

/// Refuses a document whose elements stand for too many others, by `use` or as masks, patterns and the
/// like of each other.
pub(super) fn check_references(document: &Document<'_>) -> Result<(), ImageError> {
    let by_id =
        document.descendants().filter_map(|node| Some((node.attribute("id")?, node))).collect();
    let rules = document
        .descendants()
        .filter(|node| node.tag_name().name() == "style")
        .filter_map(|node| node.text())
        .flat_map(rules)
        .collect();
    let mut forest = Forest { by_id, rules, counted: HashMap::new(), under_way: HashSet::new() };
    let elements = forest.expanded(document.root_element());
    if elements > MAX_ELEMENTS {
        return Err(damaged(format!(
            "its elements refer to each other, and stand for more than {MAX_ELEMENTS}"
        )));
    }
    Ok(())
}

/// What the rules of a style sheet refer to, each with the names in its selectors.
fn rules(css: &str) -> Vec<(HashSet<&str>, Vec<&str>)> {
    let blocks = css.split('}').filter_map(|rule| rule.rsplit_once('{'));
    let with_references = blocks.map(|(selectors, body)| {
        let names = selectors.split(|c: char| !(c.is_alphanumeric() || "-_*".contains(c)));
        (names.collect(), references(body).collect::<Vec<&str>>())
    });
    with_references.filter(|(_, ids)| !ids.is_empty()).collect()
}

/// The ids in `url(#id)`.
fn references(text: &str) -> impl Iterator<Item = &str> {
    let after = text.split("url(").skip(1);
    after.filter_map(|rest| {
        let address = rest.trim_start().trim_start_matches(['"', '\'']).strip_prefix('#')?;
        address.split(['"', '\'', ')']).next().map(str::trim)
    })
}

/// The elements of a document, and how many each stands for.
struct Forest<'a> {
    by_id: HashMap<&'a str, roxmltree::Node<'a, 'a>>,
    rules: Vec<(HashSet<&'a str>, Vec<&'a str>)>,
    counted: HashMap<roxmltree::NodeId, u64>,
    under_way: HashSet<roxmltree::NodeId>,
}

impl<'a> Forest<'a> {
    /// Elements that a node stands for. The tree is at most [`DEEPEST`](super::DEEPEST) deep, and
    /// each node is counted once.
    fn expanded(&mut self, node: roxmltree::Node<'a, 'a>) -> u64 {
        if let Some(known) = self.counted.get(&node.id()) {
            return *known;
        }
        // One that stands for itself is left out by the renderer.
        if self.under_way.len() > MAX_NESTED || !self.under_way.insert(node.id()) {
            return 0;
        }
        let children = node.children().filter(|child| child.is_element());
        let parts: Vec<_> = children.chain(self.referred_to(node)).collect();
        let mut elements = 1u64;
        for part in parts {
            elements = elements.saturating_add(self.expanded(part));
        }
        self.under_way.remove(&node.id());
        self.counted.insert(node.id(), elements);
        elements
    }

    /// What a node is drawn with, by its attributes and by rules whose selectors have one of its
    /// names.
    fn referred_to(&self, node: roxmltree::Node<'a, 'a>) -> Vec<roxmltree::Node<'a, 'a>> {
        let used = node.attribute("href").and_then(|href| href.trim().strip_prefix('#'));
        let by_attributes = node.attributes().flat_map(|one| references(one.value()));
        let names: Vec<&str> = [Some("*"), Some(node.tag_name().name()), node.attribute("id")]
            .into_iter()
            .flatten()
            .chain(node.attribute("class").unwrap_or_default().split_whitespace())
            .collect();
        let matching =
            self.rules.iter().filter(|(known, _)| names.iter().any(|name| known.contains(name)));
        let by_rules = matching.flat_map(|(_, ids)| ids.iter().copied());
        let all = used.into_iter().chain(by_attributes).chain(by_rules);
        all.filter_map(|id| self.by_id.get(id).copied()).collect()
    }
}

/// Elements within elements, references counted.
const MAX_NESTED: usize = 1_000;

/// Refuses a drawing that would take longer than `limits` allow, or more memory for its pictures.
pub(super) fn check(tree: &Tree, pixels: (u32, u32), limits: Limits) -> Result<(), ImageError> {
    let (width, height) = (f64::from(pixels.0), f64::from(pixels.1));
    let (own_width, own_height) = (f64::from(tree.size().width()), f64::from(tree.size().height()));
    let mut cost = Cost {
        left: steps_within(limits.time),
        scale: (width / own_width, height / own_height),
        canvas: width * height,
    };
    cost.group(tree.root(), 0)
}

fn steps_within(time: Duration) -> f64 {
    time.as_secs_f64() * STEPS_A_SECOND
}

struct Cost {
    left: f64,
    scale: (f64, f64),
    /// Pixels of the whole.
    canvas: f64,
}

impl Cost {
    fn spend(&mut self, steps: f64) -> Result<(), ImageError> {
        self.left -= steps;
        if self.left < 0.0 || steps.is_nan() { Err(ImageError::TooSlow) } else { Ok(()) }
    }

    /// Pixels of a box, at most the whole canvas.
    fn area(&self, of: Rect) -> f64 {
        let area = f64::from(of.width()) * f64::from(of.height()) * self.scale.0 * self.scale.1;
        area.clamp(1.0, self.canvas.max(1.0))
    }

    fn group(&mut self, group: &Group, depth: usize) -> Result<(), ImageError> {
        self.spend(VISIT)?;
        if depth > MAX_NESTED {
            return Err(ImageError::TooSlow);
        }
        let layer = self.area(group.abs_layer_bounding_box().to_rect());
        if group.should_isolate() {
            self.spend(4.0 * layer)?;
        }
        if let Some(clip) = group.clip_path() {
            self.spend(4.0 * layer)?;
            self.group(clip.root(), depth + 1)?;
            if let Some(outer) = clip.clip_path() {
                self.group(outer.root(), depth + 1)?;
            }
        }
        let mut mask = group.mask();
        while let Some(one) = mask {
            self.spend(6.0 * layer)?;
            self.group(one.root(), depth + 1)?;
            mask = one.mask();
        }
        for one in group.filters() {
            // A filter works on its region, which may be larger than what it is for.
            let region = self.area(one.rect().to_rect()).max(layer);
            self.filter(one, region, depth)?;
        }
        group.children().iter().try_for_each(|child| self.node(child, depth + 1))
    }

    fn node(&mut self, node: &Node, depth: usize) -> Result<(), ImageError> {
        match node {
            Node::Group(group) => self.group(group, depth),
            Node::Path(path) => self.path(path, depth),
            Node::Text(text) => self.group(text.flattened(), depth),
            Node::Image(image) => match image.kind() {
                ImageKind::SVG(tree) => self.group(tree.root(), depth),
                ImageKind::JPEG(bytes)
                | ImageKind::PNG(bytes)
                | ImageKind::GIF(bytes)
                | ImageKind::WEBP(bytes) => {
                    let known = crate::probe(bytes, Limits::DEFAULT);
                    let pixels = known.map_or(0.0, |facts| facts.size.pixels() as f64);
                    self.spend(VISIT + 4.0 * pixels + 8.0 * self.area(image.abs_bounding_box()))
                }
            },
        }
    }

    fn path(&mut self, path: &Path, depth: usize) -> Result<(), ImageError> {
        self.spend(VISIT + 20.0 * path.data().len() as f64)?;
        let area = self.area(path.abs_stroke_bounding_box());
        let paints = path
            .fill()
            .map(|fill| fill.paint())
            .into_iter()
            .chain(path.stroke().map(|stroke| stroke.paint()));
        for paint in paints {
            self.spend(area)?;
            if let Paint::Pattern(pattern) = paint {
                self.spend(area + self.area(pattern.rect().to_rect()))?;
                self.group(pattern.root(), depth + 1)?;
            }
        }
        Ok(())
    }

    fn filter(
        &mut self,
        filter: &filter::Filter,
        region: f64,
        depth: usize,
    ) -> Result<(), ImageError> {
        for primitive in filter.primitives() {
            // The image is copied, and its colours converted.
            self.spend(VISIT + 8.0 * region)?;
            let steps = match primitive.kind() {
                filter::Kind::Turbulence(noise) => 25.0 * f64::from(noise.num_octaves()),
                filter::Kind::ConvolveMatrix(convolve) => {
                    let matrix = convolve.matrix();
                    2.0 * f64::from(matrix.columns()) * f64::from(matrix.rows())
                }
                filter::Kind::Morphology(morphology) => {
                    let across = window(morphology.radius_x().get(), self.scale.0);
                    let down = window(morphology.radius_y().get(), self.scale.1);
                    (across * down).min(region)
                }
                filter::Kind::GaussianBlur(_) | filter::Kind::DropShadow(_) => 30.0,
                filter::Kind::DiffuseLighting(_) | filter::Kind::SpecularLighting(_) => 40.0,
                filter::Kind::Image(image) => {
                    self.group(image.root(), depth + 1)?;
                    4.0
                }
                _ => 8.0,
            };
            self.spend(steps * region)?;
        }
        Ok(())
    }
}

/// Pixels on one side of a window of a radius.
fn window(radius: f32, scale: f64) -> f64 {
    2.0 * f64::from(radius) * scale + 1.0
}
