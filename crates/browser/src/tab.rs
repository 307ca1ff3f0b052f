//! One page on one device: its requests, what it shows, how it moves.

use std::{
    sync::{Arc, Mutex, PoisonError},
    time::Duration,
};

#[expect(deprecated, reason = "see `throttle`")]
use chromiumoxide::cdp::browser_protocol::network::EmulateNetworkConditionsParams;
use chromiumoxide::{
    Page,
    cdp::browser_protocol::{
        emulation::{
            MediaFeature, SetCpuThrottlingRateParams, SetDataSaverOverrideParams,
            SetDeviceMetricsOverrideParams, SetEmulatedMediaParams,
            SetScriptExecutionDisabledParams, SetUserAgentOverrideParams,
        },
        network::{
            EnableParams, EventDataReceived, EventLoadingFailed, EventLoadingFinished,
            EventRequestServedFromCache, EventRequestWillBeSent, EventResponseReceived,
        },
        page::{
            CaptureScreenshotFormat, DialogType, EventJavascriptDialogOpening,
            HandleJavaScriptDialogParams,
        },
    },
    page::ScreenshotParams,
};
use futures::StreamExt;
use kivet_page::{Device, observation::Request};
use serde::{Deserialize, de::DeserializeOwned};
use tokio::time::{Instant, sleep, timeout};

use crate::{
    BrowserError,
    traffic::{Rest, STILL, Traffic},
};

/// How long a page may take to show a frame: a drawing can keep it from that.
const FRAME: Duration = Duration::from_secs(15);

/// The most frames shown until a page stops asking for more.
const MAX_FRAMES: u32 = 8;

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

/// Bytes of answers that are kept for looking at: a page of large pictures holds tens of megabytes.
const KEPT_BODIES: i64 = 300_000_000;

/// What runs before anything else of a page; see the file.
const WATCH: &str = include_str!("page/watch.js");

/// The most screens a page is scrolled through: one that grows as it is read has no end.
const SCREENS: u32 = 60;

/// A browser tab.
pub struct Tab {
    pub(crate) page: Page,
    pub(crate) device: Device,
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
        let kept = EnableParams::builder()
            .max_total_buffer_size(KEPT_BODIES)
            .max_resource_buffer_size(KEPT_BODIES);
        page.execute(kept.build()).await?;
        page.evaluate_on_new_document(WATCH).await?;
        let frame = page.mainframe().await?.map(|id| id.inner().clone()).unwrap_or_default();
        let tab = Self { page, device, traffic: Arc::new(Mutex::new(Traffic::of(frame))) };
        tab.listen().await?;
        Ok(tab)
    }

    async fn listen(&self) -> Result<(), BrowserError> {
        let mut sent = self.page.event_listener::<EventRequestWillBeSent>().await?;
        let mut received = self.page.event_listener::<EventResponseReceived>().await?;
        let mut finished = self.page.event_listener::<EventLoadingFinished>().await?;
        let mut failed = self.page.event_listener::<EventLoadingFailed>().await?;
        let traffic = Arc::clone(&self.traffic);
        let mut cached = self.page.event_listener::<EventRequestServedFromCache>().await?;
        let mut data = self.page.event_listener::<EventDataReceived>().await?;
        let mut dialogs = self.page.event_listener::<EventJavascriptDialogOpening>().await?;
        let page = self.page.clone();
        tokio::spawn(async move {
            loop {
                tokio::select! {
                    Some(event) = dialogs.next() => {
                        lock(&traffic).on_dialog(&event);
                        // Leaving is always wanted; nothing else is agreed to.
                        let leaves = event.r#type == DialogType::Beforeunload;
                        // Where the dialog is gone already there is nothing to answer.
                        let _ = page.execute(HandleJavaScriptDialogParams::new(leaves)).await;
                    }
                    Some(event) = data.next() => lock(&traffic).on_data(&event),
                    Some(event) = sent.next() => lock(&traffic).on_sent(&event),
                    Some(event) = received.next() => lock(&traffic).on_received(&event),
                    Some(event) = cached.next() => lock(&traffic).on_cached(&event),
                    Some(event) = finished.next() => lock(&traffic).on_finished(&event),
                    Some(event) = failed.next() => lock(&traffic).on_failed(&event),
                    else => break,
                }
            }
        });
        Ok(())
    }

    /// Opens an address and waits until the page is at rest. Its document is enough for that: frames,
    /// films and scripts may keep a page from its `load` event for ever.
    ///
    /// # Errors
    /// If the browser fails, or there is no document.
    pub async fn open(&self, url: &str) -> Result<(), BrowserError> {
        const LEFT: &str = "(window.__kivetLeft = true)";
        let _: bool = self.evaluate(LEFT).await?;
        tokio::select! {
            loaded = self.page.goto(url) => drop(loaded?),
            () = self.parsed() => {}
        }
        self.rest().await;
        Ok(())
    }

    /// Waits until another document than the one that was left is there, and its text was read.
    async fn parsed(&self) {
        const PARSED: &str = "!window.__kivetLeft && document.readyState !== 'loading'
            && location.protocol.startsWith('http')";
        // Between two documents no execution context answers.
        while !matches!(self.evaluate::<bool>(PARSED).await, Ok(true)) {
            sleep(STILL / 4).await;
        }
    }

    /// The pictures of the page that a service has not made in their final form.
    pub fn not_final(&self) -> usize {
        self.traffic().requests().iter().filter(|request| request.not_final).count()
    }

    /// Waits until no request is under way, or nothing arrives any more, at most a minute.
    pub async fn rest(&self) {
        let started = Instant::now();
        loop {
            sleep(STILL / 4).await;
            if lock(&self.traffic).rest(started) == Rest::Reached {
                return;
            }
        }
    }

    /// Shows frames until two in a row brought nothing new, neither a request nor a larger paint: a
    /// frame is what makes the browser ask for a CSS background, and on a busy machine the page is
    /// told of a paint well after it. A page that never settles is taken as it is after a few.
    ///
    /// # Errors
    /// If the browser fails.
    pub(crate) async fn painted(&self) -> Result<(), BrowserError> {
        let (mut before, mut alike) = (self.progress().await?, 0);
        for _ in 0..MAX_FRAMES {
            self.show_frame().await?;
            self.rest().await;
            let now = self.progress().await?;
            alike = if now == before { alike + 1 } else { 0 };
            if alike == 2 || self.traffic().is_restless() {
                break;
            }
            before = now;
        }
        Ok(())
    }

    /// Requests so far, and when the largest paint was; below zero before there is one.
    async fn progress(&self) -> Result<(usize, f64), BrowserError> {
        let largest = self.evaluate("window.__kivetCheck?.largest?.at ?? -1").await?;
        Ok((lock(&self.traffic).requests().len(), largest))
    }

    /// Decodes the pictures that arrived and shows a frame with them, if that takes no longer than a
    /// page may. CSS backgrounds cannot be asked to decode, but a screenshot is taken of a frame that
    /// has all it shows.
    ///
    /// # Errors
    /// If the browser fails.
    pub(crate) async fn show_frame(&self) -> Result<(), BrowserError> {
        timeout(FRAME, self.frame()).await.unwrap_or(Ok(()))
    }

    async fn frame(&self) -> Result<(), BrowserError> {
        const DECODED: &str =
            "Promise.all([...document.images].filter(({ complete, naturalWidth }) => complete && naturalWidth)
            .map((image) => image.decode().catch(() => {}))).then(() => true)";
        const TOLD: &str = "new Promise((done) =>
            requestAnimationFrame(() => requestAnimationFrame(() => setTimeout(() => done(true), 50))))";
        let _: bool = self.evaluate(DECODED).await?;
        let format = ScreenshotParams::builder().format(CaptureScreenshotFormat::Jpeg).quality(10);
        self.page.screenshot(format.build()).await?;
        // Only after a frame was shown is the page told what it painted.
        let _: bool = self.evaluate(TOLD).await?;
        Ok(())
    }

    /// Scrolls to the end a screen at a time, as a reader would, and waits until the page is at
    /// rest.
    ///
    /// # Errors
    /// If the browser fails.
    pub async fn scroll_to_end(&self) -> Result<(), BrowserError> {
        for _ in 0..SCREENS {
            let at_end: bool = self
                .evaluate("(scrollBy({ top: innerHeight * 0.9, behavior: 'instant' }), scrollY + innerHeight >= document.documentElement.scrollHeight - 2)")
                .await?;
            self.rest().await;
            if at_end {
                break;
            }
        }
        Ok(())
    }

    /// The content widths of the page's pictures at a viewport `width` CSS pixels wide, in document
    /// order; 0 where one is not shown.
    ///
    /// # Errors
    /// If the browser fails.
    pub async fn widths_at(&self, width: u32) -> Result<Vec<f64>, BrowserError> {
        const WIDTHS: &str = "[...document.images].map(image => {
            const style = getComputedStyle(image);
            const inside = ['paddingLeft', 'paddingRight', 'borderLeftWidth', 'borderRightWidth'];
            const around = inside.reduce((sum, name) => sum + (parseFloat(style[name]) || 0), 0);
            return Math.max(0, image.getBoundingClientRect().width - around); })";
        let Device { height, density, .. } = self.device;
        let metrics = SetDeviceMetricsOverrideParams::new(
            i64::from(width),
            i64::from(height),
            density,
            false,
        );
        self.page.execute(metrics).await?;
        self.evaluate(WIDTHS).await
    }

    /// Runs the page at the device's processor speed and network, or at this machine's own.
    ///
    /// # Errors
    /// If the browser refuses.
    #[expect(deprecated, reason = "what replaces it asks for rules by address; this one works")]
    pub async fn throttle(&self, on: bool) -> Result<(), BrowserError> {
        let Device { cpu_slowdown, latency_ms, megabits, .. } = self.device;
        let bytes_a_second = if on { f64::from(megabits) * 125_000.0 } else { -1.0 };
        let latency = if on { f64::from(latency_ms) } else { 0.0 };
        self.page
            .execute(SetCpuThrottlingRateParams::new(if on { cpu_slowdown } else { 1.0 }))
            .await?;
        self.page
            .execute(EmulateNetworkConditionsParams::new(
                false,
                latency,
                bytes_a_second,
                bytes_a_second,
            ))
            .await?;
        Ok(())
    }

    /// Asks servers for fewer bytes, as a viewer who turned that on.
    ///
    /// # Errors
    /// If the browser refuses.
    pub async fn save_data(&self, on: bool) -> Result<(), BrowserError> {
        self.page.execute(SetDataSaverOverrideParams { data_saver_enabled: Some(on) }).await?;
        Ok(())
    }

    /// Lets pages run scripts, or not, from the next one on.
    ///
    /// # Errors
    /// If the browser refuses.
    pub async fn scripts(&self, on: bool) -> Result<(), BrowserError> {
        self.page.execute(SetScriptExecutionDisabledParams::new(!on)).await?;
        Ok(())
    }

    /// Stops animations and transitions, so that boxes are where they come to rest.
    ///
    /// # Errors
    /// If the browser refuses.
    pub async fn be_still(&self) -> Result<(), BrowserError> {
        const STILL: &str = "addEventListener('DOMContentLoaded', () => {
            const style = new CSSStyleSheet();
            style.replaceSync('*, ::before, ::after { animation-duration: 0s !important; animation-delay: 0s !important; transition: none !important; scroll-behavior: auto !important }');
            document.adoptedStyleSheets = [...document.adoptedStyleSheets, style];
        })";
        self.page.evaluate_on_new_document(STILL).await?;
        self.reduce_motion().await
    }

    /// Tells pages that the viewer wants less motion.
    ///
    /// # Errors
    /// If the browser refuses.
    pub async fn reduce_motion(&self) -> Result<(), BrowserError> {
        let reduced = MediaFeature::new("prefers-reduced-motion", "reduce");
        self.page.execute(SetEmulatedMediaParams::builder().feature(reduced).build()).await?;
        Ok(())
    }

    /// Names itself to servers as what it is, beside what the browser calls itself.
    pub(crate) async fn introduce(&self) -> Result<(), BrowserError> {
        let own: String = self.evaluate("navigator.userAgent").await?;
        let name =
            format!("{} {}", own.replace("HeadlessChrome", "Chrome"), kivet_page::USER_AGENT);
        self.page.execute(SetUserAgentOverrideParams::new(name)).await?;
        Ok(())
    }

    pub(crate) fn traffic(&self) -> std::sync::MutexGuard<'_, Traffic> {
        lock(&self.traffic)
    }

    /// The picture requests so far, in order.
    pub fn pictures(&self) -> Vec<Request> {
        self.traffic().requests().into_iter().filter(|request| request.is_picture).collect()
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
        self.evaluate("window.__kivetCheck.shift").await
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
