//! What DevTools says of a page's requests, put together. Events of one request may be heard in any
//! order.

use std::{collections::HashMap, time::Duration};

use chromiumoxide::cdp::browser_protocol::{
    network::{
        EventDataReceived, EventLoadingFailed, EventLoadingFinished, EventRequestServedFromCache,
        EventRequestWillBeSent, EventResponseReceived, Headers, InitiatorType, RequestId,
        ResourceType as DevToolsType,
    },
    page::EventJavascriptDialogOpening,
};
use kivet_page::observation::{Redirect, Request, ResourceType, Started};
use tokio::time::Instant;

/// A page with no request under way for this long is at rest.
pub(crate) const STILL: Duration = Duration::from_millis(400);

/// Requests under way count as unanswered once no event of any request arrived for this long.
const NEVER: Duration = Duration::from_secs(10);

/// How long requests of scripts for data (`fetch`, event streams) are waited for: some pages poll.
const BACKGROUND: Duration = Duration::from_secs(5);

/// How long a page may take to come to rest before it is measured as it is.
const LONGEST: Duration = Duration::from_secs(60);

/// Characters kept of a dialog's text.
const MAX_TEXT: usize = 120;

/// Whether a page has to be waited for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Rest {
    Waiting,
    Reached,
}

/// What is known of a page's requests.
#[derive(Default)]
pub(crate) struct Traffic {
    last_change: Option<Instant>,
    /// The last change of a request that a script made for data.
    last_background: Option<Instant>,
    /// True once the page did not come to rest by itself: it is not waited for as long again.
    restless: bool,
    /// Texts of the dialogs that the page opened.
    pub dialogs: Vec<String>,
    requests: HashMap<String, Heard>,
    /// In the order they were asked for.
    order: Vec<String>,
    /// The browser's clock when the visit began, in seconds.
    began: Option<f64>,
    /// The id of the page's own frame.
    page: String,
    /// The id of the document that frame shows, or is about to.
    document: String,
    /// True once the page was scrolled.
    pub scrolled: bool,
}

/// What was heard of one request.
#[derive(Default)]
struct Heard {
    sent: bool,
    ended: bool,
    received: bool,
    /// The page went elsewhere meanwhile: of such a request the browser may never say more.
    left: bool,
    /// A script asked for data.
    background: bool,
    request: Request,
    hop_started_ms: f64,
}

impl Traffic {
    /// Of the page in the frame called `page`.
    pub fn of(page: String) -> Self {
        Self { page, ..Self::default() }
    }

    /// Forgets the page before.
    pub fn begin(&mut self) {
        *self = Self::of(std::mem::take(&mut self.page));
    }

    fn heard(&mut self, id: &RequestId) -> &mut Heard {
        let heard = self.requests.entry(id.inner().clone()).or_default();
        let last = match heard.background {
            true => &mut self.last_background,
            false => &mut self.last_change,
        };
        *last = Some(Instant::now());
        heard
    }

    fn ms(&self, timestamp: f64) -> f64 {
        (timestamp - self.began.unwrap_or(timestamp)) * 1000.0
    }

    /// Whether a page that is waited for since `since` is at rest: no request is under way, and no
    /// event arrived for a while. Marks requests that make no progress as unanswered; they are not
    /// waited for again.
    pub fn rest(&mut self, since: Instant) -> Rest {
        let waited = since.elapsed();
        let quiet = |last: Option<Instant>| last.map_or(waited, |last| last.elapsed()) >= STILL;
        let [background, longest] = match self.restless {
            true => [STILL, 2 * STILL],
            false => [BACKGROUND, LONGEST],
        };
        let heeds_background = waited < background;
        let counts =
            |heard: &Heard| heard.is_under_way() && (heeds_background || !heard.background);
        let is_quiet =
            quiet(self.last_change) && (!heeds_background || quiet(self.last_background));
        if is_quiet && !self.requests.values().any(counts) {
            self.restless |= !heeds_background;
            return Rest::Reached;
        }
        let last = self.last_change.max(self.last_background).unwrap_or(since).max(since);
        if last.elapsed() >= NEVER {
            for heard in self.requests.values_mut().filter(|heard| heard.is_under_way()) {
                heard.request.unanswered = true;
            }
            return Rest::Reached;
        }
        self.restless |= waited >= longest;
        if waited >= longest { Rest::Reached } else { Rest::Waiting }
    }

    /// True once the page did not come to rest by itself.
    pub const fn is_restless(&self) -> bool {
        self.restless
    }

    /// The addresses of what is under way, in order.
    #[cfg(test)]
    fn under_way(&self) -> Vec<String> {
        let heard = self.order.iter().filter_map(|id| self.requests.get(id));
        heard.filter(|heard| heard.is_under_way()).map(|heard| heard.request.url.clone()).collect()
    }

    /// The requests so far, in order.
    pub fn requests(&self) -> Vec<Request> {
        self.order
            .iter()
            .filter_map(|id| self.requests.get(id))
            .map(|heard| heard.request.clone())
            .collect()
    }

    /// The ids and addresses of pictures that arrived.
    pub fn picture_ids(&self) -> Vec<(RequestId, String)> {
        let arrived = |id: &&String| {
            self.requests.get(*id).is_some_and(|heard| {
                heard.ended
                    && heard.request.is_picture
                    && (200..300).contains(&heard.request.status)
            })
        };
        let ids = self.order.iter().filter(arrived);
        ids.map(|id| (RequestId::new(id.clone()), self.requests[id].request.url.clone())).collect()
    }

    /// The id of the page's own document.
    pub fn document_id(&self) -> Option<RequestId> {
        self.order
            .iter()
            .find(|id| self.requests[*id].request.resource == ResourceType::Document)
            .map(|id| RequestId::new(id.clone()))
    }

    pub fn on_sent(&mut self, event: &EventRequestWillBeSent) {
        // Data addresses never reach the network.
        if event.request.url.starts_with("data:") || event.request.url.starts_with("blob:") {
            return;
        }
        let timestamp = *event.timestamp.inner();
        self.began.get_or_insert(timestamp);
        let is_document = event.r#type == Some(DevToolsType::Document);
        let in_page_frame = event.frame_id.as_ref().is_some_and(|id| *id.inner() == self.page);
        if is_document && in_page_frame {
            self.requests.values_mut().for_each(|heard| heard.left = true);
            self.document.clone_from(event.loader_id.inner());
        }
        // The page before goes on asking until the next one's first bytes are there.
        let left = in_page_frame && *event.loader_id.inner() != self.document;
        let (at, before_scroll) = (self.ms(timestamp), !self.scrolled);
        let id = event.request_id.inner().clone();
        let background = is_background(event.r#type.as_ref());
        self.requests.entry(id.clone()).or_default().background = background;
        let heard = self.heard(&event.request_id);
        // A redirect reuses its id.
        let is_new = !std::mem::replace(&mut heard.sent, true);
        heard.left = left;
        let request = &mut heard.request;
        if let Some(answer) = &event.redirect_response {
            let ms = Some(at - heard.hop_started_ms);
            request.redirects.push(Redirect { url: answer.url.clone(), ms });
        }
        heard.hop_started_ms = at;
        request.url.clone_from(&event.request.url);
        if !is_new {
            return;
        }
        request.start_ms = at;
        request.before_scroll = before_scroll;
        request.headers_count = true;
        request.is_picture = event.r#type == Some(DevToolsType::Image);
        request.resource = resource_type(event.r#type.as_ref());
        request.priority = event.request.initial_priority.as_ref().to_owned();
        if let Some(frame) = event.frame_id.as_ref().filter(|_| !in_page_frame) {
            request.frame.clone_from(frame.inner());
        }
        request.cross_origin_mode = header(event.request.headers.inner(), "origin").is_some();
        request.started_by =
            event.initiator.url.clone().or_else(|| script_of(event)).unwrap_or_default();
        request.started = started(event, &request.started_by);
        self.order.push(id);
    }

    pub fn on_received(&mut self, event: &EventResponseReceived) {
        let at = self.ms(*event.timestamp.inner());
        let heard = self.heard(&event.request_id);
        heard.received = true;
        let request = &mut heard.request;
        request.status = event.response.status;
        request.answer_ms = at;
        request.media_type.clone_from(&event.response.mime_type);
        request.lifetime_s = lifetime(&event.response.headers);
        request.not_final = not_final(&event.response.headers);
        request.score = score(&event.response.headers);
        let control = header(event.response.headers.inner(), "cache-control").unwrap_or_default();
        request.no_store = control.to_ascii_lowercase().contains("no-store");
    }

    /// Some bytes arrived.
    pub fn on_data(&mut self, event: &EventDataReceived) {
        self.heard(&event.request_id);
    }

    pub fn on_cached(&mut self, event: &EventRequestServedFromCache) {
        let heard = self.heard(&event.request_id);
        heard.ended = true;
    }

    pub fn on_finished(&mut self, event: &EventLoadingFinished) {
        let at = self.ms(*event.timestamp.inner());
        self.end(&event.request_id, event.encoded_data_length as u64, at);
    }

    pub fn on_failed(&mut self, event: &EventLoadingFailed) {
        let at = self.ms(*event.timestamp.inner());
        self.end(&event.request_id, 0, at);
    }

    /// A dialog opened: its kind and text.
    pub fn on_dialog(&mut self, event: &EventJavascriptDialogOpening) {
        self.last_change = Some(Instant::now());
        let text: String = event.message.chars().take(MAX_TEXT).collect();
        self.dialogs.push(format!("{}: {text}", event.r#type.as_ref()));
    }

    fn end(&mut self, id: &RequestId, bytes: u64, at: f64) {
        let heard = self.heard(id);
        heard.ended = true;
        heard.request.end_ms = at;
        heard.request.bytes = bytes;
    }

    /// Marks the requests the first paint waited for.
    pub fn mark_blocking(&mut self, blocking: &[String]) {
        for heard in self.requests.values_mut() {
            heard.request.blocks_rendering = blocking.contains(&heard.request.url);
        }
    }
}

impl Heard {
    fn is_under_way(&self) -> bool {
        let is_given_up = self.left || self.request.unanswered;
        self.sent && !self.ended && !is_given_up && !self.is_endless()
    }

    /// Films and event streams are never done; a page with one is at rest all the same.
    fn is_endless(&self) -> bool {
        matches!(self.request.resource, ResourceType::Media | ResourceType::Stream) && self.received
    }
}

/// True for requests of scripts for data, which the page does not display by itself.
fn is_background(heard: Option<&DevToolsType>) -> bool {
    let kinds = [
        DevToolsType::Xhr,
        DevToolsType::Fetch,
        DevToolsType::Ping,
        DevToolsType::Prefetch,
        DevToolsType::EventSource,
        DevToolsType::WebSocket,
    ];
    heard.is_some_and(|heard| kinds.contains(heard))
}

fn resource_type(heard: Option<&DevToolsType>) -> ResourceType {
    match heard {
        Some(DevToolsType::Document) => ResourceType::Document,
        Some(DevToolsType::Stylesheet) => ResourceType::Style,
        Some(DevToolsType::Script) => ResourceType::Script,
        Some(DevToolsType::Font) => ResourceType::Font,
        Some(DevToolsType::Image) => ResourceType::Picture,
        Some(DevToolsType::Xhr | DevToolsType::Fetch) => ResourceType::Data,
        Some(DevToolsType::Media) => ResourceType::Media,
        Some(DevToolsType::EventSource | DevToolsType::WebSocket) => ResourceType::Stream,
        _ => ResourceType::Other,
    }
}

fn script_of(event: &EventRequestWillBeSent) -> Option<String> {
    let frames = &event.initiator.stack.as_ref()?.call_frames;
    frames.iter().map(|frame| frame.url.clone()).find(|url| !url.is_empty())
}

fn started(event: &EventRequestWillBeSent, by: &str) -> Started {
    if event.request.is_link_preload == Some(true) {
        return Started::Preload;
    }
    let is_style = by.split(['?', '#']).next().is_some_and(|path| path.ends_with(".css"));
    match event.initiator.r#type {
        InitiatorType::Script => Started::Script,
        InitiatorType::Parser if is_style && by != event.document_url => Started::Stylesheet,
        _ => Started::Markup,
    }
}

/// A header's value, whatever the case of its name.
pub(crate) fn header<'a>(headers: &'a serde_json::Value, name: &str) -> Option<&'a str> {
    headers.as_object()?.iter().find(|(known, _)| known.eq_ignore_ascii_case(name))?.1.as_str()
}

fn lifetime(headers: &Headers) -> Option<u64> {
    let read = |name| header(headers.inner(), name);
    kivet_page::cache_lifetime(read("cache-control"), read("expires"), read("date"))
}

/// What Kivet says of renditions that another will take the place of (`Cache-Status`, RFC 9211,
/// 2.8).
fn not_final(headers: &Headers) -> bool {
    let status = header(headers.inner(), "cache-status").unwrap_or_default();
    ["detail=first", "detail=nearest"].iter().any(|stage| status.ends_with(stage))
}

/// The score that Kivet states of a rendition.
fn score(headers: &Headers) -> Option<f32> {
    let said = header(headers.inner(), "kivet-rendition")?;
    said.split(';').find_map(|one| one.trim().strip_prefix("score=")?.parse().ok())
}

#[cfg(test)]
mod tests {
    use serde_json::json;

    use super::*;

    /// `Network.requestWillBeSent` as DevTools sends it; `more` overrides.
    fn sent(id: &str, url: &str, at: f64, more: serde_json::Value) -> EventRequestWillBeSent {
        let mut event = json!({
            "requestId": id, "loaderId": "D1", "documentURL": "https://kites.example/", "timestamp": at, "wallTime": 1e9,
            "request": {
                "url": url, "method": "GET", "headers": {}, "initialPriority": "High",
                "referrerPolicy": "strict-origin-when-cross-origin",
            },
            "initiator": { "type": "parser", "url": "https://kites.example/" },
            "redirectHasExtraInfo": false, "type": "Image", "frameId": "F1",
        });
        for (key, value) in more.as_object().expect("an object") {
            event[key] = value.clone();
        }
        serde_json::from_value(event).expect("an event")
    }

    fn document(id: &str, loader: &str, at: f64) -> EventRequestWillBeSent {
        sent(id, "https://kites.example/", at, json!({ "type": "Document", "loaderId": loader }))
    }

    fn finished(id: &str, bytes: f64, at: f64) -> EventLoadingFinished {
        serde_json::from_value(
            json!({ "requestId": id, "timestamp": at, "encodedDataLength": bytes }),
        )
        .expect("an event")
    }

    #[test]
    fn a_request_is_put_together_from_its_events() {
        let mut traffic = Traffic::of("F1".to_owned());
        traffic.on_sent(&document("d", "D1", 10.0));
        traffic.on_sent(&sent("k", "https://kites.example/k.jpg", 10.1, json!({})));
        let redirect = json!({ "redirectResponse": {
            "url": "https://kites.example/k.jpg", "status": 301, "statusText": "", "headers": {}, "mimeType": "",
            "charset": "", "connectionReused": true, "connectionId": 1.0, "encodedDataLength": 90.0,
            "securityState": "secure",
        }});
        traffic.on_sent(&sent("k", "https://kites.example/kite.jpg", 10.3, redirect));
        traffic.scrolled = true;
        traffic.on_sent(&sent("late", "https://kites.example/late.jpg", 11.0, json!({})));
        traffic.on_sent(&sent("data", "data:image/png;base64,AA", 11.0, json!({})));
        assert_eq!(traffic.under_way().len(), 3, "a data URL never reaches the network");
        traffic.on_finished(&finished("d", 500.0, 10.2));
        traffic.on_finished(&finished("k", 4_000.0, 10.5));
        let requests = traffic.requests();
        let kite = &requests[1];
        assert_eq!(
            (kite.url.as_str(), kite.bytes, kite.is_picture),
            ("https://kites.example/kite.jpg", 4_000, true)
        );
        assert!(
            (kite.start_ms - 100.0).abs() < 0.01 && (kite.end_ms - 500.0).abs() < 0.01,
            "{kite:?}"
        );
        assert!((kite.redirects[0].ms.expect("timed") - 200.0).abs() < 0.01, "{kite:?}");
        assert_eq!(
            (kite.started, kite.before_scroll, requests[2].before_scroll),
            (Started::Markup, true, false)
        );
        assert_eq!(traffic.under_way(), ["https://kites.example/late.jpg"]);
    }

    #[test]
    fn who_started_a_request_is_told() {
        let of = |more| {
            let mut traffic = Traffic::of("F1".to_owned());
            traffic.on_sent(&sent("k", "https://kites.example/k.jpg", 1.0, more));
            traffic.requests()[0].started
        };
        assert_eq!(of(json!({ "initiator": { "type": "script" } })), Started::Script);
        let css = json!({ "initiator": { "type": "parser", "url": "https://kites.example/site.css?v=2" } });
        assert_eq!(of(css), Started::Stylesheet);
    }

    #[test]
    fn what_the_page_before_waits_for_does_not_count() {
        let mut traffic = Traffic::of("F1".to_owned());
        traffic.on_sent(&document("d1", "D1", 1.0));
        traffic.on_sent(&sent("old", "https://kites.example/old.jpg", 1.1, json!({})));
        traffic.on_sent(&document("d2", "D2", 2.0));
        traffic.on_sent(&sent("older", "https://kites.example/older.jpg", 2.1, json!({})));
        traffic.on_finished(&finished("d2", 500.0, 2.2));
        assert_eq!(traffic.under_way(), Vec::<String>::new());
        traffic.on_sent(&sent(
            "new",
            "https://kites.example/new.jpg",
            2.3,
            json!({ "loaderId": "D2" }),
        ));
        assert_eq!(traffic.under_way(), ["https://kites.example/new.jpg"]);
    }
}
