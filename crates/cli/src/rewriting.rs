//! Asking the service to rewrite a document, in whatever encoding it is.

use anyhow::{Context, Result, bail};
use base64::{Engine, engine::general_purpose::STANDARD};
use kivet_service::{RewriteOrder, RewriteResponse};

use crate::client::Reach;

/// The document as rewritten, and what became of its pictures; `order` says how.
pub fn rewritten(
    reach: &Reach,
    page: &str,
    document: &[u8],
    order: &RewriteOrder,
) -> Result<(Vec<u8>, RewriteResponse)> {
    let (html, base64) = match std::str::from_utf8(document) {
        Ok(text) => (Some(text.to_owned()), None),
        Err(_) => (None, Some(STANDARD.encode(document))),
    };
    let order = RewriteOrder { html, base64, page: page.to_owned(), ..order.clone() };
    let mut response: RewriteResponse = reach.post("/api/rewrite", &order)?;
    let after = match (response.html.take(), response.base64.take()) {
        (Some(html), _) => html.into_bytes(),
        (None, Some(text)) => {
            STANDARD.decode(text).context("the service's answer is not in Base64")?
        }
        (None, None) => bail!("the service answered without the page"),
    };
    Ok((after, response))
}
