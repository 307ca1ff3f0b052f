//! Patterns of paths.

use globset::{GlobBuilder, GlobSet, GlobSetBuilder};

/// Patterns of paths, of which one must fit; none fits everything.
#[derive(Debug)]
pub(super) struct Patterns {
    set: GlobSet,
    /// For patterns without a slash, which are of names.
    names: GlobSet,
    is_empty: bool,
}

impl Patterns {
    pub(super) fn new(texts: &[String]) -> Result<Self, String> {
        let (mut set, mut names) = (GlobSetBuilder::new(), GlobSetBuilder::new());
        for text in texts {
            let pattern = GlobBuilder::new(inside(text)).literal_separator(true).build();
            let pattern =
                pattern.map_err(|error| format!("`{text}` is not a pattern: {}", error.kind()))?;
            if text.contains('/') {
                set.add(pattern)
            } else {
                names.add(pattern)
            };
        }
        let built = |set: GlobSetBuilder| set.build().map_err(|error| error.to_string());
        Ok(Self { set: built(set)?, names: built(names)?, is_empty: texts.is_empty() })
    }

    /// True if a path fits one of them, of which there must be one.
    pub(super) fn name(&self, path: &str) -> bool {
        !self.is_empty && self.fit(path)
    }

    /// True if a path fits. What leads out of a site does not count.
    pub(super) fn fit(&self, path: &str) -> bool {
        let path = inside(path);
        let name = path.rsplit('/').next().unwrap_or(path);
        self.is_empty || self.set.is_match(path) || self.names.is_match(name)
    }
}

/// A path without what leads to a site's top or out of it.
fn inside(path: &str) -> &str {
    path.trim_start_matches("../").trim_start_matches('/')
}
