//! Who may do what: extractors that refuse a request before its handler runs.

use std::net::{IpAddr, SocketAddr};

use axum::{
    extract::{ConnectInfo, FromRequestParts},
    http::{HeaderMap, header, request::Parts},
};

use super::sessions::COOKIE;
use crate::{
    app::App,
    host,
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
            return of_this_site(parts).map(|()| Self);
        }
        let detail = "this needs the admin token, or a browser signed in by a link: `kivet console` prints a new one";
        Err(Problem::new(ProblemKind::NotSignedIn, detail))
    }
}

/// Marks the requests of the admin listener (`listen` in `[admin]`).
#[derive(Clone, Copy)]
pub struct OnAdminListener;

/// Proof that a request reached the admin listener from this machine, past no proxy, or may
/// administer. The other listener trusts no peer: behind a proxy on this machine every viewer
/// comes from it.
pub struct LocalOrAdmin;

impl FromRequestParts<App> for LocalOrAdmin {
    type Rejection = Problem;

    async fn from_request_parts(parts: &mut Parts, app: &App) -> Result<Self, Problem> {
        if parts.extensions.get::<OnAdminListener>().is_some() && is_local(parts) {
            return Ok(Self);
        }
        Admin::from_request_parts(parts, app).await.map(|Admin| Self)
    }
}

/// A cookie goes along with what other sites make a browser send: such a call is refused unless it
/// only reads (Fetch Metadata; RFC 6454 for browsers without it).
fn of_this_site(parts: &Parts) -> Result<(), Problem> {
    let header = |name: &str| parts.headers.get(name).and_then(|value| value.to_str().ok());
    let host = host::named(&parts.uri, parts.version, &parts.headers)?;
    let is_own = match (header("sec-fetch-site"), header("origin"), host) {
        (Some(site), _, _) => matches!(site, "same-origin" | "none"),
        (None, Some(origin), Some(host)) => origin
            .split_once("://")
            .is_some_and(|(_, named)| named.eq_ignore_ascii_case(host.as_str())),
        (None, Some(_), None) => false,
        (None, None, _) => true,
    };
    if is_own || parts.method.is_safe() {
        return Ok(());
    }
    let detail = "another site made this browser call; sign-in counts only for Kivet's own pages";
    Err(Problem::new(ProblemKind::OtherSite, detail))
}

/// The secret of the session that a request carries.
pub(super) fn session(headers: &HeaderMap) -> Option<&str> {
    let cookies = headers.get(header::COOKIE)?.to_str().ok()?;
    cookies.split(';').find_map(|pair| pair.trim().strip_prefix(COOKIE)?.strip_prefix('='))
}

fn is_local(parts: &Parts) -> bool {
    let peer = parts.extensions.get::<ConnectInfo<SocketAddr>>();
    let passed_on = parts.headers.keys().any(|name| {
        let name = name.as_str();
        name == "forwarded" || name == "via" || name.starts_with("x-forwarded-")
    });
    peer.is_some_and(|peer| peer.0.ip().is_loopback()) && !passed_on && names_this_machine(parts)
}

/// True if the request calls the service by this machine's own name: a site whose name was made to
/// lead here, or a proxy that keeps the name, is somebody else.
fn names_this_machine(parts: &Parts) -> bool {
    let host = match host::named(&parts.uri, parts.version, &parts.headers) {
        Ok(Some(host)) => host,
        Ok(None) => return true,
        Err(_) => return false,
    };
    let name = host.host().trim_start_matches('[').trim_end_matches(']');
    name.eq_ignore_ascii_case("localhost")
        || name.parse::<IpAddr>().is_ok_and(|address| address.is_loopback())
}
