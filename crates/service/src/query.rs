//! Queries and bodies of the administration interface, refused with a sentence where they cannot be
//! read.

use axum::{
    Json,
    extract::{
        Query,
        rejection::{JsonRejection, QueryRejection},
    },
};

use crate::problem::{Problem, ProblemKind};

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
