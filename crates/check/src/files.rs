//! Pages that are files, served to the browser on the loopback address, so that they behave as on
//! the web.

use std::path::{Path, PathBuf};

use axum::{
    Router,
    body::Body,
    extract::Request,
    http::{
        StatusCode,
        header::{ACCEPT_ENCODING, CONNECTION, HOST, TRANSFER_ENCODING},
    },
    response::IntoResponse,
    routing::{MethodRouter, get},
};
use kivet_page::Document;
use reqwest::Client;
use tokio::{net::TcpListener, task::JoinHandle};
use tower_http::services::ServeDir;
use url::Url;

use crate::{CheckError, causes};

/// A server for the files under one folder; it ends when dropped.
pub struct FileServer {
    top: PathBuf,
    root: PathBuf,
    address: String,
    task: JoinHandle<()>,
}

impl FileServer {
    /// Serves what a page at `file` can reach: the folders its relative addresses climb to, and
    /// `root` for addresses that begin with a slash; `/pic/` and the page script come from the
    /// service at `pictures`, if one is named.
    ///
    /// # Errors
    /// If no port can be had.
    pub async fn start(
        top: &Path,
        root: &Path,
        pictures: Option<&str>,
    ) -> Result<Self, CheckError> {
        let listener = TcpListener::bind(("127.0.0.1", 0)).await.map_err(CheckError::Serve)?;
        let address = listener.local_addr().map_err(CheckError::Serve)?;
        let mut router =
            Router::new().fallback_service(ServeDir::new(top).fallback(ServeDir::new(root)));
        // A site's own folder of that name is the site's.
        if let Some(service) = pictures.filter(|_| !top.join("pic").is_dir()) {
            let passed = passed_on(service);
            router = router.route("/pic/{*path}", passed.clone()).route("/kivet.js", passed);
        }
        let task = tokio::spawn(async move {
            // A server on the loopback address only fails when it is dropped.
            let _ = axum::serve(listener, router).await;
        });
        Ok(Self {
            top: top.to_path_buf(),
            root: root.to_path_buf(),
            address: format!("http://{address}"),
            task,
        })
    }

    /// The address of a file under the top folder.
    pub fn url(&self, file: &Path) -> Option<Url> {
        let inside =
            Url::from_file_path(Path::new("/").join(file.strip_prefix(&self.top).ok()?)).ok()?;
        Url::parse(&format!("{}{}", self.address, inside.path())).ok()
    }

    /// The folder that is served.
    pub fn top(&self) -> &Path {
        &self.top
    }

    /// The folder for addresses that begin with a slash.
    pub fn root(&self) -> &Path {
        &self.root
    }

    /// A text with our passing addresses made paths from the top folder.
    pub fn without_address(&self, text: &str) -> String {
        text.replace(&format!("{}/", self.address), "/")
    }

    /// True if an address is one of ours.
    pub fn has(&self, url: &str) -> bool {
        url.starts_with(&self.address)
    }
}

/// Asks a service what a browser asked us, and hands its answer on.
fn passed_on(service: &str) -> MethodRouter {
    let (client, service) = (Client::new(), service.trim_end_matches('/').to_owned());
    get(move |request: Request| async move {
        let path = request.uri().path_and_query().map_or("/", |path| path.as_str());
        let mut headers = request.headers().clone();
        for own in [HOST, CONNECTION, ACCEPT_ENCODING] {
            headers.remove(own);
        }
        let answer = client.get(format!("{service}{path}")).headers(headers).send().await;
        match answer {
            Ok(answer) => {
                let (status, mut headers) = (answer.status(), answer.headers().clone());
                headers.remove(TRANSFER_ENCODING);
                (status, headers, Body::from_stream(answer.bytes_stream())).into_response()
            }
            Err(error) => (StatusCode::BAD_GATEWAY, causes(&error)).into_response(),
        }
    })
}

impl Drop for FileServer {
    fn drop(&mut self) {
        self.task.abort();
    }
}

/// The folder that holds everything the page in `file` names relatively: its root, or as far above
/// it as its addresses climb.
pub fn top_folder(file: &Path, root: &Path, html: &str) -> PathBuf {
    let base = file.parent().unwrap_or(root);
    let climbs =
        Document::parse(html).addresses().iter().map(|address| climb(address)).max().unwrap_or(0);
    let mut top = base.to_path_buf();
    for _ in 0..climbs {
        top.pop();
    }
    // The higher of the two: an ancestor is a prefix.
    if root.starts_with(&top) { top } else { root.to_path_buf() }
}

fn climb(address: &str) -> usize {
    address.split('/').take_while(|part| *part == "..").count()
}
