//! A rewritten page as JSON.

use kivet_page::rules::Judged;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// A rewritten page or stylesheet.
#[derive(Debug, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct RewriteResponse {
    /// Its text, if text was sent.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub html: Option<String>,
    /// Its bytes in Base64, if such were sent.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub base64: Option<String>,
    /// True if anything changed.
    pub changed: bool,
    /// What became of each picture, embed and link that rules are about, in order.
    pub pictures: Vec<PictureChange>,
    /// Rules for the page's stylesheet, where no inline styles are written.
    pub css: Vec<String>,
    /// What a person still has to decide.
    pub notes: Vec<String>,
}

/// What became of a picture.
#[derive(Clone, Debug, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct PictureChange {
    /// The line it stands on.
    pub line: usize,
    /// `picture`, `background`, `embed` or `link`.
    pub of: String,
    /// Its address, as it was written.
    pub address: String,
    /// The original, as `shelf/path`, if it was rewritten.
    pub original: Option<String>,
    /// The place whose markup it has now.
    pub place: Option<String>,
    /// The loading policy it has now.
    pub loading: Option<String>,
    /// Why it stays as it is, if it does.
    pub stays: Option<String>,
    /// The rule that decided, counted from 1.
    pub rule: Option<usize>,
    /// The verdict of each rule about such elements whose selector matches.
    pub verdicts: Vec<RuleVerdict>,
}

/// What one rule said of a picture.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct RuleVerdict {
    /// The rule, counted from 1.
    pub rule: usize,
    /// `wins`, `loses`, `other-page` or `other-file`.
    pub verdict: String,
    /// The same in words.
    pub said: String,
}

impl RuleVerdict {
    pub(super) fn all(judged: &Judged) -> Vec<Self> {
        let said = judged.verdicts.iter().map(|(rule, verdict)| Self {
            rule: rule + 1,
            verdict: verdict.name().to_owned(),
            said: verdict.said().to_owned(),
        });
        said.collect()
    }
}
