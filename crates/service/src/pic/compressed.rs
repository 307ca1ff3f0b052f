//! Vectors under gzip: text, which is worth packing, once each and off the async threads.

use std::{io::Write, sync::Arc};

use axum::http::{HeaderMap, header};
use bytes::Bytes;
use flate2::{Compression, write::GzEncoder};
use kivet_recipe::accepts_coding;
use kivet_store::Blob;
use moka::future::Cache;

use crate::{blocking::blocking, problem::Problem};

const MEMORY: u64 = 16 << 20;

/// Compressed vectors in memory, by entity tag. Cheap to clone.
#[derive(Clone)]
pub struct Compressed(Cache<String, Bytes>);

impl Compressed {
    pub(crate) fn new() -> Self {
        let weigh = |tag: &String, bytes: &Bytes| {
            u32::try_from(tag.len() + bytes.len()).unwrap_or(u32::MAX)
        };
        Self(Cache::builder().max_capacity(MEMORY).weigher(weigh).build())
    }

    /// The bytes of a blob under gzip.
    pub(super) async fn of(&self, blob: &Arc<Blob>) -> Result<Bytes, Problem> {
        let (tag, blob) = (blob.header.etag.clone(), Arc::clone(blob));
        let packing = async move {
            blocking(move || gzip(&blob.bytes)).await.map_err(std::io::Error::other)?
        };
        self.0.try_get_with(tag, packing).await.map_err(|error| Problem::internal(&*error))
    }
}

/// True if a request wants vectors compressed.
pub(super) fn is_wanted(request: &HeaderMap) -> bool {
    let lines = request.get_all(header::ACCEPT_ENCODING);
    lines.iter().filter_map(|line| line.to_str().ok()).any(|line| accepts_coding(line, "gzip"))
}

fn gzip(bytes: &[u8]) -> std::io::Result<Bytes> {
    let mut packer = GzEncoder::new(Vec::new(), Compression::best());
    packer.write_all(bytes)?;
    packer.finish().map(Bytes::from)
}
