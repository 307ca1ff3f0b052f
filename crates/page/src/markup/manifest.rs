//! The manifest: originals with what places offer of them, for front ends that write markup
//! themselves. It holds everything that was decided; what is left is formatting.

use std::collections::BTreeMap;

use kivet_recipe::{Facts, Format};
use serde::{Deserialize, Serialize};

use super::{
    offer::{Candidates, Offer, OfferedSource},
    waiting,
};
use crate::{Loading, Offered, Place};

/// Originals and places.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase")]
pub struct Manifest {
    /// Counts the forms a manifest has had: 1.
    pub version: u32,
    /// Places by name.
    pub places: BTreeMap<String, ManifestPlace>,
    /// Originals by `shelf/path`.
    pub originals: BTreeMap<String, ManifestOriginal>,
    /// The names that `overlay-` clauses can have.
    pub overlays: Vec<String>,
}

/// What markup says of a place whatever the original.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase")]
pub struct ManifestPlace {
    /// `first`, `near`, `later` or `hidden`.
    pub loading: String,
    /// `none`, `flat`, `soft`, or a URL.
    pub placeholder: String,
    /// True if lazy pictures say `sizes="auto, ..."`.
    pub auto_sizes: bool,
}

/// One original.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase")]
pub struct ManifestOriginal {
    /// `shelf/path` as it stands in URLs.
    pub path: String,
    /// The version that makes its URLs immutable.
    pub version: String,
    /// Alternative texts by language, `""` for any; an empty text is decorative.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub alt: BTreeMap<String, String>,
    /// CSS that shows its main colour; absent under transparency.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub flat: Option<String>,
    /// CSS that shows a blurred miniature; absent under transparency.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub soft: Option<String>,
    /// What each place offers of it.
    pub places: BTreeMap<String, ManifestOffer>,
}

/// What a place offers of an original.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct ManifestOffer {
    /// The alternative texts of this place alone, by language.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub alt: BTreeMap<String, String>,
    /// The `source` elements, in order.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub sources: Vec<ManifestSource>,
    /// What the `img` itself has.
    pub main: ManifestSource,
}

/// The candidates of one element.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct ManifestSource {
    /// Its `media`.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub media: Option<String>,
    /// Recipe and width of each candidate, smallest first.
    pub steps: Vec<(String, u32)>,
    /// The place's own `sizes`, without `auto`.
    pub sizes: String,
    /// The `width` attribute.
    pub width: u32,
    /// The `height` attribute.
    pub height: u32,
}

impl ManifestPlace {
    /// Of a place.
    pub fn of(place: &Place) -> Self {
        Self {
            loading: place.loading().name().to_owned(),
            placeholder: place.placeholder().to_string(),
            auto_sizes: place.auto_sizes,
        }
    }
}

impl ManifestOriginal {
    /// An original without what places offer of it.
    pub fn new(path: String, version: String, facts: &Facts) -> Self {
        let see_through = facts.alpha || facts.format == Format::Svg;
        let css = |rules: Option<Vec<(&str, String)>>| {
            rules.filter(|_| !see_through).map(|rules| waiting::declarations(&rules))
        };
        Self {
            path,
            version,
            alt: BTreeMap::new(),
            flat: css(waiting::flat(facts)),
            soft: css(waiting::soft(facts)),
            places: BTreeMap::new(),
        }
    }
}

impl ManifestOffer {
    /// What a place offers of an original with `facts`.
    pub fn of(place: &Place, offered: &Offered, facts: &Facts) -> Self {
        // The widths a browser may take are the same whenever the picture loads.
        let eager = place.clone().with_loading(Loading::Near);
        let Offer { sources, main } = Offer::of(&eager, offered, facts, &[]);
        let source = |OfferedSource { media, format: _, candidates }: OfferedSource| {
            ManifestSource::of(media, candidates)
        };
        Self {
            alt: BTreeMap::new(),
            sources: sources.into_iter().map(source).collect(),
            main: ManifestSource::of(None, main),
        }
    }
}

impl ManifestSource {
    fn of(media: Option<String>, candidates: Candidates) -> Self {
        let Candidates { steps, sizes, size } = candidates;
        Self { media, steps, sizes, width: size.width, height: size.height }
    }
}
