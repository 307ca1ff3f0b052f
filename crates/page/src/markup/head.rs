//! What a page says of its pictures beside their elements: the host they come from, and which hints
//! go there.

use super::{Markup, Options, Use, element::Element};

/// How a request treats credentials (HTML, 2.5.4).
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum CrossOrigin {
    /// Sent to the page's own host alone.
    Anonymous,
    /// Sent to the pictures' host too.
    UseCredentials,
}

impl CrossOrigin {
    /// The attribute's value.
    pub const fn name(self) -> &'static str {
        match self {
            Self::Anonymous => "anonymous",
            Self::UseCredentials => "use-credentials",
        }
    }

    /// The mode of that name.
    pub fn named(name: &str) -> Option<Self> {
        [Self::Anonymous, Self::UseCredentials].into_iter().find(|mode| mode.name() == name)
    }
}

/// The client hints that Kivet reads (Responsive Image Client Hints, section 3), with the policy
/// features that let them go to another host.
pub const HINTS: [(&str, &str); 3] = [
    ("Sec-CH-Width", "ch-width"),
    ("Sec-CH-DPR", "ch-dpr"),
    ("Sec-CH-Viewport-Width", "ch-viewport-width"),
];

pub(super) fn add(markup: &mut Markup, one: &Use<'_>, options: &Options) {
    let base = one.picture.base;
    if !base.is_empty() {
        let link = Element::new("link")
            .text("rel", "preconnect")
            .text("href", base)
            .maybe("crossorigin", options.cross_origin.map(|mode| mode.name()));
        markup.head.push(link.html(true));
    }
    if options.hints {
        let names = HINTS.map(|(name, _)| name).join(", ");
        markup.headers.push(format!("Accept-CH: {names}"));
        if !base.is_empty() {
            let policies = HINTS.map(|(_, policy)| format!("{policy}=(self \"{base}\")"));
            markup.headers.push(format!("Permissions-Policy: {}", policies.join(", ")));
        }
    }
}
