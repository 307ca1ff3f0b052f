//! What is said about a picture beside its bytes.

use std::time::Duration;

use axum::http::{HeaderMap, HeaderName, HeaderValue, header};
use kivet_recipe::{Format, Varies};
use kivet_store::{Blob, Stage};

use crate::pipeline::{Job, Source};

/// A final rendition of an address that is not versioned: the original may be replaced.
const FINAL: &str = "max-age=3600, stale-while-revalidate=86400, stale-if-error=604800";

/// A first rendition: a better one may follow soon.
const FIRST: &str = "max-age=120";

/// What is known to be about to change, or may be.
const SHORT: &str = "max-age=60";

/// What cannot be looked at again at the moment.
const STALE: &str = "max-age=30, stale-if-error=604800";

/// What never changes under its address.
const IMMUTABLE: &str = "max-age=31536000, immutable";

/// How long an answer holds.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Lasting {
    /// By its stage; for this viewer alone if `private`.
    Usual {
        /// Client hints decided it.
        private: bool,
    },
    /// For ever once it is final: the address names the current version.
    Versioned {
        /// Client hints decided it.
        private: bool,
    },
    /// Shortly: the address names another version, or the service is in plain mode.
    Short,
    /// Shortly, and as long as its shelf is not there: it was made before.
    Stale,
    /// Not at all: it stands in for what was asked for.
    NotStored,
}

impl Lasting {
    fn cache_control(self, stage: Stage) -> String {
        let (private, lasts) = match (self, stage) {
            (Self::NotStored, _) => return "no-store".to_owned(),
            (Self::Short, _) => (false, SHORT),
            (Self::Stale, _) => (false, STALE),
            (Self::Usual { private } | Self::Versioned { private }, Stage::First) => {
                (private, FIRST)
            }
            (Self::Usual { private }, Stage::Final) => (private, FINAL),
            (Self::Versioned { private }, Stage::Final) => (private, IMMUTABLE),
        };
        format!("{}, {lasts}", if private { "private" } else { "public" })
    }
}

const CACHE_STATUS: HeaderName = HeaderName::from_static("cache-status");
pub(super) const SERVER_TIMING: HeaderName = HeaderName::from_static("server-timing");
const TIMING_ALLOW_ORIGIN: HeaderName = HeaderName::from_static("timing-allow-origin");
const CROSS_ORIGIN_RESOURCE_POLICY: HeaderName =
    HeaderName::from_static("cross-origin-resource-policy");
pub(super) const RENDITION: HeaderName = HeaderName::from_static("kivet-rendition");

/// Which request headers an answer depends on.
#[derive(Clone, Copy, Debug)]
pub struct Vary {
    /// As the choice reads them.
    pub(super) varies: Varies,
    /// `Accept-Encoding`.
    pub(super) coding: bool,
}

impl Default for Vary {
    /// Of an address about which nothing is known yet.
    fn default() -> Self {
        Self { varies: Varies { accept: true, hints: false, save_data: true }, coding: false }
    }
}

impl Vary {
    /// As the header writes it; empty if the answer depends on nothing.
    pub fn names(self) -> String {
        let Varies { accept, hints, save_data } = self.varies;
        let named = [
            (accept, "accept"),
            (hints, "sec-ch-width, sec-ch-dpr, sec-ch-viewport-width"),
            (save_data, "save-data"),
            (self.coding, "accept-encoding"),
        ];
        let names: Vec<&str> =
            named.into_iter().filter(|(named, _)| *named).map(|(_, names)| names).collect();
        names.join(", ")
    }
}

/// What keeps a vector that is opened by itself from acting: it may be styled, and nothing else.
const SANDBOX: HeaderValue = HeaderValue::from_static(
    "default-src 'none'; style-src 'unsafe-inline'; img-src data:; sandbox",
);

/// Headers of every answer, errors included.
pub(super) fn add_common(headers: &mut HeaderMap, vary: Vary) {
    let names = vary.names();
    if !names.is_empty() {
        headers.insert(header::VARY, value(names));
    }
    headers.insert(TIMING_ALLOW_ORIGIN, HeaderValue::from_static("*"));
    headers.insert(CROSS_ORIGIN_RESOURCE_POLICY, HeaderValue::from_static("cross-origin"));
    headers.insert(header::X_CONTENT_TYPE_OPTIONS, HeaderValue::from_static("nosniff"));
}

/// Headers that describe the bytes.
pub(super) fn add_content(headers: &mut HeaderMap, job: &Job, blob: &Blob, compressed: bool) {
    if job.choice.format == Format::Svg {
        headers.insert(header::CONTENT_SECURITY_POLICY, SANDBOX);
    }
    if compressed {
        headers.insert(header::CONTENT_ENCODING, HeaderValue::from_static("gzip"));
    }
    headers.insert(header::CONTENT_TYPE, value(blob.header.media_type.clone()));
    headers.insert(header::CONTENT_DISPOSITION, value(disposition(job)));
    headers.insert(RENDITION, value(rendition(job, blob)));
}

/// That parts may be asked for, and which this is.
pub(super) fn add_ranges(headers: &mut HeaderMap, range: Option<String>) {
    headers.insert(header::ACCEPT_RANGES, HeaderValue::from_static("bytes"));
    if let Some(range) = range {
        headers.insert(header::CONTENT_RANGE, value(range));
    }
}

/// Headers for caches, the same on 200 and 304 (RFC 9110, section 15.4.5).
pub(super) fn add_caching(
    headers: &mut HeaderMap,
    blob: &Blob,
    etag: &str,
    lasting: Lasting,
    source: Source,
    took: Duration,
) {
    headers.insert(header::ETAG, value(etag.to_owned()));
    headers.insert(header::CACHE_CONTROL, value(lasting.cache_control(blob.header.stage)));
    let detail = match (source, lasting) {
        (Source::Nearest, _) => "nearest",
        (_, Lasting::Stale) => "stale",
        _ => blob.header.stage.name(),
    };
    headers
        .insert(CACHE_STATUS, value(format!("Kivet; {}; detail={detail}", cache_status(source))));
    headers.insert(SERVER_TIMING, value(server_timing(source, took)));
}

/// The entity tag of the same bytes under gzip: another representation (RFC 9110, section 8.8.3).
pub(super) fn packed_etag(etag: &str) -> String {
    format!("{}-gzip\"", etag.strip_suffix('"').unwrap_or(etag))
}

/// RFC 9211, section 2.
const fn cache_status(source: Source) -> &'static str {
    match source {
        Source::Memory | Source::Disk => "hit",
        Source::Made(_) => "fwd=miss; stored",
        Source::Joined => "fwd=miss; collapsed",
        Source::Nearest => "fwd=miss",
    }
}

fn server_timing(source: Source, took: Duration) -> String {
    let part = |name: &str, duration: Duration| {
        format!("{name};dur={:.1}", duration.as_secs_f64() * 1000.0)
    };
    let mut parts = Vec::new();
    match source {
        Source::Made(spent) => {
            parts.push(part("queue", spent.queued));
            parts.push(part("draw", spent.work.draw));
            parts.push(part("encode", spent.work.encode));
        }
        Source::Memory => parts.push("memory".to_owned()),
        Source::Disk => parts.push("disk".to_owned()),
        Source::Joined => parts.push("joined".to_owned()),
        Source::Nearest => parts.push("nearest".to_owned()),
    }
    parts.push(part("total", took));
    parts.join(", ")
}

/// `inline`, with the name the file would be saved under (RFC 6266; other alphabets by RFC 8187).
fn disposition(job: &Job) -> String {
    let stem = job.original.id.stem();
    let extension = job.choice.format.extension();
    let plain: String = stem
        .chars()
        .map(|c| if c.is_ascii_graphic() && !"\"\\%;".contains(c) { c } else { '-' })
        .collect();
    if plain == stem {
        return format!("inline; filename=\"{stem}.{extension}\"");
    }
    let encoded = percent_encoding::utf8_percent_encode(stem, percent_encoding::NON_ALPHANUMERIC);
    format!("inline; filename=\"{plain}.{extension}\"; filename*=UTF-8''{encoded}.{extension}")
}

/// What came out, and what was requested if that was larger than the original can give: a
/// structured item (RFC 9651).
fn rendition(job: &Job, blob: &Blob) -> String {
    let mut text = format!(
        "{}; width={}; height={}",
        job.choice.format, blob.header.width, blob.header.height
    );
    if let Some(requested) = job.choice.plan.requested_size {
        text.push_str(&format!(
            "; requested-width={}; requested-height={}",
            requested.width, requested.height
        ));
    }
    if let Some(score) = blob.header.score {
        text.push_str(&format!("; score={:.1}", score.get()));
    }
    if job.original.facts().truncated {
        text.push_str("; truncated");
    }
    text
}

/// True if the client's copy is the current one (RFC 9110, section 13.1.2: weak comparison).
pub fn is_current(request: &HeaderMap, etag: &str) -> bool {
    request
        .get_all(header::IF_NONE_MATCH)
        .iter()
        .filter_map(|line| line.to_str().ok())
        .flat_map(|line| line.split(','))
        .map(str::trim)
        .any(|tag| tag == "*" || opaque(tag) == opaque(etag))
}

/// An entity tag without the mark of a weak one.
fn opaque(etag: &str) -> &str {
    etag.strip_prefix("W/").unwrap_or(etag)
}

/// True if the client asks for one representation and this is another (RFC 9110, section 13.1.1:
/// strong comparison).
pub(super) fn is_another(request: &HeaderMap, etag: &str) -> bool {
    let lines = request.get_all(header::IF_MATCH);
    let mut tags = lines
        .iter()
        .filter_map(|line| line.to_str().ok())
        .flat_map(|line| line.split(','))
        .map(str::trim)
        .peekable();
    tags.peek().is_some() && !tags.any(|tag| tag == "*" || tag == etag)
}

/// A header value made of parts that are always printable ASCII.
fn value(text: String) -> HeaderValue {
    HeaderValue::try_from(text).unwrap_or(HeaderValue::from_static(""))
}
