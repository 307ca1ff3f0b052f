//! `srcset`, `picture`, and which candidate a browser takes (HTML, 4.8.4.2.1 and 4.8.4.3.5).

use super::media_matches;
use crate::Device;

/// One entry of a `srcset`.
#[derive(Clone, Debug, PartialEq)]
pub struct Candidate {
    /// Its address, as written.
    pub url: String,
    /// The `w` descriptor.
    pub width: Option<f64>,
    /// The `x` descriptor; 1 if neither stands.
    pub density: Option<f64>,
}

/// A `source` of a `picture`.
#[derive(Clone, Debug, Default, PartialEq, serde::Deserialize)]
#[serde(rename_all = "camelCase", default)]
pub struct Source {
    /// Its `srcset`.
    pub srcset: String,
    /// Its `sizes`.
    pub sizes: String,
    /// Its `media`.
    pub media: String,
    /// Its `type`.
    pub r#type: String,
    /// Its `width` and `height`, which hold for the `img` where it is taken (HTML, 4.8.2).
    pub width: String,
    /// See `width`.
    pub height: String,
}

/// Picture types a current Chromium decodes.
const DECODED: [&str; 11] = [
    "image/jxl",
    "image/avif",
    "image/webp",
    "image/apng",
    "image/svg+xml",
    "image/png",
    "image/jpeg",
    "image/jpg",
    "image/gif",
    "image/bmp",
    "image/x-icon",
];

/// Reads a `srcset`; entries that cannot be read are left out, as browsers do.
pub fn read_srcset(text: &str) -> Vec<Candidate> {
    let mut candidates = Vec::new();
    let mut rest = text;
    loop {
        rest = rest.trim_start_matches(|c: char| c.is_ascii_whitespace() || c == ',');
        if rest.is_empty() {
            return candidates;
        }
        let end = rest.find(|c: char| c.is_ascii_whitespace()).unwrap_or(rest.len());
        let (url, after) = rest.split_at(end);
        let bare = url.trim_end_matches(',');
        let (descriptors, after) =
            if bare.len() < url.len() { ("", after) } else { descriptors(after) };
        rest = after;
        candidates.extend(candidate(bare, descriptors));
    }
}

/// The descriptors up to the next comma outside parentheses, and what follows it.
fn descriptors(text: &str) -> (&str, &str) {
    let mut depth = 0_u32;
    for (at, c) in text.char_indices() {
        match c {
            '(' => depth += 1,
            ')' => depth = depth.saturating_sub(1),
            ',' if depth == 0 => return (&text[..at], &text[at + 1..]),
            _ => {}
        }
    }
    (text, "")
}

fn candidate(url: &str, descriptors: &str) -> Option<Candidate> {
    let (mut width, mut density, mut height) = (None, None, false);
    for descriptor in descriptors.split_ascii_whitespace() {
        let (unit_at, _) = descriptor.char_indices().next_back()?;
        let (written, unit) = descriptor.split_at(unit_at);
        // Rust reads more as numbers than HTML does (2.3.4.1 and 2.3.4.3).
        let digits = |c: char| c.is_ascii_digit();
        let number: f64 = written
            .parse()
            .ok()
            .filter(|_| !written.starts_with('+') && !written.ends_with('.'))?;
        match unit.as_bytes() {
            b"w" if width.is_none() && number > 0.0 && written.chars().all(digits) => {
                width = Some(number)
            }
            b"x" if density.is_none() && number >= 0.0 => density = Some(number),
            // A height says nothing, and only beside a width.
            b"h" if !height && number > 0.0 && written.chars().all(digits) => height = true,
            _ => return None,
        }
    }
    match (width, density) {
        (Some(_), Some(_)) => None,
        (None, _) if height => None,
        (None, None) => Some(Candidate { url: url.to_owned(), width, density: Some(1.0) }),
        _ => Some(Candidate { url: url.to_owned(), width, density }),
    }
}

/// The `source` a browser takes from a `picture` on `device`.
pub fn source_for<'a>(sources: &'a [Source], device: &Device) -> Option<&'a Source> {
    sources.iter().find(|source| {
        let kind = source.r#type.split(';').next().unwrap_or_default().trim().to_ascii_lowercase();
        let decoded = source.r#type.is_empty() || DECODED.contains(&kind.as_str());
        decoded && media_matches(&source.media, device) && !read_srcset(&source.srcset).is_empty()
    })
}

/// The candidate Chromium takes at `density` where the picture's source size is `size` CSS pixels:
/// the least that has enough pixels, else the one with the most (as measured with Chromium 156; the
/// standard leaves the choice open).
pub fn pick(candidates: &[Candidate], size: f64, density: f64) -> Option<&Candidate> {
    let own = |candidate: &Candidate| {
        candidate.width.map_or(candidate.density.unwrap_or(1.0), |width| width / size)
    };
    let mut sorted: Vec<&Candidate> = candidates.iter().collect();
    sorted.sort_by(|a, b| own(a).total_cmp(&own(b)));
    // Of two with one density the first counts (HTML, 4.8.4.3.7).
    sorted.dedup_by(|later, first| own(later) == own(first));
    sorted.iter().find(|candidate| own(candidate) >= density).or(sorted.last()).copied()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn srcset_is_read_as_browsers_read_it() {
        let urls =
            |text: &str| read_srcset(text).into_iter().map(|one| one.url).collect::<Vec<_>>();
        assert_eq!(urls("a.jpg 1x, b.jpg 2x"), ["a.jpg", "b.jpg"]);
        assert_eq!(urls("a.jpg, b.jpg 2x,"), ["a.jpg", "b.jpg"]);
        assert_eq!(
            urls("data:image/gif;base64,AA== 300w, b,c.jpg 600w"),
            ["data:image/gif;base64,AA==", "b,c.jpg"]
        );
        assert_eq!(urls("a.jpg 300w 2x, b.jpg 10q, c.jpg 0w, d.jpg 5w 4h"), ["d.jpg"]);
        assert_eq!(urls("a.jpg foo(1, 2), b.jpg"), ["b.jpg"]);
        assert!(read_srcset("  ").is_empty());
        assert!(read_srcset("a.jpg 2\u{d7}").is_empty());
    }

    #[test]
    fn the_candidate_is_chromiums() {
        let list = read_srcset("a 320w, b 640w, c 1280w");
        let picked =
            |size: f64, density: f64| pick(&list, size, density).map(|one| one.url.clone());
        assert_eq!(picked(320.0, 1.0).as_deref(), Some("a"));
        assert_eq!(picked(321.0, 1.0).as_deref(), Some("b"));
        assert_eq!(picked(5000.0, 2.0).as_deref(), Some("c"));
        assert_eq!(picked(320.0, 2.0).as_deref(), Some("b"));
        assert_eq!(picked(321.0, 2.0).as_deref(), Some("c"));
        assert_eq!(pick(&[], 100.0, 1.0), None);
    }

    #[test]
    fn a_source_needs_its_media_and_its_type() {
        let source = |media: &str, r#type: &str| Source {
            srcset: "a.jpg".to_owned(),
            media: media.to_owned(),
            r#type: r#type.to_owned(),
            ..Source::default()
        };
        let sources = [
            source("", "image/x-unheard"),
            source("(max-width: 500px)", ""),
            source("", "image/avif"),
        ];
        let phone = Device::named("phone").expect("a device");
        let laptop = Device::named("laptop").expect("a device");
        assert_eq!(source_for(&sources, &phone), Some(&sources[1]));
        assert_eq!(source_for(&sources, &laptop), Some(&sources[2]));
    }
}
