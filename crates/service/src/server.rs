//! Opening the stores and the port, serving, and stopping without cutting anybody off.

use std::{future::Future, net::SocketAddr, path::PathBuf, sync::Arc, time::Duration};

use axum::{
    Router,
    http::{StatusCode, Uri},
};
use kivet_store::{Blobs, Records, Reductions, StoreError};
use tokio::net::TcpListener;
use tower_http::trace::TraceLayer;

use crate::{
    api,
    app::App,
    config::Config,
    console, demo, health,
    metrics::Metrics,
    overlays, pic,
    pipeline::{Pipeline, Stores},
    problem::Problem,
    shelves::Shelves,
    sign_in::SignIn,
    why,
};

/// How long open requests may take to finish once the service is told to stop.
const PATIENCE: Duration = Duration::from_secs(20);

/// Why a service cannot start.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum StartError {
    /// The port cannot be had.
    #[error("cannot listen on {address}: {source}; choose another with --listen")]
    Listen {
        /// Where.
        address: SocketAddr,
        /// Why.
        source: std::io::Error,
    },
    /// The data folder cannot be used.
    #[error("cannot use the data folder {}: {source}", path.display())]
    Data {
        /// The folder.
        path: PathBuf,
        /// Why.
        source: std::io::Error,
    },
    /// A shelf cannot be opened.
    #[error(transparent)]
    Shelf(std::io::Error),
    /// An overlay cannot be used.
    #[error("the overlay `{name}`, {}: {problem}", picture.display())]
    Overlay {
        /// Its name.
        name: String,
        /// Its file.
        picture: PathBuf,
        /// What is wrong.
        problem: String,
    },
    /// Records or blobs cannot be opened.
    #[error(transparent)]
    Store(#[from] StoreError),
    /// The system has no thread for the background.
    #[error("cannot start the background thread: {0}")]
    Background(std::io::Error),
    /// The counters cannot be set up.
    #[error("cannot set up the counters: {0}")]
    Metrics(#[from] prometheus::Error),
    /// The server broke down.
    #[error("the server broke down: {0}")]
    Serve(std::io::Error),
}

/// A service that listens but does not answer yet.
pub struct Service {
    listener: TcpListener,
    address: SocketAddr,
    app: App,
    router: Router,
}

impl Service {
    /// Opens the stores, the shelves and the port.
    ///
    /// # Errors
    /// If any of them cannot be had.
    pub async fn bind(config: &Config) -> Result<Self, StartError> {
        let data = |source| StartError::Data { path: config.data.clone(), source };
        std::fs::create_dir_all(&config.data).map_err(data)?;
        let sign_in = Arc::new(SignIn::open(&config.data).map_err(data)?);
        let records = Records::open(&config.data.join("records.db"))?;
        let blobs = Blobs::in_folder(&config.data.join("renditions"))?;
        let metrics = Metrics::new()?;
        let shelves =
            Shelves::new(&config.shelves, records.clone(), config.limits.engine()).map_err(StartError::Shelf)?;
        let reductions =
            Reductions::in_folder(&config.data.join("reductions"), config.limits.reduction_disk_mib << 20)?;
        let assets = overlays::open(&config.overlays)?;
        let stores = Stores { blobs, reductions, records: records.clone() };
        let pipeline = Pipeline::new(stores, assets, config.limits, config.policy, metrics.clone());
        let app = App {
            shelves,
            pipeline: pipeline.map_err(StartError::Background)?,
            records,
            sign_in,
            metrics,
            policy: config.policy,
            access: Arc::new(config.access.clone()),
            plain: config.plain,
        };

        let listen = |source| StartError::Listen { address: config.listen, source };
        let listener = TcpListener::bind(config.listen).await.map_err(listen)?;
        let address = listener.local_addr().map_err(listen)?;
        let router = router(&app, config);
        Ok(Self { listener, address, app, router })
    }

    /// Where it listens.
    pub const fn address(&self) -> SocketAddr {
        self.address
    }

    /// A fresh single-use sign-in link to the console.
    ///
    /// # Errors
    /// If the system has no randomness to give.
    pub fn sign_in_link(&self) -> std::io::Result<String> {
        Ok(format!("http://{}/console/sign-in/{}", self.address, self.app.sign_in.new_link()?))
    }

    /// Serves until `stop` resolves, then lets open requests finish for a while.
    ///
    /// # Errors
    /// If the server breaks down.
    pub async fn run(self, stop: impl Future<Output = ()> + Send + 'static) -> Result<(), StartError> {
        let stopping = Arc::new(tokio::sync::Notify::new());
        let told = Arc::clone(&stopping);
        let stop = async move {
            stop.await;
            tracing::info!("stopping; open requests may finish");
            told.notify_one();
        };
        let service = self.router.into_make_service_with_connect_info::<SocketAddr>();
        let serving = axum::serve(self.listener, service).with_graceful_shutdown(stop).into_future();
        let too_long = async {
            stopping.notified().await;
            tokio::time::sleep(PATIENCE).await;
        };
        tokio::select! {
            served = serving => served.map_err(StartError::Serve),
            () = too_long => {
                tracing::warn!("some requests did not finish in {} s", PATIENCE.as_secs());
                Ok(())
            }
        }
    }
}

fn router(app: &App, config: &Config) -> Router {
    let mut router = Router::new()
        .merge(pic::routes())
        .merge(why::routes())
        .merge(api::routes())
        .merge(health::routes())
        .merge(console::routes());
    if let Some(folder) = &config.demo {
        router = router.merge(demo::routes(folder));
    }
    router.fallback(nothing_here).layer(TraceLayer::new_for_http()).with_state(app.clone())
}

async fn nothing_here(uri: Uri) -> Problem {
    let detail = format!("there is nothing at `{}`; pictures are at /pic/<recipe>/<shelf>/<path>", uri.path());
    Problem::new(StatusCode::NOT_FOUND, "nothing-here", detail)
}
