//! Opening the stores and the port, serving, and stopping without cutting anybody off.

use std::{
    fs::{File, Permissions, TryLockError},
    net::SocketAddr,
    os::unix::fs::{DirBuilderExt, PermissionsExt},
    path::Path,
    sync::Arc,
    time::Duration,
};

use axum::{
    Router,
    body::Body,
    http::{HeaderName, Method, Request, Response, StatusCode, Uri},
    middleware,
    response::IntoResponse,
};
use futures::future::BoxFuture;
use kivet_recipe::Access;
use kivet_store::{Blobs, Records, Reductions};
use tokio::net::TcpListener;
use tower_http::{
    request_id::{MakeRequestUuid, PropagateRequestIdLayer, SetRequestIdLayer},
    timeout::RequestBodyTimeoutLayer,
    trace::TraceLayer,
};
use tracing::Span;

use crate::{
    api,
    app::{App, Parts},
    config::{Config, Limits},
    connections::{self, Bounds},
    console, demo,
    front::Front,
    health, host,
    metrics::Metrics,
    overlays,
    pic::{self, Compressed, ReadyResponses},
    pipeline::{Pipeline, Stores},
    places::Places,
    problem::{self, Problem, ProblemKind},
    queue::Queue,
    quiet,
    revision::Revision,
    shelves::Shelves,
    sign_in::SignIn,
    start_error::StartError,
    viewer, why,
};

/// Names one request in the log and in its response; taken over from a proxy in front.
const REQUEST_ID: HeaderName = HeaderName::from_static("x-request-id");

/// A service that listens but does not answer yet.
pub struct Service {
    listener: TcpListener,
    address: SocketAddr,
    app: App,
    router: Router,
    bounds: Bounds,
    give_back: fn(),
    /// The data folder is this service's as long as it lives.
    _lock: File,
}

impl Service {
    /// Opens the stores, the shelves and the port.
    ///
    /// # Errors
    /// If any of them cannot be had.
    pub async fn bind(config: &Config) -> Result<Self, StartError> {
        let data = |source| StartError::Data { path: config.data.clone(), source };
        std::fs::DirBuilder::new()
            .recursive(true)
            .mode(OWNER_ONLY)
            .create(&config.data)
            .map_err(data)?;
        // Also that of an earlier version.
        std::fs::set_permissions(&config.data, Permissions::from_mode(OWNER_ONLY)).map_err(data)?;
        let lock = lock(&config.data)?;
        let sign_in = Arc::new(SignIn::open(&config.data).map_err(data)?);
        let (records, aside) = Records::open_or_set_aside(&config.data.join("records.db"))?;
        let blobs = Blobs::in_folder(&config.data.join("renditions"))?;
        let (metrics, revision) = (Metrics::new()?, Revision::default());
        let limits = config.limits.engine();
        let Limits { queue, queue_megapixels, working_mib, .. } = config.limits;
        let queue = Queue::new(queue, queue_megapixels, working_mib << 20);
        let counted = (metrics.clone(), revision.clone());
        let shelves =
            Shelves::new(&config.shelves, records.clone(), limits, counted.clone(), queue.clone())
                .map_err(StartError::Shelf)?;
        let reductions = Reductions::in_folder(
            &config.data.join("reductions"),
            config.limits.reduction_disk_mib << 20,
        )?;
        let assets = overlays::open(&config.overlays)?;
        let stores = Stores { blobs, reductions, records: records.clone() };
        let pipeline = Pipeline::new(stores, assets, config.limits, config.policy, counted, queue);
        let pipeline = pipeline.map_err(StartError::Background)?;
        if let Some(aside) = aside {
            rebuild_index(&aside, pipeline.clone());
        }
        let places = Places::open(records.clone(), config.policy, revision.clone())?;
        if let Some(folder) = &config.demo {
            demo::add_places(folder, &places)?;
        }
        let app = Arc::new(Parts {
            shelves,
            places,
            pipeline,
            ready: ReadyResponses::new(revision),
            compressed: Compressed::new(),
            records,
            sign_in,
            metrics,
            policy: config.policy,
            access: Arc::new(config.access()),
            plain: config.plain,
        });

        if config.access.is_none() && *app.access != Access::Open {
            tracing::warn!(
                "not only this machine can ask: recipes that no place names are refused; say `addresses` under [access] to decide otherwise"
            );
        }
        let listen = |source| StartError::Listen { address: config.listen, source };
        let listener = TcpListener::bind(config.listen).await.map_err(listen)?;
        let address = listener.local_addr().map_err(listen)?;
        let router = router(&app, config);
        let bounds = Bounds::new(Duration::from_secs(config.limits.idle_seconds));
        Ok(Self { listener, address, app, router, bounds, give_back: || {}, _lock: lock })
    }

    /// The same, where `give_back` is called some seconds after the last work: it gives freed memory
    /// back to the system.
    pub fn giving_back(self, give_back: fn()) -> Self {
        Self { give_back, ..self }
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

    /// Serves until `stop` resolves, then lets open requests finish for a while. Neither generic nor
    /// `async`: what answers requests would else be compiled with its caller, and optimised as little
    /// as a command-line client is.
    pub fn run(self, stop: BoxFuture<'static, ()>) -> BoxFuture<'static, ()> {
        let tidying = quiet::tidy(self.app.pipeline.clone(), self.give_back);
        let front = Front::new(self.app, self.router);
        let serving = connections::serve(self.listener, front, self.bounds, stop);
        Box::pin(async {
            tokio::select! {
                () = serving => {}
                () = tidying => {}
            }
        })
    }
}

/// Records, renditions and the token are nobody else's.
const OWNER_ONLY: u32 = 0o700;

/// Takes the data folder for this service alone: two would each take the other's files for its own.
fn lock(data: &Path) -> Result<File, StartError> {
    let problem = |source| StartError::Data { path: data.to_owned(), source };
    let file = File::create(data.join("lock")).map_err(problem)?;
    match file.try_lock() {
        Ok(()) => Ok(file),
        Err(TryLockError::WouldBlock) => Err(StartError::InUse { path: data.to_owned() }),
        Err(TryLockError::Error(source)) => Err(problem(source)),
    }
}

/// Lists the renditions of the blobs in fresh records, while the service serves already.
fn rebuild_index(aside: &Path, pipeline: Pipeline) {
    tracing::error!(
        aside = %aside.display(),
        "the records were broken and are set aside; places, rules, focal points and texts in them are not known any more"
    );
    tokio::spawn(async move {
        if let Err(error) = pipeline.rebuild().await {
            tracing::error!(error = %crate::causes(&error), "the index of renditions could not be rebuilt; `kivet cache rebuild` tries again");
        }
    });
}

fn router(app: &App, config: &Config) -> Router {
    let mut router = Router::new()
        .merge(pic::routes())
        .merge(why::routes())
        .merge(api::routes())
        .merge(health::routes())
        .merge(problem::routes())
        .merge(console::routes())
        .merge(viewer::routes());
    if let Some(folder) = &config.demo {
        router = router.merge(demo::routes(folder));
    }
    let tracing = TraceLayer::new_for_http()
        .make_span_with(span_of)
        .on_request(())
        .on_response(log)
        .on_failure(());
    router
        .fallback(nothing_here)
        .method_not_allowed_fallback(other_method)
        .layer(middleware::from_fn(host::checked))
        .layer(RequestBodyTimeoutLayer::new(Duration::from_secs(config.limits.idle_seconds)))
        .layer(PropagateRequestIdLayer::new(REQUEST_ID))
        .layer(tracing)
        .layer(SetRequestIdLayer::new(REQUEST_ID, MakeRequestUuid))
        .with_state(app.clone())
}

/// What every line of the log about a request carries.
fn span_of<B>(request: &Request<B>) -> Span {
    let id = request.headers().get(REQUEST_ID).and_then(|id| id.to_str().ok()).unwrap_or_default();
    tracing::info_span!("request", id, method = %request.method(), path = request.uri().path())
}

/// One line a request: louder for what is the service's own fault.
fn log<B>(response: &Response<B>, took: Duration, _: &Span) {
    let (status, ms) = (response.status().as_u16(), took.as_secs_f64() * 1e3);
    if response.status().is_server_error() {
        tracing::error!(status, ms, "answered");
    } else {
        tracing::info!(status, ms, "answered");
    }
}

/// `OPTIONS` is answered by the `Allow` that every such answer has (RFC 9110, section 9.3.7).
async fn other_method(method: Method, uri: Uri) -> Response<Body> {
    if method == Method::OPTIONS {
        return StatusCode::NO_CONTENT.into_response();
    }
    let detail = format!("`{}` is not asked by {method}; `Allow` names what it is", uri.path());
    Problem::new(ProblemKind::MethodNotAllowed, detail).into_response()
}

async fn nothing_here(uri: Uri) -> Problem {
    let detail = format!(
        "there is nothing at `{}`; pictures are at /pic/<recipe>/<shelf>/<path>",
        uri.path()
    );
    Problem::new(ProblemKind::UnknownPath, detail)
}
