//! WebSockets, passed through byte for byte (RFC 6455, section 4).

use anyhow::{Context, Result};
use axum::{
    body::Body,
    extract::Request,
    http::{
        HeaderValue, StatusCode,
        header::{CONNECTION, UPGRADE},
    },
    response::Response,
};
use hyper_util::rt::TokioIo;
use url::Url;

use super::{Site, guard::for_site};

/// Asks the site to switch protocols, and carries both directions if it does.
pub async fn open(site: &Site, request: Request, target: &Url) -> Result<Response> {
    let mut headers = for_site(site, request.headers())?;
    headers.insert(CONNECTION, HeaderValue::from_static("upgrade"));
    headers.insert(UPGRADE, HeaderValue::from_static("websocket"));
    let answer = site.client.get(target.clone()).headers(headers).send().await;
    let answer = answer.with_context(|| format!("{target} does not answer"))?;
    let (status, headers) = (answer.status(), answer.headers().clone());
    if status == StatusCode::SWITCHING_PROTOCOLS {
        tokio::spawn(async move {
            let ends = tokio::try_join!(
                async { hyper::upgrade::on(request).await.map_err(anyhow::Error::from) },
                async { answer.upgrade().await.map_err(anyhow::Error::from) },
            );
            if let Ok((viewer, mut site)) = ends {
                // Either side may hang up.
                let _ = tokio::io::copy_bidirectional(&mut TokioIo::new(viewer), &mut site).await;
            }
        });
    }
    let mut response = Response::new(Body::empty());
    (*response.status_mut(), *response.headers_mut()) = (status, headers);
    Ok(response)
}
