//! Who may do what: extractors that refuse a request before its handler runs.

use std::net::SocketAddr;

use axum::{
    extract::{ConnectInfo, FromRequestParts},
    http::{HeaderMap, header, request::Parts},
};

use super::sessions::COOKIE;
use crate::{
    app::App,
    problem::{Problem, ProblemKind},
};

/// Proof that a request may administer: the token as a bearer (RFC 6750), or a signed-in browser's
/// cookie.
pub struct Admin;

impl FromRequestParts<App> for Admin {
    type Rejection = Problem;

    async fn from_request_parts(parts: &mut Parts, app: &App) -> Result<Self, Problem> {
        let bearer = parts
            .headers
            .get(header::AUTHORIZATION)
            .and_then(|value| value.to_str().ok()?.strip_prefix("Bearer "));
        if bearer.is_some_and(|token| app.sign_in.is_token(token.trim())) {
            return Ok(Self);
        }
        if session(&parts.headers).is_some_and(|session| app.sign_in.is_session(session)) {
            return Ok(Self);
        }
        let detail = "this needs the admin token, or a browser signed in by a link: `kivet console` prints a new one";
        Err(Problem::new(ProblemKind::NotSignedIn, detail))
    }
}

/// Proof that a request comes from this machine, past no proxy, or may administer.
pub struct LocalOrAdmin;

impl FromRequestParts<App> for LocalOrAdmin {
    type Rejection = Problem;

    async fn from_request_parts(parts: &mut Parts, app: &App) -> Result<Self, Problem> {
        let peer = parts.extensions.get::<ConnectInfo<SocketAddr>>();
        if is_local(peer, &parts.headers) {
            return Ok(Self);
        }
        Admin::from_request_parts(parts, app).await.map(|Admin| Self)
    }
}

fn session(headers: &HeaderMap) -> Option<&str> {
    let cookies = headers.get(header::COOKIE)?.to_str().ok()?;
    cookies.split(';').find_map(|pair| pair.trim().strip_prefix(COOKIE)?.strip_prefix('='))
}

fn is_local(peer: Option<&ConnectInfo<SocketAddr>>, headers: &HeaderMap) -> bool {
    let passed_on =
        ["forwarded", "x-forwarded-for", "via"].iter().any(|name| headers.contains_key(*name));
    peer.is_some_and(|peer| peer.0.ip().is_loopback()) && !passed_on
}
