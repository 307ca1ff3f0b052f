//! Paths, queries and bodies of the administration interface, refused with a sentence where they
//! cannot be read.

use axum::{
    Json,
    extract::{
        FromRequestParts, Query,
        rejection::{JsonRejection, QueryRejection},
    },
    http::request::Parts,
};
use serde::de::DeserializeOwned;

use crate::problem::{Problem, ProblemKind};

/// The parts of a path that its route names.
pub(crate) struct Path<T>(pub(crate) T);

impl<T: DeserializeOwned + Send, S: Send + Sync> FromRequestParts<S> for Path<T> {
    type Rejection = Problem;

    async fn from_request_parts(parts: &mut Parts, state: &S) -> Result<Self, Problem> {
        let read = axum::extract::Path::<T>::from_request_parts(parts, state).await;
        match read {
            Ok(axum::extract::Path(read)) => Ok(Self(read)),
            Err(rejection) => {
                let detail = format!("`{}`: {}", parts.uri.path(), rejection.body_text());
                Err(Problem::new(ProblemKind::BadCall, detail))
            }
        }
    }
}

/// The query, or the problem with it.
pub(crate) fn accept_query<T>(query: Result<Query<T>, QueryRejection>) -> Result<T, Problem> {
    match query {
        Ok(Query(query)) => Ok(query),
        Err(rejection) => Err(Problem::new(ProblemKind::BadQuery, rejection.body_text())),
    }
}

/// The document sent, or the problem with it.
pub(crate) fn accept_body<T>(body: Result<Json<T>, JsonRejection>) -> Result<T, Problem> {
    match body {
        Ok(Json(body)) => Ok(body),
        Err(rejection) => Err(Problem::new(ProblemKind::BadBody, rejection.body_text())),
    }
}
