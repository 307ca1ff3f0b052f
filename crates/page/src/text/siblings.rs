//! Each element among its siblings, counted once for a page: paths and selectors ask for all of them.

use std::collections::HashMap;

use scraper::ElementRef;

use super::node::{NodeId, own};

/// The elements of a page among their siblings.
pub(super) struct Siblings {
    by_element: HashMap<NodeId, Sibling>,
}

struct Sibling {
    /// Its number among siblings of its tag, from 1.
    position: usize,
    /// How many there are.
    of_tag: usize,
    /// How many have its tag, id and first classes.
    alike: usize,
}

impl Siblings {
    /// Counts the siblings of a page's elements.
    pub fn of<'a>(elements: impl Iterator<Item = ElementRef<'a>>) -> Self {
        let mut by_element = HashMap::new();
        for parent in elements {
            // The root has no element around it, and counts with its own.
            let children = || parent.child_elements();
            let mut of_tag: HashMap<&str, usize> = HashMap::new();
            let mut alike: HashMap<String, usize> = HashMap::new();
            let mut positions = Vec::new();
            for child in children() {
                let position = of_tag.entry(child.value().name()).or_default();
                *position += 1;
                positions.push(*position);
                *alike.entry(own(child)).or_default() += 1;
            }
            for (child, position) in children().zip(positions) {
                let of_tag = of_tag.get(child.value().name()).copied().unwrap_or(1);
                let alike = alike.get(&own(child)).copied().unwrap_or(1);
                by_element.insert(child.id(), Sibling { position, of_tag, alike });
            }
        }
        Self { by_element }
    }

    /// The path from the root by tags and positions, as `collect.js` writes it.
    pub fn path(&self, element: ElementRef<'_>) -> String {
        let around =
            std::iter::successors(Some(element), |one| one.parent().and_then(ElementRef::wrap));
        let mut parts: Vec<String> = around.map(|one| self.part(one)).collect();
        parts.reverse();
        parts.join(">")
    }

    fn part(&self, element: ElementRef<'_>) -> String {
        let tag = element.value().name();
        match self.by_element.get(&element.id()) {
            Some(one) if one.of_tag > 1 => format!("{tag}:nth-of-type({})", one.position),
            _ => tag.to_owned(),
        }
    }

    /// Its tag with id or first classes, and its position where siblings look alike.
    pub fn placed(&self, element: ElementRef<'_>) -> String {
        match self.by_element.get(&element.id()) {
            Some(one) if one.alike > 1 => {
                format!("{}:nth-of-type({})", own(element), one.position)
            }
            _ => own(element),
        }
    }
}
