//! Requests passed on to the site, and its answers back.

use std::sync::Arc;

use anyhow::{Context, Result};
use axum::{
    body::Body,
    extract::{Request, State},
    http::{
        HeaderMap, HeaderValue, Method, StatusCode,
        header::{
            ACCEPT_ENCODING, CONNECTION, CONTENT_LENGTH, CONTENT_TYPE, COOKIE, ETAG, HOST,
            LOCATION, PROXY_AUTHORIZATION, REFERER, SET_COOKIE, TE, TRANSFER_ENCODING, UPGRADE,
        },
    },
    response::{IntoResponse, Response},
};

use super::{Site, changes, documents, tunnel};

/// Whether pages are shown as the site has them.
const SWITCH: &str = "kivet-try";

/// The code of a viewer on the network.
const CODE: &str = "kivet-code";

/// No document that is rewritten may be larger; others pass through.
const MAX_BYTES: u64 = 16 << 20;

pub async fn pass(State(site): State<Arc<Site>>, request: Request) -> Response {
    answered(&site, request).await.unwrap_or_else(|error| {
        (StatusCode::BAD_GATEWAY, format!("kivet try: {error:#}\n")).into_response()
    })
}

async fn answered(site: &Arc<Site>, request: Request) -> Result<Response> {
    if let Some(refused) = admitted(site, &request) {
        return Ok(refused);
    }
    let path = request.uri().path().to_owned();
    if let Some(own) = path.strip_prefix("/.kivet/") {
        return Ok(own_page(site, own, &request));
    }
    if path.starts_with("/pic/") || path == "/kivet.js" {
        let target = format!("{}{}", site.reach.service(), path_and_query(&request));
        return forwarded(site, request, &target, HeaderMap::new()).await;
    }
    let target =
        site.upstream.join(path_and_query(&request)).context("the address cannot be read")?;
    // An address such as `//other.example/` names another host.
    anyhow::ensure!(target.origin() == site.upstream.origin(), "only {} is fetched", site.upstream);
    if request.headers().contains_key(UPGRADE) {
        return tunnel::open(request, &target, &site.client).await;
    }
    let with = cookie(request.headers(), SWITCH).as_deref() != Some("without");
    let is_get = request.method() == Method::GET;
    if let Some(answer) = documents::edited(site, &path).await.filter(|_| is_get) {
        return documents::rewritten(site, &path, answer, with).await;
    }
    let mut own = HeaderMap::new();
    own.insert(ACCEPT_ENCODING, HeaderValue::from_static("identity"));
    let answer = forwarded(site, request, target.as_str(), own).await?;
    let is_document =
        is_get && answer.status() == StatusCode::OK && documents::is_document(answer.headers());
    let is_large = answer
        .headers()
        .get(CONTENT_LENGTH)
        .and_then(|length| length.to_str().ok()?.parse::<u64>().ok())
        .is_some_and(|length| length > MAX_BYTES);
    if !is_document || is_large {
        return Ok(answer);
    }
    let (mut parts, body) = answer.into_parts();
    let bytes = axum::body::to_bytes(body, MAX_BYTES as usize)
        .await
        .context("the site broke off its answer")?;
    for stale in [CONTENT_LENGTH, ETAG] {
        parts.headers.remove(stale);
    }
    documents::rewritten(site, &path, Response::from_parts(parts, bytes), with).await
}

fn path_and_query(request: &Request) -> &str {
    request.uri().path_and_query().map_or("/", |path| path.as_str())
}

/// Sends a request on, and its answer back, both as they come.
async fn forwarded(
    site: &Site,
    request: Request,
    target: &str,
    own: HeaderMap,
) -> Result<Response> {
    let (parts, body) = request.into_parts();
    let mut headers = parts.headers;
    for passing in [HOST, CONNECTION, UPGRADE, TE, TRANSFER_ENCODING, PROXY_AUTHORIZATION] {
        headers.remove(passing);
    }
    headers.extend(own);
    without_own_cookies(&mut headers);
    if let Some(referer) =
        headers.get(REFERER).and_then(|text| text.to_str().ok()?.parse::<url::Url>().ok())
    {
        let theirs = site.upstream.join(referer.path()).ok();
        theirs
            .and_then(|url| HeaderValue::from_str(url.as_str()).ok())
            .map(|text| headers.insert(REFERER, text));
    }
    if let Some(origin) = headers.get_mut("origin") {
        *origin = HeaderValue::from_str(&site.upstream.origin().ascii_serialization())?;
    }
    let request = site.client.request(parts.method.clone(), target).headers(headers);
    let bodiless = matches!(parts.method, Method::GET | Method::HEAD);
    let request = if bodiless {
        request
    } else {
        request.body(reqwest::Body::wrap_stream(body.into_data_stream()))
    };
    let answer = request.send().await.with_context(|| format!("{target} does not answer"))?;
    let (status, mut headers) = (answer.status(), answer.headers().clone());
    for passing in [CONNECTION, TRANSFER_ENCODING] {
        headers.remove(passing);
    }
    keep_inside(site, &mut headers);
    Ok((status, headers, Body::from_stream(answer.bytes_stream())).into_response())
}

/// Redirects and cookies of the site hold for the proxy.
fn keep_inside(site: &Site, headers: &mut HeaderMap) {
    let location = headers.get(LOCATION).and_then(|text| text.to_str().ok()).map(str::to_owned);
    if let Some(to) = location.and_then(|text| site.upstream.join(&text).ok())
        && to.origin() == site.upstream.origin()
        && let Ok(inside) = HeaderValue::from_str(&to[url::Position::BeforePath..])
    {
        headers.insert(LOCATION, inside);
    }
    let cookies: Vec<HeaderValue> = headers.get_all(SET_COOKIE).iter().map(of_proxy).collect();
    headers.remove(SET_COOKIE);
    for cookie in cookies {
        headers.append(SET_COOKIE, cookie);
    }
}

/// A cookie without the domain and the demand for TLS, which the proxy has not.
fn of_proxy(cookie: &HeaderValue) -> HeaderValue {
    let Ok(text) = cookie.to_str() else { return cookie.clone() };
    let kept = text.split(';').filter(|part| {
        let name = part.split('=').next().unwrap_or_default().trim().to_ascii_lowercase();
        let none = part.trim().eq_ignore_ascii_case("samesite=none");
        name != "domain" && name != "secure" && !none
    });
    HeaderValue::from_str(&kept.collect::<Vec<_>>().join(";")).unwrap_or_else(|_| cookie.clone())
}

fn cookies(headers: &HeaderMap) -> impl Iterator<Item = &str> {
    let all = headers.get_all(COOKIE).iter().filter_map(|text| text.to_str().ok());
    all.flat_map(|text| text.split(';')).map(str::trim)
}

fn cookie(headers: &HeaderMap, name: &str) -> Option<String> {
    let mut pairs = cookies(headers).filter_map(|pair| pair.split_once('='));
    pairs.find(|(known, _)| *known == name).map(|(_, value)| value.to_owned())
}

fn without_own_cookies(headers: &mut HeaderMap) {
    let is_own =
        |pair: &&str| [SWITCH, CODE].iter().any(|name| pair.split('=').next() == Some(name));
    let theirs = cookies(headers).filter(|pair| !is_own(pair)).collect::<Vec<_>>().join("; ");
    headers.remove(COOKIE);
    if let Ok(text) = HeaderValue::from_str(&theirs)
        && !theirs.is_empty()
    {
        headers.insert(COOKIE, text);
    }
}

/// What a viewer gets who does not know the code, or has just told it.
fn admitted(site: &Site, request: &Request) -> Option<Response> {
    let code = site.code.as_ref()?;
    if cookie(request.headers(), CODE).as_ref() == Some(code) {
        return None;
    }
    let told = request
        .uri()
        .query()
        .and_then(|query| query.split('&').find_map(|pair| pair.strip_prefix("kivet-code=")));
    if told == Some(code.as_str()) {
        let cookie = format!("{CODE}={code}; Path=/; HttpOnly; SameSite=Lax");
        let headers = [(SET_COOKIE, cookie), (LOCATION, request.uri().path().to_owned())];
        return Some((StatusCode::SEE_OTHER, headers).into_response());
    }
    let text = "Open the address that `kivet try` printed: it holds the code.\n";
    Some((StatusCode::FORBIDDEN, text).into_response())
}

/// The proxy's own pages.
fn own_page(site: &Site, path: &str, request: &Request) -> Response {
    match path {
        "overlay.js" => {
            ([(CONTENT_TYPE, "text/javascript")], include_str!("overlay.js")).into_response()
        }
        "changes" => {
            ([(CONTENT_TYPE, "text/html; charset=utf-8")], changes::page(site)).into_response()
        }
        "pictures" => {
            let page = request.uri().query().unwrap_or_default().trim_start_matches("page=");
            axum::Json(changes::pictures(site, page)).into_response()
        }
        "with" | "without" => {
            let back = request
                .headers()
                .get(REFERER)
                .and_then(|text| text.to_str().ok()?.parse::<url::Url>().ok());
            let back =
                back.map_or("/".to_owned(), |url| url[url::Position::BeforePath..].to_owned());
            let headers =
                [(SET_COOKIE, format!("{SWITCH}={path}; Path=/; SameSite=Lax")), (LOCATION, back)];
            (StatusCode::SEE_OTHER, headers).into_response()
        }
        _ => (StatusCode::NOT_FOUND, "kivet try has changes, with and without here\n")
            .into_response(),
    }
}
