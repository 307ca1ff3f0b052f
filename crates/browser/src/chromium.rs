//! Starting a browser, and ending it with everything it left behind.

use std::{path::PathBuf, time::Duration};

use chromiumoxide::{
    Browser, BrowserConfig, Handler,
    cdp::browser_protocol::target::{CreateBrowserContextParams, CreateTargetParams},
    error::CdpError,
};
use futures::StreamExt;
use rustix::process::{Pid, WaitId, WaitIdOptions, waitid};
use tempfile::TempDir;
use tokio::{task::JoinHandle, time::sleep};

use crate::{BrowserError, Device, Tab};

/// The names Chromium goes by.
const NAMES: [&str; 4] = ["chromium", "chromium-browser", "google-chrome", "google-chrome-stable"];

/// Keeps it from talking to anybody but the page, and from waiting for hardware.
const QUIET: [&str; 9] = [
    "disable-gpu",
    "disable-quic",
    "no-first-run",
    "disable-background-networking",
    "disable-component-update",
    "disable-sync",
    "hide-scrollbars",
    // Frames of other sites stay in the page's own process, so that their requests are heard too.
    "disable-site-isolation-trials",
    "disable-features=IsolateOrigins,site-per-process",
];

/// Whether pages are kept from the rest of the system by more than the browser's own code.
#[derive(Clone, Copy)]
enum Sandbox {
    On,
    Off,
}

/// A running headless Chromium with a fresh profile, which goes with it.
pub struct Chromium {
    browser: Browser,
    events: JoinHandle<()>,
    _profile: TempDir,
}

/// The installed Chromium, if there is one.
pub fn find() -> Option<PathBuf> {
    let path = std::env::var_os("PATH")?;
    let folders: Vec<PathBuf> = std::env::split_paths(&path).collect();
    NAMES
        .iter()
        .flat_map(|name| folders.iter().map(move |folder| folder.join(name)))
        .find(|file| file.is_file())
}

/// Reads the browser's messages until its process ends. Dropping the handler then fails every command
/// that waits for a response; the handler itself does not notice a closed connection.
async fn listen(mut handler: Handler, process: Option<u32>) {
    let ended = exit_of(process);
    tokio::pin!(ended);
    loop {
        tokio::select! {
            event = handler.next() => match event {
                None | Some(Err(CdpError::Ws(_) | CdpError::Io(_))) => break,
                // Messages it does not know are no reason to stop listening.
                Some(_) => {}
            },
            () = &mut ended => break,
        }
    }
}

/// Waits until a child process ends, and leaves its status for its owner to collect. Never returns
/// without an identifier.
async fn exit_of(process: Option<u32>) {
    const EVERY: Duration = Duration::from_millis(250);
    let pid = process.and_then(|id| Pid::from_raw(i32::try_from(id).ok()?));
    let Some(pid) = pid else { return std::future::pending().await };
    let ended = WaitIdOptions::EXITED | WaitIdOptions::NOHANG | WaitIdOptions::NOWAIT;
    // An error means that its status was collected already.
    while let Ok(None) = waitid(WaitId::Pid(pid), ended) {
        sleep(EVERY).await;
    }
}

impl Chromium {
    /// Starts the installed Chromium.
    ///
    /// # Errors
    /// If there is none, or it does not start.
    pub async fn launch() -> Result<Self, BrowserError> {
        Self::launch_program(find().ok_or(BrowserError::NotFound)?).await
    }

    /// Starts the Chromium at `program`, in its sandbox where the system lets it. Where not, a line
    /// of the log says why.
    ///
    /// # Errors
    /// If it does not start.
    pub async fn launch_program(program: PathBuf) -> Result<Self, BrowserError> {
        if rustix::process::geteuid().is_root() {
            tracing::warn!(
                "Chromium runs without its sandbox, because this user is root: check only pages you trust"
            );
            return Self::start(program, Sandbox::Off).await;
        }
        match Self::start(program.clone(), Sandbox::On).await {
            Err(BrowserError::NotStarted(problem)) => {
                tracing::warn!(
                    problem,
                    "Chromium runs without its sandbox, in which it does not start here: check only pages you trust"
                );
                Self::start(program, Sandbox::Off).await
            }
            started => started,
        }
    }

    async fn start(program: PathBuf, sandbox: Sandbox) -> Result<Self, BrowserError> {
        let named = program.display().to_string();
        let profile = tempfile::Builder::new()
            .prefix("kivet-chromium-")
            .tempdir()
            .map_err(|error| BrowserError::NotStarted(error.to_string()))?;
        let config = BrowserConfig::builder()
            .chrome_executable(program)
            .new_headless_mode()
            .user_data_dir(profile.path())
            .viewport(None)
            .request_timeout(Duration::from_secs(60))
            .args(QUIET);
        let config = match sandbox {
            Sandbox::On => config,
            Sandbox::Off => config.no_sandbox(),
        };
        let started = Browser::launch(config.build().map_err(BrowserError::NotStarted)?).await;
        let (mut browser, handler) =
            started.map_err(|error| BrowserError::NotStarted(format!("{named}: {error}")))?;
        let process = browser.get_mut_child().and_then(|child| child.inner.id());
        let events = tokio::spawn(listen(handler, process));
        Ok(Self { browser, events, _profile: profile })
    }

    /// A tab that looks like `device`, with an empty page, and with cookies and a cache of its own.
    ///
    /// # Errors
    /// If the browser refuses.
    pub async fn tab(&self, device: Device) -> Result<Tab, BrowserError> {
        let context =
            self.browser.create_browser_context(CreateBrowserContextParams::default()).await?;
        let blank =
            CreateTargetParams::builder().url("about:blank").browser_context_id(context).build();
        Tab::new(self.browser.new_page(blank.map_err(BrowserError::NotStarted)?).await?, device)
            .await
    }

    /// Ends the browser.
    ///
    /// # Errors
    /// If it does not react.
    pub async fn close(mut self) -> Result<(), BrowserError> {
        self.browser.close().await?;
        let _ = self.browser.wait().await;
        self.events.abort();
        Ok(())
    }
}
