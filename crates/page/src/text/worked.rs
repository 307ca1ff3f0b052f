//! A page's text, and everything worked out of it on the way to an observation.

use std::collections::HashMap;

use url::Url;

use super::{document::Document, layout::Layout, style::Styles};
use crate::{Budget, Device, observation::PictureFile};

/// A page's text and what was fetched for it.
#[derive(Clone, Copy)]
pub struct TextPage<'a> {
    /// Its address.
    pub url: &'a Url,
    /// Its source.
    pub html: &'a str,
    /// The stylesheets it links, by address.
    pub sheets: &'a [(String, String)],
    /// What its pictures are, by address, as far as that is known yet.
    pub files: &'a HashMap<String, PictureFile>,
    /// True if its answer forbids keeping it.
    pub no_store: bool,
}

/// Everything worked out on the way.
pub(super) struct Worked<'a> {
    pub page: TextPage<'a>,
    pub device: &'a Device,
    pub document: &'a Document,
    pub styles: &'a Styles,
    pub layout: &'a Layout<'a>,
    pub budget: &'a Budget,
}

impl Worked<'_> {
    /// An address as the page means it.
    pub fn absolute(&self, address: &str) -> String {
        absolute(self.page.url, address)
    }
}

/// A URL as a page at `base` means it.
pub(super) fn absolute(base: &Url, address: &str) -> String {
    base.join(address.trim()).map_or_else(|_| address.to_owned(), String::from)
}
