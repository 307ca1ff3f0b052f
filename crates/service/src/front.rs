//! What a request meets first: pictures that are ready, then the routes with their log.

use std::{convert::Infallible, net::SocketAddr, sync::Arc};

use axum::{
    Router,
    extract::ConnectInfo,
    http::{Method, Request},
    response::Response,
};
use hyper::body::Incoming;
use tower::Service;
use tracing::Level;

use crate::{app::App, connections::AsyncAnswer, host, pic};

/// The service as connections see it.
#[derive(Clone)]
pub(crate) struct Front(Arc<(App, Router)>);

impl Front {
    pub(crate) fn new(app: App, router: Router) -> Self {
        Self(Arc::new((app, router)))
    }
}

impl AsyncAnswer for Front {
    async fn answer(
        self,
        peer: SocketAddr,
        mut request: Request<Incoming>,
    ) -> Result<Response, Infallible> {
        let (app, router) = &*self.0;
        // Where every request is logged, those that could be answered at once get their line, too.
        let is_plain = request.method() == Method::GET
            && host::named(request.uri(), request.version(), request.headers()).is_ok();
        if is_plain && !tracing::enabled!(Level::INFO) {
            let ready = pic::ready(app, request.uri(), request.headers()).await;
            if let Some(response) = ready {
                return Ok(response);
            }
        }
        request.extensions_mut().insert(ConnectInfo(peer));
        router.clone().call(request).await
    }
}
