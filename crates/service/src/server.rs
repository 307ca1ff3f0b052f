//! Opening the stores and the port, serving, and stopping without cutting anybody off.

use std::{fs::File, net::SocketAddr, sync::Arc, time::Duration};

use axum::{
    Extension, Router,
    body::Body,
    http::{HeaderName, Method, Request, Response, StatusCode, Uri},
    middleware,
    response::IntoResponse,
};
use futures::{
    FutureExt,
    future::{BoxFuture, OptionFuture},
};
use kivet_recipe::Access;
use kivet_store::{Blobs, Reductions};
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
    console,
    data_folder::{self, DataFolder},
    demo,
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
    sign_in::{OnAdminListener, SignIn},
    start_error::StartError,
    viewer, why,
};

/// Names one request in the log and in its response; taken over from a proxy in front.
const REQUEST_ID: HeaderName = HeaderName::from_static("x-request-id");

/// A service that listens but does not answer yet.
pub struct Service {
    listener: TcpListener,
    address: SocketAddr,
    admin: Option<(TcpListener, SocketAddr)>,
    app: App,
    router: Router,
    bounds: Bounds,
    give_back: fn(),
    /// The data folder is this service's as long as it lives.
    lock: Option<File>,
}

impl Service {
    /// Opens the stores, the shelves and the port.
    ///
    /// # Errors
    /// If any of them cannot be had.
    pub async fn bind(config: &Config) -> Result<Self, StartError> {
        let metrics = Metrics::new()?;
        let DataFolder { records, lost_index, lock } = DataFolder::open(&config.data, &metrics)?;
        let data = |source| StartError::Data { path: config.data.clone(), source };
        let sign_in = Arc::new(SignIn::open(&config.data).map_err(data)?);
        let blobs = Blobs::in_folder(&config.data.join("renditions"))?;
        let revision = Revision::default();
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
        if lost_index {
            rebuild_index(pipeline.clone());
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
            page_limits: config.limits.page(),
            plain: config.plain,
        });

        if config.access.is_none() && *app.access != Access::Open {
            tracing::warn!(
                "not only this machine can ask: recipes that no place names are refused; say `addresses` under [access] to decide otherwise"
            );
        }
        let (listener, address) = listening(config.listen).await?;
        let admin = match config.admin {
            Some(admin) => Some(listening(admin).await?),
            None => None,
        };
        let router = router(&app, config);
        let bounds = Bounds::new(Duration::from_secs(config.limits.idle_seconds));
        Ok(Self { listener, address, admin, app, router, bounds, give_back: || {}, lock })
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

    /// Where it listens for this machine alone, if the configuration names such an address.
    pub fn admin_address(&self) -> Option<SocketAddr> {
        self.admin.as_ref().map(|(_, address)| *address)
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
        let app = Arc::clone(&self.app);
        let backing_up = data_folder::back_up(Arc::clone(&app));
        let lock = self.lock;
        let stop = stop.shared();
        let admin_router = self.router.clone().layer(Extension(OnAdminListener));
        let admin_front = Front::new(Arc::clone(&self.app), admin_router);
        let front = Front::new(self.app, self.router);
        let serving = connections::serve(self.listener, front, self.bounds, stop.clone());
        let for_admin = self
            .admin
            .map(|(listener, _)| connections::serve(listener, admin_front, self.bounds, stop));
        Box::pin(async move {
            let both = async { tokio::join!(serving, OptionFuture::from(for_admin)) };
            tokio::select! {
                _ = both => {}
                () = tidying => {}
                () = backing_up => {}
            }
            data_folder::back_up_now(&app).await;
            drop(lock);
        })
    }
}

async fn listening(address: SocketAddr) -> Result<(TcpListener, SocketAddr), StartError> {
    let problem = |source| StartError::Listen { address, source };
    let listener = TcpListener::bind(address).await.map_err(problem)?;
    let address = listener.local_addr().map_err(problem)?;
    Ok((listener, address))
}

/// Lists the renditions of the blobs in fresh records, while the service serves already.
fn rebuild_index(pipeline: Pipeline) {
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
