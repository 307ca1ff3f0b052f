//! One picture on a shelf: its name, checked, and what is known of it.

use std::{fmt, path::PathBuf};

use kivet_recipe::Facts;
use kivet_store::OriginalRecord;
use percent_encoding::{AsciiSet, CONTROLS, percent_decode_str, utf8_percent_encode};

/// Bytes that are escaped in one segment of a URL's path (RFC 3986, section 3.3), or that end a URL
/// in `srcset` or in CSS `url()`.
const SEGMENT: &AsciiSet = &CONTROLS
    .add(b' ')
    .add(b'"')
    .add(b'#')
    .add(b'%')
    .add(b'\'')
    .add(b'(')
    .add(b')')
    .add(b',')
    .add(b'<')
    .add(b'>')
    .add(b'?')
    .add(b'`')
    .add(b'{')
    .add(b'}')
    .add(b'\\');

/// A text that is not written as a path on a shelf can be.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("the path `{path}` is not one on a shelf: {problem}")]
pub struct PathError {
    /// The path as asked for.
    pub path: String,
    /// What is wrong with it.
    pub problem: &'static str,
}

/// `shelf/path`. Guaranteed: no segment is empty, `.` or `..`, none holds a slash, a backslash or a
/// NUL, so that joined to a folder it never climbs out by name.
#[derive(Clone, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct OriginalId {
    shelf: String,
    path: String,
}

impl OriginalId {
    /// Reads a shelf's name and a path, both still percent-encoded as in an address.
    ///
    /// # Errors
    /// If a segment is not one, however it is encoded.
    pub fn from_url_path(shelf: &str, path: &str) -> Result<Self, PathError> {
        let bad = |problem| PathError { path: format!("{shelf}/{path}"), problem };
        let segments: Vec<String> = path
            .split('/')
            .map(|segment| {
                let text = percent_decode_str(segment)
                    .decode_utf8()
                    .map_err(|_| bad("it is not UTF-8"))?;
                match text.as_ref() {
                    "" => Err(bad("it has an empty segment")),
                    "." | ".." => Err(bad("`.` and `..` would lead out of the shelf")),
                    _ if text.contains(['/', '\\', '\0']) => {
                        Err(bad("a segment holds an encoded slash or NUL"))
                    }
                    _ => Ok(text.into_owned()),
                }
            })
            .collect::<Result<_, _>>()?;
        let shelf = percent_decode_str(shelf).decode_utf8_lossy().into_owned();
        Ok(Self { shelf, path: segments.join("/") })
    }

    /// Reads `shelf/path` as people write it: not encoded.
    ///
    /// # Errors
    /// As [`from_url_path`](Self::from_url_path), or if there is no slash.
    pub fn from_text(text: &str) -> Result<Self, PathError> {
        let problem = "write it as shelf/path, e.g. photos/harbour/kites-dawn.jpg";
        let (shelf, path) =
            text.split_once('/').ok_or(PathError { path: text.to_owned(), problem })?;
        let encoded: Vec<String> = path
            .split('/')
            .map(|segment| utf8_percent_encode(segment, SEGMENT).to_string())
            .collect();
        Self::from_url_path(shelf, &encoded.join("/"))
    }

    /// A path that was listed from the shelf itself.
    pub(super) fn trusted(shelf: &str, path: String) -> Self {
        Self { shelf: shelf.to_owned(), path }
    }

    /// The shelf's name.
    pub fn shelf(&self) -> &str {
        &self.shelf
    }

    /// The path on the shelf, not encoded.
    pub fn path(&self) -> &str {
        &self.path
    }

    /// The file name without its extension.
    pub fn stem(&self) -> &str {
        let name = self.path.rsplit('/').next().unwrap_or(&self.path);
        name.rsplit_once('.').map_or(name, |(stem, _)| stem)
    }

    /// `shelf/path` as it stands in an address: percent-encoded.
    pub fn url_path(&self) -> String {
        let segments: Vec<String> = self
            .path
            .split('/')
            .map(|segment| utf8_percent_encode(segment, SEGMENT).to_string())
            .collect();
        format!("{}/{}", self.shelf, segments.join("/"))
    }
}

impl fmt::Display for OriginalId {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}/{}", self.shelf, self.path)
    }
}

/// One picture on a shelf, as it is now.
#[derive(Clone, Debug)]
pub struct Original {
    /// Its name.
    pub id: OriginalId,
    /// Where its bytes are.
    pub file: PathBuf,
    /// What is known of it.
    pub record: OriginalRecord,
    /// True if its shelf is not there at the moment: what is known is of before.
    pub is_lost: bool,
}

impl Original {
    /// Its facts.
    pub const fn facts(&self) -> &Facts {
        &self.record.facts
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn no_spelling_climbs_out() {
        for path in [
            "../x.jpg",
            "a/../../x.jpg",
            "%2e%2e/x.jpg",
            "a/%2E./x.jpg",
            "..%2fx.jpg",
            "a%5c..%5cx.jpg",
            "a//x.jpg",
            "x%00.jpg",
            "",
            "a/",
            "%ff.jpg",
        ] {
            assert!(OriginalId::from_url_path("photos", path).is_err(), "{path}");
        }
        assert!(
            OriginalId::from_text("photos/../x").is_err()
                && OriginalId::from_text("photos").is_err()
        );
    }

    #[test]
    fn an_address_round_trips_through_its_encoding() {
        let id = OriginalId::from_text("photos/night market/50% off?.jpg").expect("a path");
        assert_eq!(id.url_path(), "photos/night%20market/50%25%20off%3F.jpg");
        let (shelf, path) = id
            .url_path()
            .split_once('/')
            .map(|(a, b)| (a.to_owned(), b.to_owned()))
            .expect("a slash");
        assert_eq!(OriginalId::from_url_path(&shelf, &path).expect("a path"), id);
        assert_eq!(id.stem(), "50% off?");
    }
}
