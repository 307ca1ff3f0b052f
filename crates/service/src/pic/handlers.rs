//! One handler: read the address, choose, fetch or make, answer.

use std::{sync::Arc, time::Instant};

use axum::{
    Router,
    body::Body,
    extract::{Request, State},
    http::{HeaderMap, StatusCode, Uri, request::Parts},
    response::{IntoResponse, Response},
    routing::get,
};
use bytes::Bytes;
use kivet_recipe::{Access, Choice, Recipe};
use kivet_store::Blob;

use super::{
    compressed, drawn_problem,
    headers::{self, Lasting, Vary},
    range::{self, Wanted},
    ready::{Sent, Viewer},
    request::{Chosen, PictureRequest, request_of},
};
use crate::{
    app::App,
    pipeline::{Job, PipelineError, Source},
    problem::{Problem, ProblemKind},
    queue::Requester,
    shelves::Original,
};

/// The routes of this feature.
pub fn routes() -> Router<App> {
    Router::new().route("/pic/{*address}", get(answer))
}

async fn answer(State(app): State<App>, request: Request) -> Response {
    let (Parts { uri, headers, extensions, .. }, _) = request.into_parts();
    if let Some(response) = ready(&app, &uri, &headers).await {
        return response;
    }
    let requester = Requester::of(&headers, &extensions);
    let response = worked_out(&app, &uri, (&headers, requester), &viewer_of(&headers)).await;
    app.metrics.responded(response.status());
    response
}

/// The answer to a GET, if one is ready.
pub async fn ready(app: &App, uri: &Uri, headers: &HeaderMap) -> Option<Response> {
    if !uri.path().starts_with(super::PREFIX) {
        return None;
    }
    let ready = app.ready.find(uri, &viewer_of(headers), headers)?;
    let (blob, source) = app.pipeline.stored(ready.key()).await?;
    let response = ready.answer(headers, (&blob, source))?;
    app.metrics.found(source);
    app.metrics.responded(response.status());
    Some(response)
}

fn viewer_of(headers: &HeaderMap) -> Viewer {
    Viewer { request: request_of(headers), gzip: compressed::is_wanted(headers) }
}

/// The answer where none is ready; from a tier, it is from now on.
async fn worked_out(
    app: &App,
    uri: &Uri,
    (headers, requester): (&HeaderMap, Requester),
    viewer: &Viewer,
) -> Response {
    let revision = app.ready.revision();
    // What the answer depends on is known better step by step, and is the same whether it succeeds
    // or not.
    let mut vary = Vary::default();
    let (mut response, sent) =
        match picture(app, uri, (headers, requester), viewer, &mut vary).await {
            Ok((response, sent)) => (response, sent),
            Err(problem) if *app.access == Access::Open && drawn_problem::is_wanted(headers) => {
                (drawn_problem::answer(problem, uri), None)
            }
            Err(problem) => (problem.into_response(), None),
        };
    headers::add_common(response.headers_mut(), vary);
    if let Some(sent) = sent.filter(|_| response.status() == StatusCode::OK) {
        app.ready.keep(uri, viewer, sent, &response, revision);
    }
    response
}

/// The picture, and what of it may be sent again as it is.
async fn picture(
    app: &App,
    uri: &Uri,
    (headers, requester): (&HeaderMap, Requester),
    viewer: &Viewer,
    vary: &mut Vary,
) -> Result<(Response, Option<Sent>), Problem> {
    let started = Instant::now();
    let asked = read(app, uri)?;
    *vary = asked.vary(app);
    let requester = requester.usually(app.places.urgency(&asked.recipe));
    let request = viewer.request;
    let Chosen { original, recipe, choice, version } =
        asked.choose(app, (&request, requester), vary).await?;
    let lasting = lasting(app, &asked, (&original, &choice), &version);
    let mut job = Job { original, recipe, request, choice };
    let (blob, source) = rendition(app, &asked, &mut job, requester).await?;
    let lasting = if source == Source::Nearest { Lasting::NotStored } else { lasting };
    app.metrics.found(source);
    let compressed =
        if vary.coding && viewer.gzip { Some(app.compressed.of(&blob).await?) } else { None };
    let mut response = respond(headers, &job, &blob, compressed.as_ref());
    let etag = tag(&blob, compressed.is_some());
    let took = started.elapsed();
    if !response.status().is_client_error() {
        headers::add_caching(response.headers_mut(), &blob, &etag, lasting, source, took);
    }
    let is_stored = matches!(source, Source::Memory | Source::Disk);
    let sent = is_stored.then(|| Sent { key: app.pipeline.key(&job), blob, compressed });
    Ok((response, sent))
}

/// The rendition of a job; where too much is waiting, the nearest one that is ready.
async fn rendition(
    app: &App,
    asked: &PictureRequest,
    job: &mut Job,
    requester: Requester,
) -> Result<(Arc<Blob>, Source), Problem> {
    let error = match app.pipeline.rendition(job.clone(), requester).await {
        Ok(found) => return Ok(found),
        Err(error) => error,
    };
    if matches!(error, PipelineError::Overloaded(_)) {
        let nearest = app.pipeline.nearest_ready(job, job.request.accepted).await;
        let (blob, format) = nearest.ok_or(error)?;
        job.choice.format = format;
        return Ok((blob, Source::Nearest));
    }
    if matches!(error, PipelineError::Changed { .. }) {
        app.shelves.forget(&asked.id).await;
    }
    app.shelves.look_again(&asked.id).await;
    Err(error.into())
}

/// The address; in plain mode, whatever it asks for, the original.
fn read(app: &App, uri: &Uri) -> Result<PictureRequest, Problem> {
    let asked = PictureRequest::read(uri, "/pic/");
    let is_plain = |shelf: &str| app.plain || app.shelves.rules(shelf).plain;
    match asked {
        Ok(asked) if is_plain(asked.id.shelf()) => {
            Ok(PictureRequest { recipe: Recipe::original(), version: None, ..asked })
        }
        Ok(asked) => Ok(asked),
        // Not even a recipe that cannot be read keeps a picture back.
        Err(problem) => match PictureRequest::of_path_alone(uri, "/pic/") {
            Some(id) if is_plain(id.shelf()) => {
                Ok(PictureRequest { recipe: Recipe::original(), id, version: None })
            }
            _ => Err(problem),
        },
    }
}

/// How long the answer holds, stages apart.
fn lasting(
    app: &App,
    asked: &PictureRequest,
    (original, choice): (&Original, &Choice),
    current: &str,
) -> Lasting {
    if original.is_lost {
        return Lasting::Stale;
    }
    // Of half a file: the other half may be on its way.
    if original.facts().truncated {
        return Lasting::Short;
    }
    if app.plain || app.shelves.rules(asked.id.shelf()).plain {
        return Lasting::Short;
    }
    match &asked.version {
        Some(version) if version == current => Lasting::Versioned { private: choice.private },
        Some(_) => Lasting::Short,
        None => Lasting::Usual { private: choice.private },
    }
}

fn respond(headers: &HeaderMap, job: &Job, blob: &Blob, compressed: Option<&Bytes>) -> Response {
    let etag = tag(blob, compressed.is_some());
    if headers::is_another(headers, &etag) {
        let detail = format!("it is {etag} now");
        return Problem::new(ProblemKind::PreconditionFailed, detail).into_response();
    }
    if headers::is_current(headers, &etag) {
        return StatusCode::NOT_MODIFIED.into_response();
    }
    let mut response = match compressed {
        Some(compressed) => Body::from(compressed.clone()).into_response(),
        None => ranged(headers, blob, &etag),
    };
    if response.status().is_success() {
        headers::add_content(response.headers_mut(), job, blob, compressed.is_some());
    }
    response
}

fn tag(blob: &Blob, is_packed: bool) -> String {
    if is_packed { headers::packed_etag(&blob.header.etag) } else { blob.header.etag.clone() }
}

/// The bytes, or the part of them that is wanted.
fn ranged(headers: &HeaderMap, blob: &Blob, etag: &str) -> Response {
    let length = blob.bytes.len();
    let (mut response, range) = match range::wanted(headers, length, etag) {
        Wanted::Whole => (Body::from(blob.bytes.clone()).into_response(), None),
        Wanted::Part(part) => {
            let range = format!("bytes {}-{}/{length}", part.start, part.end - 1);
            let body = Body::from(blob.bytes.slice(part));
            ((StatusCode::PARTIAL_CONTENT, body).into_response(), Some(range))
        }
        Wanted::Beyond => {
            let detail = format!("the picture has {length} bytes, fewer than the range begins at");
            let problem = Problem::new(ProblemKind::UnsatisfiableRange, detail);
            (problem.into_response(), Some(format!("bytes */{length}")))
        }
    };
    headers::add_ranges(response.headers_mut(), range);
    response
}
