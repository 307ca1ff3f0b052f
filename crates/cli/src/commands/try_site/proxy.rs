//! Requests passed on to the site, and its responses back.

use std::sync::Arc;

use anyhow::{Context, Result};
use axum::{
    body::{Body, Bytes},
    extract::Request,
    extract::State,
    http::{
        HeaderMap, HeaderValue, Method, StatusCode,
        header::{
            ACCEPT, ACCEPT_ENCODING, CONNECTION, CONTENT_LENGTH, CONTENT_TYPE, ETAG, IF_NONE_MATCH,
            LOCATION, REFERER, SET_COOKIE, TRANSFER_ENCODING, UPGRADE,
        },
    },
    response::{IntoResponse, Response},
};
use futures::StreamExt;
use url::{Position, Url};

use super::{
    Site, changes, documents,
    guard::{SWITCH, cookie, for_site, on_this_host, refused},
    tunnel,
};

/// No document that is rewritten may be larger; others pass through.
const MAX_BYTES: usize = 16 << 20;

pub async fn pass(State(site): State<Arc<Site>>, request: Request) -> Response {
    respond(&site, request).await.unwrap_or_else(|error| {
        (StatusCode::BAD_GATEWAY, format!("kivet try: {error:#}\n")).into_response()
    })
}

async fn respond(site: &Arc<Site>, request: Request) -> Result<Response> {
    if let Some(refused) = refused(site, &request) {
        return Ok(refused);
    }
    let path = request.uri().path().to_owned();
    if let Some(own) = path.strip_prefix("/.kivet/") {
        return Ok(own_page(site, own, &request));
    }
    if path.starts_with("/pic/") || path == "/kivet.js" {
        return from_service(site, request).await;
    }
    let target =
        site.upstream.join(path_and_query(&request)).context("the address cannot be read")?;
    // An address such as `//other.example/` names another host.
    anyhow::ensure!(target.origin() == site.upstream.origin(), "only {} is fetched", site.upstream);
    if asks_for_websocket(request.headers()) {
        return tunnel::open(site, request, &target).await;
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
    if !is_document {
        return Ok(answer);
    }
    let (mut parts, body) = answer.into_parts();
    let bytes = match whole(body).await? {
        Ok(bytes) => bytes,
        Err(large) => return Ok(Response::from_parts(parts, large)),
    };
    for stale in [CONTENT_LENGTH, ETAG] {
        parts.headers.remove(stale);
    }
    documents::rewritten(site, &path, Response::from_parts(parts, bytes), with).await
}

/// The bytes of a body, or the body again where it has more than [`MAX_BYTES`].
async fn whole(body: Body) -> Result<Result<Bytes, Body>> {
    let mut stream = body.into_data_stream();
    let mut read = Vec::new();
    while let Some(chunk) = stream.next().await {
        read.extend_from_slice(&chunk.context("the site broke off its response")?);
        if read.len() > MAX_BYTES {
            let begun = futures::stream::iter([Ok(Bytes::from(read))]);
            return Ok(Err(Body::from_stream(begun.chain(stream))));
        }
    }
    Ok(Ok(read.into()))
}

fn asks_for_websocket(headers: &HeaderMap) -> bool {
    let upgrade = headers.get(UPGRADE).and_then(|value| value.to_str().ok());
    upgrade.is_some_and(|value| value.eq_ignore_ascii_case("websocket"))
}

/// A picture or the page script. Of the service's other URLs none is reached, and of the request's
/// headers only those that choose a picture are sent.
async fn from_service(site: &Site, request: Request) -> Result<Response> {
    let target = Url::parse(&site.reach.service())?.join(path_and_query(&request))?;
    let is_public = target.path().starts_with("/pic/") || target.path() == "/kivet.js";
    if !is_public || !matches!(*request.method(), Method::GET | Method::HEAD) {
        return Ok((StatusCode::NOT_FOUND, "only pictures are here\n").into_response());
    }
    let chooses = |name: &str| {
        name == "save-data"
            || name.starts_with("sec-ch-")
            || [ACCEPT, IF_NONE_MATCH].iter().any(|known| known == name)
            || ["range", "if-range", "priority"].contains(&name)
    };
    let headers = request.headers().iter().filter(|(name, _)| chooses(name.as_str()));
    let headers: HeaderMap = headers.map(|(name, value)| (name.clone(), value.clone())).collect();
    let sent = site.client.request(request.method().clone(), target).headers(headers).send().await;
    let response = sent.context("the service does not respond")?;
    let (status, mut headers) = (response.status(), response.headers().clone());
    for hop in [CONNECTION, TRANSFER_ENCODING] {
        headers.remove(hop);
    }
    Ok((status, headers, Body::from_stream(response.bytes_stream())).into_response())
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
    let mut headers = for_site(site, &parts.headers)?;
    headers.extend(own);
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
        && let Ok(inside) = HeaderValue::from_str(&to[Position::BeforePath..])
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
                .and_then(|text| text.to_str().ok()?.parse::<Url>().ok());
            let back =
                back.map_or("/".to_owned(), |url| on_this_host(&url[Position::BeforePath..]));
            let headers =
                [(SET_COOKIE, format!("{SWITCH}={path}; Path=/; SameSite=Lax")), (LOCATION, back)];
            (StatusCode::SEE_OTHER, headers).into_response()
        }
        _ => (StatusCode::NOT_FOUND, "kivet try has changes, with and without here\n")
            .into_response(),
    }
}
