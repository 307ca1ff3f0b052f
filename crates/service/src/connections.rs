//! The connections of viewers: as many as there are descriptors for, and none that says nothing for
//! long. Behind `axum::serve` silent ones would stay, until nobody else is let in.

use std::{
    convert::Infallible,
    future::Future,
    io,
    net::SocketAddr,
    sync::{
        Arc,
        atomic::{AtomicBool, Ordering},
    },
    time::Duration,
};

use axum::{http::Request, response::Response};
use hyper::{body::Incoming, service::service_fn};
use hyper_util::{
    rt::{TokioExecutor, TokioIo, TokioTimer},
    server::{conn::auto, graceful::GracefulShutdown},
};
use rustix::process::{Resource, Rlimit, getrlimit, setrlimit};
use tokio::{
    net::{TcpListener, TcpStream},
    sync::{Semaphore, watch},
};

/// How long bytes that were sent may stay unread before the viewer counts as gone.
const UNREAD: Duration = Duration::from_secs(60);

/// How long open requests may take to finish once the service is told to stop.
const PATIENCE: Duration = Duration::from_secs(20);

/// Descriptors that connections leave to files, records and log.
const RESERVE: u64 = 256;

/// How long to wait before accepting again where the system refuses to.
const REFUSED: Duration = Duration::from_millis(100);

/// What connections are held to.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Bounds {
    /// How many at a time.
    most: usize,
    /// How long one may say nothing: before its first request, between the lines of one, and after
    /// an answer.
    silence: Duration,
}

impl Bounds {
    /// As many as this process can have, once it has taken all descriptors that the system allows.
    pub(crate) fn new(silence: Duration) -> Self {
        Self { most: most(), silence }
    }
}

fn most() -> usize {
    let Rlimit { current, maximum } = getrlimit(Resource::Nofile);
    let raised = setrlimit(Resource::Nofile, Rlimit { current: maximum, maximum });
    let descriptors = if raised.is_ok() { maximum } else { current };
    let most = descriptors.map_or(u64::MAX, |all| all.saturating_sub(RESERVE).max(all / 2));
    usize::try_from(most).unwrap_or(usize::MAX).min(Semaphore::MAX_PERMITS)
}

/// Serves until `stop` resolves, then lets open requests finish for a while.
pub(crate) async fn serve<A>(
    listener: TcpListener,
    answer: A,
    Bounds { most, silence }: Bounds,
    stop: impl Future<Output = ()>,
) where
    A: AsyncAnswer,
{
    let open = Arc::new(Semaphore::new(most));
    let closing = GracefulShutdown::new();
    let protocols = protocols(silence);
    let (stopping, stopped) = watch::channel(());
    tokio::pin!(stop);
    loop {
        let accept = async {
            let place = Arc::clone(&open).acquire_owned().await;
            (listener.accept().await, place)
        };
        let (accepted, place) = tokio::select! {
            accepted = accept => accepted,
            () = &mut stop => break,
        };
        let Ok((stream, peer)) = accepted else {
            // Descriptors are used up, or a viewer left at once.
            tokio::time::sleep(REFUSED).await;
            continue;
        };
        let (answer, protocols, watcher) = (answer.clone(), protocols.clone(), closing.watcher());
        let mut stopped = stopped.clone();
        tokio::spawn(async move {
            let _until_closed = place;
            let begins = tokio::select! {
                begins = begins(&stream, silence) => begins,
                _ = stopped.changed() => false,
            };
            if begins {
                let begun = Arc::new(AtomicBool::new(false));
                let has_begun = Arc::clone(&begun);
                let service = service_fn(move |request| {
                    has_begun.store(true, Ordering::Relaxed);
                    answer.clone().answer(peer, request)
                });
                let connection =
                    protocols.serve_connection_with_upgrades(TokioIo::new(stream), service);
                tokio::select! {
                    // A viewer who leaves, or says what is not HTTP, is not an error of the service.
                    _ = watcher.watch(connection.into_owned()) => {}
                    () = never_begun(&begun, silence, stopped) => {}
                }
            }
        });
    }
    drop((listener, stopping));
    tracing::info!("stopping; open requests may finish");
    if tokio::time::timeout(PATIENCE, closing.shutdown()).await.is_err() {
        tracing::warn!("some requests did not finish in {} s", PATIENCE.as_secs());
    }
}

/// What answers the requests of all connections.
pub(crate) trait AsyncAnswer: Clone + Send + 'static {
    /// The answer to one request; there always is one.
    fn answer(
        self,
        peer: SocketAddr,
        request: Request<Incoming>,
    ) -> impl Future<Output = Result<Response, Infallible>> + Send + 'static;
}

fn protocols(silence: Duration) -> auto::Builder<TokioExecutor> {
    let mut protocols = auto::Builder::new(TokioExecutor::new());
    protocols.http1().timer(TokioTimer::new()).header_read_timeout(silence);
    protocols
        .http2()
        .timer(TokioTimer::new())
        .keep_alive_interval(silence)
        .keep_alive_timeout(silence);
    protocols
}

/// Resolves if no request was received whole in time, or before the service stops: half a greeting
/// does not say its protocol.
async fn never_begun(begun: &AtomicBool, silence: Duration, mut stopped: watch::Receiver<()>) {
    let _ = tokio::time::timeout(2 * silence, stopped.changed()).await;
    if begun.load(Ordering::Relaxed) {
        std::future::pending().await
    }
}

/// Waits for the first byte; false if none comes.
async fn begins(stream: &TcpStream, silence: Duration) -> bool {
    let told = stream.set_nodelay(true).and_then(|()| {
        let unread = UNREAD.as_millis() as u32;
        rustix::net::sockopt::set_tcp_user_timeout(stream, unread).map_err(io::Error::from)
    });
    if told.is_err() {
        return false;
    }
    let first = tokio::time::timeout(silence, stream.peek(&mut [0])).await;
    matches!(first, Ok(Ok(1..)))
}
