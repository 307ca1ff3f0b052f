//! Errors as responses: `application/problem+json` (RFC 9457) with a sentence a person can act on.

mod catalogue;
mod conversions;
mod handlers;
mod reference;

use axum::{
    Json,
    http::{HeaderValue, StatusCode, header},
    response::{IntoResponse, Response},
};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

pub use catalogue::ProblemKind;
pub use handlers::routes;

/// The body of every error.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct Problem {
    /// The kind of problem, e.g. `/problems/unknown-shelf`: a page that says what to do about it.
    #[serde(rename = "type")]
    pub kind: String,
    /// What is wrong, the same for every problem of the kind.
    pub title: String,
    /// The HTTP status.
    pub status: u16,
    /// What is wrong this time, and the way out.
    pub detail: String,
    /// The part of a recipe that is at fault.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub clause: Option<String>,
    /// The nearest thing that would work.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub nearest: Option<String>,
    /// Seconds after which to ask again; sent as `Retry-After`.
    #[serde(skip)]
    pub retry_after: Option<u32>,
}

impl Problem {
    /// A problem of a kind; `detail` says what is wrong this time, and the way out.
    pub fn new(kind: ProblemKind, detail: impl Into<String>) -> Self {
        Self {
            kind: format!("/problems/{}", kind.name()),
            title: kind.title().to_owned(),
            status: kind.status().as_u16(),
            detail: legible(&detail.into()),
            clause: None,
            nearest: None,
            retry_after: None,
        }
    }

    /// With the nearest thing that would work.
    #[must_use]
    pub fn with_nearest(mut self, nearest: Option<impl Into<String>>) -> Self {
        self.nearest = nearest.map(|nearest| legible(&nearest.into()));
        self
    }

    /// That passes: ask again after so many seconds.
    #[must_use]
    pub const fn with_retry_after(mut self, seconds: u32) -> Self {
        self.retry_after = Some(seconds);
        self
    }

    /// A failure that is the service's own fault: logged here with its causes, not told to the
    /// client.
    pub fn internal(error: &(dyn std::error::Error + 'static)) -> Self {
        tracing::error!(error = %crate::causes(error), "a request failed");
        Self::new(ProblemKind::Internal, "the service failed; its log says why")
    }

    /// A query key that means nothing here.
    pub fn unknown_query_key(key: &str, known: &[&str]) -> Self {
        let nearest = kivet_recipe::nearest(key, known.iter().copied());
        let known = if known.is_empty() {
            "none is known here".to_owned()
        } else {
            format!("known here: {}", known.join(", "))
        };
        let detail = format!("the query key `{key}` is not known; {known}. Leave it out");
        Self::new(ProblemKind::UnknownQueryKey, detail).with_nearest(nearest)
    }
}

/// What is quoted at most of what was sent, in characters.
const QUOTED: usize = 160;

/// A sentence without what a terminal or XML would act on, its long quotations cut in the middle.
pub(crate) fn legible(sentence: &str) -> String {
    let printable = |c: char| if c.is_control() { char::REPLACEMENT_CHARACTER } else { c };
    // A newline may be a sentence's own.
    let plain: String =
        sentence.chars().map(|c| if c == '\n' { c } else { printable(c) }).collect();
    let cut = |part: &str| {
        let length = part.chars().count();
        if length <= QUOTED {
            return part.to_owned();
        }
        let half = QUOTED / 2;
        let start: String = part.chars().take(half).collect();
        let end: String = part.chars().skip(length - half).collect();
        format!("{start}…{end}")
    };
    plain.split('`').map(cut).collect::<Vec<_>>().join("`")
}

impl IntoResponse for Problem {
    fn into_response(self) -> Response {
        let status = StatusCode::from_u16(self.status).unwrap_or(StatusCode::INTERNAL_SERVER_ERROR);
        let retry_after = self.retry_after;
        let mut response = (status, Json(self)).into_response();
        let headers = response.headers_mut();
        headers.insert(header::CONTENT_TYPE, HeaderValue::from_static("application/problem+json"));
        headers.insert(header::CACHE_CONTROL, HeaderValue::from_static("no-store"));
        headers.insert(header::X_CONTENT_TYPE_OPTIONS, HeaderValue::from_static("nosniff"));
        if status == StatusCode::UNAUTHORIZED {
            // RFC 6750, section 3.
            headers.insert(header::WWW_AUTHENTICATE, HeaderValue::from_static("Bearer"));
        }
        if let Some(seconds) = retry_after {
            headers.insert(header::RETRY_AFTER, HeaderValue::from(seconds));
        }
        response
    }
}
