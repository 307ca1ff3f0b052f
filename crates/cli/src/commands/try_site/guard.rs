//! Which requests the proxy accepts, and which of their headers reach the site.

use std::net::{IpAddr, SocketAddr};

use anyhow::Result;
use axum::{
    extract::Request,
    http::{
        HeaderMap, HeaderValue, StatusCode,
        header::{
            CONNECTION, COOKIE, HOST, LOCATION, ORIGIN, PROXY_AUTHORIZATION, REFERER, SET_COOKIE,
            TE, TRANSFER_ENCODING, UPGRADE,
        },
    },
    response::{IntoResponse, Response},
};
use kivet_service::SESSION_COOKIE;
use url::Url;

use super::Site;

/// The cookie that turns rewriting on (`with`) or off (`without`).
pub const SWITCH: &str = "kivet-try";

/// The cookie, and the query key, of the code that viewers on the network need.
const CODE: &str = "kivet-code";

/// The response to a request that is refused, or that has just given the code.
pub fn refused(site: &Site, request: &Request) -> Option<Response> {
    if !names_this_machine(request.headers(), site.code.is_some()) {
        let text = "kivet try is reached by the address it printed, not under another name\n";
        return Some((StatusCode::MISDIRECTED_REQUEST, text).into_response());
    }
    let code = site.code.as_ref()?;
    if cookie(request.headers(), CODE).as_ref() == Some(code) {
        return None;
    }
    let given = request
        .uri()
        .query()
        .and_then(|query| query.split('&').find_map(|pair| pair.strip_prefix("kivet-code=")));
    if given == Some(code.as_str()) {
        let cookie = format!("{CODE}={code}; Path=/; HttpOnly; SameSite=Lax");
        let headers = [(SET_COOKIE, cookie), (LOCATION, on_this_host(request.uri().path()))];
        return Some((StatusCode::SEE_OTHER, headers).into_response());
    }
    let text = "Open the URL that `kivet try` printed: it has the code.\n";
    Some((StatusCode::FORBIDDEN, text).into_response())
}

/// A path that a redirect cannot take for another host: `//other.example/` names one.
pub fn on_this_host(path: &str) -> String {
    format!("/{}", path.trim_start_matches(['/', '\\']))
}

/// True if `Host` is this machine by number, or `localhost`. A name of somebody else's domain may
/// resolve to this machine, so that his pages could read the site (DNS rebinding).
fn names_this_machine(headers: &HeaderMap, on_network: bool) -> bool {
    let Some(host) = headers.get(HOST).and_then(|host| host.to_str().ok()) else { return false };
    let name = host.rsplit_once(':').map_or(host, |(name, port)| {
        if port.bytes().all(|byte| byte.is_ascii_digit()) { name } else { host }
    });
    let address = host.parse::<SocketAddr>().map(|address| address.ip());
    let address = address.or_else(|_| name.trim_matches(['[', ']']).parse::<IpAddr>());
    name.eq_ignore_ascii_case("localhost")
        || address.is_ok_and(|address| on_network || address.is_loopback())
}

/// The headers of a request as the site gets them: without those of the connection and Kivet's own
/// cookies, and with the site's own origin.
pub fn for_site(site: &Site, headers: &HeaderMap) -> Result<HeaderMap> {
    let mut headers = headers.clone();
    for hop in [HOST, CONNECTION, UPGRADE, TE, TRANSFER_ENCODING, PROXY_AUTHORIZATION] {
        headers.remove(hop);
    }
    let theirs = cookies(&headers).filter(|pair| !is_own(pair)).collect::<Vec<_>>().join("; ");
    headers.remove(COOKIE);
    if !theirs.is_empty() {
        headers.insert(COOKIE, HeaderValue::from_str(&theirs)?);
    }
    let referer = headers.get(REFERER).and_then(|text| text.to_str().ok()?.parse::<Url>().ok());
    if let Some(theirs) = referer.and_then(|referer| site.upstream.join(referer.path()).ok()) {
        headers.insert(REFERER, HeaderValue::from_str(theirs.as_str())?);
    }
    if let Some(origin) = headers.get_mut(ORIGIN) {
        *origin = HeaderValue::from_str(&site.upstream.origin().ascii_serialization())?;
    }
    Ok(headers)
}

/// Cookies do not tell ports apart: those of the proxy and of a service on this machine come along.
fn is_own(pair: &&str) -> bool {
    [SWITCH, CODE, SESSION_COOKIE].iter().any(|name| pair.split('=').next() == Some(name))
}

fn cookies(headers: &HeaderMap) -> impl Iterator<Item = &str> {
    let all = headers.get_all(COOKIE).iter().filter_map(|text| text.to_str().ok());
    all.flat_map(|text| text.split(';')).map(str::trim)
}

/// The value of a cookie.
pub fn cookie(headers: &HeaderMap, name: &str) -> Option<String> {
    let mut pairs = cookies(headers).filter_map(|pair| pair.split_once('='));
    pairs.find(|(known, _)| *known == name).map(|(_, value)| value.to_owned())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_this_machine_is_a_host_and_only_the_network_adds_its_numbers() {
        let accepted = |host: &'static str, on_network| {
            let headers = HeaderMap::from_iter([(HOST, HeaderValue::from_static(host))]);
            names_this_machine(&headers, on_network)
        };
        for host in ["localhost", "LOCALHOST:8585", "127.0.0.1:8585", "[::1]:8585", "[::1]"] {
            assert!(accepted(host, false), "{host}");
        }
        assert!(accepted("192.0.2.7:8585", true) && !accepted("192.0.2.7:8585", false));
        for host in ["kites.example", "kites.example:8585", "localhost.kites.example", ""] {
            assert!(!accepted(host, true), "{host}");
        }
        assert!(!names_this_machine(&HeaderMap::new(), true));
    }

    #[test]
    fn redirects_stay_on_this_host() {
        for path in ["//other.example/a", "/\\other.example/a", "\\\\other.example/a"] {
            assert_eq!(on_this_host(path), "/other.example/a");
        }
    }
}
