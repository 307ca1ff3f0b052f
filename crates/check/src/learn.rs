//! Driving a browser over a site's pages to learn how they lay their pictures out.

use std::{
    collections::{BTreeMap, BTreeSet},
    path::PathBuf,
    sync::atomic::{AtomicUsize, Ordering},
};

use futures::{StreamExt, future::join_all};
use kivet_browser::{Chromium, FittedBox, PictureAt, Tab, TrialPicture, VisitOptions};
use kivet_image::{Limits, probe};
use kivet_page::{
    DEVICES, Document, decode,
    learn::{Boxed, OnDevice, SeenPage, SeenPicture, missing, place_of, sample, shapes},
    observation::{Attributes, Observation, Role, Use, Window},
    rewrite::{Address, full_size, scan},
    rules::Rules,
};
use kivet_recipe::Format;
use tokio::sync::Semaphore;
use url::Url;

use crate::{
    CheckError, Place, Progress, SWEPT, Target, browse::reachable, causes, files::FileServer,
    target::relative,
};

/// Pixels from one width of the sweep to the next.
const STEP: usize = 16;

/// The window's height during the sweep, in CSS pixels.
const HEIGHT: u32 = 900;

/// Windows between the devices at which markup is tried, too.
const BETWEEN: [(u32, u32); 7] =
    [(480, 800), (600, 900), (700, 900), (1024, 768), (1180, 820), (1440, 900), (2200, 1200)];

/// Rounds of measuring in between, until media conditions are exact.
const ROUNDS: usize = 12;

/// Pages visited at the same time, and visits: most of a visit is waiting for the page to come to
/// rest.
const AT_ONCE: usize = 2;
const VISITS_AT_ONCE: usize = 6;

/// The pages of a site, visited or read.
#[derive(Default)]
pub struct SeenSite {
    /// The pages that were visited.
    pub pages: Vec<SeenPage>,
    /// Path and source of those that were not: others show the same kinds of picture.
    pub unvisited: Vec<(String, Vec<u8>)>,
    /// Pages that could not be visited, and why.
    pub notes: Vec<String>,
}

/// Looks at pages on every device and over a sweep of widths; of a large site at some of each
/// template. A page that cannot be visited is noted, and the others are looked at.
///
/// # Errors
/// If the browser cannot be started, or no page can be visited.
pub async fn look(
    targets: &[Target],
    program: Option<PathBuf>,
    progress: &(dyn Fn(Progress<'_>) + Sync),
) -> Result<SeenSite, CheckError> {
    let mut site = SeenSite::default();
    let (targets, others) = sampled(targets).await;
    site.unvisited = others;
    let targets = targets.as_slice();
    let chromium = match program {
        Some(program) => Chromium::launch_program(program).await?,
        None => Chromium::launch().await?,
    };
    let done = AtomicUsize::new(0);
    let permits = Semaphore::new(VISITS_AT_ONCE);
    let look = |target: &Target| {
        let (target, chromium, done, permits) = (target.clone(), &chromium, &done, &permits);
        async move {
            let step = |device: &str| {
                let done = done.load(Ordering::Relaxed);
                progress(Progress { done, of: targets.len(), page: &target.name, device });
            };
            let page = one(chromium, &target, permits, &step).await;
            done.fetch_add(1, Ordering::Relaxed);
            page
        }
    };
    let mut looking = futures::stream::iter(targets).map(look).buffered(AT_ONCE);
    let (mut at, mut failure) = (0, None);
    while let Some(page) = looking.next().await {
        match page {
            Ok(page) => site.pages.push(page),
            Err(error) => {
                site.notes.push(format!(
                    "{} was not visited: {}",
                    targets[at].name,
                    causes(&error)
                ));
                failure = Some(error);
            }
        }
        at += 1;
    }
    drop(looking);
    chromium.close().await?;
    match failure {
        Some(error) if site.pages.is_empty() => Err(error),
        _ => Ok(site),
    }
}

/// The pages to visit, and path and source of the others.
async fn sampled(targets: &[Target]) -> (Vec<Target>, Vec<(String, Vec<u8>)>) {
    let mut sources = Vec::new();
    for target in targets {
        let source = match &target.place {
            Place::File { file, .. } => std::fs::read(file).ok(),
            Place::Web(url) => match reqwest::get(url.clone()).await {
                Ok(response) => response.bytes().await.ok().map(|bytes| bytes.to_vec()),
                Err(_) => None,
            },
        };
        // A page that cannot be read is visited, which says why.
        sources.push(source.unwrap_or_default());
    }
    let visited: BTreeSet<usize> = sample(&sources).into_iter().collect();
    let mut kept = Vec::new();
    let mut others = Vec::new();
    for ((at, target), source) in targets.iter().enumerate().zip(sources) {
        match visited.contains(&at) || source.is_empty() {
            true => kept.push(target.clone()),
            false => others.push((target.path_in_site(), source)),
        }
    }
    (kept, others)
}

async fn one(
    chromium: &Chromium,
    target: &Target,
    permits: &Semaphore,
    step: &(dyn Fn(&str) + Sync),
) -> Result<SeenPage, CheckError> {
    let (url, server) = reachable(target, None).await?;
    let mut page = SeenPage { path: target.path_in_site(), ..SeenPage::default() };
    let mut observations = Vec::new();
    let mut files = BTreeMap::new();
    let visits = DEVICES.map(|device| {
        let url = &url;
        async move {
            // The semaphore is never closed.
            let _permit = permits.acquire().await;
            step(device.name);
            let tab = chromium.tab(device).await?;
            let options = VisitOptions { throttled: false, returns: false };
            let visited = tab.visit(url.as_str(), options).await;
            let _ = tab.close().await;
            visited
        }
    });
    for visited in join_all(visits).await {
        let visit = visited?;
        files.extend(
            visit
                .pictures
                .iter()
                .filter_map(|(url, bytes)| Some((url.clone(), File::read(bytes)?))),
        );
        page.source = visit.source.into_bytes();
        observations.push(visit.observation);
    }
    let site = Site { page: &page.path, target, server: server.as_ref(), url: &url };
    page.pictures = site.pictures(&page.source, &observations, &files);
    page.late_embeds = late_embeds(&observations);
    step("sweep");
    let tab = chromium.tab(DEVICES[4]).await?;
    tab.be_still().await?;
    tab.open(url.as_str()).await?;
    tab.scroll_to_end().await?;
    let measured = measure(&tab, &mut page).await;
    let _ = tab.close().await;
    measured?;
    Ok(page)
}

/// Pixels and kind of a picture's file.
#[derive(Clone, Copy)]
struct File {
    /// Width and height in pixels.
    natural: (f64, f64),
    /// True if it is a drawing.
    vector: bool,
}

impl File {
    fn read(bytes: &[u8]) -> Option<Self> {
        let facts = probe(bytes, Limits::default()).ok()?;
        let natural = (f64::from(facts.size.width), f64::from(facts.size.height));
        Some(Self { natural, vector: facts.format == Format::Svg })
    }
}

async fn measure(tab: &Tab, page: &mut SeenPage) -> Result<(), CheckError> {
    let at = |one: &SeenPicture| PictureAt { path: one.element.path.clone(), url: one.url.clone() };
    let pictures: Vec<PictureAt> = page.pictures.iter().map(at).collect();
    if pictures.is_empty() {
        return Ok(());
    }
    let mut fits: Vec<BTreeSet<(String, String)>> = vec![BTreeSet::new(); pictures.len()];
    let mut add = |page: &mut SeenPage, boxes: Vec<FittedBox>, window: (u32, u32), of: Window| {
        for ((picture, fits), fitted) in page.pictures.iter_mut().zip(&mut fits).zip(boxes) {
            let window = (f64::from(window.0), f64::from(window.1));
            picture.samples.push(Boxed { window, size: fitted.size, of });
            if fitted.size.0 >= 1.0 {
                fits.insert((fitted.fit, fitted.position));
            }
        }
    };
    // First, so that the rounds know which boxes follow the window's height.
    if page.pictures.iter().any(|one| one.fit == "cover") {
        for window in shapes() {
            let boxes = tab.boxes_at(&pictures, window).await?;
            add(page, boxes, window, Window::Shape);
        }
    }
    let mut todo: BTreeSet<u32> = SWEPT.step_by(STEP).collect();
    for _ in 0..ROUNDS {
        for width in &todo {
            let window = (*width, HEIGHT);
            let boxes = tab.boxes_at(&pictures, window).await?;
            add(page, boxes, window, Window::Swept);
        }
        for picture in &mut page.pictures {
            picture.samples.sort_by(|one, other| one.window.0.total_cmp(&other.window.0));
        }
        todo = missing(page);
        if todo.is_empty() {
            break;
        }
    }
    for (picture, fits) in page.pictures.iter_mut().zip(&fits) {
        picture.steady = fits.len() <= 1;
    }
    let trials: Vec<TrialPicture> = page.pictures.iter().map(trial).collect();
    let devices = DEVICES.iter().map(|device| (device.width, device.height));
    let windows: Vec<(u32, u32)> = devices.chain(BETWEEN).collect();
    for (picture, tried) in page.pictures.iter_mut().zip(tab.try_markup(&trials, &windows).await?) {
        // A background's crops are rules of the stylesheet.
        if picture.role == Role::Img {
            picture.trial = tried;
        }
    }
    Ok(())
}

/// The markup that a picture would get, for trying it.
fn trial(picture: &SeenPicture) -> TrialPicture {
    let sizes = place_of(picture, &mut BTreeSet::new()).map(|place| place.sizes);
    TrialPicture {
        path: picture.element.path.clone(),
        url: picture.url.clone(),
        natural: picture.natural,
        // A vector has one candidate, which needs no sizes.
        sizes: sizes.filter(|_| !picture.vector).unwrap_or_default(),
    }
}

/// A page in its site, for telling addresses.
struct Site<'a> {
    page: &'a str,
    target: &'a Target,
    server: Option<&'a FileServer>,
    url: &'a Url,
}

impl Site<'_> {
    /// The pictures of a page, from what each device saw of them.
    fn pictures(
        &self,
        source: &[u8],
        observations: &[Observation],
        files: &BTreeMap<String, File>,
    ) -> Vec<SeenPicture> {
        let base = scan(source, &Rules::default()).ok().and_then(|found| found.base);
        let document = Document::parse(&decode(source, None));
        // A background has other files on other screens, or in other layers: each is a picture.
        let file = |one: &'_ Use| (one.role == Role::Background).then(|| one.url.clone());
        let mut order: Vec<(Role, &str, Option<String>)> = Vec::new();
        for one in observations.iter().flat_map(|seen| &seen.uses) {
            let key = (one.role, one.element.path.as_str(), file(one));
            let named = matches!(one.role, Role::Img | Role::Background);
            if named && !one.element.path.contains("::shadow") && !order.contains(&key) {
                order.push(key);
            }
        }
        let pictures = order.into_iter().filter_map(|(role, path, url)| {
            let is_same = |one: &&Use| {
                one.role == role
                    && one.element.path == path
                    && (role == Role::Img || file(one) == url)
            };
            let uses: Vec<Option<&Use>> =
                observations.iter().map(|seen| seen.uses.iter().find(is_same)).collect();
            let first = uses.iter().flatten().find(|one| !one.url.is_empty())?;
            let (address, file) = self.address(first, base.as_deref())?;
            // What never arrived has no ratio, and shows the box of its alternative text.
            let (url, known) = uses
                .iter()
                .flatten()
                .find_map(|one| Some((one.url.clone(), *files.get(&one.url)?)))?;
            let mut element = first.element.clone();
            element.line = document.line_of(&element);
            Some(SeenPicture {
                element,
                ancestors: first.ancestors.clone(),
                role,
                address,
                file,
                url,
                natural: known.natural,
                ratio: Some(known.natural.0 / known.natural.1),
                vector: known.vector,
                fit: first.fit.clone(),
                position: first.position.clone(),
                samples: observations
                    .iter()
                    .zip(&uses)
                    .filter_map(|(seen, one)| boxed(seen, (*one)?))
                    .collect(),
                devices: observations
                    .iter()
                    .zip(&uses)
                    .map(|(seen, one)| on_device(seen, *one))
                    .collect(),
                ..SeenPicture::default()
            })
        });
        pictures.collect()
    }

    /// Its address as written, and the path of its file in the site; `None` for what has none.
    fn address(&self, one: &Use, base: Option<&str>) -> Option<(String, String)> {
        if one.role == Role::Background {
            let path = self.path_of(&Url::parse(&one.url).ok()?)?;
            return Some((path.clone(), path));
        }
        let sources: Vec<Attributes> = one
            .sources
            .iter()
            .map(|source| {
                let media =
                    (!source.media.is_empty()).then(|| ("media".to_owned(), source.media.clone()));
                [("srcset".to_owned(), source.srcset.clone())].into_iter().chain(media).collect()
            })
            .collect();
        let written = full_size(&one.element.attributes, &sources);
        match Address::of(&written, self.page, base) {
            address @ (Address::Site(_) | Address::Away(_)) => {
                Some((written, address.path().to_owned()))
            }
            _ => None,
        }
    }

    /// The path of an address in the site.
    fn path_of(&self, url: &Url) -> Option<String> {
        let path =
            percent_encoding::percent_decode_str(url.path()).decode_utf8().ok()?.into_owned();
        match (&self.target.place, self.server) {
            (Place::File { root, .. }, Some(server)) if server.has(url.as_str()) => {
                relative(&server.top().join(path.trim_start_matches('/')), root)
            }
            _ if url.origin() == self.url.origin() => Some(path.trim_start_matches('/').to_owned()),
            _ if matches!(url.scheme(), "http" | "https") => Some(url.to_string()),
            _ => None,
        }
    }
}

fn boxed(seen: &Observation, one: &Use) -> Option<Boxed> {
    let window = (f64::from(seen.device.width), f64::from(seen.device.height));
    one.rendered.then_some(Boxed {
        window,
        size: (one.area.width, one.area.height),
        of: Window::Device,
    })
}

fn on_device(seen: &Observation, one: Option<&Use>) -> OnDevice {
    one.map_or_else(OnDevice::default, |one| OnDevice {
        in_view: one.in_view,
        hidden: one.hidden,
        largest: seen.is_largest(one),
        rendered: one.rendered,
    })
}

/// Frames that begin below the first screen on every device, and do not wait yet.
fn late_embeds(observations: &[Observation]) -> usize {
    let Some(first) = observations.first() else { return 0 };
    let late = first.embeds.iter().filter(|embed| {
        let waits = embed.element.keyword("loading") == "lazy";
        let below = observations.iter().all(|seen| {
            let same = seen.embeds.iter().find(|other| other.element.path == embed.element.path);
            same.is_some_and(|other| other.area.y >= f64::from(seen.device.height))
        });
        embed.element.tag == "iframe" && !waits && below
    });
    late.count()
}
