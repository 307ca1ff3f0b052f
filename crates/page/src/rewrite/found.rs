//! What of a page may be rewritten, and where it stands.

use std::ops::Range;

use crate::observation::Attributes;

/// What a page has that may be rewritten. Ranges are of its bytes.
#[derive(Debug, Default)]
pub struct Scan {
    /// Its `img` elements.
    pub pictures: Vec<FoundPicture>,
    /// Its links, where a rule is about links.
    pub links: Vec<Found>,
    /// Its frames.
    pub embeds: Vec<Found>,
    /// Its elements whose `style` attribute names a picture.
    pub styled: Vec<Found>,
    /// The text of its `style` elements.
    pub sheets: Vec<Range<usize>>,
    /// The stylesheets that it links, as written.
    pub stylesheets: Vec<String>,
    /// Its preloads of pictures.
    pub preloads: Vec<Found>,
    /// Where elements of the head can be put in: before its first link, script or style.
    pub head: Option<usize>,
    /// What its `base` element says.
    pub base: Option<String>,
    /// True if its bytes are UTF-8.
    pub is_utf8: bool,
}

/// An element of a page.
#[derive(Clone, Debug, Default)]
pub struct Found {
    /// Its opening tag.
    pub tag: Range<usize>,
    /// Its attributes, decoded.
    pub attributes: Attributes,
    /// The rules whose selector it matches, by number from 0.
    pub selected: Vec<usize>,
    /// True if `data-kivet="leave"` stands on it or around it.
    pub left: bool,
}

/// An `img`.
#[derive(Clone, Debug, Default)]
pub struct FoundPicture {
    /// The element.
    pub img: Found,
    /// True if a `picture` is around it.
    pub in_picture: bool,
    /// The `source` elements before it in its `picture`.
    pub sources: Vec<Found>,
    /// The `noscript` element around it.
    pub noscript: Option<Range<usize>>,
}

impl Found {
    /// An attribute's value.
    pub fn attribute(&self, name: &str) -> Option<&str> {
        self.attributes.get(name).map(String::as_str)
    }
}

impl FoundPicture {
    /// The same, so many bytes further on.
    pub(super) fn moved(mut self, by: usize) -> Self {
        for found in self.sources.iter_mut().chain([&mut self.img]) {
            found.tag = found.tag.start + by..found.tag.end + by;
        }
        self
    }
}
