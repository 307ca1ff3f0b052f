//! The characters of a page's bytes.

use encoding_rs::{Encoding, UTF_8, WINDOWS_1252};

/// Bytes at the beginning of a page in which it may name its encoding (HTML, 13.2.3.2).
const PRESCANNED: usize = 1024;

/// A page's text: decoded by its byte order mark, else by the `charset` of its response, else as
/// UTF-8 if it is valid, else by the encoding that its `meta` names, else as windows-1252.
///
/// ```
/// let utf16 = [0xff, 0xfe, b'h', 0, b'i', 0];
/// assert_eq!(kivet_page::decode(&utf16, None), "hi");
/// assert_eq!(kivet_page::decode(b"caf\xe9", None), "caf\u{e9}");
/// ```
pub fn decode(bytes: &[u8], charset: Option<&str>) -> String {
    let of_response = || charset.and_then(|label| Encoding::for_label(label.as_bytes()));
    let of_page = || match std::str::from_utf8(bytes) {
        Ok(_) => UTF_8,
        Err(_) => named(bytes).unwrap_or(WINDOWS_1252),
    };
    // Decoding follows a byte order mark before any of these.
    let encoding = of_response().unwrap_or_else(of_page);
    encoding.decode(bytes).0.into_owned()
}

/// The encoding that a page's `meta` names.
fn named(bytes: &[u8]) -> Option<&'static Encoding> {
    let start = String::from_utf8_lossy(&bytes[..bytes.len().min(PRESCANNED)]).to_ascii_lowercase();
    let (_, after) = start.split_once("charset")?;
    let after = after.trim_start().strip_prefix('=')?.trim_start();
    let is_end = |c: char| c.is_whitespace() || matches!(c, '"' | '\'' | '>' | ';' | '/');
    let label = after.trim_start_matches(['"', '\'']).split(is_end).next()?;
    // No page whose `meta` can be read like this is in UTF-16.
    Encoding::for_label(label.as_bytes()).map(Encoding::output_encoding)
}

#[cfg(test)]
mod tests {
    use super::decode;

    #[test]
    fn pages_are_read_in_the_encoding_they_have() {
        let utf16_big = [0xfe, 0xff, 0, b'h', 0, b'i'];
        let russian = b"<meta charset=koi8-r><p>\xd4".as_slice();
        for (bytes, charset, text) in [
            (utf16_big.as_slice(), Some("utf-8"), "hi"),
            (b"\xef\xbb\xbfhi", Some("windows-1252"), "hi"),
            ("caf\u{e9}".as_bytes(), None, "caf\u{e9}"),
            (b"caf\xe9", Some("iso-8859-1"), "caf\u{e9}"),
            (b"caf\xe9", Some("nothing"), "caf\u{e9}"),
            (russian, None, "<meta charset=koi8-r><p>\u{442}"),
            (b"<meta charset='utf-16'>\xe9", None, "<meta charset='utf-16'>\u{fffd}"),
        ] {
            assert_eq!(decode(bytes, charset), text, "{charset:?}");
        }
    }
}
