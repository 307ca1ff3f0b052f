//! Page checks from end to end: targets found, pages fetched or driven, pictures weighed, the
//! report put together.
//!
//! What is wrong with a page is decided in `kivet-page`; this crate brings what that needs to know.

mod browse;
mod compare;
mod error;
mod examine;
mod exposed;
mod fetch;
mod files;
mod learn;
mod read;
mod shelved;
mod sweep;
mod target;
mod warm;
mod widths;

use std::{
    collections::BTreeMap,
    path::PathBuf,
    sync::atomic::{AtomicUsize, Ordering},
    time::{SystemTime, UNIX_EPOCH},
};

pub use compare::{COMPARED, Difference, compare};
pub use error::CheckError;
pub use exposed::is_data_folder;
pub use fetch::Fetcher;
pub use files::FileServer;
use futures::StreamExt;
pub use kivet_browser::Chromium;
use kivet_page::{
    Device, PageLimits,
    report::{Failure, Mode, PageReport, Report},
};
pub use learn::{SeenSite, look};
pub use shelved::ShelfFolder;
pub use sweep::{FittedSizes, fit_page};
pub use target::{Place, Target, targets};
pub use warm::warm;
pub use widths::SWEPT;

use tokio::sync::Semaphore;

use crate::{examine::Scales, exposed::Exposed};

/// How pages are checked.
#[derive(Clone, Debug)]
pub struct CheckOptions {
    /// Text or browser.
    pub mode: Mode,
    /// On which devices.
    pub devices: Vec<Device>,
    /// Visits to each page on each device, at least 1; in text one is all there is to see.
    pub runs: u32,
    /// Slows processor and network down to each device's.
    pub throttled: bool,
    /// The browser; the installed one if `None`.
    pub program: Option<PathBuf>,
    /// Keeps small pictures of what is shown, for reports that people look at.
    pub thumbnails: bool,
    /// The service that pages in files name by `/pic/` alone; without it they find files.
    pub pictures: Option<String>,
    /// Shelves that may hold the pages' pictures: fixes then name them.
    pub shelves: Vec<ShelfFolder>,
    /// Visits at the same time, of pages or devices; in text, pages. Most of a visit is waiting for the
    /// page to come to rest. More than one disturbs the times that are measured.
    pub at_once: usize,
    /// Measures pictures in windows of many sizes, so that fixes hold there, too, and whether the page
    /// comes back from memory.
    pub sweeps: bool,
    /// Limits of a page that is read as text.
    pub limits: PageLimits,
}

/// A page's report, with small pictures of what it shows.
struct Looked {
    page: PageReport,
    /// Data addresses by picture address.
    thumbnails: BTreeMap<String, String>,
    /// Why it could not be measured on the other devices.
    missed: Vec<String>,
}

/// What is under way, for whoever waits.
#[derive(Clone, Copy, Debug)]
pub struct Progress<'a> {
    /// Pages done.
    pub done: usize,
    /// Pages in all.
    pub of: usize,
    /// The page and what is being done with it.
    pub page: &'a str,
    /// The device it is seen on.
    pub device: &'a str,
}

/// Checks pages. One that cannot be looked at is reported, and the others are looked at all the
/// same.
///
/// # Errors
/// If the browser cannot be started.
pub async fn check(
    targets: &[Target],
    options: &CheckOptions,
    fetcher: &Fetcher,
    progress: &(dyn Fn(Progress<'_>) + Sync),
) -> Result<Report, CheckError> {
    let now = SystemTime::now().duration_since(UNIX_EPOCH).map_or(0, |since| since.as_secs());
    let mut report = Report::empty(options.mode, options.runs, &options.devices, now);
    report.throttled = options.throttled;
    let scales = Scales::default();
    let chromium = match (&options.mode, &options.program) {
        (Mode::Text, _) => None,
        (Mode::Browser, Some(program)) => Some(Chromium::launch_program(program.clone()).await?),
        (Mode::Browser, None) => Some(Chromium::launch().await?),
    };
    let done = AtomicUsize::new(0);
    let exposed = Exposed::of(targets).await;
    let permits = Semaphore::new(options.at_once.max(1));
    let shared = browse::Shared { options, scales: &scales, permits: &permits };
    let look = |target: &'_ Target| {
        let (target, chromium, done, shared) = (target.clone(), chromium.as_ref(), &done, &shared);
        let exposed = exposed.at(&target);
        async move {
            let count = || done.load(Ordering::Relaxed);
            let step = |device: &str| {
                progress(Progress { done: count(), of: targets.len(), page: &target.name, device })
            };
            let looked = match chromium {
                Some(chromium) => browse::browse(chromium, &target, exposed, shared, &step).await,
                None => read::read(&target, exposed, options, fetcher, shared.scales, &step).await,
            };
            done.fetch_add(1, Ordering::Relaxed);
            (target.name.clone(), target.path_in_site(), looked)
        }
    };
    let mut looking = futures::stream::iter(targets).map(look).buffered(options.at_once.max(1));
    while let Some((name, under, looked)) = looking.next().await {
        match looked {
            Ok(Looked { page, thumbnails, missed }) => {
                let failed = |problem| Failure { page: name.clone(), problem };
                report.failures.extend(missed.into_iter().map(failed));
                report.pages.push(PageReport { under, ..page });
                report.thumbnails.extend(thumbnails);
            }
            Err(error) => report.failures.push(Failure { page: name, problem: causes(&error) }),
        }
    }
    drop(looking);
    if let Some(chromium) = chromium {
        chromium.close().await?;
    }
    Ok(report)
}

/// An error and its causes on one line.
pub fn causes(error: &dyn std::error::Error) -> String {
    let mut text = error.to_string();
    let mut cause = error.source();
    while let Some(next) = cause {
        text.push_str(": ");
        text.push_str(&next.to_string());
        cause = next.source();
    }
    text
}
