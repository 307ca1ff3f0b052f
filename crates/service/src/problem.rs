//! Errors as answers: `application/problem+json` (RFC 9457) with a sentence a person can act on.

use axum::{
    Json,
    http::{HeaderValue, StatusCode, header},
    response::{IntoResponse, Response},
};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// The body of every error.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct Problem {
    /// The sort of problem, e.g. `/problems/unknown-shelf`: the same for every problem of its sort.
    #[serde(rename = "type")]
    pub kind: String,
    /// A short name of the sort.
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
    /// Seconds after which asking again is worth while; sent as `Retry-After`.
    #[serde(skip)]
    pub retry_after: Option<u32>,
}

impl Problem {
    /// A problem of the sort `name` (words joined by `-`).
    pub fn new(status: StatusCode, name: &str, detail: impl Into<String>) -> Self {
        let mut title = name.replace('-', " ");
        title[..1].make_ascii_uppercase();
        Self {
            kind: format!("/problems/{name}"),
            title,
            status: status.as_u16(),
            detail: detail.into(),
            clause: None,
            nearest: None,
            retry_after: None,
        }
    }

    /// With the nearest thing that would work.
    #[must_use]
    pub fn with_nearest(mut self, nearest: Option<impl Into<String>>) -> Self {
        self.nearest = nearest.map(Into::into);
        self
    }

    /// A failure that is the service's own fault: logged here, not told to the client.
    pub fn internal(error: &dyn std::fmt::Display) -> Self {
        tracing::error!(%error, "a request failed");
        Self::new(StatusCode::INTERNAL_SERVER_ERROR, "internal", "the service failed; its log says why")
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
        Self::new(StatusCode::BAD_REQUEST, "unknown-query-key", detail).with_nearest(nearest)
    }
}

impl From<kivet_recipe::RecipeError> for Problem {
    fn from(error: kivet_recipe::RecipeError) -> Self {
        let mut problem = Self::new(StatusCode::BAD_REQUEST, "impossible-recipe", error.to_string());
        problem.clause = Some(error.clause);
        problem.nearest = error.nearest;
        problem
    }
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
        if let Some(seconds) = retry_after {
            headers.insert(header::RETRY_AFTER, HeaderValue::from(seconds));
        }
        response
    }
}
