//! Renditions as files, for hosting without a service: every URL that the rewritten documents name
//! becomes a file whose name is a hash of its bytes.

use std::{
    collections::{BTreeMap, BTreeSet},
    path::Path,
    sync::{
        Mutex, PoisonError,
        atomic::{AtomicUsize, Ordering},
    },
    time::{Duration, Instant},
};

use anyhow::{Context, Result, bail};
use indicatif::{ProgressBar, ProgressStyle};
use kivet_page::rewrite::{splice, without_heavier};
use serde::{Deserialize, Serialize};

use super::{copy::mark, pages::Rewritten};
use crate::{
    beneath::Beneath,
    client::{Downloaded, Reach},
};

/// The formats of sources, best first; the last source is what every browser shows.
pub const TYPED: [&str; 2] = ["avif", "webp"];

/// The folder of the files, within the site.
const FOLDER: &str = "kivet-pic";

/// What was baked: which file holds which URL, and the `ETag` it had.
const MANIFEST: &str = "kivet-pic/manifest.json";

/// Renditions asked for at the same time.
const AT_ONCE: usize = 4;

/// How long a rendition may take to be final.
const PATIENCE: Duration = Duration::from_secs(180);

/// One baked rendition.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
struct Baked {
    file: String,
    etag: String,
}

type Manifest = BTreeMap<String, Baked>;

/// What baking did.
#[derive(Debug, Default, Serialize)]
pub struct Bake {
    /// Files made.
    pub made: usize,
    /// Files that were there already, and are the same.
    pub kept: usize,
    /// Their bytes together.
    pub bytes: u64,
}

/// Writes every rendition that the documents name below `out`, and points the documents to them;
/// of formats to choose from only those that save bytes.
/// What an earlier run baked and the service still has is not fetched again.
pub fn bake(
    reach: &Reach,
    out: &Path,
    rewritten: &mut BTreeMap<String, Rewritten>,
) -> Result<Bake> {
    let urls: BTreeSet<String> =
        rewritten.values().flat_map(|one| renditions(&one.after)).collect();
    let known: Manifest = std::fs::read(out.join(MANIFEST))
        .ok()
        .and_then(|bytes| serde_json::from_slice(&bytes).ok())
        .unwrap_or_default();
    // Marked first, so that a run that is broken off can go on.
    let beneath = mark(out)?;
    beneath.make_way(Path::new(FOLDER), true)?;
    beneath.make_folder(Path::new(FOLDER))?;
    let (manifest, bake) = fetched(reach, (out, &beneath), &urls, known)?;
    let weight = |url: &str| Some(out.join(&manifest.get(url)?.file).metadata().ok()?.len());
    for (path, one) in rewritten.iter_mut() {
        if !path.ends_with(".css") {
            let edits = without_heavier(&one.after, &weight).with_context(|| path.clone())?;
            one.after = splice(&one.after, &edits);
        }
        let up = "../".repeat(path.matches('/').count());
        one.after = pointed(&one.after, |url| Some(format!("{up}{}", manifest.get(url)?.file)));
    }
    Ok(bake)
}

fn fetched(
    reach: &Reach,
    (out, beneath): (&Path, &Beneath),
    urls: &BTreeSet<String>,
    known: Manifest,
) -> Result<(Manifest, Bake)> {
    let bar = ProgressBar::new(urls.len() as u64);
    bar.set_style(ProgressStyle::with_template("{pos}/{len} renditions {eta}")?);
    let todo: Vec<&String> = urls.iter().collect();
    let next = AtomicUsize::new(0);
    let state = Mutex::new((known, Bake::default(), None::<anyhow::Error>));
    let lock = || state.lock().unwrap_or_else(PoisonError::into_inner);
    let work = || {
        while let Some(url) = todo.get(next.fetch_add(1, Ordering::Relaxed)) {
            if lock().2.is_some() {
                return;
            }
            let earlier = lock().0.get(*url).filter(|one| out.join(&one.file).exists()).cloned();
            let done = one(reach, (out, beneath), url, earlier.as_ref());
            let mut state = lock();
            match done {
                Ok((baked, bytes)) => {
                    let kept = earlier.as_ref() == Some(&baked);
                    state.1.made += usize::from(!kept);
                    state.1.kept += usize::from(kept);
                    state.1.bytes += bytes;
                    state.0.insert((*url).clone(), baked);
                    // A run that is broken off goes on from here.
                    if let Err(error) = keep(beneath, &state.0) {
                        state.2 = Some(error);
                    }
                }
                Err(error) => state.2 = Some(error.context((*url).clone())),
            }
            bar.inc(1);
        }
    };
    std::thread::scope(|scope| {
        for _ in 0..AT_ONCE {
            scope.spawn(work);
        }
    });
    bar.finish_and_clear();
    let (mut manifest, bake, failed) = state.into_inner().unwrap_or_else(PoisonError::into_inner);
    if let Some(error) = failed {
        return Err(error);
    }
    manifest.retain(|url, _| urls.contains(url));
    keep(beneath, &manifest)?;
    Ok((manifest, bake))
}

fn keep(beneath: &Beneath, manifest: &Manifest) -> Result<()> {
    let text = serde_json::to_vec_pretty(manifest)?;
    beneath.write(Path::new(MANIFEST), &mut text.as_slice(), None)
}

/// One rendition, once it is final.
fn one(
    reach: &Reach,
    (out, beneath): (&Path, &Beneath),
    url: &str,
    earlier: Option<&Baked>,
) -> Result<(Baked, u64)> {
    let began = Instant::now();
    let known = earlier.map(|one| one.etag.as_str());
    let answer = loop {
        match reach.download(url, known)? {
            Downloaded { is_final: false, .. } if began.elapsed() < PATIENCE => {
                std::thread::sleep(Duration::from_millis(200));
            }
            answer => break answer,
        }
    };
    if let (304, Some(earlier)) = (answer.status, earlier) {
        let bytes = out.join(&earlier.file).metadata().map_or(0, |facts| facts.len());
        return Ok((earlier.clone(), bytes));
    }
    if answer.status != 200 {
        bail!("the service answers {}", answer.status);
    }
    let ending = match answer.kind.as_str() {
        "image/avif" => "avif",
        "image/webp" => "webp",
        "image/jxl" => "jxl",
        "image/png" => "png",
        "image/gif" => "gif",
        "image/svg+xml" => "svg",
        _ => "jpg",
    };
    let hash = blake3::hash(&answer.body).to_hex();
    let file = format!("{FOLDER}/{}.{ending}", &hash[..20]);
    beneath.write(Path::new(&file), &mut answer.body.as_slice(), None)?;
    Ok((Baked { file, etag: answer.etag }, answer.body.len() as u64))
}

/// Where a URL of a rendition ends.
fn ends(byte: u8) -> bool {
    byte.is_ascii_whitespace() || matches!(byte, b'"' | b'\'' | b')' | b',' | b'<' | b'>')
}

/// The URLs of renditions that a document names.
fn renditions(document: &[u8]) -> Vec<String> {
    let mut found = Vec::new();
    pointed(document, |url| {
        found.push(url.to_owned());
        None
    });
    found
}

/// A document with each URL of a rendition replaced.
fn pointed(document: &[u8], mut file: impl FnMut(&str) -> Option<String>) -> Vec<u8> {
    const START: &[u8] = b"/pic/";
    let mut out = Vec::with_capacity(document.len());
    let mut at = 0;
    while at < document.len() {
        let before = at.checked_sub(1).map(|before| document[before]);
        let begins = document[at..].starts_with(START)
            && before.is_none_or(|byte| ends(byte) || matches!(byte, b'(' | b'='));
        if !begins {
            out.push(document[at]);
            at += 1;
            continue;
        }
        let end = (at..document.len()).find(|end| ends(document[*end])).unwrap_or(document.len());
        let written = String::from_utf8_lossy(&document[at..end])
            .replace("&amp;", "&")
            .replace("&#x27;", "'");
        match file(&written) {
            Some(file) => out.extend_from_slice(file.as_bytes()),
            None => out.extend_from_slice(&document[at..end]),
        }
        at = end;
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn urls_are_found_and_replaced_wherever_documents_name_them() {
        let document = br#"<img src="/pic/80w/p/a%26b.jpg" srcset="/pic/80w/p/a.jpg 80w,/pic/90w/p/a.jpg?v=1&amp;x 90w"><style>.a { background: url(/pic/1w/p/c.png) }</style><a href="https://other.example/pic/x">x</a>"#;
        let urls = [
            "/pic/80w/p/a%26b.jpg",
            "/pic/80w/p/a.jpg",
            "/pic/90w/p/a.jpg?v=1&x",
            "/pic/1w/p/c.png",
        ];
        assert_eq!(renditions(document), urls);
        let replaced = pointed(document, |url| (url == urls[2]).then(|| "pic/1.avif".to_owned()));
        let expected =
            String::from_utf8_lossy(document).replace("/pic/90w/p/a.jpg?v=1&amp;x", "pic/1.avif");
        assert_eq!(String::from_utf8_lossy(&replaced), expected);
    }
}
