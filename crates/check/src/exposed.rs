//! Kivet's own data within what a site publishes.

use std::{
    collections::BTreeMap,
    path::{Path, PathBuf},
};

use reqwest::Client;
use url::Url;
use walkdir::WalkDir;

use crate::{Place, Target};

/// The file that holds the admin token in a data folder.
const TOKEN: &str = "admin-token";

/// The shortest text that may be a token.
const MIN_TOKEN: usize = 32;

/// Usual paths of files that a site must not hand out.
const PATHS: [&str; 3] = ["kivet-data/admin-token", "kivet.toml", ".kivet/1/journal.jsonl"];

/// Kivet's data within each site of some pages, by the site's folder or origin.
#[derive(Debug, Default)]
pub(crate) struct Exposed(BTreeMap<String, Vec<String>>);

impl Exposed {
    /// Looks for it once a site.
    pub async fn of(targets: &[Target]) -> Self {
        let client = Client::new();
        let mut found = BTreeMap::new();
        for target in targets {
            let key = site(target);
            if found.contains_key(&key) {
                continue;
            }
            let here = match &target.place {
                Place::File { root, .. } => {
                    in_folder(root).iter().map(|path| path.display().to_string()).collect()
                }
                Place::Web(url) => on_host(url, &client).await,
            };
            found.insert(key, here);
        }
        Self(found)
    }

    /// Paths or URLs of Kivet's data in the site of a page.
    pub fn at(&self, target: &Target) -> Vec<String> {
        self.0.get(&site(target)).cloned().unwrap_or_default()
    }
}

fn site(target: &Target) -> String {
    match &target.place {
        Place::File { root, .. } => root.display().to_string(),
        Place::Web(url) => url.origin().ascii_serialization(),
    }
}

/// True for a folder in which a service keeps its records, whatever it is called.
pub fn is_data_folder(folder: &Path) -> bool {
    let has = |name: &str| folder.join(name).exists();
    has(TOKEN) || has("records.db") || (has("lock") && has("renditions"))
}

/// The data folders and configurations in a folder of pages: any file server hands them out.
fn in_folder(folder: &Path) -> Vec<PathBuf> {
    let entries = WalkDir::new(folder).min_depth(1).into_iter().filter_map(Result::ok);
    let is_ours = |entry: &walkdir::DirEntry| match entry.file_type().is_dir() {
        true => is_data_folder(entry.path()),
        false => entry.file_name() == "kivet.toml",
    };
    entries.filter(is_ours).map(|entry| entry.path().to_path_buf()).collect()
}

/// The URLs on a page's host at which Kivet's data is handed out.
async fn on_host(page: &Url, client: &Client) -> Vec<String> {
    let tops: Vec<Url> = ["/", "."].iter().filter_map(|top| page.join(top).ok()).collect();
    let mut urls: Vec<Url> = Vec::new();
    for top in &tops {
        urls.extend(PATHS.iter().filter_map(|path| top.join(path).ok()));
    }
    let mut found: Vec<String> = Vec::new();
    for url in urls {
        let text = url.to_string();
        if !found.contains(&text) && is_handed_out(&url, client).await {
            found.push(text);
        }
    }
    found
}

async fn is_handed_out(url: &Url, client: &Client) -> bool {
    let request = client.get(url.clone()).header("user-agent", kivet_page::USER_AGENT);
    let Ok(response) = request.send().await else { return false };
    if response.status() != 200 || response.content_length().is_some_and(|bytes| bytes > 1 << 20) {
        return false;
    }
    let Ok(body) = response.text().await else { return false };
    let path = url.path();
    // Many sites answer every path with a page.
    match () {
        () if path.ends_with(TOKEN) => {
            let token = body.trim();
            token.len() >= MIN_TOKEN && !token.contains(['<', ' ', '\n'])
        }
        () if path.ends_with(".toml") => {
            body.contains("[shelves.") && !body.trim_start().starts_with('<')
        }
        () => body.starts_with("{\"path\""),
    }
}
