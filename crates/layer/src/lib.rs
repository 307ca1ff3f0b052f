//! A layer for axum applications: pages leave with Kivet's markup.
//!
//! Pages (`text/html`, status 200) are sent to the service's `POST /api/rewrite`, which follows the
//! rules that it keeps; everything else passes as it is. A page that cannot be rewritten, because
//! the service does not answer or refuses it, leaves as the application wrote it, and a warning is
//! logged: a site must not fail for its pictures.
//!
//! ```no_run
//! use axum::{Router, response::Html, routing::get};
//! use kivet_layer::RewriteLayer;
//!
//! let pages: Router = Router::new()
//!     .route("/", get(|| async { Html("<img src=\"/img/roofs.jpg\" alt=\"Roofs\">") }))
//!     .layer(RewriteLayer::new("http://127.0.0.1:8484", "the admin token"));
//! ```

use std::{
    convert::Infallible,
    task::{Context, Poll},
};

use axum::{
    body::{Body, Bytes, to_bytes},
    extract::Request,
    http::{
        StatusCode,
        header::{CONTENT_ENCODING, CONTENT_LENGTH, CONTENT_TYPE, ETAG},
    },
    response::Response,
};
use futures::future::BoxFuture;
use reqwest::Client;
use tower::{Layer, Service};

/// No larger page is rewritten.
const MAX_BYTES: usize = 16 << 20;

/// Rewrites the pages of the services it is laid around.
#[derive(Clone, Debug)]
pub struct RewriteLayer {
    client: Client,
    service: String,
    token: String,
}

/// A service whose pages are rewritten.
#[derive(Clone, Debug)]
pub struct Rewrite<S> {
    inner: S,
    layer: RewriteLayer,
}

/// Why a page left as it was.
#[derive(Debug, thiserror::Error)]
enum LayerError {
    #[error("the page is longer than 16 MiB, or broke off")]
    Page(#[from] axum::Error),
    #[error("the Kivet service does not answer")]
    NoAnswer(#[from] reqwest::Error),
    #[error("the Kivet service answers {status}: {problem}")]
    Refused { status: reqwest::StatusCode, problem: String },
}

impl RewriteLayer {
    /// A layer that asks the service at `service`, such as `http://127.0.0.1:8484`, with its admin
    /// token.
    pub fn new(service: &str, token: &str) -> Self {
        let service = service.trim_end_matches('/').to_owned();
        Self { client: Client::new(), service, token: token.to_owned() }
    }

    async fn rewritten(&self, page: &str, html: Bytes) -> Result<Bytes, LayerError> {
        let request = self.client.post(format!("{}/api/rewrite", self.service));
        let request = request.query(&[("page", page)]).bearer_auth(&self.token);
        let answer = request.header("content-type", "text/html").body(html).send().await?;
        let status = answer.status();
        if !status.is_success() {
            let problem = answer.text().await.unwrap_or_default();
            return Err(LayerError::Refused { status, problem });
        }
        Ok(answer.bytes().await?)
    }

    async fn pass(&self, page: &str, answer: Response) -> Result<Response, LayerError> {
        let kind = answer.headers().get(CONTENT_TYPE).and_then(|kind| kind.to_str().ok());
        let is_page = answer.status() == StatusCode::OK
            && kind.is_some_and(|kind| kind.starts_with("text/html"))
            && !answer.headers().contains_key(CONTENT_ENCODING);
        if !is_page {
            return Ok(answer);
        }
        let (mut parts, body) = answer.into_parts();
        let html = to_bytes(body, MAX_BYTES).await?;
        let html = match self.rewritten(page, html.clone()).await {
            Ok(rewritten) => {
                parts.headers.remove(CONTENT_LENGTH);
                parts.headers.remove(ETAG);
                rewritten
            }
            Err(error) => {
                tracing::warn!(page, error = %error, "this page leaves without Kivet's markup");
                html
            }
        };
        Ok(Response::from_parts(parts, Body::from(html)))
    }
}

impl<S> Layer<S> for RewriteLayer {
    type Service = Rewrite<S>;

    fn layer(&self, inner: S) -> Self::Service {
        Rewrite { inner, layer: self.clone() }
    }
}

impl<S> Service<Request> for Rewrite<S>
where
    S: Service<Request, Response = Response, Error = Infallible> + Clone + Send + 'static,
    S::Future: Send,
{
    type Response = Response;
    type Error = Infallible;
    type Future = BoxFuture<'static, Result<Response, Infallible>>;

    fn poll_ready(&mut self, context: &mut Context<'_>) -> Poll<Result<(), Infallible>> {
        self.inner.poll_ready(context)
    }

    fn call(&mut self, request: Request) -> Self::Future {
        let layer = self.layer.clone();
        let page = page_of(request.uri().path());
        // The one that is ready is taken, a fresh clone left in its stead.
        let fresh = self.inner.clone();
        let mut inner = std::mem::replace(&mut self.inner, fresh);
        Box::pin(async move {
            let answer = inner.call(request).await?;
            Ok(layer.pass(&page, answer).await.unwrap_or_else(|error| {
                tracing::error!(page, error = %error, "this page could not be read");
                let mut failed = Response::new(Body::from("the page could not be read\n"));
                *failed.status_mut() = StatusCode::INTERNAL_SERVER_ERROR;
                failed
            }))
        })
    }
}

/// A page's path in its site, as rules have it.
fn page_of(path: &str) -> String {
    let path = path.trim_start_matches('/');
    if path.is_empty() || path.ends_with('/') {
        format!("{path}index.html")
    } else {
        path.to_owned()
    }
}
