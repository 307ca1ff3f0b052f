//! Rendition bytes, each with its own header, in an object store: a folder here.
//!
//! A blob is `KIVET1\n`, the length of its header as four bytes (big-endian), the header as JSON,
//! then the picture.

use std::{path::Path, sync::Arc};

use bytes::Bytes;
use kivet_recipe::{Score, Setting};
use object_store::{
    ObjectStore, ObjectStoreExt, PutPayload, local::LocalFileSystem, path::Path as Key,
};
use serde::{Deserialize, Serialize};

use crate::StoreError;

const MAGIC: &[u8] = b"KIVET1\n";

/// Whether a rendition is the quick first answer or the considered last one.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Stage {
    /// Made with the fast preset, for the first response.
    First,
    /// Not to be improved any more.
    Final,
}

impl Stage {
    /// The name in JSON and in response headers.
    pub const fn name(self) -> &'static str {
        match self {
            Self::First => "first",
            Self::Final => "final",
        }
    }
}

/// What a blob says of itself.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct BlobHeader {
    /// The media type of the picture.
    #[serde(rename = "type")]
    pub media_type: String,
    /// The strong entity tag, quotes included; it is a checksum of the picture's bytes.
    pub etag: String,
    /// Pixels across.
    pub width: u32,
    /// Pixels down.
    pub height: u32,
    /// First or final.
    pub stage: Stage,
    /// Its score, once it was scored.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub score: Option<Score>,
    /// The encoder's setting, of a lossy one.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub setting: Option<Setting>,
}

/// A rendition as stored.
#[derive(Clone, Debug, PartialEq)]
pub struct Blob {
    /// What it says of itself.
    pub header: BlobHeader,
    /// The picture.
    pub bytes: Bytes,
}

/// The strong entity tag of some bytes (RFC 9110, section 8.8.3): a hash of them, in quotes.
pub fn etag_of(bytes: &[u8]) -> String {
    format!("\"{}\"", &blake3::hash(bytes).to_hex()[..32])
}

/// The blob store.
#[derive(Clone, Debug)]
pub struct Blobs {
    store: Arc<dyn ObjectStore>,
}

impl Blobs {
    /// Blobs as files below `folder`, which is made if it is missing. Files are written beside
    /// their place and renamed into it, so that a reader never meets half of one.
    ///
    /// # Errors
    /// If the folder cannot be made.
    pub fn in_folder(folder: &Path) -> Result<Self, StoreError> {
        std::fs::create_dir_all(folder)
            .map_err(|source| StoreError::Folder { path: folder.to_owned(), source })?;
        Ok(Self::over(LocalFileSystem::new_with_prefix(folder)?))
    }

    fn over(store: impl ObjectStore) -> Self {
        Self { store: Arc::new(store) }
    }

    /// Keeps a blob under `key`, replacing any other.
    ///
    /// # Errors
    /// If the store refuses.
    pub async fn put(&self, key: &str, blob: &Blob) -> Result<(), StoreError> {
        let header = serde_json::to_vec(&blob.header)
            .map_err(|source| StoreError::Unreadable { what: "a blob's header", source })?;
        let length = (header.len() as u32).to_be_bytes();
        let start = [MAGIC, &length, &header].concat();
        let payload = PutPayload::from_iter([Bytes::from(start), blob.bytes.clone()]);
        self.store.put(&place(key), payload).await?;
        Ok(())
    }

    /// The blob under `key`; `None` if there is none, or if what is there is damaged (which is
    /// logged).
    ///
    /// # Errors
    /// If the store cannot be asked.
    pub async fn get(&self, key: &str) -> Result<Option<Blob>, StoreError> {
        let bytes = match self.store.get(&place(key)).await {
            Ok(found) => found.bytes().await?,
            Err(object_store::Error::NotFound { .. }) => return Ok(None),
            Err(error) => return Err(error.into()),
        };
        let blob = read(&bytes);
        if blob.is_none() {
            tracing::warn!(key, "a stored rendition is damaged and will be made again");
        }
        Ok(blob)
    }
}

/// Two letters of folder keep any one folder small.
fn place(key: &str) -> Key {
    Key::from_iter([&key[..key.len().min(2)], key])
}

fn read(bytes: &Bytes) -> Option<Blob> {
    let after = MAGIC.len() + 4;
    let length = bytes
        .strip_prefix(MAGIC)?
        .first_chunk::<4>()
        .map(|length| u32::from_be_bytes(*length) as usize)?;
    let header: BlobHeader =
        serde_json::from_slice(bytes.get(after..after.checked_add(length)?)?).ok()?;
    let picture = bytes.slice(after + length..);
    (etag_of(&picture) == header.etag).then_some(Blob { header, bytes: picture })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn blob(text: &'static [u8]) -> Blob {
        let header = BlobHeader {
            media_type: "image/webp".to_owned(),
            etag: etag_of(text),
            width: 640,
            height: 427,
            stage: Stage::First,
            score: Some(Score::new(68.5)),
            setting: None,
        };
        Blob { header, bytes: Bytes::from_static(text) }
    }

    /// What every store of blobs must do, whatever holds the objects.
    async fn conforms(blobs: Blobs) {
        let kept = blob(b"pixels");
        let get = async |key: &str| blobs.get(key).await.expect("asked");
        assert_eq!(get("abcdef").await, None);
        blobs.put("abcdef", &kept).await.expect("kept");
        assert_eq!(get("abcdef").await, Some(kept));
        assert_eq!((get("abcdee").await, get("ab").await, get("a").await), (None, None, None));
        let later = Blob {
            header: BlobHeader { stage: Stage::Final, ..blob(b"fewer").header },
            ..blob(b"fewer")
        };
        blobs.put("abcdef", &later).await.expect("kept in its place");
        assert_eq!(get("abcdef").await, Some(later));
        blobs.put("empty", &blob(b"")).await.expect("kept");
        assert_eq!(get("empty").await, Some(blob(b"")));
        // What is damaged is not served, wherever the damage lies.
        let whole =
            blobs.store.get(&place("abcdef")).await.expect("there").bytes().await.expect("read");
        for at in 0..whole.len() {
            let mut bytes = whole.to_vec();
            bytes[at] ^= 1;
            blobs.store.put(&place("damaged"), bytes.into()).await.expect("written");
            let served = get("damaged").await;
            // A flipped bit in the header may give another header that is one.
            assert!(served.is_none_or(|served| served.bytes == later_bytes()), "byte {at}");
            blobs.store.put(&place("cut"), whole.slice(..at).into()).await.expect("written");
            assert_eq!(get("cut").await, None, "cut after {at} bytes");
        }
    }

    fn later_bytes() -> Bytes {
        Bytes::from_static(b"fewer")
    }

    #[tokio::test]
    async fn blobs_in_a_folder_conform() {
        let folder = tempfile::tempdir().expect("a folder");
        conforms(Blobs::in_folder(folder.path()).expect("a store")).await;
    }

    #[tokio::test]
    async fn blobs_in_an_object_store_conform() {
        conforms(Blobs::over(object_store::memory::InMemory::new())).await;
    }
}
