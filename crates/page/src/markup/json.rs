//! The parts of markup as JSON, for templates that put them together themselves.

use serde::{Deserialize, Serialize};

use super::{Candidates, Markup, Offer, Options, Use, img, waiting::Waiting};

/// The parts of an `img` or `picture`.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct MarkupDocument {
    /// The original, as it stands in URLs.
    pub path: String,
    /// The `src` attribute.
    pub src: String,
    /// The `srcset` attribute.
    pub srcset: String,
    /// The `sizes` attribute.
    pub sizes: String,
    /// The `width` attribute.
    pub width: u32,
    /// The `height` attribute.
    pub height: u32,
    /// The `alt` attribute; absent if none is known.
    pub alt: Option<String>,
    /// The `loading` attribute.
    pub loading: String,
    /// The `fetchpriority` attribute.
    pub fetchpriority: Option<String>,
    /// The `source` elements, in order.
    pub sources: Vec<SourceDocument>,
    /// The placeholder's CSS declarations.
    pub placeholder: Option<String>,
}

/// One `source`.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct SourceDocument {
    /// The `media` attribute.
    pub media: Option<String>,
    /// The `type` attribute.
    pub r#type: Option<String>,
    /// The `srcset` attribute.
    pub srcset: String,
    /// The `sizes` attribute.
    pub sizes: String,
    /// The `width` attribute.
    pub width: u32,
    /// The `height` attribute.
    pub height: u32,
}

pub(super) fn write(one: &Use<'_>, offer: &Offer, options: &Options) -> Markup {
    let document = document(one, offer, options);
    let text = if options.compact {
        serde_json::to_string(&document)
    } else {
        serde_json::to_string_pretty(&document)
    };
    // Strings and numbers can always be written.
    Markup { text: text.unwrap_or_default(), notes: img::notes(one, options), ..Markup::default() }
}

fn document(one: &Use<'_>, offer: &Offer, options: &Options) -> MarkupDocument {
    let Candidates { sizes, size, .. } = &offer.main;
    let picture = &one.picture;
    let loading = one.place.loading;
    MarkupDocument {
        path: one.picture.path.to_owned(),
        src: offer.main.fallback(picture),
        srcset: offer.main.srcset(picture),
        sizes: sizes.clone(),
        width: size.width,
        height: size.height,
        alt: one.alt.value().map(str::to_owned),
        loading: loading.attribute().to_owned(),
        fetchpriority: options.priority(loading).map(str::to_owned),
        sources: offer
            .sources
            .iter()
            .map(|source| SourceDocument {
                media: source.media.clone(),
                r#type: source.format.map(|format| format.media_type().to_owned()),
                srcset: source.candidates.srcset(picture),
                sizes: source.candidates.sizes.clone(),
                width: source.candidates.size.width,
                height: source.candidates.size.height,
            })
            .collect(),
        placeholder: Waiting::of(one, false).style(),
    }
}
