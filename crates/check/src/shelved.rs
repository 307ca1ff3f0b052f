//! Which shelf holds a picture that a page shows.

use std::path::{Path, PathBuf};

use percent_encoding::{AsciiSet, NON_ALPHANUMERIC, percent_decode_str, utf8_percent_encode};
use url::Url;

/// A shelf whose folder lies on this machine.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ShelfFolder {
    /// The shelf's name.
    pub name: String,
    /// Its folder.
    pub folder: PathBuf,
}

/// What stands as it is in a path of URLs (RFC 3986, 2.3 and 3.3).
const PLAIN: &AsciiSet =
    &NON_ALPHANUMERIC.remove(b'-').remove(b'_').remove(b'.').remove(b'~').remove(b'/');

/// `shelf/path` of a file as URLs have it, if a shelf holds it.
pub fn on_shelf(shelves: &[ShelfFolder], file: &Path) -> Option<String> {
    let file = file.canonicalize().ok()?;
    shelves.iter().find_map(|shelf| {
        let path = file.strip_prefix(shelf.folder.canonicalize().ok()?).ok()?.to_str()?.to_owned();
        Some(format!("{}/{}", shelf.name, utf8_percent_encode(&path, PLAIN)))
    })
}

/// `shelf/path` of the file that a URL of another host names, if its path ends like that of a file on a
/// shelf: the longest such end counts.
pub fn on_shelf_by_url(shelves: &[ShelfFolder], url: &str) -> Option<String> {
    let url = Url::parse(url).ok().filter(|url| matches!(url.scheme(), "http" | "https"))?;
    let path = percent_decode_str(url.path()).decode_utf8().ok()?.into_owned();
    let parts: Vec<&str> =
        path.split('/').filter(|part| !part.is_empty() && *part != "..").collect();
    let ends = (0..parts.len()).map(|from| parts[from..].join("/"));
    let mut files = ends.flat_map(|end| {
        // A shelf is often one folder of those that the path names.
        shelves.iter().flat_map(move |shelf| {
            let above = shelf.folder.parent().map(|above| above.join(&end));
            [Some(shelf.folder.join(&end)), above].into_iter().flatten().collect::<Vec<_>>()
        })
    });
    files.find_map(|file| file.is_file().then(|| on_shelf(shelves, &file)).flatten())
}

/// The file under `top` that the path of an address names.
pub fn file_under(top: &Path, url: &str) -> Option<PathBuf> {
    let url = Url::parse(url).ok()?;
    let path = percent_decode_str(url.path()).decode_utf8().ok()?.into_owned();
    Some(top.join(path.trim_start_matches('/')))
}
