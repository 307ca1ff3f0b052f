//! Making and redeeming sign-in links.

use axum::{
    Json, Router,
    extract::State,
    http::{HeaderMap, HeaderValue, Method, StatusCode, header},
    response::{IntoResponse, Redirect, Response},
    routing::get,
};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use utoipa_axum::{router::OpenApiRouter, routes as api};

use super::{
    guard::{Admin, session},
    sessions::{COOKIE, LINK_LASTS, SESSION_LASTS},
};
use crate::{app::App, problem::Problem, query::Path};

/// Answers about sign-in are for nobody else, and for now.
const NOT_KEPT: [(header::HeaderName, &str); 1] = [(header::CACHE_CONTROL, "no-store")];

/// The routes of this feature.
pub fn routes() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(api!(new_link))
        .routes(api!(sign_out))
        .merge(Router::new().route("/console/sign-in/{code}", get(redeem)).into())
}

/// A link that signs one browser in.
#[derive(Debug, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct SignInLink {
    /// The path of the link on this service.
    pub path: String,
    /// Seconds for which it works, once.
    pub seconds: u64,
}

/// Makes a single-use sign-in link.
#[utoipa::path(post, path = "/api/sign-in-links", responses((status = 200, body = SignInLink), (status = 401, body = Problem)))]
async fn new_link(_: Admin, State(app): State<App>) -> Result<Json<SignInLink>, Problem> {
    let code = app.sign_in.new_link().map_err(|error| Problem::internal(&error))?;
    Ok(Json(SignInLink { path: format!("/console/sign-in/{code}"), seconds: LINK_LASTS.as_secs() }))
}

/// Ends the session of the browser that calls.
#[utoipa::path(post, path = "/api/sign-out", responses((status = 204), (status = 401, body = Problem)))]
async fn sign_out(_: Admin, State(app): State<App>, headers: HeaderMap) -> Response {
    if let Some(session) = session(&headers) {
        app.sign_in.end(session);
    }
    let gone = format!("{COOKIE}=; Path=/; HttpOnly; SameSite=Strict; Max-Age=0");
    (StatusCode::NO_CONTENT, [(header::SET_COOKIE, gone)]).into_response()
}

/// Redeems a link that a person opens: what only looks at it, or fetches it ahead, does not spend it.
async fn redeem(
    State(app): State<App>,
    method: Method,
    headers: HeaderMap,
    Path(code): Path<String>,
) -> Response {
    let ahead = ["sec-purpose", "purpose", "x-purpose"].iter().any(|name| {
        headers
            .get(*name)
            .and_then(|value| value.to_str().ok())
            .is_some_and(|purpose| purpose.contains("prefetch") || purpose.contains("preview"))
    });
    if method == Method::HEAD || ahead {
        return (StatusCode::NO_CONTENT, NOT_KEPT).into_response();
    }
    let Some(session) = app.sign_in.redeem(&code) else {
        return Redirect::to("/console/?link=spent").into_response();
    };
    let cookie = format!(
        "{COOKIE}={session}; Path=/; HttpOnly; SameSite=Strict; Max-Age={}",
        SESSION_LASTS.as_secs()
    );
    let mut response = (NOT_KEPT, Redirect::to("/console/")).into_response();
    if let Ok(cookie) = HeaderValue::try_from(cookie) {
        response.headers_mut().insert(header::SET_COOKIE, cookie);
    }
    response
}
