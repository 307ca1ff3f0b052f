//! Browser mode: a page visited on each device, its pictures examined and weighed.

use std::{
    collections::{BTreeMap, HashMap},
    sync::Arc,
};

use futures::future::join_all;
use kivet_browser::{Chromium, Tab, TrialPicture, Visit, VisitOptions};
use kivet_page::{
    Device, Document,
    observation::{Fitted, Observation, PictureFile, Placement, Request, Role, Started, Use},
    report::{PageReport, thumbnail_key},
};
use rayon::prelude::*;
use reqwest::Client;
use tokio::sync::Semaphore;
use url::Url;

use crate::{
    CheckError, CheckOptions, Looked, causes,
    examine::{Scales, thumbnail},
    files::{FileServer, top_folder},
    shelved::{file_under, on_shelf, on_shelf_by_url},
    target::{Place, Target},
    widths::sweep,
};

/// The options and resources that all pages of a check share.
pub struct Shared<'a> {
    pub options: &'a CheckOptions,
    pub scales: &'a Scales,
    /// One for each visit that may run at the same time.
    pub permits: &'a Semaphore,
}

/// Visits a page on each of the options' devices.
///
/// # Errors
/// If the page cannot be had, or the browser fails.
pub async fn browse(
    chromium: &Chromium,
    target: &Target,
    exposed: Vec<String>,
    shared: &Shared<'_>,
    step: &(dyn Fn(&str) + Sync),
) -> Result<Looked, CheckError> {
    let options = shared.options;
    let (url, server) = reachable(target, options.pictures.as_deref()).await?;
    let page =
        Page { chromium, url: &url, server: server.as_ref(), shared, vectors: Vectors::default() };
    let visits = options.devices.iter().map(|device| page.on(*device, step));
    let looked: Vec<Result<Seen, CheckError>> = join_all(visits).await;
    let (mut seen, mut thumbnails, mut missed) = (Vec::new(), BTreeMap::new(), Vec::new());
    for (device, one) in options.devices.iter().zip(looked) {
        match one {
            Ok(Seen { runs, thumbnails: small }) => {
                seen.push(runs);
                thumbnails.extend(small);
            }
            Err(error) => {
                // Name the page as it was given, not by the URL of the temporary file server.
                let problem = causes(&error).replace(url.as_str(), &target.name);
                missed.push(CheckError::Visit { device: device.name, problem });
            }
        }
    }
    if seen.is_empty() {
        return Err(missed.swap_remove(0));
    }
    seen.iter_mut().flatten().for_each(|page| page.exposed = exposed.clone());
    if let Some(server) = &server {
        seen.iter_mut().flatten().for_each(|page| own_headers(page, server));
    }
    let shelved = |url: &str| {
        let Some(server) = server.as_ref().filter(|server| server.has(url)) else {
            return on_shelf_by_url(&options.shelves, url);
        };
        let folders = [server.top(), server.root()];
        let mut files = folders.iter().filter_map(|top| file_under(top, url));
        files.find_map(|file| on_shelf(&options.shelves, &file))
    };
    let mut report = PageReport::new(&target.name, &seen, &shelved);
    if let Some(server) = &server {
        report.rewrite(|text| server.without_address(text));
        thumbnails = thumbnails
            .into_iter()
            .map(|(url, data)| (server.without_address(&url), data))
            .collect();
    }
    Ok(Looked {
        page: report,
        thumbnails,
        missed: missed.iter().map(|error| causes(error)).collect(),
    })
}

/// A page that is visited on several devices.
struct Page<'a> {
    chromium: &'a Chromium,
    url: &'a Url,
    server: Option<&'a FileServer>,
    shared: &'a Shared<'a>,
    vectors: Vectors,
}

/// The observations of a page on one device, one for each run.
struct Seen {
    runs: Vec<Observation>,
    thumbnails: BTreeMap<String, String>,
}

impl Page<'_> {
    /// All visits on one device.
    async fn on(&self, device: Device, step: &(dyn Fn(&str) + Sync)) -> Result<Seen, CheckError> {
        let mut seen = Seen { runs: Vec::new(), thumbnails: BTreeMap::new() };
        let options = self.shared.options;
        for run in 0..options.runs.max(1) {
            // The semaphore is never closed.
            let _permit = self.shared.permits.acquire().await;
            step(device.name);
            let mut visit = self.visit(device, run == 0).await?;
            self.vectors.look(&mut visit, self.server).await;
            let with_thumbnails = options.thumbnails && run == 0;
            let scales = self.shared.scales.clone();
            let (observation, small) =
                tokio::task::spawn_blocking(move || weighed(visit, &scales, with_thumbnails))
                    .await
                    .map_err(|error| CheckError::Fetch {
                        url: self.url.to_string(),
                        problem: error.to_string(),
                    })?;
            let of_device =
                small.into_iter().map(|(url, data)| (thumbnail_key(device.name, &url), data));
            seen.thumbnails.extend(of_device);
            seen.runs.push(observation);
        }
        Ok(seen)
    }

    async fn visit(&self, device: Device, is_first: bool) -> Result<Visit, CheckError> {
        let CheckOptions { throttled, sweeps, ref devices, .. } = *self.shared.options;
        let tab = self.chromium.tab(device).await?;
        let options = VisitOptions { throttled, returns: sweeps };
        let mut visited = tab.visit(self.url.as_str(), options).await;
        if let Ok(visit) = &mut visited {
            if sweeps {
                try_wrapping(&tab, &mut visit.observation).await;
            }
            // Once a page is enough: what is swept is the same on any device.
            let is_last = Some(&device) == devices.last();
            if sweeps && is_first && is_last {
                sweep(&tab, &mut visit.observation).await?;
            }
        }
        // A tab that cannot be closed goes with the browser.
        let _ = tab.close().await;
        Ok(visited?)
    }
}

/// Tries a `picture` around each `img` that the layout crops: what crops differently on some
/// screens needs one.
async fn try_wrapping(tab: &Tab, page: &mut Observation) {
    let is_cropped =
        |place: &&mut Use| place.role == Role::Img && place.rendered && place.fit == "cover";
    let trial = |place: &mut Use| TrialPicture {
        path: place.element.path.clone(),
        url: String::new(),
        natural: (0.0, 0.0),
        sizes: String::new(),
    };
    let pictures: Vec<TrialPicture> = page.uses.iter_mut().filter(is_cropped).map(trial).collect();
    if pictures.is_empty() {
        return;
    }
    // A page that scripts took apart meanwhile is one where nothing is known to be safe.
    let window = [(page.device.width, page.device.height)];
    let Ok(tried) = tab.try_markup(&pictures, &window).await else { return };
    for (place, trial) in page.uses.iter_mut().filter(is_cropped).zip(tried) {
        place.wraps = trial.wrapped;
    }
}

/// The address a browser reaches the page at. Of a file, `pictures` is the service that answers
/// `/pic/`.
pub async fn reachable(
    target: &Target,
    pictures: Option<&str>,
) -> Result<(Url, Option<FileServer>), CheckError> {
    match &target.place {
        Place::Web(url) => Ok((url.clone(), None)),
        Place::File { file, root } => {
            let html = std::fs::read(file)
                .map_err(|source| CheckError::Read { path: file.clone(), source })?;
            let top = top_folder(file, root, &String::from_utf8_lossy(&html));
            let server = FileServer::start(&top, root, pictures).await?;
            let url = server.url(file).ok_or_else(|| CheckError::NoTarget(target.name.clone()))?;
            Ok((url, Some(server)))
        }
    }
}

/// Headers of our own file server say nothing about the site.
fn own_headers(page: &mut Observation, server: &FileServer) {
    for request in &mut page.requests {
        if server.has(&request.url) {
            request.headers_count = false;
        }
    }
}

/// Examines and weighs the pictures of a visit, and finds the lines of its elements.
fn weighed(
    visit: Visit,
    scales: &Scales,
    with_thumbnails: bool,
) -> (Observation, BTreeMap<String, String>) {
    let Visit { observation: mut page, pictures, source } = visit;
    page.files =
        pictures.par_iter().map(|(url, bytes)| (url.clone(), scales.examine(bytes))).collect();
    let density = page.device.density;
    let (files, requests) = (&page.files, &page.requests);
    page.uses.par_iter_mut().for_each(|place| {
        place.fitted = fitted(place, files, (&pictures, requests), scales, density);
    });
    let document = Document::parse(&source);
    for place in &mut page.uses {
        place.element.line = document.line_of(&place.element);
    }
    put_in_by_script(&mut page, &document);
    for element in page
        .embeds
        .iter_mut()
        .map(|embed| &mut embed.element)
        .chain(page.hints.iter_mut().map(|hint| &mut hint.element))
    {
        element.line = document.line_of(element);
    }
    let small = if with_thumbnails { small_pictures(&page, &pictures) } else { BTreeMap::new() };
    (page, small)
}

/// A picture whose element and address are not in the source was put in by a script, whatever the
/// browser calls it.
fn put_in_by_script(page: &mut Observation, document: &Document) {
    let written = document.addresses();
    for place in
        page.uses.iter().filter(|place| place.role == Role::Img && place.element.line.is_none())
    {
        let name = place.url.rsplit('/').next().unwrap_or_default();
        if name.is_empty() || written.iter().any(|address| address.ends_with(name)) {
            continue;
        }
        let requests = page
            .requests
            .iter_mut()
            .filter(|request| request.is_picture && request.url == place.url);
        requests
            .filter(|request| request.started == Started::Markup)
            .for_each(|request| request.started = Started::Script);
    }
}

fn fitted(
    place: &Use,
    files: &HashMap<String, PictureFile>,
    (pictures, requests): (&HashMap<String, Vec<u8>>, &[Request]),
    scales: &Scales,
    density: f64,
) -> Option<Fitted> {
    let (file, bytes) = (files.get(&place.url)?, pictures.get(&place.url)?);
    let at = seen(place, file)?;
    let score = requests.iter().find(|one| one.asked_for(&place.url)).and_then(|one| one.score);
    Some(scales.weigh((bytes, score), file, &at, density))
}

/// Where the picture lies, if anything of it is seen; vectors too.
pub(crate) fn seen(place: &Use, file: &PictureFile) -> Option<Placement> {
    let size = file.facts.as_ref()?.size;
    if !place.rendered || place.area.is_empty() {
        return None;
    }
    let natural = (f64::from(size.width), f64::from(size.height));
    let at = Placement::new(natural, place.area, place.uncut, &place.fit, &place.position);
    (!at.seen.is_empty()).then_some(at)
}

fn small_pictures(
    page: &Observation,
    pictures: &HashMap<String, Vec<u8>>,
) -> BTreeMap<String, String> {
    let made = page.uses.par_iter().filter_map(|place| {
        let file = page.files.get(&place.url)?;
        let at = seen(place, file)?;
        Some((place.url.clone(), thumbnail(pictures.get(&place.url)?, file.facts.as_ref()?, &at)?))
    });
    made.collect()
}

/// Which drawings lie beside a picture under the same name.
#[derive(Clone, Default)]
struct Vectors {
    client: Client,
    known: Arc<tokio::sync::Mutex<HashMap<String, bool>>>,
}

impl Vectors {
    /// Asks once for a vector beside each raster picture that could be a drawing.
    async fn look(&self, visit: &mut Visit, server: Option<&FileServer>) {
        for place in &mut visit.observation.uses {
            let Some(vector) = beside(&place.url) else { continue };
            // On other people's servers nothing is asked for that the page does not name.
            let own = Url::parse(&visit.observation.url).ok().map(|page| page.origin());
            if !visit.pictures.contains_key(&place.url)
                || Some(vector.origin()) != own && server.is_none()
            {
                continue;
            }
            let mut known = self.known.lock().await;
            let there = match known.get(vector.as_str()) {
                Some(there) => *there,
                None => {
                    let there = self.is_there(&vector).await;
                    known.insert(vector.to_string(), there);
                    there
                }
            };
            place.vector_beside = there.then(|| vector.to_string());
        }
    }

    async fn is_there(&self, vector: &Url) -> bool {
        let answer = self
            .client
            .head(vector.clone())
            .header("user-agent", kivet_page::USER_AGENT)
            .send()
            .await;
        answer.is_ok_and(|answer| {
            let kind = answer
                .headers()
                .get("content-type")
                .and_then(|value| value.to_str().ok())
                .unwrap_or_default();
            answer.status().is_success() && kind.starts_with("image/svg")
        })
    }
}

/// The address of a drawing of the same name.
pub(crate) fn beside(url: &str) -> Option<Url> {
    let mut vector = Url::parse(url).ok()?;
    let path = vector.path().to_owned();
    let (stem, extension) = path.rsplit_once('.')?;
    let raster = matches!(
        extension.to_ascii_lowercase().as_str(),
        "png" | "jpg" | "jpeg" | "gif" | "webp" | "bmp"
    );
    vector.set_path(&format!("{stem}.svg"));
    vector.set_query(None);
    raster.then_some(vector)
}
