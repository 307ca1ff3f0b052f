//! What an address on a page leads to.

use url::Url;

/// What an address on a page leads to.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Address {
    /// A file of the site: its path from the site's top, decoded, which may climb out with `../`.
    Site(String),
    /// A file of a host that the page names: the whole address.
    Away(String),
    /// A rendition by Kivet already.
    Ours,
    /// Something a template puts in.
    Template,
    /// Nothing to fetch: a data address, an empty one, or another scheme.
    Nothing,
}

/// What the markers of template languages begin with.
const TEMPLATES: [&str; 6] = ["{{", "{%", "<%", "<?", "${", "[["];

impl Address {
    /// Reads an address as it stands on the page at `page`, whose `base` is given where it has one
    /// (HTML, 4.2.3).
    pub fn of(text: &str, page: &str, base: Option<&str>) -> Self {
        let text = text.trim();
        if TEMPLATES.iter().any(|mark| text.contains(mark)) {
            return Self::Template;
        }
        if text.is_empty() || text.starts_with('#') {
            return Self::Nothing;
        }
        let read = read(text, page, base);
        match &read {
            Self::Site(path) if is_rendition(&format!("/{path}")) => Self::Ours,
            Self::Away(url) => match Url::parse(url) {
                Ok(url) if is_rendition(url.path()) => Self::Ours,
                _ => read,
            },
            _ => read,
        }
    }

    /// The path that patterns of files are held against.
    pub fn path(&self) -> &str {
        match self {
            Self::Site(path) => path,
            Self::Away(url) => {
                let path = url.split_once("://").map_or(url.as_str(), |(_, rest)| rest);
                path.split(['?', '#']).next().unwrap_or(path)
            }
            _ => "",
        }
    }
}

fn read(text: &str, page: &str, base: Option<&str>) -> Address {
    let absolute = if text.starts_with("//") { format!("https:{text}") } else { text.to_owned() };
    match Url::parse(&absolute) {
        Ok(url) if matches!(url.scheme(), "http" | "https") => return Address::Away(url.into()),
        Ok(_) => return Address::Nothing,
        Err(_) => {}
    }
    let file = text.split(['?', '#']).next().unwrap_or_default();
    match base.map(str::trim) {
        Some(base) if base.contains("//") => {
            let base =
                if base.starts_with("//") { format!("https:{base}") } else { base.to_owned() };
            let joined = Url::parse(&base).and_then(|base| base.join(text));
            joined.map_or(Address::Nothing, |url| Address::Away(url.into()))
        }
        Some(base) => Address::Site(climbed(&climbed(page, base), file)),
        None => Address::Site(climbed(page, file)),
    }
}

/// The path of a relative address on the page, or below the base, at `from`. One that climbs above
/// the top keeps its `..`: in a folder it leads somewhere.
fn climbed(from: &str, address: &str) -> String {
    let mut parts: Vec<&str> = match address.starts_with('/') {
        true => Vec::new(),
        false => from.split('/').collect(),
    };
    // The page's own name.
    parts.pop();
    let mut pieces = address.split('/').peekable();
    while let Some(piece) = pieces.next() {
        match piece {
            "." => {}
            "" if pieces.peek().is_some() => {}
            ".." if parts.last().is_some_and(|last| *last != "..") => {
                parts.pop();
            }
            _ => parts.push(piece),
        }
    }
    percent_encoding::percent_decode_str(&parts.join("/")).decode_utf8_lossy().into_owned()
}

fn is_rendition(path: &str) -> bool {
    path.starts_with("/pic/")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn addresses_lead_where_browsers_go() {
        let site = |path: &str| Address::Site(path.to_owned());
        let away = |url: &str| Address::Away(url.to_owned());
        let cases = [
            ("a.jpg", None, site("journal/a.jpg")),
            ("./a%20b.jpg?v=2#top", None, site("journal/a b.jpg")),
            ("../a.jpg", None, site("a.jpg")),
            ("../../up/a.jpg", None, site("../up/a.jpg")),
            ("/img//a.jpg", None, site("img/a.jpg")),
            ("//pics.example/a.jpg", None, away("https://pics.example/a.jpg")),
            ("http://pics.example/a.jpg", None, away("http://pics.example/a.jpg")),
            ("a.jpg", Some("/static/"), site("static/a.jpg")),
            ("a.jpg", Some("../static/x.html"), site("static/a.jpg")),
            ("a.jpg", Some("https://cdn.example/x/y"), away("https://cdn.example/x/a.jpg")),
            ("data:image/gif;base64,R0", None, Address::Nothing),
            ("", None, Address::Nothing),
            ("{{ photo.url }}", None, Address::Template),
            ("/pic/w-320/photos/a.jpg", None, Address::Ours),
            ("https://pics.example/pic/w-320/photos/a.jpg", None, Address::Ours),
        ];
        for (text, base, expected) in cases {
            assert_eq!(Address::of(text, "journal/one.html", base), expected, "{text} {base:?}");
        }
    }
}
