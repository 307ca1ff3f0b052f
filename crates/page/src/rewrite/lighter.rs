//! Typed sources of a page whose renditions are all made: those that another outweighs go.

use super::{
    Edit, Found, FoundPicture, RewriteError, scan,
    tag::{Change, Tag},
};
use crate::{read_srcset, rules::Rules};

/// Takes away each `source` whose candidates together are no lighter than what a browser takes that
/// skips it: the next `source` for the same screens, or the `img`. `bytes` says what a URL's file
/// takes; what it does not know stays. Preloads of what goes name what is taken instead.
///
/// # Errors
/// As [`scan()`].
pub fn without_heavier(
    html: &[u8],
    bytes: &dyn Fn(&str) -> Option<u64>,
) -> Result<Vec<Edit>, RewriteError> {
    let page = scan(html, &Rules::default())?;
    let mut edits = Vec::new();
    for picture in &page.pictures {
        // From the last on, so that each is held against what stays.
        for at in (0..picture.sources.len()).rev() {
            let source = &picture.sources[at];
            let Some(next) = next(picture, at, &edits) else { continue };
            let (Some(own), Some(other)) = (weight(source, bytes), weight(next, bytes)) else {
                continue;
            };
            if own < other || source.attribute("type").is_none() {
                continue;
            }
            edits.push(Edit::remove(source.tag.clone()));
            for link in page.preloads.iter().filter(|link| names(link, source)) {
                edits.retain(|edit| edit.range != link.tag);
                edits.push(preload(html, link, next));
            }
        }
    }
    Ok(edits)
}

/// What a browser takes that does not know the type of a source.
fn next<'a>(picture: &'a FoundPicture, at: usize, gone: &[Edit]) -> Option<&'a Found> {
    let media = picture.sources[at].attribute("media");
    let stays = |source: &&Found| !gone.iter().any(|edit| edit.range == source.tag);
    let mut later = picture.sources[at + 1..].iter().filter(stays);
    match later.find(|source| source.attribute("media") == media) {
        None if media.is_none() => Some(&picture.img),
        found => found,
    }
}

/// The bytes of all candidates; `None` if one is not known.
fn weight(found: &Found, bytes: &dyn Fn(&str) -> Option<u64>) -> Option<u64> {
    let set = found.attribute("srcset").or_else(|| found.attribute("src"))?;
    read_srcset(set).iter().map(|candidate| bytes(&candidate.url)).sum()
}

/// True if a preload asks for what a source has.
fn names(link: &Found, source: &Found) -> bool {
    let own = read_srcset(source.attribute("srcset").unwrap_or_default());
    link.attribute("href").is_some_and(|href| own.iter().any(|candidate| candidate.url == href))
}

/// A preload that names what `found` has.
fn preload(html: &[u8], link: &Found, found: &Found) -> Edit {
    let set = found.attribute("srcset").unwrap_or_default();
    let candidates = read_srcset(set);
    let narrowest = candidates.first().map_or("", |one| one.url.as_str());
    let href = found.attribute("src").unwrap_or(narrowest);
    let kind = match found.attribute("type") {
        Some(kind) => Change::set("type", kind),
        None => Change::remove("type"),
    };
    let set = match candidates.len() {
        0 | 1 => Change::remove("imagesrcset"),
        _ => Change::set("imagesrcset", set),
    };
    let changes = [kind, Change::set("href", href), set];
    let bytes = Tag::new(&html[link.tag.clone()]).changed(&changes);
    Edit { range: link.tag.clone(), bytes }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::rewrite::splice;

    /// Each file takes as many bytes as its name says.
    fn lightened(html: &str) -> String {
        let bytes = |url: &str| url.split('.').next()?.parse().ok();
        let edits = without_heavier(html.as_bytes(), &bytes).expect("a page");
        String::from_utf8(splice(html.as_bytes(), &edits)).expect("UTF-8")
    }

    #[test]
    fn sources_that_save_nothing_go_with_their_preloads() {
        let source = |kind: &str, set: &str| {
            format!("<source type=\"image/{kind}\" srcset=\"{set}\" sizes=\"9px\">")
        };
        let (avif, webp) =
            (source("avif", "20.avif 1w, 90.avif 2w"), source("webp", "20.webp 1w, 80.webp 2w"));
        let img = "<img src=\"30.png\" srcset=\"30.png 1w, 95.png 2w\">";
        let page = |sources: &str| format!("<picture>{sources}{img}</picture>");
        assert_eq!(lightened(&page(&format!("{avif}{webp}"))), page(&webp));
        assert_eq!(lightened(&page(&format!("{webp}{avif}"))), page(&format!("{webp}{avif}")));
        // Heavier than the `img` too.
        let heavy = source("webp", "40.webp 1w, 99.webp 2w");
        assert_eq!(lightened(&page(&format!("{avif}{heavy}"))), page(&avif));
        // Of other screens: nothing follows that they could take instead.
        let directed =
            "<source media=\"(max-width: 9px)\" type=\"image/avif\" srcset=\"500.avif\">";
        assert_eq!(lightened(&page(directed)), page(directed));
        // What is not known stays.
        let unknown = source("avif", "x.avif 1w");
        assert_eq!(lightened(&page(&unknown)), page(&unknown));

        let link = |kind: &str, href: &str, set: &str| {
            format!(
                "<head><link rel=\"preload\" as=\"image\"{kind} href=\"{href}\" imagesrcset=\"{set}\" imagesizes=\"9px\"></head>"
            )
        };
        let before = link(" type=\"image/avif\"", "20.avif", "20.avif 1w, 90.avif 2w");
        let after = link(" type=\"image/webp\"", "20.webp", "20.webp 1w, 80.webp 2w");
        let written = lightened(&format!("{before}{}", page(&format!("{avif}{webp}"))));
        assert_eq!(written, format!("{after}{}", page(&webp)));
        let none = link(" type=\"image/avif\"", "99.avif", "99.avif 1w, 99.avif 2w");
        let none = lightened(&format!("{none}{}", page(&source("avif", "99.avif 1w, 99.avif 2w"))));
        assert_eq!(none, format!("{}{}", link("", "30.png", "30.png 1w, 95.png 2w"), page("")));
    }
}
