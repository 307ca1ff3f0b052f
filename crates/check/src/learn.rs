//! Driving a browser over a site's pages to learn how they lay their pictures out.

use std::{
    collections::{BTreeMap, BTreeSet},
    path::PathBuf,
    sync::atomic::{AtomicUsize, Ordering},
};

use futures::StreamExt;
use kivet_browser::{Chromium, Tab, VisitOptions};
use kivet_image::{Limits, probe};
use kivet_page::{
    DEVICES, Document,
    learn::{Boxed, OnDevice, SeenPage, SeenPicture, missing},
    observation::{Attributes, Observation, Role, Use},
    rewrite::{Address, full_size, scan},
    rules::Rules,
};
use kivet_recipe::Format;
use url::Url;

use crate::{
    CheckError, Place, Progress, SWEPT, Target, browse::reachable, files::FileServer,
    target::relative,
};

/// Pixels from one width of the sweep to the next.
const STEP: usize = 16;

/// The window's height during the sweep, in CSS pixels.
const HEIGHT: u32 = 900;

/// Rounds of measuring in between, until media conditions are exact.
const ROUNDS: usize = 12;

/// Pages looked at at the same time.
const AT_ONCE: usize = 2;

/// Looks at pages on every device and over a sweep of widths.
///
/// # Errors
/// If the browser cannot be started, or a page cannot be had.
pub async fn look(
    targets: &[Target],
    program: Option<PathBuf>,
    progress: &(dyn Fn(Progress<'_>) + Sync),
) -> Result<Vec<SeenPage>, CheckError> {
    let chromium = match program {
        Some(program) => Chromium::launch_program(program).await?,
        None => Chromium::launch().await?,
    };
    let done = AtomicUsize::new(0);
    let look = |target: &Target| {
        let (target, chromium, done) = (target.clone(), &chromium, &done);
        async move {
            let step = |device: &str| {
                let done = done.load(Ordering::Relaxed);
                progress(Progress { done, of: targets.len(), page: &target.name, device });
            };
            let page = one(chromium, &target, &step).await;
            done.fetch_add(1, Ordering::Relaxed);
            page
        }
    };
    let mut looking = futures::stream::iter(targets).map(look).buffered(AT_ONCE);
    let mut pages = Vec::new();
    while let Some(page) = looking.next().await {
        pages.push(page?);
    }
    drop(looking);
    chromium.close().await?;
    Ok(pages)
}

async fn one(
    chromium: &Chromium,
    target: &Target,
    step: &(dyn Fn(&str) + Sync),
) -> Result<SeenPage, CheckError> {
    let (url, server) = reachable(target, None).await?;
    let mut page = SeenPage { path: target.path_in_site(), ..SeenPage::default() };
    let mut observations = Vec::new();
    let mut ratios = BTreeMap::new();
    for device in DEVICES {
        step(device.name);
        let tab = chromium.tab(device).await?;
        let options = VisitOptions { throttled: false, returns: false };
        let visited = tab.visit(url.as_str(), options).await;
        let _ = tab.close().await;
        let visit = visited?;
        ratios.extend(
            visit.pictures.iter().filter_map(|(url, bytes)| Some((url.clone(), shape(bytes)?))),
        );
        page.source = visit.source.into_bytes();
        observations.push(visit.observation);
    }
    let site = Site { page: &page.path, target, server: server.as_ref(), url: &url };
    page.pictures = site.pictures(&page.source, &observations, &ratios);
    page.late_embeds = late_embeds(&observations);
    step("sweep");
    let tab = chromium.tab(DEVICES[4]).await?;
    tab.open(url.as_str()).await?;
    tab.scroll_to_end().await?;
    let measured = measure(&tab, &mut page).await;
    let _ = tab.close().await;
    measured?;
    Ok(page)
}

/// Width over height of a picture's file, and whether it is a drawing.
fn shape(bytes: &[u8]) -> Option<(f64, bool)> {
    let facts = probe(bytes, Limits::default()).ok()?;
    let ratio = f64::from(facts.size.width) / f64::from(facts.size.height);
    Some((ratio, facts.format == Format::Svg))
}

async fn measure(tab: &Tab, page: &mut SeenPage) -> Result<(), CheckError> {
    let paths: Vec<String> = page.pictures.iter().map(|one| one.element.path.clone()).collect();
    if paths.is_empty() {
        return Ok(());
    }
    let mut todo: BTreeSet<u32> = SWEPT.step_by(STEP).collect();
    for _ in 0..ROUNDS {
        for width in &todo {
            let boxes = tab.boxes_at(&paths, (*width, HEIGHT)).await?;
            for (picture, size) in page.pictures.iter_mut().zip(boxes) {
                let window = (f64::from(*width), f64::from(HEIGHT));
                picture.samples.push(Boxed { window, size, swept: true });
            }
        }
        for picture in &mut page.pictures {
            picture.samples.sort_by(|one, other| one.window.0.total_cmp(&other.window.0));
        }
        todo = missing(page);
        if todo.is_empty() {
            break;
        }
    }
    let mut kept = vec![(true, true); paths.len()];
    for device in DEVICES {
        tab.boxes_at(&paths, (device.width, device.height)).await?;
        for (kept, tried) in kept.iter_mut().zip(tab.try_markup(&paths).await?) {
            *kept = (kept.0 && tried.0, kept.1 && tried.1);
        }
    }
    for (picture, (dimensions, wraps)) in page.pictures.iter_mut().zip(kept) {
        let is_img = picture.role == Role::Img;
        picture.dimensions = is_img && dimensions;
        // A background's crops are rules of the stylesheet.
        picture.wraps = !is_img || wraps;
    }
    Ok(())
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
        ratios: &BTreeMap<String, (f64, bool)>,
    ) -> Vec<SeenPicture> {
        let base = scan(source, &Rules::default()).ok().and_then(|found| found.base);
        let document = Document::parse(&String::from_utf8_lossy(source));
        let mut order: Vec<(&Role, &str)> = Vec::new();
        for one in observations.iter().flat_map(|seen| &seen.uses) {
            let key = (&one.role, one.element.path.as_str());
            let named = matches!(one.role, Role::Img | Role::Background);
            if named && !one.element.path.contains("::") && !order.contains(&key) {
                order.push(key);
            }
        }
        let pictures = order.into_iter().filter_map(|(role, path)| {
            let uses: Vec<Option<&Use>> = observations
                .iter()
                .map(|seen| {
                    seen.uses.iter().find(|one| one.role == *role && one.element.path == path)
                })
                .collect();
            let first = uses.iter().flatten().find(|one| !one.url.is_empty())?;
            let (address, file) = self.address(first, base.as_deref())?;
            let known = uses.iter().flatten().find_map(|one| ratios.get(&one.url));
            let mut element = first.element.clone();
            element.line = document.line_of(&element);
            Some(SeenPicture {
                element,
                ancestors: first.ancestors.clone(),
                role: *role,
                address,
                file,
                ratio: known.map(|(ratio, _)| *ratio),
                vector: known.is_some_and(|(_, vector)| *vector),
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
    one.rendered.then_some(Boxed { window, size: (one.area.width, one.area.height), swept: false })
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
