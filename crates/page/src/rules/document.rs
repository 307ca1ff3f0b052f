//! Rules as people write them, in TOML and JSON.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use crate::PlaceDocument;

/// Rules for a site's pages, with the places they name.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
pub struct RulesDocument {
    /// Where addresses lie on shelves: what they begin with, such as `../originals/` or
    /// `https://pics.example/`, and the shelf, with a folder where there is one: `photos/2026`.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub addresses: BTreeMap<String, String>,
    /// Places of these pages by name. Rules may also name places that the service keeps.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub places: BTreeMap<String, PlaceDocument>,
    /// The rules. One that leaves wins; of the others the first that fits.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub rules: Vec<RuleDocument>,
}

/// What happens to some of the pictures. Absent conditions always hold.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
pub struct RuleDocument {
    /// `picture` (if absent), `background`, `embed` or `link`: a link that opens a picture.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub of: Option<String>,
    /// A CSS selector that the element or any around it matches.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub select: Option<String>,
    /// Patterns of page paths, such as `journal/*.html`.
    #[serde(default, skip_serializing_if = "OneOrMore::is_empty")]
    pub pages: OneOrMore,
    /// Patterns of picture paths or names, such as `*.gif` or `**/brand/*`.
    #[serde(default, skip_serializing_if = "OneOrMore::is_empty")]
    pub files: OneOrMore,
    /// True to leave them as they are.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub leave: bool,
    /// The place they appear in.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub place: Option<String>,
    /// Instead of the place's: `first`, `near`, `later` or `hidden`.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub loading: Option<String>,
    /// The screens on which it loads `first`, as a media condition; on others it loads `near`. A
    /// page may have another `first` for those.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub media: Option<String>,
    /// Of the pictures on a page that this rule takes, so many at the top load `near`.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub near: Option<usize>,
    /// `write`: true `width` and `height` attributes, where they move nothing. `scale`: the same with
    /// `height: auto`, for pictures that the style sheet makes narrower but not lower. `keep` (if
    /// absent): what the page says stays.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub dimensions: Option<String>,
    /// `replace` (if absent) or `keep`: what happens to pictures that have a `srcset` already.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub srcset: Option<String>,
    /// `none` where a `picture` element would change the layout, so that the `img` stands alone:
    /// one crop and one format for all. `write` if absent.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub sources: Option<String>,
    /// True to show the drawing of the same name (`.svg`) where a shelf has one.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub vector: bool,
}

/// One text or several.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(from = "Texts", into = "Texts")]
pub struct OneOrMore(pub Vec<String>);

#[derive(Serialize, Deserialize)]
#[serde(untagged)]
enum Texts {
    One(String),
    More(Vec<String>),
}

impl OneOrMore {
    fn is_empty(&self) -> bool {
        self.0.is_empty()
    }
}

impl From<Texts> for OneOrMore {
    fn from(texts: Texts) -> Self {
        match texts {
            Texts::One(text) => Self(vec![text]),
            Texts::More(texts) => Self(texts),
        }
    }
}

impl From<OneOrMore> for Texts {
    fn from(mut texts: OneOrMore) -> Self {
        match texts.0.len() {
            1 => Self::One(texts.0.remove(0)),
            _ => Self::More(texts.0),
        }
    }
}
