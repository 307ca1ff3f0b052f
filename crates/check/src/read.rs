//! Text mode: a page read, styled and laid out as far as that goes without a browser, and the
//! headers of its pictures.

use std::{
    collections::{BTreeMap, HashMap},
    path::{Path, PathBuf},
    sync::Arc,
    time::Duration,
};

use futures::StreamExt;
use kivet_page::{
    Budget, Device, Document, TextPage,
    observation::{Embed, Observation, PictureFile},
    observe,
    report::PageReport,
};
use tokio::time::timeout;
use url::Url;

use crate::{
    CheckError, CheckOptions, Fetcher, Looked, Place, Target,
    browse::{beside, seen},
    examine::{Scales, predict},
    fetch::FileHeader,
    shelved::{on_shelf, on_shelf_by_url},
};

/// Heads fetched at the same time for one page.
const AT_ONCE: usize = 8;

/// A page and what was fetched for it.
struct Read {
    url: Url,
    root: Option<PathBuf>,
    html: Arc<str>,
    no_store: bool,
    sheets: Arc<[(String, String)]>,
    files: HashMap<String, PictureFile>,
    headers: HashMap<String, Arc<FileHeader>>,
}

/// Reads a page for each of the options' devices.
///
/// # Errors
/// If the page cannot be had.
pub async fn read(
    target: &Target,
    exposed: Vec<String>,
    options: &CheckOptions,
    fetcher: &Fetcher,
    scales: &Scales,
    step: &(dyn Fn(&str) + Sync),
) -> Result<Looked, CheckError> {
    let url = target.url().ok_or_else(|| CheckError::NoTarget(target.name.clone()))?;
    let root = match &target.place {
        Place::File { root, .. } => Some(root.clone()),
        Place::Web(_) => None,
    };
    let (html, no_store) = fetcher.page(&url).await?;
    let mut read = Read {
        sheets: Arc::default(),
        files: HashMap::new(),
        headers: HashMap::new(),
        url,
        root,
        html: html.into(),
        no_store,
    };
    read.fetch_sheets(fetcher).await;
    // Which candidates are taken does not depend on the pictures; where they stand does.
    let first = read.observe(&target.name, options).await?;
    read.fetch_heads(&first, fetcher, scales, options.pictures.as_deref()).await;
    let mut observations = Vec::new();
    let second = read.observe(&target.name, options).await?;
    for (mut page, device) in second.into_iter().zip(&options.devices) {
        step(device.name);
        page.exposed = exposed.clone();
        tokio::task::block_in_place(|| read.complete(&mut page, scales));
        read.look_beside(&mut page, fetcher, scales).await;
        for embed in &mut page.embeds {
            embed.bytes_up_front = up_front(embed, device, read.root.as_deref(), fetcher).await;
        }
        observations.push(vec![page]);
    }
    let shelved = |url: &str| {
        let Some(file) = Url::parse(url).ok().and_then(|url| url.to_file_path().ok()) else {
            return on_shelf_by_url(&options.shelves, url);
        };
        // A path that begins with a slash begins at the site's folder.
        let below = |root: &std::path::PathBuf| root.join(file.strip_prefix("/").unwrap_or(&file));
        let of_root = read.root.as_ref().map(below).filter(|file| file.is_file());
        on_shelf(&options.shelves, &of_root.unwrap_or_else(|| file.clone()))
    };
    let mut report = PageReport::new(&target.name, &observations, &shelved);
    if let Some(root) = &read.root {
        let own = Url::from_directory_path(root).map_or(String::new(), String::from);
        report.rewrite(|text| text.replace(&own, "/"));
    }
    Ok(Looked { page: report, thumbnails: BTreeMap::new(), missed: Vec::new() })
}

impl Read {
    /// The page on each device. The time for it begins with each call, as the page's files are fetched
    /// in between.
    async fn observe(
        &self,
        name: &str,
        options: &CheckOptions,
    ) -> Result<Vec<Observation>, CheckError> {
        let budget = Budget::new(options.limits);
        let _stop = budget.stop_on_drop();
        let (url, no_store, devices) = (self.url.clone(), self.no_store, options.devices.clone());
        let (html, sheets) = (Arc::clone(&self.html), Arc::clone(&self.sheets));
        let files = self.files.clone();
        let work = move || {
            let page =
                TextPage { url: &url, html: &html, sheets: &sheets, files: &files, no_store };
            observe(page, &devices, &budget)
        };
        let observed = tokio::task::spawn_blocking(work).await;
        observed
            .map_err(|error| CheckError::Panicked(error.to_string()))?
            .map_err(|over| CheckError::OverLimit { page: name.to_owned(), over })
    }

    /// A stylesheet that cannot be had is one that does not apply.
    async fn fetch_sheets(&mut self, fetcher: &Fetcher) {
        let urls = Document::parse(&self.html).stylesheets(&self.url);
        let mut sheets = Vec::new();
        for url in urls {
            let file = crate::fetch::file_of(&url, self.root.as_deref())
                .and_then(|file| Url::from_file_path(file).ok());
            if let Ok(css) = fetcher.text(file.as_ref().unwrap_or(&url)).await {
                sheets.push((url.to_string(), css));
            }
        }
        self.sheets = sheets.into();
    }

    /// `pictures` is the service that answers `/pic/` where pages are files.
    async fn fetch_heads(
        &mut self,
        pages: &[Observation],
        fetcher: &Fetcher,
        scales: &Scales,
        pictures: Option<&str>,
    ) {
        let mut urls: Vec<String> = pages
            .iter()
            .flat_map(|page| &page.requests)
            .filter(|one| one.is_picture)
            .map(|one| one.url.clone())
            .collect();
        urls.sort_unstable();
        urls.dedup();
        let root = self.root.as_deref();
        let fetch = |url: String| async move {
            let header = match Url::parse(&url) {
                Ok(parsed) if of_service(&url) => rendition(fetcher, &parsed, pictures).await,
                Ok(parsed) => Some(fetcher.header(&parsed, root).await),
                Err(_) => None,
            };
            (url, header)
        };
        let headers: Vec<_> =
            futures::stream::iter(urls).map(fetch).buffer_unordered(AT_ONCE).collect().await;
        for (url, header) in headers {
            let Some(header) = header else { continue };
            if header.status == 200 {
                self.files.insert(url.clone(), scales.examine_header(&header));
            }
            self.headers.insert(url, header);
        }
    }

    /// Puts what was fetched into what was worked out.
    fn complete(&self, page: &mut Observation, scales: &Scales) {
        for request in page.requests.iter_mut().filter(|request| request.is_picture) {
            let Some(header) = self.headers.get(&request.url) else {
                request.status = if of_service(&request.url) { 200 } else { request.status };
                continue;
            };
            request.status = header.status;
            request.media_type.clone_from(&header.media_type);
            request.bytes = if header.status == 200 { header.length } else { 0 };
            request.lifetime_s = header.lifetime_s;
            request.headers_count = header.from_server;
            request.redirects.clone_from(&header.redirects);
            if !header.redirects.is_empty() {
                request.url.clone_from(&header.url);
            }
        }
        let density = page.device.density;
        for place in &mut page.uses {
            place.unknown |= of_service(&place.url) && !self.headers.contains_key(&place.url);
            let file = self.files.get(&place.url);
            let whole = self.headers.get(&place.url).filter(|header| header.is_whole());
            // What was fetched whole is small enough to be made anew; of the rest the weight is
            // predicted.
            place.fitted = file.and_then(|file| {
                let at = seen(place, file)?;
                Some(whole.map_or_else(
                    || predict(file, &at, density),
                    |header| scales.weigh((&header.bytes, None), file, &at, density),
                ))
            });
        }
    }

    async fn look_beside(&self, page: &mut Observation, fetcher: &Fetcher, scales: &Scales) {
        for place in &mut page.uses {
            let Some(vector) = beside(&place.url).filter(|vector| {
                self.files.contains_key(&place.url) && vector.origin() == self.url.origin()
            }) else {
                continue;
            };
            let header = fetcher.header(&vector, self.root.as_deref()).await;
            let is_vector = scales
                .examine_header(&header)
                .facts
                .is_some_and(|facts| facts.format == kivet_recipe::Format::Svg);
            place.vector_beside = (header.status == 200 && is_vector).then(|| vector.to_string());
        }
    }
}

/// The header of a rendition, unless a service would first have to make it. A page in a file does
/// not say which service it means: `pictures` does.
async fn rendition(
    fetcher: &Fetcher,
    url: &Url,
    pictures: Option<&str>,
) -> Option<Arc<FileHeader>> {
    let asked = match url.scheme() {
        "file" => Url::parse(pictures?).ok()?.join(url.path()).ok()?,
        _ => url.clone(),
    };
    timeout(PATIENCE, fetcher.header(&asked, None)).await.ok()
}

/// How long a rendition may take that only its header is wanted of.
const PATIENCE: Duration = Duration::from_secs(1);

/// True for the address of a rendition.
fn of_service(url: &str) -> bool {
    Url::parse(url).is_ok_and(|url| url.path().starts_with("/pic/"))
}

/// What a frame loads at once: its document and what that names.
async fn up_front(embed: &Embed, device: &Device, root: Option<&Path>, fetcher: &Fetcher) -> u64 {
    let lazy =
        embed.element.keyword("loading") == "lazy" && embed.area.y >= f64::from(device.height);
    let Ok(url) = Url::parse(&embed.url) else { return 0 };
    if lazy || embed.element.tag != "iframe" {
        return 0;
    }
    let Ok((html, _)) = fetcher.page(&url).await else { return 0 };
    let addresses = Document::parse(&html).addresses();
    let inner: Vec<Url> = addresses.iter().filter_map(|address| url.join(address).ok()).collect();
    let mut bytes = html.len() as u64;
    for address in inner {
        bytes += fetcher.header(&address, root).await.length;
    }
    bytes
}
