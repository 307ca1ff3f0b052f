//! Making and spending sign-in links, and the guard of the administration.

use std::net::SocketAddr;

use axum::{
    Json, Router,
    extract::{ConnectInfo, FromRequestParts, Path, State},
    http::{HeaderMap, HeaderValue, StatusCode, header, request::Parts},
    response::{IntoResponse, Redirect, Response},
    routing::get,
};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use utoipa_axum::{router::OpenApiRouter, routes as api};

use super::sessions::{LINK_LASTS, SESSION_LASTS};
use crate::{app::App, problem::Problem};

const COOKIE: &str = "kivet-session";

/// The routes of this feature.
pub fn routes() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(api!(new_link))
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

async fn redeem(State(app): State<App>, Path(code): Path<String>) -> Response {
    let Some(session) = app.sign_in.redeem(&code) else {
        return Redirect::to("/console/?link=spent").into_response();
    };
    let cookie = format!("{COOKIE}={session}; Path=/; HttpOnly; SameSite=Strict; Max-Age={}", SESSION_LASTS.as_secs());
    let mut response = Redirect::to("/console/").into_response();
    if let Ok(cookie) = HeaderValue::try_from(cookie) {
        response.headers_mut().insert(header::SET_COOKIE, cookie);
    }
    response
}

/// Proof that a request may administer: the token as a bearer (RFC 6750), or a signed-in browser's cookie.
pub struct Admin;

impl FromRequestParts<App> for Admin {
    type Rejection = Problem;

    async fn from_request_parts(parts: &mut Parts, app: &App) -> Result<Self, Problem> {
        let bearer =
            parts.headers.get(header::AUTHORIZATION).and_then(|value| value.to_str().ok()?.strip_prefix("Bearer "));
        if bearer.is_some_and(|token| app.sign_in.is_token(token.trim())) {
            return Ok(Self);
        }
        if session(&parts.headers).is_some_and(|session| app.sign_in.is_session(session)) {
            return Ok(Self);
        }
        let detail = "this needs the admin token, or a browser signed in by a link: `kivet console` prints a new one";
        Err(Problem::new(StatusCode::UNAUTHORIZED, "not-signed-in", detail))
    }
}

fn session(headers: &HeaderMap) -> Option<&str> {
    let cookies = headers.get(header::COOKIE)?.to_str().ok()?;
    cookies.split(';').find_map(|pair| pair.trim().strip_prefix(COOKIE)?.strip_prefix('='))
}

/// True for a request from this machine that no proxy has passed on.
pub fn is_local(peer: Option<&ConnectInfo<SocketAddr>>, headers: &HeaderMap) -> bool {
    let passed_on = ["forwarded", "x-forwarded-for", "via"].iter().any(|name| headers.contains_key(*name));
    peer.is_some_and(|peer| peer.0.ip().is_loopback()) && !passed_on
}
