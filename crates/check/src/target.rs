//! What is to be checked: addresses, files, folders, sitemaps.

use std::{
    io::Read,
    path::{Component, Path, PathBuf},
};

use url::Url;
use walkdir::WalkDir;

use crate::{CheckError, fetch::Fetcher};

/// A page to check.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Target {
    /// As it was named: the address, or the file's path.
    pub name: String,
    /// Where it is.
    pub place: Place,
}

/// Where a page is.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Place {
    /// On a server.
    Web(Url),
    /// In a file.
    File {
        /// The file.
        file: PathBuf,
        /// What `/` in its addresses stands for.
        root: PathBuf,
    },
}

impl Target {
    /// The page's address; of a file the `file:` address.
    pub fn url(&self) -> Option<Url> {
        match &self.place {
            Place::Web(url) => Some(url.clone()),
            Place::File { file, .. } => Url::from_file_path(file).ok(),
        }
    }

    /// Its path in its site.
    pub fn path_in_site(&self) -> String {
        match &self.place {
            Place::File { file, root } => relative(file, root).unwrap_or_default(),
            Place::Web(url) => {
                let path = url.path().trim_start_matches('/');
                if path.is_empty() || path.ends_with('/') {
                    format!("{path}index.html")
                } else {
                    path.to_owned()
                }
            }
        }
    }
}

/// A file's path from a folder, which may climb out of it.
pub(crate) fn relative(file: &Path, from: &Path) -> Option<String> {
    let (file, from): (Vec<Component<'_>>, Vec<Component<'_>>) =
        (file.components().collect(), from.components().collect());
    let shared = file.iter().zip(&from).take_while(|(one, other)| one == other).count();
    let up = from[shared..].iter().map(|_| Some(".."));
    let down = file[shared..].iter().map(|part| part.as_os_str().to_str());
    up.chain(down).collect::<Option<Vec<&str>>>().map(|parts| parts.join("/"))
}

/// The pages that `words` name, in order.
///
/// # Errors
/// If one names nothing, or a sitemap cannot be had.
pub async fn targets(words: &[String], fetcher: &Fetcher) -> Result<Vec<Target>, CheckError> {
    let mut found = Vec::new();
    for word in words {
        if word.starts_with("http://") || word.starts_with("https://") {
            let url = Url::parse(word).map_err(|_| CheckError::NoTarget(word.clone()))?;
            if url.path().ends_with(".xml") {
                found.extend(in_sitemap(word, &fetcher.text(&url).await?)?);
            } else {
                found.push(Target { name: word.clone(), place: Place::Web(url) });
            }
            continue;
        }
        let path = Path::new(word);
        let whole = path.canonicalize().map_err(|_| CheckError::NoTarget(word.clone()))?;
        if whole.is_dir() {
            found.extend(in_folder(word, &whole)?);
        } else if path.extension().is_some_and(|extension| extension == "xml") {
            let text = std::fs::read_to_string(&whole)
                .map_err(|source| CheckError::Read { path: whole.clone(), source })?;
            found.extend(in_sitemap(word, &text)?);
        } else {
            if !is_html(&whole) {
                return Err(CheckError::NotAPage(word.clone()));
            }
            let root = whole.parent().unwrap_or(&whole).to_path_buf();
            found.push(Target { name: word.clone(), place: Place::File { file: whole, root } });
        }
    }
    Ok(found)
}

/// True for a file that may be a page, whatever it is called: it has a tag, and is text.
fn is_html(file: &Path) -> bool {
    let mut start = Vec::new();
    let read =
        std::fs::File::open(file).and_then(|opened| opened.take(BEGINNING).read_to_end(&mut start));
    let is_utf16 = start.starts_with(&[0xff, 0xfe]) || start.starts_with(&[0xfe, 0xff]);
    read.is_ok() && start.contains(&b'<') && (is_utf16 || !start.contains(&0))
}

/// So many bytes tell a page from other files.
const BEGINNING: u64 = 4096;

fn in_folder(word: &str, folder: &Path) -> Result<Vec<Target>, CheckError> {
    let is_page = |path: &Path| path.extension().is_some_and(|one| one == "html" || one == "htm");
    let files = WalkDir::new(folder).sort_by_file_name().into_iter().filter_map(Result::ok);
    let pages: Vec<Target> = files
        .filter(|entry| entry.file_type().is_file() && is_page(entry.path()))
        .map(|entry| {
            let inside = entry.path().strip_prefix(folder).unwrap_or(entry.path());
            Target {
                name: Path::new(word).join(inside).display().to_string(),
                place: Place::File { file: entry.path().to_path_buf(), root: folder.to_path_buf() },
            }
        })
        .collect();
    if pages.is_empty() { Err(CheckError::NoPages(word.to_owned())) } else { Ok(pages) }
}

/// The pages of a sitemap (the sitemaps protocol: `urlset/url/loc`).
fn in_sitemap(word: &str, text: &str) -> Result<Vec<Target>, CheckError> {
    let problem = |problem: String| CheckError::Sitemap { url: word.to_owned(), problem };
    let document = roxmltree::Document::parse(text).map_err(|error| problem(error.to_string()))?;
    if document.root_element().tag_name().name() != "urlset" {
        return Err(problem(format!(
            "it begins with <{}>, not <urlset>",
            document.root_element().tag_name().name()
        )));
    }
    let addresses = document.descendants().filter(|node| {
        node.has_tag_name("loc") || (node.is_element() && node.tag_name().name() == "loc")
    });
    let pages: Vec<Target> = addresses
        .filter_map(|node| {
            let name = node.text()?.trim().to_owned();
            let url = Url::parse(&name).ok().filter(|url| url.scheme().starts_with("http"))?;
            Some(Target { name, place: Place::Web(url) })
        })
        .collect();
    if pages.is_empty() { Err(CheckError::NoPages(word.to_owned())) } else { Ok(pages) }
}
