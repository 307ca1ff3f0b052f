//! What stands in a picture's room until it arrives: as an inline style, or as a class.

use kivet_recipe::Facts;

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

    /// As a `style` attribute holds it; `None` where there is none.
    pub(super) fn style(&self) -> Option<String> {
        (!self.rules.is_empty()).then(|| declarations(&self.rules))
    }
}

type Rules = Vec<(&'static str, String)>;

fn rules(one: &Use<'_>) -> Rules {
    let facts = one.picture.facts;
    match &one.place.placeholder {
        Placeholder::None => Vec::new(),
        Placeholder::Flat => flat(facts).unwrap_or_default(),
        Placeholder::Soft => soft(facts).or_else(|| flat(facts)).unwrap_or_default(),
        Placeholder::Own(url) => behind(url),
    }
}

/// The colour there is most of; `None` until the picture was looked at.
pub(super) fn flat(facts: &Facts) -> Option<Rules> {
    let [red, green, blue] = facts.analysis.as_ref()?.dominant;
    Some(vec![("background-color", format!("#{red:02x}{green:02x}{blue:02x}"))])
}

/// The blurred miniature; `None` where there is none.
pub(super) fn soft(facts: &Facts) -> Option<Rules> {
    facts.analysis.as_ref()?.soft.as_deref().map(behind)
}

fn behind(url: &str) -> Rules {
    vec![("background", format!("url({url}) center / cover no-repeat"))]
}

/// As a `style` attribute holds them.
pub(super) fn declarations(rules: &[(&str, String)]) -> String {
    let written: Vec<String> =
        rules.iter().map(|(name, value)| format!("{name}:{value}")).collect();
    written.join(";")
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
