//! Asking for every picture that pages show, so that a service has made them when they are measured.

use std::{
    path::PathBuf,
    sync::atomic::{AtomicUsize, Ordering},
};

use futures::{StreamExt, future::join_all};
use kivet_browser::Chromium;
use kivet_page::Device;
use tokio::sync::Semaphore;
use url::Url;

use crate::{CheckError, Progress, Target, browse::reachable};

/// Visits at the same time: most of a visit is waiting for the page to come to rest.
const AT_ONCE: usize = 4;

/// Visits pages on each device, from top to end, and measures nothing. Returns how many pictures were
/// not in their final form. Of a file, `pictures` is the service that responds to `/pic/`. A page that
/// cannot be visited is passed over: measuring it says why.
///
/// # Errors
/// If the browser cannot be started or ends.
pub async fn warm(
    targets: &[Target],
    devices: &[Device],
    pictures: Option<&str>,
    program: Option<PathBuf>,
    progress: &(dyn Fn(Progress<'_>) + Sync),
) -> Result<usize, CheckError> {
    let chromium = match program {
        Some(program) => Chromium::launch_program(program).await?,
        None => Chromium::launch().await?,
    };
    let (done, permits, early) =
        (AtomicUsize::new(0), Semaphore::new(AT_ONCE), AtomicUsize::new(0));
    let of_page = |target: &'_ Target| {
        let (target, chromium, done, permits) = (target.clone(), &chromium, &done, &permits);
        let early = &early;
        async move {
            let Ok((url, _server)) = reachable(&target, pictures).await else { return };
            let visits = devices.iter().map(|device| async {
                // The semaphore is never closed.
                let _permit = permits.acquire().await;
                progress(Progress {
                    done: done.load(Ordering::Relaxed),
                    of: targets.len(),
                    page: &target.name,
                    device: device.name,
                });
                // Measuring reports what is wrong with the page.
                let not_final = scrolled_through(chromium, *device, &url).await.unwrap_or_default();
                early.fetch_add(not_final, Ordering::Relaxed);
            });
            join_all(visits).await;
            done.fetch_add(1, Ordering::Relaxed);
        }
    };
    futures::stream::iter(targets).map(of_page).buffer_unordered(AT_ONCE).collect::<()>().await;
    chromium.close().await?;
    Ok(early.into_inner())
}

/// Visits a page from top to end; the number of its pictures that are not in their final form.
async fn scrolled_through(
    chromium: &Chromium,
    device: Device,
    url: &Url,
) -> Result<usize, CheckError> {
    let tab = chromium.tab(device).await?;
    let opened = tab.open(url.as_str()).await;
    let scrolled = match opened {
        Ok(()) => tab.scroll_to_end().await,
        Err(error) => Err(error),
    };
    let not_final = tab.not_final();
    let _ = tab.close().await;
    scrolled?;
    Ok(not_final)
}
