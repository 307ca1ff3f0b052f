//! A Bloom filter of the elements around an element, as browsers keep it: most selectors that name
//! an element around theirs are refused without a walk up the tree.

use html5ever::LocalName;
use precomputed_hash::PrecomputedHash;
use scraper::ElementRef;
use selectors::bloom::{BLOOM_HASH_MASK, BloomFilter};

use super::node::NodeId;

/// The elements around one of a page whose elements are taken in document order.
#[derive(Default)]
pub(super) struct Ancestors {
    filter: BloomFilter,
    /// The open elements, outermost first, with their hashes.
    open: Vec<(NodeId, Vec<u32>)>,
}

impl Ancestors {
    /// The filter for `element`, the next in document order.
    pub fn of(&mut self, element: ElementRef<'_>) -> &BloomFilter {
        let parent = element.parent().and_then(ElementRef::wrap);
        while let Some((last, hashes)) = self.open.last()
            && parent.is_none_or(|parent| parent.id() != *last)
        {
            hashes.iter().for_each(|hash| self.filter.remove_hash(*hash));
            self.open.pop();
        }
        // Between a template and what is in it stands a fragment: around those nothing is known.
        if let Some(parent) = parent.filter(|_| self.open.is_empty()) {
            let mut around: Vec<ElementRef<'_>> =
                parent.ancestors().filter_map(ElementRef::wrap).collect();
            around.reverse();
            around.push(parent);
            around.into_iter().for_each(|one| self.enter(one));
        }
        &self.filter
    }

    /// Adds an element whose content follows.
    pub fn enter(&mut self, element: ElementRef<'_>) {
        let hashes = hashes(element);
        hashes.iter().for_each(|hash| self.filter.insert_hash(*hash));
        self.open.push((element.id(), hashes));
    }
}

/// Hashes of all that a selector can ask of an element, as the selectors' own hashes are made.
fn hashes(element: ElementRef<'_>) -> Vec<u32> {
    let own = element.value();
    let names = own.attrs().map(|(name, _)| name).chain(own.id()).chain(own.classes());
    let named = names.map(|name| LocalName::from(name).precomputed_hash());
    let name = [own.name.local.precomputed_hash(), own.name.ns.precomputed_hash()];
    named.chain(name).map(|hash| hash & BLOOM_HASH_MASK).collect()
}
