//! Answers that are ready: what an address was answered with a moment ago, headers and all, for
//! requests that say the same of their viewers. One look-up stands for reading the address,
//! choosing, asking the tiers and writing the headers.

use std::{
    sync::{
        Arc,
        atomic::{AtomicBool, Ordering},
    },
    time::{Duration, Instant},
};

use axum::{
    body::Body,
    http::{HeaderMap, HeaderName, HeaderValue, StatusCode, Uri, header},
    response::Response,
};
use bytes::Bytes;
use kivet_recipe::{Accepted, Request};
use kivet_store::Blob;
use quick_cache::{Equivalent, sync::Cache};

use super::headers;
use crate::{
    pipeline::{RenditionKey, Source},
    revision::Revision,
};

/// How long an answer is ready before its original is looked at again, and how much longer at most
/// until that is done.
const READY_FOR: Duration = Duration::from_secs(1);
const LOOKED_AT_FOR: Duration = Duration::from_secs(1);

/// Headers and address of an answer take about a kibibyte; their pictures are the memory tier's.
const MAX_ANSWERS: usize = 20_000;

/// What describes the picture itself, which a 304 does without (RFC 9110, section 15.4.5).
const OF_CONTENT: [HeaderName; 5] = [
    header::CONTENT_TYPE,
    header::CONTENT_DISPOSITION,
    header::CONTENT_ENCODING,
    header::CONTENT_SECURITY_POLICY,
    header::ACCEPT_RANGES,
];

/// The answers. Cheap to clone.
#[derive(Clone)]
pub struct ReadyResponses {
    answers: Arc<Cache<Key, Arc<Ready>>>,
    revision: Revision,
}

/// What a request says of its viewer: formats, hints, thrift, and whether it unpacks.
#[derive(Clone, Copy, Debug)]
pub(super) struct Viewer {
    pub(super) request: Request,
    pub(super) gzip: bool,
}

/// An address as it was sent, and all that its answer can depend on.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
struct Key {
    address: Box<str>,
    said: Said,
}

/// The same before it is kept.
#[derive(Hash)]
struct Asked<'a> {
    address: &'a str,
    said: Said,
}

/// What [`Viewer`] says, to be compared.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
struct Said {
    accepted: Accepted,
    width: Option<u32>,
    /// The bits of the number.
    density: Option<u64>,
    viewport_width: Option<u32>,
    save_data: bool,
    gzip: bool,
}

impl<'a> Asked<'a> {
    fn new(uri: &'a Uri, viewer: &Viewer) -> Self {
        let Viewer { request: Request { accepted, hints, save_data }, gzip } = *viewer;
        let said = Said {
            accepted,
            width: hints.width,
            density: hints.density.map(f64::to_bits),
            viewport_width: hints.viewport_width,
            save_data,
            gzip,
        };
        Self { address: uri.path_and_query().map_or("", |whole| whole.as_str()), said }
    }
}

impl Equivalent<Key> for Asked<'_> {
    fn equivalent(&self, key: &Key) -> bool {
        self.said == key.said && *self.address == *key.address
    }
}

/// What was sent: a rendition, by its key, and its compressed bytes where it was those.
pub(super) struct Sent {
    pub(super) key: RenditionKey,
    pub(super) blob: Arc<Blob>,
    pub(super) compressed: Option<Bytes>,
}

/// One answer. The bytes are the tiers': the same rendition may have been made better since.
pub(super) struct Ready {
    key: RenditionKey,
    /// Of the rendition that the headers describe.
    etag: String,
    compressed: Option<Bytes>,
    whole: HeaderMap,
    unchanged: HeaderMap,
    revision: u64,
    due: Instant,
    is_looked_at: AtomicBool,
}

impl Ready {
    /// Where its bytes are.
    pub(super) const fn key(&self) -> &RenditionKey {
        &self.key
    }

    /// The answer with the bytes of a tier; `None` if they are not those that it describes.
    pub(super) fn answer(
        &self,
        request: &HeaderMap,
        (blob, source): (&Blob, Source),
    ) -> Option<Response> {
        if blob.header.etag != self.etag {
            return None;
        }
        let tag = self.whole.get(header::ETAG).and_then(|tag| tag.to_str().ok())?;
        let mut response = Response::new(Body::empty());
        if headers::is_current(request, tag) {
            *response.status_mut() = StatusCode::NOT_MODIFIED;
            *response.headers_mut() = self.unchanged.clone();
        } else {
            let bytes = self.compressed.as_ref().unwrap_or(&blob.bytes);
            *response.body_mut() = Body::from(bytes.clone());
            *response.headers_mut() = self.whole.clone();
        }
        let tier = if source == Source::Disk { "disk" } else { "memory" };
        response.headers_mut().insert(headers::SERVER_TIMING, HeaderValue::from_static(tier));
        Some(response)
    }

    /// True if it still holds. Once it is due, one request looks again; the others have it until
    /// then.
    fn holds(&self, revision: u64) -> bool {
        if self.revision != revision {
            return false;
        }
        let now = Instant::now();
        now < self.due
            || (self.is_looked_at.swap(true, Ordering::Relaxed) && now < self.due + LOOKED_AT_FOR)
    }
}

impl ReadyResponses {
    pub(crate) fn new(revision: Revision) -> Self {
        Self { answers: Arc::new(Cache::new(MAX_ANSWERS)), revision }
    }

    /// The count that an answer which is worked out from now on rests on.
    pub(super) fn revision(&self) -> u64 {
        self.revision.now()
    }

    /// The answer to a request, if one is ready.
    pub(super) fn find(
        &self,
        uri: &Uri,
        viewer: &Viewer,
        headers: &HeaderMap,
    ) -> Option<Arc<Ready>> {
        if headers.contains_key(header::RANGE) || headers.contains_key(header::IF_MATCH) {
            return None;
        }
        let ready = self.answers.get(&Asked::new(uri, viewer))?;
        ready.holds(self.revision.now()).then_some(ready)
    }

    /// Keeps an answer that was sent whole from a tier, worked out at `revision`.
    pub(super) fn keep(
        &self,
        uri: &Uri,
        viewer: &Viewer,
        Sent { key, blob, compressed }: Sent,
        response: &Response,
        revision: u64,
    ) {
        let whole = response.headers().clone();
        let mut unchanged = whole.clone();
        for name in OF_CONTENT.iter().chain([&headers::RENDITION]) {
            unchanged.remove(name);
        }
        let ready = Ready {
            key,
            etag: blob.header.etag.clone(),
            compressed,
            whole,
            unchanged,
            revision,
            due: Instant::now() + READY_FOR,
            is_looked_at: AtomicBool::new(false),
        };
        let Asked { address, said } = Asked::new(uri, viewer);
        self.answers.insert(Key { address: address.into(), said }, Arc::new(ready));
    }
}
