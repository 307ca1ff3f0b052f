//! `/kivet.js`: the page script, built from `web/viewer` and carried in the binary.

use axum::{
    Router,
    http::{HeaderMap, HeaderName, StatusCode, header},
    response::{IntoResponse, Response},
    routing::get,
};
use rust_embed::{EmbeddedFile, RustEmbed};
use tower_http::compression::CompressionLayer;

use crate::{
    app::App,
    pic::is_current,
    problem::{Problem, ProblemKind},
};

#[derive(RustEmbed)]
#[folder = "../../web/viewer/dist"]
#[allow_missing = true]
struct Files;

/// An hour, then asked about again while the old one serves: a later version must reach pages that
/// were written for an earlier one.
const CACHING: &str = "public, max-age=3600, stale-while-revalidate=86400";

/// Any page may load it.
const POLICY: HeaderName = HeaderName::from_static("cross-origin-resource-policy");

/// The routes of this feature.
pub fn routes() -> Router<App> {
    Router::new().route("/kivet.js", get(script)).layer(CompressionLayer::new())
}

async fn script(request: HeaderMap) -> Result<Response, Problem> {
    let Some(file) = Files::get("kivet.js") else {
        let detail =
            "this binary was built without its page script; `cargo xtask demo` builds both";
        return Err(Problem::new(ProblemKind::UnknownPath, detail));
    };
    let etag = etag(&file);
    let about = [
        (header::ETAG, etag.clone()),
        (header::CACHE_CONTROL, CACHING.to_owned()),
        (POLICY, "cross-origin".to_owned()),
    ];
    if is_current(&request, &etag) {
        return Ok((StatusCode::NOT_MODIFIED, about).into_response());
    }
    let kind = [(header::CONTENT_TYPE, "text/javascript; charset=utf-8")];
    Ok((about, kind, file.data).into_response())
}

/// Weak: the compressed forms have the same meaning and share it (RFC 9110, section 8.8.1).
fn etag(file: &EmbeddedFile) -> String {
    let hash = file.metadata.sha256_hash();
    let hash: String = hash[..8].iter().map(|byte| format!("{byte:02x}")).collect();
    format!("W/\"{hash}\"")
}

#[cfg(test)]
mod tests {
    use std::io::Write;

    use flate2::{Compression, write::GzEncoder};

    use super::*;

    #[test]
    fn it_stays_small() {
        let file = Files::get("kivet.js").expect("`npm run build` in web/viewer");
        let mut gzip = GzEncoder::new(Vec::new(), Compression::best());
        gzip.write_all(&file.data).expect("into memory");
        let bytes = gzip.finish().expect("into memory").len();
        assert!(bytes <= 2048, "{bytes} bytes gzipped");
    }
}
