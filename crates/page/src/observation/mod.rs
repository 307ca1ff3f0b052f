//! What is known of one page on one device, however it was learnt: measured in a browser, or worked
//! out from text.
//!
//! Findings are drawn from an [`Observation`] and from nothing else.

mod element;
mod picture;
mod placement;
mod traffic;

use std::collections::HashMap;

pub use element::{Ancestor, Attributes, Element};
pub use picture::{Fitted, PictureFile};
pub use placement::{Area, Boxed, Covering, Placement, Window};
use serde::{Deserialize, Serialize};
pub use traffic::{Redirect, Request, ResourceType, Started};

use crate::{Device, Source};

/// One page on one device.
#[derive(Clone, Debug)]
pub struct Observation {
    /// The page's address.
    pub url: String,
    /// What it was seen on.
    pub device: Device,
    /// True if a browser measured it; false if it was worked out from text.
    pub measured: bool,
    /// Every place a picture has in the page.
    pub uses: Vec<Use>,
    /// Every request, in order; in text only those for pictures.
    pub requests: Vec<Request>,
    /// What the pictures are, by address.
    pub files: HashMap<String, PictureFile>,
    /// Frames, films and objects.
    pub embeds: Vec<Embed>,
    /// `link` elements that tell the browser what is coming.
    pub hints: Vec<Hint>,
    /// Elements moved in a way that lays the page out anew in every frame.
    pub moving: Vec<Moving>,
    /// The page's own events.
    pub milestones: Milestones,
    /// The largest paint.
    pub largest: Option<Largest>,
    /// The layout shift before scrolling, as browsers sum it.
    pub shift: f64,
    /// What moved, and what moved it.
    pub shifts: Vec<Shift>,
    /// What stands between the page and instant back navigation.
    pub back: Vec<BackBlock>,
    /// Dialogs that the page opened, each with its kind and text.
    pub dialogs: Vec<String>,
    /// Paths or URLs at which the site hands out Kivet's configuration, records or token.
    pub exposed: Vec<String>,
    /// Whether the page came back from memory; `None` where that was not tried.
    pub restored: Option<bool>,
}

/// Events of a page, in milliseconds from the start of the visit; `None` where they did not happen.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Milestones {
    /// The first contentful paint (Paint Timing).
    #[serde(skip_serializing_if = "Option::is_none")]
    pub first_paint_ms: Option<f64>,
    /// The end of `DOMContentLoaded` (Navigation Timing).
    #[serde(skip_serializing_if = "Option::is_none")]
    pub dom_ms: Option<f64>,
    /// The end of `load` (Navigation Timing).
    #[serde(skip_serializing_if = "Option::is_none")]
    pub load_ms: Option<f64>,
}

/// How a picture comes to be in a page.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Role {
    /// An `img`, with or without a `picture` around it, or an `input` of type image.
    #[default]
    Img,
    /// A CSS background.
    Background,
    /// The still before a film.
    Poster,
}

/// One place a picture has in a page.
#[derive(Clone, Debug, Default, PartialEq, Deserialize)]
#[serde(rename_all = "camelCase", default)]
pub struct Use {
    /// The element it stands in.
    pub element: Element,
    /// How it comes to be there.
    pub role: Role,
    /// The candidate the browser took, absolute; empty if none.
    pub url: String,
    /// The `source` elements of its `picture`.
    pub sources: Vec<Source>,
    /// Elements around it, closest first.
    pub ancestors: Vec<Ancestor>,
    /// The words of the link it stands in, if it stands in one.
    pub link_text: Option<String>,
    /// The box its picture is fitted into, in page coordinates.
    pub area: Area,
    /// What overflow of elements around it leaves to be seen, however far is scrolled.
    pub uncut: Area,
    /// How it is fitted: a CSS `object-fit` or `background-size`.
    pub fit: String,
    /// Where it lies: a computed CSS `object-position` or `background-position`.
    pub position: String,
    /// True if the box has its height before the picture is there.
    pub reserved: bool,
    /// False if it is laid out nowhere (`display: none`).
    pub rendered: bool,
    /// True if part of it is seen before anybody scrolls.
    pub in_view: bool,
    /// True if it lies in the first screen but is not seen there: a slide not yet shown, or behind
    /// another.
    pub hidden: bool,
    /// False if the picture came, or failed to, and there is none to show.
    pub decoded: bool,
    /// True if its box cannot be known without a browser.
    #[serde(skip)]
    pub unknown: bool,
    /// Its box at many windows, where a browser was made to lay the page out at them.
    #[serde(skip)]
    pub swept: Vec<Boxed>,
    /// True if a `picture` element around it was tried and moved no box.
    pub wraps: bool,
    /// What exactly fitting bytes would weigh, where that was found out.
    #[serde(skip)]
    pub fitted: Option<Fitted>,
    /// What the picture's own file would have to be as a drawing: an address ending in `.svg` that
    /// answers.
    #[serde(skip)]
    pub vector_beside: Option<String>,
}

/// A frame, a film or an object.
#[derive(Clone, Debug, Default, PartialEq, Deserialize)]
#[serde(rename_all = "camelCase", default)]
pub struct Embed {
    /// The element.
    pub element: Element,
    /// Its address, absolute.
    pub url: String,
    /// Its box in page coordinates.
    pub area: Area,
    /// True if the box has its height before the content is there.
    pub reserved: bool,
    /// False if it is laid out nowhere.
    pub rendered: bool,
    /// Bytes it loaded before anybody scrolled.
    #[serde(skip)]
    pub bytes_up_front: u64,
}

/// A `link` that tells the browser what is coming.
#[derive(Clone, Debug, Default, PartialEq, Deserialize)]
#[serde(rename_all = "camelCase", default)]
pub struct Hint {
    /// The element.
    pub element: Element,
    /// `preload`, `preconnect` or `dns-prefetch`.
    pub rel: String,
    /// What it names, absolute: for a preload with `imagesrcset`, the candidate taken on this
    /// device.
    pub url: String,
    /// Whether its `media` matches this device.
    pub matches: bool,
}

/// An element whose animation lays the page out anew.
#[derive(Clone, Debug, Default, PartialEq, Deserialize)]
#[serde(rename_all = "camelCase", default)]
pub struct Moving {
    /// The element.
    pub element: Element,
    /// The property that is animated.
    pub property: String,
}

/// The largest paint (Largest Contentful Paint).
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Largest {
    /// The element.
    pub element: Element,
    /// The picture's address; empty if it is text.
    pub url: String,
    /// When it was painted, in milliseconds from the start of the visit; unknown in text.
    pub at_ms: Option<f64>,
    /// Where that time went.
    pub split: Option<Split>,
}

/// Where the time to the largest paint went, in milliseconds.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Split {
    /// Until the page's first byte.
    pub page_ms: f64,
    /// From there until its picture was asked for.
    pub discovery_ms: f64,
    /// From there until it was loaded.
    pub download_ms: f64,
    /// From there until it was painted.
    pub render_ms: f64,
    /// The stylesheet or script that discovery or rendering waited for.
    pub blocked_by: Option<String>,
}

/// One movement of what was already shown.
#[derive(Clone, Debug, Default, PartialEq, Deserialize)]
#[serde(rename_all = "camelCase", default)]
pub struct Shift {
    /// Its share of the layout shift.
    pub value: f64,
    /// What moved.
    pub moved: Element,
    /// What moved it, where that could be told.
    pub cause: Option<ShiftCause>,
}

/// What pushed others aside.
#[derive(Clone, Debug, Default, PartialEq, Deserialize)]
#[serde(rename_all = "camelCase", default)]
pub struct ShiftCause {
    /// The element.
    pub element: Element,
    /// How it came to take room.
    pub kind: CauseKind,
    /// How tall it became, in CSS pixels.
    pub height: f64,
}

/// How an element came to push others aside.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum CauseKind {
    /// A picture arrived, and no room was reserved for it.
    #[default]
    Picture,
    /// A frame, film or object did.
    Embed,
    /// A script inserted it.
    Inserted,
}

/// One thing that keeps a page from being kept in memory.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct BackBlock {
    /// `no-store`, `unload`, or the browser's own word.
    pub reason: String,
    /// Where it comes from, for people.
    pub place: String,
}

impl Observation {
    /// The request that brought the picture at `url`.
    pub fn request(&self, url: &str) -> Option<&Request> {
        self.requests.iter().find(|request| request.is_picture && request.asked_for(url))
    }

    /// What the picture of a use is.
    pub fn file(&self, place: &Use) -> Option<&PictureFile> {
        self.files.get(&place.url)
    }

    /// Bytes of all pictures over the wire.
    pub fn sent(&self) -> u64 {
        self.requests.iter().filter(|request| request.is_picture).map(|request| request.bytes).sum()
    }

    /// What exactly fitting renditions of what is seen would weigh: for each picture its most
    /// demanding use. The pictures of frames are taken as they are: their pages are judged for
    /// themselves.
    pub fn needed(&self) -> u64 {
        self.needed_by_url().values().sum::<u64>() + self.sent_in_frames()
    }

    /// The part of [`sent`](Self::sent) that the screen needed: of each picture at most the bytes of an
    /// exactly fitting rendition.
    pub fn useful(&self) -> u64 {
        let useful = self.needed_by_url().into_iter().map(|(url, needed)| {
            let sent = self.request(url).filter(|request| request.is_picture);
            sent.map_or(0, |request| request.bytes).min(needed)
        });
        (useful.sum::<u64>() + self.sent_in_frames()).min(self.sent())
    }

    fn needed_by_url(&self) -> HashMap<&str, u64> {
        let mut max: HashMap<&str, u64> = HashMap::new();
        for place in &self.uses {
            let bytes = place.fitted.as_ref().map_or(0, |fitted| fitted.bytes);
            let entry = max.entry(&place.url).or_default();
            *entry = (*entry).max(bytes);
        }
        max
    }

    /// Bytes of the pictures that only frames show.
    fn sent_in_frames(&self) -> u64 {
        self.requests
            .iter()
            .filter(|request| request.is_picture && !request.frame.is_empty())
            .filter(|request| !self.uses.iter().any(|place| request.asked_for(&place.url)))
            .map(|request| request.bytes)
            .sum()
    }

    /// Adds what a browser said kept the page from coming back from memory.
    pub fn add_reasons(&mut self, reasons: Vec<String>) {
        for reason in reasons {
            let ours = match reason.as_str() {
                // Reasons caused by DevTools or by low memory are not the page's fault.
                "masked" | "parser-aborted" | "non-trivial-browsing-instance" | "navigating" => {
                    continue;
                }
                "unload-listener" => "unload",
                text if text.contains("no-store") => "no-store",
                other => other,
            };
            if !self.back.iter().any(|block| block.reason == ours) {
                let place = format!("the browser did not keep the page: {reason}");
                self.back.push(BackBlock { reason: ours.to_owned(), place });
            }
        }
    }

    /// True if the use shows the largest paint.
    pub fn is_largest(&self, place: &Use) -> bool {
        self.largest.as_ref().is_some_and(|largest| {
            !largest.url.is_empty()
                && largest.url == place.url
                && largest.element.path == place.element.path
        })
    }
}
