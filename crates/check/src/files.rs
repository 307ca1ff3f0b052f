//! Pages that are files, served to the browser on the loopback address, so that they behave as on
//! the web.

use std::path::{Path, PathBuf};

use axum::Router;
use kivet_page::Document;
use tokio::{net::TcpListener, task::JoinHandle};
use tower_http::services::ServeDir;
use url::Url;

use crate::CheckError;

/// A server for the files under one folder; it ends when dropped.
pub struct FileServer {
    top: PathBuf,
    address: String,
    task: JoinHandle<()>,
}

impl FileServer {
    /// Serves what a page at `file` can reach: the folders its relative addresses climb to, and
    /// `root` for addresses that begin with a slash.
    ///
    /// # Errors
    /// If no port can be had.
    pub async fn start(top: &Path, root: &Path) -> Result<Self, CheckError> {
        let listener = TcpListener::bind(("127.0.0.1", 0)).await.map_err(CheckError::Serve)?;
        let address = listener.local_addr().map_err(CheckError::Serve)?;
        let router =
            Router::new().fallback_service(ServeDir::new(top).fallback(ServeDir::new(root)));
        let task = tokio::spawn(async move {
            // A server on the loopback address only fails when it is dropped.
            let _ = axum::serve(listener, router).await;
        });
        Ok(Self { top: top.to_path_buf(), address: format!("http://{address}"), task })
    }

    /// The address of a file under the top folder.
    pub fn url(&self, file: &Path) -> Option<Url> {
        let inside =
            Url::from_file_path(Path::new("/").join(file.strip_prefix(&self.top).ok()?)).ok()?;
        Url::parse(&format!("{}{}", self.address, inside.path())).ok()
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
