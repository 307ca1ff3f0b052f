//! What went over the wire.

use serde::{Deserialize, Serialize};

/// One request and its answer.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Request {
    /// Its address, after redirects.
    pub url: String,
    /// The address that was asked for first, and each that sent on, in order.
    pub redirects: Vec<Redirect>,
    /// True if it is for a picture.
    pub is_picture: bool,
    /// True if nothing more of it arrived while the page was waited for.
    pub unanswered: bool,
    /// What the browser fetched it as.
    pub resource: ResourceType,
    /// Who asked.
    pub started: Started,
    /// The address of the stylesheet, script or document that asked.
    pub started_by: String,
    /// True if it was asked for with credentials as `crossorigin` sets them, on another origin.
    pub cross_origin_mode: bool,
    /// The priority it was asked with, in the browser's word.
    pub priority: String,
    /// When it was asked for, its answer began and ended, in milliseconds from the start of the
    /// visit.
    pub start_ms: f64,
    /// See [`start_ms`](Self::start_ms).
    pub answer_ms: f64,
    /// See [`start_ms`](Self::start_ms).
    pub end_ms: f64,
    /// HTTP status; 0 if there was no answer.
    pub status: i64,
    /// Media type of the answer.
    pub media_type: String,
    /// Bytes over the wire, headers included.
    pub bytes: u64,
    /// True if it was asked for before anybody scrolled.
    pub before_scroll: bool,
    /// How long caches may keep the answer, in seconds, stale use included; `None` if it does not
    /// say.
    pub lifetime_s: Option<u64>,
    /// True if a service answered with what it had, and makes a better one: what it sends soon is
    /// another.
    pub not_final: bool,
    /// How like its original a service says the picture is, as a score.
    pub score: Option<f32>,
    /// True if the answer forbids keeping it at all.
    pub no_store: bool,
    /// True where the answer's headers are the site's own, not those of a server we put in front of
    /// files.
    pub headers_count: bool,
    /// The frame it was asked from; empty for the page's own.
    pub frame: String,
    /// True if the page could not be painted before it ended.
    pub blocks_rendering: bool,
}

impl Request {
    /// True if `url` is what was asked for, before or after redirects.
    pub fn asked_for(&self, url: &str) -> bool {
        self.url == url || self.redirects.iter().any(|one| one.url == url)
    }
}

/// The kind of a resource, by the purpose a browser fetched it for.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum ResourceType {
    /// A page, or that of a frame.
    Document,
    /// A stylesheet.
    Style,
    /// A script.
    Script,
    /// A font.
    Font,
    /// A picture.
    Picture,
    /// A video or sound.
    Media,
    /// Data that a script fetched.
    Data,
    /// A connection that stays open: an event source or a web socket.
    Stream,
    /// Everything else.
    #[default]
    Other,
}

impl ResourceType {
    /// The name in JSON and for people.
    pub const fn name(self) -> &'static str {
        match self {
            Self::Document => "document",
            Self::Style => "style",
            Self::Script => "script",
            Self::Font => "font",
            Self::Picture => "picture",
            Self::Media => "media",
            Self::Data => "data",
            Self::Stream => "stream",
            Self::Other => "other",
        }
    }
}

/// A redirect on the way to an answer.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Redirect {
    /// The address that sent on.
    pub url: String,
    /// What that took, in milliseconds; unknown in text.
    pub ms: Option<f64>,
}

/// Who asked for something.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Started {
    /// The document's own markup.
    #[default]
    Markup,
    /// A `preload`.
    Preload,
    /// A stylesheet.
    Stylesheet,
    /// A script.
    Script,
}
