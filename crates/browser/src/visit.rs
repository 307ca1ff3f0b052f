//! A visit to one page on one device: opened, looked at, scrolled through, looked at again, left
//! and returned to.

use std::{collections::HashMap, time::Duration};

use base64::{Engine, prelude::BASE64_STANDARD};
use chromiumoxide::cdp::browser_protocol::network::{GetResponseBodyParams, RequestId};
use kivet_page::{
    SourceSize,
    observation::{
        BackBlock, Element, Embed, Hint, Largest, Milestones, Moving, Observation, Request,
        ResourceType, Shift, Split, Started, Use,
    },
    pick, read_srcset, source_size,
};
use serde::Deserialize;
use tokio::time::{Instant, sleep};

use crate::{BrowserError, Tab, boxes::BACKGROUNDS};

const COLLECT: &str = include_str!("page/collect.js");

/// How long a page may take to come back.
const RETURN: Duration = Duration::from_secs(20);

/// Less than this is no wait worth naming a culprit for, in milliseconds.
const WAIT_MS: f64 = 40.0;

/// How a page is visited.
#[derive(Clone, Copy, Debug)]
pub struct VisitOptions {
    /// Slows processor and network down to the device's.
    pub throttled: bool,
    /// Goes away and back.
    pub returns: bool,
}

/// What a visit brought.
pub struct Visit {
    /// What was seen; the files behind the pictures are yet to be read.
    pub observation: Observation,
    /// The bytes of the pictures, by address.
    pub pictures: HashMap<String, Vec<u8>>,
    /// The page's own source.
    pub source: String,
}

/// What `collect.js` answers.
#[derive(Deserialize)]
#[serde(rename_all = "camelCase")]
struct Collected {
    uses: Vec<Use>,
    embeds: Vec<Embed>,
    hints: Vec<Hint>,
    moving: Vec<Moving>,
    largest: Option<LargestSeen>,
    shift: f64,
    shifts: Vec<Shift>,
    unload: Vec<String>,
    blocking: Vec<String>,
    first_byte_ms: f64,
    milestones: Milestones,
}

#[derive(Deserialize)]
struct LargestSeen {
    element: Element,
    url: String,
    at: f64,
}

impl Tab {
    /// Visits `url` and measures it.
    ///
    /// # Errors
    /// If the page cannot be had, or the browser fails.
    pub async fn visit(&self, url: &str, options: VisitOptions) -> Result<Visit, BrowserError> {
        self.introduce().await?;
        self.throttle(options.throttled).await?;
        self.traffic().begin();
        self.open(url).await.map_err(|error| unreachable(url, error))?;
        self.check_document(url)?;
        self.painted().await?;
        let first: Collected = self.collected().await?;
        self.traffic().mark_blocking(&first.blocking);
        self.traffic().scrolled = true;
        self.scroll_to_end().await?;
        let _: bool = self.evaluate("(scrollTo({ top: 0, behavior: 'instant' }), true)").await?;
        self.rest().await;
        self.show_frame().await?;
        let second: Collected = self.collected().await?;
        let requests = self.traffic().requests();
        let pictures = self.bodies().await;
        let document = self.traffic().document_id();
        let source = match document {
            Some(id) => self
                .body(id)
                .await
                .map(|body| String::from_utf8_lossy(&body).into_owned())
                .unwrap_or_default(),
            None => String::new(),
        };
        let mut observation = self.observed(url, first, second, requests);
        if options.returns {
            self.throttle(false).await?;
            let (restored, reasons) = self.go_and_return().await?;
            observation.restored = restored;
            observation.add_reasons(reasons);
        }
        Ok(Visit { observation, pictures, source })
    }

    async fn collected(&self) -> Result<Collected, BrowserError> {
        self.evaluate(&format!("({COLLECT})({BACKGROUNDS})")).await
    }

    /// The page's pictures as findings name them, in document order.
    ///
    /// # Errors
    /// If the browser fails.
    pub async fn picture_elements(&self) -> Result<Vec<Element>, BrowserError> {
        let collected: Collected = self.collected().await?;
        Ok(collected
            .uses
            .into_iter()
            .map(|place| place.element)
            .filter(|element| element.tag == "img")
            .collect())
    }

    fn check_document(&self, url: &str) -> Result<(), BrowserError> {
        let requests = self.traffic().requests();
        let document = requests.iter().find(|request| request.resource == ResourceType::Document);
        let problem = match document.map(|document| document.status) {
            Some(status @ 400..) => format!("answers {status}"),
            Some(0) | None => "does not answer".to_owned(),
            Some(_) => return Ok(()),
        };
        Err(BrowserError::NoPage { url: url.to_owned(), problem })
    }

    async fn body(&self, id: RequestId) -> Option<Vec<u8>> {
        let answer = self.page.execute(GetResponseBodyParams::new(id)).await.ok()?.result;
        if answer.base64_encoded {
            BASE64_STANDARD.decode(answer.body).ok()
        } else {
            Some(answer.body.into_bytes())
        }
    }

    /// A body the browser no longer has is no reason to give up; its picture is then weighed as
    /// sent.
    async fn bodies(&self) -> HashMap<String, Vec<u8>> {
        let ids = self.traffic().picture_ids();
        let mut bodies = HashMap::new();
        for (id, url) in ids {
            if !bodies.contains_key(&url)
                && let Some(body) = self.body(id).await
                && !body.is_empty()
            {
                bodies.insert(url, body);
            }
        }
        bodies
    }

    fn observed(
        &self,
        url: &str,
        first: Collected,
        second: Collected,
        requests: Vec<Request>,
    ) -> Observation {
        let uses = merged(&first.uses, second.uses);
        let hints = first.hints.into_iter().map(|hint| self.resolved(url, hint)).collect();
        let mut embeds = second.embeds;
        for embed in &mut embeds {
            embed.bytes_up_front = up_front(embed, &requests);
        }
        let page = requests.iter().find(|request| request.resource == ResourceType::Document);
        let mut back: Vec<BackBlock> = Vec::new();
        if page.is_some_and(|page| page.no_store) {
            back.push(BackBlock {
                reason: "no-store".to_owned(),
                place: "the page is sent with no-store".to_owned(),
            });
        }
        if let Some(place) = first.unload.first() {
            let place = format!("a listener for unload, in {place}");
            back.push(BackBlock { reason: "unload".to_owned(), place });
        }
        let largest = first.largest.map(|seen| {
            let request =
                requests.iter().find(|request| request.is_picture && request.asked_for(&seen.url));
            let split =
                request.map(|request| split(request, &seen, first.first_byte_ms, &requests));
            Largest { element: seen.element, url: seen.url, at_ms: Some(seen.at), split }
        });
        Observation {
            url: url.to_owned(),
            device: self.device,
            measured: true,
            uses,
            requests,
            files: HashMap::new(),
            embeds,
            hints,
            moving: second.moving,
            milestones: first.milestones,
            largest,
            shift: first.shift,
            shifts: first.shifts,
            back,
            dialogs: std::mem::take(&mut self.traffic().dialogs),
            exposed: Vec::new(),
            restored: None,
        }
    }

    /// A preload with candidates fetches the one its own `imagesizes` asks for.
    fn resolved(&self, page: &str, hint: Hint) -> Hint {
        let Some(srcset) = hint.element.attribute("imagesrcset") else { return hint };
        let size = match source_size(
            hint.element.attribute("imagesizes").unwrap_or_default(),
            &self.device,
        ) {
            SourceSize::Pixels(size) => size,
            SourceSize::Auto => f64::from(self.device.width),
        };
        let candidates = read_srcset(srcset);
        let taken =
            pick(&candidates, size, self.device.density).map(|candidate| candidate.url.clone());
        let url = taken
            .and_then(|taken| Some(url::Url::parse(page).ok()?.join(&taken).ok()?.to_string()));
        Hint { url: url.unwrap_or_default(), ..hint }
    }

    /// Whether the page comes back from memory, and what the browser says kept it from that.
    async fn go_and_return(&self) -> Result<(Option<bool>, Vec<String>), BrowserError> {
        const RETURNED: &str = "(() => { const kivet = window.__kivetCheck;
            if (!kivet || location.protocol === 'about:' || kivet.pageshow.length === 0) return null;
            const reasons = performance.getEntriesByType('navigation')[0]?.notRestoredReasons?.reasons ?? [];
            return [kivet.pageshow.at(-1), reasons.map(({ reason }) => reason)] })()";
        // Of a page that never finishes loading this is not known.
        if !self.evaluate::<bool>("document.readyState === 'complete'").await? {
            return Ok((None, Vec::new()));
        }
        self.page.goto("about:blank").await?;
        let _ = self.page.evaluate("setTimeout(() => history.back())").await;
        let started = Instant::now();
        while started.elapsed() < RETURN {
            sleep(Duration::from_millis(50)).await;
            // Between two documents no execution context answers.
            if let Ok(Some(answer)) = self.evaluate::<Option<(bool, Vec<String>)>>(RETURNED).await {
                return Ok((Some(answer.0), answer.1));
            }
        }
        Ok((None, Vec::new()))
    }
}

/// What a browser says when it could not go anywhere is about the network; ours names the page.
fn unreachable(url: &str, error: BrowserError) -> BrowserError {
    match error {
        BrowserError::Failed(error) => BrowserError::NoPage {
            url: url.to_owned(),
            problem: format!("cannot be opened: {error}"),
        },
        other => other,
    }
}

/// What was there before scrolling, as it was once all was loaded.
fn merged(first: &[Use], second: Vec<Use>) -> Vec<Use> {
    let known: HashMap<(&str, bool), &Use> = first
        .iter()
        .map(|place| {
            (
                (
                    place.element.path.as_str(),
                    place.role == kivet_page::observation::Role::Background,
                ),
                place,
            )
        })
        .collect();
    let merge = |mut place: Use| {
        let key =
            (place.element.path.as_str(), place.role == kivet_page::observation::Role::Background);
        match known.get(&key) {
            Some(before) => {
                // A script loader rewrites its marks as it works; before that they are as written.
                let mut attributes = place.element.attributes.clone();
                attributes.extend(before.element.attributes.clone());
                place.in_view = before.in_view;
                place.hidden = before.hidden;
                // An empty picture has no box to speak of yet.
                place.reserved =
                    if before.url.is_empty() { place.reserved } else { before.reserved };
                place.element = Element { attributes, ..before.element.clone() };
            }
            None => (place.in_view, place.hidden) = (false, false),
        }
        place
    };
    second.into_iter().map(merge).collect()
}

fn up_front(embed: &Embed, requests: &[Request]) -> u64 {
    let document = requests.iter().find(|one| {
        one.resource == ResourceType::Document && one.asked_for(&embed.url) && !embed.url.is_empty()
    });
    let of_frame = |one: &&Request| document.is_some_and(|document| one.frame == document.frame);
    let own = |one: &&Request| one.resource == ResourceType::Media && one.asked_for(&embed.url);
    // What the page itself had fetched already weighs no less for the frame.
    let weight = |one: &Request| {
        requests.iter().filter(|other| other.url == one.url).map(|other| other.bytes).max()
    };
    requests
        .iter()
        .filter(|one| one.before_scroll && (of_frame(one) || own(one)))
        .filter_map(weight)
        .sum()
}

fn split(request: &Request, seen: &LargestSeen, page_ms: f64, requests: &[Request]) -> Split {
    let discovery_ms = (request.start_ms - page_ms).max(0.0);
    let download_ms = (request.end_ms - request.start_ms.max(page_ms)).max(0.0);
    let render_ms = (seen.at - request.end_ms).max(0.0);
    let blocker = requests
        .iter()
        .filter(|one| {
            one.blocks_rendering && one.end_ms > request.end_ms && one.end_ms <= seen.at + 1.0
        })
        .max_by(|a, b| a.end_ms.total_cmp(&b.end_ms));
    let blocked_by = match (render_ms > WAIT_MS, blocker) {
        (true, Some(blocker)) => Some(blocker.url.clone()),
        _ if discovery_ms > WAIT_MS
            && request.started != Started::Markup
            && !request.started_by.is_empty() =>
        {
            Some(request.started_by.clone())
        }
        _ => None,
    };
    Split { page_ms, discovery_ms, download_ms, render_ms, blocked_by }
}
