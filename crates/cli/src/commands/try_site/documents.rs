//! Pages and stylesheets, rewritten on their way.

use std::sync::Arc;

use anyhow::Result;
use axum::{
    body::{Body, Bytes},
    http::{
        HeaderMap,
        header::{CONTENT_ENCODING, CONTENT_SECURITY_POLICY, CONTENT_TYPE},
    },
    response::Response,
};
use kivet_service::{RewriteOrder, RewriteResponse};

use super::{
    Site,
    changes::{self, Seen, page_name},
};
use crate::rewriting;

/// True for what is rewritten. Compressed documents, of sites that ignore `Accept-Encoding`, are not.
pub fn is_document(headers: &HeaderMap) -> bool {
    let coding = headers.get(CONTENT_ENCODING).is_some_and(|coding| coding != "identity");
    let kind = kind(headers);
    !coding && (kind.starts_with("text/html") || kind.starts_with("text/css"))
}

fn kind(headers: &HeaderMap) -> &str {
    headers.get(CONTENT_TYPE).and_then(|value| value.to_str().ok()).unwrap_or_default()
}

/// The file that stands in for the site's, if the folder of edited ones has it.
pub async fn edited(site: &Site, path: &str) -> Option<Response<Bytes>> {
    let folder = site.edited.as_ref()?.canonicalize().ok()?;
    let name =
        percent_encoding::percent_decode_str(path.trim_start_matches('/')).decode_utf8().ok()?;
    let mut file = folder.join(name.as_ref());
    if file.is_dir() {
        file = file.join("index.html");
    }
    let file = file.canonicalize().ok().filter(|file| file.starts_with(&folder))?;
    let bytes = tokio::fs::read(&file).await.ok()?;
    let kind = match file.extension().and_then(|ending| ending.to_str()).unwrap_or_default() {
        "html" | "htm" => "text/html",
        "css" => "text/css",
        "js" => "text/javascript",
        "svg" => "image/svg+xml",
        _ => "application/octet-stream",
    };
    Response::builder().header(CONTENT_TYPE, kind).body(bytes.into()).ok()
}

/// A document with Kivet's markup, or as it is; a page with the bar.
pub async fn rewritten(
    site: &Arc<Site>,
    path: &str,
    answer: Response<Bytes>,
    with: bool,
) -> Result<Response> {
    let (parts, before) = answer.into_parts();
    if !is_document(&parts.headers) {
        return Ok(Response::from_parts(parts, Body::from(before)));
    }
    let is_page = kind(&parts.headers).starts_with("text/html");
    let mut after = before.to_vec();
    if with {
        let page = page_name(path, is_page);
        let (shared, document) = (Arc::clone(site), before.clone());
        let asked = page.clone();
        let (bytes, response) =
            tokio::task::spawn_blocking(move || ask(&shared, &asked, &document)).await??;
        let policy = parts.headers.get(CONTENT_SECURITY_POLICY).and_then(|text| text.to_str().ok());
        let seen = Seen {
            before: before.to_vec(),
            after: bytes.clone(),
            response,
            policy: policy.map(str::to_owned),
        };
        let mut known = site.seen.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
        changes::keep(&mut known, page, seen);
        after = bytes;
    }
    if is_page {
        after = with_bar(after, with);
    }
    Ok(Response::from_parts(parts, Body::from(after)))
}

fn ask(site: &Site, page: &str, document: &[u8]) -> Result<(Vec<u8>, RewriteResponse)> {
    let order = RewriteOrder { rules: site.rules.clone(), ..RewriteOrder::default() };
    rewriting::rewritten(&site.reach, page, document, &order)
}

/// The page with the script of the bar at its end.
fn with_bar(page: Vec<u8>, with: bool) -> Vec<u8> {
    let state = if with { "with" } else { "without" };
    let bar =
        format!("<script src=\"/.kivet/overlay.js\" defer data-kivet-try=\"{state}\"></script>");
    let end = page
        .windows(7)
        .rposition(|part| part.eq_ignore_ascii_case(b"</body>"))
        .unwrap_or(page.len());
    [&page[..end], bar.as_bytes(), &page[end..]].concat()
}
