//! One page on one device: its requests, what it shows, how it moves.

use std::{
    collections::HashMap,
    sync::{Arc, Mutex, PoisonError},
    time::Duration,
};

use chromiumoxide::{
    Page,
    cdp::browser_protocol::{
        emulation::SetDeviceMetricsOverrideParams,
        network::{
            EnableParams, EventLoadingFailed, EventLoadingFinished, EventRequestWillBeSent, EventResponseReceived,
            RequestId, ResourceType,
        },
        page::CaptureScreenshotFormat,
    },
    page::ScreenshotParams,
};
use futures::StreamExt;
use serde::{Deserialize, de::DeserializeOwned};
use tokio::time::{Instant, sleep};

use crate::{BrowserError, Device};

/// How long a page may take to come to rest.
const PATIENCE: Duration = Duration::from_secs(60);

/// A page with no request under way for this long is at rest.
const STILL: Duration = Duration::from_millis(400);

/// A picture the page asked for.
#[derive(Clone, Debug, PartialEq)]
pub struct PictureRequest {
    /// Its address.
    pub url: String,
    /// HTTP status; 0 until the answer begins.
    pub status: i64,
    /// Media type of the answer.
    pub media_type: String,
    /// Bytes over the wire, headers included; 0 until the answer ends.
    pub bytes: u64,
}

/// A picture as the page shows it.
#[derive(Clone, Debug, PartialEq, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Shown {
    /// The candidate the browser picked.
    pub current_src: String,
    /// Its alt text; `None` if there is no attribute.
    pub alt: Option<String>,
    /// Width in the layout, in CSS pixels.
    pub width: f64,
    /// Distance of its top from the top of the page, in CSS pixels.
    pub top: f64,
    /// Whether it is there.
    pub loaded: bool,
}

const SHOWN: &str = "[...document.images].map(image => {
    const box = image.getBoundingClientRect();
    return { currentSrc: image.currentSrc, alt: image.getAttribute('alt'), width: box.width,
             top: box.top + scrollY, loaded: image.complete && image.naturalWidth > 0 };
})";

/// The layout shift so far, as browsers report it (Layout Instability): observed from before the page begins.
const WATCH_SHIFT: &str = "window.kivetShift = 0;
    new PerformanceObserver(list => {
        for (const entry of list.getEntries()) if (!entry.hadRecentInput) window.kivetShift += entry.value;
    }).observe({ type: 'layout-shift', buffered: true });";

/// What is known of a page's requests. Events of one request may be heard in any order.
#[derive(Default)]
struct Traffic {
    last_change: Option<Instant>,
    requests: HashMap<String, Heard>,
    /// The ids of pictures, in the order they were asked for.
    pictures: Vec<String>,
}

/// What was heard of one request.
#[derive(Default)]
struct Heard {
    sent: bool,
    ended: bool,
    url: String,
    status: i64,
    media_type: String,
    bytes: u64,
}

impl Traffic {
    fn request(&mut self, id: &RequestId) -> &mut Heard {
        self.last_change = Some(Instant::now());
        self.requests.entry(id.inner().clone()).or_default()
    }

    fn is_still(&self, since: Instant) -> bool {
        let under_way = self.requests.values().any(|heard| heard.sent && !heard.ended);
        !under_way && self.last_change.unwrap_or(since).elapsed() >= STILL
    }

    fn on_sent(&mut self, event: &EventRequestWillBeSent) {
        // Data addresses never reach the network.
        if event.request.url.starts_with("data:") {
            return;
        }
        let heard = self.request(&event.request_id);
        // A redirect reuses its id.
        let is_new = !std::mem::replace(&mut heard.sent, true);
        heard.url.clone_from(&event.request.url);
        if is_new && event.r#type == Some(ResourceType::Image) {
            self.pictures.push(event.request_id.inner().clone());
        }
    }

    fn on_received(&mut self, event: &EventResponseReceived) {
        let heard = self.request(&event.request_id);
        heard.status = event.response.status;
        heard.media_type.clone_from(&event.response.mime_type);
    }

    fn on_ended(&mut self, id: &RequestId, bytes: u64) {
        let heard = self.request(id);
        heard.ended = true;
        heard.bytes = bytes;
    }
}

/// A browser tab.
pub struct Tab {
    page: Page,
    traffic: Arc<Mutex<Traffic>>,
}

impl Tab {
    pub(crate) async fn new(page: Page, device: Device) -> Result<Self, BrowserError> {
        let metrics = SetDeviceMetricsOverrideParams::new(
            i64::from(device.width),
            i64::from(device.height),
            device.density,
            device.mobile,
        );
        page.execute(metrics).await?;
        page.execute(EnableParams::default()).await?;
        page.evaluate_on_new_document(WATCH_SHIFT).await?;
        let tab = Self { page, traffic: Arc::default() };
        tab.listen().await?;
        Ok(tab)
    }

    async fn listen(&self) -> Result<(), BrowserError> {
        let mut sent = self.page.event_listener::<EventRequestWillBeSent>().await?;
        let mut received = self.page.event_listener::<EventResponseReceived>().await?;
        let mut finished = self.page.event_listener::<EventLoadingFinished>().await?;
        let mut failed = self.page.event_listener::<EventLoadingFailed>().await?;
        let traffic = Arc::clone(&self.traffic);
        tokio::spawn(async move {
            loop {
                tokio::select! {
                    Some(event) = sent.next() => lock(&traffic).on_sent(&event),
                    Some(event) = received.next() => lock(&traffic).on_received(&event),
                    Some(event) = finished.next() => lock(&traffic).on_ended(&event.request_id, event.encoded_data_length as u64),
                    Some(event) = failed.next() => lock(&traffic).on_ended(&event.request_id, 0),
                    else => break,
                }
            }
        });
        Ok(())
    }

    /// Opens an address and waits until the page is at rest.
    ///
    /// # Errors
    /// If the browser fails, or the page does not come to rest within a minute.
    pub async fn open(&self, url: &str) -> Result<(), BrowserError> {
        self.page.goto(url).await?;
        self.rest().await
    }

    /// Waits until no request is under way and the picture on screen has been painted.
    ///
    /// # Errors
    /// If that takes more than a minute.
    pub async fn rest(&self) -> Result<(), BrowserError> {
        let started = Instant::now();
        loop {
            sleep(STILL / 4).await;
            if lock(&self.traffic).is_still(started) {
                return Ok(());
            }
            if started.elapsed() > PATIENCE {
                let url = self.page.url().await?.unwrap_or_default();
                return Err(BrowserError::TooSlow { url, seconds: PATIENCE.as_secs() });
            }
        }
    }

    /// Scrolls to the end a screen at a time, as a reader would, and waits until the page is at rest.
    ///
    /// # Errors
    /// As [`rest`](Self::rest).
    pub async fn scroll_to_end(&self) -> Result<(), BrowserError> {
        loop {
            let at_end: bool = self
                .evaluate("(scrollBy(0, innerHeight * 0.9), scrollY + innerHeight >= document.documentElement.scrollHeight - 2)")
                .await?;
            self.rest().await?;
            if at_end {
                return Ok(());
            }
        }
    }

    /// The pictures asked for so far, in order.
    pub fn pictures(&self) -> Vec<PictureRequest> {
        let traffic = lock(&self.traffic);
        let heard = traffic.pictures.iter().filter_map(|id| traffic.requests.get(id));
        heard
            .map(|Heard { url, status, media_type, bytes, .. }| PictureRequest {
                url: url.clone(),
                status: *status,
                media_type: media_type.clone(),
                bytes: *bytes,
            })
            .collect()
    }

    /// The page's `img` elements, in order.
    ///
    /// # Errors
    /// If the browser fails.
    pub async fn shown(&self) -> Result<Vec<Shown>, BrowserError> {
        self.evaluate(SHOWN).await
    }

    /// The layout shift so far.
    ///
    /// # Errors
    /// If the browser fails.
    pub async fn shift(&self) -> Result<f64, BrowserError> {
        self.evaluate("window.kivetShift").await
    }

    /// The value of a script expression; promises are waited for.
    ///
    /// # Errors
    /// If the script throws, or its value has another shape.
    pub async fn evaluate<T: DeserializeOwned>(&self, script: &str) -> Result<T, BrowserError> {
        Ok(self.page.evaluate(script).await?.into_value()?)
    }

    /// What the screen shows, as PNG.
    ///
    /// # Errors
    /// If the browser fails.
    pub async fn screenshot(&self) -> Result<Vec<u8>, BrowserError> {
        let format = ScreenshotParams::builder().format(CaptureScreenshotFormat::Png).build();
        Ok(self.page.screenshot(format).await?)
    }

    /// Closes the tab.
    ///
    /// # Errors
    /// If the browser fails.
    pub async fn close(self) -> Result<(), BrowserError> {
        Ok(self.page.close().await?)
    }
}

fn lock(traffic: &Mutex<Traffic>) -> std::sync::MutexGuard<'_, Traffic> {
    // Counters stay usable whatever panicked beside them.
    traffic.lock().unwrap_or_else(PoisonError::into_inner)
}
