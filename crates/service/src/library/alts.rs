//! Alternative texts: which of those kept holds for one use, and setting them.

use axum::{
    Json,
    extract::{State, rejection::JsonRejection},
};
use kivet_store::AltRecord;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::{describe::with_texts, responses::OriginalResponse};
use crate::{
    app::App,
    blocking::blocking,
    problem::{Problem, ProblemKind},
    query::accept_body,
    shelves::OriginalId,
    sign_in::Admin,
};

/// What stands in for a picture.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum AltChoice {
    /// These words.
    Text(String),
    /// Nothing is lost without it.
    Decorative,
    /// Nobody said.
    Unknown,
}

impl AltChoice {
    /// A text as it is kept: empty if the picture is decorative.
    pub fn of(text: &str) -> Self {
        if text.is_empty() { Self::Decorative } else { Self::Text(text.to_owned()) }
    }
}

/// The text for a use in `place`: the place's own goes before the one for all places, and in each
/// the language's exact tag before its primary one (RFC 5646, section 2.2.1) before one for any. A
/// text in another language is none.
pub fn alt_for(texts: &[AltRecord], language: Option<&str>, place: &str) -> AltChoice {
    let exact = language.unwrap_or_default();
    let primary = exact.split('-').next().unwrap_or_default();
    let of = |place: &str, language: &str| {
        texts.iter().find(|alt| alt.place == place && alt.language.eq_ignore_ascii_case(language))
    };
    // Where no language is asked for, the only text there is will do.
    let only = |place: &str| {
        let mut all = texts.iter().filter(|alt| alt.place == place);
        all.next().filter(|_| language.is_none() && all.next().is_none())
    };
    let found = [place, ""].into_iter().find_map(|place| {
        of(place, exact)
            .or_else(|| of(place, primary))
            .or_else(|| of(place, ""))
            .or_else(|| only(place))
    });
    found.map_or(AltChoice::Unknown, |alt| AltChoice::of(&alt.text))
}

/// An alternative text to keep or remove.
#[derive(Debug, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
pub struct AltOrder {
    /// The original, as `shelf/path`.
    pub original: String,
    /// Its language, as HTML's `lang` has it; absent for any.
    #[serde(default)]
    pub language: Option<String>,
    /// The place it is for; absent for all.
    #[serde(default)]
    pub place: Option<String>,
    /// The text; empty if the picture is decorative; absent to remove it.
    #[serde(default)]
    pub text: Option<String>,
}

/// Keeps what stands in for an original where it cannot be seen, or removes it.
#[utoipa::path(put, path = "/api/library/alt", request_body = AltOrder, responses(
    (status = 200, body = OriginalResponse),
    (status = 400, body = Problem), (status = 401, body = Problem), (status = 404, body = Problem),
))]
pub(super) async fn alt(
    _: Admin,
    State(app): State<App>,
    order: Result<Json<AltOrder>, JsonRejection>,
) -> Result<Json<OriginalResponse>, Problem> {
    let AltOrder { original, language, place, text } = accept_body(order)?;
    // Only what is there can be described.
    let id = app.shelves.original(&OriginalId::from_text(&original)?).await?.id.clone();
    if let Some(place) = &place {
        app.places.named(place)?;
    }
    let language = language.unwrap_or_default();
    let is_tag = language.chars().all(|c| c.is_ascii_alphanumeric() || c == '-');
    if !is_tag {
        let detail = format!("`{language}` is not a language; write a tag such as en or de-AT");
        return Err(Problem::new(ProblemKind::BadLanguage, detail));
    }
    let place = place.unwrap_or_default();
    let (records, kept) = (app.records.clone(), id.clone());
    let found = blocking(move || match text {
        Some(text) => {
            let text = text.split_whitespace().collect::<Vec<_>>().join(" ");
            let alt = AltRecord { language, place, text };
            records.keep_alt(kept.shelf(), kept.path(), &alt).map(|()| true)
        }
        None => records.remove_alt(kept.shelf(), kept.path(), &language, &place),
    });
    if !found.await?? {
        let detail = format!(
            "{id} has no alternative text for that language and place; `kivet library show {id}` lists them"
        );
        return Err(Problem::new(ProblemKind::NoAlt, detail));
    }
    Ok(Json(with_texts(&app, id).await?))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_places_own_words_go_first_then_the_languages() {
        let alt = |language: &str, place: &str, text: &str| AltRecord {
            language: language.to_owned(),
            place: place.to_owned(),
            text: text.to_owned(),
        };
        let texts = [
            alt("", "", "Kites"),
            alt("de", "", "Drachen"),
            alt("en-GB", "card", "Kites, small"),
            alt("", "strip", ""),
        ];
        let text = |language: Option<&str>, place: &str| alt_for(&texts, language, place);
        let words = |text: &str| AltChoice::Text(text.to_owned());
        assert_eq!(text(Some("en-gb"), "card"), words("Kites, small"));
        assert_eq!(text(Some("de-AT"), "card"), words("Drachen"));
        assert_eq!(text(None, "card"), words("Kites, small"), "the only one of the place");
        assert_eq!(text(None, "wide"), words("Kites"));
        assert_eq!(text(Some("de"), "strip"), AltChoice::Decorative);
        assert_eq!(alt_for(&texts[1..3], Some("fr"), "wide"), AltChoice::Unknown);
    }
}
