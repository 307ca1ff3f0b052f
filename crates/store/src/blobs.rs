//! Rendition bytes, each with its own header, in an object store: a folder here.
//!
//! A blob is `KIVET2\n`, the BLAKE3 hash of all that follows (32 bytes), the length of its head as
//! four bytes (big-endian), the head as JSON, then the picture. The head holds the blob's line of the
//! index, its key among it, so that a blob in another's place is noticed and the index can be made
//! anew.

use std::{
    io::ErrorKind,
    path::{Path, PathBuf},
    sync::Arc,
    time::{Duration, SystemTime},
};

use bytes::Bytes;
use futures::{Stream, StreamExt};
use kivet_recipe::{Score, Setting};
use object_store::{
    ObjectStore, ObjectStoreExt, PutPayload, local::LocalFileSystem, path::Path as Key,
};
use rustix::fs::Access;
use serde::{Deserialize, Serialize};

use crate::{RenditionRecord, StoreError, at_hand};

const MAGIC: &[u8] = b"KIVET2\n";

/// Bytes of the hash.
const SUM: usize = blake3::OUT_LEN;

/// Less than this, in bytes, and the disk counts as full.
const ROOM: u64 = 16 << 20;

/// A longer file is read on another thread, in bytes: to copy it takes its time too.
const AT_HAND: u64 = 256 << 10;

/// Files that were being written when a service died: older than any write takes.
const LEFT_OVER: Duration = Duration::from_secs(3600);

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

/// What precedes the picture.
#[derive(Serialize, Deserialize)]
struct Head {
    /// The line of the index.
    rendition: RenditionRecord,
    /// What the blob says of itself.
    picture: BlobHeader,
}

/// The strong entity tag of some bytes (RFC 9110, section 8.8.3): a hash of them, in quotes.
pub fn etag_of(bytes: &[u8]) -> String {
    format!("\"{}\"", &blake3::hash(bytes).to_hex()[..32])
}

/// The blob store.
#[derive(Clone, Debug)]
pub struct Blobs {
    store: Arc<dyn ObjectStore>,
    /// Where they are files of this machine.
    folder: Option<PathBuf>,
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
        let store = Self::over(LocalFileSystem::new_with_prefix(folder)?);
        Ok(Self { folder: Some(folder.to_owned()), ..store })
    }

    fn over(store: impl ObjectStore) -> Self {
        Self { store: Arc::new(store), folder: None }
    }

    /// Keeps the blob of a rendition under that one's key, replacing any other.
    ///
    /// # Errors
    /// If the store refuses.
    pub async fn put(&self, rendition: &RenditionRecord, blob: &Blob) -> Result<(), StoreError> {
        let head = Head { rendition: rendition.clone(), picture: blob.header.clone() };
        let head = serde_json::to_vec(&head)
            .map_err(|source| StoreError::Unreadable { what: "a blob's head", source })?;
        let length = (head.len() as u32).to_be_bytes();
        let mut sum = blake3::Hasher::new();
        sum.update(&length).update(&head).update(&blob.bytes);
        let start = [MAGIC, sum.finalize().as_bytes(), &length, &head].concat();
        let payload = PutPayload::from_iter([Bytes::from(start), blob.bytes.clone()]);
        self.store.put(&place(&rendition.key), payload).await?;
        Ok(())
    }

    /// The blob under `key`; `None` if there is none, or if what is there is damaged (which is
    /// logged).
    ///
    /// # Errors
    /// If the store cannot be asked.
    pub async fn get(&self, key: &str) -> Result<Option<Blob>, StoreError> {
        Ok(self.read(&place(key)).await?.and_then(|(rendition, blob)| {
            let is_its_own = rendition.key == key;
            if !is_its_own {
                tracing::warn!(key, found = rendition.key, "another rendition's blob; made again");
            }
            is_its_own.then_some(blob)
        }))
    }

    /// Removes the blob under `key`, if there is one.
    ///
    /// # Errors
    /// If the store refuses.
    pub async fn remove(&self, key: &str) -> Result<(), StoreError> {
        match self.store.delete(&place(key)).await {
            Ok(()) | Err(object_store::Error::NotFound { .. }) => Ok(()),
            Err(error) => Err(error.into()),
        }
    }

    /// The lines of the index that the blobs themselves hold; damaged ones are removed, as nobody
    /// would look for them.
    pub fn renditions(&self) -> impl Stream<Item = Result<RenditionRecord, StoreError>> + '_ {
        self.store.list(None).filter_map(async |entry| {
            let place = match entry {
                Ok(entry) => entry.location,
                Err(error) => return Some(Err(error.into())),
            };
            match self.read(&place).await {
                Ok(Some((rendition, _))) => Some(Ok(rendition)),
                Ok(None) => {
                    let removed = self.store.delete(&place).await;
                    removed.err().map(|error| Err(StoreError::from(error)))
                }
                Err(error) => Some(Err(error)),
            }
        })
    }

    /// True if a rendition could be written: files of this machine need room, and a file system that
    /// is not read-only. Asks the system alone. Blocks.
    pub fn can_write(&self) -> bool {
        let Some(folder) = &self.folder else { return true };
        let is_open = rustix::fs::access(folder, Access::WRITE_OK | Access::EXEC_OK).is_ok();
        let room = rustix::fs::statvfs(folder).map(|facts| facts.f_bavail * facts.f_frsize);
        is_open && folder.is_dir() && room.is_ok_and(|room| room > ROOM)
    }

    /// Removes files that were being written when a service died, and says how many. Blocks.
    pub fn sweep(&self) -> usize {
        let folders = self.folder.iter().flat_map(|folder| entries(folder));
        let files = folders.filter(|path| path.is_dir()).flat_map(|folder| entries(&folder));
        files.filter(|path| is_left_over(path) && std::fs::remove_file(path).is_ok()).count()
    }

    /// A blob and its line of the index; `None` if there is none, or a damaged one.
    async fn read(&self, place: &Key) -> Result<Option<(RenditionRecord, Blob)>, StoreError> {
        let Some(bytes) = self.bytes(place).await? else { return Ok(None) };
        let found = read(&bytes);
        if found.is_none() {
            tracing::warn!(blob = %place, "a stored rendition is damaged, or an earlier version's; it will be made again");
        }
        Ok(found)
    }
}

impl Blobs {
    /// The bytes of an object. Files of this machine are read here if the system has them in memory,
    /// else in one go on another thread: the store would open each on one and read it on another.
    async fn bytes(&self, place: &Key) -> Result<Option<Bytes>, StoreError> {
        let Some(folder) = &self.folder else {
            return match self.store.get(place).await {
                Ok(found) => Ok(Some(found.bytes().await?)),
                Err(object_store::Error::NotFound { .. }) => Ok(None),
                Err(error) => Err(error.into()),
            };
        };
        let path = folder.join(place.as_ref());
        if let Some(bytes) = at_hand::read(&path, AT_HAND) {
            return Ok(Some(bytes));
        }
        let asked = path.clone();
        let failed = |source| StoreError::Folder { path, source };
        match tokio::task::spawn_blocking(move || std::fs::read(asked)).await {
            Ok(Ok(bytes)) => Ok(Some(bytes.into())),
            Ok(Err(error)) if error.kind() == ErrorKind::NotFound => Ok(None),
            Ok(Err(error)) => Err(failed(error)),
            Err(stopped) => Err(failed(std::io::Error::other(stopped))),
        }
    }
}

/// Two letters of folder keep any one folder small.
fn place(key: &str) -> Key {
    Key::from_iter([&key[..key.len().min(2)], key])
}

fn read(bytes: &Bytes) -> Option<(RenditionRecord, Blob)> {
    let (sum, content) = bytes.strip_prefix(MAGIC)?.split_first_chunk::<SUM>()?;
    if blake3::hash(content).as_bytes() != sum {
        return None;
    }
    let (length, after) = content.split_first_chunk::<4>()?;
    let (head, picture) = after.split_at_checked(u32::from_be_bytes(*length) as usize)?;
    let Head { rendition, picture: header } = serde_json::from_slice(head).ok()?;
    Some((rendition, Blob { header, bytes: bytes.slice_ref(picture) }))
}

/// What is in a folder; nothing if it cannot be read.
fn entries(folder: &Path) -> impl Iterator<Item = PathBuf> + use<> {
    let entries = std::fs::read_dir(folder).into_iter().flatten();
    entries.filter_map(Result::ok).map(|entry| entry.path())
}

/// True for a file that the object store was writing: it names those `<key>#<number>`.
fn is_left_over(path: &Path) -> bool {
    let is_staged = path.file_name().is_some_and(|name| name.to_string_lossy().contains('#'));
    let written = path.metadata().and_then(|facts| facts.modified());
    let age = written.ok().and_then(|at| SystemTime::now().duration_since(at).ok());
    is_staged && age.is_some_and(|age| age > LEFT_OVER)
}

#[cfg(test)]
mod tests {
    use kivet_recipe::Format;

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

    fn rendition(key: &str) -> RenditionRecord {
        RenditionRecord {
            key: key.to_owned(),
            shelf: "photos".to_owned(),
            path: "a.jpg".to_owned(),
            recipe: "640w".to_owned(),
            format: Format::Webp,
            width: 640,
            height: 427,
            bytes: 6,
            family: "f".to_owned(),
        }
    }

    /// What every store of blobs must do, whatever holds the objects.
    async fn conforms(blobs: Blobs) {
        let kept = blob(b"pixels");
        let get = async |key: &str| blobs.get(key).await.expect("asked");
        let put = async |key: &str, blob: &Blob| {
            blobs.put(&rendition(key), blob).await.expect("kept");
        };
        assert_eq!(get("abcdef").await, None);
        put("abcdef", &kept).await;
        assert_eq!(get("abcdef").await, Some(kept));
        assert_eq!((get("abcdee").await, get("ab").await, get("a").await), (None, None, None));
        let later = Blob {
            header: BlobHeader { stage: Stage::Final, ..blob(b"fewer").header },
            ..blob(b"fewer")
        };
        put("abcdef", &later).await;
        assert_eq!(get("abcdef").await, Some(later.clone()));
        let long = blob(vec![7; 300 << 10].leak());
        put("long", &long).await;
        assert_eq!(get("long").await, Some(long));
        blobs.remove("long").await.expect("removed");
        put("empty", &blob(b"")).await;
        assert_eq!(get("empty").await, Some(blob(b"")));
        // What is damaged is not served, wherever the damage lies, nor what is another's.
        let whole =
            blobs.store.get(&place("abcdef")).await.expect("there").bytes().await.expect("read");
        for at in 0..whole.len() {
            let mut bytes = whole.to_vec();
            bytes[at] ^= 1;
            blobs.store.put(&place("abcdef"), bytes.into()).await.expect("written");
            assert_eq!(get("abcdef").await, None, "byte {at}");
            blobs.store.put(&place("abcdef"), whole.slice(..at).into()).await.expect("written");
            assert_eq!(get("abcdef").await, None, "cut after {at} bytes");
        }
        blobs.store.put(&place("other"), whole.clone().into()).await.expect("written");
        assert_eq!(get("other").await, None);
        // The lines of the index, without the damaged ones.
        blobs.remove("other").await.expect("removed");
        blobs.remove("other").await.expect("nothing to remove");
        let renditions: Vec<_> = blobs.renditions().collect().await;
        let renditions: Result<Vec<_>, _> = renditions.into_iter().collect();
        assert_eq!(renditions.expect("listed"), [rendition("empty")]);
        put("abcdef", &later).await;
        assert_eq!(get("abcdef").await, Some(later));
    }

    #[tokio::test]
    async fn what_was_left_half_written_is_swept_and_what_is_being_written_is_not() {
        let folder = tempfile::tempdir().expect("a folder");
        let blobs = Blobs::in_folder(folder.path()).expect("a store");
        blobs.put(&rendition("abcdef"), &blob(b"pixels")).await.expect("kept");
        let beside = folder.path().join("ab");
        for (name, age) in [("abcdef#1", 2 * LEFT_OVER), ("abcdef#2", Duration::ZERO)] {
            let file = std::fs::File::create(beside.join(name)).expect("made");
            file.set_modified(SystemTime::now() - age).expect("set");
        }
        assert_eq!(blobs.sweep(), 1);
        assert!(!beside.join("abcdef#1").exists() && beside.join("abcdef#2").exists());
        assert_eq!(blobs.get("abcdef").await.expect("asked"), Some(blob(b"pixels")));
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
