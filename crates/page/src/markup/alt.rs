//! What stands in for a picture where it cannot be seen.

/// What stands in for a picture where it cannot be seen (HTML, 4.8.4.4).
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Alt<'a> {
    /// These words.
    Text(&'a str),
    /// Nothing is lost without it: `alt=""`.
    Decorative,
    /// Unknown. The attribute is left out and reported, never invented.
    Unknown,
}

impl<'a> Alt<'a> {
    /// The attribute's value, if it is written.
    pub const fn value(self) -> Option<&'a str> {
        match self {
            Self::Text(text) => Some(text),
            Self::Decorative => Some(""),
            Self::Unknown => None,
        }
    }

    /// What a person still has to decide.
    pub(super) fn note(self, path: &str) -> Option<String> {
        (self == Self::Unknown).then(|| {
            format!(
                "{path}: no alt is known and none is invented; say what the picture shows, or that it is decorative"
            )
        })
    }
}
