//! What rewriting is ordered.

use base64::{Engine, engine::general_purpose::STANDARD};
use kivet_page::{markup::Options, rules::RulesDocument};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use crate::problem::{Problem, ProblemKind};

/// A page or stylesheet to rewrite.
#[derive(Clone, Debug, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
pub struct RewriteOrder {
    /// Its text.
    #[serde(default)]
    pub html: Option<String>,
    /// Its bytes in Base64 instead, where they are not UTF-8.
    #[serde(default)]
    pub base64: Option<String>,
    /// Its path in its site, such as `journal/one.html`; a stylesheet's ends in `.css`.
    pub page: String,
    /// The site's folder on the service's machine: addresses are then files, which shelves may
    /// hold.
    #[serde(default)]
    pub folder: Option<String>,
    /// The rules; the kept ones if absent.
    #[serde(default)]
    pub rules: Option<RulesDocument>,
    /// What stands before `/pic/`, where pictures come from another host than the page.
    #[serde(default)]
    pub base: Option<String>,
    /// The language of the library's alternative texts.
    #[serde(default)]
    pub language: Option<String>,
    /// True to name the current version in every URL.
    #[serde(default)]
    pub versioned: bool,
    /// Formats with sources of their own, best first, for hosts that do not choose by `Accept`.
    #[serde(default)]
    pub typed: Vec<String>,
    /// True to write no inline styles.
    #[serde(default)]
    pub classes: bool,
}

impl RewriteOrder {
    /// The document's bytes.
    pub(super) fn bytes(&self) -> Result<Vec<u8>, Problem> {
        let bad = |detail: &str| Problem::new(ProblemKind::NotAPage, detail.to_owned());
        match (&self.html, &self.base64) {
            (Some(html), None) => Ok(html.clone().into_bytes()),
            (None, Some(text)) => {
                STANDARD.decode(text).map_err(|_| bad("`base64` is not in Base64"))
            }
            _ => Err(bad("send the page as `html`, or its bytes as `base64`; one of the two")),
        }
    }

    pub(super) fn options(&self, typed: Vec<kivet_recipe::Format>) -> Options {
        Options { typed, classes: self.classes, compact: true, ..Options::default() }
    }
}
