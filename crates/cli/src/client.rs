//! Speaking to a running service over its HTTP interface.

use std::{
    path::{Path, PathBuf},
    sync::OnceLock,
    time::Duration,
};

use anyhow::{Context, Result, bail};
use kivet_service::Problem;
use reqwest::{Client, Method, RequestBuilder, StatusCode};
use serde::{Serialize, de::DeserializeOwned};
use tokio::runtime::Runtime;

use crate::nearby;

/// Where the service is and how to be let in.
#[derive(clap::Args)]
pub struct Reach {
    /// The service's address; without it, the one that kivet.toml here starts, else
    /// http://127.0.0.1:8484.
    #[arg(long, env = "KIVET_SERVICE", value_name = "ADDRESS")]
    service: Option<String>,
    /// The admin token; without it, the one in the data folder.
    #[arg(long, env = "KIVET_TOKEN", hide_env_values = true)]
    token: Option<String>,
    /// The service's data folder, where the token is looked for; without it, the one of kivet.toml
    /// here, else kivet-data.
    #[arg(long, env = "KIVET_DATA", value_name = "FOLDER")]
    data: Option<PathBuf>,
}

impl Reach {
    /// The service's address, without a slash at the end.
    pub fn service(&self) -> String {
        let named = self.service.clone().or_else(|| nearby::config().map(nearby::address));
        with_scheme(&named.unwrap_or_else(|| "http://127.0.0.1:8484".to_owned()))
    }

    fn data(&self) -> PathBuf {
        data_folder(self.data.clone())
    }

    /// Calls the administration interface and reads its answer.
    pub fn call<T: DeserializeOwned>(
        &self,
        method: Method,
        path: &str,
        query: &[(&str, &str)],
    ) -> Result<T> {
        self.send(method, path, |request| request.query(query))
    }

    /// Sends the administration interface a document and reads its answer.
    pub fn post<T: DeserializeOwned>(&self, path: &str, document: &impl Serialize) -> Result<T> {
        self.send(Method::POST, path, |request| request.json(document))
    }

    /// Puts a document in place and reads the answer.
    pub fn put<T: DeserializeOwned>(&self, path: &str, document: &impl Serialize) -> Result<T> {
        self.send(Method::PUT, path, |request| request.json(document))
    }

    /// Removes what is at `path`.
    pub fn delete(&self, path: &str) -> Result<()> {
        // The answer has no body, which reads as nothing.
        self.send::<()>(Method::DELETE, path, |request| request)
    }

    /// Asks with headers for what the service tells its own machine, token or not.
    pub fn ask<T: DeserializeOwned>(&self, path: &str, headers: &[(&str, String)]) -> Result<T> {
        let token = self.token.clone().or_else(|| token_in(&self.data()).ok());
        self.answer(Method::GET, path, |request| {
            let request =
                headers.iter().fold(request, |request, (name, value)| request.header(*name, value));
            token.iter().fold(request, RequestBuilder::bearer_auth)
        })
    }

    /// Reads a plain text of the service, with the token where it is found.
    pub fn text(&self, path: &str) -> Result<String> {
        let token = self.token.clone().or_else(|| token_in(&self.data()).ok());
        let Shared { runtime, client } = shared()?;
        runtime.block_on(async {
            let request = client.get(format!("{}{path}", self.service()));
            let response = token.iter().fold(request, RequestBuilder::bearer_auth).send().await;
            let response = response.context("the service does not answer")?;
            if response.status() == StatusCode::UNAUTHORIZED {
                bail!("{path} of {} needs the admin token: name it with --token, or its data folder with --data", self.service());
            }
            Ok(response.error_for_status()?.text().await?)
        })
    }

    /// Downloads a rendition by its path, unless it is still the one with the `ETag` that is known.
    pub fn download(&self, path: &str, known: Option<&str>) -> Result<Downloaded> {
        let Shared { runtime, client } = shared()?;
        runtime.block_on(async {
            let request =
                client.get(format!("{}{path}", self.service())).header("accept", "image/*");
            let request =
                known.iter().fold(request, |request, etag| request.header("if-none-match", *etag));
            let answer = request.send().await.context("the service does not answer")?;
            let header = |name: &str| {
                let value = answer.headers().get(name).and_then(|value| value.to_str().ok());
                value.unwrap_or_default().to_owned()
            };
            Ok(Downloaded {
                status: answer.status().as_u16(),
                kind: header("content-type"),
                etag: header("etag"),
                is_final: !["detail=first", "detail=nearest"]
                    .iter()
                    .any(|stage| header("cache-status").ends_with(stage)),
                body: answer.bytes().await.context("the service broke off its answer")?.to_vec(),
            })
        })
    }

    fn send<T: DeserializeOwned>(
        &self,
        method: Method,
        path: &str,
        with: impl FnOnce(RequestBuilder) -> RequestBuilder,
    ) -> Result<T> {
        let token = match &self.token {
            Some(token) => token.clone(),
            None => token_in(&self.data())?,
        };
        self.answer(method, path, |request| with(request).bearer_auth(token))
    }

    fn answer<T: DeserializeOwned>(
        &self,
        method: Method,
        path: &str,
        with: impl FnOnce(RequestBuilder) -> RequestBuilder,
    ) -> Result<T> {
        let Shared { runtime, client } = shared()?;
        runtime.block_on(async {
            let request = with(client.request(method, format!("{}{path}", self.service())));
            let answer = request.send().await.with_context(|| {
                format!(
                    "no service answers at {}; start one with `kivet serve` or name it with --service",
                    self.service()
                )
            })?;
            let good = answer.status().is_success();
            let body = answer.bytes().await.context("the service broke off its answer")?;
            if good {
                let body = if body.is_empty() { "null".into() } else { body };
                return serde_json::from_slice(&body)
                    .context("the service answered in a form this client does not know");
            }
            match serde_json::from_slice::<Problem>(&body) {
                Ok(problem) => bail!("{} (asked {})", problem.detail, self.service()),
                Err(_) => bail!("the service at {} does not answer like Kivet", self.service()),
            }
        })
    }
}

/// The data folder that is named, else that of kivet.toml here, else kivet-data.
pub fn data_folder(named: Option<PathBuf>) -> PathBuf {
    let near = || nearby::config().map(|config| config.data.clone());
    named.or_else(near).unwrap_or_else(|| "kivet-data".into())
}

/// An address without a slash at its end; `host:port` is one, too.
pub fn with_scheme(address: &str) -> String {
    let address = address.trim_end_matches('/');
    if address.contains("://") { address.to_owned() } else { format!("http://{address}") }
}

fn token_in(data: &Path) -> Result<String> {
    let file = data.join("admin-token");
    let token = std::fs::read_to_string(&file).with_context(|| {
        format!(
            "cannot read the admin token {}; name the service's data folder with --data, or set KIVET_TOKEN",
            file.display()
        )
    })?;
    Ok(token.trim().to_owned())
}

/// A rendition as the service sent it.
pub struct Downloaded {
    /// The HTTP status.
    pub status: u16,
    /// Its media type.
    pub kind: String,
    /// Its `ETag`.
    pub etag: String,
    /// False if another will take its place soon.
    pub is_final: bool,
    /// Its bytes.
    pub body: Vec<u8>,
}

/// What all calls of a command share: connections stay open between them.
struct Shared {
    runtime: tokio::runtime::Runtime,
    client: Client,
}

fn shared() -> Result<&'static Shared> {
    static SHARED: OnceLock<Shared> = OnceLock::new();
    if let Some(shared) = SHARED.get() {
        return Ok(shared);
    }
    let made = Shared { runtime: runtime()?, client: Client::new() };
    Ok(SHARED.get_or_init(|| made))
}

/// How long a thread of the runtime that blocks waits for more to do: what it has freed can be given
/// back only once it is gone.
const THREADS_WAIT: Duration = Duration::from_secs(2);

/// Connections with news that a worker takes up at a time, at most as many as it serves until the
/// next time (61). Others stay in the kernel, in turn. What does not fit into a worker's own line
/// goes to one that all share, and waits there while newer requests are served.
const NEWS_AT_A_TIME: usize = 48;

/// Runs work that drives a browser. An interrupt (ctrl-c, `kill -INT`) drops it, and the browser with
/// it; without that the browser goes on alone.
pub fn driven<T>(runtime: &Runtime, work: impl Future<Output = T>) -> Result<T> {
    runtime.block_on(async {
        tokio::select! {
            done = work => Ok(done),
            _ = tokio::signal::ctrl_c() => bail!("interrupted"),
        }
    })
}

/// A runtime for one command.
pub fn runtime() -> Result<Runtime> {
    tokio::runtime::Builder::new_multi_thread()
        .enable_all()
        .thread_keep_alive(THREADS_WAIT)
        .max_io_events_per_tick(NEWS_AT_A_TIME)
        .build()
        .context("cannot start the async runtime")
}
