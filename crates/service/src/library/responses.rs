//! The library as JSON.

use kivet_recipe::{Facts, Format, Kind};
use kivet_store::AltRecord;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use crate::{schema, shelves::Original};

/// Some originals of one shelf, in order of their paths.
#[derive(Debug, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct LibraryPage {
    /// Every shelf that can be read.
    pub shelves: Vec<String>,
    /// The shelf these are of.
    pub shelf: String,
    /// The originals.
    pub originals: Vec<OriginalResponse>,
    /// Ask with `after` set to this for the next ones; absent at the end.
    pub next: Option<String>,
}

/// One original.
#[derive(Debug, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct OriginalResponse {
    /// `shelf/path`, as people write it.
    pub id: String,
    /// `shelf/path`, as it stands in an address.
    pub address: String,
    /// Its facts; absent if it cannot be used.
    pub facts: Option<FactsResponse>,
    /// Its alternative texts, where one original is shown; empty in lists.
    #[serde(default)]
    pub alts: Vec<AltResponse>,
    /// Why it cannot be used.
    pub problem: Option<String>,
}

/// What stands in for an original where it cannot be seen.
#[derive(Debug, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct AltResponse {
    /// The language; absent for any.
    pub language: Option<String>,
    /// The place it is for; absent for all.
    pub place: Option<String>,
    /// The text; empty if the picture is decorative.
    pub text: String,
}

impl AltResponse {
    /// Of a kept text.
    pub fn of(record: AltRecord) -> Self {
        let AltRecord { language, place, text } = record;
        let given = |text: String| Some(text).filter(|text| !text.is_empty());
        Self { language: given(language), place: given(place), text }
    }
}

/// What is known of an original.
#[derive(Debug, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct FactsResponse {
    /// Its format.
    #[schema(schema_with = schema::format)]
    pub format: Format,
    /// Bytes of the file.
    pub bytes: u64,
    /// Pixels across, upright.
    pub width: u32,
    /// Pixels down, upright.
    pub height: u32,
    /// The EXIF orientation it is stored in, 1 to 8.
    pub orientation: u8,
    /// True if any pixel may be transparent.
    pub alpha: bool,
    /// True if it moves.
    pub animated: bool,
    /// Whether it is photographic or flat art.
    #[schema(schema_with = schema::kind)]
    pub kind: Kind,
    /// The name of its colour profile.
    pub profile: Option<String>,
    /// Bits a channel.
    pub depth: u8,
    /// True if its colours reach beyond sRGB.
    pub wide: bool,
    /// True if the file ends before its picture does.
    pub truncated: bool,
    /// The focal point, in percents across and down.
    pub focus: Option<[u8; 2]>,
    /// The colour there is most of, as `#rrggbb`; absent until the picture was looked at.
    pub dominant: Option<String>,
    /// A blurred miniature as a `data:` address of fewer than 400 bytes; absent until the picture
    /// was looked at, and under transparency.
    pub soft: Option<String>,
}

impl FactsResponse {
    /// The facts of an original; its kind is what the choice makes of it.
    pub fn of(original: &Original, kind: Kind) -> Self {
        let Facts {
            format,
            storage: _,
            size,
            orientation,
            alpha,
            animated,
            profile,
            depth,
            wide,
            truncated,
            focus,
            analysis,
            trim_box: _,
            detail: _,
            bytes: _,
        } = original.facts();
        let hex = |[r, g, b]: [u8; 3]| format!("#{r:02x}{g:02x}{b:02x}");
        Self {
            format: *format,
            bytes: original.record.stamp.bytes,
            width: size.width,
            height: size.height,
            orientation: orientation.to_exif(),
            alpha: *alpha,
            animated: *animated,
            kind,
            profile: profile.clone(),
            depth: *depth,
            wide: *wide,
            truncated: *truncated,
            focus: focus.map(|focus| focus.percents().into()),
            dominant: analysis.as_ref().map(|analysis| hex(analysis.dominant)),
            soft: analysis.as_ref().and_then(|analysis| analysis.soft.clone()),
        }
    }
}
