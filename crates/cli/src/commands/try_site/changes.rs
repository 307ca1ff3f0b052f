//! What was changed on the pages seen so far.

use std::{collections::BTreeMap, sync::PoisonError};

use kivet_service::{PictureChange, RewriteResponse};

use super::Site;
use crate::commands::apply::unified;

/// A document as it came and as it went.
pub struct Seen {
    pub before: Vec<u8>,
    pub after: Vec<u8>,
    pub response: RewriteResponse,
    /// Its content security policy.
    pub policy: Option<String>,
}

/// Bytes of documents, before and after, that are remembered; the others are forgotten first.
const MAX_BYTES: usize = 64 << 20;

/// Remembers a document.
pub fn keep(known: &mut BTreeMap<String, Seen>, page: String, seen: Seen) {
    let size = |one: &Seen| one.before.len() + one.after.len();
    known.remove(&page);
    let mut held: usize = known.values().map(size).sum();
    while held + size(&seen) > MAX_BYTES {
        let Some((_, gone)) = known.pop_first() else { break };
        held -= size(&gone);
    }
    known.insert(page, seen);
}

/// What became of the pictures of a page.
pub fn pictures(site: &Site, path: &str) -> Vec<PictureChange> {
    let path = percent_encoding::percent_decode_str(path).decode_utf8_lossy();
    let seen = site.seen.lock().unwrap_or_else(PoisonError::into_inner);
    seen.get(&page_name(&path, true)).map(|one| one.response.pictures.clone()).unwrap_or_default()
}

/// A page with the diff of each document.
pub fn page(site: &Site) -> String {
    let seen = site.seen.lock().unwrap_or_else(PoisonError::into_inner);
    let mut html = format!(
        "<!doctype html><html lang=en><meta charset=utf-8><meta name=viewport content=\"width=device-width\">\
         <title>What changed on {site}</title><style>body {{ font: 16px/1.5 system-ui, sans-serif; margin: 2rem auto; \
         max-width: 70rem; padding: 0 1rem; color-scheme: light dark }} pre {{ white-space: pre-wrap; overflow-wrap: anywhere; font-size: 13px; \
         border: 1px solid #8884; padding: .75rem }} ins {{ color: #11803a; text-decoration: none }} \
         del {{ color: #c22f2f; text-decoration: none }}</style><h1>What changed on {site}</h1>",
        site = escaped(site.upstream.as_str())
    );
    if seen.is_empty() {
        html.push_str("<p>No page was opened yet.");
    }
    for (path, one) in seen.iter() {
        let rewritten = one.response.pictures.iter().filter(|one| one.stays.is_none()).count();
        html.push_str(&format!(
            "<h2>{}</h2><p>{rewritten} of {} pictures rewritten.</p>",
            escaped(path),
            one.response.pictures.len()
        ));
        if let Some(policy) = &one.policy {
            html.push_str(&format!("<p>Its content security policy stays: <code>{}</code>. Pictures and the bar come from this address, so that it must allow <code>'self'</code>.</p>", escaped(policy)));
        }
        let stays = one.response.pictures.iter().filter_map(|one| Some((one, one.stays.as_ref()?)));
        for (picture, reason) in stays {
            html.push_str(&format!(
                "<p>line {}: {} stays: {}</p>",
                picture.line,
                escaped(&picture.address),
                escaped(reason)
            ));
        }
        if one.before == one.after {
            continue;
        }
        let diff = unified(path, &one.before, &one.after);
        let lines = diff.lines().skip(2).map(|line| match line.as_bytes().first() {
            Some(b'+') => format!("<ins>{}</ins>\n", escaped(line)),
            Some(b'-') => format!("<del>{}</del>\n", escaped(line)),
            _ => format!("{}\n", escaped(line)),
        });
        html.push_str(&format!("<pre>{}</pre>", lines.collect::<String>()));
    }
    html
}

fn escaped(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('"', "&quot;")
}

/// A document's path as rules have it.
pub fn page_name(path: &str, is_page: bool) -> String {
    let path = path.trim_start_matches('/');
    match (is_page, path.is_empty() || path.ends_with('/')) {
        (true, true) => format!("{path}index.html"),
        (false, _) if !path.ends_with(".css") => format!("{path}.css"),
        _ => path.to_owned(),
    }
}
