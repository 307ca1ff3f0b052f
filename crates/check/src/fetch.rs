//! Fetching for text mode: pages whole, pictures by their headers; each once, a few at a time from
//! one host, and saying who asks.

use std::{
    collections::HashMap,
    path::{Path, PathBuf},
    sync::{Arc, Mutex, PoisonError},
    time::Duration,
};

use futures::StreamExt;
use kivet_page::{USER_AGENT, cache_lifetime, decode, observation::Redirect};
use percent_encoding::percent_decode_str;
use reqwest::{
    Client, Response,
    header::{self, HeaderValue},
    redirect::Policy,
};
use tokio::sync::{OnceCell, Semaphore};
use url::Url;

use crate::CheckError;

/// Requests to one host at a time.
const PER_HOST: usize = 4;

/// How long an answer may take.
const PATIENCE: Duration = Duration::from_secs(20);

/// Bytes of a picture that are read: enough for every format's header, with a profile and a
/// thumbnail before it.
const HEADER_BYTES: usize = 128 << 10;

/// What Chromium sends for pictures.
const ACCEPT: &str = "image/jxl,image/avif,image/webp,image/apng,image/svg+xml,image/*,*/*;q=0.8";

/// Pictures remembered at once; more are fetched anew, so that memory stays flat over many pages.
const REMEMBERED: usize = 512;

/// The beginning of an answer.
#[derive(Debug, Default)]
pub struct FileHeader {
    /// Its address after redirects.
    pub url: String,
    /// The redirects on the way.
    pub redirects: Vec<Redirect>,
    /// HTTP status; 0 if there was no answer, 200 for a file that is there, 404 for one that is
    /// not.
    pub status: i64,
    /// Its media type.
    pub media_type: String,
    /// Length of the whole in bytes.
    pub length: u64,
    /// Its first bytes; all of them if there are no more.
    pub bytes: Vec<u8>,
    /// How long caches may keep it.
    pub lifetime_s: Option<u64>,
    /// True for an answer of a server, whose headers are the site's own.
    pub from_server: bool,
}

impl FileHeader {
    /// True if all of it was read.
    pub fn is_whole(&self) -> bool {
        self.bytes.len() as u64 == self.length
    }
}

type Remembered = HashMap<String, Arc<OnceCell<Arc<FileHeader>>>>;

/// Fetches. Cheap to clone.
#[derive(Clone)]
pub struct Fetcher {
    client: Client,
    hosts: Arc<Mutex<HashMap<String, Arc<Semaphore>>>>,
    headers: Arc<Mutex<Remembered>>,
}

impl Fetcher {
    /// A fetcher that has fetched nothing yet.
    ///
    /// # Errors
    /// If the system's certificates cannot be read.
    pub fn new() -> Result<Self, CheckError> {
        let client = Client::builder()
            .user_agent(USER_AGENT)
            .timeout(PATIENCE)
            .redirect(Policy::none())
            .build()
            .map_err(|error| CheckError::Fetch {
                url: "anything".to_owned(),
                problem: error.to_string(),
            })?;
        Ok(Self { client, hosts: Arc::default(), headers: Arc::default() })
    }

    /// A page or stylesheet, whole.
    ///
    /// # Errors
    /// If there is no good answer.
    pub async fn text(&self, url: &Url) -> Result<String, CheckError> {
        self.page(url).await.map(|(text, _)| text)
    }

    /// A page, whole, and whether it forbids keeping it.
    ///
    /// # Errors
    /// If there is no good answer.
    pub async fn page(&self, url: &Url) -> Result<(String, bool), CheckError> {
        let problem = |problem: String| CheckError::Fetch { url: url.to_string(), problem };
        if let Some(path) = local_path(url) {
            let text =
                tokio::fs::read(&path).await.map_err(|source| CheckError::Read { path, source })?;
            return Ok((decode(&text, None), false));
        }
        let _turn = self.turn(url).await;
        let mut redirects = Vec::new();
        let (answer, _) =
            self.follow(url, "text/html,*/*", &mut redirects).await.map_err(problem)?;
        if !answer.status().is_success() {
            return Err(problem(format!("it answers {}", answer.status())));
        }
        let control = answer
            .headers()
            .get(header::CACHE_CONTROL)
            .and_then(|value| value.to_str().ok())
            .unwrap_or_default();
        let no_store = control.to_ascii_lowercase().contains("no-store");
        let charset = answer.headers().get(header::CONTENT_TYPE).and_then(charset);
        let bytes = answer.bytes().await.map_err(|error| problem(reason(&error)))?;
        Ok((decode(&bytes, charset.as_deref()), no_store))
    }

    /// The header of a picture, fetched once. `root` is what `/` stands for in a page that is a
    /// file.
    pub async fn header(&self, url: &Url, root: Option<&Path>) -> Arc<FileHeader> {
        let cell = {
            let mut headers = self.headers.lock().unwrap_or_else(PoisonError::into_inner);
            if headers.len() >= REMEMBERED {
                headers.clear();
            }
            Arc::clone(headers.entry(url.to_string()).or_default())
        };
        Arc::clone(cell.get_or_init(|| async { Arc::new(self.read_header(url, root).await) }).await)
    }

    async fn read_header(&self, url: &Url, root: Option<&Path>) -> FileHeader {
        if let Some(path) = file_of(url, root) {
            return local_header(url, &path).await;
        }
        let _turn = self.turn(url).await;
        let mut redirects = Vec::new();
        match self.follow(url, ACCEPT, &mut redirects).await {
            Ok((answer, last)) => of_answer(answer, last, redirects).await,
            Err(_) => FileHeader {
                url: url.to_string(),
                redirects,
                from_server: true,
                ..FileHeader::default()
            },
        }
    }

    async fn turn(&self, url: &Url) -> Option<tokio::sync::OwnedSemaphorePermit> {
        let host = url.host_str().unwrap_or_default().to_owned();
        let semaphore = {
            let mut hosts = self.hosts.lock().unwrap_or_else(PoisonError::into_inner);
            Arc::clone(hosts.entry(host).or_insert_with(|| Arc::new(Semaphore::new(PER_HOST))))
        };
        semaphore.acquire_owned().await.ok()
    }

    async fn follow(
        &self,
        url: &Url,
        accept: &str,
        redirects: &mut Vec<Redirect>,
    ) -> Result<(Response, Url), String> {
        const MAX: usize = 10;
        let mut url = url.clone();
        for _ in 0..MAX {
            let request = self.client.get(url.clone()).header(header::ACCEPT, accept);
            let answer = request.send().await.map_err(|error| reason(&error))?;
            let next = answer
                .headers()
                .get(header::LOCATION)
                .and_then(|value| url.join(value.to_str().ok()?).ok());
            match next {
                Some(next) if answer.status().is_redirection() => {
                    redirects.push(Redirect { url: url.to_string(), ms: None });
                    url = next;
                }
                _ => return Ok((answer, url)),
            }
        }
        Err(format!("it is sent on more than {MAX} times"))
    }
}

/// The `charset` parameter of a media type (RFC 9110, section 8.3.2).
fn charset(media_type: &HeaderValue) -> Option<String> {
    let text = media_type.to_str().ok()?.to_ascii_lowercase();
    let (_, after) = text.split_once("charset=")?;
    after.split(';').next().map(|label| label.trim().trim_matches('"').to_owned())
}

/// The innermost cause: what a person can act on.
fn reason(error: &reqwest::Error) -> String {
    let mut cause: &dyn std::error::Error = error;
    while let Some(inner) = cause.source() {
        cause = inner;
    }
    cause.to_string()
}

/// The path of a `file:` address; an `http:` one on localhost would pass for one too.
fn local_path(url: &Url) -> Option<PathBuf> {
    if url.scheme() == "file" { url.to_file_path().ok() } else { None }
}

/// The file an address stands for. An address from the root of a page that is a file means the root
/// of its site.
pub fn file_of(url: &Url, root: Option<&Path>) -> Option<PathBuf> {
    let path = local_path(url)?;
    if path.exists() {
        return Some(path);
    }
    let decoded = percent_decode_str(url.path()).decode_utf8_lossy().into_owned();
    let within =
        root.map(|root| root.join(decoded.trim_start_matches('/'))).filter(|file| file.exists());
    Some(within.unwrap_or(path))
}

async fn local_header(url: &Url, path: &Path) -> FileHeader {
    use tokio::io::AsyncReadExt;
    let mut header = FileHeader { url: url.to_string(), status: 404, ..FileHeader::default() };
    let Ok(file) = tokio::fs::File::open(path).await else { return header };
    let Ok(about) = file.metadata().await else { return header };
    if about.is_file()
        && file.take(HEADER_BYTES as u64).read_to_end(&mut header.bytes).await.is_ok()
    {
        header.status = 200;
        header.length = about.len();
    }
    header
}

async fn of_answer(answer: Response, url: Url, redirects: Vec<Redirect>) -> FileHeader {
    let read = |name| {
        answer.headers().get(name).and_then(|value: &header::HeaderValue| value.to_str().ok())
    };
    let mut header = FileHeader {
        url: url.to_string(),
        redirects,
        status: i64::from(answer.status().as_u16()),
        media_type: read(header::CONTENT_TYPE).unwrap_or_default().to_owned(),
        length: answer.content_length().unwrap_or(0),
        bytes: Vec::new(),
        lifetime_s: cache_lifetime(
            read(header::CACHE_CONTROL),
            read(header::EXPIRES),
            read(header::DATE),
        ),
        from_server: true,
    };
    let mut body = answer.bytes_stream();
    while let Some(Ok(piece)) = body.next().await {
        header.bytes.extend_from_slice(&piece);
        if header.bytes.len() >= HEADER_BYTES {
            break;
        }
    }
    header.length = header.length.max(header.bytes.len() as u64);
    header
}
