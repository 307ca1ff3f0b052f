//! Places in recipes: `@card` stands for the geometry of the place `card`.

use std::{fmt, str::FromStr};

use serde::{Deserialize, Serialize};

/// The name of a place: `a-z`, `0-9` and `-`, at most 40 characters.
#[derive(Clone, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(try_from = "String", into = "String")]
pub struct PlaceName(String);

/// A text that is not a place's name.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("`{0}` is not a place's name: use a-z, 0-9 and `-`, at most 40 characters")]
pub struct PlaceNameError(String);

impl PlaceName {
    const MAX_LENGTH: usize = 40;

    /// The name of a layout that is described for one order and not kept.
    pub fn of_layout() -> Self {
        Self("layout".to_owned())
    }

    /// The name.
    pub fn as_str(&self) -> &str {
        &self.0
    }
}

impl FromStr for PlaceName {
    type Err = PlaceNameError;

    fn from_str(text: &str) -> Result<Self, PlaceNameError> {
        let plain = |c: u8| c.is_ascii_lowercase() || c.is_ascii_digit() || c == b'-';
        let is_name = (1..=Self::MAX_LENGTH).contains(&text.len()) && text.bytes().all(plain);
        is_name.then(|| Self(text.to_owned())).ok_or_else(|| PlaceNameError(text.to_owned()))
    }
}

impl TryFrom<String> for PlaceName {
    type Error = PlaceNameError;

    fn try_from(text: String) -> Result<Self, PlaceNameError> {
        text.parse()
    }
}

impl From<PlaceName> for String {
    fn from(name: PlaceName) -> Self {
        name.0
    }
}

impl fmt::Display for PlaceName {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::Recipe;

    #[test]
    fn names_are_plain() {
        for bad in ["", "Card", "a b", "a_b", "wide.narrow", &"a".repeat(41)] {
            assert!(bad.parse::<PlaceName>().is_err(), "{bad}");
        }
        assert!("640w_@Card".parse::<Recipe>().is_err());
        assert_eq!("@card-2_640w".parse::<Recipe>().expect("a recipe").to_string(), "640w_@card-2");
    }
}
