//! What stands in a picture's room until it arrives: as an inline style, or as a class.

use super::{
    Use,
    element::{Element, Value},
};
use crate::Placeholder;

/// The placeholder of one use.
pub(super) struct Waiting {
    rules: Vec<(&'static str, String)>,
    class: Option<String>,
}

impl Waiting {
    /// None under a picture with transparent parts, through which it would show for ever.
    pub(super) fn of(one: &Use<'_>, classes: bool) -> Self {
        let facts = one.picture.facts;
        let see_through = facts.alpha || facts.format == kivet_recipe::Format::Svg;
        let rules = if see_through { Vec::new() } else { rules(one) };
        let class = (classes && !rules.is_empty()).then(|| class_of(&rules));
        Self { rules, class }
    }

    pub(super) fn on(&self, img: Element) -> Element {
        match &self.class {
            Some(class) => img.text("class", class),
            None if self.rules.is_empty() => img,
            None => img.with("style", Value::Style(self.rules.clone())),
        }
    }

    /// The rule of the class, for the page's stylesheet.
    pub(super) fn css(&self) -> Option<String> {
        let class = self.class.as_ref()?;
        let rules: Vec<String> =
            self.rules.iter().map(|(name, value)| format!("{name}: {value}")).collect();
        Some(format!(".{class} {{ {} }}", rules.join("; ")))
    }

    pub(super) fn declarations(&self) -> &[(&'static str, String)] {
        &self.rules
    }
}

fn rules(one: &Use<'_>) -> Vec<(&'static str, String)> {
    let analysis = one.picture.facts.analysis.as_ref();
    let flat = || {
        let [red, green, blue] = analysis?.dominant;
        Some(vec![("background-color", format!("#{red:02x}{green:02x}{blue:02x}"))])
    };
    let behind = |url: &str| vec![("background", format!("url({url}) center / cover no-repeat"))];
    match &one.place.placeholder {
        Placeholder::None => Vec::new(),
        Placeholder::Flat => flat().unwrap_or_default(),
        Placeholder::Soft => match analysis.and_then(|analysis| analysis.soft.as_deref()) {
            Some(soft) => behind(soft),
            None => flat().unwrap_or_default(),
        },
        Placeholder::Own(url) => behind(url),
    }
}

/// A class that is the same for the same rules.
fn class_of(rules: &[(&str, String)]) -> String {
    // FNV-1a (IETF draft-eastlake-fnv): a name, not a secret.
    let bytes = rules.iter().flat_map(|(name, value)| name.bytes().chain(value.bytes()));
    let hash = bytes.fold(0xcbf2_9ce4_8422_2325_u64, |hash, byte| {
        (hash ^ u64::from(byte)).wrapping_mul(0x0100_0000_01b3)
    });
    format!("waiting-{hash:016x}")
}
