//! Two versions of a page side by side: whether every box lies where it lay, and whether each picture
//! shows what it showed.

mod pixels;

use std::path::PathBuf;

use futures::StreamExt;
use kivet_browser::{Chromium, Device, PageLayout, Tab};
use pixels::{Screenshot, difference};
use serde::Serialize;

use crate::{CheckError, Progress, Target, browse::reachable};

/// The windows at which versions are compared, in CSS pixels: none is a device's, and between them
/// lie the widths at which layouts usually change.
pub const COMPARED: [(u32, u32); 10] = [
    (340, 720),
    (480, 900),
    (600, 480),
    (700, 1000),
    (800, 600),
    (1024, 768),
    (1152, 1400),
    (1280, 720),
    (1600, 900),
    (2200, 1300),
];

/// A box that moves by less, in CSS pixels, stays where it is.
const SAME_PX: f64 = 1.0;

/// Pages compared at the same time.
const AT_ONCE: usize = 2;

/// One thing that is not as it was.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[serde(rename_all = "camelCase")]
pub struct Difference {
    /// The page.
    pub page: String,
    /// The window.
    pub window: (u32, u32),
    /// The element, by a short selector.
    pub element: String,
    /// The difference, in a sentence's second half.
    pub what: String,
}

/// Compares two versions of pages, at each of [`COMPARED`]. What differs between two visits to the
/// first version does not count.
///
/// # Errors
/// If the browser cannot be started, or a page cannot be opened.
pub async fn compare(
    pairs: &[(Target, Target)],
    pictures: Option<&str>,
    program: Option<PathBuf>,
    progress: &(dyn Fn(Progress<'_>) + Sync),
) -> Result<Vec<Difference>, CheckError> {
    let chromium = match program {
        Some(program) => Chromium::launch_program(program).await?,
        None => Chromium::launch().await?,
    };
    let done = std::sync::atomic::AtomicUsize::new(0);
    let one = |pair: &(Target, Target)| {
        let (chromium, done, pair) = (&chromium, &done, pair.clone());
        async move {
            let so_far = done.load(std::sync::atomic::Ordering::Relaxed);
            progress(Progress {
                done: so_far,
                of: pairs.len(),
                page: &pair.0.name,
                device: "other windows",
            });
            let found = compare_page(chromium, &pair, pictures).await;
            done.fetch_add(1, std::sync::atomic::Ordering::Relaxed);
            found
        }
    };
    let mut comparing = futures::stream::iter(pairs).map(one).buffered(AT_ONCE);
    let mut all = Vec::new();
    while let Some(found) = comparing.next().await {
        all.extend(found?);
    }
    drop(comparing);
    chromium.close().await?;
    Ok(all)
}

/// A page at each window.
struct Version(Vec<(PageLayout, Option<Screenshot>)>);

async fn compare_page(
    chromium: &Chromium,
    (before, after): &(Target, Target),
    pictures: Option<&str>,
) -> Result<Vec<Difference>, CheckError> {
    let first = Version::of(chromium, before, pictures).await?;
    let second = Version::of(chromium, after, pictures).await?;
    let found = first.differences(&second, &before.name);
    if found.is_empty() {
        return Ok(found);
    }
    // A page that moves by itself is not moved by its markup.
    let again = Version::of(chromium, before, pictures).await?;
    let own = first.differences(&again, &before.name);
    let is_own = |one: &Difference| {
        own.iter().any(|other| (other.window, &other.element) == (one.window, &one.element))
    };
    Ok(found.into_iter().filter(|one| !is_own(one)).collect())
}

impl Version {
    async fn of(
        chromium: &Chromium,
        target: &Target,
        pictures: Option<&str>,
    ) -> Result<Self, CheckError> {
        let (url, _server) = reachable(target, pictures).await?;
        let (width, height) = COMPARED[0];
        let tab = chromium.tab(Device::screen(width, height, 1.0)).await?;
        let laid_out = Self::at_windows(&tab, url.as_str()).await;
        let _ = tab.close().await;
        laid_out
    }

    async fn at_windows(tab: &Tab, url: &str) -> Result<Self, CheckError> {
        tab.be_still().await?;
        tab.open(url).await?;
        let mut windows = Vec::new();
        for window in COMPARED {
            let (layout, png, scale) = tab.laid_out(window).await?;
            windows.push((layout, Screenshot::read(&png, scale)));
        }
        Ok(Self(windows))
    }

    fn differences(&self, other: &Self, page: &str) -> Vec<Difference> {
        let windows = self.0.iter().zip(&other.0).zip(COMPARED);
        let found = windows.flat_map(|((one, other), window)| {
            let told = moved(&one.0, &other.0).into_iter().chain(shown_otherwise(one, other));
            told.map(move |(element, what)| Difference {
                page: page.to_owned(),
                window,
                element,
                what,
            })
        });
        found.collect()
    }
}

/// Elements whose box is not where it was.
fn moved(before: &PageLayout, after: &PageLayout) -> Vec<(String, String)> {
    let mut found: Vec<(String, String)> = Vec::new();
    let pictures = before.pictures.iter().zip(&after.pictures);
    for (one, other) in pictures.filter(|(one, other)| !same(one.r#box, other.r#box)) {
        let [_, _, width, height] = one.r#box;
        let [x, y, wide, high] = other.r#box;
        let what = match (width - wide).abs() < SAME_PX && (height - high).abs() < SAME_PX {
            true => {
                format!("moved to {x:.0}, {y:.0} from {:.0}, {:.0}", one.r#box[0], one.r#box[1])
            }
            false => format!("is {wide:.0} x {high:.0} px and was {width:.0} x {height:.0}"),
        };
        found.push((one.name.clone(), what));
    }
    if before.pictures.len() != after.pictures.len() {
        let what =
            format!("shows {} pictures and showed {}", after.pictures.len(), before.pictures.len());
        found.push(("the page".to_owned(), what));
    }
    if before.elements.len() != after.elements.len() {
        let what =
            format!("has {} elements and had {}", after.elements.len(), before.elements.len());
        found.push(("the page".to_owned(), what));
    } else if found.is_empty() {
        let elements = before.elements.iter().zip(&after.elements);
        let moved = elements.filter(|(one, other)| !same(one.1, other.1)).count();
        if moved > 0 {
            found.push(("the page".to_owned(), format!("{moved} elements without pictures moved")));
        }
    }
    found
}

fn same(one: [f64; 4], other: [f64; 4]) -> bool {
    one.iter().zip(other).all(|(one, other)| (one - other).abs() <= SAME_PX)
}

/// Pictures that show something else than before.
fn shown_otherwise(
    (before, painted): &(PageLayout, Option<Screenshot>),
    (after, repainted): &(PageLayout, Option<Screenshot>),
) -> Vec<(String, String)> {
    let (Some(painted), Some(repainted)) = (painted, repainted) else { return Vec::new() };
    let pictures = before.pictures.iter().zip(&after.pictures);
    let found =
        pictures.filter(|(one, other)| one.visible && other.visible).filter_map(|(one, other)| {
            let by = difference((painted, one.r#box), (repainted, other.r#box))?;
            (by > 1.0).then(|| {
                (
                    one.name.clone(),
                    format!("shows something else ({by:.1} times what encoding explains)"),
                )
            })
        });
    found.collect()
}
